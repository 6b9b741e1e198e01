"""Sweeps of failures: what a case costs of a convergence from nothing, and what workers bring.

Two networks: the demo with its promises, every link; 500 OSPF routers in rings with 2,000 external
prefixes and 200 promises between their loopbacks, some of the links. The baseline is the same
network computed from nothing in the same run, on one core. How many cases are run of each may be
said. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/sweep.py [demo ospf] [--cases 40] [--workers 1 2 4 8]
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from pathlib import Path
from random import Random

from bench.networks import star_of_rings
from routrel.convergence.converge import converge
from routrel.files.promise_sentences import promise_of
from routrel.files.reader import load_texts, read_texts
from routrel.lens.look import Lens, content_hash
from routrel.model.failures import FailureKind
from routrel.model.promises import Promise
from routrel.questions.processes import pool
from routrel.questions.sweep.cases import cases_of
from routrel.questions.sweep.record import Base, record
from routrel.questions.sweep.run import Job, keep, run

DEMO = Path(__file__).resolve().parents[1] / "demo"
TEXTS: dict[str, Callable[[], dict[str, str]]] = {
    "demo": lambda: load_texts(DEMO)[0],
    "ospf": lambda: star_of_rings(500, 2_000),
}


def main() -> None:
    arguments = argparse.ArgumentParser()
    arguments.add_argument("networks", nargs="*", default=list(TEXTS))
    arguments.add_argument("--cases", type=int, default=40)
    arguments.add_argument("--workers", type=int, nargs="*", default=[1, 2, 4, 8])
    given = arguments.parse_args()
    for name in given.networks:
        measure(name, TEXTS[name](), given.cases, given.workers)


def measure(name: str, texts: dict[str, str], count: int, workers: list[int]) -> None:
    """Print what a case costs, alone and with several workers."""
    reading = read_texts(texts)
    times = []
    for _ in range(3):  # the first one pays for what Python loads
        began = time.perf_counter()
        state = converge(reading.network)
        times.append(time.perf_counter() - began)
    anew = min(times)
    promises = reading.promises or _between_loopbacks(reading.network)
    base = Base(state, promises, {})
    began = time.perf_counter()
    base.prepare()
    print(
        f"{name}: {len(reading.network.devices)} devices, from nothing {anew:.2f} s; "
        f"{len(promises)} promises checked in {time.perf_counter() - began:.2f} s"
    )
    cases = cases_of(state.topology, [FailureKind.LINK])
    tried = Random(1).sample(cases, min(count, len(cases)))
    began = time.perf_counter()
    for case in tried:
        record(base, case)
    each = (time.perf_counter() - began) / len(tried)
    whole = each * len(cases) / anew
    print(f"    a case: ratio {each / anew:.2f} ({len(tried)} cases run)")
    print(f"    all {len(cases)} links: {whole:.1f} times a convergence")
    job = Job(name=content_hash(texts), lens=Lens(texts=texts), promises=promises, kept={})
    keep(job, base)
    first = 0.0
    for number in workers:
        began = time.perf_counter()
        for _ in run(job, tried, lambda number=number: pool(number), workers=number):
            pass
        took = time.perf_counter() - began
        first = first or took
        print(f"    {number} workers: {first / took:.2f} times as fast as {workers[0]}")


def _between_loopbacks(network) -> tuple[Promise, ...]:
    """Two hundred promises that one router reaches another."""
    names = [device.name for device in network.devices]
    random = Random(2)
    found = []
    for number in range(200):
        one, other = random.sample(names, 2)
        sentence = f"{one} to {other} must be delivered"
        found.append(promise_of(f"p{number}", sentence))
    return tuple(found)


if __name__ == "__main__":
    main()
