"""One version of OSPF in the whole network: its databases, and the routes that follow from them."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from routrel.files.values import format_area
from routrel.model.ospf import OspfAreaType
from routrel.policy.redistribute import Injected, injected_key, let_in
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
from routrel.protocols.ospf.externals import Exits, Flooded, external_routes
from routrel.protocols.ospf.lsdb import Area, BackboneLink, build_area
from routrel.protocols.ospf.paths import on_link_hops
from routrel.protocols.ospf.result import OspfResult
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter, ospf_routers
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements
from routrel.protocols.shared.recent import Parts
from routrel.protocols.shared.speaking import version_of
from routrel.rib.candidates import (
    DISCARD,
    CandidateBuilder,
    Interning,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    joined,
    limited,
    no_rows,
)
from routrel.rib.table import Blocks, RowsByTable, by_table, same_rows
from routrel.topology.segments import Topology

__all__ = ["OspfDomain"]


#: Ways to the boundary routers of so many looks are kept while tables move.
_MOST_EXITS = 8
_NOTHING = no_rows()


class OspfDomain(Domain):
    """All OSPF processes of one version; only external routes depend on other protocols."""

    imports_itself = True
    runs_on_links = True

    def __init__(
        self, topology: Topology, protocol: Protocol, interning: Interning, parts: Parts
    ) -> None:
        """
        Args:
            parts: Holds LSAs and rows of routers as they were made; more is added.
        """
        self.topology, self.protocol, self.interning = topology, protocol, interning
        self._parts = parts
        self._exits: dict[frozenset[int], Exits] = {}  #: by boundary routers, the latest last
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
        return internal_routes(self.areas, own, self.borders, self.interning, self._parts)

    def asked(self, inputs: Inputs) -> Hashable:
        """What routers take in from elsewhere."""
        return injected_key(inputs.injected)

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> OspfResult:
        """The routes of all routers, given what each takes in from elsewhere."""
        flooded, condensed = self._flooded(inputs.injected)
        exits = self._all_exits(flooded.lsas) if flooded.lsas else None
        external: Mapping[int, Rows] = {}
        if exits is not None:
            external = external_routes(self.routers, flooded, exits, self.interning, self._parts)
        discards = by_table(self._discards(condensed))
        return OspfResult(
            domain=self,
            inputs=inputs,
            by_table=self._assembled(external, discards),
            routers=self.routers,
            adjacencies=self.adjacencies,
            areas=self.areas,
            internal=self.internal,
            flooded=flooded,
            condensed=tuple(condensed),
            exits=exits,
        )

    def _flooded(
        self, injected: Mapping[int, tuple[Injected, ...]]
    ) -> tuple[Flooded, list[CondensedRange]]:
        """All external LSAs, those that are translated among them, and what those stand for."""
        parts: list[object] = []
        for index, router in enumerate(self.routers):
            if index in injected or any(area.type.is_nssa for area in router.instance.areas):
                ports = " ".join(port.interface.name for port in router.ports)
                parts += [index, router.device, router.table[1], ports, injected.get(index, "")]
        make = partial(self._announced, injected)
        flooded: Flooded = self._parts.of(("flooded", self.protocol), tuple(parts), make)
        if all(lsa.scope == DOMAIN for lsa in flooded.lsas):
            return flooded, []  # nothing to translate
        more, condensed = translated(flooded.lsas, self.areas, self.routers, self.interning)
        if more:
            flooded = Flooded.of((*flooded.lsas, *more), self.interning)
        return flooded, condensed

    def _announced(self, injected: Mapping[int, tuple[Injected, ...]]) -> Flooded:
        return Flooded.of(tuple(announced(self.routers, injected, self.interning)), self.interning)

    def _assembled(self, external: Mapping[int, Rows], discards: RowsByTable) -> RowsByTable:
        """All routes of each table; what is made of the same parts is the same object."""
        found: dict[int, Blocks] = {}
        for router in self.routers:
            table = self.interning.table_numbers[router.table]
            inside = self._internal_by_table.get(table, _NOTHING)
            outside = external.get(table, _NOTHING)
            dropped = joined(discards.get(table, ()))
            parts = (router.device, inside, outside, dropped.tobytes())
            make = partial(self._rows, router, inside, outside, dropped)
            found[table] = self._parts.of(("ospf", self.protocol, table), parts, make)
        return found

    @cached_property
    def _internal_by_table(self) -> dict[int, Rows]:
        """The routes inside the domain with those to own networks, which have no next hop."""
        rows = by_table(joined((self.internal.best.rows, self._on_link)))
        return {
            table: self._parts.as_before(("internal", self.protocol, table), block, same_rows)
            for table, (block,) in rows.items()
        }

    def _rows(self, router: OspfRouter, internal: Rows, external: Rows, discards: Rows) -> Blocks:
        """What a router offers its table: no external route where it has an internal one."""
        blocks: Blocks = (
            internal.compress(internal["next_hops"] != NO_HOP),
            _without(external, internal),
        )
        use = router.instance.import_policy
        if use is not None:
            # Others still hear of what is kept from the router's own table.
            blocks = tuple(
                rows.compress(let_in(self.interning, router.device, use, rows)) for rows in blocks
            )
        for rows in blocks:
            discards = _without(discards, rows)
        return *blocks, discards

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
        result = rows.take(kept)
        result["next_hops"] = hops
        return result

    def _all_exits(self, lsas: Sequence[ExternalLsa]) -> Exits:
        """The ways to all boundary routers and forwarding addresses of some LSAs."""
        boundary = frozenset(
            lsa.router for lsa in lsas if lsa.scope == DOMAIN and lsa.forward is None
        )
        if boundary not in self._exits:
            self._exits = dict(
                [*self._exits.items(), (boundary, self._exits_by(boundary))][-_MOST_EXITS:]
            )
        return self._exits[boundary]

    def _exits_by(self, boundary: frozenset[int]) -> Exits:
        """The ways to all forwarding addresses, and to some boundary routers by index."""
        own = {
            number: Announcements.of(
                (area.vertex_of[self.routers[index].table], index, 0)
                for index in boundary
                if self.routers[index].table in area.vertex_of
                and self.routers[index].instance.area(number).type is OspfAreaType.NORMAL
            )
            for number, area in self.areas.items()
        }
        ways = internal_routes(
            self.areas, own, self.borders, self.interning, self._parts, externals=True
        )
        return Exits(self.routers, self.areas, self.internal.best, ways.best, self.interning)

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
    """The rows of a table to whose prefix no other row leads."""
    if not len(rows) or not len(others):
        return rows
    # Most often none is shared, and the fewer are looked for among the many.
    few, many = sorted((_rising(others["prefix"]), _rising(rows["prefix"])), key=len)
    at = np.minimum(np.searchsorted(many, few), len(many) - 1)
    if not (many[at] == few).any():
        return rows
    return rows.compress(~np.isin(rows["prefix"], others["prefix"]))


def _rising(numbers: NDArray[np.int32]) -> NDArray[np.int32]:
    """Numbers in order; mostly they are so already, and a look is quicker than a sort."""
    whole = np.ascontiguousarray(numbers)
    return whole if (whole[1:] >= whole[:-1]).all() else np.sort(whole)
