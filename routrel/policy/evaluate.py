"""One route through policies, statement by statement."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from routrel.model.addresses import Address, Prefix
from routrel.model.communities import community_matches
from routrel.model.network import Device
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import (
    Actions,
    CommunityActions,
    Conditions,
    Origin,
    Policy,
    PolicyResult,
    PolicyUse,
    RouteType,
    Statement,
)
from routrel.policy.as_paths import AsPath, as_path_text, fits, prepended

__all__ = [
    "PolicyRoute",
    "Rejecting",
    "Step",
    "Trial",
    "attribute_text",
    "evaluate",
    "evaluate_chain",
    "failed_conditions",
    "policy_function",
    "sets_metric",
    "through_both_ends",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class PolicyRoute:
    """What a policy sees of a route, and what it may change.

    The attributes of BGP are None, or empty, where a route of another protocol has none; what a
    policy sets of them stays for BGP to take along.
    """

    prefix: Prefix
    protocol: str  #: identifier of the protocol it comes from
    route_types: frozenset[RouteType] = frozenset()
    metric: int = 0
    metric_set: bool = False  #: whether a policy set the metric
    metric_type: int | None = None
    tag: int = 0
    next_hops: tuple[Address, ...] = ()
    neighbour: Address | None = None  #: who advertised it or, on export, will hear it
    as_path: AsPath = ()
    origin: Origin | None = None
    med: int | None = None
    local_preference: int | None = None
    weight: int | None = None
    communities: frozenset[str] = frozenset()
    next_hop: Address | str | None = None  #: what a policy set; None: as it was


@dataclass(frozen=True, slots=True)
class Rejecting:
    """The policy that rejected a route, and the device that binds it."""

    device: Device
    use: PolicyUse


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """What one statement made of a route."""

    policy: str
    statement: str
    matched: bool
    failed: str = ""  #: the first condition that does not hold
    result: PolicyResult | None = None  #: None: went on to the next statement
    changes: tuple[tuple[str, str, str], ...] = ()  #: attribute, before, after
    called: tuple[Step, ...] = ()  #: the steps of the policy it called
    place: Place = NOWHERE


@dataclass(frozen=True, slots=True)
class Trial:
    """The result of policies with the statements tried on the way to it."""

    route: PolicyRoute | None  #: None: rejected
    steps: tuple[Step, ...]
    place: Place  #: the statement or the default that decided
    policy: str = ""  #: the one that decided
    by_default: bool = False


def evaluate(device: Device, policy: Policy, route: PolicyRoute) -> Trial:
    """Try the statements of one policy from the top (RFC 9067 4.3).

    The first that matches and says accept or reject decides. A statement without a result changes
    the route and passes it on. What no statement decides meets the policy's default. What is left
    to a next policy, where there is none, is rejected.
    """
    steps: list[Step] = []
    result, route, place, by_default = _through(device, policy, route, steps)
    kept = route if result is PolicyResult.ACCEPT else None
    return Trial(kept, tuple(steps), place, policy.name, by_default)


def evaluate_chain(device: Device, uses: Sequence[PolicyUse], route: PolicyRoute) -> Trial:
    """Policies bound in one place, one behind another; without any the route passes unchanged."""
    steps: list[Step] = []
    place, name, by_default = NOWHERE, "", False
    for use in uses:
        policy = device.policy(use.policy)
        if policy is None:
            raise ValueError(f"{device.name} has no policy {use.policy}")
        name = policy.name
        result, route, place, by_default = _through(device, policy, route, steps)
        if result is not PolicyResult.NEXT_POLICY:
            kept = route if result is PolicyResult.ACCEPT else None
            return Trial(kept, tuple(steps), place, name, by_default)
    return Trial(None if uses else route, tuple(steps), place, name, by_default)


def policy_function(
    device: Device, use: PolicyUse | None
) -> Callable[[PolicyRoute], PolicyRoute | None]:
    """A bound policy as a function; without a policy routes pass unchanged."""
    policy = device.policy(use.policy) if use else None
    if policy is None:
        return lambda route: route
    return lambda route: evaluate(device, policy, route).route


def sets_metric(device: Device, use: PolicyUse) -> bool:
    """Whether a bound policy, or one it calls, may change the metric."""
    waiting, seen = [use.policy], set[str]()
    while waiting:
        name = waiting.pop()
        policy = device.policy(name)
        if policy is None or name in seen:
            continue
        seen.add(name)
        for statement in policy.statements:
            actions = statement.actions
            if actions.metric is not None or actions.metric_add is not None:
                return True
            waiting += [statement.call] if statement.call else []
    return False


def through_both_ends(
    route: PolicyRoute,
    exporting: tuple[Device, PolicyUse | None],
    arrived: Callable[[PolicyRoute], PolicyRoute | None],
    importing: tuple[Device, PolicyUse | None],
) -> tuple[PolicyRoute | None, Rejecting | None]:
    """What a link leaves of a route, and the policy of one of its ends that rejected it.

    Args:
        route: As its sender has it.
        arrived: From the route as it is sent to what its receiver makes of it before its policy;
            None where it is out of reach there, which no policy changes.
    """
    sent = policy_function(*exporting)(route)
    if sent is None:
        return None, _rejecting(*exporting)
    came = arrived(sent)
    if came is None:
        return None, None
    taken = policy_function(*importing)(came)
    return taken, _rejecting(*importing) if taken is None else None


def _rejecting(device: Device, use: PolicyUse | None) -> Rejecting | None:
    return None if use is None else Rejecting(device, use)


def _through(
    device: Device, policy: Policy, route: PolicyRoute, steps: list[Step]
) -> tuple[PolicyResult, PolicyRoute, Place, bool]:
    """The result of a policy, the route as it leaves it, where that stands, and if by default."""
    for statement in policy.statements:
        failed, changed, called = _tried(device, statement, route)
        step = Step(
            policy=policy.name,
            statement=statement.name,
            matched=not failed,
            failed=failed,
            called=called,
            place=statement.place,
        )
        if failed:
            steps.append(step)
            continue
        if statement.then is not PolicyResult.REJECT:
            changed = _changed(device, statement.actions, changed)
        steps.append(replace(step, result=statement.then, changes=tuple(_changes(route, changed))))
        route = changed
        if statement.then is not None:
            return statement.then, route, statement.place, False
    return policy.default, route, policy.default_place, True


def _tried(
    device: Device, statement: Statement, route: PolicyRoute
) -> tuple[str, PolicyRoute, tuple[Step, ...]]:
    """The condition that fails, the route as a called policy left it, and that policy's steps."""
    failed = _failed(device, statement.conditions, route)
    if failed or statement.call is None:
        return failed, route, ()
    policy = device.policy(statement.call)
    if policy is None:
        raise ValueError(f"{device.name} has no policy {statement.call}")
    trial = evaluate(device, policy, route)
    if trial.route is None:
        return f"call: {statement.call} rejects it", route, trial.steps
    return "", trial.route, trial.steps


def _failed(device: Device, conditions: Conditions, route: PolicyRoute) -> str:
    """The key of the first condition that does not hold; empty where all do."""
    for key, holds in _checks(device, conditions, route):
        if not holds():
            return key
    return ""


def failed_conditions(device: Device, conditions: Conditions, route: PolicyRoute) -> list[str]:
    """The keys of all conditions that do not hold, in order."""
    return [key for key, holds in _checks(device, conditions, route) if not holds()]


def _checks(
    device: Device, asked: Conditions, route: PolicyRoute
) -> Iterator[tuple[str, Callable[[], bool]]]:
    """The conditions that are given, each with its check."""
    path, communities = route.as_path, route.communities
    if asked.prefix_sets:
        yield (
            "prefixes",
            lambda: any(
                held.holds(route.prefix)
                for item in _named(device.prefix_sets, asked.prefix_sets)
                for held in item.ranges
            ),
        )
    if asked.tag_sets:
        yield (
            "tags",
            lambda: any(route.tag in item.tags for item in _named(device.tag_sets, asked.tag_sets)),
        )
    if asked.protocols:
        yield "protocol", lambda: route.protocol in asked.protocols
    if asked.route_types:
        yield "route-type", lambda: bool(route.route_types & set(asked.route_types))
    if asked.metrics:
        yield "metric", lambda: route.metric in asked.metrics
    if asked.next_hops:
        yield (
            "next-hop",
            lambda: any(hop in prefix for hop in route.next_hops for prefix in asked.next_hops),
        )
    if asked.neighbours:
        yield "neighbour", lambda: route.neighbour in asked.neighbours
    if asked.neighbour_sets:
        yield (
            "neighbours",
            lambda: any(
                route.neighbour is not None and route.neighbour in prefix
                for item in _named(device.neighbour_sets, asked.neighbour_sets)
                for prefix in item.neighbours
            ),
        )
    if asked.as_paths:
        yield "as-path", lambda: any(fits(pattern, path) for pattern in asked.as_paths)
    if asked.as_path_sets:
        yield (
            "as-paths",
            lambda: any(
                fits(pattern, path)
                for item in _named(device.as_path_sets, asked.as_path_sets)
                for pattern in item.patterns
            ),
        )
    if asked.community_sets:
        yield (
            "communities",
            lambda: any(
                community_matches(pattern, community)
                for item in _named(device.community_sets, asked.community_sets)
                for pattern in item.communities
                for community in communities
            ),
        )
    if asked.all_community_sets:
        yield (
            "all-communities",
            lambda: all(
                any(community_matches(pattern, community) for community in communities)
                for item in _named(device.community_sets, asked.all_community_sets)
                for pattern in item.communities
            ),
        )
    if asked.local_preferences:
        yield "local-preference", lambda: route.local_preference in asked.local_preferences
    if asked.meds:
        yield "med", lambda: route.med in asked.meds
    if asked.origins:
        yield "origin", lambda: route.origin in asked.origins


def _named(sets: Sequence[Any], names: Sequence[str]) -> Iterator[Any]:
    return (item for item in sets if item.name in names)


def _changed(device: Device, actions: Actions, route: PolicyRoute) -> PolicyRoute:
    """The route with the actions done."""
    new: dict[str, Any] = {}
    if actions.metric is not None:
        new.update(metric=actions.metric, metric_set=True)
    if actions.metric_add is not None:
        new.update(metric=route.metric + actions.metric_add, metric_set=True)
    if actions.metric_type is not None:
        new["metric_type"] = actions.metric_type
    if actions.tag is not None:
        new["tag"] = actions.tag
    if actions.med is not None:
        new["med"] = actions.med.of(route.med or 0)
    if actions.local_preference is not None:
        new["local_preference"] = actions.local_preference.of(route.local_preference or 0)
    if actions.weight is not None:
        new["weight"] = actions.weight
    if actions.origin is not None:
        new["origin"] = actions.origin
    if actions.next_hop is not None:
        new["next_hop"] = actions.next_hop
    if actions.prepend:
        new["as_path"] = prepended(route.as_path, *actions.prepend)
    if actions.communities is not None:
        new["communities"] = _communities(device, actions.communities, route.communities)
    return replace(route, **new) if new else route


def _communities(device: Device, actions: CommunityActions, held: frozenset[str]) -> frozenset[str]:
    kept = held if actions.replace is None else frozenset(actions.replace)
    gone = [
        *actions.remove,
        *(
            pattern
            for item in _named(device.community_sets, actions.remove_sets)
            for pattern in item.communities
        ),
    ]
    if gone:
        kept = frozenset(c for c in kept if not any(community_matches(p, c) for p in gone))
    return kept | frozenset(actions.add)


#: Attributes a policy may change, with the words of the language for them.
_CHANGEABLE = {
    "metric": "metric", "metric_type": "metric-type", "tag": "tag", "med": "med",
    "local_preference": "local-preference", "weight": "weight", "origin": "origin",
    "next_hop": "next-hop", "as_path": "as-path", "communities": "communities",
}  # fmt: skip


def _changes(before: PolicyRoute, after: PolicyRoute) -> Iterator[tuple[str, str, str]]:
    for name, key in _CHANGEABLE.items():
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            yield key, attribute_text(name, old), attribute_text(name, new)


def attribute_text(name: str, value: Any) -> str:
    """An attribute's value as people write it; empty where there is none."""
    if value is None:
        return ""
    if name == "as_path":
        return as_path_text(value)
    if name == "communities":
        return ", ".join(sorted(value))
    return str(value.value) if isinstance(value, Origin) else str(value)
