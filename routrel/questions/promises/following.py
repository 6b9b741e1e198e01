"""Promises in another state: only what rests on what is otherwise there is asked again."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.convergence.converge import State, converge
from routrel.model.failures import Failure
from routrel.questions.comparison.routes import row_changes
from routrel.questions.promises.check import Checker, Since
from routrel.questions.promises.rests import touched_devices

__all__ = ["since", "without"]


def without(state: State, case: Iterable[Failure]) -> State:
    """What comes of a network in which further things fail."""
    return converge(state.network, since=state, failures=state.topology.failures.with_things(case))


def since(before: Checker, after: State) -> Since:
    """What is otherwise in another state than in the one that was checked."""
    return Since(
        checker=before,
        touched=touched_devices(before.state, after),
        moved=row_changes(before.state.rib, after.rib),
    )
