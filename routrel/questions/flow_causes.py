"""What becomes of many flows by its cause: classes that end alike, by whatever ways."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from routrel.forwarding.round_trip import ARRIVED
from routrel.questions.flow import DirectionAnswer
from routrel.questions.flow_classes import ClassAnswer, Pair

__all__ = ["CauseAnswer", "causes_of"]


@dataclass(frozen=True, slots=True)
class CauseAnswer:
    """Classes of one cause, the first standing for all; `numbers` are their places among all."""

    classes: tuple[ClassAnswer, ...]
    numbers: tuple[int, ...]

    @property
    def pairs(self) -> tuple[Pair, ...]:
        return tuple(pair for one in self.classes for pair in one.pairs)

    @property
    def is_of_nobody(self) -> bool:
        """Whether of each pair an end is an address that nobody has."""
        return all(one.is_of_nobody for one in self.classes)


def causes_of(classes: Sequence[ClassAnswer]) -> tuple[CauseAnswer, ...]:
    """Classes by cause, in their order; those of nobody last, those that cannot be asked behind."""
    found: dict[object, list[int]] = {}
    for number, one in enumerate(classes):
        found.setdefault(_cause(one), []).append(number)
    causes = [
        CauseAnswer(tuple(classes[n] for n in numbers), tuple(numbers))
        for numbers in found.values()
    ]
    return tuple(
        sorted(causes, key=lambda c: (c.classes[0].answer is None, c.is_of_nobody, c.numbers))
    )


def _cause(one: ClassAnswer) -> object:
    if one.answer is None:
        return one.problem
    parts = [_end(one.answer.forward), _end(one.answer.back)]
    return tuple(parts), tuple(
        (_end(o.answer.forward), _end(o.answer.back)) for o in one.answer.outcomes
    )


def _end(direction: DirectionAnswer | None) -> object:
    """How a direction ends, whatever its ways: what stops it, or that it arrives."""
    if direction is None or direction.verdict in ARRIVED:
        outside = {branch.outside for branch in direction.branches} if direction else ()
        return direction and direction.verdict, frozenset(outside)
    return direction.verdict, frozenset(
        (branch.verdict, c and (c.device, c.kind, c.filter, c.rule, c.direction))
        for branch in direction.branches
        for c in (branch.cause,)
    )
