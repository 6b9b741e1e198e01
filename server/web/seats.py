"""Threads that wait for answers, shared out: nobody's questions take the threads of everybody else."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

__all__ = ["THREADS", "WAITING_OF_ONE", "WAITING_THREADS", "AllTaken", "Seats", "TooManyOfOne"]

#: Of one web process; how many of them may wait for answers, and for those of one person.
THREADS = 64
WAITING_THREADS = 56
WAITING_OF_ONE = 40


class AllTaken(Exception):
    """As many questions are being answered as this process waits for."""


class TooManyOfOne(Exception):
    """One person has as many questions being answered as one may."""


class Seats:
    """Counts who waits.

    Args:
        all_together: How many may wait at a time; fewer than there are threads, so that what takes
            no computing is answered all the while.
        of_one: How many of one person.
    """

    def __init__(self, all_together: int, of_one: int) -> None:
        self._all, self._one = all_together, of_one
        self._taken: Counter[int] = Counter()
        self._lock = Lock()

    @contextmanager
    def seat(self, person: int) -> Iterator[None]:
        """A place to wait.

        Raises:
            TooManyOfOne: the person has too many.
            AllTaken: there is none left.
        """
        with self._lock:
            if self._taken[person] >= self._one:
                raise TooManyOfOne
            if self._taken.total() >= self._all:
                raise AllTaken
            self._taken[person] += 1
        try:
            yield
        finally:
            with self._lock:
                self._taken[person] -= 1
                if not self._taken[person]:
                    del self._taken[person]
