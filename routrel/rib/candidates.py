"""Candidate routes of all devices as arrays, and the interned values they point to.

A row is one protocol's route of one table to one prefix, with a set of equal-cost next hops. A
table is a (device, VRF) pair. Tables, prefixes and next-hop sets are numbered; rows hold numbers.
"""

from __future__ import annotations

import ipaddress
from bisect import bisect_left
from collections.abc import Callable, Iterable
from copy import copy
from dataclasses import dataclass, field, replace
from enum import IntEnum
from typing import Any, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address
from routrel.model.network import Network
from routrel.model.place import NOWHERE, Place
from routrel.model.prefix_index import PrefixIndex
from routrel.rib.written import Written

__all__ = [
    "DEFAULT_DISTANCE",
    "DISCARD",
    "GUARDS",
    "MAXIMUM_METRIC",
    "NEVER",
    "ROW",
    "CandidateBuilder",
    "Interning",
    "NextHop",
    "NextHopSets",
    "PathType",
    "Protocol",
    "RouteKind",
    "RouteKinds",
    "Rows",
    "Table",
    "hop_order",
    "limited",
    "no_rows",
    "one_way_each",
    "rank",
    "table_slice",
]

#: The largest metric a row holds; larger ones are cut to it.
MAXIMUM_METRIC = 2**32 - 1


class Protocol(IntEnum):
    """Where a route comes from. Names in lower case are the stable identifiers."""

    CONNECTED = 0
    LOCAL = 1
    STATIC = 2
    RIP = 3
    RIPNG = 4
    EIGRP = 5
    OSPF = 6
    OSPFV3 = 7
    ISIS = 8
    BGP = 9
    LEAKED = 10  #: from another VRF of the device
    OTHER = 11  #: by a protocol that the model does not know, of a table that was read

    @property
    def id(self) -> str:
        """The stable identifier in answers."""
        return self.name.lower()


class PathType(IntEnum):
    """What kind of route its protocol holds it to be; lower numbers of a protocol are preferred."""

    NONE = 0
    #: OSPF (RFC 2328 11; RFC 3101 for the routes of an NSSA, which rank as external ones do)
    INTRA_AREA = 1
    INTER_AREA = 2
    EXTERNAL_1 = 3
    NSSA_1 = 4
    EXTERNAL_2 = 5
    NSSA_2 = 6
    #: IS-IS (RFC 5302 3.2)
    LEVEL_1 = 7
    LEVEL_2 = 8
    LEVEL_1_DOWN = 9  #: leaked from level 2 into level 1
    ATTACHED = 10  #: the default towards an attached system
    #: EIGRP (RFC 7868 5.5); BGP uses the first two
    INTERNAL = 11
    EXTERNAL = 12
    SUMMARY = 13  #: discards what a summary holds and nobody has
    #: BGP has internal and external routes too, and:
    CONFEDERATION = 14  #: from another member AS (RFC 5065)
    AGGREGATE = 15  #: discards what an aggregate holds and nobody has

    @property
    def id(self) -> str | None:
        """The stable identifier in answers; None: the protocol has no types."""
        return None if self is PathType.NONE else self.name.lower()


#: Kinds of route that drop the rest of a summary, range or aggregate, and so guard against loops.
GUARDS = (PathType.SUMMARY, PathType.AGGREGATE)
#: Room for the number of a protocol behind a distance.
_PROTOCOL_BITS = 8

#: A route of this distance is known and never used.
NEVER = 255

#: Preference between protocols; lower wins. Devices may set their own.
DEFAULT_DISTANCE: dict[Protocol, int] = {
    Protocol.CONNECTED: 0,
    Protocol.LOCAL: 0,
    Protocol.STATIC: 1,
    Protocol.EIGRP: 90,
    Protocol.OSPF: 110,
    Protocol.OSPFV3: 110,
    Protocol.ISIS: 115,
    Protocol.RIP: 120,
    Protocol.RIPNG: 120,
    Protocol.BGP: 200,
}

Table: TypeAlias = tuple[str, str]  #: device and VRF
_Number = TypeVar("_Number", np.int64, np.bool_)


@dataclass(frozen=True, slots=True, order=True)
class NextHop:
    """One way onward. `via` is what a recursive route names; `address` is where it resolved to."""

    interface: str | None  #: None: the packet is discarded
    address: Address | None = None  #: None: the destination itself is the neighbour
    via: Address | None = None  #: None unless resolved through another route
    weight: int = 1  #: share of the load relative to the others


#: The only next hop of a route that drops what it matches.
DISCARD = NextHop(None)


def hop_order(hop: NextHop) -> tuple[str, int]:
    """By which equal next hops are kept: interface name, then address."""
    return hop.interface or "", int(hop.address) if hop.address else 0


def one_way_each(hops: Iterable[NextHop]) -> list[NextHop]:
    """Next hops that lead to one neighbour are one way, whatever they were resolved from."""
    found: dict[tuple[str | None, Address | None], NextHop] = {}
    for hop in hops:
        found.setdefault((hop.interface, hop.address), hop)
    return list(found.values())


def limited(hops: Iterable[NextHop], maximum: int) -> tuple[NextHop, ...]:
    """At most so many different next hops, the first by interface name and address."""
    return tuple(sorted(set(hops), key=hop_order)[:maximum])


class NextHopSets:
    """Sets of next hops, numbered; equal sets have equal numbers."""

    def __init__(self) -> None:
        self.sets: list[tuple[NextHop, ...]] = []
        self._numbers: dict[tuple[NextHop, ...], int] = {}

    def add(self, hops: Iterable[NextHop]) -> int:
        key = tuple(hops)
        number = self._numbers.get(key)
        if number is None:
            number = self._numbers[key] = len(self.sets)
            self.sets.append(key)
        return number

    def copy(self) -> NextHopSets:
        """The same numbers, to which others may be added."""
        made = NextHopSets()
        made.sets, made._numbers = self.sets.copy(), self._numbers.copy()
        return made


class Interning:
    """The numbering shared by all rows of one state of a network, its own alone.

    It grows while tables are computed, and not any more once they are.
    """

    def __init__(self, network: Network) -> None:
        self.tables: list[Table] = [
            (device.name, vrf.name) for device in network.devices for vrf in device.vrfs
        ]
        self.table_numbers: dict[Table, int] = {
            table: number for number, table in enumerate(self.tables)
        }
        self.prefixes = PrefixIndex()
        self._defaults = {
            4: self.prefixes.add(ipaddress.ip_network("0.0.0.0/0")),
            6: self.prefixes.add(ipaddress.ip_network("::/0")),
        }
        self.next_hops = NextHopSets()
        self.kinds = RouteKinds()
        self.places: list[Place] = [NOWHERE]
        #: By number: the tables that were read, not computed.
        self.written: dict[int, Written] = {}
        #: Numbers of the tables that are said to be taken as they were read, and were not read.
        self.unread: set[int] = set()

        self._place_numbers: dict[Place, int] = {NOWHERE: 0}

    def copy(self) -> Interning:
        """The same numbers for the next state of much the same network, which may add others.

        So rows of both can be compared.
        """
        made = copy(self)
        made.prefixes, made.next_hops = self.prefixes.copy(), self.next_hops.copy()
        made.kinds, made.places = self.kinds.copy(), self.places.copy()
        made._place_numbers = self._place_numbers.copy()
        made.written, made.unread = {}, set()
        return made

    def default_prefix(self, version: int) -> int:
        """The number of 0.0.0.0/0 or ::/0."""
        return self._defaults[version]

    def place(self, place: Place) -> int:
        number = self._place_numbers.get(place)
        if number is None:
            number = self._place_numbers[place] = len(self.places)
            self.places.append(place)
        return number


@dataclass(frozen=True, slots=True)
class RouteKind:
    """What many rows have in common."""

    protocol: Protocol
    distance: int
    path_type: PathType = PathType.NONE
    discard: bool = False
    pass_on: bool = False  #: a discard to which the table says nothing: steering goes on
    tag: int = 0
    place: int = 0  #: where it was configured; 0: nowhere in particular

    @property
    def placeless(self) -> RouteKind:
        """The same, wherever it was configured."""
        return replace(self, place=0)


class RouteKinds:
    """Kinds of routes, numbered; equal kinds have equal numbers."""

    def __init__(self) -> None:
        self.kinds: list[RouteKind] = []
        self._numbers: dict[RouteKind, int] = {}
        self._ranks = np.zeros(0, dtype=np.int64)
        self._never = np.zeros(0, dtype=bool)
        self._path_types = np.zeros(0, dtype=np.int64)
        self._protocols = np.zeros(0, dtype=np.int64)
        self._discards = np.zeros(0, dtype=bool)
        self._of: dict[Protocol, NDArray[np.bool_]] = {}
        self._placeless = np.zeros(0, dtype=np.int64)
        self._first: dict[RouteKind, int] = {}  #: by what a kind is wherever it was configured

    def copy(self) -> RouteKinds:
        """The same numbers, to which others may be added."""
        made = RouteKinds()
        made.kinds, made._numbers = self.kinds.copy(), self._numbers.copy()
        made._ranks, made._never, made._of = self._ranks, self._never, self._of.copy()
        made._path_types, made._protocols = self._path_types, self._protocols
        made._discards = self._discards
        made._placeless, made._first = self._placeless, self._first.copy()
        return made

    def add(self, kind: RouteKind) -> int:
        number = self._numbers.get(kind)
        if number is None:
            number = self._numbers[kind] = len(self.kinds)
            self.kinds.append(kind)
        return number

    @property
    def ranks(self) -> NDArray[np.int64]:
        """For each kind its place in the order between protocols; see `rank`."""
        self._ranks = self._grown(self._ranks, lambda kind: rank(kind.distance, kind.protocol))
        return self._ranks

    @property
    def never(self) -> NDArray[np.bool_]:
        """For each kind whether its routes are never used."""
        self._never = self._grown(self._never, lambda kind: kind.distance >= NEVER)
        return self._never

    @property
    def path_types(self) -> NDArray[np.int64]:
        """For each kind the number of its path type."""
        self._path_types = self._grown(self._path_types, lambda kind: kind.path_type)
        return self._path_types

    @property
    def protocols(self) -> NDArray[np.int64]:
        """For each kind the number of its protocol."""
        self._protocols = self._grown(self._protocols, lambda kind: kind.protocol)
        return self._protocols

    @property
    def discards(self) -> NDArray[np.bool_]:
        """For each kind whether its routes drop what they match."""
        self._discards = self._grown(self._discards, lambda kind: kind.discard)
        return self._discards

    @property
    def placeless(self) -> NDArray[np.int64]:
        """For each kind the first that is the same wherever it was configured."""
        self._placeless = self._grown(self._placeless, self._first_of)
        return self._placeless

    def _first_of(self, kind: RouteKind) -> int:
        return self._first.setdefault(kind.placeless, self._numbers[kind])

    def of(self, protocol: Protocol) -> NDArray[np.bool_]:
        """For each kind whether it is of a protocol."""
        found = self._of.get(protocol, np.zeros(0, dtype=bool))
        found = self._of[protocol] = self._grown(found, lambda kind: kind.protocol is protocol)
        return found

    def _grown(
        self, known: NDArray[_Number], value: Callable[[RouteKind], int]
    ) -> NDArray[_Number]:
        """The values of all kinds, of which those of the first are known."""
        if len(known) == len(self.kinds):
            return known
        more = [value(kind) for kind in self.kinds[len(known) :]]
        return np.concatenate([known, np.array(more, dtype=known.dtype)])


def rank(distance: int, protocol: Protocol) -> int:
    """Preference between protocols as one number; lower wins.

    Distance decides. Of equal distances the protocol with the lower number wins, so that a
    subnet's connected route stands before its equal local one.
    """
    return distance << _PROTOCOL_BITS | protocol


#: One candidate: 20 bytes. All else is shared, in `RouteKinds` and `NextHopSets`.
ROW = np.dtype(
    [
        ("table", np.int32),
        ("prefix", np.int32),
        ("metric", np.uint32),
        ("kind", np.int32),
        ("next_hops", np.int32),
    ]
)
Rows: TypeAlias = NDArray[Any]
_WHOLE = np.dtype((np.void, ROW.itemsize))


def no_rows() -> Rows:
    """An empty block of rows."""
    return np.zeros(0, dtype=ROW)


def joined(blocks: Iterable[Rows]) -> Rows:
    """Blocks of rows, one after the other.

    Rows are moved whole: NumPy would go through them field by field. For the same reason rows are
    chosen by `take` and `compress`, not by an index.
    """
    whole = [np.ascontiguousarray(block).view(_WHOLE) for block in (no_rows(), *blocks)]
    result: Rows = np.concatenate(whole).view(ROW)
    return result


def table_slice(rows: Rows, table: int) -> slice:
    """Where a table's rows stand in rows sorted by table."""
    tables = rows["table"]
    return slice(
        bisect_left(tables, table),
        bisect_left(tables, table + 1),
    )


@dataclass
class CandidateBuilder:
    """Collects single rows, for protocols whose routes come one by one."""

    interning: Interning
    rows: list[tuple[int, int, int, int, int]] = field(default_factory=list)

    def add(
        self,
        *,
        table: int,
        prefix: int,
        kind: RouteKind,
        next_hops: Iterable[NextHop],
        metric: int = 0,
    ) -> None:
        self.rows.append(
            (
                table,
                prefix,
                min(metric, MAXIMUM_METRIC),
                self.interning.kinds.add(kind),
                self.interning.next_hops.add(next_hops),
            )
        )

    def array(self) -> Rows:
        """The rows sorted by table and prefix."""
        self.rows.sort()
        return np.array(self.rows, dtype=ROW)
