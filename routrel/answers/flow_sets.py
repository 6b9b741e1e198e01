"""A flow question about many ends as an answer: by cause, and by classes of equal treatment."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.answers.base import Answer, Placed, position
from routrel.answers.flows import OneFlowData, flow_data
from routrel.convergence.converge import State
from routrel.forwarding.evidence import Verdict
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.flow_causes import CauseAnswer, causes_of
from routrel.questions.flow_classes import ClassAnswer, Pair, ask_classes, is_about_many
from routrel.wording.differences import first_difference
from routrel.wording.flow_facts import way_words
from routrel.wording.flow_sets import cause_sentence, causes_sentence, class_sentence

__all__ = ["FlowData", "answer_flow"]


class PairData(Answer):
    """Two ends."""

    source: str
    destination: str


class FlowClassData(Answer):
    """Traffic that the network treats alike; `asked` is a pair of it, to ask for its answer.

    `way` is its devices in one line, and `differs` what tells it from the largest class of the
    same cause; both are empty where there is nothing to tell. `answer` is the command line's; the
    API's is null.
    """

    asked: PairData | None
    way: str
    differs: str
    pairs: list[PairData]
    verdict: Verdict | None
    return_verdict: Verdict | None
    sentence: str
    answer: OneFlowData | None


class FlowCauseData(Placed):
    """All pairs of which one thing becomes, with the line that stops them, if one does.

    `of_nobody`: an end of each pair is an address that nobody has. `classes` are places among the
    answer's classes: one for each set of ways.
    """

    sentence: str
    verdict: Verdict | None
    return_verdict: Verdict | None
    of_nobody: bool
    pair_count: int
    classes: list[int]


class FlowData(OneFlowData):
    """A flow's answer; of many pairs of ends, by cause and by classes of equal treatment."""

    causes: list[FlowCauseData]
    classes: list[FlowClassData]


def answer_flow(state: State, question: FlowQuestion, *, every_way: bool = True) -> FlowData:
    """Ask a flow question, about one pair of ends or many, and give its answer.

    Of many, `classes` holds what becomes of each class, and the rest is the answer of the first: of
    the traffic that does not arrive, if there is any.

    Args:
        every_way: Whether each class has its whole answer too, which makes a long one of many;
            else it is had by asking what its `asked` says.

    Raises:
        QuestionError: the question cannot be asked.
    """
    if not is_about_many(state, question):
        return _with_classes(flow_data(state, ask_flow(state, question)), None, [], [])
    classes = ask_classes(state, question)
    first = next((c.answer for c in classes if c.answer is not None), None)
    if first is None:
        problem = classes[0].problem if classes else "both ends are the same"
        raise QuestionError(problem, "ask about other ends")
    causes = causes_of(classes)
    every = [pair for one in classes for pair in one.pairs]
    differs = {number: text for cause in causes for number, text in _differences(cause)}
    told = [
        _class_data(state, one, differs.get(number, ""), whole=every_way)
        for number, one in enumerate(classes)
    ]
    return _with_classes(
        flow_data(state, first),
        causes_sentence(causes, question),
        [_cause_of_many(cause, cause_sentence(cause, question, every)) for cause in causes],
        told,
    )


def _cause_of_many(cause: CauseAnswer, sentence: str) -> FlowCauseData:
    answer = cause.classes[0].answer
    directions = [d for d in (answer.forward, answer.back) if d] if answer else []
    stop = next((d.cause for d in directions if d.cause is not None), None)
    return FlowCauseData(
        sentence=sentence,
        verdict=answer.forward.verdict if answer else None,
        return_verdict=answer.back.verdict if answer and answer.back else None,
        of_nobody=cause.is_of_nobody,
        pair_count=len(cause.pairs),
        classes=list(cause.numbers),
        **position(stop.place if stop else None),
    )


def _differences(cause: CauseAnswer) -> Iterator[tuple[int, str]]:
    """For each class of a cause but the largest: the first hop that tells it from that one."""
    ordered = sorted(
        zip(cause.classes, cause.numbers, strict=True), key=lambda each: -len(each[0].pairs)
    )
    largest = ordered[0][0]
    for one, number in ordered[1:]:
        if one.answer and largest.answer:
            names = (_pair_words(one.pairs[0]), _pair_words(largest.pairs[0]))
            found = first_difference(one.answer, largest.answer, names)
            yield number, found.sentence if found.device else ""


def _pair_words(pair: Pair) -> str:
    return f"{pair.source} → {pair.destination}"


def _with_classes(
    one: OneFlowData,
    sentence: str | None,
    causes: list[FlowCauseData],
    classes: list[FlowClassData],
) -> FlowData:
    return FlowData(
        causes=causes,
        sentence=sentence or one.sentence,
        facts=one.facts,
        decides=one.decides,
        doubt=one.doubt,
        traffic=one.traffic,
        forward=one.forward,
        back=one.back,
        classes=classes,
    )


def _class_data(state: State, one: ClassAnswer, differs: str, *, whole: bool) -> FlowClassData:
    answer = one.answer
    told = flow_data(state, answer) if answer and (whole or len(one.pairs) == 1) else None
    single = told.sentence if told and len(one.pairs) == 1 else None
    asked = None
    if answer is not None:
        forward = answer.forward
        asked = PairData(source=forward.source.text, destination=forward.destination.text)
    return FlowClassData(
        asked=asked,
        way=way_words(answer.forward) if answer else "",
        differs=differs,
        pairs=[PairData(source=p.source, destination=p.destination) for p in one.pairs],
        verdict=answer.forward.verdict if answer else None,
        return_verdict=answer.back.verdict if answer and answer.back else None,
        sentence=single or class_sentence(one),
        answer=told if whole else None,
    )
