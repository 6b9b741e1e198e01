"""What is suspicious about BGP: sessions that are down, policies without effect, disputes."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import Any

from routrel.model.bgp import NeighbourSettings
from routrel.model.communities import community_matches
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device
from routrel.model.place import Place
from routrel.model.policy import Conditions, Policy, PolicyResult, PolicyUse
from routrel.policy.as_paths import fits
from routrel.protocols.bgp.explaining import Dispute, disputes
from routrel.protocols.bgp.paths import Path, PathSource
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.state import BgpState

__all__ = ["bgp_findings", "dispute_text"]

_SEVERITIES = {
    SessionState.SHUT: Severity.NOTE,
    SessionState.UNKNOWN_NEIGHBOUR: Severity.WARNING,
    SessionState.NOT_SPEAKING: Severity.WARNING,
}
_SUGGESTIONS = {
    SessionState.SHUT: "enable it, or remove the neighbour",
    SessionState.UNKNOWN_NEIGHBOUR: "add whoever has the address, as a device or as outside",
    SessionState.NOT_SPEAKING: "give it BGP, or its AS if it is outside",
    SessionState.NOT_CONFIGURED: "add the neighbour on the other side",
    SessionState.WRONG_SOURCE: "set source: so that both sides name the same addresses",
    SessionState.NOT_CONNECTED: "set multihop: on both sides, or use the address of the link",
    SessionState.UNREACHABLE: "let TCP port 179 through both ways",
}
#: Settings that all routers of an AS should share, with the words of the language.
_SHARED = {
    "decision": "decision", "local_preference": "local-preference",
    "require_policies": "require-policies", "next_hop_by_default": "next-hop-by-default",
    "external_distance": "external-distance", "internal_distance": "internal-distance",
}  # fmt: skip


def bgp_findings(state: BgpState) -> Iterator[Finding]:
    """All findings of BGP."""
    said: set[tuple[str, str | None, Place]] = set()
    for session in state.sessions:
        for finding in _session_findings(state, session):
            # A policy that several neighbours share is told of once.
            key = (finding.code, finding.device, finding.place)
            if finding.code != "policy_final_reject" or key not in said:
                said.add(key)
                yield finding
    yield from _without_policies(state)
    yield from _differing_settings(state)
    yield from _sets_never_matched(state)
    for dispute in disputes(state):
        yield _dispute_finding(state, dispute)


def _session_findings(state: BgpState, session: Session) -> Iterator[Finding]:
    speaker = state.speakers[session.local]
    address = session.neighbour.address
    if session.state is not SessionState.UP:
        yield Finding(
            severity=_SEVERITIES.get(session.state, Severity.ERROR),
            code=f"bgp_{session.state.value}",
            text=f"{speaker.name}: the session with {address} is down: {session.reason}",
            suggestion=_SUGGESTIONS.get(session.state, "make both sides agree"),
            place=session.place if session.place.line else session.neighbour.place,
            device=speaker.name,
            also=(session.neighbour.place,),
        )
    settings = session.settings
    if speaker.instance is None or speaker.device is None:
        return
    yield from _policy_findings(speaker.device, session, settings)


def _without_policies(state: BgpState) -> Iterator[Finding]:
    """External neighbours from or to whom everything passes, once for a group of neighbours."""
    found: dict[tuple[int, object, str], list[Session]] = {}
    for session in state.sessions:
        instance, settings = state.speakers[session.local].instance, session.settings
        if instance is None or instance.require_policies or settings.enabled is False:
            continue
        if session.relation is not PathSource.EXTERNAL:
            continue
        both = (("import", settings.import_policies), ("export", settings.export_policies))
        missing = " and no ".join(word for word, uses in both if not uses)
        if missing:
            shared: object = session.neighbour.group or session.neighbour.address
            found.setdefault((session.local, shared, missing), []).append(session)
    for (local, _, missing), sessions in found.items():
        speaker = state.speakers[local]
        named = ", ".join(str(session.neighbour.address) for session in sessions)
        group = sessions[0].neighbour.group
        of_group = f" of group {group}" if group else ""
        many = "s" if len(sessions) > 1 else ""
        place = sessions[0].neighbour.place
        for one in speaker.instance.groups if speaker.instance else ():
            place = one.place if one.name == group else place
        yield Finding(
            severity=Severity.WARNING,
            code="bgp_no_policy",
            text=f"{speaker.name} has no {missing} policy for external neighbour{many}{of_group} "
            f"{named}: everything passes",
            suggestion="bind a policy; require-policies: true refuses without one (RFC 8212)",
            place=place,
            device=speaker.name,
            also=tuple(session.neighbour.place for session in sessions if of_group),
        )


def _policy_findings(
    device: Device, session: Session, settings: NeighbourSettings
) -> Iterator[Finding]:
    for direction, uses in (
        ("import", settings.import_policies or ()),
        ("export", settings.export_policies or ()),
    ):
        for use in uses:
            policy = device.policy(use.policy)
            if policy is None:
                continue
            if policy.default is PolicyResult.REJECT and _reaches_default(policy):
                yield _final_reject(device, session, policy, use, direction)
            yield from _without_effect(device, session, policy, use, direction)


def _reaches_default(policy: Policy) -> bool:
    """Whether any route passes all statements undecided."""
    return not any(
        statement.then is not None
        and statement.call is None
        and statement.conditions == Conditions()
        for statement in policy.statements
    )


def _final_reject(
    device: Device, session: Session, policy: Policy, use: PolicyUse, direction: str
) -> Finding:
    return Finding(
        severity=Severity.NOTE,
        code="policy_final_reject",
        text=f"{device.name}: {direction} policy {policy.name} for {session.neighbour.address} "
        "drops whatever none of its statements accepts",
        suggestion="add a statement for what else should pass",
        place=policy.default_place,
        device=device.name,
        also=(use.place,),
    )


def _without_effect(
    device: Device, session: Session, policy: Policy, use: PolicyUse, direction: str
) -> Iterator[Finding]:
    """Actions that nobody sees in the direction in which the policy is bound."""
    if direction == "import":
        return
    for statement in policy.statements:
        actions = statement.actions
        lost = []
        if actions.weight is not None:
            lost.append(("weight", "weight stays on the device that sets it"))
        if actions.local_preference is not None and session.relation is PathSource.EXTERNAL:
            lost.append(("local-preference", "it does not go to an external neighbour"))
        for word, why in lost:
            yield Finding(
                severity=Severity.WARNING,
                code="action_without_effect",
                text=f"{device.name}: statement {statement.name} of policy {policy.name} sets "
                f"{word} on the way out to {session.neighbour.address}, in vain: {why}",
                suggestion="bind the policy as import, or set something the neighbour hears",
                place=statement.place,
                device=device.name,
                also=(use.place,),
            )


def _sets_never_matched(state: BgpState) -> Iterator[Finding]:
    """Sets of communities and AS paths that a policy asks for and no path fits."""
    told = list(_paths_told(state))
    communities = {c for path in told for c in path.communities}
    as_paths = {path.as_path for path in told}
    for device in dict.fromkeys(speaker.device for speaker in _devices(state)):
        asked = [s.conditions for p in device.policies for s in p.statements] if device else []
        names = {name for each in asked for name in (*each.community_sets, *each.as_path_sets)}
        names |= {name for each in asked for name in each.all_community_sets}
        for item in device.community_sets if device else ():
            if item.name in names and not any(
                community_matches(pattern, held)
                for pattern in item.communities
                for held in communities
            ):
                yield _never_matched(device, item, "community", "carries one of community")
        for paths in device.as_path_sets if device else ():
            if paths.name in names and not any(
                fits(pattern, held) for pattern in paths.patterns for held in as_paths
            ):
                yield _never_matched(device, paths, "AS path", "has an AS path in")


def _devices(state: BgpState) -> list[Speaker]:
    return [speaker for speaker in state.speakers if speaker.instance]


def _paths_told(state: BgpState) -> Iterator[Path]:
    """Every path that somebody has, tells or is told."""
    made = state.round
    numbers: set[int] = set()
    for item, result in state.classes.all:
        numbers.update(number for _, number in item.origins)
        defaults = made.default_senders(item)
        numbers.update(defaults.values())
        offered = made.offering(item, defaults)
        for place, peer in enumerate(made.peers):
            for code in offered(place, result.outcome.chosen[peer.sender]):
                numbers.update(made.carrier.told(item.signature, place, code))
    return (made.paths[number] for number in sorted(numbers) if number >= 0)


def _never_matched(device: Device | None, item: Any, kind: str, words: str) -> Finding:
    name = device.name if device else ""
    return Finding(
        severity=Severity.WARNING,
        code="set_never_matched",
        text=f"{name}: no route of BGP {words} set {item.name}",
        suggestion=f"compare the {kind} set with what the neighbours announce",
        place=item.place,
        device=name,
    )


def _differing_settings(state: BgpState) -> Iterator[Finding]:
    """Settings in which two routers of one AS differ; each pair of values once."""
    by_as: dict[int, list[Speaker]] = {}
    for speaker in _devices(state):
        by_as.setdefault(speaker.autonomous_system, []).append(speaker)
    for number, speakers in by_as.items():
        for name, word in _SHARED.items():
            first_with: dict[object, Speaker] = {}
            for speaker in speakers:
                first_with.setdefault(getattr(speaker.instance, name), speaker)
            for left, right in combinations(first_with.values(), 2):
                yield Finding(
                    severity=Severity.WARNING,
                    code="bgp_settings_differ",
                    text=f"{left.name} and {right.name} of AS {number} differ in {word}, so they "
                    "may choose differently among the same routes",
                    suggestion="set all routers of the AS alike",
                    place=left.place,
                    device=left.name,
                    also=(right.place,),
                )


def _dispute_finding(state: BgpState, dispute: Dispute) -> Finding:
    first = next(s for s in state.speakers if s.name == dispute.speakers[0])
    shown = ", ".join(str(prefix) for prefix in dispute.prefixes[:5])
    if len(dispute.prefixes) > 5:
        shown += f" and {len(dispute.prefixes) - 5} more"
    names = ", ".join(dispute.speakers)
    if dispute.moves:
        return Finding(
            severity=Severity.ERROR,
            code="bgp_dispute",
            text=f"BGP never settles for {shown} at {names}: {dispute_text(dispute)}",
            suggestion="let one of them prefer its direct path",
            place=first.place,
            device=first.name,
        )
    return Finding(
        severity=Severity.WARNING,
        code="bgp_several_outcomes",
        text=f"BGP settles for {shown} in more than one way at {names}: {dispute_text(dispute)}",
        suggestion="let one of them prefer its direct path",
        place=first.place,
        device=first.name,
    )


def dispute_text(dispute: Dispute) -> str:
    """The moves that repeat, or the outcomes, each with who has to be first for it."""
    if dispute.moves:
        moves = "; ".join(
            f"{name} goes from {before} to {after}" for name, before, after in dispute.moves[:8]
        )
        return f"{moves}, and so on"
    parts = []
    for order, chosen in dispute.outcomes[:4]:
        who = f"{order[0]} first" if order else "all at once"
        parts.append(f"{who}: " + ", ".join(f"{name} by {way}" for name, way in chosen))
    return "; ".join(parts)
