"""The smallest edit of the files that makes most entries be as they were read.

Every edit is made in the files' text, read, computed and held against all tables that were read.
Of those that mend most the smallest is taken; then edits against what is left are tried on top.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from routrel.convergence.converge import State, reconverge
from routrel.files.patching import FilePatch, edited_texts, lines_changed
from routrel.files.reader import reread_devices
from routrel.lens.file_edits import DoesNotApply, FileEdit, edited
from routrel.questions.agreement.proposals import agreement_proposals
from routrel.questions.agreement.reasons import Agreement, agreement, compared
from routrel.questions.remedies.proposals import Proposal

__all__ = ["Mending", "MendingStep", "find_mending"]

#: Edits that are made one on top of the other, and others that are told beside the first.
_MOST_STEPS = 8
_MOST_OTHERS = 5
#: Edits tried on top of each other, and in all.
_MOST_TRIED_AT_ONCE = 60
_MOST_TRIED = 300


@dataclass(frozen=True, slots=True, kw_only=True)
class MendingStep:
    """One edit, and how many entries differ no more once it is made on top of those before."""

    text: str
    changes: tuple[FileEdit, ...]
    mended: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Mending:
    """Edits that were tried, and what is left after all of them."""

    steps: tuple[MendingStep, ...]  #: in the order in which they are made
    patches: tuple[FilePatch, ...]
    others: tuple[MendingStep, ...]  #: that would mend something alone, and are not needed
    before: Agreement
    after: Agreement
    tried: int
    given_up: bool  #: time ran out before all was tried

    @property
    def changes(self) -> tuple[FileEdit, ...]:
        """Those of all steps, in their order."""
        return tuple(change for step in self.steps for change in step.changes)


@dataclass(frozen=True, slots=True)
class _Node:
    """The network with some edits made."""

    texts: Mapping[str, str]  #: all files
    state: State
    differing: int  #: entries


def find_mending(
    state: State,
    texts: Mapping[str, str],
    devices: Sequence[str] | None = None,
    *,
    patience_s: float = 30,
    on_tried: Callable[[int], None] | None = None,
) -> Mending:
    """Search for edits that make most entries be as they were read.

    Args:
        texts: The files that the state's network was read from.
        devices: Whose tables alone are held against what was read; None: all.
        patience_s: Seconds after which no more is tried.
        on_tried: Called with the number of edits tried; what it raises ends the search.
    """
    return _Search(state, texts, devices, time.monotonic() + patience_s, on_tried).run()


class _Search:
    def __init__(
        self,
        state: State,
        texts: Mapping[str, str],
        devices: Sequence[str] | None,
        until: float,
        on_tried: Callable[[int], None] | None,
    ) -> None:
        self.devices, self.until, self.on_tried = devices, until, on_tried
        self.tried = 0
        self.before = agreement(state, devices)
        self.first = _Node(texts, state, self.before.entries - self.before.equal)

    def run(self) -> Mending:
        before = self.before
        node, found, in_time = self.first, before, True
        steps: list[MendingStep] = []
        others: list[MendingStep] = []
        while node.differing and len(steps) < _MOST_STEPS and in_time:
            made, in_time = self._better(node, found)
            if not made:
                break
            best, step = made[0]
            others = others or [one for _, one in made[1:]]
            node = replace(best, state=reconverge(self.first.state, best.state.network))
            found = agreement(node.state, self.devices)
            steps.append(step)
        pruned = node
        if len(steps) > 1:
            pruned, steps = self._pruned(node, steps)
        if pruned is not node:
            node, found = pruned, agreement(pruned.state, self.devices)
        taken = {step.changes for step in steps}
        return Mending(
            steps=tuple(steps),
            patches=edited_texts(self.first.texts, node.texts),
            others=tuple(one for one in others if one.changes not in taken)[:_MOST_OTHERS],
            before=before,
            after=found,
            tried=self.tried,
            given_up=not in_time,
        )

    def _better(
        self, node: _Node, found: Agreement
    ) -> tuple[list[tuple[_Node, MendingStep]], bool]:
        """The edits that mend something, the best first; and whether there was time for all."""
        made: list[tuple[int, int, int, _Node, Proposal]] = []
        in_time = True
        proposals = agreement_proposals(node.state, node.texts, found)
        for number, proposal in enumerate(proposals[:_MOST_TRIED_AT_ONCE]):
            if time.monotonic() > self.until or self.tried >= _MOST_TRIED:
                in_time = False
                break
            after = self._with(node, proposal.changes)
            if after is not None and after.differing < node.differing:
                size = lines_changed(edited_texts(node.texts, after.texts))
                made.append((after.differing, size, number, after, proposal))
        made.sort(key=lambda one: one[:3])
        return [
            (
                after,
                MendingStep(
                    text=proposal.text,
                    changes=proposal.changes,
                    mended=node.differing - differing,
                ),
            )
            for differing, _, _, after, proposal in made
        ], in_time

    def _pruned(self, node: _Node, steps: list[MendingStep]) -> tuple[_Node, list[MendingStep]]:
        """Without the steps that later ones have made needless; what each mends is told anew."""
        left = list(steps)
        for step in steps:
            rest = [one for one in left if one is not step]
            after = self._with(self.first, tuple(c for one in rest for c in one.changes))
            if after is not None and after.differing <= node.differing:
                node, left = after, rest
        if len(left) == len(steps):
            return node, steps
        told, before = [], self.first
        for step in left:
            after = self._with(before, step.changes)
            if after is None:
                return node, left
            told.append(replace(step, mended=before.differing - after.differing))
            before = after
        return before, told

    def _with(self, node: _Node, changes: tuple[FileEdit, ...]) -> _Node | None:
        """A node with some edits more; None where they cannot be made or read."""
        self.tried += 1
        if self.on_tried:
            self.on_tried(self.tried)
        try:
            texts = edited(node.texts, changes)
        except DoesNotApply:
            return None
        others = {file: text for file, text in texts.items() if text != node.texts[file]}
        if not others:
            return node
        reading = reread_devices(node.state.network, others)
        if not reading.good:
            return None
        state = reconverge(node.state, reading.network, search=False)
        if state.converged < node.state.converged:
            return None
        return _Node(texts, state, self._differing(state))

    def _differing(self, state: State) -> int:
        return sum(len(one.differences) for one in compared(state, self.devices))
