"""Names what stopped a packet, from the evidence of the stage that did."""

from __future__ import annotations

from routrel.forwarding.hops import (
    AnswerEvidence,
    Cause,
    Direction,
    FilterEvidence,
    LoopEvidence,
    MtuEvidence,
    NeighbourEvidence,
    PiecesEvidence,
    ReceiveEvidence,
    ReversePathEvidence,
    RouteEvidence,
    Stage,
    SteeringEvidence,
    TtlEvidence,
    ZoneEvidence,
)
from routrel.model.filters import SessionState
from routrel.model.network import Device
from routrel.model.place import Place
from routrel.rib.table import Route

__all__ = ["cause_of"]


def cause_of(
    device: Device, vrf: str, interface_in: str | None, stages: tuple[Stage, ...]
) -> Cause:
    """The cause that the last of a hop's stages gives."""
    name = device.name
    match stages[-1].evidence:
        case FilterEvidence() as evidence:
            return _filter_cause(name, evidence)
        case ZoneEvidence(place=place):
            return Cause(device=name, kind="zone", direction=Direction.THROUGH, place=place)
        case ReversePathEvidence(interface=interface, own=own, place=place):
            kind = "own_source" if own else "reverse_path"
            return Cause(
                device=name, kind=kind, interface=interface, direction=Direction.IN, place=place
            )
        case SteeringEvidence(steering=steering, rule=rule):
            return Cause(
                device=name,
                kind="steering_discard",
                interface=interface_in,
                rule=rule.id if rule else None,
                place=rule.place if rule else steering.place,
            )
        case RouteEvidence(route=None, table=table):
            asked = device.vrf(table or vrf)
            place = asked.place if asked and asked.place.line else device.place
            return Cause(
                device=name, kind="no_route", interface=interface_in, place=place, vrf=table or vrf
            )
        case RouteEvidence(route=Route(pass_on=True) as route, table=table):
            return Cause(
                device=name,
                kind="no_route",
                interface=interface_in,
                place=route.place,
                vrf=table or vrf,
            )
        case RouteEvidence(route=Route() as route):
            return Cause(device=name, kind="discard_route", place=route.place)
        case TtlEvidence():
            return Cause(device=name, kind="ttl_expired", interface=interface_in)
        case MtuEvidence(interface=interface, place=place, arriving=arriving):
            return Cause(
                device=name,
                kind="mtu_mismatch" if arriving else "mtu",
                interface=interface,
                direction=Direction.IN if arriving else Direction.OUT,
                place=place,
            )
        case NeighbourEvidence(interface=interface):
            found = device.interface(interface)
            places = _configured(stages) + ([found.place] if found else [])
            return Cause(
                device=name,
                kind="no_neighbour",
                interface=interface,
                direction=Direction.OUT,
                place=next(iter(places), None),
            )
        case AnswerEvidence(translator=translator, place=place):
            return Cause(device=translator or name, kind="untranslated_answer", place=place)
        case PiecesEvidence(place=place):
            return Cause(device=name, kind="fragments_apart", interface=interface_in, place=place)
        case ReceiveEvidence():
            return Cause(
                device=name, kind="does_not_forward", interface=interface_in, place=device.place
            )
        case LoopEvidence(place=place):
            return Cause(device=name, kind="loop", interface=interface_in, place=place)
        case _:
            raise ValueError(f"the stage {stages[-1].name.value} stops nothing")


def _filter_cause(device: str, evidence: FilterEvidence) -> Cause:
    """What a filter with sessions drops as an answer lacks its session, whatever the rules say."""
    result = evidence.result
    unseen = evidence.answer and result.session not in (None, SessionState.ESTABLISHED)
    unseen = unseen or result.session is SessionState.INVALID
    kind = "filter_rule" if result.rule else "filter_default"
    return Cause(
        device=device,
        kind="no_session" if unseen else kind,
        interface=evidence.interface,
        direction=evidence.direction,
        filter=result.filter.name,
        rule=result.rule.id if result.rule else None,
        place=result.place,
    )


def _configured(stages: tuple[Stage, ...]) -> list[Place]:
    """Where the route or steering that these stages followed was configured."""
    places = []
    for stage in stages:
        if isinstance(stage.evidence, SteeringEvidence) and stage.evidence.rule:
            places.append(stage.evidence.rule.place)
        if isinstance(stage.evidence, RouteEvidence) and stage.evidence.route:
            places.append(stage.evidence.route.place)
    return [place for place in places if place.line]
