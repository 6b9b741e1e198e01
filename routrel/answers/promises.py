"""How promises stand, as an answer."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import msgspec

from routrel.answers.base import Answer, Placed, position
from routrel.convergence.converge import State
from routrel.forwarding.evidence import Obstacle, Verdict
from routrel.forwarding.round_trip import ARRIVED
from routrel.model.findings import Severity
from routrel.questions.errors import QuestionError
from routrel.questions.flow import ask_flow
from routrel.questions.promises.check import Counterexample
from routrel.questions.promises.evaluate import Evaluation, Kept
from routrel.questions.promises.usage import Usage
from routrel.wording.flows import answer_sentence, obstacle_sentence
from routrel.wording.promises import breach_words, counterexample_words, kept_words, summary_words

__all__ = ["CounterexampleData", "PromiseData", "PromisesData", "RestsOnData", "promises_data"]


class CounterexampleData(Placed):
    """One flow for which a promise does not hold; the place is that of what stops it.

    `from`, `to`, `as`, `source_port` and `dscp` ask the same again, through the same lens with
    `failed` failed besides.
    """

    source: str = msgspec.field(name="from")
    destination: str = msgspec.field(name="to")
    traffic: str = msgspec.field(name="as")
    source_port: int | None
    dscp: int
    size: int | None
    text: str
    why: str
    code: str
    sentence: str  #: the flow's whole answer in words; empty where it cannot be asked
    forward: Verdict | None
    back: Verdict | None = msgspec.field(name="return")
    obstacle: str | None
    device: str | None
    failed: list[str]


class RuleUsedData(Placed):
    """A rule that decides about what is promised."""

    device: str
    text: str


class RestsOnData(Answer):
    """What a promise's packets meet on all branches, both ways."""

    devices: list[str]
    links: list[str]
    rules: list[str]
    interfaces: list[str]
    networks: list[str]
    routes: list[str]
    rules_placed: list[RuleUsedData]


class EnduredData(Answer):
    """What came of failing things one after another."""

    tried: int
    asked: int
    broken_by: list[str]


class PromiseData(Placed):
    """A promise and how it stands; the place is where it is written.

    `open`: what it must survive was not tried, so it is kept as far as it goes.
    """

    id: str
    text: str
    kept: bool
    open: bool
    severity: Severity
    owner: str
    folder: str
    note: str
    why: str
    suggestion: str
    classes: int
    counterexample: CounterexampleData | None
    survives: EnduredData | None
    rests_on: RestsOnData


class PromisesData(Answer):
    """All promises of a network; `asked` of them were asked, and not taken from another lens."""

    summary: str
    kept: int
    broken: int
    asked: int
    promises: list[PromiseData]


def promises_data(state: State, evaluation: Evaluation) -> PromisesData:
    """The answer about promises in a state."""
    found = [promise_data(state, one) for one in evaluation.found]
    broken = sum(1 for one in found if not one.kept)
    return PromisesData(
        summary=summary_words(evaluation.found),
        kept=len(found) - broken,
        broken=broken,
        asked=evaluation.asked,
        promises=found,
    )


def promise_data(state: State, kept: Kept) -> PromiseData:
    """One promise; its counterexample is asked again, with all that stands in its way."""
    promise, checked, endured = kept.promise, kept.checked, kept.endured
    example = None
    if checked.counterexample is not None:
        example = _example_data(state, checked.counterexample, ())
    elif endured is not None and endured.checked and endured.checked.counterexample:
        failed = tuple(map(str, endured.broken_by))
        example = _example_data(None, endured.checked.counterexample, failed)
    return PromiseData(
        id=promise.name,
        text=promise.sentence,
        kept=kept.kept,
        open=kept.is_open,
        severity=promise.severity,
        owner=promise.owner,
        folder=promise.folder,
        note=promise.note,
        why=kept_words(kept),
        suggestion=checked.suggestion,
        classes=checked.classes,
        counterexample=example,
        survives=EnduredData(
            tried=endured.tried,
            asked=endured.asked,
            broken_by=[str(one) for one in endured.broken_by],
        )
        if endured
        else None,
        rests_on=_rests_data(checked.usage),
        **position(promise.place),
    )


def _example_data(
    state: State | None, found: Counterexample, failed: Iterable[str]
) -> CounterexampleData:
    """A counterexample; without a state the way is not asked again."""
    question = replace(found.question, both=True)
    answer = None
    if state is not None:
        try:
            answer = ask_flow(state, question)
        except QuestionError:
            answer = None  # nothing can be sent from there, which `why` says
    obstacles: list[Obstacle] = []
    if answer is not None and found.breach.verdict not in (None, *ARRIVED):
        backs = answer.back.obstacles if answer.back else ()
        obstacles = [*answer.forward.obstacles, *backs]
    first = obstacles[0] if obstacles else None
    return CounterexampleData(
        source=question.source,
        destination=question.destination,
        traffic=question.traffic,
        source_port=question.source_port,
        dscp=question.dscp,
        size=question.size,
        text=counterexample_words(found),
        why=breach_words(found.breach),
        code=found.breach.code,
        sentence=answer_sentence(answer) if answer else "",
        forward=answer.forward.verdict if answer else None,
        back=answer.back.verdict if answer and answer.back else None,
        obstacle=obstacle_sentence(first) if first else None,
        device=first.cause.device if first else None,
        failed=list(failed),
        **position(first.cause.place if first else None),
    )


def _rests_data(usage: Usage) -> RestsOnData:
    return RestsOnData(
        devices=list(usage.devices),
        links=list(usage.links),
        rules=[str(rule) for rule in usage.rules],
        interfaces=[f"{device}:{name}" for device, name in usage.interfaces],
        networks=list(usage.networks),
        routes=[f"{device} {prefix}" for device, _, prefix in usage.routes],
        rules_placed=[
            RuleUsedData(device=rule.device, text=str(rule), **position(rule.place))
            for rule in usage.rules
        ],
    )
