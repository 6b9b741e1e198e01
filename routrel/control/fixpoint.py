"""Protocols and tables until neither changes the other, or until it is clear that they never will.

What a protocol takes in depends on which routes are active, and which are active depends on what
all protocols announce. First all tables move at once, round by round. That settles, unless routers
wait for each other: two that would fall silent once they heard the other both speak, both hush,
both speak again. Real routers do not move in step; whoever is first silences the other. So when a
round repeats, the tables in question move one at a time, in order of device and VRF. If that
repeats too, routing has no stable answer.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from routrel.control.protocols import Protocols
from routrel.control.rib.candidates import Interning, Rows
from routrel.control.rib.select import row_keys
from routrel.control.rib.table import Rib

__all__ = ["Settled", "differences", "settle"]

#: Rounds before anybody looks whether one repeats: keeping all states of a large network is costly.
QUIET_ROUNDS = 6
#: Rounds before routing counts as never settling; real networks need a handful.
MAXIMUM_ROUNDS = 100
#: Steps of single tables, for each table in question.
MAXIMUM_STEPS = 40


@dataclass(frozen=True, slots=True)
class Settled:
    """The tables, and which of their prefixes are in doubt: (table, prefix) numbers."""

    rib: Rib
    unsettled: frozenset[tuple[int, int]]  #: never come to rest
    ordered: frozenset[tuple[int, int]]  #: rest in a way that depends on who came first


def settle(protocols: Protocols, interning: Interning) -> Settled:
    """The tables of a network where everything agrees."""
    view = Rib(interning, protocols.connected)
    seen: dict[bytes, int] = {}
    states: list[Rib] = []
    for number in range(MAXIMUM_ROUNDS):
        rib = Rib(interning, protocols.rows(view))
        if _same(rib.candidates, view.candidates):
            return Settled(rib, _moving(protocols), frozenset(protocols.bgp.ordered))
        view = rib
        if number < QUIET_ROUNDS:
            continue
        digest = _digest(rib)
        if digest in seen:
            cycle = [*states[seen[digest] :], rib]
            return _one_by_one(protocols, interning, differences([rib.active for rib in cycle]))
        seen[digest] = len(states)
        states.append(rib)
    return _one_by_one(protocols, interning, differences([rib.active for rib in states[-4:]]))


def _digest(rib: Rib) -> bytes:
    return hashlib.sha256(rib.candidates.tobytes()).digest()


def _one_by_one(
    protocols: Protocols, interning: Interning, contested: frozenset[tuple[int, int]]
) -> Settled:
    """Tables that contradict each other move one at a time, all others at once.

    Args:
        contested: The tables and prefixes that kept changing when all moved together.
    """
    movers = _order(protocols, interning, contested)
    view = Rib(interning, protocols.connected)
    seen: dict[tuple[int, bytes], int] = {}
    states: list[Rib] = []
    turn = 0
    for _ in range(MAXIMUM_STEPS * (len(movers) + 1)):
        rib = Rib(interning, protocols.rows(view))
        states.append(rib)
        waiting = [
            table
            for table in movers
            if not _same(rib.table_candidates(table), view.table_candidates(table))
        ]
        if not waiting and _same(rib.candidates, view.candidates):
            return Settled(rib, _moving(protocols), contested | protocols.bgp.ordered)
        still = set(movers)
        if waiting:
            # Whose turn it is: the next after the last mover, in a circle.
            mover = next((t for t in waiting if movers[t] >= turn), waiting[0])
            turn = movers[mover] + 1
            still.discard(mover)
        view = Rib(interning, np.concatenate(list(_mixed(rib, view, still))))
        state = (turn, _digest(view))
        if state in seen:
            return Settled(
                rib, differences([rib.active for rib in states[seen[state] :]]), frozenset()
            )
        seen[state] = len(states)
    return Settled(
        rib, differences([rib.active for rib in states[-2 * len(movers) - 2 :]]), frozenset()
    )


def _order(
    protocols: Protocols, interning: Interning, contested: frozenset[tuple[int, int]]
) -> dict[int, int]:
    """The tables that move one at a time, each with its turn, by device and VRF."""
    tables = protocols.dependent_tables & {table for table, _ in contested}
    ordered = sorted(tables, key=lambda table: interning.tables[table])
    return {table: turn for turn, table in enumerate(ordered)}


def _mixed(rib: Rib, view: Rib, still: set[int]) -> Iterator[Rows]:
    """The new tables, but those that stand still as they were seen."""
    yield rib.candidates[~np.isin(rib.candidates["table"], list(still))]
    for table in sorted(still):
        yield view.table_candidates(table)


def _same(left: Rows, right: Rows) -> bool:
    return len(left) == len(right) and bool((left == right).all())


def _moving(protocols: Protocols) -> frozenset[tuple[int, int]]:
    """Tables and prefixes that do not settle inside one protocol, or in resolution."""
    found: set[tuple[int, int]] = set(protocols.bgp.unsettled)
    for domain in protocols.vectors:
        found |= domain.unsettled
    for outcome in protocols.static.unsettled:
        table = protocols.interning.table_numbers[outcome.table]
        found.add((table, protocols.interning.prefixes.add(outcome.route.to)))
    return frozenset(found)


def differences(states: list[Rows]) -> frozenset[tuple[int, int]]:
    """The tables and prefixes whose active route is not the same in all states.

    Args:
        states: The active rows of each, with one numbering.
    """
    found: set[int] = set()
    for state in states[1:]:
        rows = np.concatenate([states[0], state])
        keys = row_keys(rows)
        order = np.lexsort((rows["next_hops"], rows["kind"], rows["metric"], keys))
        ordered = rows[order]
        twin = np.zeros(len(rows), dtype=bool)
        equal = ordered[1:] == ordered[:-1]
        twin[1:] |= equal
        twin[:-1] |= equal
        found.update(keys[order][~twin].tolist())
    return frozenset((key >> 32, key & 0xFFFFFFFF) for key in found)
