"""Sweeps of failures: a job whose cases are kept one by one, so that a stopped one goes on."""

from __future__ import annotations

import hashlib
import json
from concurrent.futures import Executor
from dataclasses import asdict
from typing import Any

from django.conf import settings

from routrel.answers.base import data
from routrel.answers.sweeps import sweep_data
from routrel.files.shapes import closest
from routrel.lens.look import Lens
from routrel.model.failures import Failure, FailureKind
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.promises.surviving import things_that_fail
from routrel.questions.sweep.breaking import SetSearch
from routrel.questions.sweep.cases import Case, cases_of, written
from routrel.questions.sweep.record import Base, Record
from routrel.questions.sweep.run import Job as SweepJob
from routrel.questions.sweep.run import keep, run
from routrel.questions.sweep.shift import Shift, shift_of
from server.networks.jobs import Work
from server.networks.lenses import computed, failures_in, tables_in
from server.networks.models import Job, SweptCase
from server.networks.promises import promised
from server.networks.questions import kept_with
from server.networks.states import engine_hash
from server.networks.workers import local_pool

__all__ = ["run_sweep"]

#: Cases of one sweep; more are refused.
_MOST_CASES = 20_000
_EVERY = 8  #: cases that are stored at a time


def run_sweep(work: Work) -> None:
    """Fail every thing of some kinds in a lens, and hold promises against what comes of it.

    With a promise in the question its smallest breaking sets are searched for. With `before` the
    same failures are tried without the lens's changes too.
    """
    asked = work.job.question
    try:
        work.report(step="computing")
        after = _Swept(work, asked["lens"])
        search = _tried(work, after, asked)
        shift = _shift(work, after, asked) if asked.get("before") else None
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    names = [promise.name for promise in after.job.promises]
    answer = sweep_data(
        after.state.topology, names, after.records, search=search, wanted=asked["size"], shift=shift
    )
    work.end(Job.Status.DONE, answer.summary, answer=data(answer), done=len(after.records))


def _tried(work: Work, after: _Swept, asked: dict[str, Any]) -> SetSearch | None:
    """Try all cases, or those that a search for the smallest sets of one promise asks for.

    Raises:
        QuestionError: there is no such promise, or there are too many cases.
    """
    kinds = [FailureKind(kind) for kind in asked["kinds"]]
    wanted = asked.get("promise")
    if not wanted:
        after.run(work, cases_of(after.state.topology, kinds, pairs=asked["pairs"]))
        return None
    names = [promise.name for promise in after.job.promises]
    if wanted not in names:
        raise UnknownName(f"there is no promise “{wanted}”", closest(wanted, names))
    things = [thing for kind in kinds for thing in things_that_fail(after.state.topology, kind)]
    search = SetSearch(after.state, wanted, things)
    for size in range(1, asked["size"] + 1):
        if size > 1 and search.count_of(size) > _MOST_CASES:
            break  # the answer says how far it went
        for case, made in after.run(work, search.of_size(size)).items():
            search.learn(case, made)
    return search


def _shift(work: Work, after: _Swept, asked: dict[str, Any]) -> Shift:
    """What the lens's changes do to what is survived."""
    work.report(step="computing")
    before = _Swept(work, {k: v for k, v in asked["lens"].items() if k != "changes"})
    kinds = [FailureKind(kind) for kind in asked["kinds"]]
    there = {t for kind in kinds for t in things_that_fail(before.state.topology, kind)}
    before.run(work, [case for case in after.records if there.issuperset(case)])
    return shift_of(before.records, after.records, before.broken, after.broken)


class _Swept:
    """A lens whose things fail, and what came of it; each case is kept as it is done."""

    def __init__(self, work: Work, lens: dict[str, Any]) -> None:
        asked = work.job.question
        view, self.state = computed(work.revision, lens)
        promises = promised(view, asked["stored"])
        kept = kept_with(work.job.network, view)
        self.name = _key(work, lens, asked)
        self.job = SweepJob(
            name=self.name,
            lens=Lens(
                texts=view.texts,
                failures=failures_in(lens.get("fail", ())),
                tables=tables_in(lens),
            ),
            promises=promises,
            kept=kept,
        )
        base = Base(self.state, promises, kept)
        base.prepare()
        keep(self.job, base)
        #: The promises that are broken without any failure.
        self.broken = {name for name, one in base.known.items() if not one.kept}
        self.records: dict[Case, Record] = {}

    def run(self, work: Work, cases: list[Case]) -> dict[Case, Record]:
        """The records of cases, from before or made now.

        Raises:
            QuestionError: there are too many.
        """
        if len(cases) > _MOST_CASES:
            raise QuestionError(
                f"{len(cases):,} cases are too many; sweep fewer kinds, or smaller sets"
            )
        known = _known(work, self.name)
        found: dict[Case, Record] = {}
        fresh: dict[Case, Record] = {}
        work.report(step="failing", total=len(cases), done=0)
        try:
            for case, made in run(
                self.job, cases, _executor, known, workers=settings.SWEEP_WORKERS
            ):
                found[case] = made
                if case not in known:
                    fresh[case] = made
                if len(fresh) >= _EVERY:
                    _store(work, self.name, fresh)
                broken = sum(1 for one in found.values() if one.broken)
                work.progress(done=len(found), found=broken)
        finally:
            _store(work, self.name, fresh)
        self.records.update(found)
        return found


def _executor() -> Executor:
    """Processes of this machine, or the cluster that the settings name."""
    if settings.SWEEP_CLUSTER:
        from distributed import Client  # an optional requirement

        client: Any = Client
        executor: Executor = client(settings.SWEEP_CLUSTER).get_executor()
        return executor
    return local_pool()


def _key(work: Work, lens: dict[str, Any], asked: dict[str, Any]) -> str:
    """One name for all that a case depends on."""
    parts = [work.revision.content_hash, engine_hash(), lens, asked["stored"], asked["saved"]]
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
