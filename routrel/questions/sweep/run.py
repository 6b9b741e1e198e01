"""Runs the cases of a sweep over an executor, whatever its workers are.

The network is shipped to a worker once, by its content's name: a task says the name alone, and a
worker that does not know it says so and gets the files along. A case sends back a small record, so
a worker that dies loses what it was at and nothing else.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass

from routrel.lens.look import Lens, look_through
from routrel.model.promises import Promise
from routrel.questions.moves import KeptFlows
from routrel.questions.processes import AHEAD, Pool, pool, worker_count
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Base, Record, record

__all__ = ["Job", "base_of", "keep", "run"]

#: Networks that a worker keeps.
_MOST_KEPT = 2
#: Times that a pool whose workers die is made anew without a case done in between.
_MOST_DEATHS = 3
#: By name: what this process knows already.
_bases: dict[str, Base] = {}


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """What a sweep is about, as it is shipped: a lens, and what is promised of it."""

    name: str  #: that of its content, equal for equal jobs
    lens: Lens
    promises: tuple[Promise, ...]
    kept: KeptFlows


def keep(job: Job, base: Base) -> None:
    """Let this process, and those that are forked from it, know a network from the start."""
    while len(_bases) >= _MOST_KEPT:
        del _bases[next(iter(_bases))]
    _bases[job.name] = base


def run(
    job: Job,
    cases: Sequence[Case],
    make_executor: Pool = pool,
    known: Mapping[Case, Record] | None = None,
    should_stop: Callable[[], bool] = lambda: False,
    workers: int | None = None,
) -> Iterator[tuple[Case, Record]]:
    """The record of every case, as it is done; those that are known come first.

    Stopping ends it early; what was given out is waited for, and told.

    Args:
        make_executor: Makes an executor, anew after its workers died.
        known: What was done before.
        workers: How many it has; None: as many as there are cores.
    Raises:
        BrokenProcessPool: workers die again and again.
    """
    done = dict(known or {})
    yield from ((case, done[case]) for case in cases if case in done)
    left = deque(case for case in cases if case not in done)
    ahead = AHEAD * worker_count(workers)
    deaths = 0
    while left:
        try:
            with make_executor() as executor:
                for case, made in _given_out(executor, job, left, ahead, should_stop):
                    deaths = 0
                    yield case, made
        except BrokenProcessPool:
            deaths += 1
            if deaths >= _MOST_DEATHS:
                raise
            continue
        if should_stop():
            return


def _given_out(
    executor: Executor,
    job: Job,
    left: deque[Case],
    ahead: int,
    should_stop: Callable[[], bool],
) -> Iterator[tuple[Case, Record]]:
    """Give cases out, and take in what is done; a case that is not done goes back to the others."""
    out: dict[Future[Record | None], Case] = {}
    try:
        while (left and not should_stop()) or out:
            while left and len(out) < ahead and not should_stop():
                out[executor.submit(_done, job.name, None, left[0])] = left[0]
                left.popleft()  # a broken pool takes nothing, and nothing is lost
            finished, _ = wait(out, return_when=FIRST_COMPLETED)
            for future in finished:
                case = out[future]
                made = future.result()
                if made is None:  # this worker has not heard of the network yet
                    out[executor.submit(_done, job.name, job, case)] = case
                del out[future]
                if made is not None:
                    yield case, made
    finally:
        left.extendleft(reversed(out.values()))


def _done(name: str, job: Job | None, case: Case) -> Record | None:
    """One case, at a worker; None: it needs the job."""
    base = _bases.get(name)
    if base is None:
        if job is None:
            return None
        base = base_of(job)
        keep(job, base)
    return record(base, case)


def base_of(job: Job) -> Base:
    """The state that a job's cases fail in, computed."""
    state = look_through(job.lens).state
    if state is None:
        raise ValueError("nothing is computed from files with problems")
    return Base(state, job.promises, job.kept)
