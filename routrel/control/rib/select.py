"""Chooses among rows: the best of every table and prefix, by whatever order a caller prefers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from routrel.control.rib.candidates import Rows

__all__ = ["best_of_each", "select_active"]


def best_of_each(rows: Rows, *preference: NDArray[np.generic]) -> NDArray[np.int64]:
    """The indices of the rows that come first for their table and prefix, in that order.

    Args:
        rows: In any order.
        preference: One value a row each, lower wins; the first decides, the next among its equals.
    """
    order = np.lexsort((*preference[::-1], rows["prefix"], rows["table"]))
    ordered = rows[order]
    first = np.ones(len(rows), dtype=bool)
    first[1:] = (ordered["table"][1:] != ordered["table"][:-1]) | (
        ordered["prefix"][1:] != ordered["prefix"][:-1]
    )
    return order[first]


def select_active(rows: Rows) -> NDArray[np.int64]:
    """The indices of the rows that win, in order of table and prefix.

    Order of preference: distance, then protocol number (so that a subnet's connected route stands
    before its equal local one), then metric. Each protocol offers its own best route once, with
    all equal-cost next hops in one set, so exactly one row wins for a table and prefix.

    Args:
        rows: Candidates in any order.
    """
    return best_of_each(rows, rows["distance"], rows["protocol"], rows["metric"])
