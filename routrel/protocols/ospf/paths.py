"""All paths of one router to one prefix, and where each but the best lost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address

import numpy as np

from routrel.model.addresses import Prefix
from routrel.model.place import NOWHERE, Place
from routrel.protocols.ospf.areas import Internal
from routrel.protocols.ospf.external_lsas import ExternalLsa
from routrel.protocols.ospf.externals import Exits, external_path_type
from routrel.protocols.ospf.lsdb import Area
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements
from routrel.protocols.shared.ways_around import ways_around
from routrel.rib.candidates import Interning, NextHop, PathType

__all__ = ["OspfPath", "compare", "external_paths", "internal_paths"]


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfPath:
    """One announcement as a router sees it."""

    path_type: PathType
    area: int | None  #: None: the whole domain
    metric: int
    forward_metric: int | None  #: of external routes: the cost to where traffic leaves
    exit_rank: int | None = None  #: what kind of way leads there; None: it does not count
    advertiser: IPv4Address  #: router id
    advertiser_name: str
    next_hops: tuple[NextHop, ...]
    tag: int = 0
    place: Place = NOWHERE
    lost_on: str | None = None  #: the rung where it lost; None: it is used

    @property
    def order(self) -> tuple[int, ...]:
        """What counts, rung by rung as in `_RUNGS` (RFC 2328 11, 16.4)."""
        kind = {PathType.NSSA_1: PathType.EXTERNAL_1, PathType.NSSA_2: PathType.EXTERNAL_2}
        external_2 = self.path_type in (PathType.EXTERNAL_2, PathType.NSSA_2)
        return (
            kind.get(self.path_type, self.path_type),
            self.metric if external_2 else 0,
            self.exit_rank or 0,
            self.metric,
            (self.forward_metric or 0) if external_2 else 0,
        )


_RUNGS = ("path_type", "metric", "exit_kind", "metric", "forward_metric")


def compare(router: OspfRouter, paths: Sequence[OspfPath]) -> list[OspfPath]:
    """The paths best first, each loser with the rung where it lost."""
    ordered = sorted(paths, key=lambda path: (path.order, path.advertiser))
    if not ordered:
        return []
    best = ordered[0].order
    return [
        replace(path, lost_on=next((r for r, a, b in zip(_RUNGS, path.order, best, strict=True)
                                    if a != b), None))
        for path in ordered
    ]  # fmt: skip


def on_link_hops(
    areas: Mapping[int, Area], router: OspfRouter, prefix: int, interning: Interning
) -> list[NextHop]:
    """The interfaces on whose network a prefix is that the router itself has not there."""
    held = interning.prefixes.prefixes[prefix]
    if any(held in port.subnets for port in router.ports):
        return []
    return [
        hop
        for area in areas.values()
        if router.table in area.vertex_of
        for hop in area.on_link(area.vertex_of[router.table], prefix)
    ]


def internal_paths(
    areas: Mapping[int, Area],
    internal: Internal,
    router: OspfRouter,
    prefix: int,
    interning: Interning,
) -> Iterator[OspfPath]:
    """Paths inside the router's areas, and those that border routers announce."""
    near = on_link_hops(areas, router, prefix, interning) if router.version == 6 else []
    held = interning.prefixes.prefixes[prefix]
    for number, area in areas.items():
        root = area.vertex_of.get(router.table)
        if root is None:
            continue
        yield from _of_area(area, root, area.networks, prefix, PathType.INTRA_AREA, held, near)
        if not router.is_border or number == BACKBONE:
            told = internal.summaries.get(number)
            if told is not None:
                yield from _of_area(area, root, told, prefix, PathType.INTER_AREA, held)


def _of_area(
    area: Area,
    root: int,
    told: Announcements,
    prefix: int,
    path_type: PathType,
    announced: Prefix,
    near: Sequence[NextHop] = (),
) -> Iterator[OspfPath]:
    where = told.of_prefix(prefix)
    router_name = area.routers[root].table[0]
    known: list[OspfPath] = []
    for vertex, cost in zip(told.vertex[where].tolist(), told.cost[where].tolist(), strict=True):
        total = area.paths.dist[root, vertex] + cost
        if vertex == root or not np.isfinite(total):
            continue
        hops = area.hops.of_mask(root, area.paths.masks[:, root, vertex].copy())
        routers = len(area.routers)
        origin = area.routers[vertex] if vertex < routers else area.designated[vertex - routers]
        if not hops and vertex >= routers:
            on_it = {port.key for port in area.members[vertex - routers]}
            hops = [hop for hop in near if (router_name, hop.interface) in on_it]
        if not hops:
            continue  # the router's own network
        known.append(_found(area, origin, path_type, int(total), hops, announced))
    yield from known
    for other in _other_ways(area, root, told, prefix, path_type, announced):
        if not any(other.next_hops[0] in path.next_hops for path in known):
            yield other


def _found(
    area: Area,
    origin: OspfRouter,
    path_type: PathType,
    metric: int,
    hops: Sequence[NextHop],
    announced: Prefix,
) -> OspfPath:
    return OspfPath(
        path_type=path_type,
        area=area.number,
        metric=metric,
        forward_metric=None,
        advertiser=origin.router_id,
        advertiser_name=origin.table[0],
        next_hops=tuple(hops),
        place=_announced_at(area, origin, path_type, announced),
    )


def _other_ways(
    area: Area,
    root: int,
    told: Announcements,
    prefix: int,
    path_type: PathType,
    announced: Prefix,
) -> Iterator[OspfPath]:
    """The ways out that cost more than the best."""
    where = told.of_prefix(prefix)
    offers = list(zip(told.vertex[where].tolist(), told.cost[where].tolist(), strict=True))
    totals = [area.paths.dist[root, vertex] + cost for vertex, cost in offers]
    if not np.isfinite(min(totals, default=np.inf)):
        return
    best = min(totals)
    if any(v == root and t == best for (v, _), t in zip(offers, totals, strict=True)):
        return  # it has the prefix itself
    for found in ways_around(area.paths, root, offers):
        hop = area.hops.of_way(root, found.way)
        if hop is not None and found.total > best:
            vertex, routers = found.vertex, len(area.routers)
            origin = area.routers[vertex] if vertex < routers else area.designated[vertex - routers]
            yield _found(area, origin, path_type, int(found.total), [hop], announced)


def _announced_at(area: Area, origin: OspfRouter, path_type: PathType, prefix: Prefix) -> Place:
    """The line by which a router announces a prefix: of its interface, or of its area."""
    if path_type is PathType.INTRA_AREA:
        for port in origin.ports:
            if port.settings.area == area.number and prefix in port.subnets:
                return port.settings.place
        return origin.instance.place
    for number in sorted(origin.areas):
        settings = origin.instance.area(number)
        for held in settings.ranges:
            if held.prefix == prefix:
                return held.place
    stated = origin.instance.area(area.number).place
    return stated if stated.line else origin.instance.place


def external_paths(
    routers: Sequence[OspfRouter],
    index: int,
    lsas: Sequence[ExternalLsa],
    exits: Exits | None,
    interning: Interning,
) -> Iterator[OspfPath]:
    """Paths to where an external route of others leaves the domain."""
    for lsa in lsas:
        if lsa.router == index or exits is None:
            continue
        costs, sets, ranks = exits.of(lsa)
        cost, number = float(costs[index]), int(sets[index])
        if not np.isfinite(cost) or number <= NO_HOP:
            continue
        origin = routers[lsa.router]
        yield OspfPath(
            path_type=external_path_type(lsa),
            area=None if lsa.scope < 0 else lsa.scope,
            metric=lsa.metric + (int(cost) if lsa.metric_type == 1 else 0),
            forward_metric=int(cost),
            exit_rank=None if routers[index].instance.rfc1583 else int(ranks[index]),
            advertiser=origin.router_id,
            advertiser_name=origin.table[0],
            next_hops=interning.next_hops.sets[number],
            tag=lsa.tag,
            place=lsa.place,
        )
