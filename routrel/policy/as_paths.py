"""AS paths: segments, their length, and patterns that they fit (RFC 4271 4.3, RFC 5065 3)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import IntEnum
from typing import TypeAlias

from routrel.model.policy import AsPathPattern

__all__ = [
    "AsPath",
    "SegmentKind",
    "as_path_text",
    "fits",
    "is_private",
    "neighbouring_as",
    "numbers_in",
    "path_length",
    "prepended",
    "sequence",
    "without_confederation",
    "without_leading_private",
    "without_private",
]


class SegmentKind(IntEnum):
    """Types of path segments, with their codes."""

    SET = 1
    SEQUENCE = 2
    CONFED_SEQUENCE = 3
    CONFED_SET = 4

    @property
    def is_confederation(self) -> bool:
        """Whether it names members of a confederation (RFC 5065 3)."""
        return self >= SegmentKind.CONFED_SEQUENCE


#: Segments, the nearest first; the numbers of a set stand in rising order.
AsPath: TypeAlias = tuple[tuple[SegmentKind, tuple[int, ...]], ...]


def sequence(*numbers: int) -> AsPath:
    """A path of one sequence; of no numbers the empty path."""
    return ((SegmentKind.SEQUENCE, numbers),) if numbers else ()


def path_length(path: AsPath) -> int:
    """Hops as the decision counts them: a set is one (RFC 4271 9.1.2.2 a), confederation
    segments are none (RFC 5065 5.3).
    """
    return sum(
        1 if kind is SegmentKind.SET else len(numbers)
        for kind, numbers in path
        if not kind.is_confederation
    )


def neighbouring_as(path: AsPath) -> int | None:
    """The AS a route came from into ours; None for one that began here or in a set of AS."""
    for kind, numbers in path:
        if not kind.is_confederation:
            return numbers[0] if kind is SegmentKind.SEQUENCE else None
    return None


def numbers_in(path: AsPath, *, confederation: bool) -> Iterator[int]:
    """The AS numbers of the confederation's segments, or those of all others."""
    for kind, numbers in path:
        if kind.is_confederation == confederation:
            yield from numbers


def prepended(path: AsPath, *numbers: int, kind: SegmentKind = SegmentKind.SEQUENCE) -> AsPath:
    """The path with numbers in front, in a segment of a kind (RFC 4271 5.1.2)."""
    if not numbers:
        return path
    if path and path[0][0] is kind:
        return ((kind, (*numbers, *path[0][1])), *path[1:])
    return ((kind, numbers), *path)


def without_confederation(path: AsPath) -> AsPath:
    """The path without leading confederation segments, as others may see it (RFC 5065 4.1)."""
    return tuple(segment for segment in path if not segment[0].is_confederation)


def without_private(path: AsPath, replacement: int | None) -> AsPath:
    """The path without private AS numbers (RFC 6996), or with another number in their place."""
    found = []
    for kind, numbers in path:
        kept = tuple(
            replacement if is_private(number) and replacement is not None else number
            for number in numbers
            if replacement is not None or not is_private(number)
        )
        if kept:
            found.append((kind, kept))
    return tuple(found)


def without_leading_private(path: AsPath) -> AsPath:
    """The path without the private AS numbers (RFC 6996) in front of the first public one.

    A set in front goes only if all of its members are private.
    """
    for at, (kind, numbers) in enumerate(path):
        ordered = kind in (SegmentKind.SEQUENCE, SegmentKind.CONFED_SEQUENCE)
        first = next((n for n, number in enumerate(numbers) if not is_private(number)), None)
        if first is not None:
            return ((kind, numbers[first:] if ordered else numbers), *path[at + 1 :])
    return ()


def is_private(number: int) -> bool:
    """Whether an AS number is for private use (RFC 6996 5)."""
    return 64512 <= number <= 65534 or 4200000000 <= number <= 4294967294


def as_path_text(path: AsPath) -> str:
    """A path as people write it: sets in braces, confederation segments in brackets."""
    words = []
    for kind, numbers in path:
        text = " ".join(map(str, numbers))
        if kind is SegmentKind.SET:
            text = "{" + text + "}"
        elif kind is SegmentKind.CONFED_SEQUENCE:
            text = f"({text})"
        elif kind is SegmentKind.CONFED_SET:
            text = f"({{{text}}})"
        words.append(text)
    return " ".join(words)


def fits(pattern: AsPathPattern, path: AsPath) -> bool:
    """Whether a path fits a pattern. Confederation segments are passed over.

    A set stands for one number of its own, whichever is asked for.
    """
    if pattern.kind == "length":
        return pattern.shortest <= path_length(path) <= pattern.longest
    places: list[tuple[int, ...]] = []
    for kind, numbers in path:
        if kind is SegmentKind.SET:
            places.append(numbers)
        elif kind is SegmentKind.SEQUENCE:
            places.extend((number,) for number in numbers)
    asked = pattern.numbers
    if len(asked) > len(places):
        return False
    starts: dict[str, Callable[[], range]] = {
        "begins": lambda: range(1),
        "ends": lambda: range(len(places) - len(asked), len(places) - len(asked) + 1),
        "only": lambda: range(1 if len(places) == len(asked) else 0),
        "passes": lambda: range(len(places) - len(asked) + 1),
    }
    return any(
        all(number in places[start + offset] for offset, number in enumerate(asked))
        for start in starts[pattern.kind]()
    )
