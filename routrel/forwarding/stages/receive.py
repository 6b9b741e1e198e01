"""What becomes of a packet whose destination the device has itself, or that it does not forward."""

from __future__ import annotations

from routrel.forwarding.evidence import Direction, Result, StageName, Verdict
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.orders import ORDERS, Step
from routrel.forwarding.packet import Outcome, Packet, same_packet
from routrel.forwarding.stages.answer import taken_as_answer
from routrel.forwarding.stages.neighbour import remembered
from routrel.forwarding.stages.packet_filter import filtered
from routrel.forwarding.stages.route import ReceiveEvidence, refuse_to_forward
from routrel.forwarding.stages.translation import destination_translation, source_translation
from routrel.model.network import Processing

__all__ = ["turn_aside"]


def turn_aside(packet: Packet, forwarder: Forwarder, rest: tuple[Step, ...]) -> Outcomes:
    """A packet for the device itself is received; a host takes no others.

    Args:
        rest: The stages behind the point where it turns aside.
    """
    destination = packet.header.destination
    owned = forwarder.topology.has_address(packet.device, packet.vrf, destination)
    translates = StageName.TRANSLATION in rest and not packet.own_translated
    if owned is not None and packet.is_sent and translates:
        # Translation behind the look-up may lead elsewhere yet.
        found: list[Outcome] = []
        for after in destination_translation(packet, forwarder):
            if not isinstance(after, Packet):
                found.append(after)
            elif same_packet(after.header, packet.header):
                found += turn_aside(after, forwarder, rest)
            else:
                behind = rest[rest.index(StageName.TRANSLATION) + 1 :]
                found += forwarder.through(after, behind)
        return tuple(found)
    if owned is not None:
        evidence = ReceiveEvidence(interface=owned, address=destination)
        packet = packet.noting(StageName.ROUTE, Result.PASSED, evidence)
        if packet.is_sent:
            return _to_itself(packet, forwarder)
        order = ORDERS[packet.device.processing]
        received = forwarder.through(packet, order.received)
        return tuple(_delivered(each, forwarder) for each in received)
    device = packet.device
    is_router = device.processing is Processing.ROUTER
    if not packet.is_sent and not device.forwards(destination.version) and is_router:
        return (refuse_to_forward(packet, forwarder),)
    return forwarder.through(packet, rest)


def _to_itself(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """What a device sends to an address of its own: own traffic out, then in.

    With Linux processing it arrives too, from the device itself.
    """
    own, name = packet.device.local_traffic, StageName.FILTER_LOCAL
    bound = [(name, own.filters_out, Direction.OUT), (name, own.filters_in, Direction.IN)]
    if packet.device.processing is Processing.LINUX:
        arriving = packet.device.arriving_traffic.filters
        bound.insert(1, (StageName.FILTER_ARRIVING, arriving, Direction.ARRIVING))
    passed: Outcome = packet
    for stage, uses, direction in bound:
        if not isinstance(passed, Packet):
            return (passed,)
        passed = filtered(passed, forwarder, stage, uses, direction, None)
    if not isinstance(passed, Packet):
        return (passed,)
    return tuple(_delivered(each, forwarder) for each in source_translation(passed, forwarder))


def _delivered(outcome: Outcome, forwarder: Forwarder) -> Outcome:
    if not isinstance(outcome, Packet):
        return outcome
    taken = taken_as_answer(remembered(outcome), forwarder)
    if not isinstance(taken, Packet):
        return taken
    return taken.ended(Verdict.DELIVERED, (*taken.path.hops, taken.hop))
