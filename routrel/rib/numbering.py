"""Numbers that two states of tables share, whatever each of them has its values numbered by."""

from __future__ import annotations

from collections.abc import Callable, Hashable

import numpy as np
from numpy.typing import NDArray

__all__ = ["shared_numbers"]


def shared_numbers(
    column: NDArray[np.int32], value: Callable[[int], Hashable], known: dict[Hashable, int]
) -> NDArray[np.int32]:
    """A column with one number for each different value.

    Args:
        column: Of numbers as one state has them.
        value: What one of them stands for; it is asked once for each that occurs.
        known: The shared numbers by value; more are added.
    """
    whole = np.ascontiguousarray(column)
    used = np.flatnonzero(np.bincount(whole))
    numbers = np.zeros(int(used[-1]) + 1 if len(used) else 1, dtype=np.int32)
    for number in used.tolist():
        numbers[number] = known.setdefault(value(number), len(known))
    return numbers.take(whole)
