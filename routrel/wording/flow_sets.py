"""Many flows in words: one sentence for each cause, and one for all of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from routrel.forwarding.evidence import Cause, Verdict
from routrel.forwarding.round_trip import ARRIVED
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion
from routrel.questions.flow_causes import CauseAnswer
from routrel.questions.flow_classes import ClassAnswer, Pair
from routrel.questions.flow_facts import entries_of
from routrel.wording.flows import VERDICT_TITLES, answer_sentence

__all__ = ["cause_sentence", "causes_sentence", "class_sentence"]

#: Names that are listed; of more their number is told.
_LISTED = 3

#: Causes that are told as exceptions before what most share.
_EXCEPTIONS = 2


def class_sentence(one: ClassAnswer) -> str:
    """What becomes of a class's traffic, in words that are true of all its pairs."""
    if one.answer is None:
        return one.problem
    if len(one.pairs) == 1:
        return answer_sentence(one.answer)
    words = _both_ways(one.answer)
    return f"{words[:1].upper()}{words[1:]}."


def cause_sentence(cause: CauseAnswer, question: FlowQuestion, every: Sequence[Pair]) -> str:
    """What becomes of all pairs of a cause.

    Args:
        every: All pairs that were asked about.
    """
    return f"{_pairs_words(cause.pairs, question, every)}: {_what(cause)}."


def causes_sentence(causes: Sequence[CauseAnswer], question: FlowQuestion) -> str:
    """What becomes of all pairs; where most agree, the exceptions first."""
    every = [pair for cause in causes for pair in cause.pairs]
    held = [cause for cause in causes if not cause.is_of_nobody]
    nobody = sum(len(cause.pairs) for cause in causes if cause.is_of_nobody)
    last = ""
    if nobody and held:
        pairs = "One more pair is" if nobody == 1 else f"{nobody} more pairs are"
        last = f" {pairs} of addresses that no device has."
    told = held or list(causes)
    if len(told) == 1:
        return f"{cause_sentence(told[0], question, every)}{last}"
    total = sum(len(cause.pairs) for cause in told)
    largest = max(told, key=lambda cause: len(cause.pairs))
    others = [cause for cause in told if cause is not largest]
    if 2 * len(largest.pairs) <= total or len(others) > _EXCEPTIONS:
        parts = [cause_sentence(cause, question, every) for cause in told]
        return f"{' '.join(parts)}{last}"
    parts = [cause_sentence(cause, question, every) for cause in others]
    rest = f"The other {len(largest.pairs)} of {total} pairs: {_what(largest)}."
    return f"{' '.join(parts)} {rest}{last}"


def _pairs_words(pairs: Sequence[Pair], question: FlowQuestion, every: Sequence[Pair]) -> str:
    if len(pairs) == 1:
        return f"{pairs[0].source} → {pairs[0].destination}"
    sources = _ends_words([p.source for p in pairs], [p.source for p in every], question.source)
    destinations = _ends_words(
        [p.destination for p in pairs], [p.destination for p in every], question.destination
    )
    return f"{len(pairs)} pairs of {sources} and {destinations}"


def _ends_words(ends: Iterable[str], every: Iterable[str], asked: str) -> str:
    """Some of the ends that a word stands for: the word where it is all of them."""
    named, all_ = list(dict.fromkeys(ends)), set(every)
    if len(named) > 1 and set(named) == all_:
        return asked.strip()
    if len(named) <= _LISTED:
        return ", ".join(named)
    return f"{len(named)} of {asked.strip()}"


def _what(cause: CauseAnswer) -> str:
    """What becomes of a cause's traffic, without the ends of any one pair."""
    first = cause.classes[0]
    if first.answer is None:
        return first.problem.removesuffix(".")
    return _both_ways(first.answer)


def _both_ways(answer: FlowAnswer) -> str:
    if answer.outcomes:
        told = dict.fromkeys(_both_ways(one.answer) for one in answer.outcomes)
        return f"not certain, it depends on who settles first: {' or '.join(told)}"
    there = _end_words(answer.forward)
    if answer.back is None:
        return there
    if answer.back.verdict in ARRIVED:
        return there if answer.forward.verdict in ARRIVED else f"{there}; the way back is open"
    back = _end_words(answer.back)
    if answer.forward.verdict in ARRIVED:
        return f"{there}, but answers do not come back: {back}"
    return f"{there}; on the way back: {back}"


def _end_words(direction: DirectionAnswer) -> str:
    """How a direction ends, in words that are true of all that end so."""
    if direction.verdict is Verdict.NOT_CONVERGED:
        return "routing has no stable answer on the way"
    if direction.verdict is Verdict.LEAVES_NETWORK:
        named = dict.fromkeys(str(branch.outside) for branch in direction.branches)
        return f"leaves the network to {' or '.join(named)}"
    ends = dict.fromkeys(_stop_words(b.verdict, b.cause) for b in direction.branches)
    if len(ends) == 1:
        return next(iter(ends))
    where = "by where it comes in" if entries_of(direction.branches) else "by path"
    return f"{where} {' or '.join(ends)}"


def _stop_words(verdict: Verdict, cause: Cause | None) -> str:
    title = VERDICT_TITLES[verdict]
    words = f"{title[:1].lower()}{title[1:]}"
    if cause is None:
        return words
    if cause.filter is not None:
        rule = f"rule {cause.rule}" if cause.rule is not None else "the default"
        return f"blocked by {rule} of {cause.filter} at {cause.device}"
    return f"{words} at {cause.device}"
