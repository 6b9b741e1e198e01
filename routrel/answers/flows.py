"""Flows as answers: verdicts, hops with their stages, obstacles, outcomes."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import chain
from typing import Any, Literal

import msgspec

from routrel.answers.base import Answer, Placed, PositionData, position
from routrel.answers.evidence import EvidenceData, evidence_data
from routrel.answers.routes import AbsenceData, absence_data
from routrel.convergence.converge import State
from routrel.forwarding.evidence import (
    Branch,
    Cause,
    Direction,
    Hop,
    Obstacle,
    Result,
    Stage,
    StageName,
    Verdict,
)
from routrel.questions.diagnosis import DefaultOnly, defaults_followed, missing_route
from routrel.questions.doubts import Decider, deciders
from routrel.questions.endpoints import Endpoint
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.flow_facts import decider, entries_of, is_unroutable
from routrel.wording.absence import absence_sentence
from routrel.wording.doubts import outcome_words
from routrel.wording.flow_facts import DECIDED_WORDS, fact_sentences, unusual_words, way_words
from routrel.wording.flows import (
    answer_sentence,
    direction_sentence,
    entry_sentence,
    obstacle_sentence,
)
from routrel.wording.stages import STAGE_TITLES, share_words, stage_words
from routrel.wording.traffic import traffic_words

__all__ = ["OneFlowData", "flow_data"]


class StageData(Answer):
    """One decision inside a hop."""

    stage: StageName
    title: str
    result: Result
    text: str
    evidence: EvidenceData | None


class HopData(Answer):
    """One device the packet meets; `outside`: an outside network, of which no more is known.

    `unusual` is what it does with the packet that most do not, in words; null: nothing such.
    """

    device: str
    vrf: str
    into: str | None = msgspec.field(name="in")
    out: str | None
    outside: bool
    unusual: str | None
    stages: list[StageData]


class CauseData(Placed):
    """What stopped the packet, with the line that says so where there is one."""

    device: str
    kind: str
    interface: str | None
    direction: Direction | None
    filter: str | None
    rule: int | None


class BranchData(Answer):
    """One equal-cost way through the network; its share is of what comes in at `entry`."""

    share: float
    share_text: str
    verdict: Verdict
    outside: str | None
    path_mtu: int | None
    entry: str | None
    hops: list[HopData]
    cause: CauseData | None


class EndpointData(Answer):
    """An end of a flow, as it was asked for and as it was understood."""

    text: str
    name: str
    address: str
    note: str


class ObstacleData(CauseData):
    """A cause with what it is about in words, and the evidence of its stage."""

    verdict: Verdict
    side: Literal["access", "routing"]
    text: str
    stage: StageName
    evidence: EvidenceData | None
    absence: AbsenceData | None


class DefaultOnlyData(Answer):
    """A device that has only its default for what has a specific route elsewhere."""

    device: str
    text: str
    absence: AbsenceData


class EntryData(Answer):
    """A place where a flow may come in from elsewhere, and what becomes of it from there.

    `verdict` is `mixed` where branches from there disagree.
    """

    name: str
    verdict: Verdict
    sentence: str


class DirectionData(Answer):
    """One direction; `routing_verdict` is as if every filter permitted.

    `way` is its devices in one line. `entries` is empty where there is only one; nobody knows how
    traffic is split among several.
    """

    verdict: Verdict
    routing_verdict: Verdict
    sentence: str
    way: str
    entries: list[EntryData]
    source: EndpointData
    destination: EndpointData
    branches: list[BranchData]
    unfollowed: float
    cause: CauseData | None
    obstacles: list[ObstacleData]
    defaults: list[DefaultOnlyData]


class DeciderData(Answer):
    """Who decides which outcome comes about, and the lines by which it does."""

    device: str
    vrf: str
    lines: list[PositionData]


class FlowOutcomeData(Answer):
    """The flow in one outcome of routing."""

    name: str
    sentence: str
    verdict: Verdict
    return_verdict: Verdict | None
    ways: list[list[str]]
    return_ways: list[list[str]]


class FlowDoubtData(Answer):
    """Where routes depend on who settled first: who decides, and the flow in each outcome."""

    searched: bool
    deciders: list[DeciderData]
    outcomes: list[FlowOutcomeData]


class DecidesData(Answer):
    """The hop that decides: its direction, branch and place there, and why in words."""

    direction: Literal["forward", "return"]
    branch: int
    hop: int
    why: str


class OneFlowData(Answer):
    """The answer about one source and one destination.

    `facts` are sentences: how many ways, where they part, what fits through, how answers return.
    """

    sentence: str
    facts: list[str]
    decides: DecidesData
    doubt: FlowDoubtData | None
    traffic: str
    forward: DirectionData
    back: DirectionData | None = msgspec.field(name="return")


def flow_data(state: State, answer: FlowAnswer) -> OneFlowData:
    """A flow's answer with the sentence for both directions.

    `doubt` tells who decides and what becomes of the flow in each outcome, if there are several.
    """
    outcomes = [one.rib for one in answer.outcomes]
    header = answer.forward.header
    who = deciders(state, outcomes, (header.destination, header.source)) if outcomes else ()
    named = [outcome_words(state, rib, who) for rib in outcomes]
    defaults = [
        defaults_followed(state, direction) if direction else ()
        for direction in (answer.forward, answer.back)
    ]
    unroutable = is_unroutable(state, answer.forward)
    first = decider(answer, chain(*defaults))
    return OneFlowData(
        sentence=answer_sentence(answer, named, unroutable=unroutable),
        facts=list(fact_sentences(answer, state.topology.devices)),
        decides=DecidesData(
            direction="forward" if first.forward else "return",
            branch=first.branch,
            hop=first.hop,
            why=DECIDED_WORDS[first.why],
        ),
        doubt=_doubt_data(state, answer, who, named) if outcomes else None,
        traffic=traffic_words(answer.forward.header),
        forward=_direction_data(state, answer.forward, defaults[0]),
        back=_direction_data(state, answer.back, defaults[1]) if answer.back else None,
    )


def _doubt_data(
    state: State, answer: FlowAnswer, who: Sequence[Decider], named: Sequence[str]
) -> FlowDoubtData:
    return FlowDoubtData(
        searched=state.searched,
        deciders=[
            DeciderData(
                device=one.table[0],
                vrf=one.table[1],
                lines=[PositionData(**position(place)) for place in one.places],
            )
            for one in who
        ],
        outcomes=[
            FlowOutcomeData(
                name=name,
                sentence=answer_sentence(one.answer),
                verdict=one.answer.forward.verdict,
                return_verdict=one.answer.back.verdict if one.answer.back else None,
                ways=_ways(one.answer.forward),
                return_ways=_ways(one.answer.back),
            )
            for name, one in zip(named, answer.outcomes, strict=True)
        ],
    )


def _ways(direction: DirectionAnswer | None) -> list[list[str]]:
    branches = direction.branches if direction else ()
    return [[hop.device for hop in branch.hops] for branch in branches]


def _direction_data(
    state: State, answer: DirectionAnswer, defaults: Sequence[DefaultOnly]
) -> DirectionData:
    by_default = {one.device for one in defaults}
    return DirectionData(
        verdict=answer.verdict,
        routing_verdict=answer.routing_verdict,
        sentence=direction_sentence(answer),
        way=way_words(answer, by_default),
        entries=[
            EntryData(
                name=entry.name,
                verdict=entry.verdict,
                sentence=entry_sentence(entry),
            )
            for entry in entries_of(answer.branches)
        ],
        source=_endpoint_data(answer.source, answer.header.source.version),
        destination=_endpoint_data(answer.destination, answer.header.source.version),
        branches=[_branch_data(state, branch, by_default) for branch in answer.branches],
        unfollowed=float(answer.trace.unfollowed),
        cause=_cause_data(answer.cause),
        obstacles=[_obstacle_data(state, obstacle) for obstacle in answer.obstacles],
        defaults=[
            DefaultOnlyData(
                device=one.device,
                text=f"{answer.header.destination} is matched by the default route only: "
                f"{absence_sentence(one.absence)}",
                absence=absence_data(one.absence),
            )
            for one in defaults
        ],
    )


def _obstacle_data(state: State, obstacle: Obstacle) -> ObstacleData:
    stage, cause = obstacle.hop.stages[-1], obstacle.cause
    why = missing_route(state, obstacle.hop) if cause.kind == "no_route" else None
    return ObstacleData(
        verdict=obstacle.verdict,
        side="access" if obstacle.is_access else "routing",
        text=obstacle_sentence(obstacle),
        stage=stage.name,
        evidence=evidence_data(state, stage, obstacle.hop),
        absence=absence_data(why) if why else None,
        **_cause_fields(cause),
    )


def _endpoint_data(endpoint: Endpoint, version: int) -> EndpointData:
    return EndpointData(
        text=endpoint.text,
        name=endpoint.name,
        address=str(endpoint.address(version)),
        note=endpoint.note,
    )


def _branch_data(state: State, branch: Branch, by_default: set[str]) -> BranchData:
    return BranchData(
        share=float(branch.share),
        share_text=share_words(branch.share),
        verdict=branch.verdict,
        outside=branch.outside,
        path_mtu=branch.path_mtu,
        entry=branch.entry,
        hops=[_hop_data(state, hop, by_default) for hop in branch.hops],
        cause=_cause_data(branch.cause),
    )


def _cause_data(cause: Cause | None) -> CauseData | None:
    return CauseData(**_cause_fields(cause)) if cause is not None else None


def _cause_fields(cause: Cause) -> dict[str, Any]:
    """What stops a packet, with its place: the fields that causes and obstacles share."""
    return {
        "device": cause.device,
        "kind": cause.kind,
        "interface": cause.interface,
        "direction": cause.direction,
        "filter": cause.filter,
        "rule": cause.rule,
        **position(cause.place),
    }


def _hop_data(state: State, hop: Hop, by_default: set[str]) -> HopData:
    return HopData(
        device=hop.device,
        vrf=hop.vrf,
        into=hop.interface_in,
        out=hop.interface_out,
        outside=hop.outside,
        unusual=unusual_words(hop, hop.device in by_default) or None,
        stages=[_stage_data(state, stage, hop) for stage in hop.stages],
    )


def _stage_data(state: State, stage: Stage, hop: Hop) -> StageData:
    return StageData(
        stage=stage.name,
        title=STAGE_TITLES[stage.name],
        result=stage.result,
        text=stage_words(stage, hop),
        evidence=evidence_data(state, stage, hop),
    )
