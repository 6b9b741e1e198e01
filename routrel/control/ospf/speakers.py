"""Which routers and interfaces take part in OSPF, with the defaults filled in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface

from routrel.control.rib.candidates import Table
from routrel.model.network import (
    Device,
    Interface,
    InterfaceKind,
    OspfInstance,
    OspfInterface,
    OspfNetworkType,
)
from routrel.topology.segments import Topology

__all__ = ["REFERENCE_BANDWIDTH_BPS", "OspfPort", "OspfRouter", "ospf_routers"]

REFERENCE_BANDWIDTH_BPS = 100_000_000
INTERFACE_BANDWIDTH_BPS = 1_000_000_000
HELLO_INTERVAL_S = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfPort:
    """One up interface that runs OSPF; one row of RFC 2328's interface data structure (9)."""

    device: Device
    interface: Interface
    settings: OspfInterface
    address: IPv4Interface | None  #: the primary IPv4 address; None: nothing to announce
    cost: int
    network_type: OspfNetworkType
    hello_interval_s: int
    dead_interval_s: int

    @property
    def key(self) -> tuple[str, str]:
        return self.device.name, self.interface.name

    def __str__(self) -> str:
        return f"{self.device.name}:{self.interface.name}"


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfRouter:
    """One OSPF process: a device's VRF with its router id and its ports."""

    table: Table
    router_id: IPv4Address
    instance: OspfInstance
    ports: tuple[OspfPort, ...]


def ospf_routers(topology: Topology) -> Iterator[OspfRouter]:
    """All OSPF processes that can run: those that find a router id.

    Without a configured router id it is the highest IPv4 address of an enabled loopback, else of
    any enabled interface (RFC 2328 C.1 leaves the choice open).
    """
    for device in topology.network.devices:
        for vrf in device.vrfs:
            if vrf.ospf is None:
                continue
            interfaces = [i for i in device.interfaces if i.vrf == vrf.name]
            router_id = vrf.ospf.router_id or _highest_address(interfaces)
            if router_id is None:
                continue
            yield OspfRouter(
                table=(device.name, vrf.name),
                router_id=router_id,
                instance=vrf.ospf,
                ports=tuple(
                    _port(device, interface, interface.ospf, vrf.ospf)
                    for interface in interfaces
                    if interface.ospf and topology.is_up(device.name, interface.name)
                ),
            )


def _highest_address(interfaces: list[Interface]) -> IPv4Address | None:
    addresses = [
        (interface.kind is InterfaceKind.LOOPBACK, address.ip)
        for interface in interfaces
        if interface.enabled
        for address in interface.addresses
        if isinstance(address, IPv4Interface)
    ]
    return max(addresses)[1] if addresses else None


def _port(
    device: Device, interface: Interface, settings: OspfInterface, instance: OspfInstance
) -> OspfPort:
    addresses = [a for a in interface.addresses if isinstance(a, IPv4Interface)]
    hello = settings.hello_interval_s or HELLO_INTERVAL_S
    by_kind = (
        OspfNetworkType.POINT_TO_POINT
        if interface.kind is InterfaceKind.POINT_TO_POINT
        else OspfNetworkType.BROADCAST
    )
    return OspfPort(
        device=device,
        interface=interface,
        settings=settings,
        address=addresses[0] if addresses else None,
        cost=_cost(interface, settings, instance),
        network_type=settings.network_type or by_kind,
        hello_interval_s=hello,
        dead_interval_s=settings.dead_interval_s or 4 * hello,
    )


def _cost(interface: Interface, settings: OspfInterface, instance: OspfInstance) -> int:
    """Output cost (RFC 2328 C.3): as configured, else by bandwidth; a loopback's is 0."""
    if settings.cost is not None:
        return settings.cost
    if interface.kind is InterfaceKind.LOOPBACK:
        return 0
    reference = instance.reference_bandwidth_bps or REFERENCE_BANDWIDTH_BPS
    bandwidth = interface.bandwidth_bps or INTERFACE_BANDWIDTH_BPS
    return min(65535, max(1, reference // bandwidth))
