"""What a device file says about OSPF, versions 2 and 3."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from ipaddress import IPv4Address

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place, placed
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import DefaultRoute, Redistribution

__all__ = [
    "BorderRule",
    "OspfArea",
    "OspfAreaType",
    "OspfExternalRange",
    "OspfInstance",
    "OspfInterface",
    "OspfNetworkType",
    "OspfRange",
    "TranslatorRole",
    "VirtualLink",
]


class OspfNetworkType(Enum):
    """OSPF's view of an interface (RFC 2328 9)."""

    BROADCAST = "broadcast"
    NON_BROADCAST = "non-broadcast"  #: neighbours are stated (RFC 2328 9.5.1)
    POINT_TO_POINT = "point-to-point"
    MULTIPOINT = "multipoint"  #: RFC 2328's point-to-multipoint

    @property
    def elects(self) -> bool:
        """Whether its routers elect a designated one (RFC 2328 9.4)."""
        return self in (OspfNetworkType.BROADCAST, OspfNetworkType.NON_BROADCAST)


class OspfAreaType(Enum):
    """What an area lets in (RFC 2328 3.6, RFC 3101)."""

    NORMAL = "normal"
    STUB = "stub"  #: no external routes
    TOTALLY_STUB = "totally-stub"  #: nor summaries, but a default
    NSSA = "nssa"  #: external routes of its own only
    TOTALLY_NSSA = "totally-nssa"  #: nor summaries, but a default

    @property
    def is_stub(self) -> bool:
        """Whether it is a stub area, which external LSAs stay out of (RFC 2328 3.6)."""
        return self in (OspfAreaType.STUB, OspfAreaType.TOTALLY_STUB)

    @property
    def is_nssa(self) -> bool:
        """Whether type 7 LSAs go through it (RFC 3101)."""
        return self in (OspfAreaType.NSSA, OspfAreaType.TOTALLY_NSSA)

    @property
    def takes_summaries(self) -> bool:
        """Whether summary LSAs of single networks come in."""
        return self not in (OspfAreaType.TOTALLY_STUB, OspfAreaType.TOTALLY_NSSA)


class TranslatorRole(Enum):
    """Whether a border router of an NSSA translates its routes (RFC 3101 3.1)."""

    CANDIDATE = "candidate"  #: if it has the highest router id
    ALWAYS = "always"


class BorderRule(Enum):
    """What makes an area border router."""

    RFC2328 = "rfc2328"  #: interfaces in several areas
    RFC3509 = "rfc3509"  #: and one of them in the backbone


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfInterface:
    """OSPF on one interface (RFC 2328 9)."""

    area: int  #: area id as a 32-bit number
    cost: int | None = None  #: output cost; None: from the bandwidth, 0 on a loopback
    passive: bool = False  #: announced, but no adjacency is formed
    network_type: OspfNetworkType | None = None  #: None: by the kind of interface
    hello_interval_s: int | None = None  #: seconds; None: 10
    dead_interval_s: int | None = None  #: seconds; None: four hello intervals
    priority: int = 1  #: for the designated router election; 0 never becomes one
    neighbours: tuple[Address, ...] = ()  #: of a non-broadcast network: whom it greets
    mtu_check: bool = True  #: whether differing MTUs stop the adjacency (RFC 2328 10.6)
    authentication: str | None = None  #: names the key; both ends must have the same
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfRange:
    """An area's prefixes condensed into one at its border (RFC 2328 3.5)."""

    prefix: Prefix
    advertise: bool = True  #: False hides the prefixes from other areas
    cost: int | None = None  #: None: the largest cost of a component
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfExternalRange:
    """External routes of an NSSA condensed into one where they are translated (RFC 3101 2.2)."""

    prefix: Prefix
    advertise: bool = True  #: False hides what it holds from the rest of the domain
    tag: int = 0
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class VirtualLink:
    """One end of a backbone link through this area to another border router (RFC 2328 15)."""

    to: IPv4Address  #: the other border router's id
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfArea:
    """Settings of one OSPF area on one device."""

    id: int
    type: OspfAreaType = OspfAreaType.NORMAL
    default_cost: int = 1  #: of the default route a border router tells a stub area or NSSA
    default_route: bool = False  #: NSSA: originate a default of type 7 into it
    default_metric_type: int = 2  #: of that default: 1 or 2
    translate: TranslatorRole = TranslatorRole.CANDIDATE
    ranges: tuple[OspfRange, ...] = ()
    external_ranges: tuple[OspfExternalRange, ...] = ()  #: of an NSSA
    virtual_links: tuple[VirtualLink, ...] = ()
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OspfInstance:
    """OSPF in one VRF of a device."""

    router_id: IPv4Address | None = None  #: None: highest loopback, else highest address
    reference_bandwidth_bps: int | None = None  #: bits per second; None: 100 Mb/s
    distance: int | None = None  #: None: 110
    external_distance: int | None = None  #: None: as `distance`
    maximum_paths: int | None = None  #: equal-cost next hops kept; None: the VRF's
    max_metric: bool = False  #: stay reachable, but carry nothing through (RFC 6987)
    border: BorderRule = BorderRule.RFC2328
    rfc1583: bool = True  #: RFC1583Compatibility: exits are chosen by cost alone (16.4.1)
    areas: tuple[OspfArea, ...] = ()
    redistribute: tuple[Redistribution, ...] = ()
    default_route: DefaultRoute | None = None
    import_policy: PolicyUse | None = None  #: which routes enter the table
    place: Place = placed()

    def area(self, number: int) -> OspfArea:
        """The settings of an area; an area without any is normal."""
        return next((a for a in self.areas if a.id == number), OspfArea(id=number))
