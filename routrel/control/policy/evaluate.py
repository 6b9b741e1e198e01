"""One route through a policy, statement by statement."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from routrel.model.addresses import Address, Prefix
from routrel.model.network import Device
from routrel.model.place import Place
from routrel.model.policy import (
    Actions,
    Conditions,
    Policy,
    PolicyResult,
    PolicyUse,
    RouteType,
)

__all__ = ["PolicyRoute", "Step", "Trial", "evaluate", "policy_function", "through_both_ends"]


@dataclass(frozen=True, slots=True, kw_only=True)
class PolicyRoute:
    """What a policy sees of a route, and what it may change."""

    prefix: Prefix
    protocol: str  #: identifier of the protocol it comes from
    route_types: frozenset[RouteType] = frozenset()
    metric: int = 0
    metric_set: bool = False  #: whether a policy set the metric
    metric_type: int | None = None
    tag: int = 0
    next_hops: tuple[Address, ...] = ()
    neighbour: Address | None = None  #: who advertised it


@dataclass(frozen=True, slots=True)
class Step:
    """What one statement made of a route."""

    statement: str
    matched: bool
    result: PolicyResult | None  #: None: went on to the next statement
    place: Place


@dataclass(frozen=True, slots=True)
class Trial:
    """The result of a policy with the statements tried on the way to it."""

    route: PolicyRoute | None  #: None: rejected
    steps: tuple[Step, ...]
    place: Place  #: the statement or the default that decided


def evaluate(device: Device, policy: Policy, route: PolicyRoute) -> Trial:
    """Try the statements from the top (RFC 9067 4.3).

    The first that matches and says accept or reject decides. A statement without a result changes
    the route and passes it on. What no statement decides meets the policy's default.
    """
    steps = []
    for statement in policy.statements:
        matched = _matches(device, statement.conditions, route)
        steps.append(
            Step(statement.name, matched, statement.then if matched else None, statement.place)
        )
        if not matched:
            continue
        if statement.then is PolicyResult.REJECT:
            return Trial(None, tuple(steps), statement.place)
        route = _changed(statement.actions, route)
        if statement.then is PolicyResult.ACCEPT:
            return Trial(route, tuple(steps), statement.place)
    accepted = policy.default is PolicyResult.ACCEPT
    return Trial(route if accepted else None, tuple(steps), policy.default_place)


def policy_function(
    device: Device, use: PolicyUse | None
) -> Callable[[PolicyRoute], PolicyRoute | None]:
    """A bound policy as a function; without a policy routes pass unchanged."""
    policy = device.policy(use.policy) if use else None
    if policy is None:
        return lambda route: route
    return lambda route: evaluate(device, policy, route).route


def through_both_ends(
    route: PolicyRoute, ends: Sequence[tuple[Device, PolicyUse | None]]
) -> tuple[PolicyRoute | None, PolicyUse | None]:
    """What the policies of a link's ends leave of a route, and the one that rejected it."""
    for device, use in ends:
        result = policy_function(device, use)(route)
        if result is None:
            return None, use
        route = result
    return route, None


def _matches(device: Device, conditions: Conditions, route: PolicyRoute) -> bool:
    sets = {item.name: item for item in device.prefix_sets}
    tags = {item.name: item for item in device.tag_sets}
    checks: tuple[tuple[object, Callable[[], bool]], ...] = (
        (
            conditions.prefix_sets,
            lambda: any(
                held.holds(route.prefix) for n in conditions.prefix_sets for held in sets[n].ranges
            ),
        ),
        (
            conditions.tag_sets,
            lambda: any(route.tag in tags[name].tags for name in conditions.tag_sets),
        ),
        (conditions.protocols, lambda: route.protocol in conditions.protocols),
        (
            conditions.route_types,
            lambda: bool(route.route_types & set(conditions.route_types)),
        ),
        (conditions.metrics, lambda: route.metric in conditions.metrics),
        (
            conditions.next_hops,
            lambda: any(
                hop in prefix for hop in route.next_hops for prefix in conditions.next_hops
            ),
        ),
        (conditions.neighbours, lambda: route.neighbour in conditions.neighbours),
    )
    return all(holds() for given, holds in checks if given)


def _changed(actions: Actions, route: PolicyRoute) -> PolicyRoute:
    if actions.metric is not None:
        route = replace(route, metric=actions.metric, metric_set=True)
    if actions.metric_add is not None:
        route = replace(route, metric=route.metric + actions.metric_add, metric_set=True)
    if actions.metric_type is not None:
        route = replace(route, metric_type=actions.metric_type)
    if actions.tag is not None:
        route = replace(route, tag=actions.tag)
    return route
