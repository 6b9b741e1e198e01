"""Which routers and interfaces take part in OSPF, with the defaults filled in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from ipaddress import IPv4Address

from routrel.model.addresses import Address, InterfaceAddress, Prefix
from routrel.model.network import Device, Interface, InterfaceKind, Vrf
from routrel.model.ospf import (
    BorderRule,
    OspfInstance,
    OspfInterface,
    OspfNetworkType,
)
from routrel.protocols.shared.speaking import (
    bandwidth_bps,
    family_addresses,
    own_router_id,
    subnets,
    version_of,
    way_address,
)
from routrel.rib.candidates import DEFAULT_DISTANCE, Protocol, Table
from routrel.topology.segments import Attachment, Topology

__all__ = [
    "BACKBONE",
    "MAX_LINK_METRIC",
    "OspfPort",
    "OspfRouter",
    "ospf_routers",
    "output_cost",
]

BACKBONE = 0
REFERENCE_BANDWIDTH_BPS = 100_000_000
HELLO_INTERVAL_S = 10
#: The cost that carries nothing through while any other path is left (RFC 6987 2).
MAX_LINK_METRIC = 0xFFFF


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfPort(Attachment):
    """One up interface that runs OSPF; one row of RFC 2328's interface data structure (9)."""

    settings: OspfInterface
    version: int  #: of IP: 4 for OSPFv2, 6 for OSPFv3
    address: InterfaceAddress | None  #: the primary address; None: unnumbered or IPv6 link-local
    way: Address | None  #: what neighbours use as next hop
    cost: int
    network_type: OspfNetworkType
    hello_interval_s: int
    dead_interval_s: int
    area_kind: str  #: normal, stub or nssa: what hellos say of the area

    @property
    def subnets(self) -> list[Prefix]:
        """The subnets of its version's family, each once."""
        return subnets(self.interface, self.version)

    @property
    def protocol_id(self) -> str:
        """The identifier of its version's protocol."""
        return "ospf" if self.version == 4 else "ospfv3"

    def announces(self, subnet: Prefix) -> bool:
        """Whether it tells of a subnet of its own, or an event says that it does not."""
        return (self.protocol_id, subnet) not in self.interface.withheld


@dataclass(frozen=True, kw_only=True)
class OspfRouter:
    """One OSPF process: a device's VRF with its router id and its ports."""

    table: Table
    vrf: Vrf
    device: Device
    protocol: Protocol
    router_id: IPv4Address
    instance: OspfInstance
    ports: tuple[OspfPort, ...]

    @cached_property
    def areas(self) -> frozenset[int]:
        return frozenset(port.settings.area for port in self.ports)

    @property
    def version(self) -> int:
        """The IP version it carries."""
        return version_of(self.protocol.id)

    @property
    def is_border(self) -> bool:
        """Whether it is an area border router (RFC 2328 3.3, or RFC 3509 2.1 where asked for)."""
        if self.instance.border is BorderRule.RFC3509 and BACKBONE not in self.areas:
            return any(area.virtual_links for area in self.instance.areas)
        return len(self.areas) > 1

    @property
    def maximum_paths(self) -> int:
        """How many equal ways it uses at most."""
        return self.instance.maximum_paths or self.vrf.maximum_paths

    def distance(self, external: bool) -> int:
        """At which its routes come to the table."""
        default = self.instance.distance or DEFAULT_DISTANCE[self.protocol]
        return (self.instance.external_distance or default) if external else default

    def link_cost(self, port: OspfPort) -> int:
        """What a link to a neighbour costs; a router of maximum metric is a last resort."""
        return MAX_LINK_METRIC if self.instance.max_metric else port.cost


def ospf_routers(topology: Topology, protocol: Protocol = Protocol.OSPF) -> Iterator[OspfRouter]:
    """All OSPF processes of a version that can run: those that find a router id."""
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = vrf.ospf if protocol is Protocol.OSPF else vrf.ospfv3
            if instance is None:
                continue
            interfaces = [i for i in device.interfaces if i.vrf == vrf.name]
            router_id = own_router_id(device, vrf, instance.router_id)
            if router_id is None:
                continue
            ports = []
            for interface in interfaces:
                settings = interface.ospf if protocol is Protocol.OSPF else interface.ospfv3
                if settings and topology.is_up(device.name, interface.name):
                    ports.append(_port(device, interface, settings, instance, protocol))
            yield OspfRouter(
                table=(device.name, vrf.name),
                vrf=vrf,
                device=device,
                protocol=protocol,
                router_id=router_id,
                instance=instance,
                ports=tuple(ports),
            )


def _port(
    device: Device,
    interface: Interface,
    settings: OspfInterface,
    instance: OspfInstance,
    protocol: Protocol,
) -> OspfPort:
    version = 4 if protocol is Protocol.OSPF else 6
    hello = settings.hello_interval_s or HELLO_INTERVAL_S
    by_kind = (
        OspfNetworkType.POINT_TO_POINT
        if interface.kind is InterfaceKind.POINT_TO_POINT or interface.unnumbered
        else OspfNetworkType.BROADCAST
    )
    area_type = instance.area(settings.area).type
    return OspfPort(
        device=device,
        interface=interface,
        settings=settings,
        version=version,
        address=next(iter(family_addresses(interface, version)), None),
        way=way_address(device, interface, version),
        cost=output_cost(interface, settings, instance),
        network_type=settings.network_type or by_kind,
        hello_interval_s=hello,
        dead_interval_s=settings.dead_interval_s or 4 * hello,
        area_kind="stub" if area_type.is_stub else "nssa" if area_type.is_nssa else "normal",
    )


def output_cost(interface: Interface, settings: OspfInterface, instance: OspfInstance) -> int:
    """Output cost (RFC 2328 C.3): as configured, else by bandwidth; a loopback's is 0."""
    if settings.cost is not None:
        return settings.cost
    if interface.kind is InterfaceKind.LOOPBACK:
        return 0
    reference = instance.reference_bandwidth_bps or REFERENCE_BANDWIDTH_BPS
    return min(65535, max(1, reference // bandwidth_bps(interface)))
