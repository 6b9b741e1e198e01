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

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from itertools import combinations
from typing import NamedTuple

import numpy as np

from routrel.model.isis import AttachedBit
from routrel.model.policy import PolicyUse
from routrel.policy.evaluate import policy_function
from routrel.policy.redistribute import Injected, injected_key, policy_route
from routrel.protocols.contract import Adjacency, Domain, Inputs, Result, process_of
from routrel.protocols.isis.adjacency import Circuit, Systems
from routrel.protocols.isis.result import IsisResult
from routrel.protocols.isis.routes import MAXIMUM_PATH_METRIC, LevelPaths, LevelRoutes
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements, WayHops, routes_to
from routrel.protocols.shared.shortest_paths import NETWORK_SHARE, ShortestPaths, build_graph
from routrel.protocols.shared.speaking import announced_subnets
from routrel.rib.candidates import (
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    joined,
    no_rows,
    table_slice,
)
from routrel.rib.select import best_of_each
from routrel.rib.table import by_table
from routrel.topology.segments import Topology

__all__ = ["IsisDomain"]


class Announced(NamedTuple):
    """A prefix as one system tells it."""

    system: int
    prefix: int
    metric: float
    tag: int = 0


class IsisDomain(Domain):
    """All IS-IS systems."""

    versions = (4, 6)
    runs_on_links = True

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.topology, self.protocol, self.interning = topology, Protocol.ISIS, interning
        self.adjacencies = Systems(topology)
        self.systems = self.adjacencies.systems
        self.index_of = self.adjacencies.index_of
        self.processes = tuple(
            process_of(
                Protocol.ISIS, index, system, self.versions, system.instance.default_route,
                distance=system.instance.distance,
            )
            for index, system in enumerate(self.systems)
        )  # fmt: skip

    def adjacent(self) -> Iterator[Adjacency]:
        for level in (1, 2):
            pairs = [
                *self.adjacencies.links[level],
                *(
                    pair
                    for group in self.adjacencies.networks[level]
                    for pair in combinations(group, 2)
                ),
            ]
            for (_, left), (_, right) in pairs:
                yield Adjacency.of(left.key, right.key, f"level {level}")

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
                    if there[1].key != here[1].key:
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

    def asked(self, inputs: Inputs) -> Hashable:
        """What routers take in from elsewhere."""
        return injected_key(inputs.injected)

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> IsisResult:
        """The routes of all systems, given what each takes in from elsewhere."""
        made: list[LevelRoutes] = []
        parts = [self._family(version, inputs.injected, made) for version in (4, 6)]
        return IsisResult(
            domain=self,
            inputs=inputs,
            by_table=by_table(joined(parts)),
            adjacencies=self.adjacencies,
            levels=self.levels,
            routes=tuple(made),
            followers=self._followers,
        )

    def _family(
        self,
        version: int,
        injected: Mapping[int, Sequence[Injected]],
        made: list[LevelRoutes],
    ) -> Rows:
        """The routes of one family; the classes of routes that they are of are added to `made`."""
        first = self._own(1, version, injected)
        level_1 = self._routes(1, version, first, PathType.LEVEL_1, made)
        up = self._own(2, version, injected) + self._told(2, level_1)
        level_2 = self._routes(2, version, up, PathType.LEVEL_2, made)
        down = self._told(1, level_2, unless=level_1)
        leaked = self._routes(1, version, down, PathType.LEVEL_1_DOWN, made)
        attached = self._attached(version, made)
        rows = joined((level_1, level_2, leaked, attached))
        types = self.interning.kinds.path_types
        rows = rows.take(best_of_each(rows, types[rows["kind"]], rows["metric"]))
        near, far = rows["next_hops"] == NO_HOP, rows["metric"] >= MAXIMUM_PATH_METRIC
        used: Rows = rows.compress(~(near | far))
        return used

    def _routes(
        self,
        level: int,
        version: int,
        told: list[Announced],
        path_type: PathType,
        made: list[LevelRoutes],
    ) -> Rows:
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
        made.append(routes)
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
                        for subnet in announced_subnets(circuit.interface, version, "isis")
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

    def _attached(self, version: int, made: list[LevelRoutes]) -> Rows:
        """The default towards the nearest attached system, for those who reach no other area."""
        paths = self.levels[1]
        default = self.interning.default_prefix(version)
        told = [Announced(index, default, 0.0) for index in sorted(self.attached)]
        if not told:
            return no_rows()
        rows = self._routes(1, version, told, PathType.ATTACHED, made)
        followers = [
            self.interning.table_numbers[self.systems[index].table]
            for index in paths.members
            if index in self._followers
        ]
        return rows[np.isin(rows["table"], followers)]

    @cached_property
    def _followers(self) -> frozenset[int]:
        """The systems that take the default of level 1."""
        return frozenset(
            index
            for index, system in enumerate(self.systems)
            if system.instance.use_attached and index not in self.reach_other_areas
        )

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


def _hop(out: Circuit, into: Circuit, version: int) -> NextHop | None:
    """The next hop of a way in one family; None where an end does not speak it."""
    address = into.way(version)
    if address is None or out.way(version) is None:
        return None
    return NextHop(out.interface.name, address)
