"""Static routes of all devices as a protocol like others."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, partial
from ipaddress import IPv4Network, IPv6Network

from routrel.model.addresses import Address, Prefix
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device
from routrel.protocols.contract import Domain, Inputs, Result
from routrel.protocols.evidence import AbsenceStep, CandidatePath
from routrel.protocols.shared.recent import Parts
from routrel.protocols.static.routes import Resolved, StaticOutcome, is_recursive, resolve_device
from routrel.rib.candidates import Interning, Protocol, Table, joined
from routrel.rib.table import Blocks, Rib, RowsByTable
from routrel.topology.segments import Topology

__all__ = ["StaticDomain"]


@dataclass(frozen=True, kw_only=True)
class StaticResult(Result):
    """The usable static routes of all devices, and how each one fared."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable
    by_device: Mapping[str, Resolved]  #: how the routes of each device were resolved

    @property
    def outcomes(self) -> Iterator[StaticOutcome]:
        """What became of every static route, by device."""
        return (o for resolved in self.by_device.values() for o in resolved.outcomes)

    @cached_property
    def oscillating(self) -> frozenset[tuple[int, int]]:
        """Those whose resolution kept changing."""
        interning = self.domain.interning
        return frozenset(
            (interning.table_numbers[outcome.table], interning.prefixes.add(outcome.route.to))
            for resolved in self.by_device.values()
            for outcome in resolved.changing
        )

    def candidates(self, rib: Rib, table: int, prefix: int) -> Iterator[CandidatePath]:
        """Those that are not usable, with what is wrong."""
        name = rib.interning.tables[table]
        wanted = rib.interning.prefixes.prefixes[prefix]
        for outcome in self.outcomes:
            if outcome.table == name and outcome.route.to == wanted and outcome.problem:
                yield CandidatePath(
                    protocol=Protocol.STATIC,
                    next_hops=(),
                    distance=outcome.route.distance,
                    metric=0,
                    tag=outcome.route.tag,
                    problem=outcome.problem,
                    place=outcome.route.place,
                )

    def findings(self) -> Iterator[Finding]:
        for outcome in self.outcomes:
            if outcome.problem:
                yield Finding(
                    severity=Severity.WARNING,
                    code="static_unusable",
                    text=f"{outcome.table[0]}: the route to {outcome.route.to} is not used: "
                    f"{outcome.problem}",
                    suggestion="correct the next hop, or give the device a route to it",
                    place=outcome.route.place,
                    device=outcome.table[0],
                )

    def unusable(self, wanted: Prefix | Address) -> Iterator[AbsenceStep]:
        for outcome in self.outcomes:
            route = outcome.route
            if outcome.problem and (route.to == wanted or _holds(route.to, wanted)):
                yield AbsenceStep(
                    kind="static_unusable",
                    device=outcome.table[0],
                    text=f"the static route of {outcome.table[0]} is not usable: {outcome.problem}",
                    place=route.place,
                )


class StaticDomain(Domain):
    """The static routes of all devices, resolved anew where the tables of a device have changed."""

    protocol = Protocol.STATIC
    versions = (4, 6)
    index_of: Mapping[Table, int] = {}

    def __init__(self, topology: Topology, interning: Interning, parts: Parts) -> None:
        """
        Args:
            parts: Holds the routes of devices as they were resolved; more is added.
        """
        self.topology, self.interning, self._parts = topology, interning, parts
        self._by_device = {
            device.name: [interning.table_numbers[device.name, vrf.name] for vrf in device.vrfs]
            for device in topology.network.devices
            if (device.gateways or any(vrf.static for vrf in device.vrfs))
            and not topology.has_failed(device.name)
        }

    @cached_property
    def _own(self) -> dict[str, tuple[Device, bytes]]:
        """By name: a device with what of it carries packets, which its routes rest on."""
        devices = (self.topology.devices[name] for name in self._by_device)
        return {device.name: (device, self.topology.carrying(device)) for device in devices}

    def looks_at(self) -> Iterator[Table]:
        """The tables through which next hops are resolved."""
        for device in self.topology.network.devices:
            for vrf in device.vrfs:
                if vrf.static or device.gateways:
                    yield device.name, vrf.name

    def asked(self, inputs: Inputs) -> Hashable:
        """The tables of all devices that have static routes."""
        held = inputs.view.tables
        return tuple(held[table] for tables in self._by_device.values() for table in tables)

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> StaticResult:
        made = {
            name: self._resolved(name, tables, inputs.view)
            for name, tables in self._by_device.items()
        }
        rows: dict[int, Blocks] = {}
        for name, resolved in made.items():
            rows.update(self._parts.of(("static rows", name), (resolved,), resolved.by_table))
        return StaticResult(domain=self, inputs=inputs, by_table=rows, by_device=made)

    def _resolved(self, name: str, tables: list[int], view: Rib) -> Resolved:
        """The routes of a device; they rest on what other protocols have in its tables."""
        own = self._own[name]
        held = tuple(view.tables[table] for table in tables)
        make = partial(self._resolve, own, tables, view)
        found: Resolved = self._parts.of(("resolved", name), (*own, *held), make)
        return found

    def _resolve(self, own: tuple[Device, bytes], tables: list[int], view: Rib) -> Resolved:
        device, static = own[0], self.interning.kinds.of(Protocol.STATIC)
        others = b""
        if self._parts.of(("recursive", device.name), (device,), partial(_looks_up, device)):
            rows = joined(view.table_candidates(table) for table in tables)
            others = rows.compress(~static[rows["kind"]]).tobytes()
        parts = (*own, others)
        make = partial(resolve_device, device, self.topology, self.interning, view)
        found: Resolved = self._parts.of(("resolved by others", device.name), parts, make)
        return found


def _looks_up(device: Device) -> bool:
    """Whether a static route of a device may rest on others of its tables."""
    written = (route for vrf in device.vrfs for route in vrf.static)
    return bool(device.gateways) or any(map(is_recursive, written))


def _holds(network: Prefix, wanted: Prefix | Address) -> bool:
    if isinstance(wanted, IPv4Network | IPv6Network):
        return False
    return network.prefixlen > 0 and wanted in network
