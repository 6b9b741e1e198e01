"""Two flows side by side: the first point where what becomes of them differs."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import zip_longest

from routrel.answers.base import Answer
from routrel.answers.flows import OneFlowData
from routrel.forwarding.evidence import Branch, Hop, Result, Stage
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.wording.flows import VERDICT_TITLES
from routrel.wording.stages import stage_words

__all__ = ["Difference", "DifferenceData", "difference_data", "first_difference"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """Where two flows part. `device` is None where they never do."""

    sentence: str
    direction: str | None = None  #: forward or return
    device: str | None = None
    hop: int | None = None  #: the number of the hop, from 0


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


def first_difference(left: FlowAnswer, right: FlowAnswer, names: tuple[str, str]) -> Difference:
    """The first hop, forward and then on the way back, that does not do the same with both.

    Of several branches the first that does not arrive is taken, else the first.

    Args:
        names: What the two are called in the sentence.
    """
    pairs = (("forward", left.forward, right.forward), ("return", left.back, right.back))
    for direction, mine, theirs in pairs:
        if mine is None or theirs is None:
            continue
        found = _in_direction(direction, mine, theirs, names)
        if found is not None:
            return found
    return Difference(sentence="Both go the same way, and every device does the same with them.")


def _in_direction(
    direction: str, mine: DirectionAnswer, theirs: DirectionAnswer, names: tuple[str, str]
) -> Difference | None:
    left, right = _telling(mine), _telling(theirs)
    met = False
    for number, (a, b) in enumerate(zip_longest(left.hops, right.hops)):
        way = "" if direction == "forward" else "On the way back: "
        if a is None or b is None or a.device != b.device:
            if not met:
                continue  # two sources of one network meet only later
            before = left.hops[number - 1].device
            return Difference(
                sentence=f"{way}after {before}, {names[0]} goes to {_where(left, a)}, "
                f"{names[1]} to {_where(right, b)}.",
                direction=direction,
                device=before,
                hop=number - 1,
            )
        met = True
        told = _at_hop(a, b, names)
        if told:
            return Difference(
                sentence=f"{way}at {a.device}, {told}",
                direction=direction,
                device=a.device,
                hop=number,
            )
    return None


def _telling(answer: DirectionAnswer) -> Branch:
    branches = answer.branches
    return next((branch for branch in branches if branch.cause is not None), branches[0])


def _where(branch: Branch, hop: Hop | None) -> str:
    return hop.device if hop else f"nobody ({VERDICT_TITLES[branch.verdict].lower()})"


def _at_hop(a: Hop, b: Hop, names: tuple[str, str]) -> str:
    """How one device treats two packets differently; empty where it does not."""
    for mine, theirs in zip_longest(a.stages, b.stages):
        if mine is None or theirs is None or mine.name is not theirs.name:
            break
        if mine.result is not theirs.result or _stopped(mine, theirs):
            return f"{names[0]}: {stage_words(mine, a)}; {names[1]}: {stage_words(theirs, b)}."
    if a.interface_out != b.interface_out:
        return (
            f"{names[0]} leaves by {a.interface_out or 'nothing'}, "
            f"{names[1]} by {b.interface_out or 'nothing'}."
        )
    return ""


def _stopped(left: Stage, right: Stage) -> bool:
    """Whether both are stopped, but not by the same words."""
    both = left.result is Result.STOPPED and right.result is Result.STOPPED
    return both and left.evidence != right.evidence
