"""What it would take for a candidate that lost: the smallest change at one place that lets it win.

Every change that is told has been made, computed and seen to work; with it stands what else it
moves. Changes that were tried in vain are told with the rung where the candidate lost then.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from ipaddress import IPv4Network, IPv6Network
from typing import Any

from routrel.answers.base import Answer, LinesData, Placed, position
from routrel.answers.moves import MovesData, moves_data
from routrel.answers.winning_edits import Proposals
from routrel.convergence.converge import State, reconverge
from routrel.files.patching import edited_lines
from routrel.files.reader import reread_devices
from routrel.lens.file_edits import DoesNotApply, FileEdit, edited
from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place
from routrel.protocols.evidence import CandidatePath
from routrel.questions.candidates import candidates
from routrel.questions.edits import Edit, ImportEdit, changes_of
from routrel.questions.moves import KeptFlows, Ways, moves, ways_of_flows
from routrel.rib.candidates import Protocol
from routrel.wording.routes import loses_words, protocol_type_words

__all__ = ["WouldTakeData", "what_it_would_take"]

#: Changes that are shown for one candidate, and tried for it.
_SHOWN = 3
_TRIED = 10


class ProposedEditData(Placed):
    """A change of one attribute in one place, and the same as changes of files."""

    text: str
    device: str
    vrf: str
    neighbour: str | None
    direction: str | None
    attribute: str
    value: int | str | list[int]
    target: str
    changes: list[FileEdit]


class WinningEditData(ProposedEditData):
    """One that was made, computed and seen to help: the lines that change, and what it moves."""

    edits: list[LinesData]
    moves: MovesData


class TriedEditData(ProposedEditData):
    """One that was made and does not help."""

    then_loses_on: str
    then: str


class WouldTakeData(Answer):
    """What it would take for one candidate path that lost."""

    title: str
    advertiser: str | None
    neighbour: str | None
    lost_on: str
    sentence: str
    changes: list[WinningEditData]
    tried: list[TriedEditData]


def what_it_would_take(
    state: State,
    texts: Mapping[str, str],
    device: str,
    vrf: str,
    asked: Prefix | Address,
    kept: KeptFlows,
    patience_s: float = 30,
) -> list[WouldTakeData]:
    """For each losing candidate of a table to a prefix: the smallest changes that let it win.

    Smallest means that no smaller value of the same attribute at the same place does; a change
    that touches the prefix alone comes before one that touches all that is treated alike.

    Args:
        texts: The files the network was read from.
        asked: An address stands for the prefix it matches.
        kept: The flows of which it is told whether a change moves them.

    Every change means to compute the network anew. Once that has taken `patience_s` seconds, no
    more is tried, and the answers for what is left say so.

    A candidate of a protocol other than BGP can win on its distance alone; where it lost inside its
    protocol, nothing is proposed.
    """
    interning = state.rib.interning
    table = interning.table_numbers[device, vrf]
    if isinstance(asked, IPv4Network | IPv6Network):
        prefix: Prefix = asked
    else:
        matched = state.rib.lookup(table, asked)
        if matched is None:
            return []
        prefix = matched.prefix
    number = interning.prefixes.number(prefix)
    if number is None:
        return []
    found = candidates(state, table, number)
    winner = next((c for c in found if c.lost_on is None), None)
    trying = _Trying(
        state=state,
        texts=texts,
        table=(device, vrf),
        prefix=prefix,
        kept=kept,
        until=time.monotonic() + patience_s,
    )
    return [
        trying.answer(loser, Proposals(state, device, vrf, number, winner, loser))
        for loser in found
        if loser.lost_on is not None and (loser.problem or not loser.values.get("originated"))
    ]


@dataclass(frozen=True, kw_only=True)
class _Trying:
    """Tries what is proposed for one table and prefix, until the time is up."""

    state: State
    texts: Mapping[str, str]
    table: tuple[str, str]  #: device and VRF
    prefix: Prefix
    kept: KeptFlows
    until: float

    @cached_property
    def ways(self) -> Ways:
        """How the kept flows go now."""
        return ways_of_flows(self.state, self.kept)

    def answer(self, loser: CandidatePath, proposals: Proposals) -> WouldTakeData:
        """What helps one candidate, and what was tried in vain."""
        helpful: list[WinningEditData] = []
        tried: list[TriedEditData] = []
        unwritten: list[str] = []
        given_up = False
        for series in proposals.all():
            for edit, text, place in series:
                if len(helpful) == _SHOWN or len(helpful) + len(tried) == _TRIED:
                    break
                if time.monotonic() > self.until:
                    given_up = True
                    break
                made = self._try(edit, text, place, loser)
                if made is None:
                    unwritten.append(text)
                elif isinstance(made, WinningEditData):
                    helpful.append(made)
                    break  # a larger value of the same attribute is no smaller change
                else:
                    tried.append(made)
        return WouldTakeData(
            title=protocol_type_words(loser.protocol, loser.path_type),
            advertiser=loser.advertiser,
            neighbour=loser.values.get("neighbour_address"),
            lost_on=loser.lost_on or "",
            sentence="Trying changes on this network takes too long; this one was left out."
            if given_up and not helpful
            else _sentence(loser, helpful, tried, unwritten),
            changes=helpful,
            tried=tried,
        )

    def _try(
        self, edit: Edit, text: str, place: Place, loser: CandidatePath
    ) -> WinningEditData | TriedEditData | None:
        """What one edit comes to; None where the file is written so that it cannot be made."""
        state = self.state
        try:
            changes = changes_of(edit, state.topology.devices[edit.device], self.texts)
            texts = edited(self.texts, changes)
        except DoesNotApply:
            return None
        files = sorted({change.file for change in changes})
        reading = reread_devices(state.network, {file: texts[file] for file in files})
        if not reading.good:
            return None
        after = reconverge(state, reading.network, search=False)
        lost = _lost_then(after, self.table, self.prefix, loser)
        if lost is None and after.converged >= state.converged:
            after = reconverge(state, reading.network)
        told: dict[str, Any] = {
            "text": text,
            "device": edit.device,
            "vrf": edit.vrf,
            "neighbour": str(edit.neighbour) if edit.neighbour else None,
            "direction": "import" if isinstance(edit, ImportEdit) else None,
            "attribute": edit.attribute,
            "value": list(edit.value) if isinstance(edit.value, tuple) else edit.value,
            "target": edit.target,
            "changes": list(changes),
            **position(place),
        }
        if lost is None and after.converged >= state.converged:
            lines = [edited_lines(file, self.texts[file], texts[file]) for file in files]
            return WinningEditData(
                edits=[LinesData.of(patch) for patches in lines for patch in patches],
                moves=moves_data(moves(state, after, self.kept, self.ways)),
                **told,
            )
        then = lost or "not_converged"
        return TriedEditData(then_loses_on=then, then=loses_words(then), **told)


def _sentence(
    loser: CandidatePath,
    changes: list[WinningEditData],
    tried: list[TriedEditData],
    unwritten: list[str],
) -> str:
    if changes:
        return f"It would win with {' or '.join(change.text for change in changes)}."
    if tried:
        return f"With {tried[0].text} it still {tried[0].then}."
    if unwritten:
        return f"Not tried: {unwritten[0]}, since its file does not let it be written in."
    if loser.protocol is Protocol.BGP:
        return "No single change of an attribute lets it win."
    return "It lost inside its own protocol; only another cost or metric there would help."


def _lost_then(
    after: State, table: tuple[str, str], prefix: Prefix, loser: CandidatePath
) -> str | None:
    """Where a candidate loses in another state; None where it wins."""
    interning = after.rib.interning
    number = interning.prefixes.number(prefix)
    at = interning.table_numbers[table]
    for candidate in candidates(after, at, number) if number is not None else ():
        if _same(candidate, loser):
            return candidate.lost_on
    return "usable"


def _same(left: CandidatePath, right: CandidatePath) -> bool:
    if left.protocol is not right.protocol or left.advertiser != right.advertiser:
        return False
    key = "neighbour_address"
    return left.protocol is not Protocol.BGP or left.values[key] == right.values[key]
