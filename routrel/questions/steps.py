"""In which order the edits of a change can be made while kept flows go on arriving.

Every set of edits that may stand between two steps is a network of its own, which is read and
converged; a set in which a kept flow does not arrive, that arrives before and after the whole
change, is no place to stop at. Sets are searched depth first, edits in the order of the change
first, each set once, so that an order is found if there is one.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from routrel.convergence.converge import State
from routrel.lens.changes import Conflicts
from routrel.lens.look import Lens, View, look_through
from routrel.model.changes import Change
from routrel.questions.moves import KeptFlows, ways_of_flows

__all__ = ["Step", "Steps", "order_of_steps"]


@dataclass(frozen=True, slots=True)
class Step:
    """One edit, and what does not hold once it and those before it are made."""

    edit: int  #: its position in the change
    breaks: tuple[str, ...]  #: kept flows that arrive before and after the change, and not now
    problem: str = ""  #: why nothing is computed now; empty: it is


@dataclass(frozen=True, slots=True, kw_only=True)
class Steps:
    """An order of a change's edits."""

    steps: tuple[Step, ...]
    keeps_all: bool  #: no kept flow breaks on the way
    complete: bool  #: every set was tried that had to be; else patience ended
    watched: int  #: kept flows that arrive before and after
    tried: int  #: networks that were computed


#: The edits made so far, by their positions.
_Made = frozenset[int]


@dataclass(frozen=True, slots=True)
class _Stop:
    """What one may find between two steps."""

    breaks: tuple[str, ...]
    problem: str

    @property
    def holds(self) -> bool:
        return not self.breaks and not self.problem


class _PatienceEnded(Exception):
    pass


def order_of_steps(
    before: View,
    change: Change,
    after: State,
    kept: KeptFlows,
    *,
    patience_s: float,
    on_progress: Callable[[int], None] = lambda _: None,
) -> Steps:
    """An order that never breaks a kept flow, or the change's own where there is none.

    Args:
        before: What is seen without the change, which was computed.
        after: With the whole change.
        kept: Flows by name; those are watched that arrive in both.
        patience_s: Seconds after which the search ends.
        on_progress: Called with the number of networks computed so far.
    """
    search = _Search(before, change, after, kept, patience_s, on_progress)
    complete = True
    try:
        order = search.order()
    except _PatienceEnded:
        order, complete = None, False
    keeps_all = order is not None
    if order is None:
        order = search.edits
    steps, made = [], frozenset[int]()
    for edit in order:
        made |= {edit}
        stop = search.stop(made)
        steps.append(Step(edit, stop.breaks, stop.problem))
    return Steps(
        steps=tuple(steps),
        keeps_all=keeps_all,
        complete=complete,
        watched=len(search.watched),
        tried=search.tried,
    )


class _Search:
    def __init__(
        self,
        before: View,
        change: Change,
        after: State,
        kept: KeptFlows,
        patience_s: float,
        on_progress: Callable[[int], None],
    ) -> None:
        self.before, self.change, self.on_progress = before, change, on_progress
        self.edits = tuple(n for n, edit in enumerate(change.edits) if not edit.off)
        ways = [ways_of_flows(state, kept) for state in (before.state, after) if state]
        self.watched = {
            name: question
            for name, question in kept.items()
            if all(each[name].arrives for each in ways)
        }
        #: Nothing and everything made are known to hold.
        whole = _Stop((), "")
        self.stops: dict[_Made, _Stop] = {frozenset(): whole, frozenset(self.edits): whole}
        self.tried = 0
        self.until = time.monotonic() + patience_s

    def order(self) -> tuple[int, ...] | None:
        """An order with nothing broken on the way; None: there is none."""
        dead: set[_Made] = set()

        def onward(made: _Made) -> tuple[int, ...] | None:
            if len(made) == len(self.edits):
                return ()
            for edit in self.edits:
                further = made | {edit}
                if edit in made or further in dead:
                    continue
                if time.monotonic() > self.until:
                    raise _PatienceEnded
                rest = onward(further) if self.stop(further).holds else None
                if rest is not None:
                    return (edit, *rest)
                dead.add(further)
            return None

        return onward(frozenset())

    def stop(self, made: _Made) -> _Stop:
        """What one finds once some of the edits are made."""
        if made not in self.stops:
            self.stops[made] = self._look(made)
            self.tried += 1
            self.on_progress(self.tried)
        return self.stops[made]

    def _look(self, made: _Made) -> _Stop:
        edits = tuple(edit for n, edit in enumerate(self.change.edits) if n in made)
        try:
            lens = Lens(texts=self.before.texts, changes=(replace(self.change, edits=edits),))
            view = look_through(lens, since=self.before)
        except Conflicts as error:
            return _Stop((), error.conflicts[0].text)
        if view.state is None:
            return _Stop((), view.reading.problems[0].text)
        ways = ways_of_flows(view.state, self.watched)
        return _Stop(tuple(name for name in self.watched if not ways[name].arrives), "")
