"""The latest of what was made, by what it was made of."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sized
from itertools import accumulate
from typing import Any, Generic, TypeVar

__all__ = ["Parts", "Recent"]

Made = TypeVar("Made")

#: How many are kept at one place; and how much of it, the latest two aside.
_MOST, _MOST_WEIGHT = 12, 2_000


class Recent(Generic[Made]):
    """The latest of what was made at each place, with the parts that it was made of.

    Parts are told apart by identity, and plain values by what they are: an equal object may say
    another place of a file, an equal number says the same.
    """

    def __init__(self) -> None:
        self._made: dict[Hashable, list[tuple[tuple[object, ...], Made]]] = {}

    def __reduce__(self) -> tuple[type[Recent[Made]], tuple[()]]:
        """What is stored begins anew: it saves work, and nothing rests on it."""
        return Recent, ()

    def of(self, place: Hashable, parts: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """What was made of the same parts, or is made of them now."""
        known = self._made.setdefault(place, [])
        for at, (others, made) in enumerate(known):
            if len(others) == len(parts) and all(map(_is_same, others, parts)):
                if at:
                    known.insert(0, known.pop(at))
                return made
        made = make()
        known.insert(0, (parts, made))
        if len(known) > 2:
            weights = accumulate(_weight(each) for _, each in known[2:_MOST])
            del known[2 + sum(weight <= _MOST_WEIGHT for weight in weights) :]
        return made

    def values(self, place: Hashable) -> Iterable[Made]:
        """What was made at a place, the latest first."""
        return (made for _, made in self._made.get(place, ()))

    def onward(self) -> Recent[Made]:
        """The same, to which more may be added."""
        copied: Recent[Made] = Recent()
        copied._made = {place: known.copy() for place, known in self._made.items()}
        return copied


def _weight(made: object) -> int:
    """How much there is of something: rows, or as many as its parts have."""
    if isinstance(made, tuple):
        return 1 + sum(map(_weight, made))
    return len(made) if isinstance(made, Sized) else 1


def _is_same(one: object, other: object) -> bool:
    return one is other or (type(one) in _PLAIN and type(one) is type(other) and one == other)


#: What is compared by value.
_PLAIN = (bytes, int, str)

#: Parts of results of any kind. What is made at a place is always of one type.
Parts = Recent[Any]
