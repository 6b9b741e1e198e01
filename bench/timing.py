"""How long work takes."""

from __future__ import annotations

import time
from collections.abc import Callable

__all__ = ["fastest"]


def fastest(work: Callable[[], object], times: int) -> float:
    """Seconds of the fastest of several runs."""
    best = float("inf")
    for _ in range(times):
        began = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - began)
    return best
