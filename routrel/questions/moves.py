"""What a change moves: routes, and the flows that are kept with the network."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.cases import Case
from routrel.questions.comparison.routes import route_changes
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowAnswer, FlowQuestion, arrives, ask_flow

__all__ = ["KeptFlows", "Moves", "Way", "Ways", "kept_flows", "moves", "way_of", "ways_of_flows"]

#: The flows that are kept beside a network, by name.
KeptFlows = Mapping[str, FlowQuestion]


@dataclass(frozen=True, slots=True)
class Way:
    """What becomes of a kept flow; equal where nothing moved."""

    course: object
    arrives: bool  #: and its answers do


#: What becomes of each kept flow, by name.
Ways = Mapping[str, Way]


@dataclass(frozen=True, slots=True, kw_only=True)
class Moves:
    """What is not the same in two states of one network."""

    prefixes: int
    devices: int
    flows: tuple[str, ...]  #: the kept flows whose ways or verdicts differ
    breaks: tuple[str, ...]  #: those of them that arrived before and do not any more
    flows_asked: int


def moves(before: State, after: State, kept: KeptFlows, ways: Ways) -> Moves:
    """How many active routes differ, wherever they were written, and which of the kept flows.

    Args:
        ways: `ways_of_flows(before, kept)`.
    """
    changed = route_changes(before.rib, after.rib)
    now = ways_of_flows(after, kept)
    return Moves(
        prefixes=len({change.prefix for change in changed}),
        devices=len({change.table[0] for change in changed}),
        flows=tuple(name for name in ways if ways[name] != now[name]),
        breaks=tuple(n for n in ways if ways[n].arrives and not now[n].arrives),
        flows_asked=len(ways),
    )


def ways_of_flows(state: State, kept: KeptFlows) -> dict[str, Way]:
    """What becomes of each kept flow; equal where nothing moved."""
    return {name: _path(state, question) for name, question in kept.items()}


def kept_flows(cases: Iterable[Case]) -> dict[str, FlowQuestion]:
    """The flows that cases ask about in the network as it is, by the name of their case."""
    return {
        case.name: FlowQuestion(
            source=case.question.source,
            destination=case.question.destination,
            traffic=case.question.traffic,
            size=case.question.size,
            both=True,
        )
        for case in cases
        if case.question is not None and case.is_of_the_network
    }


def _path(state: State, asked: FlowQuestion) -> Way:
    """What a flow's answer says of its ways, both directions."""
    try:
        answer = ask_flow(state, asked)
    except QuestionError as error:
        return Way(error.text, arrives=False)
    return way_of(answer)


def way_of(answer: FlowAnswer) -> Way:
    """What becomes of a flow, by its answer."""
    each = (answer, *(one.answer for one in answer.outcomes))
    return Way([_courses(one) for one in each], arrives=all(map(arrives, each)))


def _courses(answer: FlowAnswer) -> object:
    return [
        (
            direction.verdict,
            [[hop.device for hop in branch.hops] for branch in direction.branches],
        )
        for direction in (answer.forward, answer.back)
        if direction is not None
    ]
