"""Promises: what must hold of a network, whatever is changed in it.

They are no part of the network: no answer about it depends on them.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TypeAlias

from routrel.model.addresses import Address, Prefix
from routrel.model.filters import PortRange
from routrel.model.findings import Severity
from routrel.model.place import Place, placed

__all__ = [
    "EVERYBODY",
    "Avoids",
    "Blocked",
    "Branches",
    "Carries",
    "Clause",
    "Delivered",
    "FlowSet",
    "HasDefault",
    "Holds",
    "LeavesBy",
    "NoFinding",
    "NobodyHears",
    "Passes",
    "Promise",
    "PromiseFile",
    "ReturnsSameWay",
    "RouteClaim",
    "Separate",
    "Sharing",
    "Survives",
    "TakesAtMost",
    "Thing",
    "ThingKind",
    "Traffic",
]

#: The word for all addresses of both families.
EVERYBODY = "everybody"


@dataclass(frozen=True, slots=True, kw_only=True)
class Traffic:
    """Part of what a promise is about, apart from addresses.

    Of TCP it is the first packet of a connection, unless flags are named.
    """

    protocol: int | None = None  #: IANA number; None: any
    ports: PortRange | None = None  #: destination ports; None: any, where the protocol has ports
    icmp_type: int | None = None  #: None: echo requests, of ICMP; any, of any protocol
    flags: frozenset[str] | None = None  #: TCP flags that are set; None: syn alone


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowSet:
    """All headers from some ends to others; an end is written as people name it."""

    sources: tuple[str, ...]
    destinations: tuple[str, ...]
    traffic: tuple[Traffic, ...] = ()  #: empty: an echo request
    source_ports: PortRange | None = None  #: None: those that clients use, or any if blocked
    version: int | None = None  #: of IP; None: every one that both ends have
    question: str = ""  #: the kept question whose flow it is; then nothing else is given


class ThingKind(StrEnum):
    """What traffic may pass."""

    DEVICE = "device"
    SITE = "site"
    LINK = "link"
    NETWORK = "network"  #: somebody else's, next to this one
    GROUP = "group"  #: anything of a risk group
    INTERFACE = "interface"  #: written device:interface


@dataclass(frozen=True, slots=True)
class Thing:
    """Something that traffic may pass; without a kind it is whatever has the name."""

    name: str
    kind: ThingKind | None = None


class Sharing(StrEnum):
    """What branches, or flows, must not have in common."""

    LINK = "link"
    DEVICE = "device"
    GROUP = "risk group"


# --- what must hold of a flow -------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Delivered:
    """Every header arrives on every branch, and so do the answers."""


@dataclass(frozen=True, slots=True)
class Blocked:
    """No header arrives on any branch, whatever stops it."""


@dataclass(frozen=True, slots=True)
class Passes:
    """Whatever arrives passed these; with `any_of`, one of them."""

    things: tuple[Thing, ...]
    any_of: bool = False
    both_ways: bool = False


@dataclass(frozen=True, slots=True)
class Avoids:
    """No packet meets any of these."""

    things: tuple[Thing, ...]
    both_ways: bool = False


@dataclass(frozen=True, slots=True)
class LeavesBy:
    """Whatever arrives leaves the network by one of these: a network, a device, an interface."""

    things: tuple[Thing, ...]


@dataclass(frozen=True, slots=True)
class TakesAtMost:
    """Whatever arrives crossed at most so many links."""

    hops: int


@dataclass(frozen=True, slots=True)
class Branches:
    """There are at least so many equal-cost ways of which no two share anything of a kind.

    An end's own device does not count, nor the only link that it has.
    """

    count: int
    sharing: Sharing


@dataclass(frozen=True, slots=True)
class Carries:
    """IP packets of so many bytes arrive uncut, and answers of that size do."""

    size: int


@dataclass(frozen=True, slots=True)
class ReturnsSameWay:
    """Answers come over the devices that the packets went over, the other way round."""


@dataclass(frozen=True, slots=True)
class Survives:
    """All else that is promised holds too when any one thing of a kind fails, or any two.

    What fails an end itself does not count: its device, all links that it has, or the line of an
    outside network.
    """

    kinds: tuple[ThingKind, ...]
    count: int = 1


@dataclass(frozen=True, slots=True)
class Separate:
    """It shares no link, device or risk group with the flow of another promise.

    An end's own device does not count, nor the only link that it has.
    """

    promise: str
    sharing: tuple[Sharing, ...] = (Sharing.LINK, Sharing.DEVICE, Sharing.GROUP)


Clause: TypeAlias = (
    Delivered
    | Blocked
    | Passes
    | Avoids
    | LeavesBy
    | TakesAtMost
    | Branches
    | Carries
    | ReturnsSameWay
    | Survives
    | Separate
)

# --- what must hold of routes -------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Holds:
    """A device has an active route to exactly a prefix, and every further word is true of it."""

    device: str
    prefix: Prefix
    vrf: str | None = None  #: None: the default one
    protocol: str | None = None  #: its identifier
    neighbour: str | None = None  #: a device or an address that announces it
    next_hop: Address | None = None  #: one of its next hops
    exit: Thing | None = None  #: where packets to it leave the network


@dataclass(frozen=True, slots=True, kw_only=True)
class NobodyHears:
    """No outside network hears a prefix, or a part of it, from this one."""

    prefix: Prefix


@dataclass(frozen=True, slots=True, kw_only=True)
class HasDefault:
    """Every forwarding device of a site has an active default route."""

    site: str
    version: int = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class NoFinding:
    """Nothing of a kind is found in the network."""

    code: str


RouteClaim: TypeAlias = Holds | NobodyHears | HasDefault | NoFinding


@dataclass(frozen=True, slots=True, kw_only=True)
class Promise:
    """What must hold, as a sentence says it; either `flows` or `claim` is given."""

    name: str
    sentence: str  #: as it is written
    flows: FlowSet | None = None
    clauses: tuple[Clause, ...] = ()  #: of flows all kinds; of a claim Survives alone
    claim: RouteClaim | None = None
    severity: Severity = Severity.ERROR
    owner: str = ""
    folder: str = ""
    note: str = ""
    place: Place = placed()

    @property
    def is_blocked(self) -> bool:
        """Whether it says that nothing arrives."""
        return any(isinstance(clause, Blocked) for clause in self.clauses)

    @property
    def survives(self) -> tuple[Survives, ...]:
        """What it must survive."""
        return tuple(clause for clause in self.clauses if isinstance(clause, Survives))


@dataclass(frozen=True, slots=True, kw_only=True)
class PromiseFile:
    """The promises of one file."""

    promises: tuple[Promise, ...]
    place: Place = placed()
