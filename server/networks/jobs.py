"""The state machine of jobs, in PostgreSQL: start, claim, keep alive, end, give back, cancel.

Every change is one statement, or one transaction, that holds only if the job is still where it was
believed to be. So a cancel and an end cannot both win, a job taken over by another attempt is lost
to the first, and running one twice keeps one result.
"""

from __future__ import annotations

import hashlib
import json
import math
import os
import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.db import DataError, transaction
from django.db.models import Count, F, Max, Q
from django.utils import timezone

from server.networks.models import Job, JobKind, JobStatus, Network, Revision, UploadedFile
from server.networks.states import engine_hash

__all__ = [
    "HEARTBEAT_S",
    "JobLost",
    "TooManyJobs",
    "Work",
    "beat",
    "cancel_job",
    "claim",
    "drop_old",
    "give_back",
    "give_back_silent",
    "question_key",
    "start_job",
    "storable",
]

#: Seconds between two signs of life, and after how many without one a job counts as left alone.
HEARTBEAT_S = 2
_SILENT_S = 15
#: Seconds between two times that progress is written down.
_PROGRESS_EVERY_S = 0.2
_MOST_ATTEMPTS = 3
#: Jobs that wait, of one person and in one network, and that run at a time for one person.
_MOST_QUEUED_BY_USER = 20
_MOST_QUEUED_IN_NETWORK = 60
_MOST_RUNNING_BY_USER = 1
#: Days for which ended jobs are kept.
_KEPT_DAYS = 30

#: Kinds whose answer depends on what is asked alone: whoever asks the same is given it again.
_ASKED_AGAIN = (
    Job.Kind.REMEDIES,
    Job.Kind.WOULD_TAKE,
    Job.Kind.MEND,
    Job.Kind.COMPARE,
    Job.Kind.SHEET,
    Job.Kind.PROMISES,
    Job.Kind.SWEEP,
    Job.Kind.SUGGEST,
)

_FAULT = "It failed through an internal error; the server's log has the details."


class JobLost(Exception):
    """The job was cancelled, or another attempt has it."""


class TooManyJobs(Exception):
    """Somebody wants more at a time than is their share; the message says what to do."""

    code = "too_many_jobs"


def question_key(kind: JobKind, revision: Revision, question: dict[str, Any]) -> str:
    """One name for equal questions to equal content, asked of this engine."""
    parts = [kind.value, revision.content_hash, engine_hash(), question]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def start_job(
    kind: JobKind,
    network: Network,
    author_id: int,
    *,
    revision: Revision | None = None,
    question: dict[str, Any] | None = None,
    total: int = 0,
    files: Callable[[Job], None] | None = None,
) -> Job:
    """Queue a job; the answer that an equal question has already is given instead.

    Args:
        files: Stores what the job needs beside its question, in the same transaction.

    Raises:
        TooManyJobs: as many as allowed wait already.
    """
    key = ""
    if revision is not None and kind in _ASKED_AGAIN:
        key = question_key(kind, revision, question or {})
        known = Job.objects.filter(network=network, key=key).filter(
            Q(status=Job.Status.DONE)
            | Q(status__in=(Job.Status.QUEUED, Job.Status.RUNNING), author_id=author_id)
        )
        if (job := known.first()) is not None:
            return job
    with transaction.atomic():
        # One at a time for each network, so that the counts hold.
        Network.objects.select_for_update().get(pk=network.pk)
        waiting = Job.objects.filter(status=Job.Status.QUEUED)
        if waiting.filter(author_id=author_id).count() >= _MOST_QUEUED_BY_USER:
            raise TooManyJobs(
                f"{_MOST_QUEUED_BY_USER} jobs of yours wait already; wait for them or cancel some"
            )
        if waiting.filter(network=network).count() >= _MOST_QUEUED_IN_NETWORK:
            raise TooManyJobs(
                f"{_MOST_QUEUED_IN_NETWORK} jobs of this network wait already; wait for them"
            )
        job = Job.objects.create(
            kind=kind, network=network, author_id=author_id, revision=revision,
            question=question or {}, total=total, key=key,
        )  # fmt: skip
        if files is not None:
            files(job)
    return job


def cancel_job(pk: int) -> Job:
    """End a job that has not ended; one that has stays as it is. Who comes first wins."""
    cancelled = Job.objects.filter(
        pk=pk, status__in=(Job.Status.QUEUED, Job.Status.RUNNING)
    ).update(
        status=Job.Status.CANCELLED, step="cancelled", ended=timezone.now(), owner="",
        message="Cancelled; nothing was kept.",
    )  # fmt: skip
    if cancelled:
        UploadedFile.objects.filter(job=pk).delete()
    return Job.objects.get(pk=pk)


# --- for the executor ----------------------------------------------------------------------------


def claim() -> Job | None:
    """Take the next job that waits, fairly; None where nobody's turn has come.

    Whoever has fewest running comes first, then whoever was served longest ago, then the oldest.
    """
    running = dict(
        Job.objects.filter(status=Job.Status.RUNNING)
        .order_by()
        .values_list("author_id")
        .annotate(Count("pk"))
    )
    served = dict(
        Job.objects.filter(started__isnull=False)
        .order_by()
        .values_list("author_id")
        .annotate(Max("started"))
    )
    waiting = (
        Job.objects.filter(status=Job.Status.QUEUED)
        .order_by("author_id", "created", "pk")
        .distinct("author_id")
        .values_list("pk", "author_id", "created")
    )
    turns = sorted(
        (running.get(author, 0), served[author].timestamp() if author in served else -math.inf,
         created, pk)
        for pk, author, created in waiting
        if running.get(author, 0) < _MOST_RUNNING_BY_USER
    )  # fmt: skip
    for *_, pk in turns:
        now = timezone.now()
        taken = Job.objects.filter(pk=pk, status=Job.Status.QUEUED).update(
            status=Job.Status.RUNNING, owner=_new_owner(), heartbeat=now, started=now,
            attempts=F("attempts") + 1, step="starting",
        )  # fmt: skip
        if taken:
            return Job.objects.get(pk=pk)
    return None


def beat(owners: list[str]) -> set[str]:
    """Tell that these attempts live; gives back those that still have their job."""
    mine = Job.objects.filter(owner__in=owners, status=Job.Status.RUNNING)
    mine.update(heartbeat=timezone.now())
    return set(mine.values_list("owner", flat=True))


def give_back(owner: str, *, why: str, counts: bool = True) -> None:
    """An attempt has ended without an end of its job: it is tried again, or has failed.

    Args:
        why: What happened, as the end of a sentence.
        counts: False: the attempt was stopped on purpose and is not held against the job.
    """
    mine = Job.objects.filter(owner=owner, status=Job.Status.RUNNING)
    _again_or_failed(mine, why, counts=counts)


def give_back_silent() -> int:
    """Jobs whose process is gone, or has given no sign of life for long; how many."""
    lost = 0
    limit = timezone.now() - timedelta(seconds=_SILENT_S)
    for pk, owner, heartbeat in Job.objects.filter(status=Job.Status.RUNNING).values_list(
        "pk", "owner", "heartbeat"
    ):
        if heartbeat is None or heartbeat < limit or not _lives(owner):
            mine = Job.objects.filter(pk=pk, owner=owner, status=Job.Status.RUNNING)
            lost += _again_or_failed(mine, "the process that worked on it was ended")
    return lost


def _again_or_failed(mine: Any, why: str, *, counts: bool = True) -> int:
    if counts:
        failed = mine.filter(attempts__gte=_MOST_ATTEMPTS).update(
            status=Job.Status.FAILED, step="failed", ended=timezone.now(), owner="",
            message=f"Tried {_MOST_ATTEMPTS} times, and each time {why}.",
        )  # fmt: skip
    else:
        failed = 0
    again = mine.update(
        status=Job.Status.QUEUED, owner="", heartbeat=None, step="waiting", done=0, found=0,
        attempts=F("attempts") - (0 if counts else 1),
    )  # fmt: skip
    return int(failed + again)


def drop_old() -> None:
    """Forget jobs that ended long ago, with what was uploaded for them."""
    limit = timezone.now() - timedelta(days=_KEPT_DAYS)
    Job.objects.filter(ended__lt=limit).delete()


def _new_owner() -> str:
    """A name for one attempt, which also says whose process it is."""
    return f"{os.getpid()}:{_born(os.getpid())}:{secrets.token_hex(8)}"


def _lives(owner: str) -> bool:
    pid, born, _ = owner.split(":")
    return _born(int(pid)) == born


def _born(pid: int) -> str:
    """When a process began, in ticks since the machine did; empty for none. Numbers come again."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


# --- for whoever does the work -------------------------------------------------------------------


@dataclass
class Work:
    """One attempt at a job, from the side of whoever does it."""

    job: Job
    _told: float = 0.0  #: when progress was last written down

    @property
    def revision(self) -> Revision:
        """What is asked.

        Raises:
            JobLost: it was deleted, and the job with it.
        """
        if self.job.revision is None:
            raise JobLost
        return self.job.revision

    @property
    def _mine(self) -> Any:
        return Job.objects.filter(pk=self.job.pk, owner=self.job.owner, status=Job.Status.RUNNING)

    def report(self, **progress: Any) -> None:
        """Write down how far it is.

        Raises:
            JobLost: it was cancelled, or taken over.
        """
        if not self._mine.update(**progress):
            raise JobLost

    def progress(self, **progress: Any) -> None:
        """The same, of what changes all the time: written down a few times a second."""
        if time.monotonic() - self._told >= _PROGRESS_EVERY_S:
            self._told = time.monotonic()
            self.report(**progress)

    def end(
        self,
        status: JobStatus,
        message: str = "",
        *,
        answer: Any = None,
        keep: Callable[[Job], Any] | None = None,
        **progress: Any,
    ) -> None:
        """End the job, and keep what came of it, both or neither.

        Args:
            keep: Stores results in the same transaction, and gives the answer; it may set what
                the job says.

        Raises:
            JobLost: it was cancelled, or taken over; nothing is kept.
        """
        try:
            with transaction.atomic():
                job = self._mine.select_for_update().first()
                if job is None:
                    raise JobLost
                job.message = _short(message)
                job.answer = storable(keep(job) if keep else answer)
                job.status, job.step = status, "finished"
                job.ended, job.owner = timezone.now(), ""
                for name, value in progress.items():
                    setattr(job, name, value)
                job.save()
        except DataError as error:
            self.fail(f"Its result could not be stored ({_short(str(error), 120)}).")

    def fail(self, message: str = _FAULT) -> None:
        """It failed, and nobody is to try again."""
        ended = self._mine.update(
            status=Job.Status.FAILED, step="failed", message=_short(message),
            ended=timezone.now(), owner="",
        )  # fmt: skip
        if not ended:
            raise JobLost


def _short(text: str, most: int = 300) -> str:
    text = storable(" ".join(text.split()))
    return text if len(text) <= most else text[: most - 1] + "…"


def storable(value: Any) -> Any:
    """A JSON value that PostgreSQL takes: without NUL and halves of surrogate pairs in texts."""
    if isinstance(value, str):
        clean = value.replace("\x00", "␀")
        return clean.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    if isinstance(value, dict):
        return {storable(key): storable(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [storable(item) for item in value]
    return value
