"""Sweeps of failures: a job whose cases are kept one by one, so that a stopped one goes on."""

from __future__ import annotations

import hashlib
import json
import signal
from concurrent.futures import Executor
from dataclasses import asdict
from functools import partial
from typing import Any

from django.conf import settings

from routrel.answers.base import data
from routrel.answers.sweeps import sweep_data
from routrel.lens.look import Lens
from routrel.model.failures import Failure, FailureKind
from routrel.questions.errors import QuestionError
from routrel.questions.sweep.cases import Case, cases_of, written
from routrel.questions.sweep.record import Base, Record
from routrel.questions.sweep.run import Job as SweepJob
from routrel.questions.sweep.run import keep, pool, run
from server.config.parent import end_with_parent
from server.networks.jobs import Work
from server.networks.lenses import computed, failures_in
from server.networks.models import Job, SweptCase
from server.networks.promises import promised
from server.networks.questions import kept_with
from server.networks.states import engine_hash

__all__ = ["run_sweep"]

#: Cases of one sweep; more are refused.
_MOST_CASES = 20_000
_EVERY = 8  #: cases that are stored at a time


def run_sweep(work: Work) -> None:
    """Fail every thing of some kinds in a lens, and hold promises against what comes of it."""
    asked = work.job.question
    try:
        work.report(step="computing")
        view, state = computed(work.revision, asked["lens"])
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    kinds = [FailureKind(kind) for kind in asked["kinds"]]
    cases = cases_of(state.topology, kinds, pairs=asked["pairs"])
    if len(cases) > _MOST_CASES:
        work.end(
            Job.Status.REFUSED, f"{len(cases)} cases are too many; sweep fewer kinds or no pairs."
        )
        return
    promises = promised(view, asked["stored"])
    kept = kept_with(work.job.network, view)
    name = _key(work, asked)
    job = SweepJob(
        name=name,
        lens=Lens(texts=view.texts, failures=failures_in(asked["lens"].get("fail", ()))),
        promises=promises,
        kept=kept,
    )
    base = Base(state, promises, kept)
    base.prepare()
    keep(job, base)
    known = _known(work, name)
    records: dict[Case, Record] = {}
    fresh: dict[Case, Record] = {}
    work.report(step="failing", total=len(cases), done=0)
    try:
        for case, made in run(job, cases, _executor, known, workers=settings.SWEEP_WORKERS):
            records[case] = made
            if case not in known:
                fresh[case] = made
            if len(fresh) >= _EVERY:
                _store(work, name, fresh)
            broken = sum(1 for one in records.values() if one.broken)
            work.progress(done=len(records), found=broken)
    finally:
        _store(work, name, fresh)
    answer = sweep_data(state.topology, [promise.name for promise in promises], records)
    work.end(Job.Status.DONE, answer.summary, answer=data(answer), done=len(records))


def _executor() -> Executor:
    """Processes of this machine, or the cluster that the settings name."""
    if settings.SWEEP_CLUSTER:
        from distributed import Client  # an optional requirement

        client: Any = Client
        executor: Executor = client(settings.SWEEP_CLUSTER).get_executor()
        return executor
    return pool(settings.SWEEP_WORKERS, partial(end_with_parent, signal.SIGKILL))


def _key(work: Work, asked: dict[str, Any]) -> str:
    """One name for all that a case depends on."""
    parts = [
        work.revision.content_hash,
        engine_hash(),
        asked["lens"],
        asked["stored"],
        asked["saved"],
    ]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def _known(work: Work, key: str) -> dict[Case, Record]:
    """The cases that were done before."""
    kept = SweptCase.objects.filter(network=work.job.network, key=key)
    return {
        _case(failed): Record(**{name: _frozen(value) for name, value in record.items()})
        for failed, record in kept.values_list("failed", "record")
    }


def _case(failed: str) -> Case:
    kinds = (name.partition(":") for name in json.loads(failed))
    return tuple(Failure(FailureKind(kind), name) for kind, _, name in kinds)


def _frozen(value: Any) -> Any:
    return tuple(map(_frozen, value)) if isinstance(value, list) else value


def _store(work: Work, key: str, fresh: dict[Case, Record]) -> None:
    """Keep what was done since the last time; what somebody else kept meanwhile is the same."""
    SweptCase.objects.bulk_create(
        [
            SweptCase(
                network=work.job.network,
                key=key,
                failed=json.dumps(written(case)),
                record=asdict(made),
            )
            for case, made in fresh.items()
        ],
        ignore_conflicts=True,
    )
    fresh.clear()
