"""Every class of prefixes spread over the sessions of one round, and the rows that follow."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address
from routrel.model.network import Network
from routrel.model.place import NOWHERE, Place
from routrel.protocols.bgp.carrying import Codes
from routrel.protocols.bgp.classes import Grouping, Origins, PrefixClass
from routrel.protocols.bgp.memory import ClassResult, Remembered, RoundCosts
from routrel.protocols.bgp.origination import aggregated_path
from routrel.protocols.bgp.paths import OwnKind, PathSource
from routrel.protocols.bgp.receive_only import ReceiveOnlyTables
from routrel.protocols.bgp.round import Entered, Round, own_of
from routrel.protocols.bgp.spread import Numbers, Outcome, Spread
from routrel.protocols.shared.recent import Parts
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
from routrel.rib.table import RowsByTable, by_table

#: Table, metric, kind, next hops.
Row: TypeAlias = tuple[int, int, int, int]

__all__ = ["BGP_PATH_TYPES", "Classes", "History", "Pinned", "Spreading"]

BGP_PATH_TYPES = {
    PathSource.OWN: PathType.NONE,
    PathSource.EXTERNAL: PathType.EXTERNAL,
    PathSource.CONFEDERATION: PathType.CONFEDERATION,
    PathSource.INTERNAL: PathType.INTERNAL,
}


@dataclass(frozen=True, slots=True)
class Pinned:
    """The one to take of the stable states of a class, by the class's key."""

    key: Hashable
    number: int


@dataclass(frozen=True, slots=True)
class History:
    """What speakers have chosen, from which they go on."""

    classes: Sequence[tuple[PrefixClass, ClassResult]]
    class_of: Mapping[int, int]
    ids: Sequence[int]  #: by peer
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Classes:
    """How all classes ended. Tables and prefixes are (table, prefix) numbers."""

    all: tuple[tuple[PrefixClass, ClassResult], ...]
    class_of: Mapping[int, int]  #: by prefix: its place in `all`
    announced: tuple[int, ...]  #: the prefixes that somebody may announce, rising
    anew: frozenset[int]  #: the prefixes that were spread, not taken from memory
    oscillating: frozenset[tuple[int, int]]
    order_dependent: frozenset[tuple[int, int]]
    #: Where own paths are written, by speaker, prefix and path. Equal paths share a number,
    #: wherever they are written.
    own_places: Mapping[tuple[int, int, int], Place]
    rows: RowsByTable

    def own_place(self, speaker: int, path: int, prefix: int) -> Place:
        """Where a speaker's own path to a prefix is written."""
        return self.own_places.get((speaker, prefix, path), NOWHERE)


class Spreading:
    """One look at all prefixes.

    Args:
        origins: By prefix number: who announces it of its own, with which path.
        own_places: Where own paths are written; it is added to.
        silenced: By speaker: prefixes it keeps to itself.
        grouping: Of the prefixes of `origins` in rising order.
        remembered: How classes ended before with the same sessions; it is added to.
        history: What speakers go on from; None: from nothing.
        parts: What was made of single speakers; more is added.
    """

    def __init__(
        self,
        network: Network,
        interning: Interning,
        made: Round,
        *,
        origins: dict[int, list[tuple[int, int]]],
        own_places: dict[tuple[int, int, int], Place],
        silenced: Sequence[np.ndarray],
        grouping: Grouping,
        remembered: Remembered,
        history: History | None,
        pinned: Pinned | None,
        parts: Parts,
    ) -> None:
        self.network, self.interning, self.made = network, interning, made
        self.origins, self.own_places, self.silenced = origins, own_places, silenced
        self.grouping, self.remembered = grouping, remembered
        self.history, self.pinned, self.parts = history, pinned, parts
        self.classes: list[tuple[PrefixClass, ClassResult]] = []
        self.class_of: dict[int, int] = {}
        self.oscillating: set[tuple[int, int]] = set()
        self.order_dependent: set[tuple[int, int]] = set()
        self.anew: set[int] = set()
        self._costs = RoundCosts(made.resolver, made.paths, made.ids, made.carrier.codes)
        #: Rows of what speakers chose, by speaker and code, where nothing else counts.
        self._rows: dict[tuple[int, int], Row | None] = {}

    def run(self) -> Classes:
        """Every class spread; aggregates from the longest, since they may be parts of others."""
        made, origins, grouping = self.made, self.origins, self.grouping
        numbers = sorted(origins)
        silent = np.zeros((len(numbers), len(made.speakers)), dtype=bool)
        for speaker, held in enumerate(self.silenced):
            if len(held):
                silent[:, speaker] = np.isin(grouping.numbers, held)
        aggregates = self._aggregates()
        alone = np.zeros(len(numbers), dtype=bool)
        place_of = {number: place for place, number in enumerate(numbers)}
        for address in self._next_hop_addresses():
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
        for item in grouping.classes(plain, silent, alone, made.closed):
            self._keep(item, self._result(item))
        order = sorted(aggregates, key=lambda n: -self.interning.prefixes.prefixes[n].prefixlen)
        for number in dict.fromkeys([*order, *(n for n in sorted(defaults) if n in place_of)]):
            place = place_of[number]
            own = listed[place] + tuple(self._aggregated(aggregates.get(number, ())))
            item = grouping.single(place, own, silent, made.closed)
            if own or number in defaults:
                self._keep(item, self._result(item))
        return Classes(
            all=tuple(self.classes),
            class_of=self.class_of,
            announced=tuple(numbers),
            anew=frozenset(self.anew),
            oscillating=frozenset(self.oscillating),
            order_dependent=frozenset(self.order_dependent),
            own_places=self.own_places,
            rows=self._expanded(),
        )

    def _aggregates(self) -> dict[int, list[tuple[int, int]]]:
        """By prefix number: speaker and position of each aggregate to it."""
        found: dict[int, list[tuple[int, int]]] = {}
        for index, speaker in enumerate(self.made.speakers):
            for place, item in enumerate(speaker.instance.aggregates if speaker.instance else ()):
                number = self.interning.prefixes.add(item.prefix)
                found.setdefault(number, []).append((index, place))
        return found

    def _aggregated(self, stated: Sequence[tuple[int, int]]) -> Iterator[tuple[int, int]]:
        """The own paths that aggregates to one prefix give, from what their speakers hold."""
        paths, codes = self.made.paths, self.made.carrier.codes
        for index, place in stated:
            speaker = self.made.speakers[index]
            if speaker.instance is None:
                continue
            aggregate = speaker.instance.aggregates[place]
            parts = self.grouping.numbers[self.grouping.parts_of(aggregate.prefix)]
            classes = {self.class_of[n] for n in parts.tolist() if n in self.class_of}
            held = [
                paths[codes.path(chosen[0])]
                for number in sorted(classes)
                if (chosen := self.classes[number][1].outcome.chosen[index])
            ]
            path = aggregated_path(speaker, aggregate, held)
            if path is not None:
                path_number = paths.add(path)
                prefix = self.interning.prefixes.add(aggregate.prefix)
                self.own_places[index, prefix, path_number] = aggregate.place
                yield index, path_number

    def _next_hop_addresses(self) -> set[Address]:
        """Every address that may become a next hop."""
        found: set[Address] = set()
        for peer in self.made.peers:
            found.update(peer.own_addresses)
        for device in self.network.devices:
            for policy in device.policies:
                for statement in policy.statements:
                    address = statement.actions.next_hop
                    if address is not None and not isinstance(address, str):
                        found.add(address)
        for number in {number for own in self.origins.values() for _, number in own}:
            path = self.made.paths[number]
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
            table = self.made.speakers[speaker].table
            if table is not None:
                found = self.oscillating if outcome.cycle else self.order_dependent
                found.update((tables[table], member) for member in members)

    def _result(self, item: PrefixClass) -> ClassResult:
        if self.history is not None:
            return self._gone_on(item, self.history)
        key = self._key(item)
        found = self.remembered.result(key, self._costs)
        if found is None:
            found = self._spread(item, key)
        elif not found.complete:
            found = replace(found, rows=tuple(self._class_rows(item, found.outcome)))
        if self.pinned is not None and key == self.pinned.key:
            return self._pinned_result(item, found, self.pinned.number)
        return found

    def _key(self, item: PrefixClass) -> Hashable:
        """What decides how a class spreads among certain sessions, next hops aside."""
        # What a neighbour is sent by default goes through policies that are no chain of the class.
        # Rows of aggregates cite where they are written.
        ids, member = self.made.ids, int(item.members[0])
        cited = [self._own_place(*own, member) for own in item.origins] if item.alone else []
        return (
            item.key,
            frozenset(ids[place] for place in item.signature.closed),
            tuple((ids[place], path) for place, path in self.made.default_senders(item).items()),
            tuple(cited),
        )

    def _spread(self, item: PrefixClass, key: Hashable) -> ClassResult:
        """How a class ends, worked out."""
        self.anew.update(item.members.tolist())
        entered: Entered = {}
        complete = item.alone
        outcome = Spread(self.made.graph(item, complete=complete, entered=entered)).settle()
        if outcome.contested and not complete:
            complete = True
            outcome = Spread(self.made.graph(item, complete=True, entered=entered)).settle()
        rows = tuple(self._class_rows(item, outcome))
        outcome.heard = []  # it follows from what each chose, and there may be many classes
        found = ClassResult(key=key, outcome=outcome, rows=rows, complete=complete)
        self.remembered.keep(found, self.made.met(entered), self._costs)
        return found

    def _own_place(self, speaker: int, path: int, prefix: int) -> Place:
        return self.own_places.get((speaker, prefix, path), NOWHERE)

    def _gone_on(self, item: PrefixClass, history: History) -> ClassResult:
        """How a class goes on from what its first prefix was chosen for before."""
        spread = Spread(self.made.graph(item, complete=True))
        before = history.chosen(int(item.members[0]), self.made)
        settles = spread.settle_from(before or [()] * len(self.made.speakers))
        moving = () if settles else tuple(range(len(self.made.speakers)))
        outcome = Outcome(spread.chosen, spread.heard, contested=moving)
        return ClassResult(
            key=item.key,
            outcome=outcome,
            rows=tuple(self._class_rows(item, outcome)),
            complete=True,
        )

    def _pinned_result(self, item: PrefixClass, found: ClassResult, number: int) -> ClassResult:
        """The same class in another of its stable states; as it was where that one is none now."""
        states = found.outcome.others
        if number >= len(states):
            return found
        graph = self.made.graph(item, complete=True)
        decisions = list(graph.decisions)
        for speaker, newest in states[number].arrivals:
            decisions[speaker] = decisions[speaker].arrived(newest)
        spread = Spread(replace(graph, decisions=decisions))
        if not spread.settle_from(states[number].chosen):
            return found
        outcome = replace(found.outcome, chosen=spread.chosen, heard=spread.heard)
        rows = tuple(self._class_rows(item, outcome))
        return replace(found, outcome=outcome, rows=rows)

    def _class_rows(self, item: PrefixClass, outcome: Outcome) -> Iterator[Row]:
        """The rows of devices for one prefix of a class."""
        made, known = self.made, self._rows
        for index, chosen in enumerate(outcome.chosen):
            instance = made.speakers[index].instance
            if not chosen or instance is None:
                continue
            multipath = max(instance.multipath.external, instance.multipath.internal) > 1
            if item.alone or multipath:
                used = self._used(item, index, outcome) if multipath else chosen[:1]
                row = self._row(item, index, chosen[0], used)
            else:
                key = (index, chosen[0])
                if key not in known:
                    known[key] = self._row(item, index, chosen[0], chosen[:1])
                row = known[key]
            if row is not None:
                yield row

    def _used(self, item: PrefixClass, index: int, outcome: Outcome) -> Numbers:
        """The paths that a speaker shares packets among."""
        made = self.made
        enter, codes = made.entering(item), made.carrier.codes
        numbers = [codes.code(number, -1) for number in own_of(item, index)]
        if outcome.heard:
            for heard in outcome.heard[index].values():
                numbers.extend(heard)
        else:
            sent = made.sending(item, made.default_senders(item))
            for place in made.into[index]:
                numbers.extend(sent(place, outcome.chosen[made.peers[place].sender]))
        contenders = [found for n in numbers if (found := enter(index, n)) is not None]
        return made.decisions[index].choose(contenders).used

    def _row(self, item: PrefixClass, index: int, code: int, used: Sequence[int]) -> Row | None:
        """The row of a speaker that chose a path; None: its table has the route otherwise."""
        made, speaker = self.made, self.made.speakers[index]
        instance, vrf = speaker.instance, speaker.vrf
        if instance is None or vrf is None or speaker.table is None:
            return None
        paths, codes, interning = made.paths, made.carrier.codes, self.interning
        table, path = interning.table_numbers[speaker.table], paths[codes.path(code)]
        if path.source is PathSource.OWN:
            if path.own is not OwnKind.AGGREGATE:
                return None
            place = self._own_place(index, codes.path(code), int(item.members[0]))
            kind = RouteKind(
                Protocol.BGP,
                instance.local_distance,
                PathType.AGGREGATE,
                discard=True,
                place=interning.place(place),
            )
            return table, 0, interning.kinds.add(kind), interning.next_hops.add((DISCARD,))
        hops: list[NextHop] = []
        for number in used:
            hops.extend(made.resolution(item, index, paths[codes.path(number)]).next_hops)
        discard = hops[:1] == [DISCARD]
        external = path.source is PathSource.EXTERNAL
        kind = RouteKind(
            Protocol.BGP,
            instance.external_distance if external else instance.internal_distance,
            BGP_PATH_TYPES[path.source],
            discard=discard,
        )
        ways = (DISCARD,) if discard else limited(one_way_each(hops), vrf.maximum_paths)
        return table, path.med or 0, interning.kinds.add(kind), interning.next_hops.add(ways)

    def _expanded(self) -> RowsByTable:
        """The rows of all classes for all their prefixes."""
        rows = np.array([row for _, result in self.classes for row in result.rows], dtype=np.int64)
        found = dict(by_table(self._of_members(rows)))
        for table, block in self._receive_only_rows().items():
            found[table] = (*found.get(table, ()), block)
        return found

    def _of_members(self, rows: NDArray[np.int64]) -> Rows:
        """Rows of one prefix of each class, in order of the classes, for all their prefixes."""
        if not len(rows):
            return no_rows()
        members = np.concatenate([item.members for item, _ in self.classes])
        sizes = np.array([len(item.members) for item, _ in self.classes])
        of = np.repeat(np.arange(len(sizes)), [len(result.rows) for _, result in self.classes])
        count, first = sizes[of], (np.cumsum(sizes) - sizes)[of]
        block: Rows = np.zeros(int(count.sum()), dtype=ROW)
        inside = np.arange(len(block)) - np.repeat(np.cumsum(count) - count, count)
        block["prefix"] = members[np.repeat(first, count) + inside]
        for column, name in enumerate(("table", "metric", "kind", "next_hops")):
            block[name] = np.repeat(rows[:, column], count)
        return block

    def _receive_only_rows(self) -> dict[int, Rows]:
        """By table of receive-only speakers, for all classes that were spread without them."""
        plain = [(item, result) for item, result in self.classes if not result.complete]
        if not plain:
            return {}
        made = self.made
        members = np.concatenate([item.members for item, _ in plain]).astype(np.int64)
        of = np.repeat(np.arange(len(plain)), [len(item.members) for item, _ in plain])
        order = np.argsort(members)
        tables = ReceiveOnlyTables(self.interning, made, self.parts)
        return tables.rows(
            [item.signature for item, _ in plain],
            [result.outcome.chosen for _, result in plain],
            members[order],
            of[order],
        )
