"""Promises in another state: only what rests on what is otherwise there is asked again."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.convergence.converge import State
from routrel.model.promises import Promise
from routrel.questions.comparison.routes import route_changes
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.check import Checker, Since
from routrel.questions.promises.rests import touched_devices

__all__ = ["checker_after"]


def checker_after(
    before: Checker,
    after: State,
    promises: Sequence[Promise],
    kept: KeptFlows,
    *,
    survives: bool = False,
) -> Checker:
    """What checks promises in another state, with what `before` found in its own."""
    touched = touched_devices(before.state, after)
    since = None
    if touched is not None:
        moved = route_changes(before.state.rib, after.rib)
        since = Since(checker=before, touched=touched, moved=moved)
    return Checker(after, promises, kept, survives=survives, since=since)
