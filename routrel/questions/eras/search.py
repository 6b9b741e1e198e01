"""Eras: spans of time in which what becomes of a flow does not change, and what ends each.

The flow is asked wherever anything changed that is told of the network. Moments at which things
are as they were at another one are asked once: a link that goes up and down has two answers.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from itertools import pairwise

from routrel.convergence.converge import State, converge
from routrel.forwarding.evidence import StageName, Verdict
from routrel.forwarding.stages.route import RouteEvidence
from routrel.lens.moments import NOTHING_TOLD, Situation, Timeline
from routrel.model.addresses import Address
from routrel.model.events import Event
from routrel.model.failures import Failures
from routrel.model.network import Network
from routrel.questions.eras.passed import Passed
from routrel.questions.errors import QuestionError
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion, ask_flow
from routrel.questions.flow_classes import is_about_many

__all__ = ["Cause", "Course", "Era", "Eras", "find_eras"]

#: Called with how many moments were looked at, of how many; what it raises ends the search.
Progress = Callable[[int, int], None]

Path = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """What becomes of one direction of a flow."""

    verdict: Verdict
    paths: tuple[Path, ...]  #: the devices on each of its branches, each once, in order
    #: Whether it comes to where it is meant to: to its destination, or out to where that is.
    arrives: bool
    by_default: bool  #: whether a router has nothing better than a default for this address of ours


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """An event that ended one era and began another."""

    event: Event
    #: Whether it is alone needed for that: without it the era would have gone on.
    needed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Era:
    """A span in which the course of a flow is one; it ends right before the next begins."""

    start: int | None  #: microseconds; None: before all that is told
    end: int | None  #: None: after all that is told
    forward: Course
    back: Course | None  #: None: not asked, or nobody knows where answers begin
    causes: tuple[Cause, ...]  #: what began it; empty for the first
    #: What else was told in it of what the flow passes, or passed when it last arrived, and of the
    #: way to its ends; in order of time.
    meanwhile: tuple[Event, ...]
    answer: FlowAnswer  #: at its beginning


@dataclass(frozen=True, slots=True, kw_only=True)
class Eras:
    """All eras of a span, in order, and what was looked at to find them."""

    eras: tuple[Era, ...]
    moments: int  #: at which anything changed within the span
    asked: int  #: situations for which the network was computed

    @property
    def availability(self) -> float | None:
        """The share of the span in which the flow arrived, forward; None: the span has no end."""
        first, last = self.eras[0].start, self.eras[-1].end
        if first is None or last is None:
            return None
        there = sum((e.end or 0) - (e.start or 0) for e in self.eras if e.forward.arrives)
        return there / (last - first)


def find_eras(
    network: Network,
    timeline: Timeline,
    question: FlowQuestion,
    *,
    span: tuple[int | None, int | None] = (None, None),
    failures: Failures | None = None,
    since: State | None = None,
    progress: Progress | None = None,
) -> Eras:
    """The eras of a flow.

    Args:
        network: As its files say.
        timeline: What is told of it.
        span: From when, and until right before when; None: from before, or to after all of it.
        failures: What has failed besides, all the time.
        since: A state of the network, from which the others are followed.
    Raises:
        QuestionError: the question cannot be asked, or is about many ends.
    """
    search = _Search(network, timeline, question, failures or Failures(), since)
    return search.eras(*span, progress or (lambda done, total: None))


class _Search:
    def __init__(
        self,
        network: Network,
        timeline: Timeline,
        question: FlowQuestion,
        failures: Failures,
        since: State | None,
    ) -> None:
        self.network, self.timeline, self.question = network, timeline, question
        self.failures = failures
        self._latest = since
        self._answers: dict[Hashable, FlowAnswer] = {}

    def eras(self, start: int | None, end: int | None, progress: Progress) -> Eras:
        times = [
            time
            for time in self.timeline.times
            if (start is None or time > start) and (end is None or time < end)
        ]
        situation = NOTHING_TOLD if start is None else self.timeline.at(start)
        since = start
        answer = self._answer(situation)
        found = [(start, answer, tuple[Cause, ...]())]
        for number, time in enumerate(times):
            progress(number, len(times))
            before, situation = situation, self.timeline.onward(situation, since, time)
            since = time
            now = self._answer(situation)
            if _courses(self.network, now) != _courses(self.network, answer):
                found.append((time, now, tuple(self._causes(before, time))))
                answer = now
        borders = [*(begin for begin, _, _ in found), end]
        eras: list[Era] = []
        way = Passed.by(found[0][1])  # the last one that led to where it was to
        for (begin, one, causes), (_, until) in zip(found, pairwise(borders), strict=True):
            made = self._era(begin, until, one, causes, way)
            if made.forward.arrives:
                way = Passed.by(one)
            eras.append(made)
        return Eras(eras=tuple(eras), moments=len(times), asked=len(self._answers))

    def _era(
        self,
        start: int | None,
        end: int | None,
        answer: FlowAnswer,
        causes: tuple[Cause, ...],
        way: Passed,
    ) -> Era:
        forward, back = _courses(self.network, answer)
        own = {cause.event.id for cause in causes}
        passed = Passed.by(answer).with_all_of(way)
        within = self.timeline.told_within(start, end)
        return Era(
            start=start,
            end=end,
            forward=forward,
            back=back,
            causes=causes,
            meanwhile=tuple(
                told.event
                for told in within
                if told.event.id not in own and passed.concerns(told.event)
            ),
            answer=answer,
        )

    def _answer(self, situation: Situation) -> FlowAnswer:
        """What becomes of the flow in a situation."""
        if situation.name not in self._answers:
            failures = Failures(self.failures.things, situation.events)
            state = converge(self.network, since=self._latest, failures=failures)
            self._latest = state
            if not self._answers and is_about_many(state, self.question):
                raise QuestionError(
                    "eras are those of one source and one destination", "name one device or address"
                )
            self._answers[situation.name] = ask_flow(state, self.question)
        return self._answers[situation.name]

    def _causes(self, before: Situation, time: int) -> Iterator[Cause]:
        """The events of a microsecond that changed the flow.

        One did if the flow would be otherwise without it, or if it alone changes the flow: both
        ends of a link that fails tell of it, and each by itself is enough. If neither holds for
        any, they did it together.
        """
        sources = self.timeline.sources_at(time)
        was, now = self._with(before, time, ()), self._with(before, time, sources)
        found = []
        for source in sources:
            others = tuple(other for other in sources if other != source)
            needed = self._with(before, time, others) != now
            if needed or self._with(before, time, (source,)) != was:
                found.append(Cause(event=self.timeline.told[source].event, needed=needed))
        together = (
            Cause(event=self.timeline.told[source].event, needed=False) for source in sources
        )
        yield from found or together

    def _with(self, before: Situation, time: int, sources: tuple[int, ...]) -> object:
        situation = self.timeline.with_some(before, time, sources)
        return _courses(self.network, self._answer(situation))


def _courses(network: Network, answer: FlowAnswer) -> tuple[Course, Course | None]:
    back = answer.back
    return _course(network, answer.forward), _course(network, back) if back else None


def _course(network: Network, direction: DirectionAnswer) -> Course:
    ours = _is_ours(network, direction.header.destination)
    hops = [hop for branch in direction.branches for hop in branch.hops]
    forwards = {device.name for device in network.devices if device.role.forwards}
    delivered = direction.verdict is Verdict.DELIVERED
    return Course(
        verdict=direction.verdict,
        paths=tuple(
            sorted({tuple(hop.device for hop in branch.hops) for branch in direction.branches})
        ),
        arrives=delivered or (direction.verdict is Verdict.LEAVES_NETWORK and not ours),
        by_default=delivered
        and ours
        and any(
            isinstance(stage.evidence, RouteEvidence)
            and stage.evidence.route is not None
            and stage.evidence.route.prefix.prefixlen == 0
            for hop in hops
            if hop.device in forwards
            for stage in hop.stages
            if stage.name is StageName.ROUTE
        ),
    )


def _is_ours(network: Network, address: Address) -> bool:
    """Whether an address lies in a subnet of ours."""
    return any(
        address in own.network
        for device in network.devices
        for interface in device.interfaces
        for own in interface.addresses
    )
