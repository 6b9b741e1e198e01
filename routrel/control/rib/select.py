"""Chooses the active route of every table and prefix: lowest distance, then lowest metric."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from routrel.control.rib.candidates import Rows

__all__ = ["select_active"]


def select_active(rows: Rows) -> NDArray[np.int64]:
    """The indices of the rows that win, in order of table and prefix.

    Order of preference: distance, then protocol number (so that a subnet's connected route stands
    before its equal local one), then metric. Each protocol offers its own best route once, with
    all equal-cost next hops in one set, so exactly one row wins for a table and prefix.

    Args:
        rows: Candidates in any order.
    """
    order = np.lexsort(
        (rows["metric"], rows["protocol"], rows["distance"], rows["prefix"], rows["table"])
    )
    ordered = rows[order]
    first = np.ones(len(rows), dtype=bool)
    first[1:] = (ordered["table"][1:] != ordered["table"][:-1]) | (
        ordered["prefix"][1:] != ordered["prefix"][:-1]
    )
    return order[first]
