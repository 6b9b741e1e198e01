"""The import job: uploaded files become a revision, or a list of problems."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Sum
from django.db.models.functions import Length

from routrel.answers.base import data
from routrel.answers.file_differences import files_difference
from routrel.answers.findings import findings_data
from routrel.files.reader import decode
from routrel.files.report import Report
from routrel.formats.importing import import_files, is_own, tell_problems
from routrel.formats.plain.lists import KINDS, Mapped
from routrel.formats.reports import report_data
from routrel.lens.look import content_hash
from routrel.questions.finding_groups import finding_key
from server.networks import promises, states
from server.networks.jobs import TooManyJobs, Work
from server.networks.models import Job, Network, Revision, RevisionFile, UploadedFile

__all__ = ["Overtaken", "add_revision", "make_room", "read_import"]

#: Imports of a network that became nothing and of which the files are kept, to be read in place;
#: and how much one person may have uploaded that is no revision.
_KEPT_UPLOADS = 10
_MOST_HELD_BYTES = 1024 * 1024 * 1024


class Overtaken(Exception):
    """Another revision came since somebody looked at the newest."""

    def __init__(self, newest: int) -> None:
        super().__init__(f"revision {newest} came meanwhile")
        self.newest = newest


def read_import(work: Work) -> None:
    """Read an import's files; make a revision of them unless they have problems.

    Progress is written as the files are read. The revision and the end of the job are one
    transaction, so that an import that is run twice, or cancelled late, makes one or none.
    """
    job = work.job
    report = Report()
    work.report(step="reading", total=job.files.count())
    texts, files = _read_files(work, report)
    if not texts and not report.count:
        message = "Nothing could be read of any file; nothing was kept."
        answer = {"problems": [], "problem_count": 0, "skipped": job.question["skipped"]}
        work.end(Job.Status.REFUSED, message, answer={**answer, "files": files})
        return
    view = states.look_anew(texts, report, on_file=lambda count: work.progress(done=count))
    problems, count = view.reading.problems, view.reading.problem_count
    found = {
        "problems": data(findings_data(problems, view.reading.network)),
        "problem_count": count,
        "skipped": job.question["skipped"],
        "files": files,
    }
    if view.state is None:
        message = f"{count} problem{'' if count == 1 else 's'} in the files; nothing was kept."
        _keep_made(job, texts)
        work.end(Job.Status.REFUSED, message, answer=found, done=len(texts))
        return
    devices = len(view.reading.network.devices)
    states.remember(content_hash(texts), view)
    if job.question.get("preview"):
        _end_preview(work, texts, found, devices)
        return
    work.report(step="storing", done=len(texts))
    keys = [finding_key(finding) for finding in view.findings]

    def keep(held: Job) -> object:
        held.revision = add_revision(
            held.network,
            texts,
            author=held.author,
            finding_keys=keys,
            after=job.question.get("after"),
        )
        held.files.all().delete()  # the revision has them
        held.message = f"{devices} devices became revision {held.revision.number}."
        return found

    try:
        work.end(Job.Status.DONE, keep=keep)
    except Overtaken as error:
        message = f"Revision {error.newest} came meanwhile; look at the difference again."
        work.end(Job.Status.REFUSED, message, answer=found)
        return
    made = Job.objects.select_related("revision", "network").get(pk=job.pk)
    promises.check_after_import(made, made.revision, view)


def _end_preview(work: Work, texts: Mapping[str, str], found: dict[str, Any], devices: int) -> None:
    """What an import would make of the network; the files wait until somebody says."""
    newest = work.job.network.revisions.first()
    differs = files_difference(newest.texts() if newest else {}, texts)
    found["difference"] = {"revision": newest.number if newest else None, **data(differs)}
    message = f"{devices} devices were read; nothing is kept until you say so."
    work.end(Job.Status.DONE, message, answer=found, done=len(texts))


def make_room(network: Network, author_id: int) -> None:
    """Forget what was uploaded for all but the newest imports that became nothing.

    Raises:
        TooManyJobs: what the person has uploaded, and what is not a revision, is much already.
    """
    ended = network.jobs.filter(kind=Job.Kind.IMPORT, ended__isnull=False, files__isnull=False)
    newest = ended.order_by("-ended").values_list("pk", flat=True).distinct()
    kept = list(newest[:_KEPT_UPLOADS])
    UploadedFile.objects.filter(job__in=ended).exclude(job__in=kept).delete()
    mine = UploadedFile.objects.filter(job__author_id=author_id)
    held = mine.aggregate(total=Sum(Length("content")))["total"] or 0
    if held > _MOST_HELD_BYTES:
        raise TooManyJobs(
            f"files of {held // 2**20} MiB of your imports wait or were refused; "
            "wait for them or delete some"
        )


def _read_files(work: Work, report: Report) -> tuple[dict[str, str], list[dict[str, Any]]]:
    """The texts of an import's files, and what became of each where some are of other formats."""
    stored = work.job.files.filter(is_made=False).values_list("path", "content")
    contents = {path: bytes(content) for path, content in stored.iterator(chunk_size=200)}
    if all(is_own(path, content) for path, content in contents.items()):
        texts = {path: decode(path, content, report) for path, content in contents.items()}
        return {path: text for path, text in texts.items() if text is not None}, []
    network = work.job.network
    made = import_files(
        contents,
        network.slug,
        on_file=lambda count: work.progress(done=count),
        remembered=_remembered(network),
    )
    tell_problems(made, report)
    return made.texts, report_data(made.report)


def _remembered(network: Network) -> dict[str, Mapped]:
    """How lists with the same columns are taken in this network."""
    return {
        header: Mapped(KINDS[said["kind"]], said["taken"])
        for header, said in network.lists.items()
        if said["kind"] in KINDS
    }


def _keep_made(job: Job, texts: Mapping[str, str]) -> None:
    """Keep device files that an import made, so that their problems can be read in place."""
    known = set(job.files.values_list("path", flat=True))
    UploadedFile.objects.bulk_create(
        UploadedFile(job=job, path=path, content=text.encode(), is_made=True)
        for path, text in texts.items()
        if path not in known
    )


def add_revision(
    network: Network,
    texts: dict[str, str],
    *,
    author: User | None,
    note: str = "",
    finding_keys: list[str] | None = None,
    after: int | None = None,
) -> Revision:
    """Make the next revision of a network from texts that read without problems.

    Args:
        finding_keys: What its findings are known by; None: nobody has looked for them yet.
        after: The newest revision that somebody looked at, 0 for none; None: nobody did.
    Raises:
        Overtaken: another one is the newest.
    """
    with transaction.atomic():
        number = Network.objects.select_for_update().get(pk=network.pk).last_revision + 1
        newest = network.revisions.first()
        if after is not None and after != (newest.number if newest else 0):
            raise Overtaken(newest.number if newest else 0)
        revision = Revision.objects.create(
            network=network,
            number=number,
            author=author,
            content_hash=content_hash(texts),
            note=note,
            finding_keys=finding_keys,
        )
        Network.objects.filter(pk=network.pk).update(last_revision=number)
        RevisionFile.objects.bulk_create(
            (RevisionFile(revision=revision, path=path, text=text) for path, text in texts.items()),
            batch_size=500,
        )
    return revision
