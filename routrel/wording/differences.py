"""Two flows side by side, in words: the first point where what becomes of them differs."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import zip_longest

from routrel.forwarding.evidence import Branch, Hop, Result, Verdict
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.wording.flows import VERDICT_TITLES
from routrel.wording.stages import stage_words

__all__ = ["Difference", "first_difference"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """Where two flows part. `device` is None where they never do."""

    sentence: str
    direction: str | None = None  #: forward or return
    device: str | None = None
    hop: int | None = None  #: the number of the hop, from 0


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
            if number == len(left.hops) - 1 == len(right.hops) - 1 and _both_arrive(left, right):
                continue  # two destinations of one network part only at the end
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


def _both_arrive(left: Branch, right: Branch) -> bool:
    return left.verdict is right.verdict is Verdict.DELIVERED


def _where(branch: Branch, hop: Hop | None) -> str:
    return hop.device if hop else f"nobody ({VERDICT_TITLES[branch.verdict].lower()})"


def _at_hop(a: Hop, b: Hop, names: tuple[str, str]) -> str:
    """How one device treats two packets differently; empty where it does not."""
    for mine, theirs in zip_longest(a.stages, b.stages):
        if mine is None or theirs is None or mine.name is not theirs.name:
            break
        both_stop = mine.result is theirs.result is Result.STOPPED
        if mine.result is not theirs.result or both_stop:
            words = stage_words(mine, a), stage_words(theirs, b)
            if words[0] != words[1] or not both_stop:
                return f"{names[0]}: {words[0]}; {names[1]}: {words[1]}."
    if a.interface_out != b.interface_out:
        return (
            f"{names[0]} leaves by {a.interface_out or 'nothing'}, "
            f"{names[1]} by {b.interface_out or 'nothing'}."
        )
    return ""
