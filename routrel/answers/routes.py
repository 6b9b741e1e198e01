"""Routes, candidate paths and absences as answers."""

from __future__ import annotations

from typing import Any

from msgspec import UNSET, UnsetType

from routrel.answers.base import Answer, Placed, PositionData, position
from routrel.convergence.converge import State
from routrel.protocols.evidence import AbsenceStep, CandidatePath
from routrel.questions.absence import Absence
from routrel.questions.candidates import RUNGS
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route
from routrel.wording.absence import absence_sentence
from routrel.wording.routes import (
    RUNG_TITLES,
    protocol_type_words,
    route_type_words,
    rung_value,
)

__all__ = [
    "AbsenceData",
    "AbsenceStepData",
    "CandidateData",
    "NextHopData",
    "RouteData",
    "TitledRouteData",
    "absence_data",
    "candidate_data",
    "next_hop_data",
    "route_data",
    "route_fields",
    "step_data",
    "titled_route_data",
]


class NextHopData(Answer):
    """One next hop; `device` is who answers for its address, null for connected routes."""

    address: str | None
    interface: str | None
    device: str | None
    weight: int
    via: str | None


class RouteData(Placed):
    """An active route of a table."""

    device: str
    vrf: str
    prefix: str
    protocol: str
    path_type: str | None
    distance: int
    metric: int
    tag: int
    discard: bool
    observed: bool
    next_hops: list[NextHopData]


class TitledRouteData(RouteData):
    """With its protocol and kind in words."""

    title: str


class SetByData(Answer):
    """The statement that set an attribute of a path, the last of those that did."""

    attribute: str
    value: str
    device: str
    policy: str
    statement: str
    file: str | None
    line: int | None


class CandidateValuesData(Answer):
    """Values of all candidate paths, and those that only one protocol knows."""

    usable: bool
    problem: str | None
    distance: int
    path_type: str | None
    metric: int
    tag: int
    discard: bool
    #: Of a path that was leaked: the VRF it comes from.
    from_vrf: str | UnsetType = UNSET
    #: What the only way out costs; null where there are several.
    way_cost: int | UnsetType | None = UNSET
    # OSPF:
    area: int | UnsetType | None = UNSET
    forward_metric: int | UnsetType | None = UNSET
    exit_rank: int | UnsetType | None = UNSET
    router_id: str | UnsetType | None = UNSET
    # EIGRP:
    reported_distance: int | UnsetType = UNSET
    feasible_distance: int | UnsetType | None = UNSET
    feasible: bool | UnsetType = UNSET
    bandwidth_kbps: int | UnsetType = UNSET
    delay_us: float | UnsetType = UNSET
    # BGP:
    weight: int | UnsetType = UNSET
    local_preference: int | UnsetType = UNSET
    originated: str | UnsetType | None = UNSET
    as_path: str | UnsetType = UNSET
    as_path_length: int | UnsetType = UNSET
    origin: str | UnsetType = UNSET
    med: int | UnsetType | None = UNSET
    med_group: int | UnsetType | None = UNSET
    med_compared: bool | UnsetType | None = UNSET
    ebgp: bool | UnsetType = UNSET
    igp_cost: int | UnsetType | None = UNSET
    age_s: int | UnsetType | None = UNSET
    cluster_list: list[str] | UnsetType = UNSET
    neighbour_address: str | UnsetType | None = UNSET
    next_hop: str | UnsetType | None = UNSET
    communities: list[str] | UnsetType = UNSET
    set_by: list[SetByData] | UnsetType = UNSET


class CandidateRungData(Answer):
    """What a candidate path shows at one decision step."""

    id: str
    title: str
    text: str


class CandidateData(Placed):
    """One candidate path: its ways, where it lost, its values, and what each step shows."""

    protocol: str
    title: str
    next_hops: list[NextHopData]
    advertiser: str | None
    lost_on: str | None
    values: CandidateValuesData
    rungs: list[CandidateRungData]
    also: list[PositionData]


class AbsenceStepData(Placed):
    """One link of a chain of reasons."""

    kind: str
    device: str
    text: str
    suggestion: str


class AbsenceData(Answer):
    """Why a table lacks a route, as a chain from who has it to what stopped it."""

    sentence: str
    prefix: str | None
    originators: list[str]
    reached: list[str]
    stopped_between: list[str] | None
    reason: str | None
    steps: list[AbsenceStepData]


def next_hop_data(state: State, device: str, hop: NextHop) -> NextHopData:
    """A next hop with the device that has its address, if the network has one."""
    end = None
    if hop.interface is not None and hop.address is not None:
        end = state.topology.answering(device, hop.interface, hop.address)
    return NextHopData(
        address=str(hop.address) if hop.address else None,
        interface=hop.interface,
        device=end.device.name if end else None,
        weight=hop.weight,
        via=str(hop.via) if hop.via else None,
    )


def route_fields(state: State, route: Route) -> dict[str, Any]:
    """What all kinds of `RouteData` have in common."""
    hops = [] if route.discard else route.next_hops
    return {
        "device": route.device,
        "vrf": route.vrf,
        "prefix": str(route.prefix),
        "protocol": route.protocol.id,
        "path_type": route.path_type.id,
        "distance": route.distance,
        "metric": route.metric,
        "tag": route.tag,
        "discard": route.discard,
        "observed": route.observed,
        "next_hops": [next_hop_data(state, route.device, hop) for hop in hops],
        **position(route.place),
    }


def route_data(state: State, route: Route) -> RouteData:
    """An active route as an answer."""
    return RouteData(**route_fields(state, route))


def titled_route_data(state: State, route: Route) -> TitledRouteData:
    """The same with the name of its protocol as people write it."""
    title = route_type_words(route)
    return TitledRouteData(title=title, **route_fields(state, route))


def candidate_data(state: State, device: str, path: CandidatePath) -> CandidateData:
    """A candidate path as an answer, with its decision steps in words."""
    known = dict(path.values)
    if "set_by" in known:
        known["set_by"] = [SetByData(**one) for one in known["set_by"]]
    return CandidateData(
        protocol=path.protocol.id,
        title=protocol_type_words(path.protocol, path.path_type),
        next_hops=[next_hop_data(state, device, hop) for hop in path.next_hops],
        advertiser=path.advertiser,
        lost_on=path.lost_on,
        values=CandidateValuesData(
            usable=not path.problem,
            problem=path.problem or None,
            distance=path.distance,
            path_type=path.path_type.id,
            metric=path.metric,
            tag=path.tag,
            discard=path.discard,
            **known,
        ),
        rungs=[
            CandidateRungData(id=rung, title=RUNG_TITLES[rung], text=rung_value(path, rung))
            for rung in RUNGS
        ],
        also=[PositionData(**position(place)) for place in path.also],
        **position(path.place),
    )


def absence_data(absent: Absence) -> AbsenceData:
    """Why a route is absent, as an answer."""
    return AbsenceData(
        sentence=absence_sentence(absent),
        prefix=str(absent.prefix) if absent.prefix is not None else None,
        originators=list(absent.originators),
        reached=list(absent.reached),
        stopped_between=list(absent.between) if absent.between else None,
        reason=absent.reasons[0].kind if absent.reasons else None,
        steps=[step_data(step) for step in (*absent.chain, *absent.reasons)],
    )


def step_data(step: AbsenceStep) -> AbsenceStepData:
    """One link of the chain of an absence."""
    return AbsenceStepData(
        kind=step.kind,
        device=step.device,
        text=step.text,
        suggestion=step.suggestion,
        **position(step.place),
    )
