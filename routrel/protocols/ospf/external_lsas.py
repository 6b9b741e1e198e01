"""External routes as boundary routers announce them: AS-external-LSAs and those of NSSAs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from routrel.model.addresses import Address
from routrel.model.network import InterfaceKind
from routrel.model.ospf import OspfAreaType, OspfExternalRange, TranslatorRole
from routrel.model.place import Place
from routrel.policy.redistribute import Injected
from routrel.protocols.ospf.areas import most_specific
from routrel.protocols.ospf.lsdb import Area
from routrel.protocols.ospf.speakers import OspfRouter
from routrel.rib.candidates import Interning, NextHop

__all__ = [
    "DOMAIN",
    "CondensedRange",
    "ExternalLsa",
    "announced",
    "takes_externals",
    "translated",
    "translators",
]

#: The scope of an AS-external-LSA; an LSA of type 7 has its area's number.
DOMAIN = -1
EXTERNAL_METRIC = 20
EXTERNAL_METRIC_TYPE = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class ExternalLsa:
    """One external route of one router (RFC 2328 A.4.5, RFC 3101 2.4)."""

    router: int  #: index among the domain's routers
    prefix: int
    metric_type: int
    metric: int
    forward: Address | None  #: forwarding address; None: towards the router itself
    tag: int
    scope: int  #: an NSSA's number, or DOMAIN
    propagate: bool  #: the P-bit: border routers may translate it
    translated_from: int | None  #: the NSSA it was translated from
    place: Place


def announced(
    routers: Sequence[OspfRouter],
    injected: Mapping[int, Sequence[Injected]],
    interning: Interning,
) -> Iterator[ExternalLsa]:
    """What boundary routers announce of the routes they take in, and NSSA defaults.

    A router announces to the domain if it has an area that takes external routes, and to each NSSA
    it is in. To an NSSA a router that is no border router sets the P-bit, and gives one of its own
    addresses inside the area for packets to be sent to (RFC 3101 2.3).

    Args:
        injected: By router index: what it takes in.
    """
    for index, router in enumerate(routers):
        nssas = [a for a in sorted(router.areas) if router.instance.area(a).type.is_nssa]
        opens = takes_externals(router)
        for item in injected.get(index, ()):
            lsa = ExternalLsa(
                router=index,
                prefix=item.prefix,
                metric_type=item.metric_type or EXTERNAL_METRIC_TYPE,
                metric=min(EXTERNAL_METRIC if item.metric is None else item.metric, 0xFFFFFE),
                forward=_forwarding_address(router, item.next_hops),
                tag=item.tag,
                scope=DOMAIN,
                propagate=False,
                translated_from=None,
                place=item.place,
            )
            if opens:
                yield lsa
            is_default = item.prefix == interning.default_prefix(router.version)
            for area in nssas:
                # Type 7 defaults of a border router stay in its area (RFC 3101 2.3, 2.7).
                if is_default and router.is_border:
                    continue
                own = _address_inside(router, area)
                yield replace(
                    lsa,
                    scope=area,
                    propagate=not router.is_border and own is not None,
                    forward=None if router.is_border else lsa.forward or own,
                )
        if router.is_border:
            yield from _nssa_defaults(index, router, nssas, interning)


def _nssa_defaults(
    index: int, router: OspfRouter, nssas: Iterable[int], interning: Interning
) -> Iterator[ExternalLsa]:
    """A border router's default of type 7; the default of a total NSSA is a summary instead."""
    for number in nssas:
        area = router.instance.area(number)
        if area.default_route and area.type is OspfAreaType.NSSA:
            yield ExternalLsa(
                router=index,
                prefix=interning.default_prefix(router.version),
                metric_type=area.default_metric_type,
                metric=area.default_cost,
                forward=None,
                tag=0,
                scope=number,
                propagate=False,
                translated_from=None,
                place=area.place,
            )


def takes_externals(router: OspfRouter) -> bool:
    """Whether a router has an area that AS-external-LSAs are flooded into (RFC 2328 3.6)."""
    return any(router.instance.area(a).type is OspfAreaType.NORMAL for a in router.areas)


def _forwarding_address(router: OspfRouter, hops: Sequence[NextHop]) -> Address | None:
    """The next hop itself, where it lies on a network that OSPF routers share (12.4.4.1)."""
    if len(hops) != 1 or hops[0].address is None:
        return None
    hop = hops[0]
    for port in router.ports:
        on_network = any(hop.address in subnet for subnet in port.subnets)
        if (
            port.interface.name == hop.interface
            and on_network
            and port.network_type.elects
            and not port.settings.passive
        ):
            return hop.address
    return None


def _address_inside(router: OspfRouter, area: int) -> Address | None:
    """One of a router's addresses that its area knows, a loopback's rather than another."""
    ports = [p for p in router.ports if p.settings.area == area and p.address is not None]
    ports.sort(key=lambda port: port.interface.kind is not InterfaceKind.LOOPBACK)
    return ports[0].address.ip if ports and ports[0].address else None


# --- translation ---------------------------------------------------------------------------------


def translators(area: Area, routers: Sequence[OspfRouter]) -> list[int]:
    """The routers that translate an NSSA's routes for the domain (RFC 3101 3.1).

    Those set to do so always; if none is reachable, the border router with the highest id. Each
    router decides by who is reachable inside the area, so a split area may have several.
    """
    chosen = []
    numbers = {router.table: index for index, router in enumerate(routers)}
    candidates = [
        (vertex, router)
        for vertex, router in enumerate(area.routers)
        if router.is_border and takes_externals(router)
    ]
    for vertex, router in candidates:
        reachable = [
            other
            for at, other in candidates
            if at != vertex and np.isfinite(area.paths.dist[vertex, at])
        ]
        if _always(router, area.number) or (
            not any(_always(other, area.number) for other in reachable)
            and all(other.router_id < router.router_id for other in reachable)
        ):
            chosen.append(numbers[router.table])
    return chosen


def _always(router: OspfRouter, area: int) -> bool:
    return router.instance.area(area).translate is TranslatorRole.ALWAYS


@dataclass(frozen=True, slots=True)
class CondensedRange:
    """An external range that holds routes of its NSSA, at one translator."""

    router: int  #: index of the translator
    range: OspfExternalRange
    lsa: ExternalLsa | None  #: what is announced in place of what it holds; None: nothing


def translated(
    lsas: Sequence[ExternalLsa],
    areas: Mapping[int, Area],
    routers: Sequence[OspfRouter],
    interning: Interning,
) -> tuple[list[ExternalLsa], list[CondensedRange]]:
    """What translators announce to the domain of the routes of their NSSA (RFC 3101 3.2).

    Routes with the P-bit and a forwarding address, unless the translator announces the prefix
    itself. Of several to a prefix the best is translated: type 1 first, then the lowest metric,
    then the highest router id. An external range stands for what it holds; one that holds nothing
    but a route to its own prefix leaves that as it is.
    """
    found: list[ExternalLsa] = []
    condensed: list[CondensedRange] = []
    for number, area in areas.items():
        offered: dict[int, ExternalLsa] = {}
        for lsa in lsas:
            if lsa.scope == number and lsa.propagate and lsa.forward is not None:
                held = offered.get(lsa.prefix)
                if held is None or _better(lsa, held, routers):
                    offered[lsa.prefix] = lsa
        if not offered:
            continue
        for index in translators(area, routers):
            own = {lsa.prefix for lsa in lsas if lsa.router == index and lsa.scope == DOMAIN}
            vertex = area.vertex_of[routers[index].table]
            mine = [
                replace(lsa, router=index, scope=DOMAIN, propagate=False, translated_from=number)
                for lsa in offered.values()
                if lsa.prefix not in own
                and np.isfinite(area.paths.dist[vertex, area.vertex_of[routers[lsa.router].table]])
            ]
            ranges = routers[index].instance.area(number).external_ranges
            single, whole = _condense(mine, ranges, index, interning)
            found += single + [item.lsa for item in whole if item.lsa is not None]
            condensed += whole
    return found, condensed


def _condense(
    lsas: Sequence[ExternalLsa],
    ranges: Sequence[OspfExternalRange],
    router: int,
    interning: Interning,
) -> tuple[list[ExternalLsa], list[CondensedRange]]:
    """Translated routes that no range holds, and the ranges that hold others (RFC 3101 3.2 (3)).

    A range is of type 2 if one of what it holds is. Its metric is the highest of them; of type 2
    one more, so that no part of it is beaten by the whole.
    """
    single: list[ExternalLsa] = []
    held: dict[OspfExternalRange, list[ExternalLsa]] = {}
    for lsa in lsas:
        prefix = interning.prefixes.prefixes[lsa.prefix]
        best = most_specific(prefix, ranges)
        if best is None:
            single.append(lsa)
        else:
            held.setdefault(best, []).append(lsa)
    whole: list[CondensedRange] = []
    for item, members in held.items():
        number = interning.prefixes.add(item.prefix)
        if item.advertise and [lsa.prefix for lsa in members] == [number]:
            single += members
            continue
        kind = max(lsa.metric_type for lsa in members)
        metric = max(lsa.metric for lsa in members if lsa.metric_type == kind) + (kind == 2)
        lsa = replace(
            members[0],
            prefix=number,
            metric_type=kind,
            metric=min(metric, 0xFFFFFE),
            forward=None,
            tag=item.tag,
            place=item.place,
        )
        whole.append(CondensedRange(router, item, lsa if item.advertise else None))
    return single, whole


def _better(lsa: ExternalLsa, held: ExternalLsa, routers: Sequence[OspfRouter]) -> bool:
    def order(item: ExternalLsa) -> tuple[int, int, int]:
        return item.metric_type, item.metric, -int(routers[item.router].router_id)

    return order(lsa) < order(held)
