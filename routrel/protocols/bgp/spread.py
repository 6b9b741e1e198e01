"""How the paths to one prefix spread until nothing changes, and what else might have come of it.

First all routers move in step. Where that settles, every router that could have chosen otherwise is
made to, for a while: if the others then settle so that it keeps to its other choice, or they to
theirs, there are several stable outcomes. So are they sought with what one AS tells another coming
late, with one origin of several coming first or last, and with other orders of arrival where these
count. Where moving in step goes round in
circles, the routers in question move one at a time, in different orders. An order that settles
shows an outcome and who has to come first for it; if none does, there is no stable outcome to be
found.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice

from routrel.protocols.bgp.decision import Contender, Decision
from routrel.protocols.shared.turns import orders_to_try

__all__ = ["Change", "Outcome", "PeerGraph", "Spread", "StableState"]

#: Rounds in step before anybody looks whether one repeats.
_QUIET_ROUNDS = 8
_MAXIMUM_ROUNDS = 400
#: Orders of contested routers that are tried, and other choices of one router.
_FEW_ROUTERS = 4
_MAXIMUM_ORDERS = 24
_MAXIMUM_CHOICES = 3
#: Origins of one prefix up to which each is tried as the first and as the last to come.
_FEW_ORIGINS = 6
#: Outcomes of one prefix that are told apart.
_MOST_OUTCOMES = 12

Numbers = tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Change:
    """One router's move from one choice to another; path numbers, best first."""

    speaker: int
    before: Numbers
    after: Numbers


@dataclass(frozen=True, slots=True)
class StableState:
    """One stable outcome: who has to settle in which order, and what the contested ones choose."""

    order: tuple[int, ...]  #: contested speakers, the first to settle first; empty: all in step
    chosen: tuple[Numbers, ...]  #: of all speakers
    #: Speakers, each with the sessions by which its newest paths came, where that decides.
    arrivals: tuple[tuple[int, tuple[int, ...]], ...] = ()


@dataclass(slots=True)
class Outcome:
    """What came of spreading."""

    chosen: list[Numbers]  #: by speaker: what it announces on, best first
    heard: list[dict[int, Numbers]]  #: by speaker: paths taken, by position of the peer
    others: tuple[StableState, ...] = ()  #: all stable outcomes found, if there is not just one
    cycle: tuple[Change, ...] = ()  #: moves that repeat for ever; empty where it settled
    contested: tuple[int, ...] = ()  #: speakers whose choice is not certain


@dataclass(slots=True)
class PeerGraph:
    """What one prefix spreads through. Peers are named by their position in the round."""

    own: list[list[int]]  #: by speaker: codes of its own paths
    out_of: list[list[int]]  #: by speaker: its peers as sender, but receive-only ones
    receive_only: list[
        tuple[int, list[int]]
    ]  #: who tells nobody anything new, with what it hears by
    senders: list[int]  #: by peer
    receiver: list[int]  #: by peer
    ranks: list[int]  #: by speaker: how many paths its decision has to rank
    outside: list[bool]  #: by speaker: whether it announces what its file says
    decisions: list[Decision]
    enter: Callable[[int, int], Contender | None]  #: speaker and path; None: not usable
    sent: Callable[[int, Numbers], Numbers]  #: peer and choices; what its receiver takes
    unasked: Sequence[int] = ()  #: peers that carry something whatever is chosen
    borders: Sequence[Sequence[int]] = ()  #: peers from one AS into another, together

    def without(self, late: frozenset[int]) -> PeerGraph:
        """The same, with some peers that carry nothing."""
        return replace(
            self,
            sent=lambda peer, chosen: () if peer in late else self.sent(peer, chosen),
        )


@dataclass(slots=True)
class Spread:
    """One state of spreading."""

    graph: PeerGraph
    chosen: list[Numbers] = field(default_factory=list)
    heard: list[dict[int, Numbers]] = field(default_factory=list)

    def settle(self) -> Outcome:
        """Spread from nothing until nothing changes, as the module says."""
        dirty = self._begin()
        cycle = self._in_step(dirty)
        if cycle is not None:
            return self._ordered(sorted(cycle), [])
        found: list[Spread] = [self]
        _add_new(found, self._by_origins_in_turn())
        number = 0
        while number < len(found) < _MOST_OUTCOMES:
            _add_new(found, found[number]._other_outcomes())
            number += 1
        self.finish()
        if len(found) == 1:
            return Outcome(self.chosen, self.heard)
        for trial in found[1:]:
            trial.finish()
        states = [trial.chosen for trial in found]
        contested = [n for n in range(len(self.chosen)) if len({s[n] for s in states}) > 1]
        return self._ordered(contested, found)

    def settle_from(self, chosen: Sequence[Numbers]) -> bool:
        """Spread from a state in which every speaker has told what it chose; whether that ends."""
        self._begin()
        self.chosen = list(chosen)
        dirty = set(range(len(self.chosen)))
        for speaker in range(len(self.chosen)):
            self._tell(speaker, dirty)
        if self._in_turn(dirty, int):
            return False
        self.finish()
        return True

    def finish(self) -> None:
        """Let receive-only speakers hear and choose: nobody's choice depends on theirs."""
        graph = self.graph
        for index, peers in graph.receive_only:
            heard = {}
            for peer in peers:
                sent = graph.sent(peer, self.chosen[graph.senders[peer]])
                if sent:
                    heard[peer] = sent
            self.heard[index] = heard
            self.chosen[index] = self._choice(index)

    def copy(self) -> Spread:
        return Spread(self.graph, list(self.chosen), [dict(heard) for heard in self.heard])

    # --- moving --------------------------------------------------------------------------------

    def _begin(self) -> set[int]:
        graph = self.graph
        size = len(graph.own)
        self.chosen = [()] * size
        self.heard = [{} for _ in range(size)]
        dirty = {speaker for speaker in range(size) if graph.own[speaker]}
        for peer in graph.unasked:
            sent = graph.sent(peer, ())
            if sent:
                self.heard[graph.receiver[peer]][peer] = sent
                dirty.add(graph.receiver[peer])
        return dirty

    def contenders(self, speaker: int) -> list[Contender]:
        """The usable paths of a speaker."""
        enter, found = self.graph.enter, []
        for number in self.graph.own[speaker]:
            item = enter(speaker, number)
            if item is not None:
                found.append(item)
        for numbers in self.heard[speaker].values():
            for number in numbers:
                item = enter(speaker, number)
                if item is not None:
                    found.append(item)
        return found

    def _choice(self, speaker: int) -> Numbers:
        graph = self.graph
        if graph.outside[speaker]:
            return tuple(graph.own[speaker])
        contenders = self.contenders(speaker)
        if graph.ranks[speaker] > 1:
            return tuple(graph.decisions[speaker].ranked(contenders, graph.ranks[speaker]))
        best = graph.decisions[speaker].best(contenders)
        return () if best is None else (best,)

    def _tell(self, speaker: int, dirty: set[int]) -> None:
        """What a speaker has chosen reaches its neighbours; those it changes anything for move."""
        graph, chosen = self.graph, self.chosen[speaker]
        for peer in graph.out_of[speaker]:
            sent = graph.sent(peer, chosen)
            receiver = graph.receiver[peer]
            heard = self.heard[receiver]
            if sent != heard.get(peer, ()):
                if sent:
                    heard[peer] = sent
                else:
                    del heard[peer]
                dirty.add(receiver)

    def _in_step(self, dirty: set[int]) -> set[int] | None:
        """All that have something new move at once.

        Returns who keeps moving; None where it settles.
        """
        seen: dict[tuple[Numbers, ...], int] = {}
        moved: list[set[int]] = []
        for number in range(_MAXIMUM_ROUNDS):
            new = {}
            for speaker in sorted(dirty):
                choice = self._choice(speaker)
                if choice != self.chosen[speaker]:
                    new[speaker] = choice
            if not new:
                return None
            for speaker, choice in new.items():
                self.chosen[speaker] = choice
            dirty = set()
            for speaker in new:
                self._tell(speaker, dirty)
            moved.append(set(new))
            if number >= _QUIET_ROUNDS:
                key = tuple(self.chosen)
                if key in seen:
                    return set().union(*moved[seen[key] + 1 :])
                seen[key] = number
        return set().union(*moved[-_QUIET_ROUNDS:])

    def _in_turn(
        self, dirty: set[int], rank: Callable[[int], int], frozen: int = -1
    ) -> tuple[Change, ...]:
        """One at a time moves, the one of lowest rank first.

        Returns the moves that repeat for ever; none where it settles.
        """
        seen: dict[tuple[tuple[Numbers, ...], frozenset[int]], int] = {}
        moves: list[Change] = []
        quiet = 4 * len(self.chosen)
        for _ in range(60 * len(self.chosen) + 400):
            waiting = dirty - {frozen}
            if not waiting:
                return ()
            speaker = min(waiting, key=rank)
            dirty.discard(speaker)
            choice = self._choice(speaker)
            if choice == self.chosen[speaker]:
                continue
            moves.append(Change(speaker, self.chosen[speaker], choice))
            self.chosen[speaker] = choice
            self._tell(speaker, dirty)
            if len(moves) > quiet:
                key = (tuple(self.chosen), frozenset(dirty))
                if key in seen:
                    return tuple(moves[seen[key] :])
                seen[key] = len(moves)
        return tuple(moves[-quiet:])

    # --- other outcomes ------------------------------------------------------------------------

    def _other_outcomes(self) -> Iterator[Spread]:
        """Stable outcomes reached when somebody chooses otherwise, or hears late, for a while."""
        yield from self._by_other_choices()
        yield from self._by_late_hearings()
        yield from self._by_other_arrivals()

    def _by_origins_in_turn(self) -> Iterator[Spread]:
        """One of several origins comes after the others have settled, or before they begin."""
        graph = self.graph
        origins = frozenset(speaker for speaker, own in enumerate(graph.own) if own)
        if not 2 <= len(origins) <= _FEW_ORIGINS:
            return
        lasts = {origins - {one} for one in origins} | {frozenset((one,)) for one in origins}
        for last in sorted(lasts, key=sorted):
            own = [[] if speaker in last else each for speaker, each in enumerate(graph.own)]
            first = Spread(replace(graph, own=own))
            if first._in_turn(first._begin(), int):
                continue
            trial = Spread(graph, first.chosen, first.heard)
            if not trial._in_turn(set(last), int):
                yield trial

    def _by_late_hearings(self) -> Iterator[Spread]:
        """All that one AS tells another comes after everybody else has settled without it."""
        graph = self.graph
        for peers in graph.borders:
            used = {graph.receiver[h] for h in peers if self._uses(graph.receiver[h], h)}
            if not used:
                continue
            late = frozenset(peers)
            without = Spread(graph.without(late))
            without.chosen, without.heard = (
                list(self.chosen),
                [
                    {h: numbers for h, numbers in heard.items() if h not in late}
                    for heard in self.heard
                ],
            )
            if without._in_turn({graph.receiver[h] for h in late}, int):
                continue
            trial = Spread(graph, without.chosen, without.heard)
            dirty: set[int] = set()
            for speaker in {graph.senders[h] for h in late}:
                trial._tell(speaker, dirty)
            if not trial._in_turn(dirty, int):
                yield trial

    def _uses(self, speaker: int, peer: int) -> bool:
        heard = self.heard[speaker].get(peer, ())
        return bool(set(heard) & set(self.chosen[speaker]))

    def _by_other_arrivals(self) -> Iterator[Spread]:
        """Where the order of arrival counts and is not known: outcomes of other orders."""
        graph = self.graph
        for speaker, decision in enumerate(graph.decisions):
            if not decision.by_arrival or graph.outside[speaker]:
                continue
            for other in decision.other_arrivals(self.contenders(speaker)):
                decisions = list(graph.decisions)
                decisions[speaker] = other
                trial = Spread(replace(graph, decisions=decisions))
                trial.chosen = list(self.chosen)
                trial.heard = [dict(heard) for heard in self.heard]
                if not trial._in_turn({speaker}, int):
                    yield trial

    def _by_other_choices(self) -> Iterator[Spread]:
        """One router keeps to another choice for a while."""
        graph = self.graph
        for speaker, chosen in enumerate(self.chosen):
            if graph.outside[speaker] or not chosen or not graph.out_of[speaker]:
                continue
            sent = [graph.sent(peer, chosen) for peer in graph.out_of[speaker]]
            for other in islice(self._other_choices(speaker), _MAXIMUM_CHOICES):
                if sent == [graph.sent(peer, other) for peer in graph.out_of[speaker]]:
                    continue
                trial = self.copy()
                trial.chosen[speaker] = other
                dirty: set[int] = set()
                trial._tell(speaker, dirty)
                if trial._in_turn(dirty, int, frozen=speaker):
                    continue
                moved = {n for n, now in enumerate(trial.chosen) if now != self.chosen[n]}
                if moved == {speaker}:
                    continue  # nobody followed, so it hears what it heard and comes back
                if trial._in_turn({speaker}, int):
                    continue
                yield trial

    def _other_choices(self, speaker: int) -> Iterator[Numbers]:
        best = self.chosen[speaker][0]
        left = [item for item in self.contenders(speaker) if item.number != best]
        decision = self.graph.decisions[speaker]
        while left:
            number = decision.best(left)
            if number is None:
                return
            yield (number,)
            left = [item for item in left if item.number != number]

    def _stable(self, order: Sequence[int] = ()) -> StableState:
        """What it has come to, as a value."""
        arrivals = ((n, d.newest) for n, d in enumerate(self.graph.decisions) if d.newest)
        return StableState(tuple(order), tuple(self.chosen), tuple(arrivals))

    def _ordered(self, contested: list[int], found: Sequence[Spread]) -> Outcome:
        """The outcomes of different orders of the contested routers.

        Args:
            found: What has come to stable outcomes already.
        """
        states: dict[tuple[Numbers, ...], StableState] = {}
        first: Spread | None = None
        cycle: tuple[Change, ...] = ()
        last = self
        for order in orders_to_try(contested, few=_FEW_ROUTERS, most=_MAXIMUM_ORDERS):
            trial = Spread(self.graph)
            place = {speaker: number + 1 for number, speaker in enumerate(order)}
            repeating = trial._in_turn(trial._begin(), lambda s, place=place: place.get(s, 0))  # type: ignore[misc]
            if repeating:
                cycle, last = cycle or repeating, trial
                continue
            trial.finish()
            first = first or trial
            states.setdefault(tuple(trial.chosen), trial._stable(order))
        for known in found:
            states.setdefault(tuple(known.chosen), known._stable())
        if first is None and not states:
            last.finish()
            return Outcome(last.chosen, last.heard, (), cycle, tuple(contested))
        shown = first or self
        return Outcome(shown.chosen, shown.heard, tuple(states.values()), (), tuple(contested))


def _add_new(found: list[Spread], trials: Iterable[Spread]) -> None:
    """Take up what has come to an outcome that is not known yet."""
    for trial in trials:
        if all(trial.chosen != known.chosen for known in found):
            found.append(trial)
