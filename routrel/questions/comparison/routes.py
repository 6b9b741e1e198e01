"""The active routes that two states do not have in common.

The states may be of different networks: what is numbered otherwise in the second is numbered anew
as in the first, each table, prefix, kind and set of next hops once, and the rows are compared as
arrays.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, prefix_order
from routrel.rib.candidates import Table
from routrel.rib.table import Rib, Route

__all__ = ["RouteChange", "route_changes"]

_Numbers = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteChange:
    """A prefix of a table whose active route is not the same; None where there is none."""

    table: Table
    prefix: Prefix
    before: Route | None
    after: Route | None


def route_changes(before: Rib, after: Rib) -> list[RouteChange]:
    """All active routes that are not the same, by device, VRF and prefix.

    Where a route was written does not count. Costs no more than a sort of the rows.
    """
    tables: dict[Hashable, int] = {}
    prefixes: dict[Hashable, int] = {}
    values: dict[Hashable, int] = {}
    hops: dict[Hashable, int] = {}
    keys, contents, rows = [], [], []
    for rib in (before, after):
        interning, active = rib.interning, rib.active
        table = _numbered(interning.tables, tables, active["table"])
        prefix = _numbered(
            [(p.version, int(p.network_address), p.prefixlen) for p in interning.prefixes.prefixes],
            prefixes,
            active["prefix"],
        )
        kinds = [replace(kind, place=0) for kind in interning.kinds.kinds]
        kind = _numbered(kinds, values, active["kind"])
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


def _numbered(
    values: Iterable[Hashable], known: dict[Hashable, int], column: NDArray[np.generic]
) -> _Numbers:
    """A column with the numbers that its values have in both states."""
    numbers = [known.setdefault(value, len(known)) for value in values]
    result: _Numbers = np.asarray(numbers or [0], dtype=np.int64)[column]
    return result
