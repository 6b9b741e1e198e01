"""Announcements that a speaker makes to a neighbour only while its table is of a certain kind."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from routrel.model.bgp import TableCondition
from routrel.model.policy import PrefixRange
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.speakers import Speaker
from routrel.rib.table import Rib

__all__ = ["Closed", "closed_announcements", "unmet"]


@dataclass(frozen=True, slots=True)
class Closed:
    """What a peer does not carry now. `ranges` of None are the default route of its own."""

    place: int  #: the peer's position
    ranges: tuple[PrefixRange, ...] | None


def closed_announcements(
    speakers: Sequence[Speaker], peers: Sequence[DirectedPeer], view: Rib
) -> Iterator[Closed]:
    """What conditions that do not hold keep back, in order of the peers."""
    for place, peer in enumerate(peers):
        settings, speaker = peer.sender_settings, speakers[peer.sender]
        for item in settings.conditional or ():
            if unmet(speaker, view, item.condition):
                yield Closed(place, item.prefixes)
        default = settings.default_route
        if default is not None and unmet(speaker, view, default.condition):
            yield Closed(place, None)


def unmet(speaker: Speaker, view: Rib, condition: TableCondition) -> str:
    """Why a condition does not hold of a speaker's table, in words; empty where it holds."""
    if speaker.table is None:
        return ""
    wanted, unwanted = condition.holds, condition.lacks
    if wanted and not _active(speaker, view, wanted):
        return f"the table of {speaker.name} holds nothing of {_listed(wanted)}"
    found = _active(speaker, view, unwanted) if unwanted else ""
    return f"the table of {speaker.name} holds {found}" if found else ""


def _active(speaker: Speaker, view: Rib, ranges: Sequence[PrefixRange]) -> str:
    """The first active prefix of a speaker's table that one of some ranges holds; empty: none."""
    if speaker.table is None:
        return ""
    table = view.interning.table_numbers[speaker.table]
    for item in ranges:
        exact = item.shortest == item.longest == item.prefix.prefixlen
        if exact and view.active_route(table, item.prefix) is not None:
            return str(item.prefix)
    wide = [item for item in ranges if item.longest > item.prefix.prefixlen]
    if wide:
        prefixes = view.interning.prefixes.prefixes
        for number in view.table_rows(table)["prefix"].tolist():
            if any(item.holds(prefixes[number]) for item in wide):
                return str(prefixes[number])
    return ""


def _listed(ranges: Sequence[PrefixRange]) -> str:
    return ", ".join(dict.fromkeys(str(item.prefix) for item in ranges))
