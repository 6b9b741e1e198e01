"""Chooses among rows: the best of every table and prefix, by whatever order a caller prefers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from routrel.rib.candidates import RouteKinds, Rows

__all__ = ["best_of_each", "in_order", "row_keys"]


def row_keys(rows: Rows) -> NDArray[np.int64]:
    """Table and prefix of each row as one number that sorts by table, then prefix."""
    result: NDArray[np.int64] = rows["table"].astype(np.int64) << 32 | rows["prefix"]
    return result


def best_of_each(rows: Rows, *preference: NDArray[np.generic]) -> NDArray[np.int64]:
    """The indices of the rows that come first for their table and prefix, in that order.

    Args:
        rows: In any order.
        preference: One value a row each, lower wins; the first decides, the next among its equals.
    """
    order, first = _ordered(row_keys(rows), preference)
    return order[first]


def in_order(rows: Rows, kinds: RouteKinds) -> tuple[Rows, NDArray[np.bool_]]:
    """Rows by table and prefix, best first, and which of them win.

    Order of preference: `rank` of their kinds, then metric. Each protocol offers its own best
    route once, with all equal-cost next hops in one set, so exactly one row wins for a table and
    prefix.
    """
    order, first = _ordered(row_keys(rows), (kinds.ranks[rows["kind"]], rows["metric"]))
    return rows.take(order), first


def _ordered(
    keys: NDArray[np.int64], preference: tuple[NDArray[np.generic], ...]
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The order by key and preference, and which places in it are the first of their key.

    Rows come in blocks that are sorted already, and most keys stand alone. So one stable sort,
    which merges sorted runs in linear time, orders the keys; the costly sort by several values is
    for the few that share a key.
    """
    if (keys[1:] > keys[:-1]).all():
        return np.arange(len(keys)), np.ones(len(keys), dtype=bool)
    order = np.argsort(keys, kind="stable")
    ordered = keys[order]
    first = np.ones(len(keys), dtype=bool)
    first[1:] = ordered[1:] != ordered[:-1]
    shared = ~first
    shared[:-1] |= shared[1:]
    places = np.flatnonzero(shared)
    if len(places):
        contested = order[places]
        inner = np.lexsort((*(value[contested] for value in preference[::-1]), keys[contested]))
        order[places] = contested[inner]
    return order, first
