"""How far computed tables agree with those that were read, as answers."""

from __future__ import annotations

from routrel.answers.base import Answer, Placed, PositionData, position
from routrel.answers.routes import RouteData, route_data
from routrel.convergence.converge import State
from routrel.model.observed import ObservedRoute, ObservedTable
from routrel.model.place import Place
from routrel.questions.agreement.compare import DifferenceKind
from routrel.questions.agreement.reasons import Agreement, ReasonKind
from routrel.wording.agreement import agreement_words, reason_words, table_words

__all__ = [
    "AgreementData",
    "EntryDifferenceData",
    "ObservedHopData",
    "ObservedRouteData",
    "ReasonCountData",
    "TableAgreementData",
    "agreement_data",
]


class ObservedHopData(Answer):
    """A next hop that was read; null: not told."""

    address: str | None
    interface: str | None
    weight: int


class ObservedRouteData(Placed):
    """An entry that was read."""

    prefix: str
    protocol: str
    metric: int | None
    distance: int | None
    drops: str | None
    next_hops: list[ObservedHopData]


class EntryDifferenceData(Answer):
    """An entry that is not the same, with the likely reason."""

    prefix: str
    kind: DifferenceKind
    computed: RouteData | None
    observed: ObservedRouteData | None
    reason: str
    reason_kind: ReasonKind
    evidence: PositionData | None


class ReasonCountData(Answer):
    """How many differences of a table have one reason."""

    reason: str
    reason_kind: ReasonKind
    count: int


class TableAgreementData(Answer):
    """One table that was read, held against the computed one."""

    device: str
    vrf: str
    text: str
    time: str | None
    source: str | None
    file: str
    equal: int
    entries: int
    differences: list[EntryDifferenceData]
    reasons: list[ReasonCountData]


class AgreementData(Answer):
    """All tables that were read."""

    sentence: str
    equal: int
    entries: int
    devices: list[TableAgreementData]


def agreement_data(state: State, found: Agreement) -> AgreementData:
    """The agreement as an answer."""
    return AgreementData(
        sentence=agreement_words(found),
        equal=found.equal,
        entries=found.entries,
        devices=[
            TableAgreementData(
                device=one.agreement.table.device,
                vrf=one.agreement.table.vrf,
                text=table_words(one.agreement),
                time=one.agreement.table.time or None,
                source=one.agreement.table.source or None,
                file=one.agreement.table.file,
                equal=one.agreement.equal,
                entries=one.agreement.entries,
                differences=[
                    EntryDifferenceData(
                        prefix=str(difference.prefix),
                        kind=difference.kind,
                        computed=route_data(state, difference.computed)
                        if difference.computed
                        else None,
                        observed=_observed_data(difference.observed, one.agreement.table)
                        if difference.observed
                        else None,
                        reason=reason_words(reason),
                        reason_kind=reason.kind,
                        evidence=PositionData(**position(reason.place))
                        if reason.place.line
                        else None,
                    )
                    for difference, reason in zip(
                        one.agreement.differences, one.reasons, strict=True
                    )
                ],
                reasons=_counted([(reason_words(reason), reason.kind) for reason in one.reasons]),
            )
            for one in found.tables
        ],
    )


def _counted(reasons: list[tuple[str, ReasonKind]]) -> list[ReasonCountData]:
    counts: dict[tuple[str, ReasonKind], int] = {}
    for reason in reasons:
        counts[reason] = counts.get(reason, 0) + 1
    return [
        ReasonCountData(reason=text, reason_kind=kind, count=count)
        for (text, kind), count in sorted(counts.items(), key=lambda pair: -pair[1])
    ]


def _observed_data(route: ObservedRoute, table: ObservedTable) -> ObservedRouteData:
    return ObservedRouteData(
        prefix=str(route.prefix),
        protocol=route.protocol,
        metric=route.metric,
        distance=route.distance,
        drops=route.drops.value if route.drops else None,
        next_hops=[
            ObservedHopData(
                address=str(hop.address) if hop.address else None,
                interface=hop.interface,
                weight=hop.weight,
            )
            for hop in route.hops
        ],
        **position(Place(table.file, route.line, 1) if route.line else None),
    )
