"""The latest of what was made, by what it was made of."""

from __future__ import annotations

import hashlib
import operator
from collections.abc import Callable, Hashable, Sized
from typing import Any, Generic, TypeAlias, TypeVar

from numpy.typing import NDArray

__all__ = ["Parts", "Recent", "digest_of"]

Made = TypeVar("Made")
#: What something was made of, or the names of it.
_Parts: TypeAlias = tuple[object, ...]

#: How many are kept at one place; and how much of it, the latest two aside.
_MOST, _MOST_WEIGHT = 12, 2_000


class Recent(Generic[Made]):
    """The latest of what was made at each place, with the parts that it was made of.

    Parts are told apart by identity, and plain values by what they are: an equal object may say
    another place of a file, an equal number says the same.
    """

    def __init__(self) -> None:
        #: By place: what was made, the latest last, by the identities of its parts, which it holds,
        #: with how much it is.
        self._made: dict[Hashable, dict[_Parts, tuple[_Parts, Made, int]]] = {}

    def __reduce__(self) -> tuple[type[Recent[Made]], tuple[()]]:
        """What is stored begins anew: it saves work, and nothing rests on it."""
        return Recent, ()

    def of(self, place: Hashable, parts: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """What was made of the same parts, or is made of them now."""
        known = self._made.setdefault(place, {})
        if known:
            latest, made, _ = next(reversed(known.values()))
            if len(latest) == len(parts) and all(map(operator.is_, latest, parts)):
                return made
        key = tuple((part,) if type(part) in _PLAIN else id(part) for part in parts)
        found = known.pop(key, None)
        if found is not None:
            known[key] = found
            return found[1]
        made = make()
        known[key] = parts, made, _weight(made)
        _forget(known)
        return made

    def latest(self, place: Hashable) -> tuple[_Parts, Made] | None:
        """What was made or wanted there last, and of which parts; None: nothing was."""
        known = self._made.get(place)
        return next(reversed(known.values()))[:2] if known else None

    def as_before(self, place: Hashable, made: Made, is_like: Callable[[Made, Made], bool]) -> Made:
        """What is there already and like something that was made; else that."""
        latest_first = reversed(self._made.get(place, {}).values())
        known = next((before for _, before, _ in latest_first if is_like(before, made)), made)
        return self.of(place, (known,), lambda: known)

    def onward(self) -> Recent[Made]:
        """The same, to which more may be added."""
        copied: Recent[Made] = Recent()
        copied._made = {place: known.copy() for place, known in self._made.items()}
        return copied


def digest_of(*arrays: NDArray[Any]) -> bytes:
    """What tells arrays from others."""
    held = hashlib.sha256()
    for each in arrays:
        held.update(each.tobytes())
    return held.digest()


def _forget(known: dict[_Parts, tuple[_Parts, Made, int]]) -> None:
    """Let go of what was made long ago, if that is much."""
    if len(known) <= 2:
        return
    weight = 0
    for count, (key, (_, _, mine)) in enumerate(reversed(list(known.items()))):
        weight += mine if count >= 2 else 0
        if count >= _MOST or weight > _MOST_WEIGHT:
            del known[key]


def _weight(made: object) -> int:
    """How much there is of something: rows, or as many as its parts have, if these are few."""
    if isinstance(made, tuple):
        return len(made) if len(made) > _MOST else 1 + sum(map(_weight, made))
    return len(made) if isinstance(made, Sized) else 1


#: What is compared by value.
_PLAIN = (bytes, int, str)

#: Parts of results of any kind. What is made at a place is always of one type.
Parts = Recent[Any]
