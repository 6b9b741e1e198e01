"""The look-up in the table, and what is for the device itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from routrel.forwarding.evidence import Cause, Evidence, Result, StageName, Stopped, Verdict
from routrel.forwarding.fib import Discard, Forward, PassOn
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Outcome, Packet
from routrel.model.addresses import Address
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route

__all__ = ["ReceiveEvidence", "RouteEvidence", "refuse_to_forward", "route"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteEvidence(Evidence):
    """The longest match, what stands behind it, and the next hop this branch takes.

    `route` is None where nothing matched. `shorter` are the less specific routes, longest first.
    """

    destination: Address
    route: Route | None
    next_hop: NextHop | None = None
    shorter: tuple[Route, ...] = ()
    table: str = ""  #: the VRF that policy-based routing named; empty: the packet's own
    unread: bool = False  #: whether the table was to be taken as it was read, and was not read

    def cause(self, at: Stopped) -> Cause:
        device, route = at.device, self.route
        vrf = self.table or at.vrf
        if route is None:
            asked = device.vrf(vrf)
            place = asked.place if asked and asked.place.line else device.place
        else:
            place = route.place
            if not route.pass_on:
                return Cause(device=device.name, kind="discard_route", place=place)
        kind = "table_not_read" if self.unread else "no_route"
        return Cause(device=device.name, kind=kind, interface=at.interface_in, place=place, vrf=vrf)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReceiveEvidence(Evidence):
    """The packet is at a device that has its destination address, or does not forward."""

    interface: str | None  #: the interface that has the address; None: it has not
    address: Address

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name,
            kind="does_not_forward",
            interface=at.interface_in,
            place=at.device.place,
        )


def route(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """Longest match, and each of its ways; what policy-based routing named goes before."""
    if packet.steered:
        return _ways(packet, packet.steered, None)
    destination, device = packet.header.destination, packet.device
    matches = forwarder.lookup.matches(device.name, packet.table or packet.vrf, destination)
    found = matches[0] if matches else None
    evidence = RouteEvidence(
        destination=destination,
        route=found.route if found else None,
        shorter=tuple(entry.route for entry in matches[1:]),
        table=packet.table,
        unread=forwarder.lookup.is_unread(device.name, packet.table or packet.vrf),
    )
    match found.action if found else PassOn():
        case PassOn():
            return (forwarder.stop(packet, StageName.ROUTE, evidence, Verdict.NO_ROUTE),)
        case Discard():
            return (forwarder.stop(packet, StageName.ROUTE, evidence, Verdict.DISCARDED),)
        case Forward(ways=ways):
            if not packet.is_sent and not device.forwards(destination.version):
                return (refuse_to_forward(packet, forwarder),)
            if packet.is_sent:
                ways = forwarder.lookup.preferred(device, packet.header.source, ways)
            return _ways(packet, ways, evidence)


def refuse_to_forward(packet: Packet, forwarder: Forwarder) -> Outcome:
    """The packet is for somebody else, and the device is no router."""
    evidence = ReceiveEvidence(interface=None, address=packet.header.destination)
    return forwarder.stop(packet, StageName.ROUTE, evidence, Verdict.DISCARDED)


def _ways(packet: Packet, hops: tuple[NextHop, ...], evidence: RouteEvidence | None) -> Outcomes:
    total = sum(hop.weight for hop in hops)
    found = []
    for hop in hops:
        out = packet.device.interface(hop.interface or "")
        if out is None:
            raise ValueError(f"{packet.device.name} has no interface {hop.interface}")
        told = evidence or RouteEvidence(destination=packet.header.destination, route=None)
        noted = packet.noting(StageName.ROUTE, Result.PASSED, replace(told, next_hop=hop))
        if hop.weight != total:
            noted = noted.on_path(share=packet.path.share * Fraction(hop.weight, total))
        found.append(noted.but(way=hop, out=out))
    return tuple(found)
