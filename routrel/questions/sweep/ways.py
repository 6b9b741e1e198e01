"""What becomes of kept questions after a failure; only those that may go otherwise are asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowAnswer, arrives, ask_flow
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.rests import RecordedWays, Rests

__all__ = ["KeptWay", "kept_ways"]


@dataclass(frozen=True, slots=True)
class KeptWay:
    """The ways of a kept question, and what they rest on; None: it cannot be asked."""

    course: object  #: equal where nothing moved
    arrives: bool  #: and its answers do
    devices: frozenset[str]
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
        begins = tuple(_begins(state, ways, end) for end in (question.source, question.destination))
        if then is not None and _holds_still(then, begins, ways, touched):
            found[name] = then
            continue
        ways.begin()
        try:
            answer = ask_flow(state, question, ways)
        except QuestionError as error:
            found[name] = KeptWay(error.text, arrives=False, devices=frozenset(), rests=None)
        else:
            found[name] = _way(answer, ways.rests(begins))
    return found


def _holds_still(
    then: KeptWay,
    begins: tuple[object, ...],
    ways: RecordedWays,
    touched: frozenset[str] | None,
) -> bool:
    if then.rests is None or touched is None or not touched.isdisjoint(then.devices):
        return False
    return then.rests.begins == begins and ways.still_say(then.rests)


def _begins(state: State, ways: RecordedWays, end: str) -> object:
    """The address that an end has, and where its packets begin."""
    try:
        found = ways.endpoint(state, end)
    except QuestionError:
        return None
    return found.addresses, found.starts


def _way(answer: FlowAnswer, rests: Rests) -> KeptWay:
    each = [one.answer for one in answer.outcomes] or [answer]
    ways = [way for one in each for way in (one.forward, one.back) if way is not None]
    courses = [
        (way.verdict, [[hop.device for hop in branch.hops] for branch in way.branches])
        for way in ways
    ]
    devices = frozenset(hop.device for w in ways for b in w.branches for hop in b.hops)
    return KeptWay(courses, arrives=all(map(arrives, each)), devices=devices, rests=rests)
