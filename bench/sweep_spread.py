"""How far a sweep spreads over workers, with more of them than this machine has cores.

Cases wait instead of computing, as long as a case takes, and send back a record of the size that
the demo's have; all else is what a sweep does: giving out, pickling, taking in. So what is measured
is where giving out and taking in hold the workers up. The baseline of each ratio is one worker in
the same run. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/sweep_spread.py [--case-ms 20 100 500] [--workers 1 2 4 8]
"""

from __future__ import annotations

import argparse
import pickle
import resource
import time
from pathlib import Path

from routrel.files.reader import load_texts, read_texts
from routrel.lens.look import Lens
from routrel.model.failures import Failure, FailureKind
from routrel.questions.processes import pool
from routrel.questions.sweep import run as running
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record
from routrel.questions.sweep.run import Job, run

DEMO = Path(__file__).resolve().parents[1] / "demo"
#: Cases for each worker: enough that their beginning and end do not tell.
ROUNDS = 24


def main() -> None:
    arguments = argparse.ArgumentParser()
    arguments.add_argument("--case-ms", type=int, nargs="*", default=[20, 100, 500])
    arguments.add_argument("--workers", type=int, nargs="*", default=[1, 2, 4, 8])
    given = arguments.parse_args()
    reading = read_texts(load_texts(DEMO)[0])
    made = _record([promise.name for promise in reading.promises])
    print(f"a record: {len(pickle.dumps(made)):,} bytes")
    for case_ms in given.case_ms:
        measure(case_ms / 1000, given.workers, made)


def measure(case_s: float, workers: list[int], made: Record) -> None:
    """Print how many cases several workers do in the time in which one does one."""

    def waits(_name: str, _job: Job | None, _case: Case) -> Record:
        time.sleep(case_s)
        return made

    # Workers are forked, so they have what stands here.
    running._done = waits
    waits.__module__, waits.__qualname__ = running.__name__, "_done"
    first = 0.0
    for number in workers:
        cases = [(Failure(FailureKind.LINK, f"l{n}"),) for n in range(ROUNDS * number)]
        job = Job(name="waits", lens=Lens(texts={}), promises=(), kept={})
        with_parent = resource.getrusage(resource.RUSAGE_SELF)
        began = time.perf_counter()
        for _ in run(job, cases, lambda number=number: pool(number), workers=number):
            pass
        rate = len(cases) / (time.perf_counter() - began)
        after = resource.getrusage(resource.RUSAGE_SELF)
        cpu = after.ru_utime + after.ru_stime - with_parent.ru_utime - with_parent.ru_stime
        first = first or rate / number
        print(
            f"    cases of {case_s * 1000:.0f} ms, {number} workers: {rate / first:.1f} times one; "
            f"the parent works {cpu / len(cases) * 1000:.2f} ms a case"
        )


def _record(names: list[str]) -> Record:
    """A record as a bad failure of the demo has it."""
    return Record(
        failed=("link:10.66.1.0/31",),
        broken=tuple(names[:6]),
        rerouted=tuple(names[6:14]),
        mended=(),
        asked=20,
        cut_off=(("gul-edge-1", "kiosk-gul"),),
        routes_lost=80,
        routes_moved=200,
        flows_lost=(),
        flows_moved=tuple(names[:10]),
        longest_detour=2,
        findings=("gul-edge-1: the session with 10.255.0.1 is down: no route to it",) * 4,
    )


if __name__ == "__main__":
    main()
