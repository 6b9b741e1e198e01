"""IS-IS routes of both levels and both address families.

Level 1 is computed first. A level 1-2 system tells level 2 what it reaches at level 1, and tells
level 1 of level 2 what its policy lets down, marked so that nobody tells it up again (RFC 5302 3).
A route of level 1 is preferred to one of level 2, that to one let down, whatever they cost
(RFC 5302 3.2). A system that reaches no other area itself, of level 1 alone or of both, follows the
nearest attached system where it knows nothing better (ISO 10589 7.2.9.2, RFC 1195 3.2).

An announcement may carry a route tag (RFC 5130), which goes along from level to level. Of several
announcements that are equally near the tag of the lowest system id counts.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from routrel.model.addresses import Prefix
from routrel.model.isis import AttachedBit
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import PolicyUse
from routrel.policy.evaluate import policy_function
from routrel.policy.redistribute import Injected, injected_key, policy_route
from routrel.protocols.isis.adjacency import Circuit, System, Systems
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements, WayHops, routes_to
from routrel.protocols.shared.shortest_paths import NETWORK_SHARE, ShortestPaths, build_graph
from routrel.protocols.shared.speaking import subnets
from routrel.protocols.shared.ways_around import ways_around
from routrel.rib.candidates import (
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    no_rows,
    table_slice,
)
from routrel.rib.select import best_of_each
from routrel.topology.segments import Topology

__all__ = ["IsisDomain", "IsisPath", "LevelPaths", "LevelRoutes"]

#: A path of this metric or more is not used (RFC 5305 3, MAX_V6_PATH_METRIC of RFC 5308 2).
MAXIMUM_PATH_METRIC = 0xFE000000


@dataclass(frozen=True, slots=True)
class LevelPaths:
    """The shortest paths of one level."""

    level: int
    members: tuple[int, ...]  #: system index by vertex
    vertex_of: Mapping[int, int]
    paths: ShortestPaths
    hops: Mapping[int, WayHops]  #: by IP version


class Announced(NamedTuple):
    """A prefix as one system tells it."""

    system: int
    prefix: int
    metric: float
    tag: int = 0


@dataclass(frozen=True, slots=True)
class LevelRoutes:
    """One class of routes of one family, with what they follow from.

    `tags` are those of announcements by vertex, prefix and cost, where they are not 0.
    """

    path_type: PathType
    level: int
    version: int
    announcements: Announcements
    tags: Mapping[tuple[int, int, float], int]
    rows: Rows


class IsisDomain:
    """All IS-IS systems."""

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.interning = interning
        self.adjacencies = Systems(topology)
        self.systems = self.adjacencies.systems
        self.index_of = self.adjacencies.index_of
        self.routes: list[LevelRoutes] = []  #: of the last call of `rows`
        self._last: tuple[object, Rows] | None = None

    @cached_property
    def levels(self) -> dict[int, LevelPaths]:
        """The paths of both levels."""
        return {level: self._level(level) for level in (1, 2)}

    def _level(self, level: int) -> LevelPaths:
        members = tuple(i for i, system in enumerate(self.systems) if level in system.levels)
        vertex_of = {index: vertex for vertex, index in enumerate(members)}
        edges: list[tuple[int, int, float]] = []
        ways: list[tuple[int, int, float, Circuit, Circuit]] = []

        def way(here: tuple[int, Circuit], there: tuple[int, Circuit]) -> None:
            (index, out), (other, into) = here, there
            ways.append((vertex_of[index], vertex_of[other], out.metric(level), out, into))

        for pair in self.adjacencies.links[level]:
            for here, there in (pair, pair[::-1]):
                way(here, there)
                edges.append(ways[-1][:3])
        count = len(members)
        for group in self.adjacencies.networks[level]:
            network, count = count, count + 1
            for here in group:
                vertex, metric = vertex_of[here[0]], here[1].metric(level)
                edges.append((vertex, network, metric - NETWORK_SHARE))
                edges.append((network, vertex, NETWORK_SHARE))
                for there in group:
                    if there is not here:
                        way(here, there)
        ways.sort(key=lambda item: item[0])
        transit = np.array([not self.systems[i].instance.overload for i in members], dtype=bool)
        paths = ShortestPaths(
            build_graph(len(members), count, edges, [w[:3] for w in ways], transit)
        )
        limits = [self.systems[index].maximum_paths for index in members]
        hops = {
            version: WayHops(
                paths, [_hop(out, into, version) for *_, out, into in ways], limits, self.interning
            )
            for version in (4, 6)
        }
        return LevelPaths(level, members, vertex_of, paths, hops)

    # --- routes --------------------------------------------------------------------------------

    def rows(self, injected: Mapping[int, Sequence[Injected]]) -> Rows:
        """The routes of all systems, given what each takes in from elsewhere."""
        key = injected_key(injected)
        if self._last is None or self._last[0] != key:
            self.routes = []
            parts = [self._family(version, injected) for version in (4, 6)]
            self._last = (key, np.concatenate(parts))
        return self._last[1]

    def _family(self, version: int, injected: Mapping[int, Sequence[Injected]]) -> Rows:
        first = self._own(1, version, injected)
        level_1 = self._routes(1, version, first, PathType.LEVEL_1)
        up = self._own(2, version, injected) + self._told(2, level_1)
        level_2 = self._routes(2, version, up, PathType.LEVEL_2)
        down = self._told(1, level_2, unless=level_1)
        leaked = self._routes(1, version, down, PathType.LEVEL_1_DOWN)
        attached = self._attached(version)
        rows = np.concatenate([level_1, level_2, leaked, attached])
        types = np.array([kind.path_type for kind in self.interning.kinds.kinds])
        rows = rows[best_of_each(rows, types[rows["kind"]], rows["metric"])]
        used: Rows = rows[(rows["next_hops"] != NO_HOP) & (rows["metric"] < MAXIMUM_PATH_METRIC)]
        return used

    def _routes(self, level: int, version: int, told: list[Announced], path_type: PathType) -> Rows:
        """Every member's routes of one class."""
        paths = self.levels[level]
        announcements = Announcements.of(
            (paths.vertex_of[item.system], item.prefix, item.metric) for item in told
        )
        systems = [self.systems[index] for index in paths.members]
        kinds = [
            self.interning.kinds.add(RouteKind(Protocol.ISIS, system.distance, path_type))
            for system in systems
        ]
        tables = [self.interning.table_numbers[system.table] for system in systems]
        rows = routes_to(paths.paths, announcements, paths.hops[version], tables, kinds)
        tags: dict[tuple[int, int, float], int] = {}
        for item in told:
            if item.tag:
                key = (paths.vertex_of[item.system], item.prefix, item.metric)
                tags[key] = min(item.tag, tags.get(key, item.tag))
        routes = LevelRoutes(path_type, level, version, announcements, tags, rows)
        self.routes.append(routes)
        self._tag(routes, tables)
        return rows

    def _tag(self, routes: LevelRoutes, tables: Sequence[int]) -> None:
        """Give the rows of a class the tags of the announcements that they follow, in place."""
        if not routes.tags:
            return
        vertices = {table: vertex for vertex, table in enumerate(tables)}
        rows, told, kinds = routes.rows, routes.announcements, self.interning.kinds
        paths = self.levels[routes.level]
        tagged = list({prefix for _, prefix, _ in routes.tags})
        for at in np.flatnonzero(np.isin(rows["prefix"], tagged)).tolist():
            prefix, root = int(rows["prefix"][at]), vertices[int(rows["table"][at])]
            where = told.of_prefix(prefix)
            _, _, vertex, cost = min(
                (
                    paths.paths.dist[root, vertex] + cost,
                    self.systems[paths.members[vertex]].instance.net.system,
                    vertex,
                    cost,
                )
                for vertex, cost in zip(
                    told.vertex[where].tolist(), told.cost[where].tolist(), strict=True
                )
            )
            tag = routes.tags.get((vertex, prefix, cost), 0)
            rows["kind"][at] = kinds.add(replace(kinds.kinds[rows["kind"][at]], tag=tag))

    def _own(
        self, level: int, version: int, injected: Mapping[int, Sequence[Injected]]
    ) -> list[Announced]:
        """The networks of each system's circuits, and what it takes in from elsewhere."""
        told: list[Announced] = []
        prefixes = self.interning.prefixes
        for index, system in enumerate(self.systems):
            if level not in system.levels:
                continue
            for circuit in system.circuits:
                if level in circuit.levels:
                    metric, tag = circuit.metric(level), circuit.settings.tag
                    told.extend(
                        Announced(index, prefixes.add(subnet), metric, tag)
                        for subnet in subnets(circuit.interface, version)
                    )
            for item in injected.get(index, ()):
                wanted = item.level.numbers if item.level else (max(system.levels),)
                if level in wanted and prefixes.prefixes[item.prefix].version == version:
                    told.append(Announced(index, item.prefix, item.metric or 0, item.tag))
        return told

    def _told(self, level: int, rows: Rows, unless: Rows | None = None) -> list[Announced]:
        """What level 1-2 systems tell one level of their routes of the other.

        Args:
            rows: The routes of the other level.
            unless: Better routes: what a system has there is not told from `rows`.
        """
        told: list[Announced] = []
        for index, system in enumerate(self.systems):
            if system.levels != (1, 2):
                continue
            use = system.instance.leak_up if level == 2 else system.instance.leak_down
            if level == 1 and use is None:
                continue
            table = self.interning.table_numbers[system.table]
            mine = rows[table_slice(rows, table)]
            if unless is not None:
                better = unless[table_slice(unless, table)]["prefix"]
                mine = mine[~np.isin(mine["prefix"], better)]
            told.extend(self._leaked(index, use, mine))
        return told

    def _leaked(self, index: int, use: PolicyUse | None, rows: Rows) -> list[Announced]:
        if use is None:
            kinds = self.interning.kinds.kinds
            return [
                Announced(index, int(row["prefix"]), int(row["metric"]), kinds[row["kind"]].tag)
                for row in rows
            ]
        accept = policy_function(self.systems[index].device, use)
        found = []
        for row in rows:
            prefix = self.interning.prefixes.prefixes[row["prefix"]]
            kind = self.interning.kinds.kinds[row["kind"]]
            hops = row["next_hops"]
            if hops == NO_HOP:  # its own network; policies see no next hop
                row = row.copy()
                row["next_hops"] = self.interning.next_hops.add(())
            result = accept(policy_route(self.interning, prefix, kind, row))
            if result is not None:
                found.append(Announced(index, int(row["prefix"]), result.metric, result.tag))
        return found

    def paths(self, index: int, prefix: int) -> list[IsisPath]:
        """Every path a system knows to a prefix, best first, with the rung where each lost."""
        version = self.interning.prefixes.prefixes[prefix].version
        found = []
        for routes in self.routes:
            level = self.levels[routes.level]
            root = level.vertex_of.get(index)
            attached = routes.path_type is PathType.ATTACHED
            if root is None or routes.version != version or (attached and not self._follows(index)):
                continue
            told = routes.announcements
            where = told.of_prefix(prefix)
            for vertex, cost in zip(told.vertex[where], told.cost[where], strict=True):
                total = level.paths.dist[root, vertex] + cost
                mask = level.paths.masks[:, root, vertex].copy()
                hops = level.hops[version].of_mask(root, mask)
                if hops and np.isfinite(total) and total < MAXIMUM_PATH_METRIC:
                    tag = routes.tags.get((int(vertex), prefix, float(cost)), 0)
                    found.append(self._path(routes, vertex, total, hops, prefix, tag))
            ways = {hop for path in found for hop in path.next_hops}
            found += [
                other
                for other in self._other_ways(routes, root, prefix)
                if other.next_hops[0] not in ways
            ]
        return _compare(found)

    def _path(
        self,
        routes: LevelRoutes,
        vertex: int,
        total: float,
        hops: Sequence[NextHop],
        prefix: int,
        tag: int,
    ) -> IsisPath:
        origin = self.systems[self.levels[routes.level].members[vertex]]
        return IsisPath(
            path_type=routes.path_type,
            metric=int(total),
            advertiser=origin.table[0],
            next_hops=tuple(hops),
            place=_announced_at(origin, self.interning.prefixes.prefixes[prefix]),
            level=routes.level,
            tag=tag,
        )

    def _other_ways(self, routes: LevelRoutes, root: int, prefix: int) -> Iterator[IsisPath]:
        """The ways out that cost more than the best."""
        level, told = self.levels[routes.level], routes.announcements
        where = told.of_prefix(prefix)
        offers = list(zip(told.vertex[where].tolist(), told.cost[where].tolist(), strict=True))
        totals = [level.paths.dist[root, vertex] + cost for vertex, cost in offers]
        best = min(totals, default=np.inf)
        own = any(v == root and t == best for (v, _), t in zip(offers, totals, strict=True))
        if own or not np.isfinite(best):
            return
        for found in ways_around(level.paths, root, offers):
            hop = level.hops[routes.version].of_way(root, found.way)
            if hop is not None and best < found.total < MAXIMUM_PATH_METRIC:
                cost = min(cost for vertex, cost in offers if vertex == found.vertex)
                tag = routes.tags.get((found.vertex, prefix, cost), 0)
                yield self._path(routes, found.vertex, found.total, [hop], prefix, tag)

    def _attached(self, version: int) -> Rows:
        """The default towards the nearest attached system, for those who reach no other area."""
        paths = self.levels[1]
        default = self.interning.default_prefix(version)
        told = [Announced(index, default, 0.0) for index in sorted(self.attached)]
        if not told:
            return no_rows()
        rows = self._routes(1, version, told, PathType.ATTACHED)
        followers = [
            self.interning.table_numbers[self.systems[index].table]
            for index in paths.members
            if self._follows(index)
        ]
        return rows[np.isin(rows["table"], followers)]

    def _follows(self, index: int) -> bool:
        """Whether a system takes the default of level 1."""
        return self.systems[index].instance.use_attached and index not in self.reach_other_areas

    @property
    def attached(self) -> frozenset[int]:
        """The systems that say they reach other areas (7.2.9.2)."""
        return frozenset(
            index
            for index in self.reach_other_areas
            if self.systems[index].instance.attached_bit is not AttachedBit.NEVER
        )

    @cached_property
    def reach_other_areas(self) -> frozenset[int]:
        """The systems of both levels that reach a system of another area at level 2."""
        level_2 = self.levels[2]
        found = set()
        for vertex, index in enumerate(level_2.members):
            system = self.systems[index]
            if system.levels != (1, 2):
                continue
            reached = np.flatnonzero(
                np.isfinite(level_2.paths.dist[vertex, : len(level_2.members)])
            )
            areas = {self.systems[level_2.members[at]].instance.net.area for at in reached.tolist()}
            if areas - {system.instance.net.area}:
                found.add(index)
        return frozenset(found)


@dataclass(frozen=True, slots=True, kw_only=True)
class IsisPath:
    """One announcement as a system sees it."""

    path_type: PathType
    metric: int
    advertiser: str  #: device that announces it
    next_hops: tuple[NextHop, ...]
    place: Place = NOWHERE  #: the line by which it is announced
    level: int = 1  #: whose metrics count
    tag: int = 0
    lost_on: str | None = None  #: the rung where it lost; None: it is used


def _announced_at(origin: System, prefix: Prefix) -> Place:
    """The line by which a system announces a prefix: of its circuit, or of IS-IS as a whole."""
    for circuit in origin.circuits:
        if prefix in subnets(circuit.interface, prefix.version):
            return circuit.settings.place
    return origin.instance.place


def _compare(paths: Sequence[IsisPath]) -> list[IsisPath]:
    ordered = sorted(paths, key=lambda path: (path.path_type, path.metric, path.advertiser))
    if not ordered:
        return []
    best = ordered[0]
    return [
        replace(
            path,
            lost_on="path_type"
            if path.path_type != best.path_type
            else "metric"
            if path.metric != best.metric
            else None,
        )
        for path in ordered
    ]


def _hop(out: Circuit, into: Circuit, version: int) -> NextHop | None:
    """The next hop of a way in one family; None where an end does not speak it."""
    address = into.way(version)
    if address is None or out.way(version) is None:
        return None
    return NextHop(out.interface.name, address)
