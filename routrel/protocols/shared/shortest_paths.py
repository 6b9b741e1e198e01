"""Shortest paths between all routers of a link-state database, with every equal-cost first hop.

Vertices are routers, numbered first, and networks. Edges are directed and have positive costs; of
parallel edges the cheapest stands in the graph, while each counts as a way out of its router. A
missing edge is not an edge of cost 0.

SciPy keeps one predecessor of a vertex, which would hide equal-cost paths. First hops follow from
distances instead: a way out of router r to neighbour n is on a shortest path to v exactly when the
cost of the way plus the distance from n to v is the distance from r to v. All costs are positive,
so that n's path never returns to r.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

__all__ = ["NETWORK_SHARE", "EdgeChange", "Graph", "Masks", "ShortestPaths", "build_graph"]

#: One bit for each way out of a router: [words of 64 ways, routers, vertices].
Masks: TypeAlias = NDArray[np.uint64]
WORD = 64

#: How much of an edge into a network vertex is counted on the way out of it. Protocols give the way
#: out the cost 0, which a sparse matrix cannot tell from no edge. Halves are exact, so equal
#: distances still compare equal.
NETWORK_SHARE = 0.5


@dataclass(frozen=True, slots=True)
class EdgeChange:
    """The cost between two vertices becomes another one; infinite: nothing joins them any more."""

    tail: int
    head: int
    cost: float


@dataclass(frozen=True, kw_only=True)
class Graph:
    """Vertices, edges and the ways out of each router."""

    routers: int  #: vertices below this number are routers
    size: int  #: vertices in all
    tail: NDArray[np.int32]  #: edges, at most one for a pair
    head: NDArray[np.int32]
    cost: NDArray[np.float64]
    way_router: NDArray[np.int32]  #: ways in order of router; each leads to a neighbouring router
    way_neighbour: NDArray[np.int32]
    way_cost: NDArray[np.float64]
    transit: NDArray[np.bool_]  #: by router: False where nothing may go through

    @cached_property
    def way_starts(self) -> NDArray[np.int64]:
        """Where each router's ways begin, and behind the last where they end."""
        counts = np.bincount(self.way_router, minlength=self.routers)
        return np.concatenate([[0], np.cumsum(counts)])

    def ways_of(self, router: int) -> slice:
        """Where a router's ways stand among all."""
        return slice(int(self.way_starts[router]), int(self.way_starts[router + 1]))


def build_graph(
    routers: int,
    size: int,
    edges: Iterable[tuple[int, int, float]],
    ways: Sequence[tuple[int, int, float]],
    transit: NDArray[np.bool_] | None = None,
) -> Graph:
    """A graph of (tail, head, cost) edges and (router, neighbour, cost) ways in router order."""
    # A sparse matrix would add parallel edges up; the cheapest alone counts.
    cheapest: dict[tuple[int, int], float] = {}
    for tail, head, cost in edges:
        cheapest[tail, head] = min(cost, cheapest.get((tail, head), np.inf))
    pairs = np.array(list(cheapest), dtype=np.int32).reshape(-1, 2)
    return Graph(
        routers=routers,
        size=size,
        tail=pairs[:, 0],
        head=pairs[:, 1],
        cost=np.array(list(cheapest.values()), dtype=np.float64),
        way_router=np.array([way[0] for way in ways], dtype=np.int32),
        way_neighbour=np.array([way[1] for way in ways], dtype=np.int32),
        way_cost=np.array([way[2] for way in ways], dtype=np.float64),
        transit=np.ones(routers, dtype=bool) if transit is None else transit,
    )


class ShortestPaths:
    """Distances and first hops of all routers of a graph.

    Attributes:
        onward: Cost from each router to each vertex as others use it, [routers, vertices]: infinite
            where out of reach, and from a router nothing may go through to all but itself.
        dist: The same from each router itself.
    """

    def __init__(self, graph: Graph) -> None:
        usable = _leaves_a_transit_router(graph)
        size = graph.size
        matrix = csr_array(
            (graph.cost[usable], (graph.tail[usable], graph.head[usable])), shape=(size, size)
        )
        self.graph = graph
        self.onward: NDArray[np.float64] = dijkstra(matrix, indices=np.arange(graph.routers))
        self.dist = _own_distances(graph, self.onward)

    @classmethod
    def _known(cls, graph: Graph, dist: NDArray[np.float64], masks: Masks) -> ShortestPaths:
        paths = cls.__new__(cls)
        paths.graph, paths.onward, paths.dist = graph, dist, dist
        paths.__dict__["masks"] = masks
        return paths

    @cached_property
    def masks(self) -> Masks:
        """For each router and vertex the ways that lie on a shortest path."""
        graph = self.graph
        counts = np.diff(graph.way_starts)
        most = int(counts.max(initial=0))
        masks = np.zeros((max(1, -(-most // WORD)), graph.routers, graph.size), dtype=np.uint64)
        for slot in range(most):
            roots = np.flatnonzero(counts > slot)
            ways = graph.way_starts[roots] + slot
            bit = np.uint64(1 << slot % WORD)
            # One router after the other: rows stay in the cache, and nothing is gathered.
            for root, way in zip(roots, ways, strict=True):
                through = self.onward[graph.way_neighbour[way]] + graph.way_cost[way]
                masks[slot // WORD, root][through == self.dist[root]] |= bit
        masks[:, ~np.isfinite(self.dist)] = 0
        return masks

    def after(self, changes: Sequence[EdgeChange]) -> ShortestPaths:
        """The paths after some costs changed, working only on what the changes touch.

        The result is the same as computing anew. Distances to lower happen at once by going
        through the changed edge; where an edge got dearer, only pairs of router and vertex whose
        every shortest path used it are looked at again. Then first hops are taken anew for the
        pairs whose distance changed and for those routers next to them.

        Raises:
            ValueError: a change names vertices that no edge joins, or some router is not transit.
        """
        if not self.graph.transit.all():
            raise ValueError("changes are followed only where every router is transit")
        return _Repair(self, changes).result()


def _leaves_a_transit_router(graph: Graph) -> NDArray[np.bool_]:
    passing = np.concatenate([graph.transit, np.ones(graph.size - graph.routers, dtype=bool)])
    return passing[graph.tail]


def _own_distances(graph: Graph, onward: NDArray[np.float64]) -> NDArray[np.float64]:
    """Distances from a router nothing goes through still start with its own edges."""
    silent = np.flatnonzero(~graph.transit)
    if not len(silent):
        return onward
    dist = onward.copy()
    networks = np.full((graph.size - graph.routers, graph.size), np.inf)
    leaves = _leaves_a_transit_router(graph)
    if len(networks):
        matrix = csr_array(
            (graph.cost[leaves], (graph.tail[leaves], graph.head[leaves])),
            shape=(graph.size, graph.size),
        )
        networks = dijkstra(matrix, indices=np.arange(graph.routers, graph.size))
    from_vertex = np.concatenate([onward, networks])
    for router in silent:
        for edge in np.flatnonzero(graph.tail == router):
            through = graph.cost[edge] + from_vertex[graph.head[edge]]
            np.minimum(dist[router], through, out=dist[router])
    return dist


class _Repair:
    """Distances and first hops brought up to date after edges changed."""

    def __init__(self, old: ShortestPaths, changes: Sequence[EdgeChange]) -> None:
        self.old = old
        self.graph = old.graph
        self.dist = old.dist.copy()
        self.masks = old.masks.copy()
        self.changes = [(change, *self._edge(change)) for change in changes]
        cost = self.graph.cost.copy()
        way_cost = self.graph.way_cost.copy()
        for change, edge, ways in self.changes:
            cost[edge] = change.cost
            way_cost[ways] = change.cost
        # First only what got dearer: a pair that found its way over a cheaper edge already would
        # hide from the step that looks for pairs which get cheaper.
        self.final = replace(self.graph, cost=cost, way_cost=way_cost)
        self.graph = replace(
            self.graph,
            cost=np.maximum(cost, self.graph.cost),
            way_cost=np.maximum(way_cost, self.graph.way_cost),
        )
        #: Pairs whose distance changed, as router * vertices + vertex.
        self.changed: list[NDArray[np.int64]] = []

    def _edge(self, change: EdgeChange) -> tuple[int, NDArray[np.int64]]:
        graph = self.graph
        found = np.flatnonzero((graph.tail == change.tail) & (graph.head == change.head))
        ways = np.flatnonzero(
            (graph.way_router == change.tail) & (graph.way_neighbour == change.head)
        )
        if len(found) != 1 or len(ways) != 1 or change.head >= graph.routers:
            raise ValueError("a change must name two routers joined by a single link")
        return int(found[0]), ways

    def result(self) -> ShortestPaths:
        self._repair(*self._pairs_over_dearer_edges())
        self.graph = self.final
        for change, edge, _ in self.changes:
            if change.cost < self.old.graph.cost[edge]:
                self._shortened(change)
        self._first_hops()
        return ShortestPaths._known(self.graph, self.dist, self.masks)

    def _pairs_over_dearer_edges(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Routers and vertices, pairwise, whose shortest paths went over an edge now dearer."""
        size, dist = self.graph.size, self.old.dist
        pairs = [np.zeros(0, dtype=np.int64)]
        for change, edge, _ in self.changes:
            cost = self.old.graph.cost[edge]
            if change.cost <= cost:
                continue
            behind = dist[change.head]
            roots = np.flatnonzero(dist[:, change.tail] + cost == dist[:, change.head])
            vertices = np.flatnonzero((dist[change.tail] == cost + behind) & np.isfinite(behind))
            if not len(roots) or not len(vertices):
                continue
            through = (dist[roots, change.tail] + cost)[:, None] + behind[vertices]
            uses = through == dist[np.ix_(roots, vertices)]
            row, column = np.nonzero(uses)
            pairs.append(roots[row] * size + vertices[column])
        numbers = np.unique(np.concatenate(pairs))
        return numbers // size, numbers % size

    def _repair(self, roots: NDArray[np.int64], vertices: NDArray[np.int64]) -> None:
        """New distances for the pairs that lost their paths: those raised, then relaxed again."""
        graph = self.graph
        self.changed.append(np.zeros(0, dtype=np.int64))
        if not len(roots):
            return
        ways, pair_of = _spans(graph.way_starts[roots], graph.way_starts[roots + 1])
        offsets = np.searchsorted(pair_of, np.arange(len(roots)))
        neighbours, cost = graph.way_neighbour[ways], graph.way_cost[ways]
        towards = vertices[pair_of]
        direct = self._onto_own_networks(roots, vertices)
        before = self.dist[roots, vertices]
        # A pair is lost when none of its ways still reaches it at the old distance; losing one may
        # lose another that went through it, so look until nothing more is lost.
        while True:
            here = self.dist[roots, vertices]
            onto = cost + self.dist[neighbours, towards] == here[pair_of]
            holds = np.logical_or.reduceat(onto, offsets) | (direct == here)
            lost = ~holds & np.isfinite(here)
            if not lost.any():
                break
            self.dist[roots[lost], vertices[lost]] = np.inf
        while True:
            here = self.dist[roots, vertices]
            through = np.minimum.reduceat(cost + self.dist[neighbours, towards], offsets)
            better = np.minimum(np.minimum(here, through), direct)
            if (better == here).all():
                break
            self.dist[roots, vertices] = better
        changed = self.dist[roots, vertices] != before
        self.changed.append((roots * graph.size + vertices)[changed])

    def _onto_own_networks(
        self, roots: NDArray[np.int64], vertices: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """The cost of the edge from a router to a network it is on; infinite for other pairs."""
        graph, result = self.graph, np.full(len(roots), np.inf)
        networks = np.flatnonzero(vertices >= graph.routers)
        if len(networks):
            onto = np.flatnonzero(graph.head >= graph.routers)
            keys = graph.tail[onto].astype(np.int64) * graph.size + graph.head[onto]
            order = np.argsort(keys)
            wanted = roots[networks] * graph.size + vertices[networks]
            at = np.minimum(np.searchsorted(keys[order], wanted), len(keys) - 1)
            found = keys[order][at] == wanted
            result[networks[found]] = graph.cost[onto][order][at[found]]
        return result

    def _shortened(self, change: EdgeChange) -> None:
        """Distances that get lower by going over an edge now cheaper."""
        roots = np.flatnonzero(self.dist[:, change.tail] + change.cost < self.dist[:, change.head])
        through = self.dist[roots, change.tail][:, None] + change.cost + self.dist[change.head]
        here = self.dist[roots]
        better = through < here
        self.dist[roots] = np.where(better, through, here)
        row, column = np.nonzero(better)
        self.changed.append(roots[row] * self.graph.size + column)

    def _first_hops(self) -> None:
        """Ways anew where a distance changed, at routers next to there, and at changed edges."""
        graph, size = self.graph, self.graph.size
        changed = np.unique(np.concatenate(self.changed))
        roots, vertices = changed // size, changed % size
        # Ways into a router whose distance changed, found by sorting them once by neighbour.
        order = np.argsort(graph.way_neighbour, kind="stable")
        starts = np.searchsorted(graph.way_neighbour[order], np.arange(graph.routers + 1))
        index, owner = _spans(starts[roots], starts[roots + 1])
        near = graph.way_router[order[index]].astype(np.int64) * size + vertices[owner]
        tails = np.unique([change.tail for change, _, _ in self.changes])
        whole = (tails[:, None] * size + np.arange(size)).reshape(-1)
        pairs = np.unique(np.concatenate([changed, near, whole]))
        roots, vertices = pairs // size, pairs % size
        here = self.dist[roots, vertices]
        first = graph.way_starts[roots]
        ways, owner = _spans(first, graph.way_starts[roots + 1])
        through = self.dist[graph.way_neighbour[ways], vertices[owner]] + graph.way_cost[ways]
        onto = (through == here[owner]) & np.isfinite(through)
        slots = ways - first[owner]
        self.masks[:, roots, vertices] = 0
        for word in range(len(self.masks)):
            mine = onto & (slots // WORD == word)
            bits = np.left_shift(np.uint64(1), (slots[mine] % WORD).astype(np.uint64))
            fresh = np.zeros(len(pairs), dtype=np.uint64)
            np.bitwise_or.at(fresh, owner[mine], bits)
            self.masks[word, roots, vertices] = fresh


def _spans(
    first: NDArray[np.int64], last: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """All numbers from each first up to before its last, and which span each is of."""
    counts = last - first
    owner = np.repeat(np.arange(len(first)), counts)
    offsets = np.cumsum(counts) - counts
    return np.arange(counts.sum()) - offsets[owner] + first[owner], owner
