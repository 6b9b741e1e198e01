"""What is suspicious about policies themselves: shadowed statements, sets that nothing matches."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import fields

from routrel.model.addresses import Prefix, is_within
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device
from routrel.model.policy import Conditions, PrefixRange, Statement

__all__ = ["policy_findings", "shadowing"]


def policy_findings(devices: Iterable[Device], prefixes: Sequence[Prefix]) -> Iterator[Finding]:
    """Statements that are never reached, and prefix sets that hold nothing there is.

    Args:
        prefixes: All prefixes that any table or announcement knows.
    """
    known: dict[PrefixRange, bool] = {}
    for device in devices:
        yield from _shadowed(device)
        used = {
            name
            for policy in device.policies
            for statement in policy.statements
            for name in statement.conditions.prefix_sets
        }
        for item in device.prefix_sets:
            for held in item.ranges:
                if held not in known:
                    known[held] = any(held.holds(prefix) for prefix in prefixes)
            if item.name in used and not any(known[held] for held in item.ranges):
                yield Finding(
                    severity=Severity.WARNING,
                    code="set_never_matched",
                    text=f"{device.name}: no route of the network is in prefix set {item.name}",
                    suggestion="compare its prefixes and their lengths with what is announced",
                    place=item.place,
                    device=device.name,
                )


def _shadowed(device: Device) -> Iterator[Finding]:
    for policy in device.policies:
        for number, statement in enumerate(policy.statements):
            earlier = next(
                (e for e in policy.statements[:number] if shadowing(device, e, statement)), None
            )
            if earlier is not None:
                yield Finding(
                    severity=Severity.WARNING,
                    code="statement_shadowed",
                    text=f"{device.name}: statement {statement.name} of policy {policy.name} is "
                    f"never reached: {earlier.name} decides all it would match",
                    suggestion="put it before the other, or remove it",
                    place=statement.place,
                    device=device.name,
                    also=(earlier.place,),
                )


def shadowing(device: Device, earlier: Statement, later: Statement) -> bool:
    """Whether an earlier statement decides every route that a later one could match."""
    decides = earlier.then is not None and earlier.call is None
    return decides and _covers(device, earlier.conditions, later.conditions)


def _covers(device: Device, wide: Conditions, narrow: Conditions) -> bool:
    for field in fields(Conditions):
        if field.name == "place":
            continue
        mine, theirs = getattr(wide, field.name), getattr(narrow, field.name)
        if not mine:
            continue
        if not theirs:
            return False
        if field.name == "prefix_sets":
            if not _holds_all(_ranges(device, mine), _ranges(device, theirs)):
                return False
        elif field.name == "all_community_sets":
            if not set(mine) <= set(theirs):
                return False
        elif not set(theirs) <= set(mine):
            return False
    return True


def _ranges(device: Device, names: Sequence[str]) -> list[PrefixRange]:
    return [held for item in device.prefix_sets if item.name in names for held in item.ranges]


def _holds_all(wide: list[PrefixRange], narrow: list[PrefixRange]) -> bool:
    return all(
        any(
            is_within(inner.prefix, outer.prefix)
            and outer.shortest <= inner.shortest
            and inner.longest <= outer.longest
            for outer in wide
        )
        for inner in narrow
    )
