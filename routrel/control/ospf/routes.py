"""Shortest paths and the routes that follow from them, with every equal-cost next hop."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from routrel.control.ospf.lsdb import AreaLsdb
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


def area_routes(lsdb: AreaLsdb, interning: Interning) -> Rows:
    """Every router's intra-area routes (RFC 2328 16.1).

    A router needs no route to what it announces itself at least as cheaply: those are its own
    subnets, which are connected.

    SciPy keeps one predecessor for a vertex, which would hide equal-cost paths. Next hops follow
    from distances instead: neighbour n is a first hop from r to v exactly when the cost to n plus
    n's distance to v is r's distance to v. All costs are positive, so n's path never returns to r.
    """
    if not lsdb.announced:
        return np.zeros(0, dtype=ROW)
    dist = distances(lsdb)
    numbers = np.array([interning.prefixes.add(prefix) for prefix in lsdb.announced])
    order = np.argsort(numbers, kind="stable")
    by = lsdb.announced_by[order]
    total = dist[:, by] + lsdb.announced_cost[order]
    starts = np.flatnonzero(np.r_[True, np.diff(numbers[order]) != 0])
    prefixes = numbers[order][starts]
    groups = np.repeat(np.arange(len(starts)), np.diff(np.r_[starts, len(order)]))
    best = np.minimum.reduceat(total, starts, axis=1)
    parts = []
    for root in range(len(lsdb.routers)):
        winning = (total[root] == best[root][groups]) & np.isfinite(total[root])
        own = np.zeros(len(starts), dtype=bool)
        own[groups[winning & (by == root)]] = True
        next_hops = _next_hops(lsdb, root, dist, by, winning, starts, interning)
        wanted = np.flatnonzero((next_hops >= 0) & ~own)
        rows = np.zeros(len(wanted), dtype=ROW)
        router = lsdb.routers[root]
        rows["table"] = interning.table_numbers[router.table]
        rows["prefix"] = prefixes[wanted]
        rows["protocol"] = Protocol.OSPF
        rows["path_type"] = PathType.INTRA_AREA
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
