"""What a walk consists of: hops with their stages, the evidence of each, and where it ended."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from fractions import Fraction
from typing import TypeAlias

from routrel.control.packets.filters import FilterResult
from routrel.control.rib.candidates import NextHop
from routrel.control.rib.table import Route
from routrel.model.addresses import Address
from routrel.model.place import Place
from routrel.model.traffic import Header

__all__ = [
    "Branch",
    "Cause",
    "Direction",
    "Evidence",
    "FilterEvidence",
    "Hop",
    "LoopEvidence",
    "MtuEvidence",
    "NeighbourEvidence",
    "ReceiveEvidence",
    "Result",
    "RouteEvidence",
    "Stage",
    "StageName",
    "TtlEvidence",
    "Verdict",
]


class Verdict(Enum):
    """The outcome of a flow in one direction; the values are stable identifiers."""

    DELIVERED = "delivered"
    FILTERED = "filtered"
    NO_ROUTE = "no_route"
    DISCARDED = "discarded"
    NEXT_HOP_UNRESOLVED = "next_hop_unresolved"
    LOOPED = "looped"
    TOO_BIG = "too_big"
    TTL_EXPIRED = "ttl_expired"
    LEAVES_NETWORK = "leaves_network"
    LABEL_BROKEN = "label_broken"
    NOT_CONVERGED = "not_converged"
    MIXED = "mixed"


class StageName(Enum):
    """The decisions inside a hop, in the order a router takes them."""

    FILTER_IN = "filter_in"
    ROUTE = "route"
    TTL = "ttl"
    FILTER_OUT = "filter_out"
    MTU = "mtu"
    NEIGHBOUR = "neighbour"


class Result(Enum):
    """What a stage did with the packet."""

    PASSED = "passed"
    NONE = "none"  #: nothing is configured here that could stop it
    STOPPED = "stopped"
    NOT_REACHED = "not_reached"


class Direction(Enum):
    """Which way a filter looks at an interface."""

    IN = "in"
    OUT = "out"


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterEvidence:
    """A filter and how it decided."""

    interface: str
    direction: Direction
    result: FilterResult


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteEvidence:
    """The longest match, what stands behind it, and the next hop this branch takes.

    `route` is None where nothing matched. `shorter` are the less specific routes, longest first.
    """

    destination: Address
    route: Route | None
    next_hop: NextHop | None = None
    shorter: tuple[Route, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TtlEvidence:
    """The time to live (hop limit) that arrived."""

    arrived: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MtuEvidence:
    """The packet's size against the outgoing interface. `size` is None where it was not asked."""

    interface: str
    mtu: int  #: bytes
    size: int | None  #: bytes
    place: Place


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourEvidence:
    """Who answers for the next hop's address on the segment.

    `device` and `outside` are both None where nobody does.
    """

    interface: str
    segment: str  #: the segment's name; empty where the interface leads nowhere
    address: Address
    device: str | None = None
    outside: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ReceiveEvidence:
    """The packet is at a device that has its destination address, or does not forward."""

    interface: str | None  #: the interface that has the address; None: it has not
    address: Address


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopEvidence:
    """The devices the packet goes round, in order, from where it was first seen."""

    devices: tuple[str, ...]
    place: Place  #: the configured route that the first of them follows, else the device itself


Evidence: TypeAlias = (
    FilterEvidence
    | RouteEvidence
    | TtlEvidence
    | MtuEvidence
    | NeighbourEvidence
    | ReceiveEvidence
    | LoopEvidence
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One decision. Stages after the one that stopped the packet are not reached."""

    name: StageName
    result: Result
    evidence: Evidence | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Hop:
    """One device the packet meets."""

    device: str
    vrf: str
    interface_in: str | None  #: None at the source
    interface_out: str | None  #: None where it stops or is delivered
    header: Header  #: as it arrives
    stages: tuple[Stage, ...]
    outside: bool = False  #: an outside neighbour, of which nothing more is known


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """What stopped the packet, with the line that says so where there is one."""

    device: str
    kind: str  #: stable identifier
    interface: str | None = None
    direction: Direction | None = None
    filter: str | None = None
    rule: int | None = None  #: None also where a filter's default decided
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Branch:
    """One equal-cost way through the network."""

    share: Fraction  #: of the traffic; the branches of an answer add up to 1
    verdict: Verdict
    hops: tuple[Hop, ...]
    cause: Cause | None  #: None where it arrives
    outside: str | None = None  #: the outside neighbour it leaves to
    path_mtu: int | None = None  #: bytes, the smallest on the way; None before the first link
