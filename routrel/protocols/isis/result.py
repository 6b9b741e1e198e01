"""What IS-IS comes to, and why: candidate paths, what keeps routes away, findings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from routrel.model.addresses import Prefix
from routrel.model.findings import Finding
from routrel.model.place import NOWHERE, Place
from routrel.protocols.contract import Domain, Inputs, InterfaceCost, Result
from routrel.protocols.evidence import AbsenceStep, CandidatePath, Gap, cost_of_only_way, heard_on
from routrel.protocols.isis.adjacency import Circuit, System, Systems
from routrel.protocols.isis.routes import MAXIMUM_PATH_METRIC, LevelPaths, LevelRoutes
from routrel.protocols.shared.refusals import no_adjacency
from routrel.protocols.shared.speaking import subnets
from routrel.protocols.shared.ways_around import ways_around
from routrel.rib.candidates import NextHop, PathType, Protocol
from routrel.rib.table import Rib, Route, RowsByTable
from routrel.topology.segments import Attachment

__all__ = ["IsisPath", "IsisResult"]


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


@dataclass(frozen=True, kw_only=True)
class IsisResult(Result):
    """Both levels and both families of the whole network."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable
    adjacencies: Systems
    levels: Mapping[int, LevelPaths]
    routes: tuple[LevelRoutes, ...]
    followers: frozenset[int]  #: the systems that take the default of level 1

    def paths(self, index: int, prefix: int) -> list[IsisPath]:
        """Every path a system knows to a prefix, best first, with the rung where each lost."""
        version = self.domain.interning.prefixes.prefixes[prefix].version
        found = []
        for routes in self.routes:
            level = self.levels[routes.level]
            root = level.vertex_of.get(index)
            attached = routes.path_type is PathType.ATTACHED
            if (
                root is None
                or routes.version != version
                or (attached and index not in self.followers)
            ):
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
        origin = self.adjacencies.systems[self.levels[routes.level].members[vertex]]
        return IsisPath(
            path_type=routes.path_type,
            metric=int(total),
            advertiser=origin.table[0],
            next_hops=tuple(hops),
            place=_announced_at(origin, self.domain.interning.prefixes.prefixes[prefix]),
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

    def costs(self) -> Iterator[InterfaceCost]:
        for system in self.adjacencies.systems:
            for circuit in system.circuits:
                if not circuit.settings.passive:
                    yield InterfaceCost(
                        key=circuit.key,
                        where="level " + "-".join(map(str, circuit.levels)),
                        cost=circuit.metric(max(circuit.levels, default=2)),
                    )

    def explains(self, route: Route) -> bool:
        return not route.discard

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterator[CandidatePath]:
        """Every path of the table's system."""
        system = self.adjacencies.systems[index]
        for path in self.paths(index, prefix):
            level = path.level
            yield CandidatePath(
                protocol=Protocol.ISIS,
                next_hops=path.next_hops,
                distance=system.distance,
                metric=path.metric,
                path_type=path.path_type,
                advertiser=path.advertiser,
                lost_on=path.lost_on,
                tag=path.tag,
                place=path.place,
                also=heard_on(system.circuits, path.next_hops),
                values={
                    "way_cost": cost_of_only_way(
                        path.next_hops, system.circuits, partial(Circuit.metric, level=level)
                    )
                },
            )

    def findings(self) -> Iterator[Finding]:
        return self.adjacencies.findings()

    # --- why a route is absent -----------------------------------------------------------------

    def hears(self, gap: Gap, here: Attachment, there: Attachment) -> Iterator[AbsenceStep]:
        return no_adjacency(self.adjacencies.refusals, Protocol.ISIS.id, here, there)

    def inside(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        upstream, other = (
            self.adjacencies.systems[self.domain.index_of[gap.interning.tables[table]]]
            for table in (gap.upstream, gap.downstream)
        )
        name, instance = upstream.table[0], upstream.instance
        connected = route.protocol is Protocol.CONNECTED
        own = {hop.interface for hop in route.next_hops} if connected else set()
        for circuit in upstream.circuits:
            if circuit.interface.name in own and not circuit.levels:
                yield AbsenceStep(
                    kind="not_announced",
                    device=name,
                    text=f"{circuit} is of a level that {name} does not speak, so nobody "
                    "hears of its networks",
                    suggestion="let both have a level in common",
                    place=circuit.settings.place,
                )
        if route.path_type is PathType.ATTACHED:
            yield AbsenceStep(
                kind="attached_default",
                device=name,
                text=f"{name} has it only as the way towards the nearest attached system; "
                "that is announced to nobody",
                suggestion="announce a default route with default-route:",
                place=instance.place,
            )
            return
        if upstream.levels == (1, 2) and 2 not in _joined_levels(gap, upstream, other):
            use = instance.leak_down
            rejected = gap.rejected_upstream(gap.here, use, route) if use else None
            yield rejected or AbsenceStep(
                kind="not_leaked",
                device=name,
                text=f"{name} has it at level 2 and lets nothing of it down into level 1",
                suggestion="name a policy under leak-down:",
                place=instance.place,
            )
        elif instance.leak_up is not None:
            rejected = gap.rejected_upstream(gap.here, instance.leak_up, route)
            if rejected is not None:
                yield rejected
        if instance.overload:
            yield AbsenceStep(
                kind="overload",
                device=name,
                text=f"{name} is overloaded, so nothing goes through it",
                suggestion="remove overload:",
                place=instance.place,
            )


def _joined_levels(gap: Gap, upstream: System, other: System) -> set[int]:
    """The levels that two systems share on a circuit between them."""
    here, there = (
        {circuit.interface.name: set(circuit.levels) for circuit in system.circuits}
        for system in (upstream, other)
    )
    return {
        level
        for near, far in gap.links
        for level in here.get(near.interface.name, set()) & there.get(far.interface.name, set())
    }


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
