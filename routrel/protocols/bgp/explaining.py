"""What BGP speakers hold of a prefix, and why; computed when somebody asks, for it alone."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.model.addresses import Address, Prefix, is_within
from routrel.model.place import NOWHERE, Place
from routrel.protocols.bgp.classes import PrefixClass
from routrel.protocols.bgp.conditions import unmet
from routrel.protocols.bgp.decision import Choice, Contender
from routrel.protocols.bgp.memory import ClassResult
from routrel.protocols.bgp.paths import Path
from routrel.protocols.bgp.resolve import Resolution
from routrel.protocols.bgp.round import Round, own_of
from routrel.protocols.bgp.sessions import DirectedPeer, Session, SessionState
from routrel.protocols.bgp.spread import Numbers
from routrel.protocols.bgp.state import BgpState
from routrel.protocols.bgp.transfer import Passage, Stopped

__all__ = [
    "Dispute",
    "Exchanged",
    "Offer",
    "Setting",
    "chosen_path",
    "disputes",
    "offers",
    "peers_towards",
    "settings_of",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class Dispute:
    """Prefixes whose outcome is not certain."""

    prefixes: tuple[Prefix, ...]
    speakers: tuple[str, ...]  #: whose choice is not certain
    moves: tuple[tuple[str, str, str], ...]  #: speaker, before, after: repeat for ever
    outcomes: tuple[tuple[tuple[str, ...], tuple[tuple[str, str], ...]], ...]
    #: stable outcomes: who settles in which order, and what each contested speaker then uses


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """What a speaker has of a prefix from one neighbour, or of its own."""

    code: int  #: of the path; -1 where nothing came of it
    path: Path | None
    peer: DirectedPeer | None  #: None: its own
    sent: Passage | None
    taken: Passage | None
    resolution: Resolution | None = None
    lost_on: str | None = None
    contender: Contender | None = None
    place: Place = NOWHERE  #: of an own path: where it is written


def offers(state: BgpState, index: int, prefix: int) -> list[Offer]:
    """Everything a speaker has or is kept from having of a prefix, and where each one lost.

    What a neighbour has, but does not send or is not taken, is there too, without a path.
    """
    return _offers(state, index, prefix)


def _offers(
    state: BgpState, index: int, prefix: int, *, of_receive_only: bool = True
) -> list[Offer]:
    found_class = state.class_with(prefix)
    if found_class is None:
        return []
    made = state.round
    item, result = found_class
    item = replace(item, prefix=state.interning.prefixes.prefixes[prefix])
    found = [
        Offer(
            code=made.carrier.codes.code(own, -1),
            path=state.round.paths[own],
            peer=None,
            sent=None,
            taken=None,
            place=state.classes.own_place(index, own, prefix),
        )
        for own in own_of(item, index)
    ]
    defaults = made.default_senders(item)
    for place in made.into[index]:
        found.extend(_offered(state, made, item, result, place, defaults, of_receive_only))
    return _judged(state, made, item, index, found)


def _offered(
    state: BgpState,
    made: Round,
    item: PrefixClass,
    result: ClassResult,
    place: int,
    defaults: dict[int, int],
    of_receive_only: bool,
) -> Iterator[Offer]:
    """What one peer brings, or why it brings nothing.

    Args:
        defaults: The default senders.
        of_receive_only: Whether to look at what those hold that pass nothing on.
    """
    peer = made.peers[place]
    if item.prefix.version not in peer.versions:
        return
    chosen = result.outcome.chosen[peer.sender]
    if of_receive_only and not result.complete and peer.sender in made.receive_only:
        # What passes nothing on has been left out of spreading; it chooses now.
        number = state.interning.prefixes.add(item.prefix)
        choices = _offers(state, peer.sender, number, of_receive_only=False)
        chosen = tuple(offer.code for offer in choices if offer.lost_on is None)[:1]
    count = peer.sender_settings.add_paths or 1
    codes = made.carrier.codes
    is_off = not item.prefix.prefixlen and made.is_off(place)
    if place in defaults:
        chosen = (codes.code(defaults[place], -1),)
    elif item.signature.kept_back[peer.sender]:
        if chosen:
            stopped = Passage(None, _stands_for(state, peer.sender, item.prefix))
            yield Offer(code=-1, path=None, peer=peer, sent=stopped, taken=None)
        return
    elif place in item.signature.closed or (not chosen and is_off):
        if chosen or is_off:
            stopped = Passage(None, _condition(state, made, place, item.prefix))
            yield Offer(code=-1, path=None, peer=peer, sent=stopped, taken=None)
        return
    elif item.signature.not_active[peer.sender] and any(codes.place(code) >= 0 for code in chosen):
        sender = state.speakers[peer.sender]
        text = f"{sender.name} announces only what is active, and another protocol's route is"
        stopped = Passage(None, Stopped("not_active", text, sender.place))
        yield Offer(code=-1, path=None, peer=peer, sent=stopped, taken=None)
        return
    elif not state.speakers[peer.sender].outside:
        chosen = chosen[:count]
    transfers = made.carrier.transfers
    for code in chosen:
        came = codes.place(code)
        came_by = made.peers[came] if came >= 0 else None
        held = state.round.paths[codes.path(code)]
        sent = transfers.announced(peer, came_by, held, item.prefix)
        taken = None
        path = None
        if sent.path is not None:
            taken = transfers.heard(peer, sent.path, item.prefix)
            path = taken.path
        yield Offer(
            code=-1 if path is None else codes.code(state.round.paths.add(path), place),
            path=path,
            peer=peer,
            sent=sent,
            taken=taken,
        )


def _condition(state: BgpState, made: Round, place: int, prefix: Prefix) -> Stopped:
    """The condition that keeps a prefix from a neighbour."""
    peer = made.peers[place]
    speaker, settings = state.speakers[peer.sender], peer.sender_settings
    stated = [
        (item.condition, item.place)
        for item in settings.conditional or ()
        if any(held.holds(prefix) for held in item.prefixes)
    ]
    if not prefix.prefixlen and settings.default_route is not None:
        stated.append((settings.default_route.condition, settings.default_route.place))
    for condition, where in stated:
        why = unmet(speaker, made.resolver.view, condition)
        if why:
            return Stopped("condition", f"{speaker.name} announces it on a condition: {why}", where)
    raise ValueError("no condition keeps it back")


def _stands_for(state: BgpState, sender: int, prefix: Prefix) -> Stopped:
    """The aggregate that a speaker announces in place of a prefix; the most specific one."""
    speaker = state.speakers[sender]
    aggregate = max(
        (
            item
            for item in (speaker.instance.aggregates if speaker.instance else ())
            if item.summary_only and is_within(prefix, item.prefix) and prefix != item.prefix
        ),
        key=lambda item: item.prefix.prefixlen,
    )
    text = f"the aggregate {aggregate.prefix} of {speaker.name} goes in its place"
    return Stopped("aggregated", text, aggregate.place)


def _judged(
    state: BgpState, made: Round, item: PrefixClass, index: int, found: list[Offer]
) -> list[Offer]:
    """The offers with their resolutions, and where each lost."""
    contenders: list[Contender] = []
    resolved = []
    for offer in found:
        if offer.path is not None:
            resolution = made.resolution(item, index, offer.path)
            entered = None
            if not resolution.problem:
                entered = made.contender_of(index, offer.code, resolution)
                contenders.append(entered)
            offer = replace(offer, resolution=resolution, contender=entered)
        resolved.append(offer)
    choice: Choice = made.decisions[index].choose(contenders)
    return [
        replace(
            offer,
            lost_on="usable" if offer.contender is None else choice.lost_on.get(offer.code),
        )
        for offer in resolved
    ]


def chosen_path(state: BgpState, index: int, prefix: int) -> Path | None:
    """What a speaker announces on for a prefix; None where it has nothing."""
    found = state.class_with(prefix)
    if found is None:
        return None
    chosen = found[1].outcome.chosen[index]
    if not chosen and index in state.round.receive_only:
        return next((o.path for o in offers(state, index, prefix) if o.lost_on is None), None)
    return state.path(chosen[0]) if chosen else None


@dataclass(frozen=True, slots=True)
class Setting:
    """Where an attribute of a path got its value."""

    attribute: str  #: in the words of policies
    value: str
    device: str
    policy: str
    statement: str
    place: Place


def settings_of(state: BgpState, index: int, offer: Offer, prefix: int) -> tuple[Setting, ...]:
    """By which statements the attributes of an offered path were set, the last one of each.

    Followed back from the device that asks over the sessions by which the path came.
    """
    found: dict[str, Setting] = {}
    passed: set[int] = set()
    here: Offer | None = offer
    while here is not None and here.peer is not None and index not in passed:
        passed.add(index)
        sender = here.peer.sender
        for half, at in ((here.taken, index), (here.sent, sender)):
            for setting in _set_by(state, half, at):
                found.setdefault(setting.attribute, setting)
        index = sender
        here = next((o for o in _offers(state, index, prefix) if o.lost_on is None), None)
    return tuple(found[attribute] for attribute in sorted(found))


def _set_by(state: BgpState, half: Passage | None, speaker: int) -> Iterator[Setting]:
    """What the statements of one half of the way changed, the last change of each first."""
    if half is None or half.trial is None:
        return
    for step in reversed(half.trial.steps):
        for attribute, _, value in step.changes:
            yield Setting(
                attribute=attribute,
                value=value,
                device=state.speakers[speaker].name,
                policy=step.policy,
                statement=step.statement,
                place=step.place,
            )


def peers_towards(state: BgpState, index: int) -> list[DirectedPeer]:
    """The peers of a speaker as receiver."""
    return [state.round.peers[place] for place in state.round.into[index]]


class Exchanged:
    """How many prefixes each session carries."""

    def __init__(self, state: BgpState) -> None:
        self._counts: dict[tuple[Address | None, Address | None, int | None], int] = {}
        made = state.round
        counts = [0] * len(made.peers)
        for item, result in state.classes.all:
            sent = made.sending(item, made.default_senders(item))
            for place, peer in enumerate(made.peers):
                if sent(place, result.outcome.chosen[peer.sender]):
                    counts[place] += len(item.members)
        for place, peer in enumerate(made.peers):
            ends = (peer.sender_address, peer.receiver_address, peer.sender)
            self._counts[ends] = counts[place]

    def of(self, session: Session) -> tuple[int | None, int | None]:
        """How many a device takes from a neighbour, and how many that one takes of it.

        None where the session is down.
        """
        if session.state is not SessionState.UP:
            return None, None
        near, far = session.local_address, session.remote_address
        return (
            self._counts.get((far, near, session.remote)),
            self._counts.get((near, far, session.local)),
        )


def disputes(state: BgpState) -> Iterator[Dispute]:
    """What does not settle, or settles in more than one way."""
    for item, result in state.classes.all:
        outcome = result.outcome
        if not outcome.contested:
            continue
        prefixes = [state.interning.prefixes.prefixes[n] for n in item.members.tolist()]
        yield Dispute(
            prefixes=tuple(prefixes),
            speakers=tuple(state.speakers[n].name for n in outcome.contested),
            moves=tuple(
                (
                    state.speakers[move.speaker].name,
                    _way(state, move.before),
                    _way(state, move.after),
                )
                for move in outcome.cycle
            ),
            outcomes=tuple(
                (
                    tuple(state.speakers[n].name for n in other.order),
                    tuple(
                        (state.speakers[n].name, _way(state, other.chosen[n]))
                        for n in outcome.contested
                    ),
                )
                for other in outcome.others
            ),
        )


def _way(state: BgpState, chosen: Numbers) -> str:
    """From whom a speaker has what it chose."""
    if not chosen:
        return "nothing"
    made = state.round
    place = made.carrier.codes.place(chosen[0])
    if place < 0:
        return "its own"
    return state.speakers[made.peers[place].sender].name
