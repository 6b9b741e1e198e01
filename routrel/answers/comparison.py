"""Two lenses side by side, as an answer."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from routrel.answers.base import Answer, Placed, position
from routrel.answers.findings import FindingData, findings_data
from routrel.answers.routes import RouteData, route_data
from routrel.answers.warnings import Evidence, Warned, warnings_of
from routrel.convergence.converge import State
from routrel.forwarding.evidence import Verdict
from routrel.model.changes import Change
from routrel.model.findings import Finding
from routrel.model.place import NOWHERE
from routrel.protocols.bgp.sessions import Session
from routrel.questions.comparison.compare import Comparison, compare
from routrel.questions.comparison.entries import Entry, EntryChange
from routrel.questions.comparison.flows import FlowChange, Shift
from routrel.questions.comparison.meetings import Met, UpSession
from routrel.questions.comparison.routes import RouteChange
from routrel.questions.moves import KeptFlows
from routrel.wording.comparison import (
    asked_traffic,
    entry_reason,
    entry_words,
    flow_words,
    group_words,
    reason_words,
    role_words,
    summary_words,
)

__all__ = ["ComparedFlowData", "ComparisonData", "comparison_data", "flow_lines"]

#: Prefixes that a group of routes names.
_NAMED = 5


class ChangedRouteData(Answer):
    """A route that is another in the second lens, and what tells the two apart."""

    before: RouteData
    after: RouteData
    reason: str


class RouteGroupData(Answer):
    """Routes of one table that moved alike and for one reason, in a line."""

    device: str
    vrf: str
    text: str
    reason: str
    count: int
    prefixes: list[str]  #: the first of them


class ComparedRoutesData(Answer):
    """All routes that are not the same."""

    added: list[RouteData]
    gone: list[RouteData]
    changed: list[ChangedRouteData]
    groups: list[RouteGroupData]


class ComparedFlowData(Answer):
    """A flow that is not treated alike; the verdicts are those of the forward direction.

    `from_asked` and `to_asked` ask the same again. `name` is that of a kept flow, else empty.
    `from_alike` and `to_alike` are further ends that are treated as the two that are named.
    """

    source: str = msgspec.field(name="from")
    destination: str = msgspec.field(name="to")
    traffic: str = msgspec.field(name="as")
    source_port: int | None  #: of the traffic; null: the one that questions have anyway
    from_asked: str
    to_asked: str
    name: str
    shift: Shift
    before: Verdict
    after: Verdict
    before_return: Verdict | None
    after_return: Verdict | None
    asymmetric: bool  #: both ways were over the same devices before, and are not now
    text: str
    from_alike: list[str]
    to_alike: list[str]


class EntryData(Answer):
    """Where an outside network sends packets in: a device of ours, and its address on the line."""

    device: str
    neighbour: str


class ComparedEntryData(Answer):
    """A prefix of ours that an outside network sends in elsewhere; null: not at all."""

    outside: str
    prefix: str
    before: EntryData | None
    after: EntryData | None
    text: str
    reason: str


class ComparedSessionData(Answer):
    """A BGP session that only one of two lenses has up."""

    device: str
    vrf: str
    neighbour: str
    reason: str | None


class ComparedSessionsData(Answer):
    up: list[ComparedSessionData]
    down: list[ComparedSessionData]


class ComparedAdjacencyData(Answer):
    """An adjacency that only one of two lenses has."""

    protocol: str
    device: str
    interface: str
    neighbour: str
    neighbour_interface: str
    where: str


class ComparedAdjacenciesData(Answer):
    up: list[ComparedAdjacencyData]
    down: list[ComparedAdjacencyData]


class ComparedRoleData(Answer):
    """A role that others were elected for: a designated router, a translator of an NSSA."""

    protocol: str
    role: str
    where: str
    before: list[str]
    after: list[str]
    text: str


class ComparedFindingsData(Answer):
    new: list[FindingData]
    gone: list[FindingData]


class EvidenceData(Placed):
    """What a warning rests on."""

    text: str


class WarningData(Answer):
    """What looks like a mistake, by a stable code."""

    code: str
    text: str
    evidence: list[EvidenceData]


class ComparisonData(Answer):
    """All that is not the same in two lenses.

    `flows_asked` counts the pairs of ends that may be treated otherwise and were asked in both;
    `flows_left` those that were not, since there were too many.
    """

    summary: str
    routes: ComparedRoutesData
    flows: list[ComparedFlowData]
    flows_asked: int
    flows_left: int
    entries: list[ComparedEntryData]
    sessions: ComparedSessionsData
    adjacencies: ComparedAdjacenciesData
    roles: list[ComparedRoleData]
    findings: ComparedFindingsData
    warnings: list[WarningData]


def comparison_data(
    before: tuple[State, Sequence[Finding]],
    after: tuple[State, Sequence[Finding]],
    kept: KeptFlows,
    changes: tuple[Change, ...] = (),
) -> ComparisonData:
    """Compare two states, each given with all its findings.

    Args:
        kept: Flows that are told by name where they changed.
        changes: Those that lead from the one to the other, where it is known.
    """
    (then, then_findings), (now, now_findings) = before, after
    found = compare(then, now, kept, (then_findings, now_findings))
    routes = found.routes
    return ComparisonData(
        summary=summary_words(found),
        routes=ComparedRoutesData(
            added=[route_data(now, r.after) for r in routes if not r.before and r.after],
            gone=[route_data(then, r.before) for r in routes if not r.after and r.before],
            changed=[
                ChangedRouteData(
                    before=route_data(then, change.before),
                    after=route_data(now, change.after),
                    reason=reason_words(then, now, reason),
                )
                for change, reason in zip(routes, found.reasons, strict=True)
                if change.before and change.after
            ],
            groups=_groups(found),
        ),
        flows=[_flow_data(flow) for flow in found.flows.changes],
        flows_asked=found.flows.asked,
        flows_left=found.flows.left,
        entries=[_compared_entry(change) for change in found.entries],
        sessions=ComparedSessionsData(
            up=[_session_data(*each) for each in found.sessions_up],
            down=[_session_data(*each) for each in found.sessions_down],
        ),
        adjacencies=ComparedAdjacenciesData(
            up=[_adjacency_data(met) for met in found.adjacencies_up],
            down=[_adjacency_data(met) for met in found.adjacencies_down],
        ),
        roles=[
            ComparedRoleData(
                protocol=change.protocol.id,
                role=change.role,
                where=change.where,
                before=list(change.before),
                after=list(change.after),
                text=role_words(change),
            )
            for change in found.roles
        ],
        findings=ComparedFindingsData(
            new=findings_data(found.findings_new, now.network),
            gone=findings_data(found.findings_gone, then.network),
        ),
        warnings=[_warning_data(one) for one in warnings_of(found, changes)],
    )


def flow_lines(flows: Sequence[ComparedFlowData]) -> list[str]:
    """In words: a line for the flows of one source that are treated alike."""
    ends: dict[tuple[str, ...], list[str]] = {}
    for flow in flows:
        key = (flow.source, asked_traffic(flow.traffic, flow.source_port), flow.name, flow.text)
        ends.setdefault(key, []).append(flow.destination)
    return [
        f"{source} → {', '.join(found)}{f' {traffic}' if traffic else ''}"
        f"{f' ({name})' if name else ''}: {text}"
        for (source, traffic, name, text), found in ends.items()
    ]


def _groups(found: Comparison) -> list[RouteGroupData]:
    """The routes by table and by what they look like before and after, the largest group first.

    Those of devices that have failed come last.
    """
    groups: dict[tuple[str, str], list[RouteChange]] = {}
    states = (found.before, found.after)
    failed = {name for state in states for name in state.topology.failed.devices}
    for change, reason in zip(found.routes, found.reasons, strict=True):
        alike = group_words(found.before, found.after, change, 2)
        why = reason_words(found.before, found.after, reason)
        if reason.absent is not None:
            why = why.replace(str(change.prefix), "it")
        groups.setdefault((alike, why), []).append(change)
    return [
        RouteGroupData(
            device=members[0].table[0],
            vrf=members[0].table[1],
            text=group_words(found.before, found.after, members[0], len(members)),
            reason=why,
            count=len(members),
            prefixes=[str(member.prefix) for member in members[:_NAMED]],
        )
        for (_, why), members in sorted(
            groups.items(),
            key=lambda each: (each[1][0].table[0] in failed, -len(each[1])),
        )
    ]


def _flow_data(flow: FlowChange) -> ComparedFlowData:
    source, destination = flow.source, flow.destination
    then, now = flow.before, flow.after
    return ComparedFlowData(
        source=source.text if source else flow.question.source,
        destination=destination.text if destination else flow.question.destination,
        traffic=flow.question.traffic,
        source_port=flow.question.source_port,
        from_asked=flow.question.source,
        to_asked=flow.question.destination,
        name=flow.name,
        shift=flow.shift,
        before=then.forward.verdict,
        after=now.forward.verdict,
        before_return=then.back.verdict if then.back else None,
        after_return=now.back.verdict if now.back else None,
        asymmetric=flow.is_asymmetric_now,
        text=flow_words(flow),
        from_alike=list(source.alike) if source else [],
        to_alike=list(destination.alike) if destination else [],
    )


def _compared_entry(change: EntryChange) -> ComparedEntryData:
    return ComparedEntryData(
        outside=change.outside,
        prefix=str(change.prefix),
        before=_entry_data(change.before),
        after=_entry_data(change.after),
        text=entry_words(change),
        reason=entry_reason(change),
    )


def _entry_data(entry: Entry | None) -> EntryData | None:
    return EntryData(device=entry.device, neighbour=entry.neighbour) if entry else None


def _session_data(known: UpSession, session: Session | None) -> ComparedSessionData:
    reason = session.reason or None if session else "it is not configured any more"
    return ComparedSessionData(
        device=known.device, vrf=known.vrf, neighbour=str(known.neighbour), reason=reason
    )


def _adjacency_data(met: Met) -> ComparedAdjacencyData:
    (device, interface), (neighbour, other) = met.adjacency.ends
    return ComparedAdjacencyData(
        protocol=met.protocol.id,
        device=device,
        interface=interface,
        neighbour=neighbour,
        neighbour_interface=other,
        where=met.adjacency.where,
    )


def _warning_data(warned: Warned) -> WarningData:
    return WarningData(
        code=warned.code, text=warned.text, evidence=[_evidence_data(e) for e in warned.evidence]
    )


def _evidence_data(evidence: Evidence) -> EvidenceData:
    return EvidenceData(text=evidence.text, **position(evidence.place or NOWHERE))
