"""Checks that policies and sets named anywhere in a device file are defined in it."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.model.network import ROUTING_PROTOCOLS, Device, protocol_title
from routrel.model.policy import Policy, PolicyResult, PolicyUse, Statement
from routrel.model.policy_bindings import policy_bindings
from routrel.model.redistribution import Redistribution, RouteSource

__all__ = ["check_policies"]

#: Sources whose routes are of one family alone.
_ONLY_IPV4 = {RouteSource.RIP, RouteSource.OSPF}
_ONLY_IPV6 = {RouteSource.RIPNG, RouteSource.OSPFV3}


def check_policies(device: Device, report: Report) -> None:
    """Report uses of unknown policies and sets, and redistribution that can never take place."""
    policies = {policy.name for policy in device.policies}
    for use in (use for chain in _chains(device) for use in chain):
        if use.policy not in policies:
            report.error(
                use.place,
                "unknown_policy",
                f"{device.name} has no policy “{use.policy}”",
                closest(use.policy, policies) or "add it under policies:",
            )
    known = {kind: {item.name for item in getattr(device, f"{kind}_sets")} for kind in _SET_WORDS}
    for policy in device.policies:
        for statement in policy.statements:
            for kind, name in _sets_used(statement):
                if name not in known[kind]:
                    report.error(
                        statement.place,
                        "unknown_set",
                        f"{device.name} has no {_SET_WORDS[kind]} set “{name}”",
                        closest(name, known[kind]) or "add it under sets:",
                    )
            if statement.call is not None and statement.call not in policies:
                report.error(
                    statement.place,
                    "unknown_policy",
                    f"{device.name} has no policy “{statement.call}”",
                    closest(statement.call, policies) or "add it under policies:",
                )
        circle = _calls_itself(device, policy)
        if circle:
            report.error(
                policy.place,
                "policy_calls_itself",
                f"policy {policy.name} calls itself: {' calls '.join(circle)}",
                "remove one of the calls",
            )
    for chain in _chains(device):
        last = device.policy(chain[-1].policy)
        if last is not None and last.default is PolicyResult.NEXT_POLICY:
            report.error(
                chain[-1].place,
                "open_policy_chain",
                f"policy {last.name} leaves what it does not decide to a next one, but is the last",
                "name a policy behind it, or give it the default accept or reject",
            )
    for key, item in _redistributions(device):
        problem = _impossible(key, item)
        if problem:
            report.error(item.place, "bad_redistribution", problem, "remove it")


#: The kinds of sets, as people say them.
_SET_WORDS = {
    "prefix": "prefix", "tag": "tag", "as_path": "AS path", "community": "community",
    "neighbour": "neighbour",
}  # fmt: skip


def _sets_used(statement: Statement) -> Iterator[tuple[str, str]]:
    used = statement.conditions
    for kind in _SET_WORDS:
        yield from ((kind, name) for name in getattr(used, f"{kind}_sets"))
    yield from (("community", name) for name in used.all_community_sets)
    if statement.actions.communities:
        yield from (("community", name) for name in statement.actions.communities.remove_sets)


def _calls_itself(device: Device, policy: Policy) -> list[str]:
    """The policies from one back to itself by calls; empty where it does not come back."""
    paths = [[policy.name]]
    seen = set()
    while paths:
        path = paths.pop()
        here = device.policy(path[-1])
        for statement in here.statements if here else ():
            if statement.call == policy.name:
                return [*path, policy.name]
            if statement.call is not None and statement.call not in seen:
                seen.add(statement.call)
                paths.append([*path, statement.call])
    return []


def _redistributions(device: Device) -> Iterator[tuple[str, Redistribution]]:
    for vrf in device.vrfs:
        for key in ROUTING_PROTOCOLS:
            instance = getattr(vrf, key)
            for item in instance.redistribute if instance else ():
                yield key, item


def _impossible(key: str, item: Redistribution) -> str:
    source = item.source.value
    if source == key:
        return f"{protocol_title(key)} cannot take routes from itself"
    four, six = key in ("rip", "ospf"), key in ("ripng", "ospfv3")
    if (four and item.source in _ONLY_IPV6) or (six and item.source in _ONLY_IPV4):
        return (
            f"{protocol_title(key)} and {protocol_title(source)} carry different address families"
        )
    return ""


def _chains(device: Device) -> Iterator[tuple[PolicyUse, ...]]:
    """The policies bound in one place, each written place once."""
    seen = set()
    for binding in policy_bindings(device):
        # What a group binds stands with each of its members too.
        written = tuple(id(use) for use in binding.uses)
        if written not in seen:
            seen.add(written)
            yield binding.uses
