"""What passes an interface, as an answer."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.answers.base import Answer
from routrel.forwarding.evidence import Verdict
from routrel.questions.flows_over import FlowOver
from routrel.wording.stages import share_words

__all__ = ["FlowOverData", "flows_over_data"]


class FlowOverData(Answer):
    """A kept flow that passes; the shares in words are null where it does not in that direction."""

    name: str
    source: str
    destination: str
    traffic: str
    forward: str | None
    back: str | None
    verdict: Verdict
    return_verdict: Verdict | None


def flows_over_data(found: Iterable[FlowOver]) -> list[FlowOverData]:
    """Flows as answers, in their order."""
    return [
        FlowOverData(
            name=one.name,
            source=one.question.source,
            destination=one.question.destination,
            traffic=one.question.traffic,
            forward=share_words(one.forward) if one.forward else None,
            back=share_words(one.back) if one.back else None,
            verdict=one.verdict,
            return_verdict=one.return_verdict,
        )
        for one in found
    ]
