"""What happened, and when: events of a running network, as others tell them.

Times are whole microseconds since 1970-01-01T00:00:00Z. An event says how one thing is from then
on; of several about one thing the last by time counts, whatever order they arrived in.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from enum import StrEnum

from routrel.model.addresses import Address, Prefix
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import Origin

__all__ = [
    "DAY",
    "HOUR",
    "MINUTE",
    "SECOND",
    "BadTime",
    "Event",
    "EventKind",
    "Reachable",
    "RouterLink",
    "time_of",
    "time_words",
]

#: In microseconds.
SECOND, MINUTE, HOUR = 1_000_000, 60_000_000, 3_600_000_000
DAY = 24 * HOUR
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class EventKind(StrEnum):
    """What an event is about."""

    INTERFACE = "interface"  #: it carries frames, or does not
    ADJACENCY = "adjacency"  #: of two routers in an interior protocol
    SESSION = "session"  #: of BGP
    PREFIX = "prefix"  #: a device announces a network of its own, or does not
    COST = "cost"  #: what an interface counts outward
    BGP_UPDATE = "bgp_update"  #: an outside network announces a prefix, or does not
    MEASURE = "measure"  #: a measured value; nothing is routed by it
    ROUTER_LSA = "router_lsa"  #: all that a router of OSPF tells of itself in an area
    LSP = "lsp"  #: all that a system of IS-IS tells of itself at a level


@dataclass(frozen=True, slots=True)
class RouterLink:
    """One link of a router-LSA (RFC 2328 A.4.2)."""

    type: int  #: 1 point-to-point, 2 transit, 3 stub, 4 virtual
    link_id: Address
    link_data: Address
    metric: int


@dataclass(frozen=True, slots=True)
class Reachable:
    """A neighbour or a prefix that a link-state PDU tells of (RFC 5305 3, 4; RFC 5308 2)."""

    what: str  #: a system id with its pseudonode, or a prefix
    metric: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One thing that happened. What its kind does not tell of is None or empty."""

    id: str
    time: int  #: microseconds
    kind: EventKind
    device: str = ""
    interface: str = ""  #: empty: of no interface
    protocol: str = ""
    #: Whether it is up, announced.
    on: bool = True
    neighbour: str = ""  #: a device's name, an address or a router id
    prefix: Prefix | None = None
    reason: str = ""
    old: int | None = None  #: the cost before
    new: int | None = None  #: the cost from then on
    outside: str = ""  #: who announces
    heard_by: str = ""  #: the device that heard it; empty: all that speak with it
    at: Address | None = None  #: of a session: the neighbour's; of an update: the sender's
    as_path: tuple[int, ...] = ()  #: as it is sent, with the sender's own number
    origin: Origin = Origin.IGP
    med: int | None = None
    communities: tuple[str, ...] = ()
    name: str = ""  #: of what was measured
    value: float | None = None
    unit: str = ""
    #: Of a router-LSA: who tells it, of which area, and its links; none of one that is withdrawn.
    router: str = ""  #: its router id; of a link-state PDU its system id
    area: int = 0  #: of a link-state PDU its level
    links: tuple[RouterLink, ...] = ()
    neighbours: tuple[Reachable, ...] = ()  #: of a link-state PDU
    prefixes: tuple[Reachable, ...] = ()  #: likewise
    place: Place = field(default=NOWHERE, compare=False)

    def __str__(self) -> str:
        return f"{self.id} at {time_words(self.time)}"


class BadTime(ValueError):
    """A text is no time of day in UTC, or with an offset from it."""


def time_of(text: str) -> int:
    """Microseconds of a time as RFC 3339 writes it, as `2026-01-05T02:11:07.140382Z`.

    Raises:
        BadTime: it is none, lacks its offset, has a second 60, or more than six digits behind
            its second.
    """
    _, point, rest = text.partition(".")
    digits = len(rest) - len(rest.lstrip("0123456789"))
    if len(text) < 20 or text[10:11] not in "Tt " or (point and not 1 <= digits <= 6):
        raise BadTime(f"“{text[:60]}” is no time as 2026-01-05T02:11:07.140382Z")
    try:
        made = datetime.fromisoformat(text)
    except ValueError as error:
        raise BadTime(f"“{text[:60]}” is no time as 2026-01-05T02:11:07.140382Z") from error
    if made.tzinfo is None:
        raise BadTime(f"“{text[:60]}” does not say its offset from UTC; end it with Z")
    return (made - _EPOCH) // timedelta(microseconds=1)


def time_words(time: int) -> str:
    """A time as `2026-01-05T02:11:07.140382Z`, with six digits behind the second."""
    made = _EPOCH + timedelta(microseconds=time)
    return made.strftime("%Y-%m-%dT%H:%M:%S.%f") + "Z"
