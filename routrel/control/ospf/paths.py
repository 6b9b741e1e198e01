"""All paths of one router to one prefix, and where each but the best lost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address

import numpy as np

from routrel.control.ospf.areas import Internal
from routrel.control.ospf.external_lsas import ExternalLsa
from routrel.control.ospf.externals import Exits, external_path_type
from routrel.control.ospf.lsdb import Area
from routrel.control.ospf.speakers import BACKBONE, OspfRouter
from routrel.control.prefix_paths import NO_HOP, Announcements
from routrel.control.rib.candidates import Interning, NextHop, PathType
from routrel.model.place import NOWHERE, Place

__all__ = ["OspfPath", "compare", "external_paths", "internal_paths"]


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfPath:
    """One announcement as a router sees it."""

    path_type: PathType
    area: int | None  #: None: the whole domain
    metric: int
    forward_metric: int | None  #: of external routes: the cost to where traffic leaves
    advertiser: IPv4Address  #: router id
    advertiser_name: str
    next_hops: tuple[NextHop, ...]
    tag: int = 0
    place: Place = NOWHERE
    lost_on: str | None = None  #: the rung where it lost; None: it is used

    @property
    def order(self) -> tuple[int, int, int]:
        """Path type, cost, then the cost to the exit (RFC 2328 11, 16.4)."""
        kind = {PathType.NSSA_1: PathType.EXTERNAL_1, PathType.NSSA_2: PathType.EXTERNAL_2}
        return kind.get(self.path_type, self.path_type), self.metric, self._tie

    @property
    def _tie(self) -> int:
        external_2 = self.path_type in (PathType.EXTERNAL_2, PathType.NSSA_2)
        return (self.forward_metric or 0) if external_2 else 0


def compare(router: OspfRouter, paths: Sequence[OspfPath]) -> list[OspfPath]:
    """The paths best first, each loser with the rung where it lost."""
    ordered = sorted(paths, key=lambda path: (path.order, path.advertiser))
    if not ordered:
        return []
    best = ordered[0].order
    rungs = ("path_type", "metric", "forward_metric")
    return [
        replace(path, lost_on=next((r for r, a, b in zip(rungs, path.order, best, strict=True)
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
    for number, area in areas.items():
        root = area.vertex_of.get(router.table)
        if root is None:
            continue
        yield from _of_area(area, root, area.networks, prefix, PathType.INTRA_AREA, near)
        if not router.is_border or number == BACKBONE:
            told = internal.summaries.get(number)
            if told is not None:
                yield from _of_area(area, root, told, prefix, PathType.INTER_AREA)


def _of_area(
    area: Area,
    root: int,
    told: Announcements,
    prefix: int,
    path_type: PathType,
    near: Sequence[NextHop] = (),
) -> Iterator[OspfPath]:
    where = told.of_prefix(prefix)
    router_name = area.routers[root].table[0]
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
        yield OspfPath(
            path_type=path_type,
            area=area.number,
            metric=int(total),
            forward_metric=None,
            advertiser=origin.router_id,
            advertiser_name=origin.table[0],
            next_hops=tuple(hops),
        )


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
        costs, sets = exits.of(lsa)
        cost, number = float(costs[index]), int(sets[index])
        if not np.isfinite(cost) or number <= NO_HOP:
            continue
        origin = routers[lsa.router]
        yield OspfPath(
            path_type=external_path_type(lsa),
            area=None if lsa.scope < 0 else lsa.scope,
            metric=lsa.metric + (int(cost) if lsa.metric_type == 1 else 0),
            forward_metric=int(cost),
            advertiser=origin.router_id,
            advertiser_name=origin.table[0],
            next_hops=interning.next_hops.sets[number],
            tag=lsa.tag,
            place=lsa.place,
        )
