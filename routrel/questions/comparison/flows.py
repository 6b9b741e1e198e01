"""The flows that two states do not treat alike: of every source, to every class of destinations.

Nothing is sampled. A flow is left out only where no table, link or rule that its packets may meet
is another in the second state. The rest is asked in the first, and in the second too where it came
by a device that may treat it otherwise.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Hop, Verdict
from routrel.questions.comparison.ends import End, ends_of
from routrel.questions.comparison.permitted import Part, PermittedTraffic, otherwise_permitted
from routrel.questions.comparison.reach import Reach
from routrel.questions.errors import QuestionError
from routrel.questions.flow import (
    DirectionAnswer,
    FlowAnswer,
    FlowQuestion,
    WaysAlone,
    arrives,
    ask_flow,
)
from routrel.questions.moves import KeptFlows

__all__ = ["MOST_PAIRS", "FlowChange", "FlowChanges", "Shift", "exits_of", "flow_changes"]

#: Pairs of ends that are asked in both states; more are counted, and told as not asked.
MOST_PAIRS = 4000


class Shift(StrEnum):
    """What is otherwise about a flow, the gravest first."""

    LOST = "lost"  #: it arrived and was answered, and is not any more
    WON = "won"
    VERDICT = "verdict"  #: it arrives in neither state, for another cause
    EXIT = "exit"  #: it leaves the network elsewhere
    WAY = "way"  #: other devices or links
    RETURN_WAY = "return_way"  #: the answers alone take other ones


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowChange:
    """A flow that is not treated alike; of a kept one the ends are as it names them."""

    source: End | None
    destination: End | None
    name: str  #: of a kept flow; else empty
    question: FlowQuestion
    before: FlowAnswer
    after: FlowAnswer
    shift: Shift
    is_asymmetric_now: bool  #: both ways were over the same devices, and are not any more


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowChanges:
    """All flows that changed, and how many pairs of ends there were to ask about."""

    changes: tuple[FlowChange, ...]
    asked: int
    left: int  #: pairs that may be treated otherwise and were not asked; there were too many


def flow_changes(before: State, after: State, kept: KeptFlows) -> FlowChanges:
    """Every flow that is not treated alike in two states, the gravest first, of those kept ones.

    Pings between all ends, and what changed filters newly permit or deny. Of packets that arrive in
    neither state nobody asks how they would be answered.
    """
    found: list[FlowChange] = []
    for name, question in kept.items():
        then, now = (_ask(state, question, WaysAlone()) for state in (before, after))
        change = _change(question, then, now, name=name)
        if change is not None:
            found.append(change)
    told = [change.question for change in found]
    ends = ends_of(before, after)
    traffic = list(otherwise_permitted(before, after))
    askers = [_Asker(state) for state in (before, after)]
    known: set[object] = set()
    asked = left = 0
    pings = _Differences(before, after, pings=True)
    all_traffic = _Differences(before, after, pings=False) if traffic else pings
    for source, destination, part in _pairs(pings, all_traffic, ends, traffic):
        if isinstance(part, int) or asked >= MOST_PAIRS:
            left += part if isinstance(part, int) else 1
            continue
        asked += 1
        question = FlowQuestion(
            source=source.asked,
            destination=destination.asked,
            traffic=part.words,
            source_port=part.source_port,
            both=True,
        )
        then = askers[0].ask(question, source, destination)
        if then is None or not (all_traffic if part.words else pings).are_met(then):
            continue
        now = askers[1].ask(question, source, destination)
        change = _change(question, then, now, source, destination)
        if change is None or _is_one_of(told, change):
            continue
        # The first part of a set stands for those that are treated as it is.
        protocol = part.words.partition(" ")[0]
        treated = _treated(change.before, change.after)
        alike = source.asked, destination.asked, protocol, part.source_port, treated
        if not protocol or alike not in known:
            known.add(alike)
            found.append(change)
    order = {shift: place for place, shift in enumerate(Shift)}
    found.sort(key=lambda change: order[change.shift])
    return FlowChanges(changes=tuple(found), asked=asked, left=left)


def _treated(*answers: FlowAnswer) -> object:
    """How each answer ends, both directions, and by which devices they go."""
    return tuple(
        (way.verdict, tuple(tuple(hop.device for hop in branch.hops) for branch in way.branches))
        if way is not None
        else None
        for answer in answers
        for way in (answer.forward, answer.back)
    )


def _is_one_of(told: list[FlowQuestion], change: FlowChange) -> bool:
    """Whether a kept flow that was told is a change itself, which stands for no others."""
    source, destination, question = change.source, change.destination, change.question
    if source is None or destination is None or source.alike or destination.alike:
        return False
    asked = source.text, destination.text, question.traffic, question.source_port
    return any(asked == (one.source, one.destination, one.traffic, one.source_port) for one in told)


_PING = Part("")


class _Differences:
    """What may be treated otherwise in the second of two states, whichever outcome comes about.

    Where both may rest in as many ways, the ways are held against each other one by one: if every
    one is alike for a flow, so are all together. Else each may be what the two have not in common.
    """

    def __init__(self, before: State, after: State, *, pings: bool) -> None:
        ways = [[state, *state.others_alone] for state in (before, after)]
        self._is_matched = len(ways[0]) == len(ways[1])
        if self._is_matched:
            pairs = list(zip(*ways, strict=True))
        else:
            pairs = [(first, other) for first in ways[0][:1] for other in (*ways[0][1:], *ways[1])]
        self._reaches = [Reach(one, other, pings=pings) for one, other in pairs]
        self._changed = frozenset().union(*(reach.changed for reach in self._reaches))

    def __bool__(self) -> bool:
        return bool(self._changed)

    def are_met(self, answer: FlowAnswer) -> bool:
        """Whether a flow of the first state, or its answers, come by where something may differ.

        If not, each of its steps is the same in the second.
        """
        if not self._is_matched:
            return True
        return any(name in self._changed for name in answer.devices)

    def may_be_met(self, source: End, destination: End) -> bool:
        """Whether packets between two ends, or answers, may come by where something differs."""
        return any(_may_differ(reach, source, destination) for reach in self._reaches)


def _pairs(
    pings: _Differences, all_traffic: _Differences, ends: list[End], traffic: list[PermittedTraffic]
) -> Iterator[tuple[End, End, Part | int]]:
    """What may be treated otherwise: a source, a destination, and the traffic.

    A number stands for so many kinds of traffic that nobody asks about; there are too many.
    """
    if not (pings or all_traffic):
        return
    for source in ends:
        if not source.is_source:
            continue
        for destination in ends:
            if source.address.version != destination.address.version:
                continue
            same = source.owner is not None and source.owner == destination.owner
            if same or (source.is_outside and destination.is_outside):
                continue
            if pings and pings.may_be_met(source, destination):
                yield source, destination, _PING
            held = [p for p in traffic if p.holds(source.address, destination.address)]
            if held and all_traffic.may_be_met(source, destination):
                for part in _told_apart(held):
                    yield source, destination, part
                yield source, destination, sum(each.left for each in held)


def _told_apart(held: list[PermittedTraffic]) -> Iterator[Part]:
    """The parts of some sets; one from other ports only where none is from the usual one."""
    parts = dict.fromkeys(part for each in held for part in each.parts)
    usual = {part.words for part in parts if part.source_port is None}
    return (part for part in parts if part.source_port is None or part.words not in usual)


def _may_differ(reach: Reach, source: End, destination: End) -> bool:
    return reach.may_differ(source.address, source.tables, destination.address, destination.tables)


class _Asker:
    """Asks a state, and its other outcomes only where they may treat a flow otherwise."""

    def __init__(self, state: State) -> None:
        self._state, self._shown, self._ways = state, replace(state, others=()), WaysAlone()
        self._others = [Reach(self._shown, other) for other in state.others_alone]

    def ask(self, question: FlowQuestion, source: End, destination: End) -> FlowAnswer | None:
        """The answer; None where the question cannot be asked."""
        differs = any(_may_differ(reach, source, destination) for reach in self._others)
        return _ask(self._state if differs else self._shown, question, self._ways)


def _ask(state: State, question: FlowQuestion, ways: WaysAlone) -> FlowAnswer | None:
    try:
        return ask_flow(state, question, ways)
    except QuestionError:
        return None


def _change(
    question: FlowQuestion,
    then: FlowAnswer | None,
    now: FlowAnswer | None,
    source: End | None = None,
    destination: End | None = None,
    name: str = "",
) -> FlowChange | None:
    """What changed; None: nothing, or an end that is off or not there sends nothing."""
    shift = _shift(then, now) if then is not None and now is not None else None
    if then is None or now is None or shift is None:
        return None
    return FlowChange(
        source=source,
        destination=destination,
        name=name,
        question=question,
        before=then,
        after=now,
        shift=shift,
        is_asymmetric_now=_is_symmetric(then) is True and _is_symmetric(now) is False,
    )


def _shift(then: FlowAnswer, now: FlowAnswer) -> Shift | None:
    """What is otherwise; None: nothing."""
    arrived, arrives_now = arrives(then), arrives(now)
    if arrived != arrives_now:
        return Shift.LOST if arrived else Shift.WON
    if then.forward.verdict is not now.forward.verdict:
        return Shift.VERDICT
    # Answers that nobody sends any more, since the other end is off, are no other answers.
    backs = (then.back, now.back) if then.back is not None and now.back is not None else None
    if backs and backs[0].verdict is not backs[1].verdict:
        return Shift.VERDICT
    if exits_of(then.forward) != exits_of(now.forward):
        return Shift.EXIT
    if then.forward.course != now.forward.course:
        return Shift.WAY
    return Shift.RETURN_WAY if backs and backs[0].course != backs[1].course else None


def exits_of(direction: DirectionAnswer) -> dict[tuple[str, str, str], None]:
    """Where packets leave the network: outside network, last device of ours and its interface."""
    return dict.fromkeys(
        (branch.outside or "", hop.device, hop.interface_out or "")
        for branch in direction.branches
        if branch.verdict is Verdict.LEAVES_NETWORK
        for hop in [next(hop for hop in reversed(branch.hops) if not hop.outside)]
    )


def _is_symmetric(answer: FlowAnswer) -> bool | None:
    """Whether answers come over the devices that the packets went over; None: there are none."""
    if answer.back is None or not arrives(answer):
        return None
    there = _devices(branch.hops for branch in answer.forward.branches)
    back = _devices(tuple(reversed(branch.hops)) for branch in answer.back.branches)
    return there == back


def _devices(ways: Iterable[Iterable[Hop]]) -> frozenset[tuple[str, ...]]:
    return frozenset(tuple(hop.device for hop in way) for way in ways)
