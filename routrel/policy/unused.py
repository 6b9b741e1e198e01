"""What is written and has no effect: bound nowhere, used nowhere, or never reached."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from routrel.model.addresses import Prefix, is_within
from routrel.model.filters import Action, Match, PortRange
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device, TrafficRules
from routrel.model.place import Place
from routrel.model.policy import NEXT_HOP_DISCARD
from routrel.model.policy_bindings import policy_bindings
from routrel.model.steering import SteeringRule

__all__ = ["covers", "unused_findings"]


def unused_findings(devices: Iterable[Device]) -> Iterator[Finding]:
    """Policies, filters, steering and sets that nothing uses, and rules that nothing reaches."""
    for device in devices:
        for kind, items, used in (
            ("policy", device.policies, _used_policies(device)),
            ("filter", device.filters, _used_filters(device)),
            ("steering", device.steerings, _used_steerings(device)),
        ):
            for item in items:
                if item.name not in used:
                    yield _without_use(device, f"{kind} {item.name} is bound nowhere", item.place)
        yield from _unused_sets(device)
        yield from _discards_in_vain(device)
        for kind, lists in (("filter", device.filters), ("steering", device.steerings)):
            for item in lists:
                yield from _never_reached(device, f"{kind} {item.name}", item.rules)


def _without_use(device: Device, text: str, place: Place) -> Finding:
    return Finding(
        severity=Severity.NOTE,
        code="without_effect",
        text=f"{device.name}: {text}, so it has no effect",
        suggestion="bind it where it is meant to act, or remove it",
        place=place,
        device=device.name,
    )


def _used_policies(device: Device) -> set[str]:
    """The policies that are bound, and those that they call."""
    return _with_called(
        device, [use.policy for binding in policy_bindings(device) for use in binding.uses]
    )


def _with_called(device: Device, waiting: list[str]) -> set[str]:
    """Policies and those that they call, by name."""
    found: set[str] = set()
    while waiting:
        name = waiting.pop()
        policy = device.policy(name)
        if name in found or policy is None:
            continue
        found.add(name)
        waiting += [s.call for s in policy.statements if s.call is not None]
    return found


def _discards_in_vain(device: Device) -> Iterator[Finding]:
    """Statements that set next hop discard in policies bound where routes do not enter by BGP."""
    told = set()
    for binding in policy_bindings(device):
        if binding.may_discard:
            continue
        for name in sorted(_with_called(device, [use.policy for use in binding.uses])):
            policy = device.policy(name)
            for statement in policy.statements if policy else ():
                if statement.actions.next_hop != NEXT_HOP_DISCARD or statement.place in told:
                    continue
                told.add(statement.place)
                yield Finding(
                    severity=Severity.WARNING,
                    code="without_effect",
                    text=f"{device.name}: statement {statement.name} of policy {name} sets "
                    f"next hop discard, which has no effect at “{binding.words}”",
                    suggestion="bind it at the import from a BGP neighbour",
                    place=statement.place,
                    device=device.name,
                    also=tuple(use.place for use in binding.uses),
                )


def _traffic(device: Device) -> tuple[TrafficRules, ...]:
    return device.local_traffic, device.transit_traffic, device.arriving_traffic


def _used_filters(device: Device) -> set[str]:
    uses = [
        use
        for interface in device.interfaces
        for use in (*interface.filters_in, *interface.filters_out)
    ]
    for rules in _traffic(device):
        uses += [*rules.filters_in, *rules.filters_out, *rules.filters]
    bound = {use.filter for use in uses} | {way.filter for z in device.zones for way in z.exits}
    asked = (rule.asks for f in device.filters if f.name in bound for rule in f.all_rules)
    return bound | {name for name in asked if name is not None}


def _used_steerings(device: Device) -> set[str]:
    uses = [interface.steering for interface in device.interfaces]
    uses += [rules.steering for rules in _traffic(device)]
    return {use.steering for use in uses if use is not None}


def _unused_sets(device: Device) -> Iterator[Finding]:
    asked: dict[str, set[str]] = {}
    for policy in device.policies:
        for statement in policy.statements:
            conditions, changes = statement.conditions, statement.actions.communities
            for kind, names in (
                ("prefix", conditions.prefix_sets),
                ("tag", conditions.tag_sets),
                ("AS path", conditions.as_path_sets),
                ("neighbour", conditions.neighbour_sets),
                ("community", (*conditions.community_sets, *conditions.all_community_sets)),
                ("community", changes.remove_sets if changes else ()),
            ):
                asked.setdefault(kind, set()).update(names)
    for kind, items in (
        ("prefix", device.prefix_sets),
        ("tag", device.tag_sets),
        ("AS path", device.as_path_sets),
        ("neighbour", device.neighbour_sets),
        ("community", device.community_sets),
    ):
        for item in items:
            if item.name not in asked.get(kind, ()):
                text = f"no policy asks for {kind} set {item.name}"
                yield _without_use(device, text, item.place)


def _never_reached(device: Device, where: str, rules: Sequence[Any]) -> Iterator[Finding]:
    for number, rule in enumerate(rules):
        earlier = next(
            (
                other
                for at, other in enumerate(rules[:number])
                if _decides(other, rules[at + 1 : number]) and covers(other.match, rule.match)
            ),
            None,
        )
        # A steering rule whose next hop may be unusable leaves packets to the rules below it.
        if earlier is None:
            continue
        if isinstance(earlier, SteeringRule) and (earlier.table or earlier.fall_back):
            continue  # its next hop or its table may be of no use, and then the next rule is asked
        yield Finding(
            severity=Severity.WARNING,
            code="rule_shadowed",
            text=f"{device.name}: rule {rule.id} of {where} is never reached: rule {earlier.id} "
            "matches all it would match",
            suggestion="put it before the other, or remove it",
            place=rule.place,
            device=device.name,
            also=(earlier.place,),
        )


def _decides(rule: Any, between: Sequence[Any]) -> bool:
    """Whether all that a rule matches comes no further, whatever the rules behind it mark."""
    if isinstance(rule, SteeringRule):
        return not rule.invert
    if rule.action is Action.RETURN:
        return False  # what a filter leaves open is not in vain
    return rule.action is not None and not (rule.match.marks and any(r.mark for r in between))


def covers(wide: Match, narrow: Match) -> bool:
    """Whether a match holds for every packet for which another one holds."""
    if wide.protocol is not None and wide.protocol != narrow.protocol:
        return False
    if wide.fragments is not None and wide.fragments is not narrow.fragments:
        return False
    if not _within(narrow.sources, wide.sources, _inside):
        return False
    if not _within(narrow.destinations, wide.destinations, _inside):
        return False
    for name in ("source_ports", "destination_ports"):
        if not _within(getattr(narrow, name), getattr(wide, name), _between):
            return False
    plain = (
        "icmp_types",
        "icmp_codes",
        "dscps",
        "connection_states",
        "in_interfaces",
        "out_interfaces",
        "marks",
    )
    if not all(_within(getattr(narrow, n), getattr(wide, n), _equal) for n in plain):
        return False
    # Every flag that is asked for has to be asked for by the narrow one too.
    flags = ("flags_set", "flags_clear")
    return all(set(getattr(wide, n)) <= set(getattr(narrow, n)) for n in flags)


def _within(narrow: Sequence[Any], wide: Sequence[Any], holds: Any) -> bool:
    """Whether each narrow value is held by a wide one; no value means any."""
    if not wide:
        return True
    return bool(narrow) and all(any(holds(w, n) for w in wide) for n in narrow)


def _inside(wide: Prefix, narrow: Prefix) -> bool:
    return is_within(narrow, wide)


def _between(wide: PortRange, narrow: PortRange) -> bool:
    return wide.first <= narrow.first and narrow.last <= wide.last


def _equal(wide: object, narrow: object) -> bool:
    return wide == narrow
