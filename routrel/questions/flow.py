"""The flow question: does this traffic arrive, both ways, and if not, what stops it?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch, Cause, Obstacle, Verdict
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.round_trip import ARRIVED, Leg, follow, follow_answer
from routrel.forwarding.trace import Trace
from routrel.model.traffic import Header
from routrel.questions.endpoints import Endpoint, resolve_endpoint, shared_family
from routrel.questions.errors import HasFailed, UnknownEndpoint
from routrel.questions.traffic import parse_traffic
from routrel.rib.table import Rib

__all__ = [
    "DirectionAnswer",
    "FlowAnswer",
    "FlowOutcome",
    "FlowQuestion",
    "WaysAlone",
    "agreed",
    "arrives",
    "ask_flow",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowQuestion:
    """A flow as people ask for it."""

    source: str
    destination: str
    traffic: str = ""  #: "tcp 5432"; empty: an echo request
    source_port: int | None = None  #: None: 49152
    size: int | None = None  #: bytes of the IP packet; None: not asked
    dscp: int = 0
    may_fragment: bool = False  #: whether routers may cut it (IPv4)
    ttl: int = 64  #: as the source sends it
    both: bool = True  #: whether the return direction is asked too


@dataclass(frozen=True, slots=True, kw_only=True)
class DirectionAnswer:
    """One direction: the verdict over all branches, and the verdict of routing alone."""

    header: Header
    verdict: Verdict
    routing_verdict: Verdict  #: as if every filter permitted
    trace: Trace
    beyond: Trace  #: the same on behind what stops it
    obstacles: tuple[Obstacle, ...]  #: everything in the way, not only what stops it first
    source: Endpoint
    destination: Endpoint

    @property
    def branches(self) -> tuple[Branch, ...]:
        return self.trace.branches

    @property
    def course(self) -> object:
        """The branches with their shares, by devices and interfaces; which is first is all one."""
        return sorted(
            (
                branch.entry or "",
                str(branch.share),
                branch.verdict.value,
                [(hop.device, hop.vrf, hop.interface_out or "") for hop in branch.hops],
            )
            for branch in self.branches
        )

    @property
    def cause(self) -> Cause | None:
        """What stops the first branch that does not arrive; None where all do."""
        return next((b.cause for b in self.branches if b.cause is not None), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowAnswer:
    """Both directions.

    `back` is the return direction; None where it was not asked, or where the model does not say
    where packets from the destination would enter.
    """

    question: FlowQuestion
    forward: DirectionAnswer
    back: DirectionAnswer | None
    #: Where the tables depend on who came first, and the flow on them: its answer in each outcome,
    #: that of the tables shown first. Verdicts that differ make `mixed`, obstacles add up.
    outcomes: tuple[FlowOutcome, ...] = ()

    @property
    def each(self) -> tuple[FlowAnswer, ...]:
        """The answer in every outcome of routing, by itself."""
        return tuple(one.answer for one in self.outcomes) or (self,)

    @property
    def directions(self) -> Iterator[DirectionAnswer]:
        """Both directions, where the second was asked, in every outcome."""
        for answer in self.each:
            yield answer.forward
            if answer.back is not None:
                yield answer.back

    @property
    def devices(self) -> Iterator[str]:
        """What packets and answers meet on all branches, in every outcome; often twice."""
        for way in self.directions:
            yield from (hop.device for branch in way.branches for hop in branch.hops)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowOutcome:
    """A flow in one of several outcomes of routing."""

    rib: Rib
    answer: FlowAnswer


def arrives(answer: FlowAnswer) -> bool:
    """Whether a flow arrives on all branches, and its answers do."""
    return all(
        branch.verdict in ARRIVED and direction.verdict in ARRIVED
        for direction in (answer.forward, answer.back)
        if direction is not None
        for branch in direction.branches
    )


class WaysAlone:
    """Asks flows of one network for their ways alone, and looks up once what several of them need.

    It leaves out obstacles, what lies beyond them, what routing alone would do, routes behind the
    longest match, and the answers to packets of which none arrives.
    """

    def __init__(self) -> None:
        self._lookups: dict[int, Lookup] = {}
        self._endpoints: dict[tuple[int, str], Endpoint] = {}

    def lookup(self, state: State) -> Lookup:
        """The look-ups of one outcome's tables."""
        found = self._lookups.get(id(state.rib))
        if found is None:
            found = Lookup(state.topology, state.rib, shorter=False)
            self._lookups[id(state.rib)] = found
        return found

    def endpoint(self, state: State, text: str) -> Endpoint:
        """As `resolve_endpoint`."""
        key = (id(state.rib), text)
        found = self._endpoints.get(key)
        if found is None:
            found = self._endpoints[key] = resolve_endpoint(state, text)
        return found


def ask_flow(state: State, question: FlowQuestion, ways: WaysAlone | None = None) -> FlowAnswer:
    """Answer a flow question.

    The return direction answers the packet as it arrived: addresses and ports swapped, through
    devices that remember what they let pass. Where the forward direction does not arrive, it is
    taken to, as if nothing had been in its way.

    Args:
        ways: Asks for the ways alone; of this network. None: the whole answer.
    Raises:
        QuestionError: the question cannot be asked; it says why and what to do.
    """
    shown = _ask(state, question, ways)
    outcomes = [FlowOutcome(rib=state.rib, answer=shown)]
    for other in state.others:
        answer = _ask(replace(state, look=other.look), question, ways)
        if all(_course(answer) != _course(known.answer) for known in outcomes):
            outcomes.append(FlowOutcome(rib=other.rib, answer=answer))
    if len(outcomes) == 1:
        return shown
    backs = [one.answer.back for one in outcomes]
    return replace(
        shown,
        forward=_of_all(shown.forward, [one.answer.forward for one in outcomes]),
        back=_of_all(shown.back, [back for back in backs if back]) if shown.back else None,
        outcomes=tuple(outcomes),
    )


def _course(answer: FlowAnswer) -> object:
    """What becomes of a flow: its ways and what stops it, by whatever routes."""
    return [
        (
            direction.verdict,
            [
                (b.share, b.verdict, b.cause, [(h.device, h.vrf, h.interface_out) for h in b.hops])
                for b in direction.branches
            ],
            [obstacle.cause for obstacle in direction.obstacles],
        )
        for direction in (answer.forward, answer.back)
        if direction is not None
    ]


def _of_all(shown: DirectionAnswer, directions: Sequence[DirectionAnswer]) -> DirectionAnswer:
    """One direction as it is shown, with the verdict and the obstacles of all outcomes."""
    obstacles = {
        (obstacle.cause, obstacle.cause.place): obstacle
        for direction in reversed(directions)
        for obstacle in direction.obstacles
    }
    return replace(
        shown,
        verdict=agreed(direction.verdict for direction in directions),
        routing_verdict=agreed(direction.routing_verdict for direction in directions),
        obstacles=tuple(obstacles.values()),
    )


def agreed(verdicts: Iterable[Verdict]) -> Verdict:
    """The verdict that all have; `mixed` where they differ."""
    found = set(verdicts)
    return found.pop() if len(found) == 1 else Verdict.MIXED


def _ask(state: State, question: FlowQuestion, ways: WaysAlone | None) -> FlowAnswer:
    """The answer by the tables as they are shown."""
    traffic = parse_traffic(question.traffic, question.source_port)
    resolve = ways.endpoint if ways else resolve_endpoint
    source = resolve(state, question.source)
    destination = resolve(state, question.destination)
    left, right = shared_family(source, destination)
    header = replace(
        traffic.header(left, right, question.size, question.ttl),
        dscp=question.dscp,
        may_fragment=question.may_fragment,
    )
    if not source.starts:
        raise UnknownEndpoint(
            f"nobody knows where packets from {source.text} enter: {source.note}",
            "ask from a device, from an address in a subnet, or from behind an outside neighbour",
        )
    off = _all_off(state, source)
    if off:
        raise HasFailed(
            f"{off} has failed, so nothing starts there", "ask from a device that works"
        )
    lookup = ways.lookup(state) if ways else Lookup(state.topology, state.rib)
    there = follow(lookup, header, source.starts, ways_only=ways is not None)
    back = None
    if question.both and not _all_off(state, destination):
        back = follow_answer(lookup, there, destination.starts, ways_only=ways is not None)
    return FlowAnswer(
        question=question,
        forward=_direction(state, there, source, destination),
        back=_direction(state, back, destination, source) if back else None,
    )


def _all_off(state: State, endpoint: Endpoint) -> str:
    """The devices at which an end starts, if all of them have failed; else empty."""
    devices = dict.fromkeys(start.device for start in endpoint.starts)
    failed = all(state.topology.has_failed(device) for device in devices)
    return ", ".join(devices) if failed else ""


def _direction(state: State, leg: Leg, source: Endpoint, destination: Endpoint) -> DirectionAnswer:
    return DirectionAnswer(
        header=leg.header,
        verdict=_verdict(state, leg.trace),
        routing_verdict=_verdict(state, leg.bare),
        trace=leg.trace,
        beyond=leg.beyond,
        obstacles=leg.obstacles,
        source=source,
        destination=destination,
    )


def _verdict(state: State, followed: Trace) -> Verdict:
    if any(
        state.is_oscillating(hop.device, hop.vrf, hop.header.destination)
        for branch in followed.branches
        for hop in branch.hops
    ):
        return Verdict.NOT_CONVERGED
    verdicts = {branch.verdict for branch in followed.branches}
    if len(verdicts) > 1 or followed.unfollowed:
        return Verdict.MIXED
    return verdicts.pop()
