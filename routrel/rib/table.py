"""The tables of all devices after selection: look-ups by prefix and by address."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place
from routrel.rib.candidates import Interning, NextHop, PathType, Protocol, Rows
from routrel.rib.select import in_order

__all__ = ["Rib", "Route"]


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
    place: Place  #: where it was configured; NOWHERE for learned routes


class Rib:
    """Candidates and active routes of one convergence. Never changed once made.

    `candidates` and `active` are sorted by table and prefix, the best candidate of each first.
    """

    def __init__(self, interning: Interning, candidates: Rows) -> None:
        self.interning = interning
        self.candidates, wins = in_order(candidates, interning.kinds)
        if len(candidates):
            wins = wins & ~interning.kinds.never[self.candidates["kind"]]
        self.active = self.candidates if wins.all() else self.candidates[wins]
        # A structured column is strided, and NumPy's own search would copy it. Bisection does not.
        self._tables = self._first_rows(self.active)
        self._candidate_tables = self._first_rows(self.candidates)

    def _first_rows(self, rows: Rows) -> list[int]:
        """Where each table's rows begin, and behind the last where they end."""
        counts = np.bincount(rows["table"], minlength=len(self.interning.tables))
        return [0, *np.cumsum(counts).tolist()]

    def matches(self, table: int, address: Address) -> Iterator[Route]:
        """The active routes that hold an address, longest prefix first (RFC 1812 5.2.4.3)."""
        for prefix in self.interning.prefixes.matches(address):
            row = self._row(table, prefix)
            if row is not None:
                yield self.route(self.active[row])

    def lookup(self, table: int, address: Address) -> Route | None:
        """The longest match for an address, or None."""
        return next(self.matches(table, address), None)

    def active_route(self, table: int, prefix: Prefix) -> Route | None:
        """The active route to exactly this prefix, or None."""
        number = self.interning.prefixes.number(prefix)
        row = None if number is None else self._row(table, number)
        return None if row is None else self.route(self.active[row])

    def table_rows(self, table: int) -> Rows:
        """The active rows of one table, in order of their prefix's number."""
        return self.active[self._tables[table] : self._tables[table + 1]]

    def held_by_others(self, table: int, protocol: Protocol) -> NDArray[np.int32]:
        """The prefix numbers that a table does not hold active under a protocol that has them.

        Another protocol's route is active there, or the protocol's own is never to be used.
        """
        rows = self.table_rows(table)
        mine = self.interning.kinds.of(protocol)
        result: NDArray[np.int32] = rows["prefix"][~mine[rows["kind"]]].copy()
        own = self.table_candidates(table)
        never = self.interning.kinds.never
        if never.any():
            unused = own["prefix"][mine[own["kind"]] & never[own["kind"]]]
            result = np.unique(np.concatenate([result, unused]))
        return result

    def table_candidates(self, table: int) -> Rows:
        """All candidates of one table, in order of their prefix's number, best first."""
        first, last = self._candidate_tables[table], self._candidate_tables[table + 1]
        return self.candidates[first:last]

    def table_routes(self, table: int) -> Iterator[Route]:
        """All active routes of one table, in order of their prefix's number."""
        for row in self.table_rows(table):
            yield self.route(row)

    def candidate_rows(self, table: int, prefix: int) -> Rows:
        """The rows of a table for a prefix number, best first. A view: nothing is copied."""
        first, last = self._candidate_tables[table], self._candidate_tables[table + 1]
        prefixes = self.candidates["prefix"]
        begin = bisect_left(prefixes, prefix, first, last)
        end = bisect_right(prefixes, prefix, begin, last)
        return self.candidates[begin:end]

    def _row(self, table: int, prefix: int) -> int | None:
        last = self._tables[table + 1]
        index = bisect_left(self.active["prefix"], prefix, self._tables[table], last)
        return index if index < last and self.active["prefix"][index] == prefix else None

    def route(self, row: np.void) -> Route:
        """A row as an object."""
        device, vrf = self.interning.tables[row["table"]]
        kind = self.interning.kinds.kinds[row["kind"]]
        return Route(
            device=device,
            vrf=vrf,
            prefix=self.interning.prefixes.prefixes[row["prefix"]],
            protocol=kind.protocol,
            path_type=kind.path_type,
            distance=kind.distance,
            metric=int(row["metric"]),
            tag=kind.tag,
            discard=kind.discard,
            pass_on=kind.pass_on,
            next_hops=self.interning.next_hops.sets[row["next_hops"]],
            place=self.interning.places[kind.place],
        )
