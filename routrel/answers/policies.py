"""The policy question: one route through one policy, and what each statement made of it."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterator
from typing import Any, Literal

from routrel.answers.base import Answer, Placed, position
from routrel.files.shapes import closest
from routrel.model.communities import canonical_community
from routrel.model.network import Device, Network
from routrel.model.policy import Origin, PolicyResult, RouteType
from routrel.model.policy_bindings import policy_bindings
from routrel.model.redistribution import RouteSource
from routrel.policy.as_paths import AsPath, as_path_text, sequence
from routrel.policy.evaluate import PolicyRoute, Step, evaluate
from routrel.questions.errors import BadRoute, UnknownName

__all__ = [
    "ROUTE_KEYS",
    "PolicyData",
    "PolicyStepData",
    "PolicyTrialData",
    "policies_data",
    "policy_route_data",
    "read_route",
    "try_policy",
]

#: What a route may say, with what stands there; all but the prefix may be left out.
ROUTE_KEYS = {
    "prefix": "198.51.100.0/24",
    "protocol": "bgp",
    "route-type": "external",
    "metric": 20,
    "tag": 0,
    "next-hop": "192.0.2.1",
    "neighbour": "192.0.2.1",
    "as-path": "64496 64499",
    "origin": "igp",
    "med": 10,
    "local-preference": 100,
    "weight": 0,
    "communities": ["64500:100"],
}


def read_route(given: Any) -> PolicyRoute:
    """A route from its JSON, with the words of the device files.

    Raises:
        BadRoute: it is no object, lacks the prefix, or has a key or value that makes no sense.
    """
    if not isinstance(given, dict):
        raise BadRoute("the route must be an object", f"known keys: {', '.join(ROUTE_KEYS)}")
    for key in given:
        if key not in ROUTE_KEYS:
            raise BadRoute(f"a route has no “{key}”", closest(str(key), ROUTE_KEYS))
    if given.get("prefix") is None:
        raise BadRoute("the route needs a prefix", 'add "prefix": "198.51.100.0/24"')
    values: dict[str, Any] = {"protocol": RouteSource.BGP.value}
    for key, value in given.items():
        if value is None:
            continue
        try:
            values.update(_READERS[key](value))
        except (ValueError, TypeError) as error:
            raise BadRoute(
                f"{key}: {value!r} makes no sense: {error}", f"for example {ROUTE_KEYS[key]!r}"
            ) from error
    if values["protocol"] == RouteSource.BGP.value:
        values.setdefault("local_preference", 100)
        values.setdefault("origin", Origin.IGP)
    return PolicyRoute(**values)


def _whole(key: str, name: str) -> Callable[[Any], dict[str, Any]]:
    def read(value: Any) -> dict[str, Any]:
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value < 2**32:
            raise ValueError("a whole number from 0 to 4294967295 is meant")
        return {name: value}

    return read


def _addresses(value: Any) -> tuple[Any, ...]:
    items = value if isinstance(value, list) else [value]
    return tuple(ipaddress.ip_address(item) for item in items)


def _as_path(value: Any) -> AsPath:
    numbers = value if isinstance(value, list) else str(value).split()
    return sequence(*(int(number) for number in numbers))


def _communities(value: Any) -> frozenset[str]:
    found = set()
    for item in value if isinstance(value, list) else [value]:
        community = canonical_community(str(item))
        if community is None:
            raise ValueError(f"{item} is no community")
        found.add(community)
    return frozenset(found)


_READERS: dict[str, Callable[[Any], dict[str, Any]]] = {
    "prefix": lambda value: {"prefix": ipaddress.ip_network(value)},
    "protocol": lambda value: {"protocol": RouteSource(value).value},
    "route-type": lambda value: {
        "route_types": frozenset(
            RouteType(item) for item in (value if isinstance(value, list) else [value])
        )
    },
    "metric": _whole("metric", "metric"),
    "tag": _whole("tag", "tag"),
    "next-hop": lambda value: {"next_hops": _addresses(value)},
    "neighbour": lambda value: {"neighbour": ipaddress.ip_address(value)},
    "as-path": lambda value: {"as_path": _as_path(value)},
    "origin": lambda value: {"origin": Origin(value)},
    "med": _whole("med", "med"),
    "local-preference": _whole("local-preference", "local_preference"),
    "weight": _whole("weight", "weight"),
    "communities": lambda value: {"communities": _communities(value)},
}


class PolicyData(Placed):
    """A policy of a device, and where it is bound."""

    device: str
    policy: str
    description: str
    default: PolicyResult
    statements: int
    bound: list[str]


class PolicyChangeData(Answer):
    """An attribute that a statement changed."""

    attribute: str
    before: str
    after: str


class PolicyStepData(Placed):
    """What one statement made of a route, with the steps of a policy that it called."""

    policy: str
    statement: str
    matched: bool
    failed: str | None
    result: PolicyResult | None
    changes: list[PolicyChangeData]
    called: list[PolicyStepData]


class UnreachedStatementData(Placed):
    """A statement behind the one that decided."""

    statement: str


class PolicyRouteData(Answer, rename="kebab"):
    """A route as policies see it, in the words of the device files."""

    prefix: str
    protocol: str
    route_type: list[str]
    metric: int
    tag: int
    next_hop: list[str]
    neighbour: str | None
    as_path: str
    origin: Origin | None
    med: int | None
    local_preference: int | None
    weight: int | None
    communities: list[str]


class PolicyTrialData(Placed):
    """A route through a policy: what became of it, and by which statements."""

    sentence: str
    device: str
    policy: str
    result: Literal["accept", "reject"]
    by_default: bool
    statement: str | None
    steps: list[PolicyStepData]
    not_reached: list[UnreachedStatementData]
    before: PolicyRouteData
    route: PolicyRouteData | None


def try_policy(
    network: Network, device_name: str, policy_name: str, route: PolicyRoute
) -> PolicyTrialData:
    """What a policy of a device makes of a route, statement by statement.

    Raises:
        UnknownName: there is no such device or policy.
    """
    device = network.device(device_name)
    if device is None:
        names = [d.name for d in network.devices]
        raise UnknownName(f"there is no device “{device_name}”", closest(device_name, names))
    policy = device.policy(policy_name)
    if policy is None:
        known = [p.name for p in device.policies]
        raise UnknownName(
            f"{device_name} has no policy “{policy_name}”",
            closest(policy_name, known) or "it has none",
        )
    trial = evaluate(device, policy, route)
    accepted = trial.route is not None
    by = (
        f"its default, {policy.default.value}"
        if trial.by_default
        else f"statement {trial.steps[-1].statement}"
    )
    verb = "accepts" if accepted else "rejects"
    changes = [change for step in trial.steps for change in step.changes]
    changed = f", with {_changes_text(changes)}" if accepted and changes else ""
    return PolicyTrialData(
        sentence=f"Policy {policy.name} of {device.name} {verb} {route.prefix} by {by}{changed}.",
        device=device.name,
        policy=policy.name,
        result="accept" if accepted else "reject",
        by_default=trial.by_default,
        statement=None if trial.by_default else trial.steps[-1].statement,
        steps=[_step_data(step) for step in trial.steps],
        not_reached=[
            UnreachedStatementData(statement=statement.name, **position(statement.place))
            for statement in policy.statements[len(trial.steps) :]
        ],
        before=policy_route_data(route),
        route=policy_route_data(trial.route) if trial.route is not None else None,
        **position(trial.place),
    )


def _changes_text(changes: list[tuple[str, str, str]]) -> str:
    return ", ".join(f"{key} {after or 'none'}" for key, _, after in changes)


def _step_data(step: Step) -> PolicyStepData:
    """One statement's effect."""
    return PolicyStepData(
        policy=step.policy,
        statement=step.statement,
        matched=step.matched,
        failed=step.failed or None,
        result=step.result,
        changes=[
            PolicyChangeData(attribute=key, before=before, after=after)
            for key, before, after in step.changes
        ],
        called=[_step_data(inner) for inner in step.called],
        **position(step.place),
    )


def policy_route_data(route: PolicyRoute) -> PolicyRouteData:
    """A route in the words that `read_route` takes."""
    next_hops = [str(hop) for hop in route.next_hops]
    if route.next_hop is not None:
        next_hops = [str(route.next_hop)]
    return PolicyRouteData(
        prefix=str(route.prefix),
        protocol=route.protocol,
        route_type=sorted(kind.value for kind in route.route_types),
        metric=route.metric,
        tag=route.tag,
        next_hop=next_hops,
        neighbour=str(route.neighbour) if route.neighbour else None,
        as_path=as_path_text(route.as_path),
        origin=route.origin,
        med=route.med,
        local_preference=route.local_preference,
        weight=route.weight,
        communities=sorted(route.communities),
    )


def policies_data(network: Network) -> list[PolicyData]:
    """Every policy of every device, with where it is bound."""
    return [
        PolicyData(
            device=device.name,
            policy=policy.name,
            description=policy.description,
            default=policy.default,
            statements=len(policy.statements),
            bound=list(dict.fromkeys(_bindings(device, policy.name))),
            **position(policy.place),
        )
        for device in network.devices
        for policy in device.policies
    ]


def _bindings(device: Device, name: str) -> Iterator[str]:
    """Where a policy is bound, or called, in words."""
    for binding in policy_bindings(device):
        if not binding.of_group and any(use.policy == name for use in binding.uses):
            yield binding.words
    for policy in device.policies:
        if any(statement.call == name for statement in policy.statements):
            yield f"called by {policy.name}"
