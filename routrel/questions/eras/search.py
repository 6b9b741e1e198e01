"""Eras: spans of time in which what becomes of a flow does not change, and what ends each."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.forwarding.evidence import StageName, Verdict
from routrel.forwarding.stages.route import RouteEvidence
from routrel.lens.moments import Timeline
from routrel.model.addresses import Address
from routrel.model.events import Event
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.network import Network
from routrel.questions.eras.passed import Passed
from routrel.questions.eras.spans import Cause, Progress, Watch
from routrel.questions.errors import QuestionError
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion, ask_flow
from routrel.questions.flow_classes import is_about_many

__all__ = ["Course", "Era", "Eras", "find_eras"]

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
    failures: Failures = NOTHING_FAILED,
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

    def ask(state: State) -> tuple[FlowAnswer, tuple[Course, Course | None]]:
        if not watch.asked and is_about_many(state, question):
            raise QuestionError(
                "eras are those of one source and one destination", "name one device or address"
            )
        answer = ask_flow(state, question)
        return answer, _courses(network, answer)

    watch = Watch(network, timeline, ask, failures, since)
    spans = watch.spans(*span, lambda found: found[1], progress)
    eras: list[Era] = []
    way = Passed.by(spans[0].found[0])  # the last one that led to where it was to
    for one in spans:
        answer, (forward, back) = one.found
        passed, own = Passed.by(answer), {cause.event.id for cause in one.causes}
        either = passed.with_all_of(way)
        eras.append(
            Era(
                start=one.start,
                end=one.end,
                forward=forward,
                back=back,
                causes=one.causes,
                meanwhile=tuple(
                    told.event
                    for told in timeline.told_within(one.start, one.end)
                    if told.event.id not in own and either.concerns(told.event)
                ),
                answer=answer,
            )
        )
        way = passed if forward.arrives else way
    return Eras(eras=tuple(eras), moments=len(watch.times(*span)), asked=watch.asked)


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
