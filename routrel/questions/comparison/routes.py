"""The active routes that two states do not have in common.

The states may be of different networks: what is numbered otherwise in the second is numbered anew
as in the first, each table, prefix, kind and set of next hops once, and the rows are compared as
arrays.
"""

from __future__ import annotations

from collections.abc import Collection, Hashable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, prefix_order
from routrel.rib.candidates import Interning, Rows, Table, joined, no_rows
from routrel.rib.numbering import shared_numbers
from routrel.rib.table import Rib, Route, same_rows

__all__ = ["RouteChange", "RowChanges", "route_changes", "row_changes"]

_Numbers = NDArray[np.int64]
_Value = TypeVar("_Value", bound=Hashable)


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteChange:
    """A prefix of a table whose active route is not the same; None where there is none."""

    table: Table
    prefix: Prefix
    before: Route | None
    after: Route | None


@dataclass(frozen=True, slots=True)
class RowChanges:
    """The active rows of two states that are not the same, as each state has them."""

    before: Rib
    after: Rib
    gone: Rows  #: of the first: there is none for the prefix in the second
    added: Rows  #: of the second, the other way round
    changed: tuple[Rows, Rows]  #: of both, row by row

    def __len__(self) -> int:
        return len(self.gone) + len(self.added) + len(self.changed[0])

    def _sides(self) -> tuple[tuple[Rib, Rows], ...]:
        """The rows of gone, changed and added prefixes, each with whose numbers they are."""
        return (
            (self.before, self.gone),
            (self.before, self.changed[0]),
            (self.after, self.added),
        )

    def count_off(self, devices: Collection[str]) -> tuple[int, int]:
        """How many of all, and of those that are gone, are in tables of some devices."""
        if not devices:
            return 0, 0
        counts = []
        for rib, rows in self._sides():
            off = np.array([name in devices for name, _ in rib.interning.tables])
            counts.append(int(off[rows["table"]].sum()))
        return sum(counts), counts[0]

    def by_table(self) -> dict[Table, list[Prefix]]:
        """The prefixes that moved, by table."""
        found: dict[Table, list[Prefix]] = {}
        for rib, rows in self._sides():
            tables, prefixes = rib.interning.tables, rib.interning.prefixes.prefixes
            for table, prefix in zip(rows["table"].tolist(), rows["prefix"].tolist(), strict=True):
                found.setdefault(tables[table], []).append(prefixes[prefix])
        return found


def row_changes(before: Rib, after: Rib) -> RowChanges:
    """All active rows that are not the same.

    Where a route was written does not count. Tables that hold the very same rows are not looked
    at; the rest costs less than a sort of its rows.
    """
    if before is after:
        nothing = no_rows()
        return RowChanges(before, after, nothing, nothing, (nothing, nothing))
    numbering = _Numbering(before.interning, after.interning)
    one, two = (
        numbering.of(rib.interning, rows)
        for rib, rows in zip((before, after), numbering.unlike(before, after), strict=True)
    )
    if np.array_equal(one.key, two.key):
        at, kept = np.arange(len(one.key)), np.ones(len(one.key), dtype=bool)
        added = np.zeros(0, dtype=np.int64)
        same = one.is_like(two)
    else:
        at, kept = _found(two.key, one.key)
        added = np.flatnonzero(~_found(one.key, two.key)[1])
        same = np.zeros(len(one.key), dtype=bool)
        same[kept] = one.take(np.flatnonzero(kept)).is_like(two.take(at[kept]))
    gone, changed = np.flatnonzero(~kept), np.flatnonzero(kept & ~same)
    return RowChanges(
        before=before,
        after=after,
        gone=one.rows.take(gone),
        added=two.rows.take(added),
        changed=(one.rows.take(changed), two.rows.take(at[changed])),
    )


def route_changes(before: Rib, after: Rib) -> list[RouteChange]:
    """All active routes that are not the same, by device, VRF and prefix; see `row_changes`."""
    rows = row_changes(before, after)
    found = [_change(route, None) for route in before.routes(rows.gone)]
    found += map(_change, before.routes(rows.changed[0]), after.routes(rows.changed[1]))
    found += [_change(None, route) for route in after.routes(rows.added)]
    ordered = sorted({each.prefix for each in found}, key=prefix_order)
    places = {prefix: place for place, prefix in enumerate(ordered)}
    found.sort(key=lambda each: (each.table, places[each.prefix]))
    return found


@dataclass(frozen=True, slots=True)
class _Numbered:
    """Active rows by table and prefix, with numbers that mean the same in both states."""

    rows: Rows
    key: _Numbers  #: table and prefix
    content: tuple[NDArray[np.generic], ...]  #: what a route is besides

    def take(self, at: _Numbers) -> _Numbered:
        """Some of them."""
        content = tuple(values.take(at) for values in self.content)
        return _Numbered(self.rows.take(at), self.key.take(at), content)

    def is_like(self, other: _Numbered) -> NDArray[np.bool_]:
        """By row whether it is the same as that at its place among as many others."""
        pairs = zip(self.content, other.content, strict=True)
        same: NDArray[np.bool_] = np.logical_and.reduce([one == two for one, two in pairs])
        return same


class _Numbering:
    """Numbers of tables, prefixes, kinds and sets of next hops that two states share."""

    def __init__(self, one: Interning, two: Interning) -> None:
        #: Whether the numbers of both are the same as far as both have them.
        self.same = (
            one.tables == two.tables
            and _begin_alike(one.prefixes.prefixes, two.prefixes.prefixes)
            and _begin_alike(one.next_hops.sets, two.next_hops.sets)
            and _begin_alike(one.kinds.kinds, two.kinds.kinds)
        )
        self._known: tuple[dict[Hashable, int], ...] = ({}, {}, {}, {})

    def unlike(self, before: Rib, after: Rib) -> tuple[Rows, Rows]:
        """The active rows of both, without tables whose rows are plainly the same."""
        if not self.same:
            return before.active, after.active
        pairs = [
            (one.active, two.active)
            for one, two in zip(before.tables, after.tables, strict=True)
            if one is not two and not same_rows(one.active, two.active)
        ]
        return joined(one for one, _ in pairs), joined(two for _, two in pairs)

    def of(self, interning: Interning, rows: Rows) -> _Numbered:
        """Rows sorted by what they have in both states."""
        table, prefix, kind, hops = (
            rows[name] for name in ("table", "prefix", "kind", "next_hops")
        )
        kinds = interning.kinds.placeless[kind]
        if not self.same:
            tables, prefixes, known_kinds, sets = self._known
            table = shared_numbers(table, interning.tables.__getitem__, tables)
            prefix = shared_numbers(prefix, interning.prefixes.prefixes.__getitem__, prefixes)
            kinds = shared_numbers(
                kinds, lambda kind: interning.kinds.kinds[kind].placeless, known_kinds
            )
            hops = shared_numbers(hops, interning.next_hops.sets.__getitem__, sets)
        key = table.astype(np.int64) << 32 | prefix
        content: tuple[NDArray[np.generic], ...] = (
            kinds,
            np.ascontiguousarray(hops),
            np.ascontiguousarray(rows["metric"]),
        )
        found = _Numbered(rows, key, content)
        if len(key) > 1 and not (key[1:] >= key[:-1]).all():
            return found.take(np.argsort(key, kind="stable"))
        return found


def _found(among: _Numbers, keys: _Numbers) -> tuple[_Numbers, NDArray[np.bool_]]:
    """Where keys would be among others, and whether they are; both are sorted."""
    at = np.minimum(np.searchsorted(among, keys), max(len(among) - 1, 0))
    return at, among[at] == keys if len(among) else np.zeros(len(keys), dtype=bool)


def _change(before: Route | None, after: Route | None) -> RouteChange:
    route = before or after
    if route is None:
        raise ValueError("a change is of a route")
    return RouteChange(
        table=(route.device, route.vrf), prefix=route.prefix, before=before, after=after
    )


def _begin_alike(one: Sequence[object], two: Sequence[object]) -> bool:
    """Whether two sequences are the same as far as the shorter one goes."""
    shared = min(len(one), len(two))
    return one[:shared] == two[:shared]
