"""Networks, who may do what in them, their revisions, and imports on the way to a revision."""

from __future__ import annotations

from django.conf import settings
from django.db import models

__all__ = [
    "Draft",
    "Import",
    "ImportedFile",
    "Membership",
    "Network",
    "RemedySearch",
    "Revision",
    "RevisionFile",
    "Role",
    "SavedQuestion",
]


class Role(models.TextChoices):
    """What a member may do; each includes the one before."""

    VIEWER = "viewer"
    EDITOR = "editor"
    OWNER = "owner"


class Network(models.Model):
    """One network that people share."""

    slug = models.SlugField(unique=True, max_length=60)
    title = models.CharField(max_length=120)
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.title


class Membership(models.Model):
    """A user's role in a network."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships"
    )
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["network", "user"], name="one_role_per_member"),
        )

    def __str__(self) -> str:
        return f"{self.user} is {self.role} of {self.network}"


class Revision(models.Model):
    """An imported state of a network. Never changed once made."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    created = models.DateTimeField(auto_now_add=True)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    content_hash = models.CharField(max_length=64)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ("-number",)
        constraints = (
            models.UniqueConstraint(fields=["network", "number"], name="revision_numbers"),
        )

    def __str__(self) -> str:
        return f"revision {self.number} of {self.network}"

    def texts(self) -> dict[str, str]:
        """The files' texts by path."""
        return dict(self.files.values_list("path", "text"))


class RevisionFile(models.Model):
    """One file of a revision."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=400)
    text = models.TextField()

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=["revision", "path"], name="revision_paths"),)

    def __str__(self) -> str:
        return self.path


class Import(models.Model):
    """Files on their way to a revision, read by a job."""

    class Status(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"  #: became a revision
        REFUSED = "refused"  #: the files have problems
        CANCELLED = "cancelled"
        FAILED = "failed"  #: our fault

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="imports")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    step = models.CharField(max_length=60, default="waiting")
    done = models.PositiveIntegerField(default=0)  #: files read
    total = models.PositiveIntegerField(default=0)  #: files to read
    cancel_requested = models.BooleanField(default=False)
    problems = models.JSONField(default=list)  #: findings as the API gives them
    skipped = models.JSONField(default=list)  #: paths that are no device files
    message = models.CharField(max_length=300, blank=True)
    revision = models.ForeignKey(Revision, on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return f"import into {self.network}: {self.status}"

    @property
    def finished(self) -> bool:
        return self.status not in (self.Status.QUEUED, self.Status.RUNNING)


class ImportedFile(models.Model):
    """One uploaded file of an import, kept so that its problems can be read in place."""

    job = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=400)
    content = models.BinaryField()

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=["job", "path"], name="import_paths"),)

    def __str__(self) -> str:
        return self.path


class RemedySearch(models.Model):
    """A search for remedies, worked on by a job."""

    class Status(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"  #: our fault, or a question that cannot be asked

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="+")
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    question = models.JSONField()  #: as the address of the page has it
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    tried = models.PositiveIntegerField(default=0)  #: edits
    found = models.PositiveIntegerField(default=0)  #: edits that help
    cancel_requested = models.BooleanField(default=False)
    message = models.CharField(max_length=300, blank=True)
    answer = models.JSONField(null=True)  #: as the engine tells it; null until it is done

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return f"remedies in {self.revision}: {self.status}"

    @property
    def finished(self) -> bool:
        return self.status not in (self.Status.QUEUED, self.Status.RUNNING)


class SavedQuestion(models.Model):
    """A flow question that is kept, with its last answer and the last one that was good."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="questions")
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)
    name = models.CharField(max_length=120)
    folder = models.CharField(max_length=120, blank=True)
    question = models.JSONField()  #: as the address of the page has it
    answer = models.JSONField(null=True)  #: in short; null: never run
    revision = models.ForeignKey(Revision, on_delete=models.SET_NULL, null=True, related_name="+")
    ran = models.DateTimeField(null=True)
    changed = models.DateTimeField(null=True)  #: when the answer was last another one
    good_answer = models.JSONField(null=True)  #: the last that arrived both ways
    good_revision = models.ForeignKey(
        Revision, on_delete=models.SET_NULL, null=True, related_name="+"
    )

    class Meta:
        ordering = ("folder", "name")
        constraints = (
            models.UniqueConstraint(fields=["network", "folder", "name"], name="question_names"),
        )

    def __str__(self) -> str:
        return self.name


class Draft(models.Model):
    """A proposed edit that somebody keeps, to make a change of it later."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="drafts")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="+")
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)
    text = models.CharField(max_length=400)  #: the edit in words
    purpose = models.CharField(max_length=400)  #: what it is to achieve
    edit = models.JSONField()  #: device, vrf, neighbour, attribute, value and target

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.text
