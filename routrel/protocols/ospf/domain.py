"""One version of OSPF in the whole network: its databases, and the routes that follow from them."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np

from routrel.files.values import format_area
from routrel.model.ospf import OspfAreaType
from routrel.policy.redistribute import injected_key, let_in
from routrel.protocols.contract import Adjacency, Domain, Inputs, Result, process_of
from routrel.protocols.ospf.adjacency import find_adjacencies
from routrel.protocols.ospf.areas import Internal, internal_routes
from routrel.protocols.ospf.external_lsas import (
    DOMAIN,
    CondensedRange,
    ExternalLsa,
    announced,
    translated,
)
from routrel.protocols.ospf.externals import Exits, external_routes
from routrel.protocols.ospf.lsdb import Area, BackboneLink, build_area
from routrel.protocols.ospf.paths import on_link_hops
from routrel.protocols.ospf.result import OspfResult
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter, ospf_routers
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements
from routrel.protocols.shared.speaking import version_of
from routrel.rib.candidates import (
    DISCARD,
    CandidateBuilder,
    Interning,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    limited,
    no_rows,
)
from routrel.rib.select import row_keys
from routrel.rib.table import by_table
from routrel.topology.segments import Topology

__all__ = ["OspfDomain"]


class OspfDomain(Domain):
    """All OSPF processes of one version; only external routes depend on other protocols."""

    imports_itself = True
    runs_on_links = True

    def __init__(self, topology: Topology, protocol: Protocol, interning: Interning) -> None:
        self.topology, self.protocol, self.interning = topology, protocol, interning
        self.version = version_of(protocol.id)
        self.versions = (self.version,)
        self.routers: tuple[OspfRouter, ...] = tuple(ospf_routers(topology, protocol))
        self.adjacencies = find_adjacencies(topology, self.routers)
        self.borders = tuple(router for router in self.routers if router.is_border)
        self.index_of = {router.table: index for index, router in enumerate(self.routers)}
        self.processes = tuple(
            process_of(
                protocol, index, router, self.versions, router.instance.default_route,
                distance=router.instance.distance,
                external_distance=router.instance.external_distance,
            )
            for index, router in enumerate(self.routers)
        )  # fmt: skip

    def adjacent(self) -> Iterator[Adjacency]:
        pairs = [
            *self.adjacencies.links,
            *((first, port) for first, *rest in self.adjacencies.transits for port in rest),
        ]
        for left, right in pairs:
            where = f"area {format_area(left.settings.area)}"
            yield Adjacency.of(left.key, right.key, where)

    @cached_property
    def areas(self) -> dict[int, Area]:
        """The areas by number; the backbone is built last, since virtual links cross the others."""
        numbers = {area for router in self.routers for area in router.areas}
        areas = {
            number: build_area(number, self.routers, self.adjacencies, self.interning)
            for number in sorted(numbers - {BACKBONE})
        }
        virtual = self._virtual_links(areas)
        if BACKBONE in numbers or virtual:
            areas[BACKBONE] = build_area(
                BACKBONE, self.routers, self.adjacencies, self.interning, virtual
            )
        return dict(sorted(areas.items()))

    def _virtual_links(self, areas: Mapping[int, Area]) -> list[BackboneLink]:
        """Both directions of each virtual link that both ends name and the area joins."""
        links = []
        for area in areas.values():
            ids = {router.router_id: at for at, router in enumerate(area.routers)}
            named = {
                (at, ids[link.to])
                for at, router in enumerate(area.routers)
                for link in router.instance.area(area.number).virtual_links
                if link.to in ids
            }
            for tail, head in sorted(named):
                cost = float(area.paths.dist[tail, head])
                if (head, tail) in named and np.isfinite(cost):
                    mask = area.paths.masks[:, tail, head]
                    links.append(
                        BackboneLink(
                            area.routers[tail].table,
                            area.routers[head].table,
                            cost,
                            tuple(area.hops.of_mask(tail, mask)),
                        )
                    )
        return links

    @cached_property
    def internal(self) -> Internal:
        """Routes to prefixes inside the domain."""
        own = {number: area.networks for number, area in self.areas.items()}
        return internal_routes(self.areas, own, self.borders, self.interning)

    def asked(self, inputs: Inputs) -> Hashable:
        """What routers take in from elsewhere."""
        return injected_key(inputs.injected)

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> OspfResult:
        """The routes of all routers, given what each takes in from elsewhere."""
        lsas = list(announced(self.routers, inputs.injected, self.interning))
        more, condensed = translated(lsas, self.areas, self.routers, self.interning)
        lsas.extend(more)
        internal = self.internal.best.rows
        blocks = [internal[internal["next_hops"] != NO_HOP], self._on_link]
        exits = self._all_exits(lsas) if lsas else None
        if exits is not None:
            external = external_routes(self.routers, lsas, exits, self.interning)
            blocks.append(_without(external, internal))
        rows = self._imported(np.concatenate(blocks))
        discards = self._discards(condensed)
        if len(discards):
            rows = np.concatenate([rows, _without(discards, rows)])
        by_prefix: dict[int, list[ExternalLsa]] = {}
        for lsa in lsas:
            by_prefix.setdefault(lsa.prefix, []).append(lsa)
        return OspfResult(
            domain=self,
            inputs=inputs,
            by_table=by_table(rows),
            routers=self.routers,
            adjacencies=self.adjacencies,
            areas=self.areas,
            internal=self.internal,
            lsas=tuple(lsas),
            condensed=tuple(condensed),
            exits=exits,
            by_prefix={prefix: tuple(found) for prefix, found in by_prefix.items()},
        )

    @cached_property
    def _on_link(self) -> Rows:
        """Routes to prefixes that only neighbours have on a network that a router is on, too.

        The network's intra-area-prefix-LSA carries what the link-LSAs of all on it tell (RFC 5340
        4.4.3.9); such a prefix is reached on the link itself.
        """
        rows = self.internal.best.rows
        near = np.flatnonzero(rows["next_hops"] == NO_HOP)
        if self.version == 4 or not len(near):
            return no_rows()
        kept, hops = [], []
        for at in near.tolist():
            router = self.routers[self.index_of[self.interning.tables[rows["table"][at]]]]
            number = int(rows["prefix"][at])
            found = on_link_hops(self.areas, router, number, self.interning)
            if found:
                kept.append(at)
                hops.append(self.interning.next_hops.add(limited(found, router.maximum_paths)))
        result = rows[kept].copy()
        result["next_hops"] = hops
        return result

    def _all_exits(self, lsas: Sequence[ExternalLsa]) -> Exits:
        """The ways to all boundary routers and forwarding addresses of some LSAs."""
        boundary = {lsa.router for lsa in lsas if lsa.scope == DOMAIN and lsa.forward is None}
        own = {
            number: Announcements.of(
                (area.vertex_of[self.routers[index].table], index, 0)
                for index in boundary
                if self.routers[index].table in area.vertex_of
                and self.routers[index].instance.area(number).type is OspfAreaType.NORMAL
            )
            for number, area in self.areas.items()
        }
        ways = internal_routes(self.areas, own, self.borders, self.interning, externals=True)
        return Exits(self.routers, self.areas, self.internal.best, ways.best, self.interning)

    def _imported(self, rows: Rows) -> Rows:
        """Without what a router's inbound policy keeps from its table; others still hear of it."""
        keep = np.ones(len(rows), dtype=bool)
        for router in self.routers:
            if router.instance.import_policy is None:
                continue
            mine = np.flatnonzero(rows["table"] == self.interning.table_numbers[router.table])
            use = router.instance.import_policy
            keep[mine] = let_in(self.interning, router.device, use, rows[mine])
        return rows if keep.all() else rows[keep]

    def _discards(self, condensed: Sequence[CondensedRange]) -> Rows:
        """An active range, announced or hidden, drops what none of its own routes holds (11.1).

        So does an external range that is announced (RFC 4632 5.1 (2)).
        """
        builder = CandidateBuilder(self.interning)
        for item in self.internal.ranges:
            builder.add(
                table=item.table,
                prefix=item.prefix,
                kind=RouteKind(
                    self.protocol,
                    item.router.distance(external=False),
                    PathType.SUMMARY,
                    discard=True,
                    place=self.interning.place(item.range.place),
                ),
                next_hops=(DISCARD,),
                metric=item.cost,
            )
        for found in condensed:
            if found.lsa is not None:
                router = self.routers[found.router]
                builder.add(
                    table=self.interning.table_numbers[router.table],
                    prefix=found.lsa.prefix,
                    kind=RouteKind(
                        self.protocol,
                        router.distance(external=True),
                        PathType.SUMMARY,
                        discard=True,
                        place=self.interning.place(found.range.place),
                    ),
                    next_hops=(DISCARD,),
                    metric=found.lsa.metric,
                )
        return builder.array()


def _without(rows: Rows, others: Rows) -> Rows:
    """The rows whose table and prefix no other row has."""
    shared = np.isin(rows["prefix"], np.unique(others["prefix"]))
    if not shared.any():
        return rows
    taken = np.zeros(len(rows), dtype=bool)
    taken[shared] = np.isin(row_keys(rows[shared]), row_keys(others))
    return rows[~taken]
