"""Networks, who may do what in them, their revisions, and jobs on the way to an answer."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

__all__ = [
    "ApiToken",
    "AuditEntry",
    "Change",
    "ChangeStep",
    "ChartPlaces",
    "Job",
    "JobKind",
    "JobStatus",
    "LoginFailure",
    "Membership",
    "Network",
    "PromiseVerdict",
    "Revision",
    "RevisionFile",
    "Role",
    "SavedQuestion",
    "StoredPromise",
    "SweptCase",
    "TokenScope",
    "UploadedFile",
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
    last_revision = models.PositiveIntegerField(default=0)  #: numbers are never given twice
    #: By the columns' names, joined by commas: what lists with them are taken for.
    lists = models.JSONField(default=dict)

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
    name = models.CharField(max_length=80, blank=True)
    note = models.CharField(max_length=1000, blank=True)
    finding_keys = models.JSONField(null=True)  #: null until its findings were looked for

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


class MutedFinding(models.Model):
    """A finding that is known and may be as it is, in whatever revision it is found."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="muted")
    key = models.CharField(max_length=16)
    reason = models.CharField(max_length=300)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("created", "pk")
        constraints = (models.UniqueConstraint(fields=["network", "key"], name="muted_once"),)

    def __str__(self) -> str:
        return f"{self.key} of {self.network}: {self.reason}"


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


class JobKind(models.TextChoices):
    """What a job works on."""

    IMPORT = "import"
    REMEDIES = "remedies"
    WOULD_TAKE = "would-take"
    QUESTIONS = "questions"
    COMPARE = "compare"
    SHEET = "sheet"
    ACCEPT = "accept"
    PROMISES = "promises"
    SWEEP = "sweep"
    SUGGEST = "suggest"
    MEND = "mend"


class JobStatus(models.TextChoices):
    """How far a job is, or how it ended."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    REFUSED = "refused"  #: what was given cannot be taken: files with problems, a wrong question
    CANCELLED = "cancelled"
    FAILED = "failed"  #: our fault


class Job(models.Model):
    """Work that takes its time, done by the executor: what is asked, how far it is, how it ended.

    queued -> running -> done, refused or failed; cancelled from either of the first two. Whoever
    runs it holds `owner`, a name of that one attempt: an attempt that lost the job changes nothing
    any more.
    """

    Kind = JobKind
    Status = JobStatus

    kind = models.CharField(max_length=12, choices=Kind.choices)
    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="jobs")
    revision = models.ForeignKey(
        Revision, on_delete=models.CASCADE, null=True, related_name="+"
    )  #: that is asked; of an import the one it became
    author = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.QUEUED)
    step = models.CharField(max_length=60, default="waiting")
    done = models.PositiveIntegerField(default=0)  #: of `total`; of a search: what was tried
    total = models.PositiveIntegerField(default=0)
    found = models.PositiveIntegerField(default=0)  #: of a search: what helps
    message = models.CharField(max_length=300, blank=True)
    question = models.JSONField(default=dict)
    key = models.CharField(max_length=64, blank=True)  #: equal questions to equal content
    answer = models.JSONField(null=True)  #: null until it has ended well
    owner = models.CharField(max_length=80, blank=True)
    heartbeat = models.DateTimeField(null=True)
    attempts = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ("-created", "-pk")
        indexes = (
            models.Index(fields=["status", "created"], name="jobs_by_status"),
            models.Index(fields=["network", "key"], name="jobs_by_question"),
        )

    def __str__(self) -> str:
        return f"{self.kind} in {self.network}: {self.status}"


class UploadedFile(models.Model):
    """One file of an import. It is dropped when the import becomes a revision, which holds it."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=400)
    content = models.BinaryField()
    is_made = models.BooleanField(default=False)  #: by the import itself, of other formats

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=["job", "path"], name="upload_paths"),)

    def __str__(self) -> str:
        return self.path


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
    former_answer = models.JSONField(null=True)  #: the one before it changed
    former_revision = models.ForeignKey(
        Revision, on_delete=models.SET_NULL, null=True, related_name="+"
    )
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


class Change(models.Model):
    """A named list of edits with a purpose, worked on by several people, accepted or dropped.

    What it says now is its step of the number `step`; the steps before are what undo goes back to,
    those behind what redo goes on to.
    """

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="changes")
    name = models.CharField(max_length=80)  #: in addresses and change files; never another
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)
    written_on = models.ForeignKey(
        Revision, on_delete=models.SET_NULL, null=True, related_name="+"
    )  #: the revision whose files the edits replace
    below = models.ForeignKey(
        "self", on_delete=models.SET_NULL, null=True, related_name="above"
    )  #: the change that is made before this one
    version = models.PositiveIntegerField(default=1)  #: another one after whatever happens to it
    step = models.PositiveIntegerField(default=1)
    became = models.OneToOneField(
        Revision, on_delete=models.SET_NULL, null=True, related_name="change"
    )
    accepted = models.DateTimeField(null=True, default=None)
    dropped = models.DateTimeField(null=True, default=None)  #: for a day it can be taken back

    class Meta:
        ordering = ("-created", "-pk")
        constraints = (models.UniqueConstraint(fields=["network", "name"], name="change_names"),)

    def __str__(self) -> str:
        return f"{self.name} of {self.network}"

    @property
    def said(self) -> ChangeStep:
        """What it says now."""
        return self.steps.get(number=self.step)


class ChangeStep(models.Model):
    """What a change said for a while, and who made it say so."""

    change = models.ForeignKey(Change, on_delete=models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    purpose = models.CharField(max_length=1000, blank=True)
    edits = models.JSONField(default=list)  #: in order, as the engine writes them
    text = models.CharField(max_length=200)  #: what was done, in words
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=["change", "number"], name="change_steps"),)

    def __str__(self) -> str:
        return f"{self.change}: {self.text}"


class StoredPromise(models.Model):
    """A promise that is kept here and not in the network's files; it outlives imports."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="promises")
    name = models.CharField(max_length=80)
    sentence = models.CharField(max_length=1000)
    severity = models.CharField(max_length=10, default="error")
    owner = models.CharField(max_length=80, blank=True)
    folder = models.CharField(max_length=80, blank=True)
    note = models.CharField(max_length=1000, blank=True)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("folder", "name")
        constraints = (models.UniqueConstraint(fields=["network", "name"], name="promise_names"),)

    def __str__(self) -> str:
        return f"{self.name} of {self.network}"


class LeftSuggestion(models.Model):
    """A suggested promise that somebody left; it is suggested no more."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="left_suggestions")
    sentence = models.CharField(max_length=1000)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["network", "sentence"], name="left_once"),)

    def __str__(self) -> str:
        return f"{self.sentence}, left in {self.network}"


class PromiseVerdict(models.Model):
    """How a promise stood in a revision, as it is or through a lens: its history."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="verdicts")
    #: What is written of the lens, and a name for it; empty: the revision as it is.
    lens = models.JSONField(default=dict)
    lens_key = models.CharField(max_length=64, blank=True)
    name = models.CharField(max_length=80)
    sentence = models.CharField(max_length=1000)
    kept = models.BooleanField()
    why = models.CharField(max_length=1000, blank=True)
    checked = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["revision", "lens_key", "name"], name="one_verdict"),
        )

    def __str__(self) -> str:
        return f"{self.name} in {self.revision}: {'kept' if self.kept else 'broken'}"


class SweptCase(models.Model):
    """What one case of a sweep does; kept by what is asked, so that a stopped sweep goes on."""

    network = models.ForeignKey(Network, on_delete=models.CASCADE, related_name="swept")
    key = models.CharField(max_length=64)  #: of the lens, the promises and the engine
    failed = models.CharField(max_length=1000)  #: in order, with spaces between
    record = models.JSONField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["network", "key", "failed"], name="swept_once"),
        )

    def __str__(self) -> str:
        return f"{self.failed} in {self.network}"


class ChartPlaces(models.Model):
    """Where people have put the devices of a network on its chart."""

    network = models.OneToOneField(Network, on_delete=models.CASCADE, related_name="chart_places")
    places = models.JSONField(default=dict)  #: by name of a node: x and y of its middle

    def __str__(self) -> str:
        return f"places of {len(self.places)} on the chart of {self.network}"


class TokenScope(models.TextChoices):
    """What a token may be used for; never what takes an owner."""

    READ = "read"
    IMPORT = "import"  #: and read
    CHANGE = "change"  #: all that editors may


class ApiToken(models.Model):
    """What a program shows instead of a password. Only a hash of it is kept."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="api_tokens"
    )
    networks = models.ManyToManyField(Network, related_name="api_tokens")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=10, choices=TokenScope.choices)
    hashed = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    revoked = models.DateTimeField(null=True)
    last_used = models.DateTimeField(null=True)
    last_address = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ("-created", "-pk")

    def __str__(self) -> str:
        return f"{self.name} of {self.user}"


class AuditEntry(models.Model):
    """Who did what, when, from where. Rows are added and never changed: the database refuses it.

    Names stand in words, so that they stay when what they name is deleted.
    """

    created = models.DateTimeField(auto_now_add=True)
    network = models.CharField(max_length=60, blank=True, db_index=True)  #: its slug
    who = models.CharField(max_length=150)
    token = models.CharField(max_length=80, blank=True)  #: the name of the one that was shown
    address = models.CharField(max_length=64, blank=True)
    action = models.CharField(max_length=40)
    text = models.CharField(max_length=400)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.who}: {self.text}"


class LoginFailure(models.Model):
    """Attempts to log in that failed lately: from an address, or from it for one account."""

    subject = models.CharField(max_length=64, unique=True)  #: a hash; names stay private
    failures = models.PositiveIntegerField(default=0)
    last = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.failures} failures"
