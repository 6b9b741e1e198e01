"""Protocols and tables until neither changes the other, or until it is clear that they never will.

What a protocol takes in depends on which routes are active, and which are active depends on what
all protocols announce. First all tables move at once, round by round. That settles, unless routers
wait for each other: two that would fall silent once they heard the other both speak, both hush,
both speak again. Real routers do not move in step; whoever is first silences the other. So when a
round repeats, the tables in question move one at a time, in several orders. If every order repeats
too, routing has no stable answer.

Where it settles it may still have settled otherwise; `turning` finds those outcomes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from routrel.convergence.protocols import Choices, Late, Look, Protocols
from routrel.convergence.turning import TurningPoint, turning_points
from routrel.protocols.shared.turns import orders_to_try
from routrel.rib.candidates import Protocol, joined
from routrel.rib.select import row_keys
from routrel.rib.table import Rib, TableRows, active_unlike, same_rows

__all__ = ["Outcome", "Settled", "differences", "settle", "settle_onward"]

#: Rounds before anybody looks whether one repeats: keeping all states of a large network is costly.
QUIET_ROUNDS = 6
#: Rounds before routing counts as never settling; real networks need a handful.
MAXIMUM_ROUNDS = 100
#: Steps of single tables, for each table in question.
MAXIMUM_STEPS = 40
#: Tables in question up to which all orders are tried, and how many orders are tried of more.
FEW_TABLES = 3
MAXIMUM_ORDERS = 8
#: Points whose every combination is tried, of more every pair; and how many trials in all.
FEW_POINTS = 4
MAXIMUM_TRIALS = 80


@dataclass(frozen=True, slots=True)
class Outcome:
    """One way in which routing comes to rest, or might have."""

    look: Look
    first: tuple[int, ...]  #: the tables that settle before others; empty: all move at once

    @property
    def rib(self) -> Rib:
        return self.look.rib


@dataclass(frozen=True, slots=True)
class Settled:
    """The tables, and which of their prefixes are in doubt: (table, prefix) numbers."""

    outcomes: tuple[Outcome, ...]  #: the one that is shown, then others as stable
    oscillating: frozenset[tuple[int, int]]  #: never come to rest
    order_dependent: frozenset[tuple[int, int]]  #: rest in a way that depends on who came first
    complete: bool  #: whether all that was to be tried for other outcomes was tried


def settle(protocols: Protocols, *, search: bool = True) -> Settled:
    """The tables of a network where everything agrees.

    Args:
        search: Whether to look for other outcomes than the one that is shown.
    """
    resting, cycle = _in_step(protocols, protocols.begin())
    contested: frozenset[tuple[int, int]] = frozenset()
    if resting is not None:
        found = [Outcome(resting, ())]
    else:
        contested = differences([look.rib for look in cycle])
        found, moving = _in_turns(protocols, contested, all_orders=search)
        if not found:
            shown = protocols.look(moving[-1])
            oscillating = differences([look.rib for look in moving]) or contested
            return Settled((Outcome(shown, ()),), oscillating, frozenset(), True)
    if not search:
        return Settled(tuple(found[:1]), _moving(found[0].look), frozenset(), True)
    others = _Search(protocols, found)
    others.run()
    outcomes = others.found
    order_dependent = differences([outcome.rib for outcome in outcomes])
    if not others.complete:
        order_dependent |= contested
    return Settled(tuple(outcomes), _moving(outcomes[0].look), order_dependent, others.complete)


def settle_onward(protocols: Protocols, look: Look, choices: Choices) -> Look | None:
    """Where tables rest that go on from a look at them; None: nowhere."""
    resting, _ = _in_step(protocols, look, choices=choices)
    return resting


# --- moving --------------------------------------------------------------------------------------


def _in_step(
    protocols: Protocols,
    look: Look,
    late: Late | None = None,
    rounds: int = MAXIMUM_ROUNDS,
    choices: Choices | None = None,
) -> tuple[Look | None, list[Look]]:
    """All tables move at once from a look at them: where they rest, or the states that repeat."""
    seen: dict[bytes, int] = {}
    states: list[Look] = []
    for number in range(rounds):
        new = protocols.look(look, choices, late)
        if new.rib.is_like(look.rib):
            return new, []
        look = new
        if number < QUIET_ROUNDS:
            continue
        digest = look.rib.digest
        if digest in seen:
            return None, [*states[seen[digest] :], look]
        seen[digest] = len(states)
        states.append(look)
    return None, states[-4:] or [look]


def _in_turns(
    protocols: Protocols, contested: frozenset[tuple[int, int]], *, all_orders: bool
) -> tuple[list[Outcome], list[Look]]:
    """The outcomes of different orders of the contested tables; without any, states that repeat.

    Args:
        all_orders: False: the first order that settles is enough.
    """
    found: list[Outcome] = []
    repeating: list[Look] = []
    tables = _contested_tables(protocols, contested)
    for order in orders_to_try(tables, few=FEW_TABLES, most=MAXIMUM_ORDERS):
        movers = {table: turn for turn, table in enumerate(order)}
        look, states = _one_by_one(protocols, movers)
        if look is None:
            repeating = repeating or states
        elif _is_new(look.rib, found):
            found.append(Outcome(look, tuple(order)))
            if not all_orders:
                break
    return found, repeating


def _contested_tables(protocols: Protocols, contested: frozenset[tuple[int, int]]) -> list[int]:
    """The tables that move one at a time, by device and VRF."""
    tables = protocols.dependent_tables & {table for table, _ in contested}
    return sorted(tables, key=lambda table: protocols.interning.tables[table])


def _one_by_one(protocols: Protocols, movers: dict[int, int]) -> tuple[Look | None, list[Look]]:
    """Tables that contradict each other move one at a time, all others at once.

    Args:
        movers: Those tables, each with its turn.
    Returns:
        Where they rest, or the states that repeat.
    """
    seen_before = protocols.begin()
    seen: dict[tuple[int, bytes], int] = {}
    states: list[Look] = []
    turn = 0
    for _ in range(MAXIMUM_STEPS * (len(movers) + 1)):
        new = protocols.look(seen_before)
        states.append(new)
        rib, view = new.rib, seen_before.rib
        waiting = [table for table in movers if not rib.tables[table].is_like(view.tables[table])]
        if not waiting and rib.is_like(view):
            return new, []
        still = set(movers)
        if waiting:
            # Whose turn it is: the next after the last mover, in a circle.
            mover = next((t for t in waiting if movers[t] >= turn), waiting[0])
            turn = movers[mover] + 1
            still.discard(mover)
        mixed = rib.with_tables({table: view.tables[table] for table in still})
        seen_before = replace(new, rib=mixed)
        state = (turn, mixed.digest)
        if state in seen:
            return None, states[seen[state] :]
        seen[state] = len(states)
    return None, states[-2 * len(movers) - 2 :]


# --- other outcomes ------------------------------------------------------------------------------


def _is_new(rib: Rib, found: Sequence[Outcome]) -> bool:
    return not any(rib.is_like(known.rib) for known in found)


class _Search:
    """Looks for outcomes as stable as those found.

    At each point where what a router announces may come back to silence it, one side is kept from
    its table until all others are at rest; then it may come. If the tables then rest elsewhere,
    that is another outcome. Of a few points all combinations are tried. The outcomes that a
    protocol has within itself are followed too.
    """

    def __init__(self, protocols: Protocols, found: list[Outcome]) -> None:
        self.protocols, self.found = protocols, found
        self.complete = True
        self._trials = 0

    def run(self) -> None:
        number = 0
        while number < len(self.found):
            self._from(self.found[number])
            number += 1

    def _from(self, outcome: Outcome) -> None:
        points = [
            point
            for point in turning_points(self.protocols, outcome.look)
            if self._try(outcome, frozenset((point,)))
        ]
        pairs = map(frozenset, combinations(points, 2))
        for late in _subsets(points) if len(points) <= FEW_POINTS else pairs:
            self._try(outcome, late)
        if outcome is self.found[0]:
            self._follow_protocols(outcome)

    def _try(self, outcome: Outcome, late: frozenset[TurningPoint]) -> bool:
        """Whether anything is otherwise at the tables in question once others were first."""
        if not self._may_try():
            return False
        hidden: dict[int, frozenset[Protocol]] = {}
        for point in late:
            hidden[point.table] = hidden.get(point.table, frozenset()) | {point.late}
        seen = replace(outcome.look, rib=self._without(outcome.rib, hidden))
        if seen.rib.is_like(outcome.rib):
            return False
        resting, _ = _in_step(self.protocols, seen, hidden, QUIET_ROUNDS * 3)
        if resting is None:
            return False
        tables = tuple(sorted(hidden))
        self._follow_late(resting, hidden, tables)
        come = self.protocols.look(resting)
        if all(same_rows(come.rib.table_rows(t), outcome.rib.table_rows(t)) for t in tables):
            return False
        self._keep(come, tables)
        return True

    def _without(self, rib: Rib, hidden: Late) -> Rib:
        """Tables without the rows of some protocols."""
        kinds, others = self.protocols.interning.kinds, {}
        for table, protocols in hidden.items():
            rows = rib.table_candidates(table)
            gone = np.logical_or.reduce([kinds.of(one)[rows["kind"]] for one in protocols])
            made = TableRows((rows.compress(~gone),), kinds)
            others[table] = self.protocols.memory.table(table, made)
        return rib.with_tables(others)

    def _may_try(self) -> bool:
        """Whether there is room for one more trial."""
        if self._trials >= MAXIMUM_TRIALS:
            self.complete = False
            return False
        self._trials += 1
        return True

    def _follow_late(self, resting: Look, late: Late, tables: tuple[int, ...]) -> None:
        """The other ways in which a distance vector may rest while some are kept back."""
        for protocol, result in resting.results.items():
            if not result.domain.follows_late_routes:
                continue
            for way in result.other_ways():
                if not self._may_try():
                    return
                choices = {protocol: way.choice}
                other, _ = _in_step(self.protocols, resting, late, QUIET_ROUNDS * 3, choices)
                if other is not None:
                    self._keep(self.protocols.look(other, choices), tables, choices)

    def _keep(self, look: Look, first: tuple[int, ...], choices: Choices | None = None) -> None:
        """The outcome that follows from a look at the tables, if it is a new one."""
        resting, _ = _in_step(self.protocols, look, rounds=QUIET_ROUNDS * 3, choices=choices)
        if resting is None:
            return
        if _is_new(resting.rib, self.found):
            self.found.append(Outcome(resting, first))

    def _follow_protocols(self, outcome: Outcome) -> None:
        """The other stable states of what a protocol alone leaves open."""
        results = outcome.look.results.items()
        for protocol, result in sorted(results, key=lambda r: r[1].domain.follows_late_routes):
            for way in result.other_ways():
                if self._may_try():
                    self._keep(outcome.look, way.first, {protocol: way.choice})
            self.complete &= result.searched


def _subsets(points: Sequence[TurningPoint]) -> list[frozenset[TurningPoint]]:
    """All sets of two or more points, one of a table."""
    found = []
    for bits in range(1 << len(points)):
        chosen = frozenset(point for n, point in enumerate(points) if bits >> n & 1)
        if len(chosen) > 1 and len({point.table for point in chosen}) == len(chosen):
            found.append(chosen)
    return found


# --- what is in doubt ----------------------------------------------------------------------------


def _moving(look: Look) -> frozenset[tuple[int, int]]:
    """Tables and prefixes that do not settle inside one protocol, or in resolution."""
    found: frozenset[tuple[int, int]] = frozenset()
    return found.union(*(result.oscillating for result in look.results.values()))


def differences(ribs: Sequence[Rib]) -> frozenset[tuple[int, int]]:
    """The tables and prefixes whose active route is not the same in all, with one numbering."""
    found: set[int] = set()
    states = active_unlike(ribs)
    for state in states[1:]:
        rows = joined((states[0], state))
        keys = row_keys(rows)
        order = np.lexsort((rows["next_hops"], rows["kind"], rows["metric"], keys))
        ordered = rows.take(order)
        twin = np.zeros(len(rows), dtype=bool)
        equal = ordered[1:] == ordered[:-1]
        twin[1:] |= equal
        twin[:-1] |= equal
        found.update(keys[order][~twin].tolist())
    return frozenset((key >> 32, key & 0xFFFFFFFF) for key in found)
