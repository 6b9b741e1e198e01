"""The active routes that two states do not have in common.

The states may be of different networks: what is numbered otherwise in the second is numbered anew
as in the first, each table, prefix, kind and set of next hops once, and the rows are compared as
arrays.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, prefix_order
from routrel.rib.candidates import RouteKind, Rows, Table
from routrel.rib.table import Rib, Route, active_unlike

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

    Where a route was written does not count. Tables that are one object in both are not looked at;
    the rest costs no more than a sort of its rows.
    """
    if before is after:
        return []
    tables: dict[Hashable, int] = {}
    prefixes: dict[Hashable, int] = {}
    values: dict[Hashable, int] = {}
    hops: dict[Hashable, int] = {}
    keys, contents, rows = [], [], []
    for rib, active in zip((before, after), _active_unlike(before, after), strict=True):
        interning = rib.interning
        table = _numbered(interning.tables, tables, active["table"])
        prefix = _numbered(interning.prefixes.prefixes, prefixes, active["prefix"])
        kind = _numbered(interning.kinds.kinds, values, active["kind"], _placeless)
        ways = _numbered(interning.next_hops.sets, hops, active["next_hops"])
        key = (table << 32) | prefix
        content = np.stack([kind, active["metric"].astype(np.int64), ways])
        if len(key) > 1 and not (key[1:] >= key[:-1]).all():
            order = np.argsort(key, kind="stable")
            key, content, active = key[order], content[:, order], active[order]
        keys.append(key)
        contents.append(content)
        rows.append(active)
    at = np.minimum(np.searchsorted(keys[1], keys[0]), max(len(keys[1]) - 1, 0))
    kept = (keys[1][at] == keys[0]) if len(keys[1]) else np.zeros(len(keys[0]), dtype=bool)
    same = np.zeros(len(keys[0]), dtype=bool)
    same[kept] = (contents[0][:, kept] == contents[1][:, at[kept]]).all(axis=0)
    gone, changed = np.flatnonzero(~kept), np.flatnonzero(kept & ~same)
    added = np.flatnonzero(~np.isin(keys[1], keys[0], assume_unique=True))
    found = [_change(before.route(rows[0][n]), None) for n in gone]
    found += [_change(before.route(rows[0][n]), after.route(rows[1][at[n]])) for n in changed]
    found += [_change(None, after.route(rows[1][n])) for n in added]
    found.sort(key=lambda each: (each.table, prefix_order(each.prefix)))
    return found


def _change(before: Route | None, after: Route | None) -> RouteChange:
    route = before or after
    if route is None:
        raise ValueError("a change is of a route")
    return RouteChange(
        table=(route.device, route.vrf), prefix=route.prefix, before=before, after=after
    )


def _active_unlike(before: Rib, after: Rib) -> list[Rows]:
    """Their active rows, without tables that are one object in both."""
    if before.interning.tables == after.interning.tables:
        return active_unlike((before, after))
    return [before.active, after.active]


def _placeless(kind: RouteKind) -> RouteKind:
    return replace(kind, place=0)


def _numbered(
    values: Sequence[_Value],
    known: dict[Hashable, int],
    column: NDArray[np.integer],
    of: Callable[[_Value], Hashable] = lambda value: value,
) -> _Numbers:
    """A column with the numbers that its values have in both states.

    Args:
        of: What of a value counts.
    """
    used = np.flatnonzero(np.bincount(column))
    numbers = np.zeros(int(used[-1]) + 1 if len(used) else 1, dtype=np.int64)
    for number in used.tolist():
        numbers[number] = known.setdefault(of(values[number]), len(known))
    result: _Numbers = numbers[column]
    return result
