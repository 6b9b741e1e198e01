"""The tables of all devices after selection: look-ups by prefix and by address."""

from __future__ import annotations

import hashlib
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place
from routrel.rib.candidates import (
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKinds,
    Rows,
    joined,
)
from routrel.rib.select import in_order

__all__ = [
    "Blocks",
    "Rib",
    "Route",
    "RowsByTable",
    "TableRows",
    "active_unlike",
    "by_table",
    "same_rows",
]

#: Addresses whose longest match a table remembers.
_MOST_LOOKED_UP = 2_000

#: Rows of one table, in parts.
Blocks: TypeAlias = tuple[Rows, ...]
#: By number of the table: its rows of one protocol.
RowsByTable: TypeAlias = Mapping[int, Blocks]


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    """One row as an object, for people to look at."""

    device: str
    vrf: str
    prefix: Prefix
    protocol: Protocol
    path_type: PathType
    distance: int
    metric: int
    tag: int
    discard: bool
    pass_on: bool  #: of those that discard: as if the table had no route
    next_hops: tuple[NextHop, ...]
    place: Place  #: where it was configured or read; NOWHERE for learned routes
    observed: bool = False  #: whether it is of a table that was read from the device


class TableRows:
    """The candidate rows of one table, and which of them are active. Never changed once made.

    It is put in order when somebody looks. One that is found to be equal to another takes its
    place, so that what did not change is the same object in both ribs.
    """

    __slots__ = (
        *("_digest", "_held_by_others", "_kinds", "_selected"),
        *("__weakref__", "blocks", "longest"),
    )

    def __init__(self, blocks: Blocks, kinds: RouteKinds) -> None:
        """
        Args:
            blocks: The candidates, in any order; of equal ones the first comes first.
        """
        self.blocks, self._kinds = tuple(block for block in blocks if len(block)), kinds
        self._selected: tuple[Rows, Rows] | None = None
        self._digest: bytes | None = None
        self._held_by_others: dict[Protocol, NDArray[np.int32]] = {}
        self.longest: dict[Address, Route | None] = {}  #: matches that were looked up already

    def __reduce__(self) -> tuple[type[TableRows], tuple[Blocks, RouteKinds]]:
        """What is stored is the rows; all else follows from them."""
        return TableRows, (self.blocks, self._kinds)

    def __len__(self) -> int:
        """How many candidates there are."""
        return sum(map(len, self.blocks))

    @property
    def candidates(self) -> Rows:
        """Sorted by prefix, the best candidate of each first."""
        return self._select()[0]

    @property
    def active(self) -> Rows:
        """The best candidate of each prefix, unless it is never to be used."""
        return self._select()[1]

    def _select(self) -> tuple[Rows, Rows]:
        """The candidates in order, and the active ones."""
        if self._selected is None:
            rows, wins = in_order(joined(self.blocks), self._kinds)
            wins = wins & ~self._kinds.never[rows["kind"]] if len(rows) else wins
            self._selected = rows, rows if wins.all() else rows.compress(wins)
        return self._selected

    def prefixes(self) -> NDArray[np.int32]:
        """The numbers of all prefixes that it has candidates for, each once."""
        return np.unique(joined(self.blocks)["prefix"])

    @property
    def digest(self) -> bytes:
        """What tells its candidates from others."""
        if self._digest is None:
            self._digest = hashlib.sha256(self.candidates.tobytes()).digest()
        return self._digest

    def is_like(self, other: TableRows) -> bool:
        """Whether both hold the same candidates."""
        if self is other:
            return True
        if len(self) != len(other):
            return False
        pairs = zip(self.blocks, other.blocks, strict=False)
        if len(self.blocks) == len(other.blocks) and all(one is two for one, two in pairs):
            return True
        return same_rows(self.candidates, other.candidates)

    def held_by_others(self, protocol: Protocol) -> NDArray[np.int32]:
        """The prefix numbers that are not held active under a protocol that has them.

        Another protocol's route is active there, or the protocol's own is never to be used.
        """
        found = self._held_by_others.get(protocol)
        if found is None:
            mine, never = self._kinds.of(protocol), self._kinds.never
            found = self.active["prefix"][~mine[self.active["kind"]]].copy()
            own = self.candidates
            if never.any():
                unused = own["prefix"][mine[own["kind"]] & never[own["kind"]]]
                found = np.unique(np.concatenate([found, unused]))
            self._held_by_others[protocol] = found
        return found


def same_rows(left: Rows, right: Rows) -> bool:
    """Whether two blocks hold the same rows in the same order."""
    if left is right:
        return True
    if len(left) != len(right):
        return False
    # As plain numbers: comparing structured rows field by field is slower by far.
    one, other = (np.ascontiguousarray(rows).view(np.int32) for rows in (left, right))
    return bool(np.array_equal(one, other))


def by_table(rows: Rows) -> RowsByTable:
    """Rows in any order, those of each table together in the order in which they were."""
    if not len(rows):
        return {}
    tables = rows["table"]
    if (tables[1:] < tables[:-1]).any():
        rows = rows.take(np.argsort(tables, kind="stable"))
        tables = rows["table"]
    begins = [0, *(np.flatnonzero(tables[1:] != tables[:-1]) + 1).tolist(), len(rows)]
    return {int(tables[a]): (rows[a:b],) for a, b in pairwise(begins)}


def active_unlike(ribs: Sequence[Rib]) -> list[Rows]:
    """Of each rib the active rows of the tables that are not one and the same in all of them."""
    wanted = [
        number
        for number, tables in enumerate(zip(*(rib.tables for rib in ribs), strict=True))
        if any(table is not tables[0] for table in tables)
    ]
    return [joined(rib.tables[n].active for n in wanted) for rib in ribs]


class Rib:
    """Candidates and active routes of one convergence, table by table. Never changed once made."""

    def __init__(self, interning: Interning, tables: Sequence[TableRows]) -> None:
        """
        Args:
            tables: By number of the table.
        """
        self.interning, self.tables = interning, tuple(tables)

    @classmethod
    def of_rows(cls, interning: Interning, candidates: Rows) -> Rib:
        """From rows of all tables in any order."""
        blocks, kinds = by_table(candidates), interning.kinds
        count = len(interning.tables)
        return cls(interning, [TableRows(blocks.get(n, ()), kinds) for n in range(count)])

    @cached_property
    def candidates(self) -> Rows:
        """All candidates, sorted by table and prefix, the best of each first."""
        return joined(table.candidates for table in self.tables)

    @cached_property
    def active(self) -> Rows:
        """All active rows, sorted by table and prefix."""
        return joined(table.active for table in self.tables)

    @property
    def digest(self) -> bytes:
        """What tells the candidates of all tables from others."""
        return hashlib.sha256(b"".join(table.digest for table in self.tables)).digest()

    def is_like(self, other: Rib) -> bool:
        """Whether both hold the same candidates; their numbers are the same ones."""
        pairs = zip(self.tables, other.tables, strict=True)
        return all(one.is_like(two) for one, two in pairs)

    def with_tables(self, others: Mapping[int, TableRows]) -> Rib:
        """The same, some of whose tables are others."""
        return Rib(
            self.interning,
            [others.get(number, table) for number, table in enumerate(self.tables)],
        )

    def matches(self, table: int, address: Address) -> Iterator[Route]:
        """The active routes that hold an address, longest prefix first (RFC 1812 5.2.4.3)."""
        for prefix in self.interning.prefixes.matches(address):
            row = self._row(table, prefix)
            if row is not None:
                yield self.route(row)

    def lookup(self, table: int, address: Address) -> Route | None:
        """The longest match for an address, or None."""
        known = self.tables[table].longest
        if address in known:
            return known[address]
        found = next(self.matches(table, address), None)
        if len(known) < _MOST_LOOKED_UP:
            known[address] = found
        return found

    def active_route(self, table: int, prefix: Prefix) -> Route | None:
        """The active route to exactly this prefix, or None."""
        number = self.interning.prefixes.number(prefix)
        row = None if number is None else self._row(table, number)
        return None if row is None else self.route(row)

    def table_rows(self, table: int) -> Rows:
        """The active rows of one table, in order of their prefix's number."""
        return self.tables[table].active

    def held_by_others(self, table: int, protocol: Protocol) -> NDArray[np.int32]:
        """The prefix numbers that a table does not hold active under a protocol that has them."""
        return self.tables[table].held_by_others(protocol)

    def table_candidates(self, table: int) -> Rows:
        """All candidates of one table, in order of their prefix's number, best first."""
        return self.tables[table].candidates

    def table_routes(self, table: int) -> Iterator[Route]:
        """All active routes of one table, in order of their prefix's number."""
        yield from self.routes(self.table_rows(table))

    def candidate_rows(self, table: int, prefix: int) -> Rows:
        """The rows of a table for a prefix number, best first. A view: nothing is copied."""
        rows = self.tables[table].candidates
        # A structured column is strided, and NumPy's own search would copy it. Bisection does not.
        prefixes = rows["prefix"]
        begin = bisect_left(prefixes, prefix)
        return rows[begin : bisect_right(prefixes, prefix, begin)]

    def _row(self, table: int, prefix: int) -> np.void | None:
        rows = self.tables[table].active
        prefixes = rows["prefix"]
        index = bisect_left(prefixes, prefix)
        return rows[index] if index < len(rows) and prefixes[index] == prefix else None

    def route(self, row: np.void) -> Route:
        """A row as an object."""
        return self._route(*row.tolist())

    def routes(self, rows: Rows) -> list[Route]:
        """Rows as objects."""
        return [self._route(*row) for row in rows.tolist()]

    def _route(self, table: int, prefix: int, metric: int, kind: int, next_hops: int) -> Route:
        device, vrf = self.interning.tables[table]
        what = self.interning.kinds.kinds[kind]
        read = self.interning.written.get(table)
        return Route(
            device=device,
            vrf=vrf,
            prefix=self.interning.prefixes.prefixes[prefix],
            protocol=what.protocol,
            path_type=what.path_type,
            distance=what.distance,
            metric=metric,
            tag=what.tag,
            discard=what.discard,
            pass_on=what.pass_on,
            next_hops=self.interning.next_hops.sets[next_hops],
            place=self.interning.places[what.place] if read is None else read.place(prefix),
            observed=read is not None,
        )
