"""Convergence after an edit and after a failure, against convergence from nothing.

Two networks: the demo, and 200 routers in a ring with chords. The baseline of every ratio is the
same network computed from nothing in the same run. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/convergence.py
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from bench.networks import star_of_rings
from routrel.convergence.converge import State, converge
from routrel.files.reader import load_texts, read_texts
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.model.network import Network

DEMO = Path(__file__).resolve().parents[1] / "demo"
TIMES = 5


def main() -> None:
    networks = {
        "demo": read_texts(*load_texts(DEMO)).network,
        "ring": read_texts(star_of_rings(200, 50)).network,
    }
    for name, network in networks.items():
        measure(name, network)


def measure(name: str, network: Network) -> None:
    """Print how long a network takes, and what following costs of that."""
    state = converge(network)
    edited = replace(network, description="edited")
    link = next(segment for segment in state.topology.segments if segment.is_link)
    failed = Failures((Failure(FailureKind.LINK, link.name),))
    anew = median(lambda: converge(network))
    print(f"{name}: {len(network.devices)} devices, from nothing {anew * 1000:.0f} ms")
    ways: dict[str, Callable[[], State]] = {
        "nothing changed, following": lambda: converge(edited, since=state),
        "a link failed, from nothing": lambda: converge(network, failures=failed),
        "a link failed, following": lambda: converge(network, since=state, failures=failed),
    }
    for words, way in ways.items():
        print(f"    {words}: ratio {median(way) / anew:.2f}")


def median(work: Callable[[], State]) -> float:
    """Seconds, the middle of a few."""
    times = []
    for _ in range(TIMES):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return statistics.median(times)


if __name__ == "__main__":
    main()
