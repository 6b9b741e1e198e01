"""What a protocol takes from a table: active routes of other protocols, through policies.

Only the route that is active in the table is taken. Of its own accord a source gives neither the
connected networks it runs on nor a default route; both come along only where stated.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix
from routrel.model.network import Device, Vrf
from routrel.model.place import Place
from routrel.model.policy import PolicyUse, RouteType
from routrel.model.redistribution import (
    DefaultRoute,
    EigrpSeed,
    Level,
    Redistribution,
    RouteSource,
)
from routrel.policy.evaluate import PolicyRoute, policy_function
from routrel.rib.candidates import (
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKind,
    Rows,
)

__all__ = [
    "PROTOCOL_OF",
    "Injected",
    "injected_key",
    "injected_routes",
    "let_in",
    "policy_route",
    "route_types",
    "taken_protocols",
]

PROTOCOL_OF = {
    RouteSource.CONNECTED: Protocol.CONNECTED,
    RouteSource.STATIC: Protocol.STATIC,
    RouteSource.RIP: Protocol.RIP,
    RouteSource.RIPNG: Protocol.RIPNG,
    RouteSource.EIGRP: Protocol.EIGRP,
    RouteSource.OSPF: Protocol.OSPF,
    RouteSource.OSPFV3: Protocol.OSPFV3,
    RouteSource.ISIS: Protocol.ISIS,
    RouteSource.BGP: Protocol.BGP,
    RouteSource.LEAKED: Protocol.LEAKED,
}

#: What an originated default route starts with where nothing else is written; else 1.
DEFAULT_ROUTE_METRIC = {Protocol.ISIS: 0}

_ROUTE_TYPES: dict[PathType, frozenset[RouteType]] = {
    PathType.INTRA_AREA: frozenset({RouteType.INTERNAL, RouteType.INTRA_AREA}),
    PathType.INTER_AREA: frozenset({RouteType.INTERNAL, RouteType.INTER_AREA}),
    PathType.EXTERNAL_1: frozenset({RouteType.EXTERNAL, RouteType.EXTERNAL_1}),
    PathType.NSSA_1: frozenset({RouteType.EXTERNAL, RouteType.EXTERNAL_1}),
    PathType.EXTERNAL_2: frozenset({RouteType.EXTERNAL, RouteType.EXTERNAL_2}),
    PathType.NSSA_2: frozenset({RouteType.EXTERNAL, RouteType.EXTERNAL_2}),
    PathType.LEVEL_1: frozenset({RouteType.INTERNAL, RouteType.LEVEL_1}),
    PathType.LEVEL_2: frozenset({RouteType.INTERNAL, RouteType.LEVEL_2}),
    PathType.LEVEL_1_DOWN: frozenset({RouteType.INTERNAL, RouteType.LEVEL_1}),
    PathType.INTERNAL: frozenset({RouteType.INTERNAL}),
    PathType.EXTERNAL: frozenset({RouteType.EXTERNAL}),
    PathType.CONFEDERATION: frozenset({RouteType.INTERNAL}),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Injected:
    """A route from outside a protocol that one router announces into it."""

    table: int
    prefix: int
    source: Protocol
    next_hops: tuple[NextHop, ...]
    metric: int | None  #: None: the protocol's default
    metric_type: int | None
    level: Level | None
    seed: EigrpSeed | None
    tag: int
    place: Place  #: of the redistribution or default route that takes it
    always: bool = False  #: whether it is announced whatever the table holds
    result: PolicyRoute | None = None  #: what a policy left of it, for BGP's attributes


def route_types(path_type: PathType) -> frozenset[RouteType]:
    """The kinds of route, in the words of policies, that a path type is."""
    return _ROUTE_TYPES.get(path_type, frozenset())


def policy_route(interning: Interning, prefix: Prefix, kind: RouteKind, row: Rows) -> PolicyRoute:
    """A row of the table as a policy sees it."""
    hops = interning.next_hops.sets[row["next_hops"]]
    addresses = tuple(hop.address for hop in hops if hop.address is not None)
    return PolicyRoute(
        prefix=prefix,
        protocol=kind.protocol.id,
        route_types=route_types(kind.path_type),
        metric=int(row["metric"]),
        tag=kind.tag,
        next_hops=addresses,
        neighbour=addresses[0] if addresses else None,
    )


def injected_key(injected: Mapping[int, Sequence[Injected]]) -> object:
    """What tells whether routers take in the same as before."""
    return tuple((index, tuple(items)) for index, items in sorted(injected.items()) if items)


def taken_protocols(redistribute: Sequence[Redistribution]) -> set[Protocol]:
    """The protocols whose routes are taken in, by source and by interfaces that run it."""
    found = {PROTOCOL_OF[item.source] for item in redistribute}
    if any(item.with_connected for item in redistribute):
        found.add(Protocol.CONNECTED)
    return found


def injected_routes(
    interning: Interning,
    device: Device,
    vrf: Vrf,
    active: Rows,
    versions: Sequence[int],
    redistribute: Sequence[Redistribution],
    default_route: DefaultRoute | None,
    into: Protocol,
) -> list[Injected]:
    """What a router announces into a protocol, one for a prefix, in order of prefix number.

    Args:
        active: The active rows of its table.
        versions: The IP versions the protocol carries.
    """
    found: dict[int, Injected] = {}
    table = interning.table_numbers[device.name, vrf.name]
    for item in redistribute:
        for injected in _taken(interning, device, vrf, table, active, versions, item, into):
            found.setdefault(injected.prefix, injected)
    if default_route is not None:
        for injected in _originated(interning, table, active, versions, default_route, into):
            found.setdefault(injected.prefix, injected)
    return [found[prefix] for prefix in sorted(found)]


def let_in(interning: Interning, device: Device, use: PolicyUse, rows: Rows) -> NDArray[np.bool_]:
    """For each row of one table whether a policy accepts it."""
    accept = policy_function(device, use)
    kinds, prefixes = interning.kinds.kinds, interning.prefixes.prefixes
    return np.array(
        [
            accept(policy_route(interning, prefixes[row["prefix"]], kinds[row["kind"]], row))
            is not None
            for row in rows
        ],
        dtype=bool,
    )


def _taken(
    interning: Interning,
    device: Device,
    vrf: Vrf,
    table: int,
    active: Rows,
    versions: Sequence[int],
    item: Redistribution,
    into: Protocol,
) -> Iterator[Injected]:
    source = PROTOCOL_OF[item.source]
    accept = policy_function(device, item.policy)
    wanted = interning.kinds.of(source)
    if item.with_connected:
        wanted = wanted | interning.kinds.of(Protocol.CONNECTED)
    own = _own_interfaces(device, vrf, item.source)
    for row in active[wanted[active["kind"]]] if len(active) else active:
        kind = interning.kinds.kinds[row["kind"]]
        prefix = interning.prefixes.prefixes[row["prefix"]]
        hops = interning.next_hops.sets[row["next_hops"]]
        if prefix.version not in versions or (prefix.prefixlen == 0 and not item.with_default):
            continue
        if kind.protocol is not source and not any(hop.interface in own for hop in hops):
            continue
        result = accept(policy_route(interning, prefix, kind, row))
        if result is None:
            continue
        tag = result.tag if item.tag is None or result.tag != kind.tag else item.tag
        yield Injected(
            table=table,
            prefix=int(row["prefix"]),
            source=kind.protocol,
            next_hops=hops,
            metric=_seed_metric(item, result, into, int(row["metric"])),
            metric_type=result.metric_type or item.metric_type,
            level=item.level,
            seed=item.seed,
            tag=tag,
            place=item.place,
            result=result if item.policy is not None else None,
        )


def _seed_metric(item: Redistribution, result: PolicyRoute, into: Protocol, own: int) -> int | None:
    """What a route starts with: what a policy set, what is written; in BGP its own metric."""
    if result.metric_set:
        return result.metric
    return own if item.metric is None and into is Protocol.BGP else item.metric


def _own_interfaces(device: Device, vrf: Vrf, source: RouteSource) -> set[str]:
    """The interfaces of a table that run a protocol."""
    return {
        interface.name
        for interface in device.interfaces
        if interface.vrf == vrf.name and getattr(interface, source.value, None) is not None
    }


def _originated(
    interning: Interning,
    table: int,
    active: Rows,
    versions: Sequence[int],
    settings: DefaultRoute,
    into: Protocol,
) -> Iterator[Injected]:
    """The default routes a router originates: always, or while another protocol's is active."""
    others = ~interning.kinds.of(into)
    for version in versions:
        default = interning.default_prefix(version)
        mine = active[active["prefix"] == default]
        held = [row for row in mine if others[row["kind"]]]
        if held or settings.always:
            hops = interning.next_hops.sets[held[0]["next_hops"]] if held else ()
            yield Injected(
                table=table,
                prefix=default,
                source=Protocol.STATIC
                if not held
                else interning.kinds.kinds[held[0]["kind"]].protocol,
                next_hops=hops,
                metric=settings.metric
                if settings.metric is not None
                else DEFAULT_ROUTE_METRIC.get(into, 1),
                metric_type=settings.metric_type,
                level=settings.level,
                seed=None,
                tag=0,
                place=settings.place,
                always=settings.always,
            )
