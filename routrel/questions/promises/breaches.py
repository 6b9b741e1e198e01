"""What keeps a clause of a promise from holding for one flow."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from routrel.forwarding.evidence import Branch, Hop, Verdict
from routrel.forwarding.round_trip import ARRIVED
from routrel.forwarding.stages.route import RouteEvidence
from routrel.model.promises import (
    Avoids,
    Blocked,
    Branches,
    Carries,
    Clause,
    Delivered,
    LeavesBy,
    Passes,
    ReturnsSameWay,
    TakesAtMost,
    Thing,
    ThingKind,
)
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.promises.sets import AskedFlow
from routrel.questions.promises.usage import Things
from routrel.rib.candidates import Protocol

__all__ = ["Breach", "breach_of", "exits_otherwise", "longest_way"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Breach:
    """Why a clause does not hold for a flow."""

    clause: Clause
    code: str  #: stable identifier
    subject: str = ""  #: what it is about: a thing, a number, a device
    back: bool = False  #: whether it is the way back that is wrong
    verdict: Verdict | None = None


def breach_of(
    things: Things, clause: Clause, asked: AskedFlow, answer: FlowAnswer
) -> Breach | None:
    """Why a clause does not hold for a flow; None: it does, in every outcome of routing."""
    found = (_breach(things, clause, asked, one) for one in answer.each)
    return next((breach for breach in found if breach is not None), None)


def _breach(things: Things, clause: Clause, asked: AskedFlow, answer: FlowAnswer) -> Breach | None:
    match clause:
        case Delivered() | Carries():
            return _not_delivered(clause, asked, answer)
        case Blocked():
            return _not_blocked(clause, asked, answer)
        case Passes():
            return next(_passed_by(things, clause, answer), None)
        case Avoids():
            return next(_met(things, clause, answer), None)
        case LeavesBy():
            return next(_left_elsewhere(things, clause, answer.forward), None)
        case TakesAtMost(hops=most):
            longest = max(map(_length, _arrived(answer.forward)), default=0)
            if longest > most:
                return Breach(clause=clause, code="too_many_hops", subject=str(longest))
        case Branches(count=count, sharing=sharing):
            ways = _arrived(answer.forward)
            found = _apart([things.shared(branch, sharing) for branch in ways], count)
            if found < count:
                return Breach(clause=clause, code="too_few_branches", subject=str(found))
        case ReturnsSameWay():
            return _other_return(clause, answer)
    return None


# --- arriving -----------------------------------------------------------------------------------


def _is_unknown(way: DirectionAnswer) -> bool:
    return way.verdict is Verdict.NOT_CONVERGED or bool(way.trace.unfollowed)


def _not_delivered(clause: Clause, asked: AskedFlow, answer: FlowAnswer) -> Breach | None:
    """Where a packet or an answer ends that should get to a device, or to who leads there."""
    ends = (asked.destination, asked.source)
    for (way, back), end in zip(_ways(answer, both=True), ends, strict=False):
        if _is_unknown(way):
            return Breach(clause=clause, code="not_known", verdict=way.verdict, back=back)
        for branch in way.branches:
            leaves = branch.verdict is Verdict.LEAVES_NETWORK
            if branch.verdict is Verdict.DELIVERED:
                continue
            if leaves and branch.outside in (end.outside or ()):
                continue
            return Breach(
                clause=clause,
                code="leaves" if leaves else "stopped",
                subject=(branch.outside or "") if leaves else branch.hops[-1].device,
                back=back,
                verdict=branch.verdict,
            )
    return None


def _not_blocked(clause: Clause, asked: AskedFlow, answer: FlowAnswer) -> Breach | None:
    """Where a packet arrives; one to an address of ours that leaves the network does not."""
    forward = answer.forward
    got_there = [Verdict.DELIVERED]
    if asked.destination.outside is not None:
        got_there.append(Verdict.LEAVES_NETWORK)
    for branch in forward.branches:
        if branch.verdict in got_there:
            return Breach(
                clause=clause,
                code="arrives",
                subject=branch.outside or branch.hops[-1].device,
                verdict=branch.verdict,
            )
        if _is_at_its_segment(branch):
            return Breach(
                clause=clause,
                code="comes_to_its_subnet",
                subject=branch.hops[-1].device,
                verdict=branch.verdict,
            )
    if _is_unknown(forward):
        return Breach(clause=clause, code="not_known", verdict=forward.verdict)
    return None


def _is_at_its_segment(branch: Branch) -> bool:
    """Whether a packet got to the subnet of its destination, where only nobody answers today."""
    if branch.verdict is not Verdict.NEXT_HOP_UNRESOLVED:
        return False
    evidence = [stage.evidence for stage in branch.hops[-1].stages]
    routes = [one.route for one in evidence if isinstance(one, RouteEvidence) and one.route]
    return bool(routes) and routes[-1].protocol is Protocol.CONNECTED


# --- ways ---------------------------------------------------------------------------------------


def _arrived(way: DirectionAnswer) -> list[Branch]:
    return [branch for branch in way.branches if branch.verdict in ARRIVED]


def _ways(answer: FlowAnswer, *, both: bool) -> Iterator[tuple[DirectionAnswer, bool]]:
    """The directions that a clause is about, each with whether it is the way back."""
    yield answer.forward, False
    if both and answer.back is not None:
        yield answer.back, True


def _passed_by(things: Things, clause: Passes, answer: FlowAnswer) -> Iterator[Breach]:
    """Things that an arriving branch did not pass."""
    for way, back in _ways(answer, both=clause.both_ways):
        for branch in _arrived(way):
            missed = [one for one in clause.things if not things.passes(branch.hops, one)]
            if missed and (not clause.any_of or len(missed) == len(clause.things)):
                yield Breach(clause=clause, code="passes_by", subject=_named(missed), back=back)


def _met(things: Things, clause: Avoids, answer: FlowAnswer) -> Iterator[Breach]:
    for way, back in _ways(answer, both=clause.both_ways):
        for branch in way.branches:
            met = [one for one in clause.things if things.passes(branch.hops, one)]
            if met:
                yield Breach(clause=clause, code="meets", subject=_named(met), back=back)


def _left_elsewhere(things: Things, clause: LeavesBy, way: DirectionAnswer) -> Iterator[Breach]:
    """Where an arriving branch leaves the network, if not by one of the named exits."""
    for branch in _arrived(way):
        if branch.verdict is Verdict.DELIVERED:
            yield Breach(clause=clause, code="does_not_leave", subject=branch.hops[-1].device)
            continue
        last = next(hop for hop in reversed(branch.hops) if not hop.outside)
        exits = (_is_exit(things, one, branch, last) for one in clause.things)
        if not any(exits):
            yield Breach(clause=clause, code="leaves_by", subject=branch.outside or last.device)


def exits_otherwise(things: Things, clause: LeavesBy, way: DirectionAnswer) -> str | None:
    """Where a direction's packets leave, if not by one of the named exits."""
    found = next(_left_elsewhere(things, clause, way), None)
    return found.subject if found else None


def _is_exit(things: Things, thing: Thing, branch: Branch, last: Hop) -> bool:
    device, interface = last.device, last.interface_out
    match thing.kind:
        case ThingKind.NETWORK:
            return branch.outside == thing.name
        case ThingKind.DEVICE:
            return device == thing.name
        case ThingKind.INTERFACE:
            return f"{device}:{interface}" == thing.name
        case ThingKind.SITE:
            return things.state.topology.devices[device].site == thing.name
        case ThingKind.LINK:
            segment = things.state.topology.segment_of.get((device, interface or ""))
            return segment is not None and segment.name == things.link_names.get(thing.name)
    return things.passes(branch.hops[-2:], thing)


def longest_way(answer: FlowAnswer) -> int:
    """The most links that a packet that arrives crosses, in any outcome; 0: none arrives."""
    found = (_length(branch) for one in answer.each for branch in _arrived(one.forward))
    return max(found, default=0)


def _length(branch: Branch) -> int:
    """How many links a way crosses, that of a sender that is in no file included."""
    return len(branch.hops) - 1 + (branch.hops[0].interface_in is not None)


def _apart(shared: Sequence[frozenset[str]], wanted: int) -> int:
    """The most ways of which no two share anything, at most as many as are wanted."""
    ways = sorted({one for one in shared if one}, key=len)
    bare = sum(1 for one in shared if not one)  # these have nothing that could be shared

    def best(taken: frozenset[str], begin: int, count: int) -> int:
        most = count
        for number in range(begin, len(ways)):
            if most >= wanted:
                break
            if ways[number].isdisjoint(taken):
                most = max(most, best(taken | ways[number], number + 1, count + 1))
        return most

    return min(wanted, best(frozenset(), 0, bare))


def _other_return(clause: ReturnsSameWay, answer: FlowAnswer) -> Breach | None:
    if answer.back is None:
        return None
    there = {tuple(hop.device for hop in branch.hops) for branch in _arrived(answer.forward)}
    back = {tuple(hop.device for hop in reversed(b.hops)) for b in _arrived(answer.back)}
    other = sorted(back - there) or sorted(there - back)
    if not other:
        return None
    return Breach(
        clause=clause, code="returns_elsewhere", subject=", ".join(reversed(other[0])), back=True
    )


def _named(things: Sequence[Thing]) -> str:
    return ", ".join(thing.name for thing in things)
