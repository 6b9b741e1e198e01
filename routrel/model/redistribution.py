"""What one protocol takes from another, and distances that differ from a protocol's default."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Prefix
from routrel.model.place import Place, placed
from routrel.model.policy import PolicyUse, PrefixRange

__all__ = [
    "DefaultRoute",
    "DistanceRule",
    "EigrpSeed",
    "Leak",
    "Level",
    "Redistribution",
    "RouteSource",
]


class RouteSource(Enum):
    """Where redistributed routes come from: the protocol they are active under."""

    CONNECTED = "connected"
    STATIC = "static"
    RIP = "rip"
    RIPNG = "ripng"
    EIGRP = "eigrp"
    OSPF = "ospf"
    OSPFV3 = "ospfv3"
    ISIS = "isis"
    BGP = "bgp"
    LEAKED = "leaked"


class Level(Enum):
    """IS-IS levels of a system, a circuit or an announcement (ISO 10589)."""

    LEVEL_1 = "1"
    LEVEL_2 = "2"
    BOTH = "1-2"

    @property
    def numbers(self) -> tuple[int, ...]:
        return (1, 2) if self is Level.BOTH else (int(self.value),)


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpSeed:
    """The vector metric an external route enters EIGRP with (RFC 7868 5.6)."""

    bandwidth_bps: int
    delay_us: int
    reliability: int = 255  #: of 255
    load: int = 1  #: of 255
    mtu: int = 1500  #: bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Redistribution:
    """One source of a protocol's external routes. Only active routes are taken."""

    source: RouteSource
    metric: int | None = None  #: None: the protocol's default for external routes
    metric_type: int | None = None  #: OSPF: 1 or 2; None: 2
    seed: EigrpSeed | None = None  #: EIGRP: None: only connected routes have one of their own
    level: Level | None = None  #: IS-IS: None: 2
    tag: int | None = None  #: None: the route's own
    policy: PolicyUse | None = None
    with_connected: bool = False  #: also the source protocol's own connected networks
    with_default: bool = False  #: also 0.0.0.0/0 and ::/0
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Leak:
    """Active routes that a table takes from another table of its device."""

    source: str  #: the VRF they are taken from
    protocols: tuple[RouteSource, ...] = ()  #: they are active under one of these; empty: any
    policy: PolicyUse | None = None
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class DefaultRoute:
    """Originates a default route into a protocol."""

    always: bool = False  #: False: only while another protocol's default route is active
    metric: int | None = None
    metric_type: int | None = None  #: OSPF: 1 or 2; None: 2
    level: Level | None = None  #: IS-IS: None: 2
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class DistanceRule:
    """A distance for some routes of a protocol. The first rule that matches counts."""

    protocol: RouteSource
    distance: int
    prefixes: tuple[PrefixRange, ...] = ()  #: empty: any
    advertisers: tuple[Prefix, ...] = ()  #: who advertises it; empty: anybody
    place: Place = placed()
