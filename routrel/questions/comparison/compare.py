"""Everything that is not the same in two states of a network."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.findings import Finding
from routrel.protocols.bgp.sessions import Session
from routrel.questions.comparison.entries import Entries, EntryChange, entries_of, entry_changes
from routrel.questions.comparison.flows import FlowChanges, flow_changes
from routrel.questions.comparison.meetings import (
    Met,
    RoleChange,
    UpSession,
    adjacencies_of,
    is_up,
    role_changes,
    sessions_of,
)
from routrel.questions.comparison.reasons import Reason, reason_of
from routrel.questions.comparison.routes import RouteChange, route_changes
from routrel.questions.finding_groups import finding_key
from routrel.questions.moves import KeptFlows
from routrel.rib.table import Route

__all__ = ["Comparison", "compare"]

#: Routes whose reasons are told one by one; of more, those that look alike share one.
_SINGLE_REASONS = 2000


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """Two states side by side."""

    before: State
    after: State
    routes: tuple[RouteChange, ...]
    reasons: tuple[Reason, ...]  #: of each of the routes
    flows: FlowChanges
    sends_in: tuple[Entries, Entries]  #: where outside networks send in, in the one and the other
    entries: tuple[EntryChange, ...]
    sessions_up: tuple[tuple[UpSession, Session], ...]
    #: Those that are no more have none.
    sessions_down: tuple[tuple[UpSession, Session | None], ...]
    adjacencies_up: tuple[Met, ...]
    adjacencies_down: tuple[Met, ...]
    roles: tuple[RoleChange, ...]
    findings_new: tuple[Finding, ...]
    findings_gone: tuple[Finding, ...]


def compare(
    before: State,
    after: State,
    kept: KeptFlows,
    findings: tuple[Sequence[Finding], Sequence[Finding]],
) -> Comparison:
    """Compare two states, which may be of different networks.

    Args:
        kept: Flows that are told by name where they changed.
        findings: All of the one and of the other, those of the files included.
    """
    routes = route_changes(before.rib, after.rib)
    then, now = sessions_of(before), sessions_of(after)
    met, meets = adjacencies_of(before), adjacencies_of(after)
    sends_in = (entries_of(before), entries_of(after))
    keys = [{finding_key(finding) for finding in found} for found in findings]
    return Comparison(
        before=before,
        after=after,
        routes=tuple(routes),
        reasons=tuple(_reasons(before, after, routes)),
        flows=flow_changes(before, after, kept),
        sends_in=sends_in,
        entries=entry_changes(*sends_in),
        sessions_up=tuple(
            (known, session)
            for known, session in now.items()
            if is_up(session) and not is_up(then.get(known))
        ),
        sessions_down=tuple(
            (known, now.get(known))
            for known, session in then.items()
            if is_up(session) and not is_up(now.get(known))
        ),
        adjacencies_up=tuple(sorted(meets - met)),
        adjacencies_down=tuple(sorted(met - meets)),
        roles=role_changes(before, after),
        findings_new=tuple(f for f in findings[1] if finding_key(f) not in keys[0]),
        findings_gone=tuple(f for f in findings[0] if finding_key(f) not in keys[1]),
    )


def _reasons(before: State, after: State, routes: Sequence[RouteChange]) -> list[Reason]:
    if len(routes) <= _SINGLE_REASONS:
        return [reason_of(before, after, change) for change in routes]
    known: dict[object, Reason] = {}
    found = []
    for change in routes:
        alike = (change.table, _look(change.before), _look(change.after))
        if alike not in known:
            known[alike] = reason_of(before, after, change)
        found.append(known[alike])
    return found


def _look(route: Route | None) -> object:
    """What routes have in common that one reason is told for."""
    if route is None:
        return None
    return route.protocol, route.path_type, route.distance, route.discard, route.next_hops
