"""What becomes of kept questions after a failure; only those that may go otherwise are asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from routrel.convergence.converge import State
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.moves import KeptFlows, Way, way_of
from routrel.questions.promises.rests import RecordedWays, Rests

__all__ = ["KeptWay", "kept_ways"]


@dataclass(frozen=True, slots=True)
class KeptWay:
    """What becomes of a kept question, and what that rests on; None: it cannot be asked."""

    way: Way
    rests: Rests | None


def kept_ways(
    state: State,
    kept: KeptFlows,
    known: Mapping[str, KeptWay] | None = None,
    touched: frozenset[str] | None = None,
) -> dict[str, KeptWay]:
    """What becomes of each kept question, by name.

    Args:
        known: What became of them in another state of the network.
        touched: As `touched_devices`, from there to here.
    """
    found, ways = {}, RecordedWays(state)
    for name, question in kept.items():
        then = known.get(name) if known else None
        begins = partial(_begin_at, state, ways, question)
        if then is not None and ways.still_holds(then.rests, touched, begins):
            found[name] = then
            continue
        ways.begin()
        try:
            answer = ask_flow(state, question, ways)
        except QuestionError as error:
            found[name] = KeptWay(Way(error.text, arrives=False), rests=None)
        else:
            found[name] = KeptWay(way_of(answer), ways.rests(frozenset(answer.devices), begins()))
    return found


def _begin_at(state: State, ways: RecordedWays, question: FlowQuestion) -> tuple[object, ...]:
    """The addresses that the ends of a question have, and where their packets begin."""
    found: list[object] = []
    for end in (question.source, question.destination):
        try:
            resolved = ways.endpoint(state, end)
        except QuestionError:
            found.append(None)
        else:
            found.append((resolved.addresses, resolved.starts))
    return tuple(found)
