"""What speakers announce of their own: networks, redistributed routes, aggregates, outside news."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from routrel.model.addresses import Prefix
from routrel.model.bgp import Aggregate
from routrel.model.place import Place
from routrel.model.policy import NEXT_HOP_SELF, Origin, PolicyUse
from routrel.policy.as_paths import (
    AsPath,
    SegmentKind,
    prepended,
    sequence,
    without_confederation,
)
from routrel.policy.evaluate import PolicyRoute, evaluate
from routrel.policy.redistribute import Injected, policy_route
from routrel.protocols.bgp.paths import OwnKind, Path, PathSource
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.transfer import bgp_policy_route, with_policy
from routrel.rib.candidates import NEVER, Interning, Protocol
from routrel.rib.table import Rib

__all__ = ["aggregated_path", "default_path", "local_paths", "outside_paths"]


def outside_paths(speaker: Speaker) -> Iterator[tuple[Prefix, Path, Place]]:
    """What an outside network announces, and where; its own AS number is not in front yet."""
    outside = speaker.outside
    for item in outside.announces if outside else ():
        path = Path(
            source=PathSource.OWN,
            as_path=sequence(*item.as_path),
            origin=item.origin.number,
            med=item.med,
            communities=frozenset(item.communities),
            age_s=item.age_s,
            own=OwnKind.OUTSIDE,
            only_from=item.at,
        )
        for prefix in item.prefixes:
            yield prefix, path, item.place


def local_paths(
    interning: Interning, speaker: Speaker, view: Rib, injected: Sequence[Injected]
) -> Iterator[tuple[Prefix, Path, Place]]:
    """What a device announces of its table: networks it names, and redistributed routes.

    A network is announced only while a route of another protocol to exactly it is active.
    """
    instance, device, table = speaker.instance, speaker.device, speaker.table
    if instance is None or device is None or table is None:
        return
    number = interning.table_numbers[table]
    for network in instance.networks:
        prefix = interning.prefixes.number(network.prefix)
        rows = view.candidate_rows(number, prefix) if prefix is not None else None
        if rows is None or not len(rows):
            continue
        row = rows[0]
        kind = interning.kinds.kinds[row["kind"]]
        if kind.protocol is Protocol.BGP or kind.distance >= NEVER:
            continue
        seen = policy_route(interning, network.prefix, kind, row)
        path = Path(
            source=PathSource.OWN,
            med=int(row["metric"]),
            local_preference=instance.local_preference,
            weight=instance.local_weight,
            own=OwnKind.NETWORK,
            gateway=seen.next_hops[0] if seen.next_hops else None,
        )
        kept = _through(speaker, network.policy, seen, path)
        if kept is not None:
            yield network.prefix, kept, network.place
    for item in injected:
        gateways = [hop.address for hop in item.next_hops if hop.address is not None]
        path = Path(
            source=PathSource.OWN,
            origin=Origin.INCOMPLETE.number,
            med=item.metric,
            local_preference=instance.local_preference,
            weight=instance.local_weight,
            own=OwnKind.REDISTRIBUTED,
            gateway=gateways[0] if gateways else None,
        )
        if item.result is not None:
            path = _with_own_policy(path, _with_origin(item.result, Origin.INCOMPLETE))
            path = replace(path, med=item.metric if path.med is None else path.med)
        yield interning.prefixes.prefixes[item.prefix], path, item.place


def default_path(speaker: Speaker, use: PolicyUse | None, prefix: Prefix) -> Path | None:
    """The default route a device announces to one neighbour, whatever its table holds."""
    path = Path(source=PathSource.OWN, own=OwnKind.DEFAULT)
    return _through(speaker, use, bgp_policy_route(path, prefix, PathSource.OWN, None), path)


def aggregated_path(speaker: Speaker, aggregate: Aggregate, parts: Iterable[Path]) -> Path | None:
    """An aggregate while parts of it are held; None without any (RFC 4271 9.2.2.2).

    It takes the worst origin of its parts. With an AS set it keeps their AS numbers and their
    communities; without, ATOMIC_AGGREGATE says that AS numbers were left out.
    """
    held = list(parts)
    instance = speaker.instance
    if not held or instance is None:
        return None
    as_path: AsPath = _merged([path.as_path for path in held]) if aggregate.as_set else ()
    communities: frozenset[str] = frozenset()
    if aggregate.as_set:
        communities = communities.union(*(path.communities for path in held))
    path = Path(
        source=PathSource.OWN,
        as_path=as_path,
        origin=max(part.origin for part in held),
        local_preference=instance.local_preference,
        weight=instance.local_weight,
        communities=communities,
        atomic_aggregate=not aggregate.as_set and any(part.as_path for part in held),
        own=OwnKind.AGGREGATE,
    )
    route = bgp_policy_route(path, aggregate.prefix, PathSource.OWN, None)
    return _through(speaker, aggregate.policy, route, path)


def _merged(paths: Sequence[AsPath]) -> AsPath:
    """The numbers all paths begin with, then a set of all others (RFC 4271 F.6).

    Member AS numbers stay in segments of the confederation, in front (RFC 5065 3).
    """
    outer = [without_confederation(path) for path in paths]
    inner = [tuple(s for s in path if s[0].is_confederation) for path in paths]
    return (
        *_merged_alike(inner, SegmentKind.CONFED_SEQUENCE, SegmentKind.CONFED_SET),
        *_merged_alike(outer, SegmentKind.SEQUENCE, SegmentKind.SET),
    )


def _merged_alike(paths: Sequence[AsPath], in_order: SegmentKind, as_set: SegmentKind) -> AsPath:
    """Paths of two kinds of segments as at most one segment of each."""
    leading = [path[0][1] if path and path[0][0] is in_order else () for path in paths]
    common: list[int] = []
    for place, number in enumerate(leading[0]):
        if not all(numbers[place : place + 1] == (number,) for numbers in leading):
            break
        common.append(number)
    rest = {
        number
        for path in paths
        for number in [n for _, numbers in path for n in numbers][len(common) :]
    }
    tail: AsPath = ((as_set, tuple(sorted(rest))),) if rest else ()
    return prepended(tail, *common, kind=in_order)


def _through(
    speaker: Speaker, use: PolicyUse | None, route: PolicyRoute, path: Path
) -> Path | None:
    """A path after the policy that lets it into BGP."""
    policy = speaker.device.policy(use.policy) if use and speaker.device else None
    if policy is None or speaker.device is None:
        return path
    if path.own is OwnKind.NETWORK:
        route = _with_origin(replace(route, med=path.med), Origin.IGP)
    kept = evaluate(speaker.device, policy, route).route
    return None if kept is None else _with_own_policy(path, kept)


def _with_own_policy(path: Path, route: PolicyRoute) -> Path:
    """A router's own path after a policy: next hop "self" means the router, not its gateway."""
    changed = with_policy(path, route, None)
    return replace(changed, gateway=None) if route.next_hop == NEXT_HOP_SELF else changed


def _with_origin(route: PolicyRoute, origin: Origin) -> PolicyRoute:
    return route if route.origin is not None else replace(route, origin=origin)
