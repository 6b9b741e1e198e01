"""When promises were kept, and which events broke or mended them.

What a promise must survive is not tried here: it is whether it held, not whether it might have.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.lens.moments import Timeline
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.network import Network
from routrel.model.promises import Promise
from routrel.questions.eras.spans import Progress, Span, Watch
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.following import since as checked_since

__all__ = ["PromiseEras", "promise_eras"]


@dataclass(frozen=True, slots=True, kw_only=True)
class PromiseEras:
    """The spans in which a promise was kept, and was not, in order."""

    promise: Promise
    spans: tuple[Span[Checked], ...]

    @property
    def broken(self) -> tuple[Span[Checked], ...]:
        """The spans in which it was not kept."""
        return tuple(one for one in self.spans if not one.found.kept)


def promise_eras(
    network: Network,
    timeline: Timeline,
    promises: Sequence[Promise],
    kept: KeptFlows,
    *,
    span: tuple[int | None, int | None] = (None, None),
    failures: Failures = NOTHING_FAILED,
    since: State | None = None,
    progress: Progress | None = None,
) -> tuple[PromiseEras, ...]:
    """When each of some promises was kept.

    Args:
        kept: The questions that promises may name.
        span, failures, since, progress: As of `find_eras`.
    """
    before: list[tuple[Checker, tuple[Checked, ...]]] = []

    def ask(state: State) -> tuple[Checked, ...]:
        """All promises; only what rests on what is otherwise than a moment ago is asked again."""
        if before:
            checker, known = before.pop()
            now = Checker(state, promises, kept, since=checked_since(checker, state))
            found = tuple(now.check(one, was) for one, was in zip(promises, known, strict=True))
        else:
            now = Checker(state, promises, kept)
            found = tuple(map(now.check, promises))
        before.append((now, found))
        return found

    watch = Watch(network, timeline, ask, failures, since)
    made = []
    for at, promise in enumerate(promises):

        def alike(found: tuple[Checked, ...], at: int = at) -> object:
            return found[at].kept, found[at].problem

        spans = watch.spans(*span, alike, progress)
        made.append(
            PromiseEras(
                promise=promise,
                spans=tuple(
                    Span(start=one.start, end=one.end, found=one.found[at], causes=one.causes)
                    for one in spans
                ),
            )
        )
    return tuple(made)
