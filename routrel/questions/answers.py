"""Answers as plain data: what `--json` prints and the API serves. Field names are stable."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch, Cause, Hop, Obstacle, Stage
from routrel.forwarding.filters import FilterResult
from routrel.forwarding.stages.answer import AnswerEvidence
from routrel.forwarding.stages.loop import LoopEvidence
from routrel.forwarding.stages.mtu import MtuEvidence, PiecesEvidence
from routrel.forwarding.stages.neighbour import NeighbourEvidence
from routrel.forwarding.stages.packet_filter import FilterEvidence, ZoneEvidence
from routrel.forwarding.stages.reverse_path import ReversePathEvidence
from routrel.forwarding.stages.route import ReceiveEvidence, RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.forwarding.stages.ttl import TtlEvidence
from routrel.model.findings import Finding
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.protocols.evidence import AbsenceStep, CandidatePath
from routrel.questions.absence import Absence
from routrel.questions.candidates import RUNGS
from routrel.questions.diagnosis import defaults_followed, missing_route
from routrel.questions.doubts import Decider, deciders, outcome_words
from routrel.questions.endpoints import Endpoint
from routrel.questions.errors import QuestionError
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion, ask_flow
from routrel.questions.flow_classes import ClassAnswer, ask_classes, is_about_many
from routrel.questions.route_words import RUNG_TITLES, protocol_type_words, rung_value
from routrel.questions.traffic import traffic_words
from routrel.questions.words import (
    STAGE_TITLES,
    answer_sentence,
    class_sentence,
    classes_sentence,
    direction_sentence,
    obstacle_sentence,
    protocol_words,
    rule_words,
    share_words,
    stage_words,
    steering_words,
    translation_words,
)
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route

__all__ = [
    "Json",
    "absence_data",
    "answer_flow",
    "candidate_data",
    "cause_data",
    "ends_data",
    "finding_data",
    "flow_data",
    "next_hop_data",
    "place_data",
    "route_data",
    "step_data",
]

Json: TypeAlias = dict[str, Any]


def place_data(place: Place | None) -> Json:
    """File, line and column; nulls where nothing was written."""
    if place is None or not place.line:
        return {"file": None, "line": None, "column": None}
    return {"file": place.file, "line": place.line, "column": place.column}


def finding_data(finding: Finding) -> Json:
    return {
        "severity": finding.severity.value,
        "code": finding.code,
        "text": finding.text,
        "suggestion": finding.suggestion,
        "device": finding.device,
        **place_data(finding.place),
        "also": [place_data(place) for place in finding.also],
    }


def next_hop_data(state: State, device: str, hop: NextHop) -> Json:
    """One next hop; `device` is who answers for its address, null for connected routes."""
    end = None
    if hop.interface is not None and hop.address is not None:
        end = state.topology.answering(device, hop.interface, hop.address)
    return {
        "address": str(hop.address) if hop.address else None,
        "interface": hop.interface,
        "device": end.device.name if end else None,
        "weight": hop.weight,
        "via": str(hop.via) if hop.via else None,
    }


def route_data(state: State, route: Route) -> Json:
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
        "next_hops": [next_hop_data(state, route.device, hop) for hop in hops],
        **place_data(route.place),
    }


def candidate_data(state: State, device: str, candidate: CandidatePath) -> Json:
    """One candidate: its ways, the rung where it lost, its values, and what each rung shows."""
    return {
        "protocol": candidate.protocol.id,
        "title": protocol_type_words(candidate.protocol, candidate.path_type),
        "next_hops": [next_hop_data(state, device, hop) for hop in candidate.next_hops],
        "advertiser": candidate.advertiser,
        "lost_on": candidate.lost_on,
        "values": {
            "usable": not candidate.problem,
            "problem": candidate.problem or None,
            "distance": candidate.distance,
            "path_type": candidate.path_type.id,
            "metric": candidate.metric,
            "tag": candidate.tag,
            "discard": candidate.discard,
            **candidate.values,
        },
        "rungs": [
            {"id": rung, "title": RUNG_TITLES[rung], "text": rung_value(candidate, rung)}
            for rung in RUNGS
        ],
        **place_data(candidate.place),
        "also": [place_data(place) for place in candidate.also],
    }


def absence_data(absent: Absence) -> Json:
    """Why a table lacks a route, as a chain from who has it to what stopped it."""
    return {
        "sentence": absent.sentence,
        "prefix": str(absent.prefix) if absent.prefix is not None else None,
        "originators": list(absent.originators),
        "reached": list(absent.reached),
        "stopped_between": list(absent.between) if absent.between else None,
        "reason": absent.reasons[0].kind if absent.reasons else None,
        "steps": [step_data(step) for step in (*absent.chain, *absent.reasons)],
    }


def step_data(step: AbsenceStep) -> Json:
    """One link of a chain of reasons."""
    return {
        "kind": step.kind,
        "device": step.device,
        "text": step.text,
        "suggestion": step.suggestion,
        **place_data(step.place),
    }


def answer_flow(state: State, question: FlowQuestion, *, every_way: bool = True) -> Json:
    """Ask a flow question, about one pair of ends or many, and give its answer.

    Of many, `classes` holds what becomes of each class, and the rest is the answer of the first: of
    the traffic that does not arrive, if there is any.

    Args:
        every_way: Whether each class has its whole answer too, which makes a long one of many;
            else it is had by asking what its `asked` says.

    Raises:
        QuestionError: the question cannot be asked.
    """
    if not is_about_many(state, question):
        return {**flow_data(state, ask_flow(state, question)), "classes": []}
    classes = ask_classes(state, question)
    first = next((c.answer for c in classes if c.answer is not None), None)
    if first is None:
        problem = classes[0].problem if classes else "both ends are the same"
        raise QuestionError(problem, "ask about other ends")
    return {
        **flow_data(state, first),
        "sentence": classes_sentence(classes),
        "classes": [_class_data(state, one, whole=every_way) for one in classes],
    }


def _class_data(state: State, one: ClassAnswer, *, whole: bool) -> Json:
    answer = one.answer
    told = flow_data(state, answer) if answer and (whole or len(one.pairs) == 1) else None
    single = told["sentence"] if told and len(one.pairs) == 1 else None
    ends = answer and {
        "source": answer.forward.source.text,
        "destination": answer.forward.destination.text,
    }
    return {
        "asked": ends or None,
        "pairs": [{"source": p.source, "destination": p.destination} for p in one.pairs],
        "verdict": answer.forward.verdict.value if answer else None,
        "return_verdict": answer.back.verdict.value if answer and answer.back else None,
        "sentence": single or class_sentence(one),
        "answer": told if whole else None,
    }


def flow_data(state: State, answer: FlowAnswer) -> Json:
    """A flow's answer: {"forward": D, "return": D or null} with the sentence for both.

    `doubt` is null, or tells who decides and what becomes of the flow in each outcome.
    """
    outcomes = [one.rib for one in answer.outcomes]
    header = answer.forward.header
    who = deciders(state, outcomes, (header.destination, header.source)) if outcomes else ()
    named = [outcome_words(state, rib, who) for rib in outcomes]
    return {
        "sentence": answer_sentence(answer, named),
        "doubt": _doubt_data(state, answer, who, named) if outcomes else None,
        "traffic": traffic_words(answer.forward.header),
        "forward": _direction_data(state, answer.forward),
        "return": _direction_data(state, answer.back) if answer.back else None,
    }


def _doubt_data(
    state: State, answer: FlowAnswer, who: Sequence[Decider], named: Sequence[str]
) -> Json:
    return {
        "searched": state.searched,
        "deciders": [
            {
                "device": one.table[0],
                "vrf": one.table[1],
                "lines": list(map(place_data, one.places)),
            }
            for one in who
        ],
        "outcomes": [
            {
                "name": name,
                "sentence": answer_sentence(one.answer),
                "verdict": one.answer.forward.verdict.value,
                "return_verdict": one.answer.back.verdict.value if one.answer.back else None,
                "ways": [[hop.device for hop in b.hops] for b in one.answer.forward.branches],
                "return_ways": [
                    [hop.device for hop in b.hops]
                    for b in (one.answer.back.branches if one.answer.back else ())
                ],
            }
            for name, one in zip(named, answer.outcomes, strict=True)
        ],
    }


def _direction_data(state: State, answer: DirectionAnswer) -> Json:
    return {
        "verdict": answer.verdict.value,
        "routing_verdict": answer.routing_verdict.value,
        "sentence": direction_sentence(answer),
        "source": _endpoint_data(answer.source, answer.header.source.version),
        "destination": _endpoint_data(answer.destination, answer.header.source.version),
        "branches": [_branch_data(state, branch) for branch in answer.branches],
        "unfollowed": float(answer.trace.unfollowed),
        "cause": cause_data(answer.cause),
        "obstacles": [_obstacle_data(state, obstacle) for obstacle in answer.obstacles],
        "defaults": [
            {
                "device": one.device,
                "text": f"Only the default is left for {answer.header.destination}: "
                f"{one.absence.sentence}",
                "absence": absence_data(one.absence),
            }
            for one in defaults_followed(state, answer)
        ],
    }


def _obstacle_data(state: State, obstacle: Obstacle) -> Json:
    """A cause with what it is about in words, and the evidence of its stage."""
    stage = obstacle.hop.stages[-1]
    lost = obstacle.cause.kind == "no_route"
    why = missing_route(state, obstacle.hop) if lost else None
    return {
        **(cause_data(obstacle.cause) or {}),
        "verdict": obstacle.verdict.value,
        "side": "access" if obstacle.is_access else "routing",
        "text": obstacle_sentence(obstacle),
        "stage": stage.name.value,
        "evidence": _evidence_data(state, stage, obstacle.hop),
        "absence": absence_data(why) if why else None,
    }


def _endpoint_data(endpoint: Endpoint, version: int) -> Json:
    return {
        "text": endpoint.text,
        "name": endpoint.name,
        "address": str(endpoint.address(version)),
        "note": endpoint.note,
    }


def _branch_data(state: State, branch: Branch) -> Json:
    return {
        "share": float(branch.share),
        "share_text": share_words(branch.share),
        "verdict": branch.verdict.value,
        "outside": branch.outside,
        "path_mtu": branch.path_mtu,
        "entry": branch.entry,
        "hops": [_hop_data(state, hop) for hop in branch.hops],
        "cause": cause_data(branch.cause),
    }


def cause_data(cause: Cause | None) -> Json | None:
    if cause is None:
        return None
    return {
        "device": cause.device,
        "kind": cause.kind,
        "interface": cause.interface,
        "direction": cause.direction.value if cause.direction else None,
        "filter": cause.filter,
        "rule": cause.rule,
        **place_data(cause.place),
    }


def _hop_data(state: State, hop: Hop) -> Json:
    return {
        "device": hop.device,
        "vrf": hop.vrf,
        "in": hop.interface_in,
        "out": hop.interface_out,
        "outside": hop.outside,
        "stages": [_stage_data(state, stage, hop) for stage in hop.stages],
    }


def _stage_data(state: State, stage: Stage, hop: Hop) -> Json:
    return {
        "stage": stage.name.value,
        "title": STAGE_TITLES[stage.name],
        "result": stage.result.value,
        "text": stage_words(stage, hop),
        "evidence": _evidence_data(state, stage, hop),
    }


def _evidence_data(state: State, stage: Stage, hop: Hop) -> Json | None:
    match stage.evidence:
        case FilterEvidence() as evidence:
            return {
                "kind": "filter",
                "interface": evidence.interface,
                "direction": evidence.direction.value,
                "zones": list(evidence.zones) if evidence.zones else None,
                **_filter_data(evidence.result),
            }
        case ZoneEvidence(source=source, destination=destination, place=place):
            return {"kind": "zones", "zones": [source, destination], **place_data(place)}
        case ReversePathEvidence() as checked:
            return {
                "kind": "reverse_path",
                "interface": checked.interface,
                "mode": checked.mode.value if checked.mode else None,
                "source": str(checked.source),
                "route": route_data(state, checked.route) if checked.route else None,
                **place_data(checked.place),
            }
        case TranslationEvidence() as changed:
            return {
                "kind": "translation",
                "side": changed.side.value,
                "rule": changed.rule.id if changed.rule else None,
                "rule_text": translation_words(changed.rule) if changed.rule else None,
                "before": ends_data(changed.before),
                "after": ends_data(changed.after),
                "choices": changed.choices,
                **place_data(changed.rule.place if changed.rule else None),
            }
        case SteeringEvidence() as steered:
            return {
                "kind": "steering",
                "steering": steered.steering.name,
                "rule": steered.rule.id if steered.rule else None,
                "tried": [
                    {
                        "rule": tried.rule.id,
                        "text": steering_words(tried.rule),
                        "mismatch": tried.mismatch or None,
                        **place_data(tried.rule.place),
                    }
                    for tried in steered.tried
                ],
                **place_data(steered.rule.place if steered.rule else steered.steering.place),
            }
        case RouteEvidence(
            route=route, next_hop=next_hop, shorter=shorter, destination=destination, table=table
        ):
            return {
                "kind": "route",
                "destination": str(destination),
                "table": table or hop.vrf,
                "route": route_data(state, route) if route else None,
                "protocol_text": protocol_words(route) if route else None,
                "next_hop": next_hop_data(state, hop.device, next_hop) if next_hop else None,
                "behind": [route_data(state, other) for other in shorter],
                **place_data(_route_place(state, hop, route, next_hop)),
            }
        case AnswerEvidence(asked=asked, arrived=arrived, translator=translator, place=place):
            return {
                "kind": "answer",
                "asked": ends_data(asked),
                "answered": ends_data(arrived),
                "translator": translator,
                **place_data(place),
            }
        case PiecesEvidence(place=place):
            return {"kind": "fragments", **place_data(place)}
        case ReceiveEvidence(interface=interface, address=address):
            return {"kind": "receive", "interface": interface, "address": str(address)}
        case TtlEvidence(arrived=arrived):
            return {"kind": "ttl", "arrived": arrived}
        case MtuEvidence(interface=interface, mtu=mtu, size=size, place=place):
            return {
                "kind": "mtu",
                "interface": interface,
                "mtu": mtu,
                "size": size,
                **place_data(place),
            }
        case NeighbourEvidence() as found:
            return {
                "kind": "neighbour",
                "interface": found.interface,
                "segment": found.segment,
                "address": str(found.address),
                "device": found.device,
                "outside": found.outside,
                "virtual_router": found.virtual,
            }
        case LoopEvidence(devices=devices, place=place):
            return {"kind": "loop", "devices": list(devices), **place_data(place)}
        case _:
            return None


def _route_place(
    state: State, hop: Hop, route: Route | None, next_hop: NextHop | None
) -> Place | None:
    """The line of a route; of none, the file that has none, unless steering led the way."""
    if route is not None:
        return route.place
    return None if next_hop is not None else state.topology.devices[hop.device].place


def ends_data(header: Header) -> Json:
    """The addresses and ports of a packet."""
    return {
        "source": str(header.source),
        "source_port": header.source_port,
        "destination": str(header.destination),
        "destination_port": header.destination_port,
    }


def _filter_data(result: FilterResult) -> Json:
    return {
        "filter": result.filter.name,
        "action": result.action.value,
        "rule": result.rule.id if result.rule else None,
        "rule_text": rule_words(result.rule) if result.rule else None,
        "session": result.session.value if result.session else None,
        "tried": [
            {
                "rule": tried.rule.id,
                "text": rule_words(tried.rule),
                "mismatch": tried.mismatch or None,
                **place_data(tried.rule.place),
            }
            for tried in result.tried
        ],
        **place_data(result.place),
    }
