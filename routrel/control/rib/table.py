"""The tables of all devices after selection: look-ups by prefix and by address."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from routrel.control.rib.candidates import Interning, NextHop, PathType, Protocol, Rows
from routrel.control.rib.select import select_active
from routrel.model.addresses import Address, Prefix
from routrel.model.place import NOWHERE, Place

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
    next_hops: tuple[NextHop, ...]
    place: Place  #: where it was configured; NOWHERE for learned routes


class Rib:
    """Candidates and active routes of one convergence. Never changed once made."""

    def __init__(self, interning: Interning, candidates: Rows) -> None:
        self.interning = interning
        self.candidates = candidates
        self.active = candidates[select_active(candidates)]
        self._width = max(1, len(interning.prefixes))
        self._keys = self.active["table"].astype(np.int64) * self._width + self.active["prefix"]

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

    def table_routes(self, table: int) -> Iterator[Route]:
        """All active routes of one table, in order of their prefix's number."""
        first = np.searchsorted(self._keys, table * self._width)
        last = np.searchsorted(self._keys, (table + 1) * self._width)
        for row in self.active[first:last]:
            yield self.route(row)

    def candidates_for(self, table: int, prefix: Prefix) -> list[Route]:
        """Every candidate of a table for a prefix, best first."""
        number = self.interning.prefixes.number(prefix)
        if number is None:
            return []
        rows = self.candidates
        mine = rows[(rows["table"] == table) & (rows["prefix"] == number)]
        order = np.lexsort((mine["metric"], mine["protocol"], mine["distance"]))
        return [self.route(row) for row in mine[order]]

    def _row(self, table: int, prefix: int) -> int | None:
        key = table * self._width + prefix
        index = int(np.searchsorted(self._keys, key))
        return index if index < len(self._keys) and self._keys[index] == key else None

    def route(self, row: np.void) -> Route:
        """A row as an object."""
        device, vrf = self.interning.tables[row["table"]]
        place = int(row["place"])
        return Route(
            device=device,
            vrf=vrf,
            prefix=self.interning.prefixes.prefixes[row["prefix"]],
            protocol=Protocol(int(row["protocol"])),
            path_type=PathType(int(row["path_type"])),
            distance=int(row["distance"]),
            metric=int(row["metric"]),
            tag=int(row["tag"]),
            discard=bool(row["discard"]),
            next_hops=self.interning.next_hops.sets[row["next_hops"]],
            place=self.interning.places[place] if place else NOWHERE,
        )
