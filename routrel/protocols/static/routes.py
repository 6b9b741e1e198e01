"""Static routes: resolved through the table they stand in, recursively, until nothing changes.

A route via an address alone is usable while the longest match for that address leads, perhaps
through further routes, to an interface. The default route does not count: with it, a route whose
link went down would stay, and one that floats behind it would never take over.

Since each usable static route changes the table that the next look-up sees, resolution is a
fixpoint. A route that resolves through itself, directly or by way of others, is unusable and stays
so: otherwise it would come and go for ever.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from routrel.model.addresses import Address
from routrel.model.network import DEFAULT_VRF, Device, StaticRoute
from routrel.rib.candidates import (
    DISCARD,
    CandidateBuilder,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
    Rows,
    Table,
    one_way_each,
    rank,
)
from routrel.rib.table import Rib, Route, RowsByTable, by_table
from routrel.topology.segments import Topology

__all__ = ["Resolved", "StaticOutcome", "resolve_device"]

#: Rounds before resolution counts as never settling; real chains need a handful.
MAXIMUM_ROUNDS = 64

#: The inner answer that stops a resolution which came back to where it began.
_CIRCULAR = "circular"


@dataclass(frozen=True, slots=True)
class StaticOutcome:
    """What became of one static route. `problem` is empty when it is usable."""

    table: Table
    route: StaticRoute
    problem: str


@dataclass(frozen=True, slots=True)
class Resolved:
    """The usable static routes of one device, and how each one fared."""

    rows: Rows
    outcomes: tuple[StaticOutcome, ...]
    changing: tuple[StaticOutcome, ...]  #: routes that kept changing; empty when it settled
    depends: bool  #: whether any of it depends on other routes

    def by_table(self) -> RowsByTable:
        """The rows of each table."""
        return by_table(self.rows)


@dataclass(slots=True)
class _Static:
    """One configured static route and where its resolution stands."""

    table: int
    prefix: int
    place: int
    route: StaticRoute
    hops: tuple[NextHop, ...] = ()
    problem: str = ""
    circular: bool = False


def resolve_device(
    device: Device, topology: Topology, interning: Interning, others: Rib
) -> Resolved:
    """The static routes of one device; none depends on those of another.

    Args:
        others: Tables whose candidates of other protocols count; static ones in it do not, since
            they are resolved anew.
    """
    statics = list(_configured(device, interning))
    resolver = _Resolver(others)
    for static in statics:
        resolver.by_prefix[static.table, static.prefix].append(static)
        _resolve_by_interface(static, topology, interning)
    recursive = [static for static in statics if is_recursive(static.route)]
    changed: list[_Static] = []
    for _ in range(MAXIMUM_ROUNDS if recursive else 0):
        results = [(static, resolver.resolve(static)) for static in recursive]
        changed = [static for static, (hops, _) in results if hops != static.hops]
        for static, (hops, problem) in results:
            static.hops, static.problem = hops, problem
        if not changed:
            break
    return Resolved(
        rows=_rows(statics, interning),
        outcomes=tuple(_outcome(static, interning) for static in statics),
        changing=tuple(_outcome(static, interning) for static in changed),
        depends=bool(recursive),
    )


def _outcome(static: _Static, interning: Interning) -> StaticOutcome:
    return StaticOutcome(interning.tables[static.table], static.route, static.problem)


def is_recursive(route: StaticRoute) -> bool:
    """Whether its next hop is looked up in the tables."""
    return route.interface is None and not route.drops


def _configured(device: Device, interning: Interning) -> Iterable[_Static]:
    """The static routes of a device's tables; a host's gateway is its default route."""
    gateways = [
        StaticRoute(
            to=ipaddress.ip_network("0.0.0.0/0" if gateway.address.version == 4 else "::/0"),
            via=gateway.address,
            description="gateway",
            place=gateway.place,
        )
        for gateway in device.gateways
    ]
    for vrf in device.vrfs:
        extra = gateways if vrf.name == DEFAULT_VRF else []
        for route in (*vrf.static, *extra):
            yield _Static(
                table=interning.table_numbers[device.name, vrf.name],
                prefix=interning.prefixes.add(route.to),
                place=interning.place(route.place),
                route=route,
            )


def _resolve_by_interface(static: _Static, topology: Topology, interning: Interning) -> None:
    """Routes that need no look-up: usable while their interface is up; a discard always is."""
    route = static.route
    device, _ = interning.tables[static.table]
    if route.drops:
        static.hops = (DISCARD,)
    elif route.interface is not None:
        if topology.keeps_routes(device, route.interface):
            static.hops = (NextHop(route.interface, route.via, weight=route.weight),)
        else:
            static.problem = f"interface {route.interface} is down"


def _rows(statics: list[_Static], interning: Interning) -> Rows:
    """One candidate for all usable routes of one table, prefix and distance."""
    groups: dict[tuple[int, int, int, bool, bool], list[_Static]] = defaultdict(list)
    for static in statics:
        if static.hops:
            route = static.route
            key = (static.table, static.prefix, route.distance, route.drops, route.pass_on)
            groups[key].append(static)
    builder = CandidateBuilder(interning)
    for (table, prefix, distance, discard, pass_on), members in groups.items():
        builder.add(
            table=table,
            prefix=prefix,
            kind=RouteKind(
                Protocol.STATIC,
                distance,
                discard=discard,
                pass_on=pass_on,
                tag=members[0].route.tag,
                place=members[0].place,
            ),
            next_hops=one_way_each(hop for member in members for hop in member.hops),
        )
    return builder.array()


class _Resolver:
    """Resolves next-hop addresses against one state of the tables."""

    def __init__(self, others: Rib) -> None:
        self.others = others
        self.interning = others.interning
        self.by_prefix: dict[tuple[int, int], list[_Static]] = defaultdict(list)

    def resolve(self, static: _Static) -> tuple[tuple[NextHop, ...], str]:
        """The next hops a route resolves to now; none, and why, where it is unusable."""
        if static.circular:
            return (), "its next hop resolves through the route itself"
        via = static.route.via
        if via is None:
            raise ValueError("only a route via an address is resolved")
        hops, problem = self._towards(self._look_up_table(static), via, {id(static)})
        if problem == _CIRCULAR:
            static.circular = True
            problem = "its next hop resolves through the route itself"
        weight = static.route.weight
        if weight != 1:
            hops = tuple(replace(hop, weight=hop.weight * weight) for hop in hops)
        return hops, problem

    def _towards(
        self, table: int, address: Address, passed: set[int]
    ) -> tuple[tuple[NextHop, ...], str]:
        number, match = next(self._matches(table, address), (None, None))
        if number is None:
            return (), f"no route to its next hop {address}"
        if self.interning.prefixes.prefixes[number].prefixlen == 0:
            return (), f"only the default route leads to its next hop {address}"
        if match is None:
            return self._through_static(table, address, number, passed)
        if match.discard:
            return (), f"its next hop {address} matches the discard route to {match.prefix}"
        if match.protocol is Protocol.LOCAL:
            return (), f"its next hop {address} is the device's own address"
        if match.protocol is Protocol.CONNECTED:
            if match.prefix.prefixlen == match.prefix.max_prefixlen:
                return (), f"its next hop {address} is the device's own address"
            return tuple(NextHop(hop.interface, address) for hop in match.next_hops), ""
        return tuple(
            NextHop(hop.interface, hop.address or address, via=address) for hop in match.next_hops
        ), ""

    def _look_up_table(self, static: _Static) -> int:
        """The table that resolves a route's next hop: its own, or that of another VRF."""
        if static.route.next_vrf is None:
            return static.table
        device, _ = self.interning.tables[static.table]
        return self.interning.table_numbers[device, static.route.next_vrf]

    def _matches(self, table: int, address: Address) -> Iterator[tuple[int, Route | None]]:
        """Prefixes that hold an address, longest first, with their route; None: a static one."""
        for number in self.interning.prefixes.matches(address):
            kinds = self.interning.kinds.kinds
            usable = [static for static in self.by_prefix[table, number] if static.hops]
            best = min((rank(s.route.distance, Protocol.STATIC) for s in usable), default=None)
            other = next(
                (
                    row
                    for row in self.others.candidate_rows(table, number)
                    if kinds[row["kind"]].protocol is not Protocol.STATIC
                ),
                None,
            )
            if other is not None:
                kind = kinds[other["kind"]]
                if best is None or rank(kind.distance, kind.protocol) < best:
                    yield number, self.others.route(other)
                    continue
            if best is not None:
                yield number, None

    def _through_static(
        self, table: int, address: Address, prefix: int, passed: set[int]
    ) -> tuple[tuple[NextHop, ...], str]:
        found: dict[NextHop, None] = {}
        problem = ""
        usable = [static for static in self.by_prefix[table, prefix] if static.hops]
        nearest = min(static.route.distance for static in usable)
        for static in usable:
            route = static.route
            if route.distance != nearest:
                continue
            if id(static) in passed:
                return (), _CIRCULAR
            if route.drops:
                return (), f"its next hop {address} matches the discard route to {route.to}"
            if route.interface is not None:
                found[NextHop(route.interface, route.via or address, via=address)] = None
            elif route.via is not None:
                hops, why = self._towards(
                    self._look_up_table(static), route.via, passed | {id(static)}
                )
                if why == _CIRCULAR:
                    return (), _CIRCULAR
                problem = problem or why
                for hop in hops:
                    found[NextHop(hop.interface, hop.address, via=address)] = None
        return tuple(found), "" if found else problem
