"""Orders in which those who wait for each other may move, to see where each order leads."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import permutations
from typing import TypeVar

__all__ = ["orders_to_try"]

Item = TypeVar("Item")


def orders_to_try(items: Sequence[Item], *, few: int, most: int) -> Iterable[Sequence[Item]]:
    """All orders of a few; of many those that begin or end with each, up to a number."""
    if len(items) <= few:
        return permutations(items)
    rotated = [[*items[n:], *items[:n]] for n in range(len(items))]
    turned = [order[::-1] for order in rotated]
    return [order for pair in zip(rotated, turned, strict=True) for order in pair][:most]
