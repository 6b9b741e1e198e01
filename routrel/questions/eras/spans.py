"""Spans of time in which something asked of a network does not change, and what ends each.

It is asked wherever anything changed that is told of the network. Moments at which things are as
they were at another one are asked once: a link that goes up and down has two answers.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Generic, TypeVar

from routrel.convergence.converge import State, converge
from routrel.lens.moments import NOTHING_TOLD, Situation, Timeline
from routrel.model.events import Event
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.network import Network

__all__ = ["Cause", "Progress", "Span", "Watch"]

#: Called with how many moments were looked at, of how many; what it raises ends the search.
Progress = Callable[[int, int], None]
Found = TypeVar("Found")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """An event that ended one span and began another."""

    event: Event
    needed: bool  #: whether without it alone the span before would have gone on


@dataclass(frozen=True, slots=True, kw_only=True)
class Span(Generic[Found]):
    """A span with what was found at its beginning; it ends right before the next begins."""

    start: int | None  #: microseconds; None: before all that is told
    end: int | None  #: None: after all that is told
    found: Found
    causes: tuple[Cause, ...]  #: what began it; empty for the first


class Watch(Generic[Found]):
    """Asks something of a network at any moment; of equal situations once.

    Args:
        network: As its files say.
        timeline: What is told of it.
        ask: What is asked of its state.
        failures: What has failed besides, all the time.
        since: A state of the network, from which the others are followed.
    """

    def __init__(
        self,
        network: Network,
        timeline: Timeline,
        ask: Callable[[State], Found],
        failures: Failures = NOTHING_FAILED,
        since: State | None = None,
    ) -> None:
        self.network, self.timeline, self.failures = network, timeline, failures
        self._ask, self._latest = ask, since
        self._found: dict[Hashable, Found] = {}

    @property
    def asked(self) -> int:
        """The situations for which the network was computed."""
        return len(self._found)

    def times(self, start: int | None, end: int | None) -> list[int]:
        """The times within a span, its beginning aside, at which anything changes."""
        return [
            time
            for time in self.timeline.times
            if (start is None or time > start) and (end is None or time < end)
        ]

    def spans(
        self,
        start: int | None,
        end: int | None,
        alike: Callable[[Found], object],
        progress: Progress | None = None,
    ) -> list[Span[Found]]:
        """The spans from one time until right before another.

        Args:
            start: None: from before all that is told; `end` likewise.
            alike: What of a finding makes it another one where it is not equal.
        """
        situation = NOTHING_TOLD if start is None else self.timeline.at(start)
        since, latest = start, self._at(situation)
        begun = [(start, latest, tuple[Cause, ...]())]
        times = self.times(start, end)
        for number, time in enumerate(times):
            if progress:
                progress(number, len(times))
            before, situation = situation, self.timeline.onward(situation, since, time)
            since, now = time, self._at(situation)
            if alike(now) != alike(latest):
                begun.append((time, now, tuple(self._causes(before, time, alike))))
                latest = now
        ends = [*(time for time, _, _ in begun), end]
        return [
            Span(start=begin, end=until, found=found, causes=causes)
            for (begin, found, causes), (_, until) in zip(begun, pairwise(ends), strict=True)
        ]

    def _at(self, situation: Situation) -> Found:
        if situation.name not in self._found:
            failures = Failures(self.failures.things, situation.events)
            self._latest = converge(self.network, since=self._latest, failures=failures)
            self._found[situation.name] = self._ask(self._latest)
        return self._found[situation.name]

    def _causes(
        self, before: Situation, time: int, alike: Callable[[Found], object]
    ) -> Iterator[Cause]:
        """The events of a microsecond that changed what is found.

        One did if it would be otherwise without that event, or if that alone changes it: both ends
        of a link that fails tell of it, and each by itself is enough. If neither holds for any,
        they did it together.
        """

        def with_some(sources: tuple[int, ...]) -> object:
            return alike(self._at(self.timeline.with_some(before, time, sources)))

        sources = self.timeline.sources_at(time)
        was, now = with_some(()), with_some(sources)
        found = []
        for source in sources:
            needed = with_some(tuple(other for other in sources if other != source)) != now
            if needed or with_some((source,)) != was:
                found.append(Cause(event=self.timeline.told[source].event, needed=needed))
        told = (self.timeline.told[source].event for source in sources)
        yield from found or (Cause(event=event, needed=False) for event in told)
