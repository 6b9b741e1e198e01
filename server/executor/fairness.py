"""Whose question comes next."""

from __future__ import annotations

from collections import Counter, OrderedDict, deque
from typing import Generic, TypeVar

__all__ = ["FairQueue", "QueueFull"]

Item = TypeVar("Item")


class QueueFull(Exception):
    """Somebody has as many waiting as they may."""


class FairQueue(Generic[Item]):
    """A queue for each person; the next is of whoever has fewest going on, and waited longest.

    Args:
        most_waiting: Of one person.
        most_running: Of one person.
    """

    def __init__(self, most_waiting: int, most_running: int) -> None:
        self._most_waiting, self._most_running = most_waiting, most_running
        #: In the order in which people were served last.
        self._waiting: OrderedDict[object, deque[Item]] = OrderedDict()
        self._running: Counter[object] = Counter()

    def put(self, person: object, item: Item) -> None:
        """Raises:
        QueueFull: the person has too many waiting.
        """
        waiting = self._waiting.setdefault(person, deque())
        if len(waiting) >= self._most_waiting:
            raise QueueFull
        waiting.append(item)

    def take(self) -> tuple[object, Item] | None:
        """The next item and its person, who has one more going on then; None: nobody's turn."""
        turns = [
            (self._running[person], place, person)
            for place, (person, items) in enumerate(self._waiting.items())
            if items and self._running[person] < self._most_running
        ]
        if not turns:
            return None
        _, _, person = min(turns, key=lambda turn: turn[:2])
        item = self._waiting[person].popleft()
        self._running[person] += 1
        self._waiting.move_to_end(person)
        if not self._waiting[person]:
            del self._waiting[person]
        return person, item

    def ended(self, person: object) -> None:
        """One of a person's items is done."""
        self._running[person] -= 1
        if not self._running[person]:
            del self._running[person]

    def drop(self, person: object, item: Item) -> bool:
        """Take back what waits; False where it does not wait any more."""
        waiting = self._waiting.get(person)
        if waiting is None or item not in waiting:
            return False
        waiting.remove(item)
        if not waiting:
            del self._waiting[person]
        return True
