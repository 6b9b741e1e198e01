"""A network: devices with their interfaces and routes, sites, links, and what lies outside."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from ipaddress import IPv4Address

from routrel.model.addresses import Address, Family, InterfaceAddress, Prefix
from routrel.model.bgp import Announcement, BgpInstance, OutsidePeer
from routrel.model.eigrp import EigrpInstance, EigrpInterface
from routrel.model.filters import Filter, FilterUse
from routrel.model.isis import IsisInstance, IsisInterface
from routrel.model.observed import AS_FILES_SAY, ObservedTable, TableChoice, TableSource
from routrel.model.ospf import OspfInstance, OspfInterface
from routrel.model.place import Place, placed
from routrel.model.policy import (
    AsPathSet,
    CommunitySet,
    NeighbourSet,
    Policy,
    PrefixRange,
    PrefixSet,
    TagSet,
)
from routrel.model.promises import Promise
from routrel.model.redistribution import DistanceRule, Leak
from routrel.model.redundancy import VirtualRouter
from routrel.model.reject import Reject
from routrel.model.rip import RipInstance, RipInterface
from routrel.model.steering import Steering, SteeringUse
from routrel.model.translation import TranslationRule
from routrel.model.zones import Zone

__all__ = [
    "DEFAULT_MTU",
    "DEFAULT_VRF",
    "INTERFACE_PROTOCOLS",
    "ROUTING_PROTOCOLS",
    "Device",
    "Gateway",
    "Group",
    "Interface",
    "InterfaceKind",
    "Link",
    "LinkEnd",
    "LostNeighbour",
    "Network",
    "OutsideNeighbour",
    "Processing",
    "Reject",
    "ReversePathCheck",
    "RiskGroup",
    "Role",
    "Site",
    "StatedDevice",
    "StaticRoute",
    "TrafficRules",
    "Vrf",
    "protocol_title",
]

#: The keys of protocols that run on interfaces, the same in an interface and in a VRF.
INTERFACE_PROTOCOLS = ("ospf", "ospfv3", "rip", "ripng", "eigrp", "isis")

#: All protocols that may take routes in from others, by their key in a VRF.
ROUTING_PROTOCOLS = (*INTERFACE_PROTOCOLS, "bgp")

_TITLES = {
    "connected": "connected", "static": "static", "ospf": "OSPF", "ospfv3": "OSPFv3",
    "rip": "RIP", "ripng": "RIPng", "eigrp": "EIGRP", "isis": "IS-IS",
    "bgp": "BGP",
}  # fmt: skip


def protocol_title(key: str) -> str:
    """A protocol's identifier as people write it."""
    return _TITLES.get(key, key)


#: The name under which a device's top-level routing stands.
DEFAULT_VRF = "default"

#: Bytes of the largest IP packet of an interface that says nothing (RFC 894).
DEFAULT_MTU = 1500


class Role(Enum):
    """What a device does with packets that are not its own."""

    ROUTER = "router"  #: forwards
    FIREWALL = "firewall"  #: forwards
    HOST = "host"  #: does not forward

    @property
    def forwards(self) -> bool:
        """Whether a device of this role forwards packets of others."""
        return self is not Role.HOST


class InterfaceKind(Enum):
    """How an interface finds the other end."""

    ETHERNET = "ethernet"  #: neighbours are resolved by address (ARP, RFC 826; ND, RFC 4861)
    POINT_TO_POINT = "point-to-point"  #: whatever is sent reaches the only other end
    LOOPBACK = "loopback"  #: always up, attached to nothing


class ReversePathCheck(Enum):
    """Whether the way back to a packet's source must exist (RFC 3704)."""

    STRICT = "strict"  #: by the interface it came in by (2.2)
    LOOSE = "loose"  #: by any (2.4)


class Processing(Enum):
    """The order in which a device treats a packet."""

    ROUTER = "router"
    LINUX = "linux"


@dataclass(frozen=True, slots=True, kw_only=True)
class TrafficRules:
    """Filters and steering for all of a device's traffic of one kind, whatever the interface."""

    filters_in: tuple[FilterUse, ...] = ()  #: of own traffic: for what comes to the device
    filters_out: tuple[FilterUse, ...] = ()  #: of own traffic: for what the device sends
    filters: tuple[FilterUse, ...] = ()  #: of through traffic, or of whatever arrives
    steering: SteeringUse | None = None
    place: Place = placed()


@dataclass(frozen=True, slots=True)
class LostNeighbour:
    """A router of which an interior protocol hears nothing at an interface, though frames pass."""

    protocol: str  #: its identifier
    neighbour: str  #: a device
    event: str  #: what says so: its name and time
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Interface:
    """One interface. The first address of a family is its primary one."""

    name: str
    kind: InterfaceKind = InterfaceKind.ETHERNET
    description: str = ""
    enabled: bool = True
    carrier: bool = True  #: False: nothing is heard of the other end, though it is enabled
    vrf: str = DEFAULT_VRF
    addresses: tuple[InterfaceAddress, ...] = ()
    mtu: int = DEFAULT_MTU  #: bytes of IP packet
    bandwidth_bps: int | None = None  #: bits per second; None: 1 Gb/s
    delay_us: int | None = None  #: microseconds; None: by the bandwidth
    unnumbered: str | None = None  #: the interface whose addresses it borrows
    ospf: OspfInterface | None = None
    ospfv3: OspfInterface | None = None
    rip: RipInterface | None = None
    ripng: RipInterface | None = None
    eigrp: EigrpInterface | None = None
    isis: IsisInterface | None = None
    filters_in: tuple[FilterUse, ...] = ()  #: tried in order; each must permit
    filters_out: tuple[FilterUse, ...] = ()
    steering: SteeringUse | None = None  #: for what arrives here
    zone: str | None = None
    reverse_path_check: ReversePathCheck | None = None
    accept_own_source: bool = False  #: of Linux processing: packets from own addresses may arrive
    virtual_routers: tuple[VirtualRouter, ...] = ()
    lost: tuple[LostNeighbour, ...] = ()  #: who was lost here, by events
    #: What it does not announce, by events: identifiers of protocols and prefixes.
    withheld: tuple[tuple[str, Prefix], ...] = ()
    mtu_place: Place = placed()  #: of the MTU where it is written, else of the interface
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class StaticRoute:
    """One static route towards one next hop; several for a prefix share the load."""

    to: Prefix
    via: Address | None = None  #: next-hop address; resolved recursively
    interface: str | None = None  #: outgoing interface
    next_vrf: str | None = None  #: the VRF whose table resolves the next hop; None: its own
    discard: bool = False  #: drop what matches, in silence
    reject: Reject | None = None  #: drop what matches, and say so to its sender
    pass_on: bool = False  #: this table says nothing of what matches: steering goes on
    weight: int = 1  #: share of the load among the routes to one prefix
    distance: int = 1  #: a higher one floats below other routes
    tag: int = 0
    description: str = ""
    place: Place = placed()

    @property
    def drops(self) -> bool:
        """Whether it has no next hop: it discards, rejects or passes on."""
        return self.discard or self.reject is not None or self.pass_on


@dataclass(frozen=True, slots=True, kw_only=True)
class Gateway:
    """A host's default gateway."""

    address: Address
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Vrf:
    """One routing table of a device with the protocols that fill it."""

    name: str
    description: str = ""
    static: tuple[StaticRoute, ...] = ()
    ospf: OspfInstance | None = None
    ospfv3: OspfInstance | None = None
    rip: RipInstance | None = None
    ripng: RipInstance | None = None
    eigrp: EigrpInstance | None = None
    isis: IsisInstance | None = None
    bgp: BgpInstance | None = None
    distances: tuple[DistanceRule, ...] = ()
    maximum_paths: int = 16  #: equal-cost next hops a protocol keeps
    import_tags: tuple[str, ...] = ()  #: takes routes that the device's other VRFs export so
    export_tags: tuple[str, ...] = ()
    leaks: tuple[Leak, ...] = ()  #: what it takes besides, by VRF
    #: What it does not announce, by events: identifiers of protocols and prefixes.
    withheld: tuple[tuple[str, Prefix], ...] = ()
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Device:
    """One device: what one device file says."""

    name: str
    role: Role
    site: str | None = None
    description: str = ""
    interfaces: tuple[Interface, ...] = ()
    gateways: tuple[Gateway, ...] = ()  #: a host's default gateways, one a family
    vrfs: tuple[Vrf, ...] = ()  #: the default one first, always there
    processing: Processing = Processing.ROUTER
    forwards_only: tuple[Family, ...] = ()  #: of a role that forwards; empty: both families
    unknown: tuple[str, ...] = ()  #: what of it is not known, so that answers may be wrong
    tables: TableSource = TableSource.COMPUTED  #: what it forwards by, unless a lens says
    ignore_dead_links: bool = (
        False  #: of Linux processing: whether a dead far end takes routes away
    )
    local_traffic: TrafficRules = TrafficRules()
    transit_traffic: TrafficRules = TrafficRules()
    arriving_traffic: TrafficRules = TrafficRules()  #: before it is known where it goes
    zones: tuple[Zone, ...] = ()
    translation: tuple[TranslationRule, ...] = ()
    steerings: tuple[Steering, ...] = ()
    filters: tuple[Filter, ...] = ()
    policies: tuple[Policy, ...] = ()
    prefix_sets: tuple[PrefixSet, ...] = ()
    tag_sets: tuple[TagSet, ...] = ()
    as_path_sets: tuple[AsPathSet, ...] = ()
    community_sets: tuple[CommunitySet, ...] = ()
    neighbour_sets: tuple[NeighbourSet, ...] = ()
    place: Place = placed()

    def interface(self, name: str) -> Interface | None:
        """The interface of a name; None: it has none."""
        return next((i for i in self.interfaces if i.name == name), None)

    def forwards(self, version: int) -> bool:
        """Whether it forwards packets of others that are of a version of IP."""
        if not self.role.forwards:
            return False
        return not self.forwards_only or Family.of(version) in self.forwards_only

    def addresses_on(self, interface: Interface) -> tuple[InterfaceAddress, ...]:
        """The addresses an interface answers for: its own, or those it borrows."""
        lender = self.interface(interface.unnumbered) if interface.unnumbered else None
        return lender.addresses if lender else interface.addresses

    def filter(self, name: str) -> Filter | None:
        """The filter of a name; None: it has none."""
        return next((f for f in self.filters if f.name == name), None)

    def steering(self, name: str) -> Steering | None:
        """The steering of a name; None: it has none."""
        return next((s for s in self.steerings if s.name == name), None)

    def zone(self, name: str) -> Zone | None:
        """The zone of a name; None: it has none."""
        return next((z for z in self.zones if z.name == name), None)

    @property
    def tracks_connections(self) -> bool:
        """Whether it keeps track of sessions; stateful filters, zones and translation need it."""
        return bool(self.zones or self.translation) or any(
            f.stateful or any(rule.match.connection_states for rule in f.rules)
            for f in self.filters
        )

    def policy(self, name: str) -> Policy | None:
        """The routing policy of a name; None: it has none."""
        return next((p for p in self.policies if p.name == name), None)

    def vrf(self, name: str) -> Vrf | None:
        """The VRF of a name; None: it has none."""
        return next((v for v in self.vrfs if v.name == name), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Site:
    """A named place that groups devices on the chart."""

    name: str
    title: str = ""
    description: str = ""
    position: tuple[int, ...] = ()  #: x, growing to the right, and y, growing downward; or nothing
    place: Place = placed()


@dataclass(frozen=True, slots=True, order=True, kw_only=True)
class LinkEnd:
    """One interface of one device."""

    device: str
    interface: str
    place: Place = placed()

    def __str__(self) -> str:
        return f"{self.device}:{self.interface}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A link or segment stated in the network file; it takes precedence over inference."""

    name: str
    ends: tuple[LinkEnd, ...]
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OutsideNeighbour:
    """Somebody else's network next to ours: where modelled traffic leaves."""

    name: str
    title: str = ""
    description: str = ""
    addresses: tuple[InterfaceAddress, ...] = ()  #: its addresses on segments it shares with us
    prefixes: tuple[Prefix, ...] = ()  #: what lies behind it
    autonomous_system: int | None = None  #: None: it speaks no BGP
    router_id: IPv4Address | None = (
        None  #: None: its first IPv4 address, else the end of its first address
    )
    peers: tuple[OutsidePeer, ...] | None = None  #: whom it speaks with; None: whoever asks
    announces: tuple[Announcement, ...] = ()
    accepts: tuple[PrefixRange, ...] | None = None  #: what it takes from us; None: everything
    place: Place = placed()

    @property
    def behind(self) -> tuple[Prefix, ...]:
        """What lies behind it or is announced by it, each prefix once."""
        announced = (prefix for each in self.announces for prefix in each.prefixes)
        return tuple(dict.fromkeys((*self.prefixes, *announced)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """Named endpoints: hosts, addresses or prefixes."""

    name: str
    members: tuple[str, ...]
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class RiskGroup:
    """What fails together, as all that lies in one duct or hangs on one power feed."""

    name: str
    title: str = ""
    description: str = ""
    devices: tuple[str, ...] = ()
    links: tuple[str, ...] = ()  #: by stated name, or a subnet
    interfaces: tuple[LinkEnd, ...] = ()
    lines: tuple[str, ...] = ()  #: by outside network
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class StatedDevice:
    """What is said of a device beside what tells of it itself."""

    name: str
    role: Role | None = None
    site: str | None = None
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedAddress:
    """A name that people have for addresses, of this network or of any other."""

    name: str
    addresses: tuple[Address, ...]
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Network:
    """Everything modelled together. A value: two equal networks give equal answers."""

    name: str
    description: str = ""
    sites: tuple[Site, ...] = ()
    devices: tuple[Device, ...] = ()  #: in order of name
    links: tuple[Link, ...] = ()
    outside: tuple[OutsideNeighbour, ...] = ()
    groups: tuple[Group, ...] = ()
    risk_groups: tuple[RiskGroup, ...] = ()
    names: tuple[NamedAddress, ...] = ()
    stated: tuple[StatedDevice, ...] = ()  #: of devices read from other formats
    promises: tuple[Promise, ...] = ()  #: of the network file alone
    observed: tuple[ObservedTable, ...] = ()  #: tables that were read from devices
    tables: TableChoice = AS_FILES_SAY  #: what devices are taken to forward by
    place: Place = placed()

    def device(self, name: str) -> Device | None:
        """The device of a name; None: there is none."""
        return next((d for d in self.devices if d.name == name), None)

    def ends_of_site(self, name: str) -> tuple[Device, ...]:
        """The devices that a site stands for as an end of flows: its hosts, or without any all."""
        here = tuple(device for device in self.devices if device.site == name)
        return tuple(device for device in here if device.role is Role.HOST) or here
