"""All BGP speakers of a network: from one view of the tables to the routes of BGP."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from threading import RLock

import numpy as np

from routrel.forwarding.reach import Conversations, Reach
from routrel.model.addresses import Address
from routrel.model.bgp import BgpMultipath
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import PolicyUse
from routrel.policy.redistribute import Injected
from routrel.protocols.bgp.carrying import Carrier, Codes, Key, Numbering
from routrel.protocols.bgp.classes import Grouping, Origins, PrefixClass
from routrel.protocols.bgp.conditions import Closed, closed_announcements
from routrel.protocols.bgp.decision import Decision, Entrant, entrant
from routrel.protocols.bgp.leaves import LeafTables, is_leaf
from routrel.protocols.bgp.origination import (
    aggregated_path,
    default_path,
    local_paths,
    outside_paths,
)
from routrel.protocols.bgp.paths import Learned, OwnKind, Path, PathNumbers
from routrel.protocols.bgp.resolve import Resolution, Resolver
from routrel.protocols.bgp.sessions import Hearing, Session, Sessions
from routrel.protocols.bgp.speakers import Speaker, bgp_speakers
from routrel.protocols.bgp.spread import Arena, Numbers, Outcome, Spread
from routrel.protocols.bgp.treatment import Chain, chain_of
from routrel.rib.candidates import (
    DISCARD,
    ROW,
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    limited,
    no_rows,
    one_way_each,
)
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Topology

__all__ = ["BGP_PATH_TYPES", "BgpDomain", "BgpMemory", "ClassResult", "Round", "own_of"]

BGP_PATH_TYPES = {
    Learned.OWN: PathType.NONE,
    Learned.EXTERNAL: PathType.EXTERNAL,
    Learned.CONFEDERATION: PathType.CONFEDERATION,
    Learned.INTERNAL: PathType.INTERNAL,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassResult:
    """How a class of prefixes ended: what each speaker holds, and its rows for one prefix."""

    key: Hashable  #: what it follows from
    outcome: Outcome
    rows: tuple[tuple[int, int, int, int], ...]  #: table, metric, kind, next hops
    complete: bool  #: whether leaves are among them, too


#: Sessions come up round by round; each round's results may serve the next computation.
_MOST_REMEMBERED = 8


@dataclass(slots=True)
class Remembered:
    """How classes ended with certain sessions and next hops."""

    environment: Hashable
    resolutions: dict[tuple[int, Address], Resolution] = field(default_factory=dict)
    results: dict[Hashable, ClassResult] = field(default_factory=dict)


class BgpMemory:
    """What one computation leaves for the next: paths, how they passed, how classes ended."""

    def __init__(self) -> None:
        self.paths = PathNumbers()
        self.numbers = Numbering()
        self.passed: dict[Key, tuple[int, int]] = {}
        self._remembered: list[Remembered] = []
        #: Held by whoever adds to it, or to the numbering it shares with other states.
        self.lock = RLock()

    def __getstate__(self) -> dict[str, object]:
        """Everything but the lock, which belongs to one process."""
        return {name: value for name, value in vars(self).items() if name != "lock"}

    def __setstate__(self, state: dict[str, object]) -> None:
        vars(self).update(state)
        self.lock = RLock()

    def remembered(self, environment: Hashable, resolver: Resolver) -> Remembered:
        """Results for the same sessions with the same next hops; the oldest make room."""
        for item in self._remembered:
            if item.environment == environment and _same(resolver, item.resolutions):
                return item
        made = Remembered(environment)
        self._remembered = [*self._remembered[1 - _MOST_REMEMBERED :], made]
        return made


@dataclass(slots=True)
class Round:
    """What holds while the tables are looked at once."""

    resolver: Resolver
    hearings: list[Hearing]
    ids: list[int]  #: by hearing: its number, the same in every computation
    carrier: Carrier
    out_of: list[list[int]]
    into: list[list[int]]
    leaves: list[int]  #: devices that pass nothing on
    ranks: list[int]  #: by speaker: how many paths it ranks for a neighbour
    borders: list[list[int]]  #: hearings from one AS into another, together
    closed: tuple[Closed, ...]  #: what conditions keep back
    entrants: dict[tuple[int, int], Entrant | None]


@dataclass(frozen=True, slots=True)
class History:
    """What speakers have chosen, from which they go on."""

    classes: list[tuple[PrefixClass, ClassResult]]
    class_of: dict[int, int]
    ids: list[int]  #: by hearing
    codes: Codes

    def chosen(self, prefix: int, made: Round) -> list[Numbers] | None:
        """By speaker what it chose for a prefix, as codes of another round; None: not known."""
        number = self.class_of.get(prefix)
        if number is None:
            return None
        at = {identity: place for place, identity in enumerate(made.ids)}
        codes = made.carrier.codes

        def recoded(code: int) -> int | None:
            place = self.codes.place(code)
            now = -1 if place < 0 else at.get(self.ids[place])
            return None if now is None else codes.code(self.codes.path(code), now)

        return [
            tuple(new for code in each if (new := recoded(code)) is not None)
            for each in self.classes[number][1].outcome.chosen
        ]


@dataclass(frozen=True, slots=True)
class Looked:
    """Sessions that were judged once, with the look-ups that they rest on."""

    routes: dict[tuple[int, Address], Route | None]
    sessions: list[Session]
    round: Round


#: How many such are kept: rounds may alternate between a few.
_MOST_LOOKED = 4


class BgpDomain:
    """All speakers, and what their sessions carry.

    Args:
        memory: What an earlier computation of much the same network left; it is added to.
    """

    protocol = Protocol.BGP

    def __init__(
        self, topology: Topology, interning: Interning, memory: BgpMemory | None = None
    ) -> None:
        self.topology, self.interning = topology, interning
        self.memory = memory or BgpMemory()
        self.speakers = tuple(bgp_speakers(topology.network))
        self.index_of = {s.table: number for number, s in enumerate(self.speakers) if s.table}
        self.decisions = [
            Decision(s.decision, s.instance.multipath if s.instance else BgpMultipath())
            for s in self.speakers
        ]
        self.unsettled: set[tuple[int, int]] = set()
        self.ordered: set[tuple[int, int]] = set()
        #: By key of a class with several stable states: the number of the one to take.
        self.pinned: dict[Hashable, int] = {}
        #: Addresses of a session's ends: of one that carries nothing, of one that came up last.
        self._muted: frozenset[Address] = frozenset()
        self._fresh: frozenset[Address] = frozenset()
        self._history: History | None = None
        self.sessions: list[Session] = []
        self._looked: list[Looked] = []
        self._conversations: Conversations = {}
        self.anew: set[int] = set()  #: the prefixes that were spread, not taken from memory
        self.known = 0  #: how many prefixes there are
        self._results: dict[Hashable, ClassResult] = {}
        self._chains, self._chain_at = self._bound_policies()
        self.round: Round | None = None
        self.carried: tuple[Round, list[int]] | None = None
        self.classes: list[tuple[PrefixClass, ClassResult]] = []
        self.class_of: dict[int, int] = {}
        self._grouping: tuple[object, Grouping] | None = None
        self._last: tuple[object, dict[tuple[int, Address], Resolution], Rows] | None = None
        #: Where own paths are written, by speaker, prefix and path. Equal paths share a number,
        #: wherever they are written.
        self.own_places: dict[tuple[int, int, int], Place] = {}
        self._outside: list[list[tuple[int, int]]] = []
        for index, speaker in enumerate(self.speakers):
            found = []
            for prefix, path, place in outside_paths(speaker):
                pair = (interning.prefixes.add(prefix), self.memory.paths.add(path))
                self.own_places.setdefault((index, *pair), place)
                found.append(pair)
            self._outside.append(found)

    @property
    def routers(self) -> tuple[Speaker, ...]:
        """The speakers that are devices; they come first among all."""
        return tuple(speaker for speaker in self.speakers if speaker.instance)

    def _bound_policies(self) -> tuple[list[Chain], dict[object, int]]:
        """All policies bound to neighbours, each binding once."""
        chains: list[Chain] = []
        at: dict[object, int] = {}
        for speaker in self.routers:
            for _, settings in speaker.neighbours:
                for uses in (settings.import_policies, settings.export_policies):
                    chain = chain_of(speaker.device, uses)
                    key = _chain_key(speaker, uses)
                    if chain is not None and key not in at:
                        at[key] = len(chains)
                        chains.append(chain)
        return chains, at

    def go_on(
        self, *, muted: frozenset[Address] = frozenset(), fresh: frozenset[Address] = frozenset()
    ) -> None:
        """From now on speakers go on from what they have chosen, and not from nothing.

        Args:
            muted: The ends of a session that carries nothing from now on.
            fresh: Those of a session that has just come up: what it brings is the newest.
        """
        self._muted, self._fresh = muted, fresh
        self._remember()

    def _remember(self) -> None:
        made = self.round
        if made is not None:
            self._history = History(self.classes, self.class_of, made.ids, made.carrier.codes)

    # --- rows ----------------------------------------------------------------------------------

    def rows(self, view: Rib, injected: Mapping[int, Sequence[Injected]]) -> Rows:
        """The routes of all devices, worked out anew only if what they rest on has changed."""
        if not self.speakers:
            return no_rows()
        made = self._look(view)
        origins = self._origins(view, injected)
        silenced = self._silenced(view)
        owners = {speaker for own in origins.values() for speaker, _ in own}
        made.leaves = [leaf for leaf in made.leaves if leaf not in owners]
        environment = (
            tuple(made.ids),
            tuple(self._identity(s) for s in range(len(self.speakers))),
            tuple(made.leaves),
        )
        pinned = tuple(self.pinned.items())
        held_back = tuple(held.tobytes() for held in silenced)
        key = (environment, origins, held_back, pinned, made.closed)
        if self._history is not None:
            self.round = made
            rows = self._spread_all(made, origins, silenced)
            self._remember()
            return rows
        if self._last is not None and self._last[0] == key and _same(made.resolver, self._last[1]):
            self.round = made
            made.resolver.known.update(self._last[1])
            return self._last[2]
        self.round = made
        remembered = self.memory.remembered(environment, made.resolver)
        self._results = remembered.results
        rows = self._spread_all(made, origins, silenced)
        remembered.resolutions = dict(made.resolver.known)
        self._last = (key, dict(made.resolver.known), rows)
        return rows

    def _look(self, view: Rib) -> Round:
        """Sessions and their hearings as the tables let them be.

        They rest on what is looked up for them; while that is as it was, so are they.
        """
        for looked in self._looked:
            if all(view.lookup(*at) == found for at, found in looked.routes.items()):
                self.sessions = looked.sessions
                return replace(
                    looked.round,
                    resolver=Resolver(view, self.speakers),
                    closed=tuple(closed_announcements(self.speakers, looked.round.hearings, view)),
                    entrants={},
                )
        reach = Reach(self.topology, view, self._conversations)
        made = self._judge(view, reach)
        if reach.looked_up is not None:
            kept = Looked(dict(reach.looked_up), self.sessions, replace(made))
            self._looked = [kept, *self._looked[: _MOST_LOOKED - 1]]
        return made

    def _judge(self, view: Rib, reach: Reach) -> Round:
        judged = Sessions(self.topology, self.speakers, reach)
        self.sessions = judged.all()
        hearings = list(judged.hearings(self.sessions))
        ids = [self._hearing_number(hearing) for hearing in hearings]
        out_of: list[list[int]] = [[] for _ in self.speakers]
        into: list[list[int]] = [[] for _ in self.speakers]
        chains = []
        for place, hearing in enumerate(hearings):
            out_of[hearing.sender].append(place)
            into[hearing.receiver].append(place)
            sender, receiver = self.speakers[hearing.sender], self.speakers[hearing.receiver]
            chains.append(
                (
                    self._chain_at.get(
                        _chain_key(sender, hearing.sender_settings.export_policies), -1
                    ),
                    self._chain_at.get(
                        _chain_key(receiver, hearing.receiver_settings.import_policies), -1
                    ),
                )
            )
        return Round(
            resolver=Resolver(view, self.speakers),
            hearings=hearings,
            ids=ids,
            carrier=Carrier(
                self.speakers,
                hearings,
                chains,
                self.memory.paths,
                self.memory.numbers,
                self.memory.passed,
            ),
            out_of=out_of,
            into=into,
            leaves=[
                index
                for index, speaker in enumerate(self.speakers)
                if is_leaf(
                    speaker,
                    [hearings[place] for place in out_of[index]],
                    [hearings[place] for place in into[index]],
                )
            ],
            ranks=[
                max([1, *(hearings[place].sender_settings.add_paths or 1 for place in places)])
                for places in out_of
            ],
            borders=self._borders(hearings),
            closed=tuple(closed_announcements(self.speakers, hearings, view)),
            entrants={},
        )

    def _borders(self, hearings: Sequence[Hearing]) -> list[list[int]]:
        """The hearings between devices of different AS, those from one into another together."""
        found: dict[tuple[int, int], list[int]] = defaultdict(list)
        for place, hearing in enumerate(hearings):
            sender, receiver = self.speakers[hearing.sender], self.speakers[hearing.receiver]
            if sender.autonomous_system != receiver.autonomous_system and receiver.instance:
                found[sender.autonomous_system, receiver.autonomous_system].append(place)
        return list(found.values())

    def _identity(self, index: int) -> int:
        """A number for all a speaker is, apart from its neighbours and what it announces."""
        speaker = self.speakers[index]
        if speaker.outside:
            what: Hashable = (speaker.outside.accepts, speaker.outside.addresses)
        elif speaker.instance:
            what = replace(
                speaker.instance,
                neighbours=(),
                groups=(),
                networks=(),
                redistribute=(),
                aggregates=(),
            )
        else:
            what = None
        return self.memory.numbers[
            index,
            speaker.name,
            speaker.table,
            speaker.autonomous_system,
            speaker.router_id,
            speaker.vrf.maximum_paths if speaker.vrf else None,
            what,
        ]

    def _hearing_number(self, hearing: Hearing) -> int:
        return self.memory.numbers[
            hearing, self._identity(hearing.sender), self._identity(hearing.receiver)
        ]

    def _origins(
        self, view: Rib, injected: Mapping[int, Sequence[Injected]]
    ) -> dict[int, list[tuple[int, int]]]:
        """By prefix number: who announces it of its own, with which path."""
        found: dict[int, list[tuple[int, int]]] = defaultdict(list)
        prefixes, paths = self.interning.prefixes, self.memory.paths
        for index, speaker in enumerate(self.speakers):
            for prefix, number in self._outside[index]:
                found[prefix].append((index, number))
            own: dict[tuple[int, OwnKind | None], int] = {}
            for held, path, place in local_paths(
                self.interning, speaker, view, injected.get(index, ())
            ):
                number = paths.add(path)
                own[prefixes.add(held), path.own] = number
                self.own_places[index, prefixes.add(held), number] = place
            for (prefix, _), number in own.items():
                found[prefix].append((index, number))
            instance = speaker.instance
            for aggregate in instance.aggregates if instance else ():
                found.setdefault(prefixes.add(aggregate.prefix), [])
            if any(settings.default_route for _, settings in speaker.neighbours):
                for version in (4, 6):
                    found.setdefault(self.interning.default_prefix(version), [])
        return found

    def own_place(self, speaker: int, path: int, prefix: int) -> Place:
        """Where a speaker's own path to a prefix is written."""
        return self.own_places.get((speaker, prefix, path), NOWHERE)

    def _silenced(self, view: Rib) -> list[np.ndarray]:
        """By speaker: prefixes it keeps to itself, since another protocol's route is active."""
        tables = self.interning.table_numbers
        return [
            view.held_by_others(tables[speaker.table], Protocol.BGP)
            if speaker.table and speaker.instance and speaker.instance.announce_active_only
            else np.zeros(0, dtype=np.int32)
            for speaker in self.speakers
        ]

    def _spread_all(
        self,
        made: Round,
        origins: dict[int, list[tuple[int, int]]],
        silenced: list[np.ndarray],
    ) -> Rows:
        """Every class spread; aggregates from the longest, since they may be parts of others."""
        numbers = sorted(origins)
        grouping = self._grouped(numbers)
        silent = np.zeros((len(numbers), len(self.speakers)), dtype=bool)
        for speaker, held in enumerate(silenced):
            if len(held):
                silent[:, speaker] = np.isin(grouping.numbers, held)
        aggregates = self._aggregates()
        alone = np.zeros(len(numbers), dtype=bool)
        place_of = {number: place for place, number in enumerate(numbers)}
        for address in self._next_hop_addresses(made, origins):
            for number in self.interning.prefixes.matches(address):
                if number in place_of:
                    alone[place_of[number]] = True
        for number in aggregates:
            alone[place_of[number]] = True
        defaults = {self.interning.default_prefix(4), self.interning.default_prefix(6)}
        listed: list[Origins] = [tuple(origins[number]) for number in numbers]
        waiting = {place_of[number] for number in aggregates}
        plain = [
            () if place in waiting or numbers[place] in defaults else found
            for place, found in enumerate(listed)
        ]
        self.classes, self.class_of = [], {}
        self.unsettled, self.ordered = set(), set()
        self.known = len(numbers)
        closed = made.closed
        for item in grouping.classes(plain, silent, alone, closed):
            self._keep(item, self._result(made, item))
        order = sorted(aggregates, key=lambda n: -self.interning.prefixes.prefixes[n].prefixlen)
        for number in dict.fromkeys([*order, *(n for n in sorted(defaults) if n in place_of)]):
            place = place_of[number]
            own = listed[place] + tuple(
                self._aggregated(made, grouping, aggregates.get(number, ()))
            )
            item = grouping.single(place, own, silent, closed)
            if own or number in defaults:
                self._keep(item, self._result(made, item))
        return self._expanded(made)

    def _grouped(self, numbers: list[int]) -> Grouping:
        if self._grouping is None or self._grouping[0] != numbers:
            summaries = [
                [a.prefix for a in s.instance.aggregates if a.summary_only] if s.instance else []
                for s in self.speakers
            ]
            prefixes = [self.interning.prefixes.prefixes[number] for number in numbers]
            made = Grouping(numbers, prefixes, self._chains, summaries, self.memory.numbers)
            self._grouping = (numbers, made)
        return self._grouping[1]

    def _aggregates(self) -> dict[int, list[tuple[int, int]]]:
        """By prefix number: speaker and position of each aggregate to it."""
        found: dict[int, list[tuple[int, int]]] = {}
        for index, speaker in enumerate(self.speakers):
            for place, item in enumerate(speaker.instance.aggregates if speaker.instance else ()):
                number = self.interning.prefixes.add(item.prefix)
                found.setdefault(number, []).append((index, place))
        return found

    def _aggregated(
        self, made: Round, grouping: Grouping, stated: Sequence[tuple[int, int]]
    ) -> Iterator[tuple[int, int]]:
        """The own paths that aggregates to one prefix give, from what their speakers hold."""
        for index, place in stated:
            speaker = self.speakers[index]
            if speaker.instance is None:
                continue
            aggregate = speaker.instance.aggregates[place]
            parts = grouping.numbers[grouping.parts_of(aggregate.prefix)]
            classes = {self.class_of[n] for n in parts.tolist() if n in self.class_of}
            codes = made.carrier.codes
            held = [
                self.memory.paths[codes.path(chosen[0])]
                for number in sorted(classes)
                if (chosen := self.classes[number][1].outcome.chosen[index])
            ]
            path = aggregated_path(speaker, aggregate, held)
            if path is not None:
                path_number = self.memory.paths.add(path)
                prefix = self.interning.prefixes.add(aggregate.prefix)
                self.own_places[index, prefix, path_number] = aggregate.place
                yield index, path_number

    def _next_hop_addresses(
        self, made: Round, origins: dict[int, list[tuple[int, int]]]
    ) -> set[Address]:
        """Every address that may become a next hop."""
        found: set[Address] = set()
        for hearing in made.hearings:
            found.update(hearing.own_addresses)
        for device in self.topology.network.devices:
            for policy in device.policies:
                for statement in policy.statements:
                    address = statement.actions.next_hop
                    if address is not None and not isinstance(address, str):
                        found.add(address)
        for number in {number for own in origins.values() for _, number in own}:
            path = self.memory.paths[number]
            found.update(a for a in (path.gateway, path.next_hop) if a is not None)
        return found

    # --- one class -----------------------------------------------------------------------------

    def _keep(self, item: PrefixClass, result: ClassResult) -> None:
        number = len(self.classes)
        self.classes.append((item, result))
        members = item.members.tolist()
        for member in members:
            self.class_of[member] = number
        tables = self.interning.table_numbers
        outcome = result.outcome
        for speaker in outcome.contested:
            table = self.speakers[speaker].table
            if table is not None:
                doubts = self.unsettled if outcome.cycle else self.ordered
                doubts.update((tables[table], member) for member in members)

    def _result(self, made: Round, item: PrefixClass) -> ClassResult:
        if self._history is not None:
            return self._gone_on(made, item, self._history)
        # What a neighbour is sent by default goes through policies that are no chain of the class.
        # Rows of aggregates cite where they are written.
        member = int(item.members[0])
        cited = [self.own_place(*own, member) for own in item.origins] if item.alone else []
        key = (item.key, tuple(self.default_senders(made, item).items()), tuple(cited))
        found = self._results.get(key)
        if found is None:
            self.anew.update(item.members.tolist())
            complete = item.alone
            outcome = Spread(self.arena(made, item, complete=complete)).settle()
            if outcome.contested and not complete:
                complete = True
                outcome = Spread(self.arena(made, item, complete=True)).settle()
            found = ClassResult(
                key=key,
                outcome=outcome,
                rows=tuple(self._class_rows(made, item, outcome)),
                complete=complete,
            )
            outcome.heard = []  # it follows from what each chose, and there may be many classes
            self._results[key] = found
        if key in self.pinned:
            return self._pinned_result(made, item, found)
        return found

    def _gone_on(self, made: Round, item: PrefixClass, history: History) -> ClassResult:
        """How a class goes on from what its first prefix was chosen for before."""
        spread = Spread(self.arena(made, item, complete=True))
        before = history.chosen(int(item.members[0]), made)
        settles = spread.settle_from(before or [()] * len(self.speakers))
        moving = () if settles else tuple(range(len(self.speakers)))
        outcome = Outcome(spread.chosen, spread.heard, contested=moving)
        return ClassResult(
            key=item.key,
            outcome=outcome,
            rows=tuple(self._class_rows(made, item, outcome)),
            complete=True,
        )

    def _pinned_result(self, made: Round, item: PrefixClass, found: ClassResult) -> ClassResult:
        """The same class in another of its stable states; as it was where that one is none now."""
        states = found.outcome.others
        number = self.pinned[found.key]
        if number >= len(states):
            return found
        arena = self.arena(made, item, complete=True)
        decisions = list(arena.decisions)
        for speaker, newest in states[number].arrivals:
            decisions[speaker] = decisions[speaker].arrived(newest)
        spread = Spread(replace(arena, decisions=decisions))
        if not spread.settle_from(states[number].chosen):
            return found
        outcome = replace(found.outcome, chosen=spread.chosen, heard=spread.heard)
        rows = tuple(self._class_rows(made, item, outcome))
        return replace(found, outcome=outcome, rows=rows)

    def others_announce(self, index: int, prefixes: Sequence[int]) -> bool:
        """Whether somebody of another AS than a speaker's announces one of some prefixes."""
        mine = self.speakers[index].public_as
        classes = {self.class_of[prefix] for prefix in prefixes if prefix in self.class_of}
        return any(
            self.speakers[speaker].public_as != mine
            for number in classes
            for speaker, _ in self.classes[number][0].origins
        )

    def other_states(self) -> Iterator[tuple[Hashable, int, tuple[int, ...]]]:
        """The stable states of classes that are not shown: key, number, tables that come first."""
        numbers = self.interning.table_numbers
        for _, result in self.classes:
            shown = tuple(result.outcome.chosen)
            for number, other in enumerate(result.outcome.others):
                if other.chosen != shown:
                    tables = [self.speakers[speaker].table for speaker in other.order]
                    yield result.key, number, tuple(numbers[t] for t in tables if t is not None)

    def arena(self, made: Round, item: PrefixClass, *, complete: bool) -> Arena:
        """What a class spreads through; leaves are in it only where it is to be complete."""
        codes = made.carrier.codes
        own: list[list[int]] = [[] for _ in self.speakers]
        for speaker, number in item.origins:
            own[speaker].append(codes.code(number, -1))
        defaults = self.default_senders(made, item)
        outside = [speaker.outside is not None for speaker in self.speakers]
        lane = item.lane
        passes = made.carrier.passes

        muted: frozenset[int] = frozenset()
        if self._muted:
            places = enumerate(made.hearings)
            muted = frozenset(place for place, h in places if _is_of(h, self._muted))

        def sent(place: int, chosen: Numbers) -> Numbers:
            hearing = made.hearings[place]
            if place in muted:
                return ()
            if item.prefix.version not in hearing.versions:
                return ()
            if place in defaults:
                code = passes(lane, place, codes.code(defaults[place], -1))
                return () if code < 0 else (code,)
            if lane.kept_back[hearing.sender] or place in lane.closed:
                return ()
            if lane.not_active[hearing.sender]:
                # What it originates is active by the protocol it comes from.
                chosen = tuple(code for code in chosen if codes.place(code) < 0)
            count = hearing.sender_settings.add_paths or 1
            if outside[hearing.sender]:
                count = len(chosen)
            found = [code for path in chosen[:count] if (code := passes(lane, place, path)) >= 0]
            return tuple(found[:1] if outside[hearing.sender] else found)

        # What outside networks hear changes nothing of what they announce.
        quiet = {*made.leaves, *(n for n, is_outside in enumerate(outside) if is_outside)}
        return Arena(
            own=own,
            out_of=[
                [place for place in out if made.hearings[place].receiver not in quiet]
                for out in made.out_of
            ],
            leaves=[(leaf, made.into[leaf]) for leaf in made.leaves] if complete else [],
            senders=[hearing.sender for hearing in made.hearings],
            receiver=[hearing.receiver for hearing in made.hearings],
            ranks=made.ranks,
            outside=outside,
            decisions=self.decisions,
            enter=self._entering(made, item),
            sent=sent,
            unasked=tuple(defaults),
            borders=made.borders,
        )

    def is_off(self, made: Round, place: int) -> bool:
        """Whether a condition keeps back the default route of a hearing's own."""
        return any(item.place == place and item.ranges is None for item in made.closed)

    def default_senders(self, made: Round, item: PrefixClass) -> dict[int, int]:
        """For a default route: the hearings that carry one of their own, with its path."""
        found: dict[int, int] = {}
        if item.prefix.prefixlen > 0:
            return found
        for place, hearing in enumerate(made.hearings):
            stated = hearing.sender_settings.default_route
            if stated is None or self.is_off(made, place):
                continue
            if item.prefix.version in hearing.versions:
                path = default_path(self.speakers[hearing.sender], stated.policy, item.prefix)
                if path is not None:
                    found[place] = self.memory.paths.add(path)
        return found

    def _entering(self, made: Round, item: PrefixClass) -> Callable[[int, int], Entrant | None]:
        """A function from speaker and code to its entrant; None: not usable."""
        known: dict[tuple[int, int], Entrant | None] = {} if item.alone else made.entrants

        paths, codes = self.memory.paths, made.carrier.codes

        def enter(speaker: int, code: int) -> Entrant | None:
            key = (speaker, code)
            if key not in known:
                resolution = self.resolution(made, item, speaker, paths[codes.path(code)])
                known[key] = (
                    None if resolution.problem else self.entrant_of(made, speaker, code, resolution)
                )
            return known[key]

        return enter

    def resolution(self, made: Round, item: PrefixClass, speaker: int, path: Path) -> Resolution:
        if path.learned is Learned.OWN or self.speakers[speaker].outside:
            return Resolution(())
        if path.discard:
            return Resolution((DISCARD,))
        if path.next_hop is None:
            return Resolution((), problem="it has no next hop")
        if item.alone:
            return made.resolver.for_prefix(speaker, path.next_hop, item.prefix)
        return made.resolver.of(speaker, path.next_hop)

    def entrant_of(self, made: Round, speaker: int, code: int, resolution: Resolution) -> Entrant:
        path = self.memory.paths[made.carrier.codes.path(code)]
        place = made.carrier.codes.place(code)
        hearing = made.hearings[place] if place >= 0 else None
        identifier = path.originator
        if identifier is None and hearing is not None:
            identifier = self.speakers[hearing.sender].router_id
        return entrant(
            code,
            path,
            self.speakers[speaker].decision,
            igp_cost=resolution.cost,
            router_id=int(identifier) if identifier is not None else 0,
            neighbour=int(hearing.sender_address) if hearing else 0,
            order=place,
            fresh=bool(self._fresh) and hearing is not None and _is_of(hearing, self._fresh),
        )

    def _class_rows(
        self, made: Round, item: PrefixClass, outcome: Outcome
    ) -> Iterator[tuple[int, int, int, int]]:
        """The rows of devices for one prefix of a class."""
        enter = self._entering(made, item)
        paths, codes = self.memory.paths, made.carrier.codes
        for index, chosen in enumerate(outcome.chosen):
            speaker = self.speakers[index]
            instance, vrf = speaker.instance, speaker.vrf
            if not chosen or instance is None or vrf is None or speaker.table is None:
                continue
            table = self.interning.table_numbers[speaker.table]
            path = paths[codes.path(chosen[0])]
            used: Sequence[int] = chosen[:1]
            multipath = instance.multipath
            if max(multipath.external, multipath.internal) > 1:
                numbers = [codes.code(number, -1) for number in own_of(item, index)]
                for heard in outcome.heard[index].values():
                    numbers.extend(heard)
                entrants = [e for n in numbers if (e := enter(index, n)) is not None]
                used = self.decisions[index].choose(entrants).used
            if path.learned is Learned.OWN:
                if path.own is OwnKind.AGGREGATE:
                    kind = RouteKind(
                        Protocol.BGP,
                        instance.local_distance,
                        PathType.AGGREGATE,
                        discard=True,
                        place=self.interning.place(
                            self.own_place(index, codes.path(chosen[0]), int(item.members[0]))
                        ),
                    )
                    yield (
                        table,
                        0,
                        self.interning.kinds.add(kind),
                        self.interning.next_hops.add((DISCARD,)),
                    )
                continue
            hops: list[NextHop] = []
            for number in used:
                found = self.resolution(made, item, index, paths[codes.path(number)])
                hops.extend(found.next_hops)
            discard = hops[:1] == [DISCARD]
            external = path.learned is Learned.EXTERNAL
            kind = RouteKind(
                Protocol.BGP,
                instance.external_distance if external else instance.internal_distance,
                BGP_PATH_TYPES[path.learned],
                discard=discard,
            )
            yield (
                table,
                path.med or 0,
                self.interning.kinds.add(kind),
                self.interning.next_hops.add(
                    (DISCARD,) if discard else limited(one_way_each(hops), vrf.maximum_paths)
                ),
            )

    def _expanded(self, made: Round) -> Rows:
        """The rows of all classes for all their prefixes."""
        blocks = []
        for item, result in self.classes:
            if not result.rows:
                continue
            rows = np.array(result.rows, dtype=np.int64)
            members = len(item.members)
            block = np.zeros(len(rows) * members, dtype=ROW)
            block["table"] = np.repeat(rows[:, 0], members)
            block["prefix"] = np.tile(item.members, len(rows))
            block["metric"] = np.repeat(rows[:, 1], members)
            block["kind"] = np.repeat(rows[:, 2], members)
            block["next_hops"] = np.repeat(rows[:, 3], members)
            blocks.append(block)
        blocks += self._leaf_rows(made)
        return np.concatenate(blocks) if blocks else no_rows()

    def _leaf_rows(self, made: Round) -> list[Rows]:
        """The rows of leaves, for all classes that have been spread without them."""
        plain = [(item, result) for item, result in self.classes if not result.complete]
        if not plain:
            return []
        members = np.concatenate([item.members for item, _ in plain]).astype(np.int64)
        of = np.repeat(np.arange(len(plain)), [len(item.members) for item, _ in plain])
        order = np.argsort(members)
        tables = LeafTables(
            self.interning, self.speakers, made.carrier, made.resolver, made.leaves, made.into
        )
        return tables.rows(
            [item.lane for item, _ in plain],
            [result.outcome.chosen for _, result in plain],
            members[order],
            of[order],
        )


def _is_of(hearing: Hearing, ends: frozenset[Address]) -> bool:
    """Whether a hearing is of the session between two addresses."""
    return {hearing.sender_address, hearing.receiver_address} == ends


def _chain_key(speaker: Speaker, uses: tuple[PolicyUse, ...] | None) -> object:
    return speaker.table, tuple(use.policy for use in uses or ())


def _same(resolver: Resolver, before: dict[tuple[int, Address], Resolution]) -> bool:
    """Whether next hops lead where they led before."""
    return all(resolver.of(*key) == resolution for key, resolution in before.items())


def own_of(item: PrefixClass, index: int) -> list[int]:
    """The numbers of a speaker's own paths for a class."""
    return [number for speaker, number in item.origins if speaker == index]
