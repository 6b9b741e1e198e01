"""What a trace consists of: hops with their stages, the evidence of each, and where it ended.

What each kind of evidence holds stands with the stage that leaves it (`stages/`).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum
from fractions import Fraction

from routrel.forwarding.connections import Connection
from routrel.model.addresses import Address
from routrel.model.network import Device
from routrel.model.place import Place
from routrel.model.traffic import Header

__all__ = [
    "Branch",
    "Cause",
    "Direction",
    "Evidence",
    "Hop",
    "Obstacle",
    "Result",
    "Stage",
    "StageName",
    "Stopped",
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
    """The decisions inside a hop. Their order is the device's (`orders.py`)."""

    ARRIVAL = "arrival"  #: whether the interface takes a packet of this size
    FILTER_IN = "filter_in"
    FILTER_ARRIVING = "filter_arriving"  #: of whatever arrives, its session known
    REVERSE_PATH = "reverse_path"
    TRANSLATION = "translation"  #: of the destination, of what the device sends too
    STEERING = "steering"
    ROUTE = "route"
    FILTER_LOCAL = "filter_own"  #: of what the device sends, or what is for it
    TTL = "ttl"
    FILTER_TRANSIT = "filter_through"  #: of what the device forwards; zones too
    SOURCE_TRANSLATION = "source_translation"
    FILTER_OUT = "filter_out"
    MTU = "mtu"
    NEIGHBOUR = "neighbour"
    ANSWER = "answer"  #: whether who asked takes it for the answer


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
    THROUGH = "through"
    ARRIVING = "arriving"  #: whatever the interface


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
    vrf: str = ""  #: of a missing route: the table that was asked


@dataclass(frozen=True, slots=True)
class Stopped:
    """Where a packet was stopped: at a device, behind these stages."""

    device: Device
    vrf: str
    interface_in: str | None
    stages: Sequence[Stage]  #: the last is the one that stopped it


class Evidence(ABC):
    """What a stage decided by."""

    __slots__ = ()

    @abstractmethod
    def cause(self, at: Stopped) -> Cause:
        """The cause it gives for stopping a packet there."""


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
class Obstacle:
    """One thing that stands in a packet's way; what lies behind it was looked at as if it did not.

    `hop` is the hop as far as the packet came there, its last stage the one that stops it.
    """

    cause: Cause
    verdict: Verdict
    hop: Hop
    header: Header  #: the packet as it met the stage
    onward: str | None = None  #: of a routing obstacle, the interface it should have left by
    next_hop: Address | None = None  #: and the neighbour there; both None where nobody knows

    @property
    def is_access(self) -> bool:
        """Whether filters stop it, rather than routing."""
        return self.verdict is Verdict.FILTERED


@dataclass(frozen=True, slots=True, kw_only=True)
class Branch:
    """One equal-cost way through the network."""

    share: Fraction  #: of what comes in at its entry; the branches of an entry add up to 1
    verdict: Verdict
    hops: tuple[Hop, ...]
    cause: Cause | None  #: None where it arrives
    outside: str | None = None  #: the outside neighbour it leaves to
    path_mtu: int | None = None  #: bytes, the smallest on the way; None before the first link
    entry: str | None = None  #: where it came in from elsewhere, "isle-telecom at edge-1:wan1"
    header: Header | None = None  #: the packet as it ended
    connections: tuple[Connection, ...] = ()  #: what devices on the way remember of it
    obstacles: tuple[Obstacle, ...] = ()  #: of a trace beyond obstacles, in order of the way
