"""What a router would pay by each of its ways out, were that way taken: the ways that lost, too.

The neighbour's path must not lead back through the router itself, so distances are those of the
graph without it. Worked out when somebody asks, for one router.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from routrel.protocols.shared.shortest_paths import ShortestPaths

__all__ = ["WayAround", "ways_around"]


@dataclass(frozen=True, slots=True)
class WayAround:
    """One way out of a router towards a destination."""

    way: int  #: its position among the router's ways
    total: float  #: to the destination
    vertex: int  #: who announces it


def ways_around(
    paths: ShortestPaths, root: int, announced: Sequence[tuple[int, float]]
) -> Iterator[WayAround]:
    """For each way out that leads there at all, the least that it costs.

    Args:
        announced: The vertices that announce the destination, each with its own cost.
    """
    graph = paths.graph
    ways = graph.ways_of(root)
    neighbours = graph.way_neighbour[ways]
    if not len(neighbours) or not announced:
        return
    kept = (graph.tail != root) & (graph.head != root)
    matrix = csr_array(
        (graph.cost[kept], (graph.tail[kept], graph.head[kept])), shape=(graph.size, graph.size)
    )
    starts = np.unique(neighbours)
    found = dijkstra(matrix, indices=starts)
    for way, neighbour in enumerate(neighbours.tolist()):
        row = found[np.searchsorted(starts, neighbour)]
        cost = float(graph.way_cost[ways.start + way])
        totals = []
        for vertex, own in announced:
            ends = vertex == neighbour
            if vertex != root and (ends or graph.transit[neighbour]):
                totals.append((cost + (0.0 if ends else float(row[vertex])) + own, vertex))
        best = min(totals, default=(np.inf, -1))
        if np.isfinite(best[0]):
            yield WayAround(way, best[0], best[1])
