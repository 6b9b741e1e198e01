"""What a device file says about IS-IS (ISO 10589, RFC 1195, RFC 5305, RFC 5308)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.place import Place, placed
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import DefaultRoute, Level, Redistribution

__all__ = ["AttachedBit", "IsisInstance", "IsisInterface", "IsisNetworkType", "NetworkEntityTitle"]


class IsisNetworkType(Enum):
    """IS-IS's view of a circuit."""

    BROADCAST = "broadcast"
    POINT_TO_POINT = "point-to-point"


class AttachedBit(Enum):
    """What a level 1-2 system says of its way to other areas (ISO 10589 7.2.9.2)."""

    AUTOMATIC = "automatic"  #: set while it reaches another area at level 2
    NEVER = "never"


@dataclass(frozen=True, slots=True)
class NetworkEntityTitle:
    """Area address and system id of an intermediate system (ISO 10589 7.1)."""

    area: str  #: as 49.0001
    system: str  #: as 1921.6800.1001

    def __str__(self) -> str:
        return f"{self.area}.{self.system}.00"


@dataclass(frozen=True, slots=True, kw_only=True)
class IsisInterface:
    """IS-IS on one circuit."""

    level: Level | None = None  #: None: the system's
    metric: int | None = None  #: wide metric (RFC 5305 3); None: 10, and 0 on a loopback
    level_1_metric: int | None = None  #: None: as `metric`
    passive: bool = False  #: announced, but no adjacency is formed
    network_type: IsisNetworkType | None = None  #: None: by the kind of interface
    priority: int = 64  #: for the election of the designated system
    authentication: str | None = None  #: names the key; both ends must have the same
    mtu_check: bool = True  #: whether differing MTUs stop the adjacency
    tag: int = 0  #: of the subnets it announces (RFC 5130); 0: none
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class IsisInstance:
    """IS-IS in one VRF of a device, for both address families in one topology."""

    net: NetworkEntityTitle
    level: Level = Level.BOTH
    overload: bool = False  #: reachable itself, but nothing goes through it
    attached_bit: AttachedBit = AttachedBit.AUTOMATIC
    use_attached: bool = True  #: whether it follows attached bits while it reaches no other area
    leak_up: PolicyUse | None = None  #: level 1 to 2; None: everything
    leak_down: PolicyUse | None = None  #: level 2 to 1; None: nothing
    distance: int | None = None  #: None: 115
    maximum_paths: int | None = None  #: None: the VRF's
    redistribute: tuple[Redistribution, ...] = ()
    default_route: DefaultRoute | None = None
    import_policy: PolicyUse | None = None  #: which routes enter the table
    place: Place = placed()
