"""The import job: uploaded files become a revision, or a list of problems."""

from __future__ import annotations

import time

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import Max

from routrel.files.reader import decode
from routrel.files.report import Report
from routrel.lens import content_hash, look
from routrel.questions.answers import finding_data
from server.networks import states
from server.networks.models import Import, Network, Revision, RevisionFile

__all__ = ["ImportCancelled", "add_revision", "run_import"]

#: Seconds between two looks at the database while files are read.
_REPORT_EVERY_S = 0.2


class ImportCancelled(Exception):
    """Somebody asked to stop."""


def run_import(job: Import) -> None:
    """Read an import's files; make a revision of them unless they have problems.

    Progress is written as the files are read, and a request to cancel is honoured between files.
    An import that has already ended is left alone, so that a job run twice does no harm.
    """
    if job.finished:
        return
    job.total = job.files.count()
    job.status = Import.Status.RUNNING
    job.step = "reading"
    job.save(update_fields=["total", "status", "step"])
    try:
        _read(job)
    except ImportCancelled:
        job.status, job.step, job.message = (
            Import.Status.CANCELLED,
            "cancelled",
            "Nothing was kept.",
        )
    except Exception:
        job.status, job.step = Import.Status.FAILED, "failed"
        job.message = "The import failed through a fault of ours; the server's log has the details."
        job.save()
        raise
    job.save()


def _read(job: Import) -> None:
    report = Report()
    texts = _decode(job, report)
    last_report = 0.0

    def progress(count: int) -> None:
        nonlocal last_report
        if time.monotonic() - last_report < _REPORT_EVERY_S:
            return
        last_report = time.monotonic()
        Import.objects.filter(pk=job.pk).update(done=count)
        if Import.objects.filter(pk=job.pk, cancel_requested=True).exists():
            raise ImportCancelled

    view = look(texts, report.problems, on_file=progress)
    progress(job.total)
    job.done = job.total
    job.problems = [finding_data(problem) for problem in view.reading.problems]
    if view.state is None:
        job.status, job.step = Import.Status.REFUSED, "finished"
        count = len(job.problems)
        job.message = f"{count} problem{'s' if count != 1 else ''} in the files; nothing was kept."
        return
    digest = content_hash(texts)
    states.remember(digest, view)
    job.revision = add_revision(job.network, texts, author=job.author)
    job.status, job.step = Import.Status.DONE, "finished"
    job.message = (
        f"{len(view.reading.network.devices)} devices became revision {job.revision.number}."
    )


def _decode(job: Import, report: Report) -> dict[str, str]:
    contents = job.files.values_list("path", "content")
    texts = {path: decode(path, bytes(content), report) for path, content in contents}
    return {path: text for path, text in texts.items() if text is not None}


def add_revision(
    network: Network, texts: dict[str, str], *, author: AbstractBaseUser | None, note: str = ""
) -> Revision:
    """Make the next revision of a network from texts that read without problems."""
    with transaction.atomic():
        Network.objects.select_for_update().get(pk=network.pk)
        newest = network.revisions.aggregate(newest=Max("number"))["newest"] or 0
        revision = Revision.objects.create(
            network=network,
            number=newest + 1,
            author=author,
            content_hash=content_hash(texts),
            note=note,
        )
        RevisionFile.objects.bulk_create(
            RevisionFile(revision=revision, path=path, text=text) for path, text in texts.items()
        )
    return revision
