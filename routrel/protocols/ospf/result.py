"""What OSPF comes to, and why: candidate paths, what keeps routes away, findings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from routrel.files.values import format_area
from routrel.model.addresses import Address, is_within
from routrel.model.findings import Finding, Severity
from routrel.model.network import protocol_title
from routrel.protocols.contract import Domain, Elected, Inputs, InterfaceCost, Result
from routrel.protocols.evidence import (
    AbsenceStep,
    CandidatePath,
    Gap,
    cost_of_only_way,
    heard_on,
    rejected_by,
)
from routrel.protocols.ospf.adjacency import Adjacencies, ospf_findings
from routrel.protocols.ospf.areas import Internal
from routrel.protocols.ospf.external_lsas import (
    CondensedRange,
    ExternalLsa,
    takes_externals,
    translators,
)
from routrel.protocols.ospf.externals import Exits, Flooded
from routrel.protocols.ospf.lsdb import Area
from routrel.protocols.ospf.paths import OspfPath, compare, external_paths, internal_paths
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter
from routrel.protocols.shared.refusals import no_adjacency
from routrel.rib.candidates import PathType, Protocol, Rows
from routrel.rib.table import Rib, Route, RowsByTable
from routrel.topology.segments import Attachment

__all__ = ["OspfResult"]

_INTERNAL = (PathType.INTRA_AREA, PathType.INTER_AREA)


@dataclass(frozen=True, kw_only=True)
class OspfResult(Result):
    """One version of OSPF in the whole network, with all external LSAs flooded."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable
    routers: tuple[OspfRouter, ...]
    adjacencies: Adjacencies
    areas: Mapping[int, Area]
    internal: Internal
    flooded: Flooded  #: all external LSAs
    condensed: tuple[CondensedRange, ...]
    exits: Exits | None  #: None without any external LSA

    def paths(self, index: int, prefix: int) -> list[OspfPath]:
        """Every path a router knows to a prefix, best first, with the step where each lost."""
        interning, router = self.domain.interning, self.routers[index]
        lsas = self.flooded.by_prefix.get(prefix, ())
        return compare(
            router,
            [
                *internal_paths(self.areas, self.internal, router, prefix, interning),
                *external_paths(self.routers, index, lsas, self.exits, interning),
            ],
        )

    def advertisers(self, row: Rows) -> list[Address]:
        """The router ids of those whose paths are used."""
        index = self.domain.index_of[self.domain.interning.tables[row["table"]]]
        paths = self.paths(index, int(row["prefix"]))
        return [path.advertiser for path in paths if path.lost_on is None]

    def costs(self) -> Iterator[InterfaceCost]:
        for router in self.routers:
            for port in router.ports:
                if not port.settings.passive:
                    yield InterfaceCost(
                        key=port.key,
                        where=f"area {format_area(port.settings.area)}",
                        cost=router.link_cost(port),
                    )

    def elected(self) -> Iterator[Elected]:
        """Designated routers of networks (RFC 2328 9.4), translators of NSSAs (RFC 3101 3.1)."""
        segments = self.domain.topology.segment_of
        for first, *_ in self.adjacencies.transits:
            segment = segments.get(first.key)
            where = f"area {format_area(first.settings.area)}"
            named = f"{segment.name}, {where}" if segment else where
            yield Elected("designated router", named, first.device.name)
        for number, area in self.areas.items():
            if any(router.instance.area(number).type.is_nssa for router in area.routers):
                for index in translators(area, self.routers):
                    name = self.routers[index].device.name
                    yield Elected("translator", f"area {format_area(number)}", name)

    def explains(self, route: Route) -> bool:
        return not route.discard

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterator[CandidatePath]:
        """Every path of the table's router, and what its inbound policy makes of the best."""
        router = self.routers[index]
        kinds = rib.interning.kinds.kinds
        rows = rib.candidate_rows(rib.interning.table_numbers[router.table], prefix)
        in_table = any(kinds[row["kind"]].protocol is self.domain.protocol for row in rows)
        for path in self.paths(index, prefix):
            candidate = CandidatePath(
                protocol=self.domain.protocol,
                next_hops=path.next_hops,
                distance=router.distance(external=path.path_type not in _INTERNAL),
                metric=path.metric,
                path_type=path.path_type,
                tag=path.tag,
                advertiser=path.advertiser_name,
                lost_on=path.lost_on,
                place=path.place,
                also=heard_on(router.ports, path.next_hops),
                values={
                    "way_cost": cost_of_only_way(path.next_hops, router.ports, router.link_cost),
                    "area": path.area,
                    "forward_metric": path.forward_metric,
                    "exit_rank": path.exit_rank,
                    "router_id": str(path.advertiser),
                },
            )
            use = router.instance.import_policy
            if use is not None and candidate.lost_on is None and not in_table:
                candidate = rejected_by(candidate, router.device, use)
            yield candidate

    def findings(self) -> Iterator[Finding]:
        """Of adjacencies and router ids, and of routers in stub areas that take routes in."""
        protocol = self.domain.protocol
        yield from ospf_findings(self.domain.topology, self.routers, self.adjacencies, protocol)
        for router in self.routers:
            wants = router.instance.redistribute or router.instance.default_route
            if wants and _cannot_announce(router):
                yield Finding(
                    severity=Severity.WARNING,
                    code="redistribution_in_stub",
                    text=f"{router.table[0]} takes routes into {protocol_title(protocol.id)}, "
                    "but is in stub areas only, so nobody hears of them",
                    suggestion="make the area an nssa",
                    place=router.instance.place,
                    device=router.table[0],
                )

    # --- why a route is absent -----------------------------------------------------------------

    def hears(self, gap: Gap, here: Attachment, there: Attachment) -> Iterator[AbsenceStep]:
        return no_adjacency(self.adjacencies.refusals, self.domain.protocol.id, here, there)

    def inside(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        upstream, other = (
            self.routers[self.domain.index_of[gap.interning.tables[table]]]
            for table in (gap.upstream, gap.downstream)
        )
        yield from self._stub_areas(upstream, other, route)
        yield from self._forwarded_elsewhere(upstream, other, route)
        yield from self._hidden_by_ranges(gap, upstream, route)
        if other.instance.import_policy is not None:
            rejected = gap.rejected_upstream(gap.there, other.instance.import_policy, route)
            if rejected is not None:
                yield rejected
        yield from self._backbone(upstream, other)

    def _stub_areas(
        self, upstream: OspfRouter, other: OspfRouter, route: Route
    ) -> Iterator[AbsenceStep]:
        """What the type of the area that both share keeps away (RFC 2328 3.6, RFC 3101)."""
        shared = sorted(upstream.areas & other.areas)
        if route.prefix.prefixlen == 0 and other.is_border:
            for number in shared:
                area = other.instance.area(number)
                if area.type.is_stub or not area.type.takes_summaries or area.default_route:
                    yield AbsenceStep(
                        kind="announces_itself",
                        device=other.table[0],
                        text=f"{other.table[0]} gives area {format_area(number)} its default, and "
                        "does not believe another border router's",
                        suggestion="give it a default route of its own",
                        place=area.place,
                    )
        external = route.protocol is not self.domain.protocol or route.path_type not in (
            *_INTERNAL,
            PathType.SUMMARY,
        )
        own = route.protocol is Protocol.CONNECTED
        for number in shared:
            area = other.instance.area(number)
            settings = upstream.instance.area(number)
            if external and not own and (area.type.is_stub or area.type.is_nssa):
                yield AbsenceStep(
                    kind="stub_area",
                    device=other.table[0],
                    text=f"it is an external route, and area {format_area(number)} is "
                    f"{area.type.value}, which takes none",
                    suggestion="a default route is what the area gets; or make it a normal area",
                    place=area.place,
                )
            elif not external and not settings.type.takes_summaries:
                yield AbsenceStep(
                    kind="stub_area",
                    device=upstream.table[0],
                    text=f"{upstream.table[0]} makes area {format_area(number)} "
                    f"{settings.type.value}, so it announces nothing but a default into it",
                    suggestion="announce summaries into it",
                    place=settings.place,
                )

    def _forwarded_elsewhere(
        self, upstream: OspfRouter, other: OspfRouter, route: Route
    ) -> Iterator[AbsenceStep]:
        """An external route names an address to send to that the other cannot use (16.4 (3))."""
        number = self.domain.interning.prefixes.number(route.prefix)
        for lsa in () if number is None else self.flooded.by_prefix.get(number, ()):
            if self.routers[lsa.router].table != upstream.table or lsa.forward is None:
                continue
            if any(port.address and port.address.ip == lsa.forward for port in other.ports):
                why = f"{other.table[0]}'s own address"
            elif self._reaches_exit(self.domain.index_of[other.table], lsa):
                continue
            else:
                why = f"an address to which {other.table[0]} has no route inside OSPF"
            yield AbsenceStep(
                kind="forwarding_address",
                device=upstream.table[0],
                text=f"{upstream.table[0]} announces it with the forwarding address {lsa.forward}, "
                f"which is {why}",
                suggestion="announce a route whose next hop lies elsewhere, or let OSPF know the "
                "way",
                place=lsa.place,
            )

    def _reaches_exit(self, index: int, lsa: ExternalLsa) -> bool:
        """Whether a router has a way inside the domain to where an external route leaves it."""
        return self.exits is not None and bool(np.isfinite(self.exits.of(lsa).cost[index]))

    def _hidden_by_ranges(
        self, gap: Gap, upstream: OspfRouter, route: Route
    ) -> Iterator[AbsenceStep]:
        """Ranges that stand for it, or hide it."""
        internal = (item.range for item in self.internal.ranges if item.table == gap.upstream)
        external = (
            item.range
            for item in self.condensed
            if self.routers[item.router].table == upstream.table
        )
        for words, ranges in (("range", internal), ("external range", external)):
            for one in ranges:
                if not is_within(route.prefix, one.prefix):
                    continue
                stands = f"announces {one.prefix} in its place" if one.advertise else "hides it"
                yield AbsenceStep(
                    kind="hidden_by_summary",
                    device=upstream.table[0],
                    text=f"the {words} {one.prefix} of {upstream.table[0]} {stands}",
                    suggestion="remove the range, or let it announce",
                    place=one.place,
                )

    def _backbone(self, upstream: OspfRouter, other: OspfRouter) -> Iterator[AbsenceStep]:
        """Routes pass between areas by the backbone alone (RFC 2328 3.3, 16.2)."""
        here, there = upstream.table[0], other.table[0]
        if other.is_border and BACKBONE in other.areas and not self._on_one_backbone(
            upstream, other
        ):  # fmt: skip
            yield AbsenceStep(
                kind="split_backbone",
                device=there,
                text=f"{there} has several areas, so it believes summaries of the backbone "
                f"alone, and the backbone does not join it to {here}",
                suggestion="join the backbone, by a virtual link perhaps",
                place=other.instance.place,
            )
        if len(upstream.areas) > 1 and not upstream.is_border:
            yield AbsenceStep(
                kind="no_backbone",
                device=here,
                text=f"{here} has several areas and no backbone, and with border: rfc3509 "
                "is no border router then: it announces nothing of one area into another",
                suggestion="join it to area 0, by a virtual link perhaps",
                place=upstream.instance.place,
            )
        if other.is_border and BACKBONE not in other.areas:
            yield AbsenceStep(
                kind="no_backbone",
                device=there,
                text=f"{there} has several areas, so it believes summaries of the backbone "
                "alone, and it has no backbone",
                suggestion="join it to area 0, by a virtual link perhaps, or set border: rfc3509",
                place=other.instance.place,
            )

    def _on_one_backbone(self, upstream: OspfRouter, other: OspfRouter) -> bool:
        """Whether the backbone joins two routers."""
        area = self.areas.get(BACKBONE)
        if area is None:
            return False
        at = [area.vertex_of.get(router.table) for router in (upstream, other)]
        if None in at:
            return False
        return bool(np.isfinite(area.paths.dist[at[1], at[0]]))


def _cannot_announce(router: OspfRouter) -> bool:
    """Whether a router takes in routes that no area of it may hear of (RFC 2328 3.6)."""
    return not takes_externals(router) and not any(
        router.instance.area(area).type.is_nssa for area in router.areas
    )
