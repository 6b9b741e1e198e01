"""Two flows side by side: the first point where what becomes of them differs."""

from __future__ import annotations

from routrel.answers.base import Answer
from routrel.answers.flows import OneFlowData
from routrel.wording.differences import Difference

__all__ = ["DifferenceData", "difference_data"]


class DifferenceData(Answer):
    """Where two flows part, and the whole answer of the other; nulls: they never do."""

    sentence: str
    direction: str | None
    device: str | None
    hop: int | None
    other: OneFlowData


def difference_data(found: Difference, other: OneFlowData) -> DifferenceData:
    """The first point of difference as an answer, with the flow it was compared to."""
    return DifferenceData(
        sentence=found.sentence,
        direction=found.direction,
        device=found.device,
        hop=found.hop,
        other=other,
    )
