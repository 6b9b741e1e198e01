"""Remedies as answers, with their words."""

from __future__ import annotations

from routrel.answers.base import Answer, LinesData
from routrel.answers.moves import MovesData, moves_data
from routrel.forwarding.header_sets import Box
from routrel.lens.changes import Change
from routrel.model.addresses import address_of, range_words
from routrel.model.traffic import PORT_PROTOCOLS, protocol_name
from routrel.questions.moves import Moves
from routrel.questions.remedies.search import Remedies, Remedy
from routrel.wording.flows import answer_sentence

__all__ = ["RemediesData", "remedies_data"]

#: Sets of headers that are spelled out; of the others only their number is told.
_SPELLED = 4


class RemedyData(Answer):
    """Edits that were tried and let the flow arrive, and all that they do besides."""

    text: str
    changes: list[Change]
    edits: list[LinesData]
    opens: float  #: headers that filters permit then and did not before; may be many
    opens_text: str
    moves: MovesData
    moves_text: str
    then: str


class RemediesData(Answer):
    """What a search for remedies came to."""

    remedies: list[RemedyData]
    remedies_sentence: str
    tried: int
    given_up: bool


def remedies_data(found: Remedies) -> RemediesData:
    """What a search for remedies came to."""
    return RemediesData(
        remedies=[_remedy_data(remedy) for remedy in found.found],
        remedies_sentence=_sentence(found),
        tried=found.tried,
        given_up=found.given_up,
    )


def _remedy_data(remedy: Remedy) -> RemedyData:
    return RemedyData(
        text=remedy.text,
        changes=list(remedy.changes),
        edits=[LinesData.of(patch) for patch in remedy.patches],
        opens=float(remedy.opens),
        opens_text=_opens_words(remedy),
        moves=moves_data(remedy.moves),
        moves_text=_moves_words(remedy.moves),
        then=answer_sentence(remedy.after),
    )


def _sentence(found: Remedies) -> str:
    edits = "one edit" if found.tried == 1 else f"{found.tried} edits"
    if not found.needed:
        return "Nothing to remedy: it arrives, and so do its answers."
    if found.found:
        count = len(found.found)
        best = "One remedy" if count == 1 else f"{count} remedies"
        return f"{best} found by trying {edits}; the smallest first."
    if not found.tried:
        return "No edit is known that could help here."
    if found.given_up:
        return f"No remedy found in the time given; {edits} tried."
    return f"None of the {edits} tried makes both directions arrive."


def _opens_words(remedy: Remedy) -> str:
    if not remedy.opens:
        return "opens nothing in any filter"
    boxes = [_box_words(box) for box in remedy.opened[:_SPELLED]]
    more = len(remedy.opened) - len(boxes)
    also = f" and {more} more sets" if more > 0 else ""
    return f"opens {remedy.opens:,} headers: {'; '.join(dict.fromkeys(boxes))}{also}"


def _box_words(box: Box) -> str:
    protocols = [n for n in range(256) if box.protocols >> n & 1]
    name = protocol_name(protocols[0]) if len(protocols) == 1 else f"{len(protocols)} protocols"
    ported = all(number in PORT_PROTOCOLS for number in protocols)
    words = [name]
    for addresses, ports in (
        (box.sources, box.source_ports),
        (box.destinations, box.destination_ports),
    ):
        port = _port_words(ports, (0, 65535)) if ported else ""
        words.append(_addresses(box.version, addresses) + (f" port {port}" if port else ""))
    return f"{words[0]} {words[1]} → {words[2]}"


def _addresses(version: int, ends: tuple[int, int]) -> str:
    first, last = (address_of(version, end) for end in ends)
    if ends == (0, (1 << first.max_prefixlen) - 1):
        return "any"
    return range_words(first, last)


def _port_words(ends: tuple[int, int], all_: tuple[int, int]) -> str:
    if ends == all_:
        return ""
    return str(ends[0]) if ends[0] == ends[1] else f"{ends[0]}-{ends[1]}"


def _moves_words(found: Moves) -> str:
    if not found.prefixes and not found.flows:
        return "moves no route and none of the kept flows"
    routes = (
        f"{found.prefixes} prefix{'es' if found.prefixes != 1 else ''} on {found.devices} "
        f"device{'s' if found.devices != 1 else ''}"
        if found.prefixes
        else "no route"
    )
    flows = (
        f"the kept flows {', '.join(found.flows)}"
        if found.flows
        else f"none of {found.flows_asked} kept flows"
    )
    return f"moves {routes} and {flows}"
