"""The latest of what was made, by what it was made of."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from typing import Generic, TypeVar

__all__ = ["Recent"]

Made = TypeVar("Made")

#: How many are kept at one place.
_MOST = 4


class Recent(Generic[Made]):
    """The latest of what was made at each place, with what it was made of."""

    def __init__(self, most: int = _MOST) -> None:
        self._most = most
        self._made: dict[Hashable, list[tuple[tuple[object, ...], Made]]] = {}

    def of(self, place: Hashable, parts: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """What was made of the same objects, or is made of them now.

        Args:
            parts: Told apart by identity: equal ones need not be the same.
        """
        known = self._made.setdefault(place, [])
        for at, (others, made) in enumerate(known):
            if len(others) == len(parts) and all(map(_is, others, parts)):
                if at:
                    known.insert(0, known.pop(at))
                return made
        made = make()
        known.insert(0, (parts, made))
        del known[self._most :]
        return made

    def values(self, place: Hashable) -> Iterable[Made]:
        """What was made at a place, the latest first."""
        return (made for _, made in self._made.get(place, ()))

    def copy(self) -> Recent[Made]:
        """The same, to which more may be added."""
        copied: Recent[Made] = Recent(self._most)
        copied._made = {place: list(known) for place, known in self._made.items()}
        return copied


def _is(one: object, other: object) -> bool:
    return one is other
