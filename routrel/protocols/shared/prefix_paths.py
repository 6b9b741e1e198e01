"""From shortest paths to routes: what each router reaches of the prefixes announced."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from routrel.protocols.shared.recent import Parts, digest_of
from routrel.protocols.shared.shortest_paths import ShortestPaths
from routrel.rib.candidates import ROW, Interning, NextHop, Rows, joined, limited, no_rows

__all__ = ["NO_HOP", "Announcements", "WayHops", "routes_to"]

#: Stands in place of a next-hop set where a router announces a prefix itself or is on its network.
NO_HOP = -1


@dataclass(frozen=True)
class Announcements:
    """Prefixes that vertices reach at a cost of their own: parallel arrays in order of prefix."""

    vertex: NDArray[np.int32]
    prefix: NDArray[np.int32]  #: interned number
    cost: NDArray[np.float64]

    @classmethod
    def of(cls, items: Iterable[tuple[int, int, float]]) -> Announcements:
        """From (vertex, prefix, cost) in any order."""
        found = sorted(items, key=lambda item: (item[1], item[0], item[2]))
        return cls(
            vertex=np.array([item[0] for item in found], dtype=np.int32),
            prefix=np.array([item[1] for item in found], dtype=np.int32),
            cost=np.array([item[2] for item in found], dtype=np.float64),
        )

    @cached_property
    def digest(self) -> bytes:
        """What tells these from others."""
        return digest_of(self.vertex, self.prefix, self.cost)

    @cached_property
    def told(self) -> frozenset[tuple[int, int, float]]:
        """All as (prefix, vertex, cost)."""
        columns = self.prefix.tolist(), self.vertex.tolist(), self.cost.tolist()
        return frozenset(zip(*columns, strict=True))

    def of_prefix(self, prefix: int) -> slice:
        """Where the announcements of one prefix stand."""
        first, last = np.searchsorted(self.prefix, [prefix, prefix + 1])
        return slice(int(first), int(last))


class WayHops:
    """The next hop behind each way out of a router, and the sets of them that masks stand for."""

    def __init__(
        self,
        paths: ShortestPaths,
        hops: Sequence[NextHop | None],
        limits: Sequence[int],
        interning: Interning,
    ) -> None:
        """
        Args:
            hops: By way; None where a way carries no packets of this family.
            limits: By router: how many next hops it keeps.
        """
        self.graph, self.hops, self.limits, self.interning = paths.graph, hops, limits, interning
        self._known: list[dict[bytes, int]] = [{} for _ in range(paths.graph.routers)]

    def numbers(self, root: int, masks: NDArray[np.uint64]) -> NDArray[np.int32]:
        """The numbers of a router's next-hop sets for [words, n] masks; `NO_HOP` where empty."""
        if len(masks) == 1:
            kinds, inverse = np.unique(masks[0], return_inverse=True)
            kinds = kinds[None]
        else:
            kinds, inverse = np.unique(masks, axis=1, return_inverse=True)
        known = self._known[root]
        sets = np.empty(kinds.shape[1], dtype=np.int32)
        for index in range(kinds.shape[1]):
            mask = np.ascontiguousarray(kinds[:, index])
            key = mask.tobytes()
            number = known.get(key)
            if number is None:
                hops = limited(self.of_mask(root, mask), self.limits[root])
                number = known[key] = self.interning.next_hops.add(hops) if hops else NO_HOP
            sets[index] = number
        result: NDArray[np.int32] = sets[inverse.reshape(-1)]
        return result

    def digest(self, root: int) -> bytes:
        """What tells a router's next hops and its limit from others."""
        ways = self.hops[self.graph.ways_of(root)]
        told = [(hop.interface, str(hop.address), hop.weight) if hop else None for hop in ways]
        return repr((self.limits[root], told)).encode()

    def of_way(self, root: int, way: int) -> NextHop | None:
        """The next hop behind one way out of a router; None where it carries no such packets."""
        found: NextHop | None = self.hops[self.graph.ways_of(root).start + way]
        return found

    def of_mask(self, root: int, mask: NDArray[np.uint64]) -> list[NextHop]:
        """The next hops of a router that a mask of [words] stands for."""
        bits = np.unpackbits(mask.view(np.uint8), bitorder="little")
        ways = self.graph.ways_of(root)
        found = (self.hops[ways.start + slot] for slot in np.flatnonzero(bits))
        return [hop for hop in found if hop is not None]


def routes_to(
    paths: ShortestPaths,
    announcements: Announcements,
    hops: WayHops,
    tables: Sequence[int],
    kinds: Sequence[int],
    *,
    roots: Iterable[int] | None = None,
    parts: Parts | None = None,
    place: Hashable = None,
) -> Rows:
    """The best way of every router to every prefix announced, by table and prefix.

    A prefix costs the distance to a vertex that announces it and that vertex's own cost. All
    vertices that give the same least cost share the load. What a router announces itself at least
    as cheaply, or is directly on, has `NO_HOP` for its next hops. Prefixes that the same vertices
    announce at the same costs are computed once.

    Args:
        tables: By router: the number of its table.
        kinds: By router: the number of its routes' kind.
        roots: The routers whose routes are wanted; None: all.
        parts: Holds the rows of routers as they were made; more is added.
        place: What tells the paths from others that the same routers compute.
    """
    if not len(announcements.prefix):
        return no_rows()
    shared = _Shared(announcements)
    found = []
    following = None if parts is None else _Following(paths, announcements, hops, parts, place)
    for root in range(paths.graph.routers) if roots is None else roots:
        make = partial(_routes_of, paths, shared, hops, root, tables[root], kinds[root])
        found.append(
            make() if following is None else following.rows(root, tables[root], kinds[root], make)
        )
    return joined(found)


class _Following:
    """Rows of routers that follow what was made of much the same paths and announcements.

    What a router reaches of one prefix rests on the ways to its announcers alone. So prefixes whose
    announcements and ways are as they were keep their rows.
    """

    def __init__(
        self,
        paths: ShortestPaths,
        announcements: Announcements,
        hops: WayHops,
        parts: Parts,
        place: Hashable,
    ) -> None:
        self.paths, self.announcements, self.hops = paths, announcements, hops
        self.parts, self.place = parts, place
        #: What was announced, and the prefixes that are announced otherwise now; by identity.
        self._changed: dict[int, tuple[Announcements, NDArray[np.int32]]] = {}

    def rows(self, root: int, table: int, kind: int, make: Callable[[], Rows]) -> Rows:
        """The rows of one router."""
        paths = self.paths
        dist, masks = paths.dist[root].tobytes(), paths.masks[:, root].tobytes()
        place = ("routes to", self.place, table, kind)
        ways = paths.graph.routers, len(paths.masks), self.hops.digest(root)
        former = self.parts.latest(place)
        if former is not None and former[0][3:] == ways:
            make = partial(self._mended, root, table, kind, former, make)
        made_of = self.announcements.digest, dist, masks, *ways
        found: tuple[Announcements, Rows] = self.parts.of(
            place, made_of, lambda: (self.announcements, make())
        )
        return found[1]

    def _mended(
        self,
        root: int,
        table: int,
        kind: int,
        former: tuple[tuple[object, ...], tuple[Announcements, Rows]],
        make: Callable[[], Rows],
    ) -> Rows:
        """Former rows but for prefixes that may be reached otherwise now."""
        (_, dist, masks, *_), (announced, rows) = former
        if not isinstance(dist, bytes) or not isinstance(masks, bytes):
            raise TypeError("rows are remembered by distances and ways as bytes")
        paths, now = self.paths, self.announcements
        if len(dist) != paths.dist[root].nbytes:
            return make()
        moved = np.frombuffer(dist, paths.dist.dtype) != paths.dist[root]
        ways = np.frombuffer(masks, paths.masks.dtype).reshape(len(paths.masks), -1)
        moved |= (ways != paths.masks[:, root]).any(axis=0)
        changed = self._otherwise(announced)
        touched = np.zeros(1 + max(now.prefix[-1], announced.prefix[-1]), dtype=bool)
        touched[changed] = True
        touched[now.prefix[moved[now.vertex]]] = True
        chosen = touched[now.prefix]
        if 2 * np.count_nonzero(chosen) > len(chosen):
            return make()
        kept = rows.compress(~touched[rows["prefix"]])
        if not chosen.any():
            return kept
        parts = _Shared(Announcements(now.vertex[chosen], now.prefix[chosen], now.cost[chosen]))
        both = joined((kept, _routes_of(paths, parts, self.hops, root, table, kind)))
        return both.take(np.argsort(both["prefix"], kind="stable"))

    def _otherwise(self, before: Announcements) -> NDArray[np.int32]:
        """The prefixes that are not announced by the same vertices at the same costs as before."""
        found = self._changed.get(id(before))
        if found is None:
            different = before.told ^ self.announcements.told
            numbers = sorted({prefix for prefix, _, _ in different})
            found = self._changed[id(before)] = before, np.array(numbers, dtype=np.int32)
        return found[1]


def _routes_of(
    paths: ShortestPaths, shared: _Shared, hops: WayHops, root: int, table: int, kind: int
) -> Rows:
    """One router's routes."""
    total = paths.dist[root, shared.vertex] + shared.cost
    best = np.minimum.reduceat(total, shared.starts)
    winning = (total == best[shared.owner]) & np.isfinite(total)
    masks = np.where(winning, paths.masks[:, root, shared.vertex], np.uint64(0))
    masks = np.bitwise_or.reduceat(masks, shared.starts, axis=1)
    own = np.logical_or.reduceat(winning & (shared.vertex == root), shared.starts)
    masks[:, own] = 0
    sets = hops.numbers(root, masks)
    # An empty set is right only where the router itself is the way: it announces the prefix,
    # or is on the network. Elsewhere its ways do not carry this family.
    near = own | _on_network(paths, root, shared, winning)
    good = np.isfinite(best) & ((sets != NO_HOP) | near)
    wanted = np.flatnonzero(good[shared.group_of])
    groups = shared.group_of[wanted]
    rows: Rows = np.empty(len(wanted), dtype=ROW)
    rows["table"] = table
    rows["prefix"] = shared.prefixes[wanted]
    rows["metric"] = best[groups]
    rows["kind"] = kind
    rows["next_hops"] = sets[groups]
    return rows


def _on_network(
    paths: ShortestPaths, root: int, shared: _Shared, winning: NDArray[np.bool_]
) -> NDArray[Any]:
    """For each group whether a winning vertex is a network that the router is directly on."""
    networks = winning & (shared.vertex >= paths.graph.routers)
    direct = networks & (paths.masks[:, root, shared.vertex] == 0).all(axis=0)
    return np.logical_or.reduceat(direct, shared.starts)


class _Shared:
    """Announcements with prefixes of the same vertices and costs taken together."""

    def __init__(self, announcements: Announcements) -> None:
        prefix = announcements.prefix
        first = np.flatnonzero(np.r_[True, prefix[1:] != prefix[:-1]])
        last = np.r_[first[1:], len(prefix)]
        self.prefixes = prefix[first]
        groups: dict[tuple[bytes, bytes], int] = {}
        chosen: list[int] = []
        group_of = np.empty(len(first), dtype=np.int64)
        for index, (begin, end) in enumerate(zip(first.tolist(), last.tolist(), strict=True)):
            key = (
                announcements.vertex[begin:end].tobytes(),
                announcements.cost[begin:end].tobytes(),
            )
            group = groups.setdefault(key, len(groups))
            if group == len(chosen):
                chosen.append(index)
            group_of[index] = group
        self.group_of = group_of
        lengths = (last - first)[chosen]
        self.starts = np.cumsum(lengths) - lengths
        self.owner = np.repeat(np.arange(len(chosen)), lengths)
        index = np.arange(lengths.sum()) - self.starts[self.owner] + first[chosen][self.owner]
        self.vertex = announcements.vertex[index]
        self.cost = announcements.cost[index]
