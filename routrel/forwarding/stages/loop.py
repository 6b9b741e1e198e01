"""Whether a packet is back where it has been."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.forwarding.evidence import Cause, Evidence, StageName, Stopped, Verdict
from routrel.forwarding.forwarder import Forwarder
from routrel.forwarding.packet import Outcome, Packet, same_but_port, same_packet
from routrel.forwarding.stages.route import RouteEvidence
from routrel.model.place import Place

__all__ = ["LoopEvidence", "back_again", "looped"]

#: Rounds of a packet that differ in a port that a translator chose, before that counts as a loop.
_PORT_ROUNDS = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopEvidence(Evidence):
    """The devices the packet goes round, in order, from where it was first seen."""

    devices: tuple[str, ...]
    place: Place  #: the configured route that the first of them follows, else the device itself

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name, kind="loop", interface=at.interface_in, place=self.place
        )


def back_again(packet: Packet) -> int | None:
    """The number of the hop at which a packet came to the same device by the same interface.

    None where it is new here.
    """
    rounds = 0
    here = (packet.device.name, packet.vrf, packet.interface_in)
    for number, hop in enumerate(packet.path.hops):
        if hop.outside or (hop.device, hop.vrf, hop.interface_in) != here:
            continue
        if not same_packet(hop.header, packet.header):
            if not same_but_port(hop.header, packet.header):
                continue
            # A translator gave it another port: nothing may know it by that, or a filter may.
            rounds += 1
            if rounds < _PORT_ROUNDS:
                continue
        return number
    return None


def looped(packet: Packet, forwarder: Forwarder, first: int, name: StageName) -> Outcome:
    """The packet is back at a device it has been at, the hop of number `first`."""
    hops = packet.path.hops
    routes = [s.evidence.route for s in hops[first].stages if isinstance(s.evidence, RouteEvidence)]
    configured = [route.place for route in routes if route and route.place.line]
    evidence = LoopEvidence(
        devices=tuple(hop.device for hop in hops[first:]),
        place=configured[0] if configured else packet.device.place,
    )
    return forwarder.stop(packet, name, evidence, Verdict.LOOPED)
