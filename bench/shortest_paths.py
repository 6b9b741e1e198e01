"""Equal-cost first hops of all routers, and a link failure, against bare distances.

2,000 routers, 8,000 links, one area. Baseline: SciPy's Dijkstra from all sources over the same
graph. Measured: `ShortestPaths` with its masks, which is that and every equal-cost first hop of
every router to every vertex; and `after`, which follows the failure of one link. Ratios are of
medians of one run. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/shortest_paths.py
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from bench.networks import random_graph
from routrel.protocols.shared.shortest_paths import EdgeChange, ShortestPaths

RUNS = 5
FAILURES = 40


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    graph = random_graph(2000, 8000)
    matrix = csr_array((graph.cost, (graph.tail, graph.head)), shape=(graph.size, graph.size))
    bare, full = [], []
    for _ in range(RUNS):
        bare.append(timed(lambda: dijkstra(matrix)))
        full.append(timed(lambda: ShortestPaths(graph).masks))
    base, whole = statistics.median(bare), statistics.median(full)
    print(f"bare distances {base:.3f} s, with every first hop {whole:.3f} s")
    print(f"ratio {whole / base:.2f} (wanted: at most 1.6)")

    paths = ShortestPaths(graph)
    _ = paths.masks
    random = np.random.default_rng(3)
    failures = []
    for edge in random.integers(0, len(graph.tail), FAILURES).tolist():
        tail, head = int(graph.tail[edge]), int(graph.head[edge])
        change = [EdgeChange(tail, head, np.inf), EdgeChange(head, tail, np.inf)]
        failures.append(timed(lambda change=change: paths.after(change)))
    median = statistics.median(failures)
    print(f"a failed link {median:.4f} s, everything anew {whole:.3f} s")
    print(f"ratio 1/{whole / median:.0f} (wanted: under 1/20)")


if __name__ == "__main__":
    main()
