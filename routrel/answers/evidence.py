"""What stages decided by, as answers: a kind each."""

from __future__ import annotations

from typing import TypeAlias

from routrel.answers.base import Answer, Placed, position
from routrel.answers.routes import (
    NextHopData,
    RouteData,
    TitledRouteData,
    next_hop_data,
    route_data,
    titled_route_data,
)
from routrel.convergence.converge import State
from routrel.forwarding.evidence import Direction, Hop, Stage
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
from routrel.model.filters import Action, ConnectionState
from routrel.model.network import ReversePathCheck
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.model.translation import Side
from routrel.questions.flow_facts import resolution
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route
from routrel.wording.stages import protocol_words, rule_words, steering_words, translation_words

__all__ = ["EvidenceData", "ends_data", "evidence_data"]


class TriedRuleData(Placed):
    """A rule a packet was held against; `mismatch` is null for the one that decided."""

    rule: int
    text: str
    mismatch: str | None
    filter: str | None = None  #: the one that it stands in


class EndsData(Answer):
    """The addresses and ports of a packet."""

    source: str
    source_port: int | None
    destination: str
    destination_port: int | None


class FilterEvidenceData(Placed, tag_field="kind", tag="filter"):
    """A filter, the rules that were tried in order, and what decided."""

    interface: str | None
    direction: Direction
    zones: list[str | None] | None
    filter: str
    action: Action
    rule: int | None
    rule_text: str | None
    session: ConnectionState | None
    tried: list[TriedRuleData]


class ZonesEvidenceData(Placed, tag_field="kind", tag="zones"):
    """Two zones without a filter between them; null: an interface is in no zone."""

    zones: list[str | None]


class ReversePathEvidenceData(Placed, tag_field="kind", tag="reverse_path"):
    """The route back to the source, held against the interface it came in by."""

    interface: str
    mode: ReversePathCheck | None
    source: str
    route: RouteData | None


class TranslationEvidenceData(Placed, tag_field="kind", tag="translation"):
    """What a packet's ends became; `rule` is null where its connection says what."""

    side: Side
    rule: int | None
    rule_text: str | None
    before: EndsData
    after: EndsData
    choices: int


class SteeringEvidenceData(Placed, tag_field="kind", tag="steering"):
    """Policy-based routing; `rule` is null where no rule was usable."""

    steering: str
    rule: int | None
    tried: list[TriedRuleData]


class ResolvedData(Answer):
    """An address that a route names as its next hop, and the route by which that is reached."""

    address: str
    route: TitledRouteData | None


class RouteEvidenceData(Placed, tag_field="kind", tag="route"):
    """The longest match, the next hop of this branch, and the routes behind it.

    `resolved` leads from the match to an interface, through each route that resolves a next hop.
    """

    destination: str
    table: str
    route: RouteData | None
    protocol_text: str | None
    next_hop: NextHopData | None
    resolved: list[ResolvedData]
    behind: list[RouteData]


class AnswerEvidenceData(Placed, tag_field="kind", tag="answer"):
    """An answer whose ends are not those that were asked."""

    asked: EndsData
    answered: EndsData
    translator: str | None


class FragmentsEvidenceData(Placed, tag_field="kind", tag="fragments"):
    """Fragments of one packet that went different ways."""


class ReceiveEvidenceData(Answer, tag_field="kind", tag="receive"):
    """The interface that has the destination; null: the device has it not, nor forwards."""

    interface: str | None
    address: str


class TtlEvidenceData(Answer, tag_field="kind", tag="ttl"):
    """The time to live that arrived."""

    arrived: int


class MtuEvidenceData(Placed, tag_field="kind", tag="mtu"):
    """The packet's size against an interface's MTU, in bytes; null: not asked."""

    interface: str
    mtu: int
    size: int | None


class NeighbourEvidenceData(Answer, tag_field="kind", tag="neighbour"):
    """Who answers for the next hop's address; null: nobody."""

    interface: str
    segment: str
    address: str
    device: str | None
    outside: str | None
    virtual_router: int | None


class LoopEvidenceData(Placed, tag_field="kind", tag="loop"):
    """The devices that the packet goes round."""

    devices: list[str]


EvidenceData: TypeAlias = (
    FilterEvidenceData
    | ZonesEvidenceData
    | ReversePathEvidenceData
    | TranslationEvidenceData
    | SteeringEvidenceData
    | RouteEvidenceData
    | AnswerEvidenceData
    | FragmentsEvidenceData
    | ReceiveEvidenceData
    | TtlEvidenceData
    | MtuEvidenceData
    | NeighbourEvidenceData
    | LoopEvidenceData
)


def evidence_data(state: State, stage: Stage, hop: Hop) -> EvidenceData | None:
    """What a stage decided by; null where it noted nothing."""
    match stage.evidence:
        case FilterEvidence() as filtered:
            return _filter_data(filtered)
        case ZoneEvidence(source=source, destination=destination, place=place):
            return ZonesEvidenceData(zones=[source, destination], **position(place))
        case ReversePathEvidence() as checked:
            return ReversePathEvidenceData(
                interface=checked.interface,
                mode=checked.mode,
                source=str(checked.source),
                route=route_data(state, checked.route) if checked.route else None,
                **position(checked.place),
            )
        case TranslationEvidence() as changed:
            return TranslationEvidenceData(
                side=changed.side,
                rule=changed.rule.id if changed.rule else None,
                rule_text=translation_words(changed.rule) if changed.rule else None,
                before=ends_data(changed.before),
                after=ends_data(changed.after),
                choices=changed.choices,
                **position(changed.rule.place if changed.rule else None),
            )
        case SteeringEvidence() as steered:
            return _steering_data(steered)
        case RouteEvidence() as matched:
            return _route_data(state, matched, hop)
        case AnswerEvidence(asked=asked, arrived=arrived, translator=translator, place=place):
            return AnswerEvidenceData(
                asked=ends_data(asked),
                answered=ends_data(arrived),
                translator=translator,
                **position(place),
            )
        case PiecesEvidence(place=place):
            return FragmentsEvidenceData(**position(place))
        case ReceiveEvidence(interface=interface, address=address):
            return ReceiveEvidenceData(interface=interface, address=str(address))
        case TtlEvidence(arrived=ttl):
            return TtlEvidenceData(arrived=ttl)
        case MtuEvidence() as fitted:
            return MtuEvidenceData(
                interface=fitted.interface,
                mtu=fitted.mtu,
                size=fitted.size,
                **position(fitted.place),
            )
        case NeighbourEvidence() as found:
            return NeighbourEvidenceData(
                interface=found.interface,
                segment=found.segment,
                address=str(found.address),
                device=found.device,
                outside=found.outside,
                virtual_router=found.virtual,
            )
        case LoopEvidence(devices=devices, place=place):
            return LoopEvidenceData(devices=list(devices), **position(place))
        case _:
            return None


def _filter_data(evidence: FilterEvidence) -> FilterEvidenceData:
    result: FilterResult = evidence.result
    return FilterEvidenceData(
        interface=evidence.interface,
        direction=evidence.direction,
        zones=list(evidence.zones) if evidence.zones else None,
        filter=result.filter.name,
        action=result.action,
        rule=result.rule.id if result.rule else None,
        rule_text=rule_words(result.rule) if result.rule else None,
        session=result.connection,
        tried=[
            TriedRuleData(
                rule=tried.rule.id,
                text=rule_words(tried.rule),
                mismatch=tried.mismatch or None,
                filter=tried.filter,
                **position(tried.rule.place),
            )
            for tried in result.tried
        ],
        **position(result.place),
    )


def _steering_data(evidence: SteeringEvidence) -> SteeringEvidenceData:
    rule = evidence.rule
    return SteeringEvidenceData(
        steering=evidence.steering.name,
        rule=rule.id if rule else None,
        tried=[
            TriedRuleData(
                rule=tried.rule.id,
                text=steering_words(tried.rule),
                mismatch=tried.mismatch or None,
                **position(tried.rule.place),
            )
            for tried in evidence.tried
        ],
        **position(rule.place if rule else evidence.steering.place),
    )


def _route_data(state: State, evidence: RouteEvidence, hop: Hop) -> RouteEvidenceData:
    route, next_hop = evidence.route, evidence.next_hop
    return RouteEvidenceData(
        destination=str(evidence.destination),
        table=evidence.table or hop.vrf,
        route=route_data(state, route) if route else None,
        protocol_text=protocol_words(route) if route else None,
        next_hop=next_hop_data(state, hop.device, next_hop) if next_hop else None,
        resolved=[
            ResolvedData(
                address=str(one.address),
                route=titled_route_data(state, one.route) if one.route else None,
            )
            for one in resolution(state, hop, evidence)
        ],
        behind=[route_data(state, other) for other in evidence.shorter],
        **position(_route_place(state, hop, route, next_hop)),
    )


def _route_place(
    state: State, hop: Hop, route: Route | None, next_hop: NextHop | None
) -> Place | None:
    """The line of a route; of none, the file that has none, unless steering led the way."""
    if route is not None:
        return route.place
    return None if next_hop is not None else state.topology.devices[hop.device].place


def ends_data(header: Header) -> EndsData:
    """A header's addresses and ports."""
    return EndsData(
        source=str(header.source),
        source_port=header.source_port,
        destination=str(header.destination),
        destination_port=header.destination_port,
    )
