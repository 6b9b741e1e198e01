"""A packet there, and the packet that answers it.

The answer begins where the packet arrived, swaps what the packet looked like there, and meets
devices that remember what they let pass. Where packets arrive by several ways that differ in what
is remembered, each has an answer of its own, with its share of those that came in at one entry.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import TypeAlias

from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import Branch, Obstacle, Verdict
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.trace import Start, Trace, trace
from routrel.model.traffic import Fragment, Header

__all__ = ["ARRIVED", "Leg", "follow", "follow_answer"]

#: What a host sends with (RFC 1700, of IP).
USUAL_TTL = 64

#: The verdicts of packets that got where they should.
ARRIVED = (Verdict.DELIVERED, Verdict.LEAVES_NETWORK)


@dataclass(frozen=True, slots=True, kw_only=True)
class Leg:
    """One direction.

    `bare` is the trace as if every filter permitted; `obstacles` is everything in the way, each
    once, in order of the way. Where ways alone were asked for, `bare` and `beyond` are the trace.
    """

    header: Header
    trace: Trace
    bare: Trace
    beyond: Trace  #: on behind obstacles; the same as `trace` where there are none
    obstacles: tuple[Obstacle, ...]


def follow(
    lookup: Lookup,
    header: Header,
    starts: tuple[Start, ...],
    *,
    ways_only: bool = False,
) -> Leg:
    """The first packet of a flow.

    Args:
        lookup: Of the topology and the tables; others may have looked up with it before.
        ways_only: Leaves out what explanations alone need.
    """
    beginnings: dict[str | None, _Shares] = {None: {_Beginning(header, starts, ()): Fraction(1)}}
    return _leg(lookup, beginnings, ways_only=ways_only)


def follow_answer(
    lookup: Lookup,
    there: Leg,
    starts: tuple[Start, ...],
    *,
    ways_only: bool = False,
) -> Leg | None:
    """The packets that answer those of a leg.

    If none of them arrives, the answers are those to packets that would, were nothing in the way;
    where ways alone are asked for, there are none.

    Args:
        starts: Where answers begin if the packets leave the network, or arrive nowhere.
        ways_only: As of `follow`.
    Returns:
        None where nobody knows where they begin.
    """
    arrived = [branch for branch in there.trace.branches if _may_be_answered(branch)]
    if ways_only and not arrived:
        return None
    arrived = arrived or [branch for branch in there.beyond.branches if _may_be_answered(branch)]
    by_entry: dict[str | None, _Shares] = {}
    for branch in arrived or there.beyond.branches[:1]:
        beginning = _answer(branch, there.header, starts)
        if beginning is not None:
            shares = by_entry.setdefault(branch.entry, {})
            shares[beginning] = shares.get(beginning, Fraction(0)) + branch.share
    return _leg(lookup, _alike(by_entry), ways_only=ways_only) if by_entry else None


def _alike(by_entry: dict[str | None, _Shares]) -> dict[str | None, _Shares]:
    """The beginnings of answers, with one name for all entries whose answers begin alike."""
    found: dict[frozenset[tuple[_Beginning, Fraction]], tuple[list[str], _Shares]] = {}
    for entry, shares in by_entry.items():
        total = sum(shares.values(), Fraction(0))
        parts = {beginning: share / total for beginning, share in shares.items()}
        entries, _ = found.setdefault(frozenset(parts.items()), ([], parts))
        entries.append(entry or "")
    if len(found) == 1:
        return {None: next(iter(found.values()))[1]}
    return {
        f"the answer to what came from {' or '.join(entries)}": parts
        for entries, parts in found.values()
    }


def _may_be_answered(branch: Branch) -> bool:
    """Whether it arrives; of fragments that part the first stands for the packet."""
    is_later = branch.header is not None and branch.header.fragment is Fragment.LATER
    return branch.verdict in ARRIVED and not is_later


@dataclass(frozen=True, slots=True)
class _Beginning:
    """A packet with where it begins and what devices remember of the one it answers."""

    header: Header
    starts: tuple[Start, ...]
    known: tuple[Connection, ...]
    asked: Header | None = None  #: the packet that it answers, as it was sent


#: The beginnings of one entry's packets, each with its share of them.
_Shares: TypeAlias = dict[_Beginning, Fraction]


def _answer(branch: Branch, asked: Header, starts: tuple[Start, ...]) -> _Beginning | None:
    """The answer to a packet as it ended: whole, and with the usual time to live."""
    header = branch.header or asked
    whole = replace(header, ttl=USUAL_TTL, size=asked.size, fragment=Fragment.NONE)
    if branch.verdict is Verdict.DELIVERED:
        last = branch.hops[-1]
        starts = (Start(last.device, last.vrf),)
    if not starts:
        return None
    # Of a packet that did not arrive nobody knows how it would have been translated.
    there = asked if branch.verdict in ARRIVED else None
    return _Beginning(whole.reply(), starts, branch.connections, there)


def _leg(
    lookup: Lookup,
    beginnings: dict[str | None, _Shares],
    *,
    ways_only: bool = False,
) -> Leg:
    """The packets that begin somewhere, by where they or what they answer came in."""

    def traced(*, filters: bool = True, beyond: bool = False) -> Trace:
        branches: list[Branch] = []
        unfollowed = Fraction(0)
        for entry, shares in beginnings.items():
            for beginning, share in shares.items():
                found = trace(
                    lookup,
                    beginning.header,
                    beginning.starts,
                    known=beginning.known,
                    asked=beginning.asked,
                    filters=filters,
                    beyond=beyond,
                )
                branches += [
                    replace(b, share=b.share * share, entry=_named(entry, b.entry))
                    for b in found.branches
                ]
                unfollowed += found.unfollowed * share / len(beginnings)
        return Trace(tuple(branches), unfollowed)

    followed = bare = beyond = traced()
    verdicts = {branch.verdict for branch in followed.branches}
    if Verdict.FILTERED in verdicts and not ways_only:
        # Only a filter that stopped something can make routing alone end elsewhere.
        bare = traced(filters=False)
    if not verdicts.issubset(ARRIVED) and not ways_only:
        beyond = traced(beyond=True)
    return Leg(
        header=next(iter(next(iter(beginnings.values())))).header,
        trace=followed,
        bare=bare,
        beyond=beyond,
        obstacles=_each_once(beyond),
    )


def _named(entry: str | None, own: str | None) -> str | None:
    """Where a packet came in; of an answer also which packets it answers."""
    return ", ".join(filter(None, (own, entry))) or None


def _each_once(beyond: Trace) -> tuple[Obstacle, ...]:
    found: dict[object, Obstacle] = {}
    for branch in beyond.branches:
        for obstacle in branch.obstacles:
            cause = obstacle.cause
            key = (cause, cause.place)
            found.setdefault(key, obstacle)
    return tuple(found.values())
