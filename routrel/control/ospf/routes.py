"""Shortest paths and the routes that follow from them, with every equal-cost next hop."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from routrel.control.ospf.lsdb import Announcements, AreaLsdb
from routrel.control.rib.candidates import (
    DEFAULT_DISTANCE,
    ROW,
    Interning,
    NextHop,
    PathType,
    Protocol,
    Rows,
)

__all__ = ["MAXIMUM_PATHS", "area_routes", "distances"]

MAXIMUM_PATHS = 16


def distances(lsdb: AreaLsdb) -> NDArray[np.float64]:
    """Cost from each router to each vertex: [routers, vertices]; infinite where out of reach."""
    size = lsdb.vertex_count
    graph = csr_array((lsdb.cost, (lsdb.tail, lsdb.head)), shape=(size, size))
    result: NDArray[np.float64] = dijkstra(graph, indices=np.arange(len(lsdb.routers)))
    return result


def area_routes(
    lsdb: AreaLsdb,
    dist: NDArray[np.float64],
    announcements: Announcements,
    path_type: PathType,
    interning: Interning,
) -> Rows:
    """Every router's routes through one area (RFC 2328 16.1 and 16.2).

    What a router reaches directly, or announces itself at least as cheaply, has its cost but no
    next hop: `next_hops` is -1 there.

    SciPy keeps one predecessor for a vertex, which would hide equal-cost paths. Next hops follow
    from distances instead: neighbour n is a first hop from r to v exactly when the cost to n plus
    n's distance to v is r's distance to v. All costs are positive, so n's path never returns to r.

    Args:
        lsdb: The area.
        dist: Its `distances`.
        announcements: The area's own networks, or the summaries its border routers originate.
        path_type: What routes to them are.
    """
    if not len(announcements.prefix):
        return np.zeros(0, dtype=ROW)
    order = np.argsort(announcements.prefix, kind="stable")
    by, numbers = announcements.vertex[order], announcements.prefix[order]
    total = dist[:, by] + announcements.cost[order]
    starts = np.flatnonzero(np.r_[True, np.diff(numbers) != 0])
    groups = np.repeat(np.arange(len(starts)), np.diff(np.r_[starts, len(order)]))
    best = np.minimum.reduceat(total, starts, axis=1)
    parts = []
    for root in range(len(lsdb.routers)):
        winning = (total[root] == best[root][groups]) & np.isfinite(total[root])
        next_hops = _next_hops(lsdb, root, dist, by, winning, starts, interning)
        next_hops[groups[winning & (by == root)]] = -1
        wanted = np.flatnonzero(np.isfinite(best[root]))
        rows = np.zeros(len(wanted), dtype=ROW)
        router = lsdb.routers[root]
        rows["table"] = interning.table_numbers[router.table]
        rows["prefix"] = numbers[starts][wanted]
        rows["protocol"] = Protocol.OSPF
        rows["path_type"] = path_type
        rows["distance"] = router.instance.distance or DEFAULT_DISTANCE[Protocol.OSPF]
        rows["metric"] = best[root][wanted]
        rows["next_hops"] = next_hops[wanted]
        parts.append(rows)
    return np.concatenate(parts)


def _next_hops(
    lsdb: AreaLsdb,
    root: int,
    dist: NDArray[np.float64],
    by: NDArray[np.int32],
    winning: NDArray[np.bool_],
    starts: NDArray[np.intp],
    interning: Interning,
) -> NDArray[np.int32]:
    """The interned next-hop set of one router for each prefix; -1 where there is none."""
    result = np.full(len(starts), -1, dtype=np.int32)
    ways = lsdb.first_hops[root]
    if not ways:
        return result
    costs = np.array([way.cost for way in ways], dtype=np.float64)
    through = costs[:, None] + dist[[way.neighbour for way in ways]]
    onto_vertex = (through == dist[root]) & np.isfinite(through)
    onto_prefix = np.logical_or.reduceat(onto_vertex[:, by] & winning, starts, axis=1)
    # One fixed-width key a prefix, a bit for each way; far quicker to sort than rows of bits.
    packed = np.ascontiguousarray(np.packbits(onto_prefix, axis=0).T)
    width = packed.shape[1]
    kinds, inverse = np.unique(packed.view(f"S{width}").reshape(-1), return_inverse=True)
    bits = np.unpackbits(kinds.view(np.uint8).reshape(-1, width), axis=1, count=len(ways))
    limit = lsdb.routers[root].instance.maximum_paths or MAXIMUM_PATHS
    sets = np.full(len(kinds), -1, dtype=np.int32)
    for number, chosen_bits in enumerate(bits):
        chosen = np.flatnonzero(chosen_bits)
        if len(chosen):
            hops = sorted({ways[index].next_hop for index in chosen}, key=_hop_order)
            sets[number] = interning.next_hops.add(hops[:limit])
    result[:] = sets[inverse]
    return result


def _hop_order(hop: NextHop) -> tuple[str, int]:
    return hop.interface or "", int(hop.address) if hop.address else 0
