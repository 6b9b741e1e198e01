"""What one computation of BGP leaves for the next of much the same network."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, field, replace
from typing import TypeAlias

from routrel.forwarding.reach import Conversations
from routrel.model.addresses import Address
from routrel.protocols.bgp.carrying import Codes, Key, Numbering
from routrel.protocols.bgp.decision import Contender
from routrel.protocols.bgp.paths import NO_ADDRESS, PathNumbers
from routrel.protocols.bgp.resolve import Resolution, Resolver
from routrel.protocols.bgp.sessions import Judged, judged_alike
from routrel.protocols.bgp.spread import Numbers, Outcome
from routrel.protocols.shared.recent import Parts, Recent
from routrel.topology.segments import Topology

__all__ = [
    "BgpMemory",
    "ClassResult",
    "Met",
    "Remembered",
    "RoundCosts",
    "leads_as_before",
    "met_by",
]

#: Sessions come up round by round; each round's results may serve the next computation.
_MOST_REMEMBERED = 8
#: How many ways to end are kept of one class; next hops may lead now here, now there.
_MOST_ENDINGS = 4

#: Next hops in groups whose interior costs one speaker may hold against each other, each group
#: with its speaker. Addresses are numbers of `PathNumbers`; `NO_ADDRESS` stands for a path that
#: costs nothing, whatever the tables are.
Met: TypeAlias = tuple[tuple[int, tuple[int, ...]], ...]
#: What the members of each group come to: places in order of cost, or whole resolutions.
_Costs: TypeAlias = tuple[tuple[object, ...], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassResult:
    """How a class of prefixes ended: what each speaker holds, and its rows for one prefix."""

    key: Hashable  #: what it follows from, next hops aside
    outcome: Outcome
    rows: tuple[tuple[int, int, int, int], ...]  #: table, metric, kind, next hops
    complete: bool  #: whether receive-only speakers are among them, too


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ending:
    """How a class ended with certain next hops, by the peers of one round."""

    result: ClassResult
    met: Met
    costs: _Costs
    ids: Sequence[int]  #: by peer
    codes: Codes


@dataclass(slots=True)
class Remembered:
    """How classes ended among certain speakers with certain sessions.

    What spreads depends on the tables by two things alone: whether a speaker can reach a next hop,
    and in which order of interior cost it reaches those of paths that are equal up to that rung.
    Where these are as before, so is what everybody chooses; rows are made anew. A class that those
    took part in who only receive is taken up whole or not at all.
    """

    environment: Hashable
    endings: dict[Hashable, tuple[_Ending, ...]] = field(default_factory=dict)

    def copy(self) -> Remembered:
        """The same, to which more may be added."""
        return replace(self, endings=self.endings.copy())

    def result(self, key: Hashable, round_: RoundCosts) -> ClassResult | None:
        """How a class ended before, in the codes of a round; rows are those of the time then."""
        for ending in self.endings.get(key, ()):
            found, same_peers = ending.result, ending.ids == round_.ids
            if found.complete and not same_peers:
                continue
            if round_.costs(ending.met, whole=found.complete) != ending.costs:
                continue
            if same_peers:
                return found
            chosen = round_.recoded(found.outcome.chosen, ending.ids, ending.codes)
            return replace(found, outcome=replace(found.outcome, chosen=chosen))
        return None

    def keep(self, result: ClassResult, met: Met, round_: RoundCosts) -> None:
        """Remember how a class ended; what was long ago is forgotten."""
        made = _Ending(
            result=result,
            met=met,
            costs=round_.costs(met, whole=result.complete),
            ids=round_.ids,
            codes=round_.codes,
        )
        known = self.endings.get(result.key, ())
        self.endings[result.key] = (made, *known[: _MOST_ENDINGS - 1])


class RoundCosts:
    """What the next hops of one round come to, and its codes.

    Args:
        ids: By peer: its number, the same in every computation.
    """

    def __init__(
        self, resolver: Resolver, paths: PathNumbers, ids: Sequence[int], codes: Codes
    ) -> None:
        self.resolver, self.paths, self.ids, self.codes = resolver, paths, ids, codes
        self._known: dict[tuple[Met, bool], _Costs] = {}
        #: Positions here of the peers of other rounds, by the identity of their numbers.
        self._places: dict[int, tuple[Sequence[int], list[int]]] = {}

    def costs(self, met: Met, *, whole: bool) -> _Costs:
        """What the groups of `met` come to: the order of their costs, or all of each."""
        key = (met, whole)
        found = self._known.get(key)
        if found is None:
            of_group = self._whole if whole else self._order
            found = self._known[key] = tuple(of_group(*group) for group in met)
        return found

    def _whole(self, speaker: int, numbers: Iterable[int]) -> tuple[Resolution | None, ...]:
        return tuple(self._resolution(speaker, number) for number in numbers)

    def _resolution(self, speaker: int, number: int) -> Resolution | None:
        if number == NO_ADDRESS:
            return None
        return self.resolver.of(speaker, self.paths.addresses[number])

    def _order(self, speaker: int, numbers: Iterable[int]) -> tuple[int, ...]:
        """By address its place among the costs of all of them; -1: not usable."""
        costs = []
        for number in numbers:
            found = self._resolution(speaker, number)
            costs.append(0 if found is None else -1 if found.problem else found.cost)
        places = {cost: n for n, cost in enumerate(sorted({c for c in costs if c >= 0}))}
        return tuple([places.get(cost, -1) for cost in costs])

    def recoded(self, chosen: Sequence[Numbers], ids: Sequence[int], codes: Codes) -> list[Numbers]:
        """What was chosen among peers of other positions, all of which are here too."""
        known = self._places.get(id(ids))
        if known is None:
            at = {number: place for place, number in enumerate(self.ids)}
            known = self._places[id(ids)] = ids, [at.get(number, -1) for number in ids]
        places = known[1]
        new, mine = [], self.codes.code
        for numbers in chosen:
            if not numbers:
                new.append(numbers)
                continue
            came = [(codes.path(code), codes.place(code)) for code in numbers]
            new.append(tuple([mine(p, places[at] if at >= 0 else -1) for p, at in came]))
        return new


def met_by(entered: Iterable[tuple[int, int, Contender | None]]) -> Met:
    """The next hops that speakers may have held against each other.

    Interior costs are compared among usable paths that are equal in all rungs before MED and in
    whether they are external.

    Args:
        entered: Speaker, number of the next hop, and contender; None: it was not usable.
    """
    groups: dict[tuple[int, object], set[int]] = defaultdict(set)
    for speaker, address, item in entered:
        equal = address if item is None else (item.before, item.behind[0])
        groups[speaker, equal].add(address)
    found = ((speaker, tuple(sorted(each))) for (speaker, _), each in groups.items())
    return tuple(sorted(set(found)))


class BgpMemory:
    """Paths with their numbers, how they passed, and how classes ended.

    It belongs to one state of a network alone, and grows with it; the next begins with a copy.
    """

    def __init__(self) -> None:
        self.paths = PathNumbers()
        self.numbers = Numbering()
        self.passed: dict[Key, tuple[int, int]] = {}
        self.parts: Parts = Recent()  #: what is made of speakers, with the numbers of paths
        self.conversations: Conversations = {}
        self.judged: Judged = {}
        self.speakers: object = None  #: whose positions `judged` names
        self._remembered: list[Remembered] = []

    def __getstate__(self) -> dict[str, object]:
        """What is stored does without what sessions rest on: it saves work alone."""
        return {**self.__dict__, "conversations": {}, "judged": {}}

    def onward(self, topology: Topology, touched: frozenset[str] | None) -> BgpMemory:
        """What serves much the same network, to which more may be added.

        Args:
            touched: The devices that may see the network otherwise; None: it may be any.
        """
        made = copy(self)
        made.judged = judged_alike(self.judged, topology, touched)
        made.conversations = {
            probes: found
            for probes, found in self.conversations.items()
            if touched is not None and not found[1].devices & touched
        }
        made.paths, made.numbers = self.paths.copy(), Numbering(self.numbers)
        made.passed, made.parts = self.passed.copy(), self.parts.onward()
        made._remembered = [item.copy() for item in self._remembered]
        return made

    def remembered(self, environment: Hashable) -> Remembered:
        """How classes ended among the same speakers with the same sessions."""
        for at, item in enumerate(self._remembered):
            if item.environment == environment:
                self._remembered.append(self._remembered.pop(at))
                return item
        made = Remembered(environment)
        self._remembered = [*self._remembered[1 - _MOST_REMEMBERED :], made]
        return made


def leads_as_before(resolver: Resolver, before: Mapping[tuple[int, Address], Resolution]) -> bool:
    """Whether next hops lead where they led before."""
    return all(resolver.of(*key) == resolution for key, resolution in before.items())
