"""What a walk consists of: hops with their stages, the evidence of each, and where it ended."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from fractions import Fraction
from typing import TypeAlias

from routrel.forwarding.filters import FilterResult
from routrel.forwarding.sessions import Session
from routrel.model.addresses import Address
from routrel.model.network import ReversePathCheck
from routrel.model.place import Place
from routrel.model.steering import Steering, SteeringRule
from routrel.model.traffic import Header
from routrel.model.translation import Side, TranslationRule
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route

__all__ = [
    "AnswerEvidence",
    "Branch",
    "Cause",
    "Direction",
    "Evidence",
    "FilterEvidence",
    "Hop",
    "LoopEvidence",
    "MtuEvidence",
    "NeighbourEvidence",
    "Obstacle",
    "PiecesEvidence",
    "ReceiveEvidence",
    "Result",
    "ReversePathEvidence",
    "RouteEvidence",
    "Stage",
    "StageName",
    "SteeringEvidence",
    "SteeringTried",
    "TranslationEvidence",
    "TtlEvidence",
    "Verdict",
    "ZoneEvidence",
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
    FILTER_OWN = "filter_own"  #: of what the device sends, or what is for it
    TTL = "ttl"
    FILTER_THROUGH = "filter_through"  #: of what the device forwards; zones too
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
class FilterEvidence:
    """A filter and how it decided. `answer`: it was held against an answer to an earlier packet."""

    interface: str | None  #: None: for all of the device's traffic of one kind
    direction: Direction
    result: FilterResult
    zones: tuple[str, str] | None = None  #: from and to, of a filter between zones
    answer: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneEvidence:
    """Two interfaces without a filter between their zones. None: an interface is in no zone."""

    source: str | None
    destination: str | None
    place: Place


@dataclass(frozen=True, slots=True, kw_only=True)
class ReversePathEvidence:
    """The route back to the source, held against the interface a packet came in by.

    `own` is set where the source is the device's own address, which nobody else may use.
    """

    interface: str
    mode: ReversePathCheck | None  #: None: only the device's own addresses are refused
    source: Address
    route: Route | None
    place: Place
    own: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class TranslationEvidence:
    """What a packet's addresses became. `rule` is None where its session says what they become."""

    side: Side
    before: Header
    after: Header
    rule: TranslationRule | None
    choices: int = 1  #: how many addresses the rule may choose from
    taken: bool = False  #: whether another session has its ends, so that the port had to change


@dataclass(frozen=True, slots=True, kw_only=True)
class SteeringEvidence:
    """Steering and how it decided; `rule` is None where nothing matched or was usable."""

    steering: Steering
    rule: SteeringRule | None
    tried: tuple[SteeringTried, ...]
    next_hop: NextHop | None = None


@dataclass(frozen=True, slots=True)
class SteeringTried:
    """One steering rule and why it did not decide; empty for the one that did."""

    rule: SteeringRule
    mismatch: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteEvidence:
    """The longest match, what stands behind it, and the next hop this branch takes.

    `route` is None where nothing matched. `shorter` are the less specific routes, longest first.
    """

    destination: Address
    route: Route | None
    next_hop: NextHop | None = None
    shorter: tuple[Route, ...] = ()
    table: str = ""  #: the VRF whose table steering named; empty: the packet's own


@dataclass(frozen=True, slots=True, kw_only=True)
class TtlEvidence:
    """The time to live (hop limit) that arrived."""

    arrived: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MtuEvidence:
    """The packet's size against an interface. `size` is None where it was not asked."""

    interface: str
    mtu: int  #: bytes
    size: int | None  #: bytes
    place: Place
    cut: bool = False  #: whether it is sent in fragments
    arriving: bool = False  #: whether the interface takes it in, rather than sends it


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
    virtual: int | None = None  #: the virtual router whose master answers


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerEvidence:
    """An answer whose ends are not those that were asked, as who asked sees it.

    `translator` is the device that translated what was asked, and does not see the answer.
    """

    asked: Header
    arrived: Header
    translator: str | None
    place: Place


@dataclass(frozen=True, slots=True, kw_only=True)
class PiecesEvidence:
    """A device that puts fragments together has some of them, and the others went another way."""

    place: Place


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
    | ZoneEvidence
    | ReversePathEvidence
    | TranslationEvidence
    | SteeringEvidence
    | RouteEvidence
    | TtlEvidence
    | MtuEvidence
    | NeighbourEvidence
    | AnswerEvidence
    | PiecesEvidence
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
    vrf: str = ""  #: of a missing route: the table that was asked


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

    share: Fraction  #: of the traffic; the branches of an answer add up to 1
    verdict: Verdict
    hops: tuple[Hop, ...]
    cause: Cause | None  #: None where it arrives
    outside: str | None = None  #: the outside neighbour it leaves to
    path_mtu: int | None = None  #: bytes, the smallest on the way; None before the first link
    entry: str | None = None  #: "outside neighbour at device:interface" where it came from outside
    header: Header | None = None  #: the packet as it ended
    sessions: tuple[Session, ...] = ()  #: what devices on the way remember of it
    obstacles: tuple[Obstacle, ...] = ()  #: of a walk beyond obstacles, in order of the way
