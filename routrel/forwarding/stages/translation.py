"""Destination NAT before the table is asked, and source NAT on the way out."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.forwarding.connections import with_addresses
from routrel.forwarding.evidence import Cause, Evidence, Result, StageName, Stopped
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.orders import ORDERS
from routrel.forwarding.packet import Outcome, Packet, same_but_port, same_packet
from routrel.forwarding.translation import free_port, translate
from routrel.model.filters import ConnectionState
from routrel.model.traffic import Header
from routrel.model.translation import Side, TranslationRule

__all__ = ["TranslationEvidence", "destination_translation", "source_translation"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TranslationEvidence(Evidence):
    """What a packet's addresses became. `rule` is None where its connection says what."""

    side: Side
    before: Header
    after: Header
    rule: TranslationRule | None
    choices: int = 1  #: how many addresses the rule may choose from
    taken: bool = False  #: whether another connection has its ends, so that the port had to change

    def cause(self, at: Stopped) -> Cause:
        raise ValueError("translation stops nothing")


def destination_translation(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The destination, before the table is asked; of an answer, back to who asked.

    What the device sends may have been looked up before; with another destination it is again.
    """
    if not packet.is_sent:
        return _translated(packet, forwarder, StageName.TRANSLATION, Side.DESTINATION)
    if packet.own_translated:
        return (packet,)
    packet = packet.but(own_translated=True)
    steps = ORDERS[packet.device.processing].sent
    again = steps[: steps.index(StageName.TRANSLATION)]
    found: list[Outcome] = []
    for after in _translated(packet, forwarder, StageName.TRANSLATION, Side.DESTINATION):
        if not isinstance(after, Packet) or not again or same_packet(after.header, packet.header):
            found.append(after)
            continue
        anew = after.but(way=None, out=None, steered=(), table="")
        found += forwarder.through(anew, again)
    return tuple(found)


def source_translation(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The source, on the way out; of an answer for the device, back to whom it asked."""
    if packet.out is None and packet.answered is None:
        return (packet,)
    return _translated(packet, forwarder, StageName.SOURCE_TRANSLATION, Side.SOURCE)


def _translated(packet: Packet, forwarder: Forwarder, name: StageName, side: Side) -> Outcomes:
    before = packet.header
    if packet.answered is not None:
        answer = packet.answered.answer()
        after = (
            with_addresses(
                before,
                destination=answer.destination,
                destination_port=answer.destination_port,
            )
            if side is Side.DESTINATION
            else with_addresses(before, source=answer.source, source_port=answer.source_port)
        )
        if after != before:
            evidence = TranslationEvidence(side=side, before=before, after=after, rule=None)
            packet = packet.noting(name, Result.PASSED, evidence).but(header=after)
        return (packet,)
    new = packet.state is ConnectionState.NEW
    out = None
    if packet.out is not None and packet.way is not None:
        out = (packet.out, packet.way.address or before.destination)
    found = translate(packet.device, side, before, packet.context, out, new, own=packet.is_sent)
    if found is None:
        return (_with_free_port(packet, forwarder, name, side),)
    share = packet.path.share / len(found.headers)
    outcomes = []
    for after in found.headers:
        evidence = TranslationEvidence(
            side=side, before=before, after=after, rule=found.rule, choices=found.choices
        )
        noted = packet.noting(name, Result.PASSED, evidence).but(header=after)
        if share != packet.path.share:
            noted = noted.on_path(share=share)
        outcomes.append(_with_free_port(noted, forwarder, name, side))
    return tuple(outcomes)


def _with_free_port(packet: Packet, forwarder: Forwarder, name: StageName, side: Side) -> Packet:
    """A device that translates tells its connections apart by the ports of their answers.

    Where another one has the packet's ends, as when a packet comes by a second time, the source
    port becomes another one (RFC 4787 4.2).
    """
    header = packet.header
    port = header.source_port
    if side is Side.DESTINATION or port is None:
        return packet
    if packet.state is not ConnectionState.NEW or not packet.device.translation:
        return packet
    others = [
        connection.went
        for connection in (*forwarder.known, *packet.path.connections)
        if connection.device == packet.device.name and not same_packet(connection.came, packet.came)
    ]
    taken = {went.source_port for went in others if same_but_port(went, header)}
    if port not in taken:
        return packet
    after = replace(header, source_port=free_port(port, {p for p in taken if p is not None}))
    evidence = TranslationEvidence(side=side, before=header, after=after, rule=None, taken=True)
    return packet.noting(name, Result.PASSED, evidence).but(header=after)
