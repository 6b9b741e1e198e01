"""Which of the kept flows pass an interface: what a link carries, and what would miss it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch, Verdict
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowAnswer, FlowQuestion, ask_flow
from routrel.questions.moves import KeptFlows

__all__ = ["FlowOver", "flows_over"]

#: A device and one of its interfaces.
End = tuple[str, str]


@dataclass(frozen=True, slots=True)
class FlowOver:
    """A kept flow that passes an interface, in or out.

    The shares are the largest of what comes in at any one of its entries; 0: it does not pass in
    that direction.
    """

    name: str
    question: FlowQuestion
    forward: Fraction
    back: Fraction
    verdict: Verdict
    return_verdict: Verdict | None


def flows_over(state: State, kept: KeptFlows, ends: Iterable[End]) -> tuple[FlowOver, ...]:
    """The kept flows that pass one of some interfaces on any branch of either direction.

    Flows that cannot be asked, as those about many ends, are left out.
    """
    wanted = frozenset(ends)
    found = []
    for name, question in kept.items():
        try:
            answer = ask_flow(state, question)
        except QuestionError:
            continue
        told = _over(name, question, answer, wanted)
        if told.forward or told.back:
            found.append(told)
    return tuple(found)


def _over(name: str, question: FlowQuestion, answer: FlowAnswer, ends: frozenset[End]) -> FlowOver:
    back = answer.back
    return FlowOver(
        name=name,
        question=question,
        forward=_share(answer.forward.branches, ends),
        back=_share(back.branches, ends) if back else Fraction(0),
        verdict=answer.forward.verdict,
        return_verdict=back.verdict if back else None,
    )


def _share(branches: Iterable[Branch], ends: frozenset[End]) -> Fraction:
    """The share of the branches that pass, of that entry of which it is the largest."""
    shares: dict[str | None, Fraction] = {}
    for branch in branches:
        passed = {
            (hop.device, name)
            for hop in branch.hops
            for name in (hop.interface_in, hop.interface_out)
            if name is not None
        }
        if passed & ends:
            shares[branch.entry] = shares.get(branch.entry, Fraction(0)) + branch.share
    return max(shares.values(), default=Fraction(0))
