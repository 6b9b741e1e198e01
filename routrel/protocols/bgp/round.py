"""All of BGP that holds while the tables are looked at once: sessions, and what they carry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeAlias

from routrel.model.addresses import Address
from routrel.protocols.bgp.carrying import Carrier
from routrel.protocols.bgp.classes import PrefixClass
from routrel.protocols.bgp.conditions import Closed
from routrel.protocols.bgp.decision import Contender, Decision, contender
from routrel.protocols.bgp.memory import Met, met_by
from routrel.protocols.bgp.origination import default_path
from routrel.protocols.bgp.paths import NO_ADDRESS, Path, PathNumbers, PathSource
from routrel.protocols.bgp.resolve import Resolution, Resolver
from routrel.protocols.bgp.sessions import DirectedPeer, Session
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.spread import Numbers, PeerGraph
from routrel.rib.candidates import DISCARD

__all__ = ["Entered", "Onward", "Round", "own_of"]

#: Contenders that were looked at, by speaker and code; None: not usable.
Entered: TypeAlias = dict[tuple[int, int], Contender | None]


@dataclass(frozen=True, slots=True)
class Onward:
    """Speakers go on from what they have chosen, and not from nothing."""

    muted: frozenset[Address] = frozenset()  #: the ends of a session that carries nothing
    #: The ends of a session that has just come up: what it brings is the newest.
    fresh: frozenset[Address] = frozenset()


@dataclass(frozen=True, kw_only=True)
class Round:
    """What holds while the tables are looked at once."""

    speakers: tuple[Speaker, ...]
    decisions: list[Decision]  #: by speaker
    paths: PathNumbers
    sessions: tuple[Session, ...]
    resolver: Resolver
    peers: Sequence[DirectedPeer]
    ids: tuple[int, ...]  #: by peer: its number, the same in every computation
    carrier: Carrier
    out_of: Sequence[Sequence[int]]
    into: list[list[int]]
    receive_only: Sequence[int]  #: devices that pass nothing on
    ranks: list[int]  #: by speaker: how many paths it ranks for a neighbour
    borders: list[list[int]]  #: peers from one AS into another, together
    closed: tuple[Closed, ...]  #: what conditions keep back
    onward: Onward = Onward()
    contenders: Entered = field(default_factory=dict)

    def graph(
        self, item: PrefixClass, *, complete: bool, entered: Entered | None = None
    ) -> PeerGraph:
        """What a class spreads through; who only receives is in it where it is to be complete.

        Args:
            entered: Takes up every contender that anybody looks at.
        """
        codes = self.carrier.codes
        own: list[list[int]] = [[] for _ in self.speakers]
        for speaker, number in item.origins:
            own[speaker].append(codes.code(number, -1))
        defaults = self.default_senders(item)
        return PeerGraph(
            own=own,
            out_of=self._telling,
            receive_only=[(index, self.into[index]) for index in self.receive_only]
            if complete
            else [],
            senders=self._senders,
            receiver=self._receivers,
            ranks=self.ranks,
            outside=self._outside,
            decisions=self.decisions,
            enter=self.entering(item, entered),
            sent=self.sending(item, defaults),
            unasked=tuple(defaults),
            borders=self.borders,
        )

    @cached_property
    def _senders(self) -> list[int]:
        return [peer.sender for peer in self.peers]

    @cached_property
    def _receivers(self) -> list[int]:
        return [peer.receiver for peer in self.peers]

    @cached_property
    def _outside(self) -> list[bool]:
        return [speaker.outside is not None for speaker in self.speakers]

    @cached_property
    def _telling(self) -> list[list[int]]:
        """By speaker: the peers to whom what it tells may change what they tell others."""
        # What outside networks hear changes nothing of what they announce.
        quiet = {*self.receive_only, *(n for n, outside in enumerate(self._outside) if outside)}
        return [
            [place for place in out if self.peers[place].receiver not in quiet]
            for out in self.out_of
        ]

    @cached_property
    def _silent(self) -> dict[int, frozenset[int]]:
        """By IP version: the peers that carry nothing of it."""
        muted = self.onward.muted
        return {
            version: frozenset(
                place
                for place, peer in enumerate(self.peers)
                if version not in peer.versions or (muted and _is_of(peer, muted))
            )
            for version in (4, 6)
        }

    @cached_property
    def _limits(self) -> list[int | None]:
        """By peer: how many of the chosen paths it is told; None: all."""
        return [
            None if self._outside[peer.sender] else peer.sender_settings.add_paths or 1
            for peer in self.peers
        ]

    def sending(
        self, item: PrefixClass, defaults: dict[int, int]
    ) -> Callable[[int, Numbers], Numbers]:
        """A function from a peer's position and what its sender chose to what it carries.

        Args:
            defaults: The peers that carry a default route of their own, with its path.
        """
        signature, offered = item.signature, self.offering(item, defaults)
        outside, senders, passes = self._outside, self._senders, self.carrier.passes

        def sent(place: int, chosen: Numbers) -> Numbers:
            found = tuple(
                [
                    code
                    for path in offered(place, chosen)
                    if (code := passes(signature, place, path)) >= 0
                ]
            )
            return found[:1] if outside[senders[place]] else found

        return sent

    def offering(
        self, item: PrefixClass, defaults: dict[int, int]
    ) -> Callable[[int, Numbers], Numbers]:
        """As `sending`, but to what the sender has to tell there, policies aside."""
        codes, signature = self.carrier.codes, item.signature
        silent, senders, limits = self._silent[item.prefix.version], self._senders, self._limits
        kept_back, not_active = signature.kept_back, signature.not_active

        def offered(place: int, chosen: Numbers) -> Numbers:
            if place in silent:
                return ()
            if place in defaults:
                return (codes.code(defaults[place], -1),)
            sender = senders[place]
            if kept_back[sender] or place in signature.closed:
                return ()
            if not_active[sender]:
                # What it originates is active by the protocol it comes from.
                chosen = tuple(code for code in chosen if codes.place(code) < 0)
            return chosen[: limits[place]]

        return offered

    def is_off(self, place: int) -> bool:
        """Whether a condition keeps back the default route of a peer's own."""
        return any(item.place == place and item.ranges is None for item in self.closed)

    def default_senders(self, item: PrefixClass) -> dict[int, int]:
        """For a default route: the peers that carry one of their own, with its path."""
        found: dict[int, int] = {}
        if item.prefix.prefixlen > 0:
            return found
        for place, peer in enumerate(self.peers):
            stated = peer.sender_settings.default_route
            if stated is None or self.is_off(place):
                continue
            if item.prefix.version in peer.versions:
                path = default_path(self.speakers[peer.sender], stated.policy, item.prefix)
                if path is not None:
                    found[place] = self.paths.add(path)
        return found

    def entering(
        self, item: PrefixClass, entered: Entered | None = None
    ) -> Callable[[int, int], Contender | None]:
        """A function from speaker and code to its contender; None: not usable.

        Args:
            entered: Takes up all that it is asked for.
        """
        mine: Entered = {} if entered is None else entered
        known: Entered = mine if item.alone else self.contenders
        paths, codes = self.paths, self.carrier.codes

        def enter(speaker: int, code: int) -> Contender | None:
            key = (speaker, code)
            if key in mine:
                return mine[key]
            if key not in known:
                resolution = self.resolution(item, speaker, paths[codes.path(code)])
                known[key] = (
                    None if resolution.problem else self.contender_of(speaker, code, resolution)
                )
            found = mine[key] = known[key]
            return found

        return enter

    def met(self, entered: Entered) -> Met:
        """The next hops that the outcome of a class rests on, of the contenders looked at."""
        codes, facts, paths = self.carrier.codes, self.paths.facts, self.paths
        found = []
        for (speaker, code), item in entered.items():
            number = codes.path(code)
            address = facts[number].next_hop
            if self._outside[speaker] or not paths[number].resolves:
                address = NO_ADDRESS
            found.append((speaker, address, item))
        return met_by(found)

    @cached_property
    def core(self) -> list[int]:
        """The peers by which classes spread: what they carry may change what others are told."""
        quiet = set(self.receive_only)
        return [
            place for out in self._telling for place in out if self.peers[place].sender not in quiet
        ]

    def resolution(self, item: PrefixClass, speaker: int, path: Path) -> Resolution:
        """How a speaker reaches the next hop of a path of a class."""
        if self.speakers[speaker].outside or not path.resolves:
            dropped = path.discard and path.source is not PathSource.OWN
            return Resolution((DISCARD,) if dropped else ())
        if path.next_hop is None:
            return Resolution((), problem="it has no next hop")
        if item.alone:
            return self.resolver.for_prefix(speaker, path.next_hop, item.prefix)
        return self.resolver.of(speaker, path.next_hop)

    def contender_of(self, speaker: int, code: int, resolution: Resolution) -> Contender:
        """A path as the decision of a speaker compares it."""
        path = self.paths[self.carrier.codes.path(code)]
        place = self.carrier.codes.place(code)
        peer = self.peers[place] if place >= 0 else None
        identifier = path.originator
        if identifier is None and peer is not None:
            identifier = self.speakers[peer.sender].router_id
        fresh = self.onward.fresh
        return contender(
            code,
            path,
            self.speakers[speaker].decision,
            igp_cost=resolution.cost,
            router_id=int(identifier) if identifier is not None else 0,
            neighbour=int(peer.sender_address) if peer else 0,
            order=place,
            fresh=bool(fresh) and peer is not None and _is_of(peer, fresh),
        )


def _is_of(peer: DirectedPeer, ends: frozenset[Address]) -> bool:
    """Whether a peer is of the session between two addresses."""
    return {peer.sender_address, peer.receiver_address} == ends


def own_of(item: PrefixClass, index: int) -> list[int]:
    """The numbers of a speaker's own paths for a class."""
    return [number for speaker, number in item.origins if speaker == index]
