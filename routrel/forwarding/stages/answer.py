"""Whether who asked takes a packet for the answer."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.forwarding.evidence import Cause, Evidence, StageName, Stopped, Verdict
from routrel.forwarding.forwarder import Forwarder
from routrel.forwarding.packet import Outcome, Packet, same_packet
from routrel.model.place import Place
from routrel.model.traffic import Fragment, Header

__all__ = ["AnswerEvidence", "taken_as_answer"]


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerEvidence(Evidence):
    """An answer whose ends are not those that were asked, as who asked sees it.

    `translator` is the device that translated what was asked, and does not see the answer.
    """

    asked: Header
    arrived: Header
    translator: str | None
    place: Place

    def cause(self, at: Stopped) -> Cause:
        device = self.translator or at.device.name
        return Cause(device=device, kind="untranslated_answer", place=self.place)


def taken_as_answer(packet: Packet, forwarder: Forwarder) -> Outcome:
    """Who asked takes an answer only from whom it asked, to where it asked from."""
    asked, header = forwarder.asked, packet.header
    if asked is None or header.fragment is Fragment.LATER or same_packet(header, asked.reply()):
        return packet
    other = next((c for c in forwarder.known if not same_packet(c.came, c.went)), None)
    evidence = AnswerEvidence(
        asked=asked,
        arrived=header,
        translator=other.device if other else None,
        place=other.place if other else packet.device.place,
    )
    return forwarder.stop(packet, StageName.ANSWER, evidence, Verdict.DISCARDED)
