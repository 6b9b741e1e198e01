"""What keeps a route from crossing from one table to its neighbour, protocol by protocol."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from routrel.convergence.converge import State
from routrel.files.values import format_area
from routrel.model.addresses import is_within
from routrel.model.eigrp import StubRoutes
from routrel.model.network import INTERFACE_PROTOCOLS, Device, Vrf, protocol_title
from routrel.model.policy import PolicyUse
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.protocols.bgp.explaining import chosen_path
from routrel.protocols.bgp.sessions import SessionState
from routrel.protocols.isis.adjacency import System
from routrel.protocols.ospf.domain import OspfDomain
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter
from routrel.protocols.rip.domain import INFINITY
from routrel.protocols.shared.speaking import version_of
from routrel.questions.absence_steps import AbsenceStep
from routrel.questions.redistributing import has_metric, held_back, rejection
from routrel.rib.candidates import Interning, PathType, Protocol
from routrel.rib.table import Route
from routrel.topology.segments import Attachment

__all__ = ["AbsenceStep", "Crossing", "obstacles"]


class Crossing:
    """A table that has a route, its neighbour that lacks it, and the links between them."""

    def __init__(self, state: State, holder: int, lacking: int, prefix: int) -> None:
        self.state = state
        self.interning = state.rib.interning
        self.holder, self.lacking, self.prefix = holder, lacking, prefix
        self.version = self.interning.prefixes.prefixes[prefix].version
        self.here, self.here_vrf = self._named(holder)
        self.there, self.there_vrf = self._named(lacking)

    def _named(self, table: int) -> tuple[Device, Vrf]:
        name, vrf_name = self.interning.tables[table]
        device = self.state.topology.devices[name]
        vrf = device.vrf(vrf_name)
        if vrf is None:
            raise ValueError(f"{name} has no VRF {vrf_name}")
        return device, vrf

    @property
    def links(self) -> Iterator[tuple[Attachment, Attachment]]:
        """The pairs of interfaces that join the two, whether up or down."""
        topology = self.state.topology
        for interface in self.here.interfaces:
            segment = topology.segment_of.get((self.here.name, interface.name))
            if segment is None or interface.vrf != self.here_vrf.name:
                continue
            for end in segment.ends:
                if end.device.name == self.there.name and end.interface.vrf == self.there_vrf.name:
                    yield Attachment(self.here, interface), end

    def is_up(self, pair: tuple[Attachment, Attachment]) -> bool:
        return all(self.state.topology.is_up(*end.key) for end in pair)

    @property
    def prefix_text(self) -> str:
        return str(self.interning.prefixes.prefixes[self.prefix])


def obstacles(crossing: Crossing, route: Route) -> list[AbsenceStep]:
    """What stops the holder's route at this crossing; the likeliest cause first.

    Args:
        route: The holder's active route.
    """
    found: list[AbsenceStep] = list(_announces_itself(crossing))
    links = list(crossing.links)
    up = [pair for pair in links if crossing.is_up(pair)]
    if not up:
        for pair in links:
            shut = next((end for end in pair if not end.interface.enabled), pair[0])
            found.append(
                AbsenceStep(
                    kind="interface_down",
                    device=shut.device.name,
                    text=f"{shut} is shut, so the link between {pair[0]} and {pair[1]} is down",
                    suggestion="enable it",
                    place=shut.interface.place,
                )
            )
        return found
    spoken = [key for key in INTERFACE_PROTOCOLS if _carries(key, crossing.version)]
    common = [
        key
        for key in spoken
        if getattr(crossing.here_vrf, key) is not None
        and getattr(crossing.there_vrf, key) is not None
    ]
    for key in common:
        found.extend(_of_protocol(crossing, up, Protocol[key.upper()], route))
    in_session = _in_session(crossing)
    if in_session:
        found.extend(_not_in_bgp(crossing, route))
    if not common and not in_session:
        found.append(
            AbsenceStep(
                kind="no_common_protocol",
                device=crossing.there.name,
                text=f"{crossing.here.name} and {crossing.there.name} speak no routing protocol "
                f"in common, and {crossing.there.name} has no static route to "
                f"{crossing.prefix_text}",
                suggestion="add a static route, or let both speak one protocol",
                place=crossing.there.place,
            )
        )
    # A protocol that is simply not there explains nothing where another one says what happened.
    told = [obstacle for obstacle in found if obstacle.kind != "not_running"]
    return told or found or list(_tells_a_default(crossing))


def _in_session(crossing: Crossing) -> bool:
    """Whether a BGP session between the two is up."""
    domain = crossing.state.protocols.bgp
    ends = {
        domain.index_of.get(crossing.interning.tables[table])
        for table in (crossing.holder, crossing.lacking)
    }
    return any(
        session.state is SessionState.UP and {session.local, session.remote} == ends
        for session in domain.sessions
    )


def _not_in_bgp(crossing: Crossing, route: Route) -> Iterator[AbsenceStep]:
    """The holder has a route and announces it into BGP neither as a network nor redistributed."""
    domain, instance = crossing.state.protocols.bgp, crossing.here_vrf.bgp
    index = domain.index_of[crossing.interning.tables[crossing.holder]]
    if instance is None or chosen_path(domain, index, crossing.prefix) is not None:
        return
    source = protocol_title(route.protocol.id)
    yield AbsenceStep(
        kind="not_redistributed",
        device=crossing.here.name,
        text=f"{crossing.here.name} has it from {source} and announces it into BGP neither as a "
        f"network nor by taking {source} in",
        suggestion=f"add networks: [{{prefix: {crossing.prefix_text}}}] under bgp:",
        place=instance.place,
    )


def _announces_itself(crossing: Crossing) -> Iterator[AbsenceStep]:
    """A router that originates a default without having one does not believe its echo."""
    name = crossing.interning.tables[crossing.lacking]
    for protocol, takings in crossing.state.protocols.injected.items():
        index = _domain(crossing, protocol).index_of.get(name)
        for item in takings.get(index, ()):
            if item.prefix == crossing.prefix:
                yield AbsenceStep(
                    kind="announces_itself",
                    device=crossing.there.name,
                    text=f"{crossing.there.name} announces it into {protocol_title(protocol.id)} "
                    "itself, so it takes nobody else's",
                    suggestion="give it a route of its own to announce",
                    place=item.place,
                )


def _tells_a_default(crossing: Crossing) -> Iterator[AbsenceStep]:
    """A BGP speaker may tell neighbours a default route that it does not have itself."""
    domain = crossing.state.protocols.bgp
    index = domain.index_of.get(crossing.interning.tables[crossing.lacking])
    if index is None or crossing.interning.prefixes.prefixes[crossing.prefix].prefixlen:
        return
    for neighbour, settings in domain.speakers[index].neighbours:
        if settings.default_route is not None:
            yield AbsenceStep(
                kind="announces_itself",
                device=crossing.there.name,
                text=f"{crossing.there.name} tells {neighbour.address} a default route of its own "
                "making and has none itself; nobody tells it one",
                suggestion="give it a route of its own to announce",
                place=settings.default_route.place,
            )


def _carries(key: str, version: int) -> bool:
    return key in ("eigrp", "isis") or version_of(key) == version


def _of_protocol(
    crossing: Crossing,
    links: list[tuple[Attachment, Attachment]],
    protocol: Protocol,
    route: Route,
) -> Iterator[AbsenceStep]:
    """Why a protocol that both speak does not carry the route over."""
    apart = list(_apart(crossing, links, protocol))
    joined = len(apart) < len(links)
    if not joined:
        yield from apart
        return
    if not _is_in(crossing, protocol, route):
        yield from _not_taken(crossing, protocol, route)
        return
    yield from _inside(crossing, protocol, route)
    yield from apart


# --- neighbours ----------------------------------------------------------------------------------


def _apart(
    crossing: Crossing, links: list[tuple[Attachment, Attachment]], protocol: Protocol
) -> Iterator[AbsenceStep]:
    """For each link on which the two do not hear each other, why."""
    name = protocol_title(protocol.id)
    for here, there in links:
        settings = [getattr(end.interface, protocol.id) for end in (here, there)]
        silent = next(
            (
                (end, found)
                for end, found in zip((here, there), settings, strict=True)
                if found is None or found.passive
            ),
            None,
        )
        # RIP listens on a passive interface; only the holder's silence keeps a route back.
        if silent and protocol in crossing.state.protocols.rip and silent[0] is there:
            silent = None if silent[1] is not None else silent
        if silent is not None:
            end, found = silent
            why = f"does not run {name}" if found is None else f"is passive in {name}"
            yield AbsenceStep(
                kind="not_running" if found is None else "passive",
                device=end.device.name,
                text=f"{end} {why}",
                suggestion=f"add {protocol.id}: to the interface"
                if found is None
                else "let it speak",
                place=end.interface.place if found is None else found.place,
            )
            continue
        for refusal in _refusals(crossing, protocol):
            if {refusal.left.key, refusal.right.key} == {here.key, there.key}:
                mine = refusal.left if refusal.left.key == there.key else refusal.right
                yield AbsenceStep(
                    kind="no_adjacency",
                    device=there.device.name,
                    text=f"{here} and {there} are not adjacent in {name}: {refusal.text}",
                    suggestion="make both sides agree",
                    place=refusal.place if refusal.place.line else mine.settings.place,
                )
        if settings[0].authentication != settings[1].authentication and (
            protocol in crossing.state.protocols.rip
        ):
            yield AbsenceStep(
                kind="no_adjacency",
                device=there.device.name,
                text=f"{here} and {there} ignore each other's {name}: their keys differ",
                suggestion="make both sides agree",
                place=settings[1].place,
            )


def _refusals(crossing: Crossing, protocol: Protocol) -> Any:
    protocols = crossing.state.protocols
    if protocol in protocols.ospf:
        return protocols.ospf[protocol].adjacencies.refusals
    if protocol is Protocol.EIGRP:
        return protocols.eigrp.neighbours.refusals
    if protocol is Protocol.ISIS:
        return protocols.isis.adjacencies.refusals
    return ()


# --- into the protocol ---------------------------------------------------------------------------


def _is_in(crossing: Crossing, protocol: Protocol, route: Route) -> bool:
    """Whether the holder has the route in a protocol: learned, taken in, or its own network."""
    if route.protocol is protocol:
        return True
    index = _domain(crossing, protocol).index_of.get(crossing.interning.tables[crossing.holder])
    injected = crossing.state.protocols.injected.get(protocol, {}).get(index, ())
    if any(item.prefix == crossing.prefix and has_metric(protocol, item) for item in injected):
        return True
    own = {
        interface.name
        for interface in crossing.here.interfaces
        if getattr(interface, protocol.id) is not None
    }
    return route.protocol is Protocol.CONNECTED and any(
        hop.interface in own for hop in route.next_hops
    )


def _domain(crossing: Crossing, protocol: Protocol) -> Any:
    protocols = crossing.state.protocols
    if protocol in protocols.ospf:
        return protocols.ospf[protocol]
    if protocol in protocols.rip:
        return protocols.rip[protocol]
    return protocols.eigrp if protocol is Protocol.EIGRP else protocols.isis


def _not_taken(crossing: Crossing, protocol: Protocol, route: Route) -> Iterator[AbsenceStep]:
    """The holder has the route from elsewhere and does not announce it into the protocol."""
    name, source = protocol_title(protocol.id), protocol_title(route.protocol.id)
    holder = crossing.here.name
    instance = getattr(crossing.here_vrf, protocol.id)
    if _hears(crossing, protocol):
        yield AbsenceStep(
            kind="not_active",
            device=holder,
            text=f"{holder} hears it in {name} too, but its {source} route wins (distance "
            f"{route.distance}), and {name} passes on only what is active",
            suggestion=f"take {source} into {name}, or give one of the two another distance",
            place=instance.place,
        )
    items = [
        item
        for item in instance.redistribute
        if PROTOCOL_OF[item.source] is route.protocol
        or (item.with_connected and route.protocol is Protocol.CONNECTED)
    ]
    for item in items:
        yield held_back(crossing.state, crossing.holder, crossing.here, item, route, protocol)
    if not items:
        yield AbsenceStep(
            kind="not_redistributed",
            device=holder,
            text=f"{holder} has it from {source} and does not take {source} into {name}",
            suggestion=f"add redistribute: [{{from: {route.protocol.id}}}] under {protocol.id}:",
            place=instance.place,
        )


def _hears(crossing: Crossing, protocol: Protocol) -> bool:
    kinds = crossing.interning.kinds.kinds
    rows = crossing.state.rib.candidate_rows(crossing.holder, crossing.prefix)
    return any(kinds[row["kind"]].protocol is protocol for row in rows)


# --- inside one protocol -------------------------------------------------------------------------


def _inside(crossing: Crossing, protocol: Protocol, route: Route) -> Iterator[AbsenceStep]:
    """Why neighbours in a protocol do not share a route that the holder has in it."""
    if protocol in crossing.state.protocols.ospf:
        yield from _inside_ospf(crossing, protocol, route)
    elif protocol is Protocol.ISIS:
        yield from _inside_isis(crossing, route)
    else:
        yield from _inside_vectors(crossing, protocol, route)


def _inside_ospf(crossing: Crossing, protocol: Protocol, route: Route) -> Iterator[AbsenceStep]:
    domain = crossing.state.protocols.ospf[protocol]
    routers = [
        domain.routers[domain.index_of[crossing.interning.tables[table]]]
        for table in (crossing.holder, crossing.lacking)
    ]
    holder, other = routers
    shared = sorted(holder.areas & other.areas)
    if route.prefix.prefixlen == 0 and other.is_border:
        for number in shared:
            area = other.instance.area(number)
            if area.type.is_stub or not area.type.takes_summaries or area.default_route:
                yield AbsenceStep(
                    kind="announces_itself",
                    device=other.table[0],
                    text=f"{other.table[0]} gives area {format_area(number)} its default, and does "
                    "not believe another border router's",
                    suggestion="give it a default route of its own",
                    place=area.place,
                )
    external = route.protocol is not protocol or route.path_type not in (
        PathType.INTRA_AREA,
        PathType.INTER_AREA,
        PathType.SUMMARY,
    )
    own = route.protocol is Protocol.CONNECTED
    for number in shared:
        area = other.instance.area(number)
        if external and not own and (area.type.is_stub or area.type.is_nssa):
            yield AbsenceStep(
                kind="stub_area",
                device=other.table[0],
                text=f"it is an external route, and area {format_area(number)} is "
                f"{area.type.value}, which takes none",
                suggestion="a default route is what the area gets; or make it a normal area",
                place=area.place,
            )
        elif not external and not holder.instance.area(number).type.takes_summaries:
            settings = holder.instance.area(number)
            yield AbsenceStep(
                kind="stub_area",
                device=holder.table[0],
                text=f"{holder.table[0]} makes area {format_area(number)} "
                f"{settings.type.value}, so it announces nothing but a default into it",
                suggestion="announce summaries into it",
                place=settings.place,
            )
    yield from _forwarded_elsewhere(domain, routers, crossing.interning, route)
    for item in domain.internal.ranges:
        if item.table == crossing.holder and is_within(route.prefix, item.range.prefix):
            stands = f"announces {item.range.prefix} in its place"
            yield AbsenceStep(
                kind="hidden_by_summary",
                device=holder.table[0],
                text=f"the range {item.range.prefix} of {holder.table[0]} "
                + (stands if item.range.advertise else "hides it"),
                suggestion="remove the range, or let it announce",
                place=item.range.place,
            )
    for condensed in domain.condensed:
        held = is_within(route.prefix, condensed.range.prefix)
        if held and domain.routers[condensed.router] is holder:
            stands = f"announces {condensed.range.prefix} in its place"
            yield AbsenceStep(
                kind="hidden_by_summary",
                device=holder.table[0],
                text=f"the external range {condensed.range.prefix} of {holder.table[0]} "
                + (stands if condensed.range.advertise else "hides it"),
                suggestion="remove the range, or let it announce",
                place=condensed.range.place,
            )
    if other.instance.import_policy is not None:
        rejected = rejection(
            crossing.state, crossing.holder, crossing.there, other.instance.import_policy, route
        )
        if rejected is not None:
            yield rejected
    if other.is_border and BACKBONE in other.areas and not _on_one_backbone(domain, routers):
        yield AbsenceStep(
            kind="split_backbone",
            device=other.table[0],
            text=f"{other.table[0]} has several areas, so it believes summaries of the backbone "
            f"alone, and the backbone does not join it to {holder.table[0]}",
            suggestion="join the backbone, by a virtual link perhaps",
            place=other.instance.place,
        )
    if len(holder.areas) > 1 and not holder.is_border:
        yield AbsenceStep(
            kind="no_backbone",
            device=holder.table[0],
            text=f"{holder.table[0]} has several areas and no backbone, and with border: rfc3509 "
            "is no border router then: it announces nothing of one area into another",
            suggestion="join it to area 0, by a virtual link perhaps",
            place=holder.instance.place,
        )
    if other.is_border and BACKBONE not in other.areas:
        yield AbsenceStep(
            kind="no_backbone",
            device=other.table[0],
            text=f"{other.table[0]} has several areas, so it believes summaries of the backbone "
            "alone, and it has no backbone",
            suggestion="join it to area 0, by a virtual link perhaps, or set border: rfc3509",
            place=other.instance.place,
        )


def _forwarded_elsewhere(
    domain: OspfDomain, routers: list[OspfRouter], interning: Interning, route: Route
) -> Iterator[AbsenceStep]:
    """An external route names an address to send to that the other cannot send to (16.4 (3))."""
    holder, other = routers
    for lsa in domain.external_lsas(interning.prefixes.number(route.prefix)):
        if domain.routers[lsa.router] is not holder or lsa.forward is None:
            continue
        if any(port.address and port.address.ip == lsa.forward for port in other.ports):
            why = f"{other.table[0]}'s own address"
        elif domain.reaches_exit(domain.index_of[other.table], lsa):
            continue
        else:
            why = f"an address to which {other.table[0]} has no route inside OSPF"
        yield AbsenceStep(
            kind="forwarding_address",
            device=holder.table[0],
            text=f"{holder.table[0]} announces it with the forwarding address {lsa.forward}, "
            f"which is {why}",
            suggestion="announce a route whose next hop lies elsewhere, or let OSPF know the way",
            place=lsa.place,
        )


def _on_one_backbone(domain: OspfDomain, routers: list[OspfRouter]) -> bool:
    """Whether the backbone joins two routers."""
    area = domain.areas.get(BACKBONE)
    at = [area.vertex_of.get(router.table) for router in routers] if area else [None]
    if area is None or None in at:
        return False
    return bool(np.isfinite(area.paths.dist[at[1], at[0]]))


def _joined_levels(crossing: Crossing, holder: System, other: System) -> set[int]:
    """The levels that two systems share on a circuit between them."""
    here, there = (
        {circuit.interface.name: set(circuit.levels) for circuit in system.circuits}
        for system in (holder, other)
    )
    return {
        level
        for near, far in crossing.links
        for level in here.get(near.interface.name, set()) & there.get(far.interface.name, set())
    }


def _inside_isis(crossing: Crossing, route: Route) -> Iterator[AbsenceStep]:
    domain = crossing.state.protocols.isis
    systems = [
        domain.systems[domain.index_of[crossing.interning.tables[table]]]
        for table in (crossing.holder, crossing.lacking)
    ]
    holder, other = systems
    connected = route.protocol is Protocol.CONNECTED
    own = {hop.interface for hop in route.next_hops} if connected else set()
    for circuit in holder.circuits:
        if circuit.interface.name in own and not circuit.levels:
            yield AbsenceStep(
                kind="not_announced",
                device=holder.table[0],
                text=f"{circuit} is of a level that {holder.table[0]} does not speak, so nobody "
                "hears of its networks",
                suggestion="let both have a level in common",
                place=circuit.settings.place,
            )
    if route.path_type is PathType.ATTACHED:
        yield AbsenceStep(
            kind="attached_default",
            device=holder.table[0],
            text=f"{holder.table[0]} has it only as the way towards the nearest attached system; "
            "that is announced to nobody",
            suggestion="announce a default route with default-route:",
            place=holder.instance.place,
        )
        return
    if holder.levels == (1, 2) and 2 not in _joined_levels(crossing, holder, other):
        use = holder.instance.leak_down
        rejected = (
            rejection(crossing.state, crossing.holder, crossing.here, use, route) if use else None
        )
        yield rejected or AbsenceStep(
            kind="not_leaked",
            device=holder.table[0],
            text=f"{holder.table[0]} has it at level 2 and lets nothing of it down into level 1",
            suggestion="name a policy under leak-down:",
            place=holder.instance.place,
        )
    elif holder.instance.leak_up is not None:
        rejected = rejection(
            crossing.state, crossing.holder, crossing.here, holder.instance.leak_up, route
        )
        if rejected is not None:
            yield rejected
    if holder.instance.overload:
        yield AbsenceStep(
            kind="overload",
            device=holder.table[0],
            text=f"{holder.table[0]} is overloaded, so nothing goes through it",
            suggestion="remove overload:",
            place=holder.instance.place,
        )


def _inside_vectors(crossing: Crossing, protocol: Protocol, route: Route) -> Iterator[AbsenceStep]:
    """RIP and EIGRP: what became of the holder's announcement on each link."""
    name = protocol_title(protocol.id)
    protocols = crossing.state.protocols
    heard = False
    if protocol in protocols.rip:
        domain = protocols.rip[protocol]
        index = domain.index_of[crossing.interning.tables[crossing.lacking]]
        for offer in domain.offers(index, crossing.prefix):
            if offer.hearing.out.device.name != crossing.here.name:
                continue
            heard = True
            if offer.stopped_by is not None:
                by_sender = offer.stopped_by is offer.hearing.out.settings.export_policy
                device = crossing.here if by_sender else crossing.there
                yield _policy_obstacle(crossing, device, offer.stopped_by, route)
            elif offer.metric >= INFINITY:
                yield AbsenceStep(
                    kind="infinity",
                    device=crossing.there.name,
                    text=f"{crossing.there.name} hears it with metric {INFINITY}, which is out of "
                    "reach",
                    suggestion="shorten the way, or lower offsets and costs",
                    place=offer.hearing.into.settings.place,
                )
        if not heard and route.protocol is protocol and route.metric >= INFINITY - 1:
            yield AbsenceStep(
                kind="infinity",
                device=crossing.there.name,
                text=f"{crossing.here.name} holds it at {route.metric}; one hop more is "
                f"{INFINITY}, out of reach",
                suggestion="shorten the way, or lower offsets and costs",
                place=crossing.there.place,
            )
        return
    eigrp = protocols.eigrp
    sender = eigrp.routers[eigrp.index_of[crossing.interning.tables[crossing.holder]]]
    index = eigrp.index_of[crossing.interning.tables[crossing.lacking]]
    for offered in eigrp.offers(index, crossing.prefix):
        hearing = offered.hearing
        if hearing.out.device.name != crossing.here.name:
            continue
        if offered.suppressed_by is not None:
            yield AbsenceStep(
                kind="hidden_by_summary",
                device=crossing.here.name,
                text=f"{hearing.out} sends {offered.suppressed_by} in its place",
                suggestion="remove the summary",
                place=hearing.out.settings.place,
            )
        elif offered.stopped_by is not None:
            by_sender = offered.stopped_by is hearing.out.settings.export_policy
            device = crossing.here if by_sender else crossing.there
            yield _policy_obstacle(crossing, device, offered.stopped_by, route)
        elif offered.loop:
            yield AbsenceStep(
                kind="duplicate_router_id",
                device=crossing.there.name,
                text=f"it carries the EIGRP router id of {crossing.there.name} itself",
                suggestion="give each router its own router id",
                place=eigrp.routers[index].instance.place,
            )
    if sender.instance.stub:
        kinds = ", ".join(kind.value for kind in sender.instance.stub)
        yield AbsenceStep(
            kind="stub_router",
            device=crossing.here.name,
            text=f"{crossing.here.name} is an EIGRP stub that announces {kinds} only"
            if StubRoutes.NOTHING not in sender.instance.stub
            else f"{crossing.here.name} is an EIGRP stub that announces nothing",
            suggestion=f"remove stub: from {name}",
            place=sender.instance.place,
        )


def _policy_obstacle(
    crossing: Crossing, device: Device, use: PolicyUse, route: Route
) -> AbsenceStep:
    return rejection(crossing.state, crossing.holder, device, use, route) or AbsenceStep(
        kind="filtered",
        device=device.name,
        text=f"policy {use.policy} of {device.name} rejects it",
        suggestion="accept it in the policy",
        place=use.place,
    )
