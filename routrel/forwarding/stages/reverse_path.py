"""Whether a packet's source is one that may come in by its interface."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.forwarding.evidence import (
    Cause,
    Direction,
    Evidence,
    Result,
    StageName,
    Stopped,
    Verdict,
)
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Packet
from routrel.forwarding.stages.loop import looped
from routrel.model.addresses import Address
from routrel.model.network import Processing, ReversePathCheck
from routrel.model.place import Place
from routrel.rib.table import Route

__all__ = ["ReversePathEvidence", "reverse_path"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ReversePathEvidence(Evidence):
    """The route back to the source, held against the interface a packet came in by.

    `own` is set where the source is the device's own address, which nobody else may use.
    """

    interface: str
    mode: ReversePathCheck | None  #: None: only the device's own addresses are refused
    source: Address
    route: Route | None
    place: Place
    own: bool = False

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name,
            kind="own_source" if self.own else "reverse_path",
            interface=self.interface,
            direction=Direction.IN,
            place=self.place,
        )


def reverse_path(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """RFC 3704; with Linux processing nobody else may use the device's own addresses."""
    interface, name = packet.arrived_by, StageName.REVERSE_PATH
    if interface is None or not forwarder.filters:
        return (packet,)
    source, device = packet.header.source, packet.device
    evidence = ReversePathEvidence(
        interface=interface.name,
        mode=interface.reverse_path_check,
        source=source,
        route=None,
        place=interface.place,
    )
    linux = device.processing is Processing.LINUX
    own_source = source.version == 4 and forwarder.lookup.is_own(device, source)
    if linux and own_source and not interface.accept_own_source:
        visits = [n for n, hop in enumerate(packet.path.hops) if hop.device == device.name]
        if visits:
            return (looped(packet, forwarder, visits[0], name),)
        own = replace(evidence, own=True)
        return (forwarder.stop(packet, name, own, Verdict.FILTERED),)
    if interface.reverse_path_check is None or (linux and source.version == 6):
        return (packet,)
    route = forwarder.lookup.way_back(device, packet.vrf, packet.header, packet.out)
    evidence = replace(evidence, route=route)
    if forwarder.lookup.comes_back(route, interface):
        return (packet.noting(name, Result.PASSED, evidence),)
    return (forwarder.stop(packet, name, evidence, Verdict.FILTERED),)
