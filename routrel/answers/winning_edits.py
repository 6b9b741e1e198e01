"""Edits worth trying for a candidate that lost, in words; whether they help, trying them tells."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

from routrel.convergence.converge import State
from routrel.model.addresses import Prefix
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import Origin, PolicyResult
from routrel.policy.as_paths import path_length
from routrel.policy.evaluate import failed_conditions
from routrel.protocols.bgp.decision import BGP_RUNGS
from routrel.protocols.bgp.explaining import Offer, offers, peers_towards
from routrel.protocols.bgp.paths import Path, PathSource
from routrel.protocols.bgp.sessions import DirectedPeer
from routrel.protocols.bgp.transfer import bgp_policy_route
from routrel.protocols.evidence import CandidatePath
from routrel.protocols.register import bgp_of
from routrel.questions.edits import (
    CompareMedEdit,
    DistanceEdit,
    Edit,
    ImportEdit,
    NextHopEdit,
    SetEdit,
)
from routrel.rib.candidates import Protocol
from routrel.wording.routes import protocol_type_words

__all__ = ["Proposals", "Series"]

#: Values of one attribute at one place, the smallest change first; the first that wins is told.
Series: TypeAlias = Iterator[tuple[Edit, str, Place]]


@dataclass(frozen=True, slots=True)
class _Entry:
    """Where a path came into the AS: its router, the peer it came by, and what it was there."""

    speaker: int
    peer: DirectedPeer
    path: Path
    policy: str | None
    statement: str | None
    place: Place


class Proposals:
    """Changes worth trying for one loser, the nearest to the rung where it lost first."""

    def __init__(
        self,
        state: State,
        device: str,
        vrf: str,
        prefix: int,
        winner: CandidatePath | None,
        loser: CandidatePath,
    ) -> None:
        self.state, self.device, self.vrf, self.prefix = state, device, vrf, prefix
        self.winner, self.loser = winner, loser
        self.bgp = bgp_of(state.results)

    def all(self) -> Iterator[Series]:
        """Series of edits, each edit in words and with the place it concerns."""
        if self.loser.lost_on == "distance":
            yield from self._distances()
            return
        if self.loser.protocol is not Protocol.BGP:
            return
        offer = self._offer(self.loser)
        if offer is None or offer.peer is None:
            return
        if self.loser.lost_on == "usable":
            yield from self._made_usable(offer, offer.peer)
            return
        if self.winner is None or self.winner.protocol is not Protocol.BGP:
            return
        yield from self._attributes(offer, self._offer(self.winner))

    def _distances(self) -> Iterator[Series]:
        if self.winner is None or self.loser.values.get("originated"):
            return
        prefix = self.state.rib.interning.prefixes.prefixes[self.prefix]
        for only in (prefix, None):
            yield self._distance_series(self.winner.distance, only)

    def _distance_series(self, high: int, only: Prefix | None) -> Series:
        """The winner's distance first: at a tie the protocols rank in an order of their own."""
        name = protocol_type_words(self.loser.protocol, self.loser.path_type)
        place = self.state.topology.devices[self.device].place
        for value in (high, high - 1):
            if value < 1 or value >= self.loser.distance:
                continue
            edit = DistanceEdit(
                device=self.device,
                vrf=self.vrf,
                protocol=self.loser.protocol.id,
                value=value,
                prefix=only,
            )
            which = f"{name} to {only} alone" if only else name
            yield edit, f"distance {value} or less for {which} at {self.device}", place

    def _attributes(self, loser: Offer, winner: Offer | None) -> Iterator[Series]:
        mine, theirs = self._entry(loser), self._entry(winner)
        if loser.path is None or winner is None or winner.path is None:
            return
        rung = self.loser.lost_on
        low, high = loser.path, winner.path
        behind_med = BGP_RUNGS.index(rung or "usable") > BGP_RUNGS.index("med")
        if behind_med and self._would_win_on_med(low, high):
            place = self.bgp.speakers[self.bgp.index_of[self.device, self.vrf]].place
            text = (
                f"MED compared always at {self.device} ({low.med or 0} was not compared with "
                f"{high.med or 0})"
            )
            yield iter([(CompareMedEdit(device=self.device, vrf=self.vrf), text, place)])
        if rung == "as_path_length" and theirs is not None:
            more = path_length(low.as_path) - path_length(high.as_path)
            front = self._neighbour_as(theirs)
            if front is not None:
                values = [(front,) * count for count in (more, more + 1)]
                words = [
                    f"{count} times AS {front} in front of the path" for count in (more, more + 1)
                ]
                yield from self._both(theirs, "prepend", values, words)
        if rung == "origin" and mine is not None:
            origins = [origin.value for origin in list(Origin)[high.origin :: -1]]
            yield from self._both(mine, "origin", origins, [f"origin {o}" for o in origins])
        if rung == "med":
            if mine is not None:
                meds = [m for m in (high.med or 0, (high.med or 0) - 1) if m >= 0]
                yield from self._both(mine, "med", meds, [f"MED ≤ {m}" for m in meds])
            if theirs is not None:
                meds = [low.med or 0, (low.med or 0) + 1]
                yield from self._both(theirs, "med", meds, [f"MED ≥ {m}" for m in meds])
        if rung != "weight":
            if mine is not None:
                levels = _changes(low.local_preference, high.local_preference, 1)
                words = [f"local preference ≥ {v}" for v in levels]
                yield from self._both(mine, "local-preference", levels, words)
            if theirs is not None:
                levels = _changes(high.local_preference, low.local_preference, -1)
                words = [f"local preference ≤ {v}" for v in levels]
                yield from self._both(theirs, "local-preference", levels, words)
        over = self._here(winner)
        if rung == "weight" and over is not None:
            levels = _changes(high.weight, low.weight, -1)
            yield from self._both(over, "weight", levels, [f"weight ≤ {v}" for v in levels])
        here = self._here(loser)
        if here is not None:
            levels = [v for v in _changes(low.weight, high.weight, 1) if v <= 65535]
            yield from self._both(here, "weight", levels, [f"weight ≥ {v}" for v in levels])

    def _would_win_on_med(self, low: Path, high: Path) -> bool:
        """Whether the loser's MED is the lower one and was not held against the winner's."""
        groups = [c.values.get("med_group") for c in (self.loser, self.winner) if c]
        return len(set(groups)) > 1 and (low.med or 0) < (high.med or 0)

    def _both(
        self, entry: _Entry, attribute: str, values: Sequence[Any], words: Sequence[str]
    ) -> Iterator[Series]:
        """The values for the prefix alone, and for all that is decided in the same place."""
        prefix = self.state.rib.interning.prefixes.prefixes[self.prefix]
        alone = self._alone_there(entry)
        for only in (None,) if alone else (prefix, None):
            yield iter(
                [
                    self._edit(entry, attribute, value, text, only)
                    for value, text in zip(values, words, strict=True)
                ]
            )

    def _alone_there(self, entry: _Entry) -> bool:
        """Whether nothing but the prefix comes by that peer."""
        made = self.bgp.round
        place = made.peers.index(entry.peer)
        count = 0
        for item, result in self.bgp.classes.all:
            chosen = result.outcome.chosen[entry.peer.sender]
            if chosen and made.sending(item, made.default_senders(item))(place, chosen):
                count += len(item.members)
        return count <= 1

    def _edit(
        self,
        entry: _Entry,
        attribute: str,
        value: int | str | tuple[int, ...],
        words: str,
        only: Prefix | None,
    ) -> tuple[Edit, str, Place]:
        speaker = self.bgp.speakers[entry.speaker]
        if speaker.table is None:
            raise ValueError("an outside network is not ours to change")
        sender = self.bgp.speakers[entry.peer.sender].name
        address = entry.peer.sender_address
        edit = ImportEdit(
            device=speaker.name,
            vrf=speaker.table[1],
            neighbour=address,
            attribute=attribute,
            value=value,
            policy=entry.policy,
            statement=entry.statement,
            prefix=only,
        )
        words += f" for {only} alone" if only else ""
        return edit, f"{words} on import from {address} ({sender}) at {speaker.name}", entry.place

    def _made_usable(self, offer: Offer, peer: DirectedPeer) -> Iterator[Series]:
        """For a next hop nobody knows: the border names itself. For a policy: it accepts more."""
        if offer.taken is not None and offer.taken.stopped is not None:
            trial = offer.taken.trial
            if trial is not None and trial.by_default:
                yield from self._near_misses(offer)
                edit = ImportEdit(
                    device=self.device,
                    vrf=self.vrf,
                    neighbour=peer.sender_address,
                    attribute="accept",
                    value=PolicyResult.ACCEPT.value,
                    policy=trial.policy,
                )
                text = f"a last statement in policy {trial.policy} of {self.device} that accepts it"
                yield iter([(edit, text, trial.place)])
            return
        if offer.path is None or offer.path.source is not PathSource.INTERNAL:
            return
        # The next hop passes reflectors unchanged, so it is for the border to name itself.
        border = self._entry(offer)
        told = self._told_by(border.speaker) if border is not None else peer
        if told is None:
            return
        speaker = self.bgp.speakers[told.sender]
        if speaker.table is not None:
            edit_next = NextHopEdit(
                device=speaker.name, vrf=speaker.table[1], neighbour=told.receiver_address
            )
            receiver = self.bgp.speakers[told.receiver].name
            text = f"next-hop: self at {speaker.name} towards {told.receiver_address} ({receiver})"
            yield iter([(edit_next, text, told.sender_settings.place)])

    def _near_misses(self, offer: Offer) -> Iterator[Series]:
        """Statements that would accept the route if a set of theirs held its prefix too."""
        device = self.state.topology.devices[self.device]
        trial = offer.taken.trial if offer.taken else None
        policy = device.policy(trial.policy) if trial else None
        if trial is None or policy is None or offer.sent is None or offer.sent.path is None:
            return
        prefix = self.state.rib.interning.prefixes.prefixes[self.prefix]
        relation = offer.peer.relation if offer.peer else PathSource.EXTERNAL
        neighbour = offer.peer.sender_address if offer.peer else None
        route = bgp_policy_route(offer.sent.path, prefix, relation, neighbour)
        for statement in policy.statements:
            missing = failed_conditions(device, statement.conditions, route)
            if missing == ["prefixes"] and statement.then is PolicyResult.ACCEPT:
                name = statement.conditions.prefix_sets[0]
                edit = SetEdit(device=self.device, vrf=self.vrf, name=name, prefix=prefix)
                text = (
                    f"{prefix} in set {name}, for which statement {statement.name} of policy "
                    f"{policy.name} of {self.device} asks"
                )
                yield iter([(edit, text, statement.place)])

    # --- where a path came from ----------------------------------------------------------------

    def _offer(self, candidate: CandidatePath) -> Offer | None:
        index = self.bgp.index_of[self.device, self.vrf]
        for offer in offers(self.bgp, index, self.prefix):
            address = str(offer.peer.sender_address) if offer.peer else None
            if address == candidate.values.get("neighbour_address") and (
                offer.sent is None or offer.sent.path is not None
            ):
                return offer
        return None

    def _here(self, offer: Offer) -> _Entry | None:
        """The device's own import of a path."""
        return self._entry_at(self.bgp.index_of[self.device, self.vrf], offer)

    def _entry_at(self, speaker: int, offer: Offer) -> _Entry | None:
        if offer.peer is None or offer.path is None:
            return None
        trial = offer.taken.trial if offer.taken else None
        statement = None
        if trial is not None and not trial.by_default:
            statement = trial.steps[-1].statement
        place = trial.place if trial is not None else offer.peer.receiver_settings.place
        return _Entry(
            speaker=speaker,
            peer=offer.peer,
            path=offer.path,
            policy=trial.policy if trial is not None else None,
            statement=statement,
            place=place if place.line else NOWHERE,
        )

    def _entry(self, offer: Offer | None) -> _Entry | None:
        """Where a path came into the AS, following it back over internal sessions."""
        here = self.bgp.index_of[self.device, self.vrf]
        passed = set()
        while offer is not None and offer.peer is not None and offer.path is not None:
            if offer.path.source is not PathSource.INTERNAL:
                return self._entry_at(here, offer)
            here = offer.peer.sender
            if here in passed:
                return None
            passed.add(here)
            offer = next(
                (o for o in offers(self.bgp, here, self.prefix) if o.lost_on is None), None
            )
        return None

    def _told_by(self, border: int) -> DirectedPeer | None:
        """The peer by which a border's path leaves towards the device."""
        here = self.bgp.index_of[self.device, self.vrf]
        back = {here}
        pending = [here]
        while pending:
            for peer in peers_towards(self.bgp, pending.pop(0)):
                if peer.relation is PathSource.INTERNAL:
                    if peer.sender == border:
                        return peer
                    if peer.sender not in back:
                        back.add(peer.sender)
                        pending.append(peer.sender)
        return None

    def _neighbour_as(self, entry: _Entry) -> int | None:
        numbers = [n for _, part in entry.path.as_path for n in part]
        return numbers[0] if numbers else None


def _changes(now: int, other: int, step: int) -> list[int]:
    """Values towards another one, the smallest change first: a tie with it, then beyond it."""
    return [value for value in (other, other + step) if value != now and value >= 0]
