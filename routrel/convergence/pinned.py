"""Tables that are taken as they were read from devices, instead of being computed.

A pinned table is the same in every look: what others learn of the device through redistribution,
distance vectors and resolution rests on it, and its packets go by it. What leads over an interface
that carries nothing is out of it, as it would be on the device.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from routrel.model.addresses import Address
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device
from routrel.model.observed import Drops, ObservedHop, ObservedRoute, ObservedTable, TableSource
from routrel.model.place import Place
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    DISCARD,
    MAXIMUM_METRIC,
    ROW,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
)
from routrel.rib.table import TableRows
from routrel.rib.written import Written
from routrel.topology.segments import Topology

__all__ = [
    "Pinned",
    "Unusable",
    "pinned_tables",
    "protocol_of",
    "unusable_findings",
]

#: How others name protocols that have another identifier here.
_OTHER_NAMES = {
    "direct": Protocol.CONNECTED, "kernel": Protocol.CONNECTED, "boot": Protocol.STATIC,
    "dhcp": Protocol.STATIC, "ra": Protocol.STATIC, "ospfv2": Protocol.OSPF,
    "is-is": Protocol.ISIS, "ripv2": Protocol.RIP,
}  # fmt: skip
_BY_NAME = {**{protocol.id: protocol for protocol in Protocol}, **_OTHER_NAMES}
#: How deep next hops may resolve through other entries.
_DEEPEST = 16


@dataclass(frozen=True, slots=True)
class Unusable:
    """An entry that was read and that packets cannot go by in this model."""

    device: str
    place: Place
    text: str


@dataclass(frozen=True, slots=True)
class Pinned:
    """A table as it was read."""

    rows: TableRows
    source: ObservedTable | None  #: None: none was read, and no rows are known
    unusable: tuple[Unusable, ...] = ()


def protocol_of(name: str) -> Protocol:
    """The protocol that a table names."""
    return _BY_NAME.get(name, Protocol.OTHER)


def pinned_tables(topology: Topology, interning: Interning) -> dict[int, Pinned]:
    """By number: the tables that a network is to be taken to hold as they were read."""
    network = topology.network
    held = {(table.device, table.vrf): table for table in network.observed}
    found: dict[int, Pinned] = {}
    for device in network.devices:
        source = network.tables.of(device.name, device.tables)
        if source is TableSource.COMPUTED or topology.has_failed(device.name):
            continue
        for vrf in device.vrfs:
            table = held.get((device.name, vrf.name))
            number = interning.table_numbers[device.name, vrf.name]
            if table is not None:
                found[number] = _Pinning(device, number, table, topology, interning).made()
            elif source is TableSource.OBSERVED:
                found[number] = Pinned(TableRows((), interning.kinds), None)
                interning.unread.add(number)
    return found


@dataclass(slots=True)
class _Pinning:
    """Makes the rows of one table."""

    device: Device
    number: int
    table: ObservedTable
    topology: Topology
    interning: Interning
    unusable: list[Unusable] = field(default_factory=list)

    def made(self) -> Pinned:
        active = [route for route in self.table.routes if route.active]
        by_prefix = {self.interning.prefixes.add(route.prefix): route for route in active}
        rows = []
        for prefix, route in by_prefix.items():
            hops = self._ways(route, by_prefix)
            if hops:
                kind = self.interning.kinds.add(self._kind(route))
                metric = min(route.metric or 0, MAXIMUM_METRIC)
                rows.append((self.number, prefix, metric, kind, self.interning.next_hops.add(hops)))
        rows.sort()
        lines = {prefix: route.line for prefix, route in by_prefix.items()}
        self.interning.written[self.number] = Written(self.table.file, lines)
        block = np.array(rows, dtype=ROW)
        return Pinned(TableRows((block,), self.interning.kinds), self.table, tuple(self.unusable))

    def _kind(self, route: ObservedRoute) -> RouteKind:
        protocol = protocol_of(route.protocol)
        distance = route.distance
        if distance is None:
            distance = DEFAULT_DISTANCE.get(protocol, 0)
        return RouteKind(
            protocol,
            min(distance, 254),  # an entry that is used is not of a distance that never is
            discard=route.drops is not None,
            pass_on=route.drops is Drops.PASS_ON,
        )

    def _ways(
        self, route: ObservedRoute, by_prefix: Mapping[int, ObservedRoute]
    ) -> tuple[NextHop, ...]:
        if route.drops is not None:
            return (DISCARD,)
        found: dict[NextHop, None] = {}
        reasons: list[str] = []
        for hop in route.hops:
            if hop.interface is not None:
                reason = self._why_not(hop.interface)
                if not reason:
                    found[NextHop(hop.interface, hop.address, weight=hop.weight)] = None
                    continue
            else:
                ways, reason = self._resolved(hop, by_prefix)
                found.update(dict.fromkeys(ways))
            if reason:
                reasons.append(reason)
        for reason in reasons:
            place = Place(self.table.file, route.line, 1)
            text = f"the entry to {route.prefix} cannot be followed: {reason}"
            self.unusable.append(Unusable(self.device.name, place, text))
        return tuple(found)

    def _why_not(self, interface: str) -> str:
        """Why nothing goes by an interface; empty: it does."""
        if self.device.interface(interface) is None:
            return f"{self.device.name} has no interface {interface}"
        if self.topology.keeps_routes(self.device.name, interface):
            return ""
        return str(self.topology.why_down(self.device.name, interface) or f"{interface} is down")

    def _resolved(
        self, hop: ObservedHop, by_prefix: Mapping[int, ObservedRoute]
    ) -> tuple[Sequence[NextHop], str]:
        """The ways to an address by the table itself, and by interfaces' subnets."""
        address = hop.address
        if address is None:
            return (), "it has no next hop"
        nearest = address
        for _ in range(_DEEPEST):
            subnet = self._subnet_of(nearest)
            if subnet is not None:
                reason = self._why_not(subnet)
                way = NextHop(subnet, nearest, None if nearest == address else address, hop.weight)
                return ((way,), "") if not reason else ((), reason)
            entry = next(self._matches(nearest, by_prefix), None)
            if entry is None:
                return (), f"nothing says where {nearest} is"
            if entry.drops is not None:
                return (), f"{nearest} is dropped by the entry to {entry.prefix}"
            ways = [
                NextHop(one.interface, one.address or nearest, address, hop.weight)
                for one in entry.hops
                if one.interface is not None and not self._why_not(one.interface)
            ]
            if ways:
                return ways, ""
            onward = next((one.address for one in entry.hops if one.address is not None), None)
            if onward is None or onward == nearest:
                return (), f"nothing says where {nearest} is"
            nearest = onward
        return (), f"where {address} is comes back to itself"

    def _matches(
        self, address: Address, by_prefix: Mapping[int, ObservedRoute]
    ) -> Iterator[ObservedRoute]:
        for number in self.interning.prefixes.matches(address):
            if number in by_prefix:
                yield by_prefix[number]

    def _subnet_of(self, address: Address) -> str | None:
        """The interface in one of whose subnets an address lies."""
        vrf = self.table.vrf
        for interface in self.device.interfaces:
            if interface.vrf != vrf:
                continue
            for own in interface.addresses:
                if address.version == own.version and address in own.network:
                    return interface.name
        return None


def unusable_findings(pinned: Mapping[int, Pinned]) -> Iterator[Finding]:
    """One finding for each entry that cannot be followed."""
    for one in pinned.values():
        for entry in one.unusable:
            yield Finding(
                severity=Severity.WARNING,
                code="observed_unusable",
                text=f"{entry.device}: {entry.text}",
                suggestion="bring the device's file up to date, or read its table again",
                place=entry.place,
                device=entry.device,
            )
