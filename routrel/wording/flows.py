"""The sentences that a flow's answer begins with: verdicts and what stands in the way."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from routrel.forwarding.evidence import (
    Branch,
    Cause,
    Direction,
    Evidence,
    Obstacle,
    Result,
    Verdict,
)
from routrel.forwarding.stages.answer import AnswerEvidence
from routrel.forwarding.stages.loop import LoopEvidence
from routrel.forwarding.stages.mtu import MtuEvidence, PiecesEvidence
from routrel.forwarding.stages.neighbour import NeighbourEvidence
from routrel.forwarding.stages.packet_filter import FilterEvidence, ZoneEvidence
from routrel.forwarding.stages.reverse_path import ReversePathEvidence
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.model.network import DEFAULT_VRF
from routrel.questions.flow import DirectionAnswer, FlowAnswer
from routrel.questions.flow_facts import Entry, entries_of
from routrel.rib.table import Route
from routrel.wording.flow_facts import ways_back_words
from routrel.wording.stages import (
    answer_words,
    bound_words,
    mtu_words,
    neighbour_words,
    reverse_path_words,
    share_words,
    steered_words,
    zone_words,
)

__all__ = [
    "VERDICT_TITLES",
    "answer_sentence",
    "direction_sentence",
    "entry_sentence",
    "obstacle_sentence",
]

VERDICT_TITLES: dict[Verdict, str] = {
    Verdict.DELIVERED: "Delivered",
    Verdict.FILTERED: "Blocked by a filter",
    Verdict.NO_ROUTE: "No route",
    Verdict.DISCARDED: "Discarded",
    Verdict.NEXT_HOP_UNRESOLVED: "Next hop does not answer",
    Verdict.LOOPED: "Loops",
    Verdict.TOO_BIG: "Too big",
    Verdict.TTL_EXPIRED: "Time to live expired",
    Verdict.LEAVES_NETWORK: "Leaves the network",
    Verdict.LABEL_BROKEN: "Label switching broken",
    Verdict.NOT_CONVERGED: "Routing never settles",
    Verdict.MIXED: "Paths differ",
}


def answer_sentence(
    answer: FlowAnswer, outcomes: Sequence[str] = (), *, unroutable: bool = False
) -> str:
    """Both directions in a sentence or two that can go into a ticket as it stands.

    Args:
        outcomes: Where it depends on who came first: what tells each outcome from the others.
        unroutable: Whether the world outside could not even send such packets.
    """
    if answer.outcomes:
        told = [answer_sentence(one.answer, unroutable=unroutable) for one in answer.outcomes]
        named = outcomes or [f"outcome {number}" for number in range(1, len(told) + 1)]
        parts = [f"With {name}: {words}" for name, words in zip(named, told, strict=True)]
        return " ".join(["Not certain, it depends on who settles first.", *parts])
    words = direction_sentence(answer.forward)
    if unroutable:
        address = answer.forward.header.destination
        words = (
            f"From outside nobody could send to {address}, a private address; "
            f"if it came in all the same: {_lower_first(words)}"
        )
    if answer.back is None:
        return words
    if answer.back.verdict is Verdict.DELIVERED:
        if answer.forward.verdict is Verdict.DELIVERED:
            return f"{words} The return direction is delivered too, {ways_back_words(answer)}."
        return f"{words} The return direction is open."
    if answer.back.verdict is Verdict.LEAVES_NETWORK:
        return f"{words} The return direction leaves the network."
    back = _lower_first(direction_sentence(answer.back))
    if answer.forward.verdict in (Verdict.DELIVERED, Verdict.LEAVES_NETWORK):
        return f"{words.removesuffix('.')}, but answers do not come back: {back}"
    return f"{words} Return direction: {back}"


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]


def direction_sentence(answer: DirectionAnswer) -> str:
    """The verdict of one direction with its cause, by the tables as they are shown."""
    if answer.verdict is Verdict.NOT_CONVERGED:
        return "Routing has no stable answer on the way."
    entries = entries_of(answer.branches)
    if entries:
        sentence = _entries_sentence(entries, answer.trace.unfollowed)
    else:
        sentence = _branches_sentence(answer.branches, answer.trace.unfollowed)
    if answer.verdict is Verdict.FILTERED:
        bare = answer.routing_verdict
        if bare is Verdict.DELIVERED:
            sentence += " Routing would deliver it."
        elif bare is Verdict.LEAVES_NETWORK:
            sentence += " Routing would take it out of the network."
        else:
            sentence += f" Routing alone: {VERDICT_TITLES[bare].lower()}."
    return sentence


def entry_sentence(entry: Entry) -> str:
    """What becomes of what comes in at one place."""
    return _branches_sentence(entry.branches, Fraction(0))


def _entries_sentence(entries: Sequence[Entry], unfollowed: Fraction) -> str:
    """What becomes of a flow that may come in at several places; those where it stops first."""
    ends: dict[object, list[Entry]] = {}
    for entry in entries:
        ends.setdefault(frozenset(map(_end, entry.branches)), []).append(entry)
    left_out = f" {share_words(unfollowed)} not followed, too many paths." if unfollowed else ""
    if len(ends) == 1:
        every = [branch for entry in entries for branch in entry.branches]
        told = _branches_sentence(every, Fraction(0), split_known=False).removesuffix(".")
        return f"{told}, from each of the {len(entries)} places where it may come in.{left_out}"
    parts = [
        f"From {' or '.join(e.name for e in alike)}: "
        f"{_lower_first(_branches_sentence(alike[0].branches, Fraction(0)))}"
        for alike in sorted(ends.values(), key=lambda alike: all(map(_arrives, alike)))
    ]
    return f"May come in at {len(entries)} places. {' '.join(parts)}{left_out}"


def _arrives(entry: Entry) -> bool:
    return all(branch.cause is None for branch in entry.branches)


def _end(branch: Branch) -> object:
    """How a branch ends, whatever its way: equal for those of which one sentence is true."""
    cause = branch.cause
    if cause is None:
        return branch.verdict, branch.outside, branch.hops[-1].device
    return branch.verdict, cause.device, cause.kind, cause.filter, cause.rule, cause.direction


def _branches_sentence(
    branches: Sequence[Branch], unfollowed: Fraction, split_known: bool = True
) -> str:
    if len({branch.verdict for branch in branches}) > 1 or unfollowed:
        return _mixed_sentence(branches, unfollowed, split_known)
    ends: dict[object, list[Branch]] = {}
    for branch in branches:
        ends.setdefault(_end(branch), []).append(branch)
    count = len(branches)
    if len(ends) > 1:
        parts = [(alike[0], f", on {len(alike)} of {count} paths") for alike in ends.values()]
    elif count == 1 or not split_known:
        parts = [(branches[0], "")]
    else:
        on_all = "on both paths" if count == 2 else f"on all {count} paths"
        parts = [(branches[0], f", {on_all}")]
    sentences = [_branch_sentence(b, count).removesuffix(".") + words for b, words in parts]
    return " ".join(f"{sentence}." for sentence in sentences)


def _mixed_sentence(
    branches: Sequence[Branch], unfollowed: Fraction, split_known: bool = True
) -> str:
    stopped = next((branch for branch in branches if branch.cause), None)
    detail = f" {_branch_sentence(stopped, 1)}" if stopped else ""
    shares: dict[Verdict, Fraction] = {}
    for branch in branches:
        shares[branch.verdict] = shares.get(branch.verdict, Fraction(0)) + branch.share
    order = list(Verdict)
    largest_first = sorted(shares.items(), key=lambda item: (-item[1], order.index(item[0])))
    if not split_known:
        titles = " or ".join(VERDICT_TITLES[verdict].lower() for verdict, _ in largest_first)
        return f"Equal-cost paths differ: {titles}.{detail}"
    parts = [f"{share_words(share)} {VERDICT_TITLES[v].lower()}" for v, share in largest_first]
    if unfollowed:
        parts.append(f"{share_words(unfollowed)} not followed, too many paths")
    return f"Equal-cost paths differ: {', '.join(parts)}.{detail}"


def _branch_sentence(branch: Branch, count: int) -> str:
    """How one of so many branches ends."""
    last = branch.hops[-1]
    if branch.verdict is Verdict.DELIVERED:
        return f"Delivered to {last.device}."
    if branch.verdict is Verdict.LEAVES_NETWORK:
        return f"Leaves the network to {branch.outside}."
    if branch.cause is None:
        raise ValueError("a branch that does not arrive has a cause")
    stage = next(stage for stage in last.stages if stage.result is Result.STOPPED)
    if branch.verdict is Verdict.TTL_EXPIRED:
        return f"The time to live expires at {last.device}, after {len(branch.hops) - 1} hops."
    return f"{_stopped_words(branch.verdict, branch.cause, stage.evidence, count)}."


def obstacle_sentence(obstacle: Obstacle) -> str:
    """What stands in the way, in a sentence of its own."""
    stage = obstacle.hop.stages[-1]
    return _stopped_words(obstacle.verdict, obstacle.cause, stage.evidence, 1) + "."


def _stopped_words(verdict: Verdict, cause: Cause, evidence: Evidence | None, count: int) -> str:
    """A stop without its full stop; with the interface where all branches share it."""
    at = f"at {cause.device}"
    match verdict, evidence:
        case Verdict.FILTERED, FilterEvidence() as found:
            return _filtered_sentence(found, cause, at, count)
        case Verdict.FILTERED, ZoneEvidence() as found:
            return f"Blocked {at}: {zone_words(found)}"
        case Verdict.FILTERED, ReversePathEvidence() as found:
            return f"Blocked {at} by its reverse-path check: {reverse_path_words(found, True)}"
        case Verdict.DISCARDED, SteeringEvidence() as found:
            return f"Discarded {at}: {steered_words(found)}"
        case Verdict.DISCARDED, AnswerEvidence() as answer:
            return f"Arrives, but is not taken for the answer: {answer_words(answer)}"
        case Verdict.DISCARDED, PiecesEvidence():
            return (
                f"Discarded {at}: it puts fragments together, and the others of this packet go "
                "another way"
            )
        case Verdict.NO_ROUTE, RouteEvidence(route=Route() as route):
            return f"No route {at}: {route.prefix} passes on, and nothing else is asked"
        case Verdict.NO_ROUTE, RouteEvidence(unread=True, destination=destination):
            return f"No route is known {at}: no table of it was read, so nothing of {destination}"
        case Verdict.NO_ROUTE, RouteEvidence(destination=destination) as evidence:
            table = "its table"
            if evidence.table or cause.vrf not in ("", DEFAULT_VRF):
                table = f"VRF {evidence.table or cause.vrf}"
            return f"No route {at}: {table} holds nothing for {destination}"
        case Verdict.DISCARDED, RouteEvidence(route=Route() as route):
            return f"Discarded {at} by the discard route to {route.prefix}"
        case Verdict.DISCARDED, _:
            return f"Discarded {at}: it does not forward packets of others"
        case Verdict.NEXT_HOP_UNRESOLVED, NeighbourEvidence() as found:
            return f"Stops {at}: {neighbour_words(found)}"
        case Verdict.LOOPED, LoopEvidence(devices=devices):
            return f"Loops: {' → '.join((*devices, devices[0]))}"
        case Verdict.TOO_BIG, MtuEvidence() as found:
            return f"Too big {at}: {mtu_words(found)}"
        case Verdict.TTL_EXPIRED, _:
            return f"The time to live expires {at}"
        case _:
            return f"{VERDICT_TITLES[verdict]} {at}"


def _filtered_sentence(found: FilterEvidence, cause: Cause | None, at: str, count: int) -> str:
    result = found.result
    where = bound_words(found) if count == 1 or found.interface is None else ""
    if cause is not None and cause.kind == "no_session":
        if not found.answer:
            return (
                f"Blocked {at}: filter {result.filter.name}{where} drops it, because it answers or "
                "reports on nothing that passed there"
            )
        return (
            f"Blocked {at}: filter {result.filter.name}{where} drops the answer, because the "
            "packet it answers did not pass there"
        )
    moment = {
        Direction.IN: "on arrival",
        Direction.OUT: "on the way out",
        Direction.THROUGH: "on the way through",
        Direction.ARRIVING: "on arrival",
    }[found.direction]
    rule = f"rule {result.rule.id}" if result.rule else "its default (no rule matches)"
    piece = "later fragments" if result.fragment else "it"
    return f"Blocked {at}: filter {result.filter.name}{where} drops {piece} {moment} by {rule}"
