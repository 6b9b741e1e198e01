"""The active routes that two states do not have in common.

The states may be of different networks: what is numbered otherwise in the second is numbered anew
as in the first, each table, prefix, kind and set of next hops once, and the rows are compared as
arrays.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, prefix_order
from routrel.rib.candidates import Interning, Rows, Table, joined
from routrel.rib.numbering import shared_numbers
from routrel.rib.table import Rib, Route, same_rows

__all__ = ["RouteChange", "route_changes"]

_Numbers = NDArray[np.int64]
_Value = TypeVar("_Value", bound=Hashable)


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteChange:
    """A prefix of a table whose active route is not the same; None where there is none."""

    table: Table
    prefix: Prefix
    before: Route | None
    after: Route | None


def route_changes(before: Rib, after: Rib) -> list[RouteChange]:
    """All active routes that are not the same, by device, VRF and prefix.

    Where a route was written does not count. Tables that hold the very same rows are not looked
    at; the rest costs less than a sort of its rows.
    """
    if before is after:
        return []
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
        at = np.minimum(np.searchsorted(two.key, one.key), max(len(two.key) - 1, 0))
        kept = two.key[at] == one.key if len(two.key) else np.zeros(len(one.key), dtype=bool)
        added = np.flatnonzero(~np.isin(two.key, one.key, assume_unique=True))
        same = np.zeros(len(one.key), dtype=bool)
        same[kept] = one.take(np.flatnonzero(kept)).is_like(two.take(at[kept]))
    gone, changed = np.flatnonzero(~kept), np.flatnonzero(kept & ~same)
    found = [_change(route, None) for route in before.routes(one.rows.take(gone))]
    pairs = before.routes(one.rows.take(changed)), after.routes(two.rows.take(at[changed]))
    found += map(_change, *pairs)
    found += [_change(None, route) for route in after.routes(two.rows.take(added))]
    places = numbering.places()
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
        self._prefixes: dict[Hashable, int] = {}
        self._known: tuple[dict[Hashable, int], ...] = ({}, self._prefixes, {}, {})

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
        tables, prefixes, kinds, sets = self._known
        table = shared_numbers(rows["table"], interning.tables.__getitem__, tables)
        prefix = shared_numbers(rows["prefix"], interning.prefixes.prefixes.__getitem__, prefixes)
        key = table.astype(np.int64) << 32 | prefix
        content: tuple[NDArray[np.generic], ...] = (
            shared_numbers(rows["kind"], lambda kind: interning.kinds.kinds[kind].placeless, kinds),
            shared_numbers(rows["next_hops"], interning.next_hops.sets.__getitem__, sets),
            np.ascontiguousarray(rows["metric"]),
        )
        found = _Numbered(rows, key, content)
        if len(key) > 1 and not (key[1:] >= key[:-1]).all():
            return found.take(np.argsort(key, kind="stable"))
        return found

    def places(self) -> dict[Hashable, int]:
        """For each prefix its place among all, as people order them."""
        ordered = sorted(self._prefixes, key=prefix_order)  # type: ignore[arg-type]
        return {prefix: place for place, prefix in enumerate(ordered)}


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
