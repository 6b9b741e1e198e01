"""The smallest sets of failures that break a promise."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations
from math import comb

from routrel.convergence.converge import State
from routrel.model.failures import Failure
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record
from routrel.topology.segments import Topology, build_topology

__all__ = ["MOST_IN_A_SET", "SetSearch", "Skipped", "smallest_among"]

#: Failures in the largest sets that are searched for.
MOST_IN_A_SET = 3


@dataclass(frozen=True, slots=True)
class Skipped:
    """Sets that were not tried, by the reason for which they cannot be smallest ones."""

    not_minimal: int = 0  #: a part of it breaks the promise already
    no_effect: int = 0  #: one of its failures takes nothing that the others do not take too


class SetSearch:
    """Looks for all minimal sets of failures that break a promise, size by size.

    Exact: a set is left out only for a reason that holds whatever the network. One of which a part
    breaks the promise is not minimal; of one in which a failure takes nothing beyond what the
    others take, a smaller set says the same.

    Args:
        promise: The name of the promise.
        things: What may fail.
    """

    def __init__(self, state: State, promise: str, things: Sequence[Failure]) -> None:
        self._state, self.promise = state, promise
        self.largest = 0  #: the size that was looked at last
        self._things = sorted(set(things))
        self._taken: dict[Case, frozenset[object]] = {}
        self.sets: list[Case] = []
        self.skipped = Skipped()

    def count_of(self, size: int) -> int:
        """How many sets of a size there are, those included that need not be tried."""
        return comb(len(self._things), size)

    def of_size(self, size: int) -> list[Case]:
        """The sets of a size that have to be tried; all of the size below are learned."""
        found: list[Case] = []
        not_minimal = no_effect = 0
        self.largest = size
        for case in combinations(self._things, size):
            if any(set(one) <= set(case) for one in self.sets):
                not_minimal += 1
            elif self._adds_nothing(case):
                no_effect += 1
            else:
                found.append(case)
        self.skipped = Skipped(
            self.skipped.not_minimal + not_minimal, self.skipped.no_effect + no_effect
        )
        return found

    def learn(self, case: Case, record: Record) -> None:
        """What came of a set."""
        if self.promise in record.broken:
            self.sets.append(case)

    def _adds_nothing(self, case: Case) -> bool:
        """Whether all that one failure of a set takes is taken by the others anyway."""
        if len(case) == 1:
            return False
        return any(
            self._takes((thing,)) <= self._takes(case[:leaving] + case[leaving + 1 :])
            for leaving, thing in enumerate(case)
        )

    def _takes(self, case: Case) -> frozenset[object]:
        if case not in self._taken:
            failures = self._state.topology.failures.with_things(case)
            topology = build_topology(self._state.network, failures)
            self._taken[case] = _taken(topology)
        return self._taken[case]


def smallest_among(records: Iterable[Record]) -> dict[str, list[tuple[str, ...]]]:
    """By promise: the minimal sets among the cases of a sweep that break it."""
    by_promise: dict[str, list[frozenset[str]]] = {}
    for one in sorted(records, key=lambda one: (len(one.failed), one.failed)):
        for name in one.broken:
            found = by_promise.setdefault(name, [])
            if not any(known <= set(one.failed) for known in found):
                found.append(frozenset(one.failed))
    return {name: [tuple(sorted(one)) for one in found] for name, found in by_promise.items()}


def _taken(topology: Topology) -> frozenset[object]:
    """All that carries nothing, for whatever failure: what routing knows of them."""
    failed = topology.failed
    down = (
        ("interface", device.name, interface.name)
        for device in topology.network.devices
        for interface in device.interfaces
        if not topology.is_up(device.name, interface.name)
    )
    others = (
        (kind, key)
        for kind in ("devices", "directions", "lines", "sessions")
        for key in getattr(failed, kind)
    )
    return frozenset((*down, *others))
