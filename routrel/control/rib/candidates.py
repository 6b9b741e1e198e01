"""Candidate routes of all devices as arrays, and the interned values they point to.

A row is one protocol's route of one table to one prefix, with a set of equal-cost next hops. A
table is a (device, VRF) pair. Tables, prefixes and next-hop sets are numbered; rows hold numbers.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import IntEnum
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address
from routrel.model.network import Network
from routrel.model.place import NOWHERE, Place
from routrel.model.prefix_index import PrefixIndex

__all__ = [
    "DEFAULT_DISTANCE",
    "ROW",
    "CandidateBuilder",
    "Interning",
    "NextHop",
    "NextHopSets",
    "PathType",
    "Protocol",
    "Rows",
    "Table",
]


class Protocol(IntEnum):
    """Where a route comes from. Names in lower case are the stable identifiers."""

    CONNECTED = 0
    LOCAL = 1
    STATIC = 2
    RIP = 3
    EIGRP = 4
    OSPF = 5
    ISIS = 6
    BGP = 7

    @property
    def id(self) -> str:
        return self.name.lower()


class PathType(IntEnum):
    """OSPF's path types in order of preference (RFC 2328 11); others have none."""

    NONE = 0
    INTRA_AREA = 1
    INTER_AREA = 2
    EXTERNAL_1 = 3
    EXTERNAL_2 = 4

    @property
    def id(self) -> str | None:
        return None if self is PathType.NONE else self.name.lower()


#: Preference between protocols; lower wins. Hosts and devices may set their own where files allow.
DEFAULT_DISTANCE: dict[Protocol, int] = {
    Protocol.CONNECTED: 0,
    Protocol.LOCAL: 0,
    Protocol.STATIC: 1,
    Protocol.OSPF: 110,
}

Table: TypeAlias = tuple[str, str]  #: device and VRF


@dataclass(frozen=True, slots=True, order=True)
class NextHop:
    """One way onward. `via` is what a recursive route names; `address` is where it resolved to."""

    interface: str | None  #: None: the packet is discarded
    address: Address | None = None  #: None: the destination itself is the neighbour
    via: Address | None = None  #: None unless resolved through another route
    weight: int = 1  #: share of the load relative to the others


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


class Interning:
    """The numbering shared by all rows of one convergence."""

    def __init__(self, network: Network) -> None:
        self.tables: list[Table] = [
            (device.name, vrf.name) for device in network.devices for vrf in device.vrfs
        ]
        self.table_numbers: dict[Table, int] = {
            table: number for number, table in enumerate(self.tables)
        }
        self.prefixes = PrefixIndex()
        self.next_hops = NextHopSets()
        self.places: list[Place] = [NOWHERE]

    def place(self, place: Place) -> int:
        self.places.append(place)
        return len(self.places) - 1


#: One candidate: 40 bytes.
ROW = np.dtype(
    [
        ("table", np.int32),
        ("prefix", np.int32),
        ("protocol", np.int8),
        ("path_type", np.int8),
        ("discard", np.bool_),
        ("distance", np.int32),
        ("metric", np.int64),
        ("tag", np.int64),
        ("next_hops", np.int32),
        ("place", np.int32),  #: where it was configured; 0: nowhere in particular
    ]
)
Rows: TypeAlias = NDArray[Any]


@dataclass
class CandidateBuilder:
    """Collects single rows, for protocols whose routes stand in files one by one."""

    rows: list[tuple[int, int, int, int, bool, int, int, int, int, int]] = field(
        default_factory=list
    )

    def add(
        self,
        *,
        table: int,
        prefix: int,
        protocol: Protocol,
        distance: int,
        next_hops: int,
        path_type: PathType = PathType.NONE,
        discard: bool = False,
        metric: int = 0,
        tag: int = 0,
        place: int = 0,
    ) -> None:
        self.rows.append(
            (table, prefix, protocol, path_type, discard, distance, metric, tag, next_hops, place)
        )

    def array(self) -> Rows:
        return np.array(self.rows, dtype=ROW)
