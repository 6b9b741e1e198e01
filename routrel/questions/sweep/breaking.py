"""The smallest sets of failures that break a promise."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from routrel.convergence.converge import State
from routrel.model.failures import Failure
from routrel.model.promises import Promise
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.check import Checker
from routrel.questions.promises.following import since, without
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record
from routrel.topology.segments import Topology

__all__ = ["BreakingSets", "breaking_sets", "smallest_among"]


@dataclass(frozen=True, slots=True, kw_only=True)
class BreakingSets:
    """All minimal sets up to a size, and what was left out of the search for them.

    A set is not tried if a part of it breaks the promise already, for then it is not minimal, or if
    one of its failures takes nothing that the others do not take too, for then a smaller set says
    the same.
    """

    sets: tuple[Case, ...]
    tried: int
    not_minimal: int
    no_effect: int
    complete: bool  #: False: the search was stopped


def smallest_among(records: Iterable[Record]) -> dict[str, list[tuple[str, ...]]]:
    """By promise: the minimal sets among the cases of a sweep that break it."""
    by_promise: dict[str, list[frozenset[str]]] = {}
    for one in sorted(records, key=lambda one: (len(one.failed), one.failed)):
        for name in one.broken:
            found = by_promise.setdefault(name, [])
            if not any(known <= set(one.failed) for known in found):
                found.append(frozenset(one.failed))
    return {name: [tuple(sorted(one)) for one in found] for name, found in by_promise.items()}


def breaking_sets(
    state: State,
    promise: Promise,
    promises: Sequence[Promise],
    kept: KeptFlows,
    things: Sequence[Failure],
    most: int = 3,
    should_stop: Callable[[], bool] = lambda: False,
) -> BreakingSets:
    """All minimal sets of failures, up to a size, that break a promise that is kept.

    Exact: every set that is not tried is left out for a reason that holds whatever the network.

    Args:
        things: What may fail.
    """
    checker = Checker(state, promises, kept)
    known = checker.check(promise)
    taken: dict[Case, frozenset[object]] = {}
    found: list[Case] = []
    tried = not_minimal = no_effect = 0

    for size in range(1, most + 1):
        for case in combinations(sorted(set(things)), size):
            if should_stop():
                return BreakingSets(
                    sets=tuple(found), tried=tried, not_minimal=not_minimal,
                    no_effect=no_effect, complete=False,
                )  # fmt: skip
            if any(set(one) <= set(case) for one in found):
                not_minimal += 1
                continue
            if _adds_nothing(taken, case):
                no_effect += 1
                continue
            after = without(state, case)
            taken[case] = _taken(after.topology)
            tried += 1
            after_checker = Checker(after, promises, kept, since=since(checker, after))
            if not after_checker.check(promise, known).kept:
                found.append(case)
    return BreakingSets(
        sets=tuple(found), tried=tried, not_minimal=not_minimal, no_effect=no_effect, complete=True
    )


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


def _adds_nothing(taken: Mapping[Case, frozenset[object]], case: Case) -> bool:
    """Whether all that one failure of a set takes is taken by the others anyway."""
    for leaving, thing in enumerate(case):
        alone, rest = taken.get((thing,)), taken.get(case[:leaving] + case[leaving + 1 :])
        if alone is not None and rest is not None and alone <= rest:
            return True
    return False
