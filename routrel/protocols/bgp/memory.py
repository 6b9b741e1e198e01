"""What one computation of BGP leaves for the next of much the same network."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from copy import copy
from dataclasses import dataclass, field, replace

from routrel.model.addresses import Address
from routrel.protocols.bgp.carrying import Key, Numbering
from routrel.protocols.bgp.paths import PathNumbers
from routrel.protocols.bgp.resolve import Resolution, Resolver
from routrel.protocols.bgp.spread import Outcome

__all__ = ["BgpMemory", "ClassResult", "Remembered", "leads_as_before"]

#: Sessions come up round by round; each round's results may serve the next computation.
_MOST_REMEMBERED = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassResult:
    """How a class of prefixes ended: what each speaker holds, and its rows for one prefix."""

    key: Hashable  #: what it follows from
    outcome: Outcome
    rows: tuple[tuple[int, int, int, int], ...]  #: table, metric, kind, next hops
    complete: bool  #: whether receive-only speakers are among them, too


@dataclass(slots=True)
class Remembered:
    """How classes ended with certain sessions and next hops."""

    environment: Hashable
    resolutions: dict[tuple[int, Address], Resolution] = field(default_factory=dict)
    results: dict[Hashable, ClassResult] = field(default_factory=dict)


class BgpMemory:
    """Paths with their numbers, how they passed, and how classes ended.

    It belongs to one state of a network alone, and grows with it; the next begins with a copy.
    """

    def __init__(self) -> None:
        self.paths = PathNumbers()
        self.numbers = Numbering()
        self.passed: dict[Key, tuple[int, int]] = {}
        self._remembered: list[Remembered] = []

    def copy(self) -> BgpMemory:
        """The same, to which more may be added."""
        made = copy(self)
        made.paths, made.numbers = self.paths.copy(), Numbering(self.numbers)
        made.passed = self.passed.copy()
        made._remembered = [
            replace(item, resolutions=item.resolutions.copy(), results=item.results.copy())
            for item in self._remembered
        ]
        return made

    def remembered(self, environment: Hashable, resolver: Resolver) -> Remembered:
        """Results for the same sessions with the same next hops; the oldest make room."""
        for item in self._remembered:
            if item.environment == environment and leads_as_before(resolver, item.resolutions):
                return item
        made = Remembered(environment)
        self._remembered = [*self._remembered[1 - _MOST_REMEMBERED :], made]
        return made


def leads_as_before(resolver: Resolver, before: Mapping[tuple[int, Address], Resolution]) -> bool:
    """Whether next hops lead where they led before."""
    return all(resolver.of(*key) == resolution for key, resolution in before.items())
