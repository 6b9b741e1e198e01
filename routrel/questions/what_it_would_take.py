"""What it would take for a candidate that lost: the smallest change at one place that lets it win.

Every change that is told has been made, computed and seen to work; with it stands what else it
moves. Changes that were tried in vain are told with the rung where the candidate lost then.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass

from routrel.control.bgp.explaining import Offer, hearings_into, offers
from routrel.control.bgp.paths import Learned, Path
from routrel.control.bgp.sessions import Hearing
from routrel.control.converge import State, converge
from routrel.control.policy.as_paths import path_length
from routrel.control.rib.candidates import Protocol
from routrel.model.addresses import Prefix
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import Origin, PolicyResult
from routrel.questions.answers import Json, place_data
from routrel.questions.candidates import Candidate, candidates
from routrel.questions.edits import DistanceEdit, Edit, ImportEdit, NextHopEdit
from routrel.questions.moves import moves, moves_data
from routrel.questions.route_words import RUNG_TITLES, protocol_type_words

__all__ = ["what_it_would_take"]

#: Changes that are shown for one candidate, and tried for it.
_SHOWN = 2
_TRIED = 6


@dataclass(frozen=True, slots=True)
class _Entry:
    """Where a path came into the AS: its router, the hearing it came by, and what it was there."""

    speaker: int
    hearing: Hearing
    path: Path
    policy: str | None
    statement: str | None
    place: Place


def what_it_would_take(
    state: State, device: str, vrf: str, prefix: Prefix, patience_s: float = 30
) -> list[Json]:
    """For each losing candidate of a table to a prefix: changes that let it win.

    Every change means to compute the network anew. Once that has taken `patience_s` seconds, no
    more is tried, and the answers for what is left say so.

    A candidate of a protocol other than BGP can win on its distance alone; where it lost inside its
    protocol, nothing is proposed.
    """
    interning = state.rib.interning
    table = interning.table_numbers[device, vrf]
    number = interning.prefixes.number(prefix)
    if number is None:
        return []
    found = candidates(state, table, number)
    winner = next((c for c in found if c.lost_on is None), None)
    answers = []
    until = time.monotonic() + patience_s
    for loser in found:
        if loser.lost_on is None or (loser.values.get("originated") and not loser.problem):
            continue
        edits = _Proposals(state, device, vrf, number, winner, loser)
        answers.append(_answer(state, device, vrf, prefix, loser, edits, until))
    return answers


def _answer(
    state: State,
    device: str,
    vrf: str,
    prefix: Prefix,
    loser: Candidate,
    edits: _Proposals,
    until: float,
) -> Json:
    changes: list[Json] = []
    tried: list[Json] = []
    given_up = False
    for count, (edit, text, place) in enumerate(edits.all()):
        if len(changes) == _SHOWN or count == _TRIED:
            break
        if time.monotonic() > until:
            given_up = True
            break
        after = converge(edit.of(state.network), since=state)
        lost = _lost_then(after, device, vrf, prefix, loser)
        told = {
            "text": text,
            "device": edit.device,
            "vrf": edit.vrf,
            "neighbour": str(edit.neighbour) if edit.neighbour else None,
            "direction": "import" if isinstance(edit, ImportEdit) else None,
            "attribute": edit.attribute,
            "value": list(edit.value) if isinstance(edit.value, tuple) else edit.value,
            "target": edit.target,
            **place_data(place),
        }
        if lost is None and after.converged >= state.converged:
            changes.append({**told, "moves": moves_data(moves(state, after))})
        else:
            tried.append({**told, "then_loses_on": lost or "not_converged"})
    return {
        "title": protocol_type_words(loser.protocol, loser.path_type),
        "advertiser": loser.advertiser,
        "neighbour": loser.values.get("neighbour_address"),
        "lost_on": loser.lost_on,
        "sentence": "Trying changes on this network takes too long; this one was left out."
        if given_up and not changes
        else _sentence(loser, changes, tried),
        "changes": changes,
        "tried": tried,
    }


def _sentence(loser: Candidate, changes: list[Json], tried: list[Json]) -> str:
    if changes:
        return f"It would win with {' or '.join(change['text'] for change in changes)}."
    if tried:
        then = RUNG_TITLES.get(tried[0]["then_loses_on"], "settling")
        return f"With {tried[0]['text']} it would still lose, at {then}."
    if loser.protocol is Protocol.BGP:
        return "No single change of an attribute lets it win."
    return "It lost inside its own protocol; only another cost or metric there would help."


def _lost_then(after: State, device: str, vrf: str, prefix: Prefix, loser: Candidate) -> str | None:
    """Where a candidate loses in another state; None where it wins."""
    interning = after.rib.interning
    number = interning.prefixes.number(prefix)
    table = interning.table_numbers[device, vrf]
    for candidate in candidates(after, table, number) if number is not None else ():
        if _same(candidate, loser):
            return candidate.lost_on
    return "usable"


def _same(left: Candidate, right: Candidate) -> bool:
    if left.protocol is not right.protocol or left.advertiser != right.advertiser:
        return False
    key = "neighbour_address"
    return left.protocol is not Protocol.BGP or left.values[key] == right.values[key]


class _Proposals:
    """Changes worth trying for one loser, the nearest to the rung where it lost first."""

    def __init__(
        self,
        state: State,
        device: str,
        vrf: str,
        prefix: int,
        winner: Candidate | None,
        loser: Candidate,
    ) -> None:
        self.state, self.device, self.vrf, self.prefix = state, device, vrf, prefix
        self.winner, self.loser = winner, loser
        self.domain = state.protocols.bgp

    def all(self) -> Iterator[tuple[Edit, str, Place]]:
        """Edits, each in words and with the place it concerns."""
        if self.loser.lost_on == "distance":
            yield from self._distances()
            return
        if self.loser.protocol is not Protocol.BGP:
            return
        offer = self._offer(self.loser)
        if offer is None or offer.hearing is None:
            return
        if self.loser.lost_on == "usable":
            yield from self._made_usable(offer, offer.hearing)
            return
        if self.winner is None or self.winner.protocol is not Protocol.BGP:
            return
        yield from self._attributes(offer, self._offer(self.winner))

    def _distances(self) -> Iterator[tuple[Edit, str, Place]]:
        if self.winner is None or self.loser.values.get("originated"):
            return
        low = self.winner.distance - 1
        if low >= 1:
            edit = DistanceEdit(
                device=self.device, vrf=self.vrf, protocol=self.loser.protocol.id, value=low
            )
            name = protocol_type_words(self.loser.protocol, self.loser.path_type)
            place = self.state.topology.devices[self.device].place
            yield edit, f"distance {low} or less for {name} at {self.device}", place

    def _attributes(self, loser: Offer, winner: Offer | None) -> Iterator[tuple[Edit, str, Place]]:
        mine, theirs = self._entry(loser), self._entry(winner)
        if loser.path is None or winner is None or winner.path is None:
            return
        rung = self.loser.lost_on
        low, high = loser.path, winner.path
        if rung == "as_path_length" and theirs is not None:
            more = path_length(low.as_path) - path_length(high.as_path)
            front = self._neighbour_as(theirs)
            for count in (more, more + 1):
                if front is not None:
                    text = f"{count} times AS {front} in front of the path"
                    yield self._edit(theirs, "prepend", (front,) * count, text)
        if rung == "origin" and mine is not None:
            origin = list(Origin)[high.origin].value
            yield self._edit(mine, "origin", origin, f"origin {origin}")
        if rung == "med":
            if mine is not None and (high.med or 0) > 0:
                value = (high.med or 0) - 1
                yield self._edit(mine, "med", value, f"MED ≤ {value}")
            if theirs is not None:
                value = (low.med or 0) + 1
                yield self._edit(theirs, "med", value, f"MED ≥ {value}")
        if rung != "weight":
            if mine is not None:
                value = high.local_preference + 1
                yield self._edit(mine, "local-preference", value, f"local preference ≥ {value}")
            if theirs is not None and low.local_preference > 0:
                value = low.local_preference - 1
                yield self._edit(theirs, "local-preference", value, f"local preference ≤ {value}")
        over = self._here(winner)
        if rung == "weight" and over is not None:
            for weight in sorted({low.weight, max(low.weight - 1, 0)}, reverse=True):
                yield self._edit(over, "weight", weight, f"weight ≤ {weight}")
        here = self._here(loser)
        if here is not None and high.weight < 65535:
            yield self._edit(here, "weight", high.weight + 1, f"weight ≥ {high.weight + 1}")

    def _edit(
        self, entry: _Entry, attribute: str, value: int | str | tuple[int, ...], words: str
    ) -> tuple[Edit, str, Place]:
        speaker = self.domain.speakers[entry.speaker]
        if speaker.table is None:
            raise ValueError("an outside network is not ours to change")
        sender = self.domain.speakers[entry.hearing.sender].name
        address = entry.hearing.sender_address
        edit = ImportEdit(
            device=speaker.name,
            vrf=speaker.table[1],
            neighbour=address,
            attribute=attribute,
            value=value,
            policy=entry.policy,
            statement=entry.statement,
        )
        return edit, f"{words} on import from {address} ({sender}) at {speaker.name}", entry.place

    def _made_usable(self, offer: Offer, hearing: Hearing) -> Iterator[tuple[Edit, str, Place]]:
        """For a next hop nobody knows: the border names itself. For a policy: it accepts more."""
        if offer.taken is not None and offer.taken.stopped is not None:
            trial = offer.taken.trial
            if trial is not None and trial.by_default:
                edit = ImportEdit(
                    device=self.device,
                    vrf=self.vrf,
                    neighbour=hearing.sender_address,
                    attribute="accept",
                    value=PolicyResult.ACCEPT.value,
                    policy=trial.policy,
                )
                text = f"a last statement in policy {trial.policy} of {self.device} that accepts it"
                yield edit, text, trial.place
            return
        if offer.path is None or offer.path.learned is not Learned.INTERNAL:
            return
        # The next hop passes reflectors unchanged, so it is for the border to name itself.
        border = self._entry(offer)
        told = self._told_by(border.speaker) if border is not None else hearing
        if told is None:
            return
        speaker = self.domain.speakers[told.sender]
        if speaker.table is not None:
            edit_next = NextHopEdit(
                device=speaker.name, vrf=speaker.table[1], neighbour=told.receiver_address
            )
            receiver = self.domain.speakers[told.receiver].name
            text = f"next-hop: self at {speaker.name} towards {told.receiver_address} ({receiver})"
            yield edit_next, text, told.sender_settings.place

    # --- where a path came from ----------------------------------------------------------------

    def _offer(self, candidate: Candidate) -> Offer | None:
        index = self.domain.index_of[self.device, self.vrf]
        for offer in offers(self.domain, index, self.prefix):
            address = str(offer.hearing.sender_address) if offer.hearing else None
            if address == candidate.values.get("neighbour_address") and (
                offer.sent is None or offer.sent.path is not None
            ):
                return offer
        return None

    def _here(self, offer: Offer) -> _Entry | None:
        """The device's own import of a path."""
        return self._entry_at(self.domain.index_of[self.device, self.vrf], offer)

    def _entry_at(self, speaker: int, offer: Offer) -> _Entry | None:
        if offer.hearing is None or offer.path is None:
            return None
        trial = offer.taken.trial if offer.taken else None
        statement = None
        if trial is not None and not trial.by_default:
            statement = trial.steps[-1].statement
        place = trial.place if trial is not None else offer.hearing.receiver_settings.place
        return _Entry(
            speaker=speaker,
            hearing=offer.hearing,
            path=offer.path,
            policy=trial.policy if trial is not None else None,
            statement=statement,
            place=place if place.line else NOWHERE,
        )

    def _entry(self, offer: Offer | None) -> _Entry | None:
        """Where a path came into the AS, following it back over internal sessions."""
        here = self.domain.index_of[self.device, self.vrf]
        passed = set()
        while offer is not None and offer.hearing is not None and offer.path is not None:
            if offer.path.learned is not Learned.INTERNAL:
                return self._entry_at(here, offer)
            here = offer.hearing.sender
            if here in passed:
                return None
            passed.add(here)
            offer = next(
                (o for o in offers(self.domain, here, self.prefix) if o.lost_on is None), None
            )
        return None

    def _told_by(self, border: int) -> Hearing | None:
        """The hearing by which a border's path leaves towards the device."""
        here = self.domain.index_of[self.device, self.vrf]
        back = {here}
        pending = [here]
        while pending:
            for hearing in hearings_into(self.domain, pending.pop(0)):
                if hearing.relation is Learned.INTERNAL:
                    if hearing.sender == border:
                        return hearing
                    if hearing.sender not in back:
                        back.add(hearing.sender)
                        pending.append(hearing.sender)
        return None

    def _neighbour_as(self, entry: _Entry) -> int | None:
        numbers = [n for _, part in entry.path.as_path for n in part]
        return numbers[0] if numbers else None
