"""The import job: uploaded files become a revision, or a list of problems."""

from __future__ import annotations

import time

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from routrel.files.reader import decode
from routrel.files.report import Report
from routrel.lens import content_hash, look
from routrel.questions.answers import finding_data
from server.networks import states
from server.networks.jobs import Work
from server.networks.models import Job, Network, Revision, RevisionFile

__all__ = ["add_revision", "read_import"]

#: Seconds between two looks at the database while files are read.
_REPORT_EVERY_S = 0.2


def read_import(work: Work) -> None:
    """Read an import's files; make a revision of them unless they have problems.

    Progress is written as the files are read. The revision and the end of the job are one
    transaction, so that an import that is run twice, or cancelled late, makes one or none.
    """
    job = work.job
    report = Report()
    work.report(step="reading", total=job.files.count())
    texts = _decode(job, report)
    last_report = 0.0

    def progress(count: int) -> None:
        nonlocal last_report
        if time.monotonic() - last_report >= _REPORT_EVERY_S:
            last_report = time.monotonic()
            work.report(done=count)

    view = look(texts, report, on_file=progress)
    problems, count = view.reading.problems, view.reading.problem_count
    found = {
        "problems": [finding_data(problem) for problem in problems],
        "problem_count": count,
        "skipped": job.question["skipped"],
    }
    if view.state is None:
        message = f"{count} problem{'' if count == 1 else 's'} in the files; nothing was kept."
        work.end(Job.Status.REFUSED, message, answer=found, done=len(texts))
        return
    devices = len(view.reading.network.devices)
    work.report(step="storing", done=len(texts))
    states.remember(content_hash(texts), view)

    def keep(held: Job) -> object:
        held.revision = add_revision(held.network, texts, author=held.author)
        held.files.all().delete()  # the revision has them
        held.message = f"{devices} devices became revision {held.revision.number}."
        return found

    work.end(Job.Status.DONE, keep=keep)


def _decode(job: Job, report: Report) -> dict[str, str]:
    contents = job.files.values_list("path", "content").iterator(chunk_size=200)
    texts = {path: decode(path, bytes(content), report) for path, content in contents}
    return {path: text for path, text in texts.items() if text is not None}


def add_revision(
    network: Network, texts: dict[str, str], *, author: AbstractBaseUser | None, note: str = ""
) -> Revision:
    """Make the next revision of a network from texts that read without problems."""
    with transaction.atomic():
        number = Network.objects.select_for_update().get(pk=network.pk).last_revision + 1
        revision = Revision.objects.create(
            network=network,
            number=number,
            author=author,
            content_hash=content_hash(texts),
            note=note,
        )
        Network.objects.filter(pk=network.pk).update(last_revision=number)
        RevisionFile.objects.bulk_create(
            (RevisionFile(revision=revision, path=path, text=text) for path, text in texts.items()),
            batch_size=500,
        )
    return revision
