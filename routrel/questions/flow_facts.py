"""What a flow's answer tells at a glance: its entries, the hop that decides, its resolution."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import Enum
from itertools import pairwise

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch, Hop, Verdict
from routrel.forwarding.round_trip import ARRIVED
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.model.addresses import Address, is_private
from routrel.questions.diagnosis import DefaultOnly
from routrel.questions.flow import DirectionAnswer, FlowAnswer, agreed
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route

__all__ = ["Decided", "Decider", "Entry", "Resolved", "decider", "entries_of", "is_unroutable",
           "resolution"]  # fmt: skip

#: Routes of one resolution beyond which nothing more is looked up.
_DEEPEST = 8


@dataclass(frozen=True, slots=True)
class Entry:
    """A place where a flow may come in from elsewhere, with the branches from there."""

    name: str
    branches: tuple[Branch, ...]

    @property
    def verdict(self) -> Verdict:
        """That of its branches; `mixed` where they disagree."""
        return agreed(branch.verdict for branch in self.branches)


def entries_of(branches: Iterable[Branch]) -> tuple[Entry, ...]:
    """The places where a direction's packets may come in; empty where there is only one."""
    found: dict[str, list[Branch]] = {}
    for branch in branches:
        found.setdefault(branch.entry or "", []).append(branch)
    if len(found) < 2:
        return ()
    return tuple(Entry(name, tuple(members)) for name, members in found.items())


def is_unroutable(state: State, direction: DirectionAnswer) -> bool:
    """Whether the world outside could not even send such packets: to a private address.

    Public addresses know no way to private ones (RFC 1918 3, RFC 4193 4.1). An outside neighbour
    itself, which shares a link, may have one.
    """
    target, source = direction.header.destination, direction.header.source
    if is_private(source) or not is_private(target):
        return False
    neighbours = {own.ip for outside in state.network.outside for own in outside.addresses}
    from_outside = all(branch.hops[0].outside for branch in direction.branches)
    return from_outside and source not in neighbours


class Decided(Enum):
    """Why a hop is the one to look at first."""

    STOPS = "stops"  #: the packet stops there
    STEERS = "steers"  #: a rule of policy-based routing sends it
    DEFAULT = "default"  #: only its default is left
    TRANSLATES = "translates"  #: an address becomes another
    PARTS = "parts"  #: the answer leaves the way that the packet came
    SPLITS = "splits"  #: several equal ways begin
    ENDS = "ends"  #: the last one


@dataclass(frozen=True, slots=True)
class Decider:
    """The hop that decides: of the forward direction or not, its branch and place, and why."""

    forward: bool
    branch: int
    hop: int
    why: Decided


def decider(answer: FlowAnswer, defaults: Iterable[DefaultOnly]) -> Decider:
    """The hop that tells most about an answer.

    Args:
        defaults: Where on either way only a default is left.
    """
    by_default = {one.device for one in defaults}
    ways = [(True, answer.forward)] + ([(False, answer.back)] if answer.back else [])
    for why in (Decided.STOPS, Decided.STEERS, Decided.DEFAULT, Decided.TRANSLATES):
        for forward, direction in ways:
            for number, branch in enumerate(direction.branches):
                for place, hop in enumerate(branch.hops):
                    if _decides(why, hop, branch, place, by_default):
                        return Decider(forward, number, place, why)
    parted = _parts(answer) if answer.back else None
    if parted:
        return parted
    for forward, direction in ways:
        for place, hop in enumerate(direction.branches[0].hops):
            if len({_onward(b, hop.device) for b in direction.branches} - {None}) > 1:
                return Decider(forward, 0, place, Decided.SPLITS)
    return Decider(True, 0, len(answer.forward.branches[0].hops) - 1, Decided.ENDS)


def _decides(why: Decided, hop: Hop, branch: Branch, place: int, by_default: set[str]) -> bool:
    evidence = [stage.evidence for stage in hop.stages]
    match why:
        case Decided.STOPS:
            return branch.verdict not in ARRIVED and place == len(branch.hops) - 1
        case Decided.STEERS:
            return any(isinstance(e, SteeringEvidence) and e.rule is not None for e in evidence)
        case Decided.TRANSLATES:
            return any(isinstance(e, TranslationEvidence) and e.before != e.after for e in evidence)
        case _:
            return hop.device in by_default and any(
                isinstance(e, RouteEvidence) and e.route and not e.route.prefix.prefixlen
                for e in evidence
            )


def _parts(answer: FlowAnswer) -> Decider | None:
    """The first hop of the return direction that leads elsewhere than the packets came from."""
    there = {
        (a.device, a.interface_out, b.interface_in, b.device)
        for branch in answer.forward.branches
        for a, b in pairwise(branch.hops)
    }
    for number, branch in enumerate(answer.back.branches if answer.back else ()):
        for place, (a, b) in enumerate(pairwise(branch.hops)):
            if (b.device, b.interface_in, a.interface_out, a.device) not in there:
                return Decider(False, number, place, Decided.PARTS)
    return None


def _onward(branch: Branch, device: str) -> tuple[str, str | None] | None:
    """The interface and the device by which a branch leaves a device; None: it does not."""
    for a, b in pairwise(branch.hops):
        if a.device == device:
            return b.device, a.interface_out
    return None


@dataclass(frozen=True, slots=True)
class Resolved:
    """An address that a route names as its next hop, and the route by which that is reached."""

    address: Address
    route: Route | None  #: None: the table holds none any more


def resolution(state: State, hop: Hop, evidence: RouteEvidence) -> tuple[Resolved, ...]:
    """The routes by which a route's next hop was resolved to an interface, in order (RFC 4271
    5.1.3); empty where the route names its neighbour itself."""
    if evidence.route is None or evidence.next_hop is None:
        return ()
    table = state.rib.interning.table_numbers[hop.device, evidence.table or hop.vrf]
    return tuple(_resolved(state, table, evidence.next_hop))


def _resolved(state: State, table: int, chosen: NextHop) -> Iterator[Resolved]:
    via = chosen.via
    for _ in range(_DEEPEST):
        if via is None or via == chosen.address:
            return
        route = state.rib.lookup(table, via)
        yield Resolved(via, route)
        ways = route.next_hops if route else ()
        same = (w for w in ways if (w.interface, w.address) == (chosen.interface, chosen.address))
        via = next((way.via for way in same), None)
