"""One packet through the network, along every equal-cost branch.

At each device the stages follow the device's order (`orders.py`). A trace can also go on beyond
what stops the packet, as if it did not: a filter that permits, a table that leads to the nearest
device from which the packet would arrive. So it lists everything that stands in the way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import islice

from routrel.forwarding.connections import Connection, connection_of
from routrel.forwarding.detours import Detours
from routrel.forwarding.evidence import (
    Branch,
    Evidence,
    Obstacle,
    Result,
    Stage,
    StageName,
    Verdict,
)
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.orders import ORDERS, Step
from routrel.forwarding.packet import Handed, Outcome, Packet, Path
from routrel.forwarding.stages.loop import back_again, looped
from routrel.forwarding.stages.mtu import arrival, mtu
from routrel.forwarding.stages.neighbour import neighbour, outside_hop
from routrel.forwarding.stages.packet_filter import (
    filter_arriving,
    filter_in,
    filter_local,
    filter_out,
    filter_transit,
)
from routrel.forwarding.stages.receive import turn_aside
from routrel.forwarding.stages.reverse_path import reverse_path
from routrel.forwarding.stages.route import route
from routrel.forwarding.stages.steering import steering
from routrel.forwarding.stages.translation import destination_translation, source_translation
from routrel.forwarding.stages.ttl import time_to_live
from routrel.model.traffic import Header
from routrel.rib.candidates import NextHop
from routrel.topology.segments import Topology

__all__ = ["MAXIMUM_BRANCHES", "MAXIMUM_OBSTACLES", "Start", "Trace", "Tracer", "trace"]

#: Branches followed before the rest is left out, and said to be.
MAXIMUM_BRANCHES = 512

#: Obstacles of one branch beyond which nothing more is looked for.
MAXIMUM_OBSTACLES = 12

_STAGES: dict[StageName, Callable[[Packet, Forwarder], Outcomes]] = {
    StageName.ARRIVAL: arrival,
    StageName.FILTER_IN: filter_in,
    StageName.FILTER_ARRIVING: filter_arriving,
    StageName.REVERSE_PATH: reverse_path,
    StageName.TRANSLATION: destination_translation,
    StageName.STEERING: steering,
    StageName.ROUTE: route,
    StageName.FILTER_LOCAL: filter_local,
    StageName.TTL: time_to_live,
    StageName.FILTER_TRANSIT: filter_transit,
    StageName.SOURCE_TRANSLATION: source_translation,
    StageName.FILTER_OUT: filter_out,
    StageName.MTU: mtu,
    StageName.NEIGHBOUR: neighbour,
}

#: The stages that every packet meets; others are shown where something is configured.
_ALWAYS = (
    StageName.FILTER_IN,
    StageName.ROUTE,
    StageName.TTL,
    StageName.FILTER_OUT,
    StageName.MTU,
    StageName.NEIGHBOUR,
)


@dataclass(frozen=True, slots=True)
class Start:
    """Where a packet begins: at its source device, or arriving at an interface from elsewhere."""

    device: str
    vrf: str
    interface_in: str | None = None  #: None: the device itself sends it
    outside: str | None = None  #: the outside neighbour it comes from

    @property
    def entry(self) -> str | None:
        """Where a packet from elsewhere comes in, in words; None where the device sends it."""
        if self.interface_in is None:
            return None
        return f"{self.outside or 'its subnet'} at {self.device}:{self.interface_in}"


@dataclass(frozen=True, slots=True)
class Trace:
    """All branches of one direction, their shares of what comes in at their entry.

    Nobody knows how traffic is split among entries, so no share says it.
    """

    branches: tuple[Branch, ...]
    unfollowed: Fraction  #: the share left out as too many, every entry counted alike


def trace(
    lookup: Lookup,
    header: Header,
    starts: tuple[Start, ...],
    *,
    known: tuple[Connection, ...] = (),
    asked: Header | None = None,
    filters: bool = True,
    beyond: bool = False,
) -> Trace:
    """Follow a packet from each start along all branches.

    Args:
        lookup: Of the topology and the tables.
        header: The packet as the source sends it.
        starts: Where it may begin, the shares of each adding up to 1. Must not be empty.
        known: What devices remember of a packet that this one answers.
        asked: That packet as it was sent; who sent it takes no answer from elsewhere.
        filters: False looks at routing alone, as if every filter permitted.
        beyond: Whether to go on behind obstacles; branches then carry them.
    """
    tracer = Tracer(lookup.topology, lookup, known, asked, filters=filters, beyond=beyond)
    branches = tuple(islice(tracer.branches(header, starts), MAXIMUM_BRANCHES))
    unfollowed = sum((share_of(outcome) for outcome in tracer.pending), Fraction(0))
    return Trace(branches, unfollowed / len(starts))


class Tracer:
    """Runs packets through the stages of one device after the other."""

    def __init__(
        self,
        topology: Topology,
        lookup: Lookup,
        known: tuple[Connection, ...] = (),
        asked: Header | None = None,
        *,
        filters: bool = True,
        beyond: bool = False,
    ) -> None:
        self.topology, self.lookup, self.known, self.asked = topology, lookup, known, asked
        self.filters, self.beyond = filters, beyond
        self.detours = Detours(topology, self._arrives) if beyond else None
        self.pending: list[Outcome] = []  #: what is not followed yet

    def branches(self, header: Header, starts: tuple[Start, ...]) -> Iterator[Branch]:
        """The branches of a packet, each once it is asked for."""
        # Depth first, so that branches come in the order of their ways.
        self.pending = [Handed(self.begin(start, header)) for start in reversed(starts)]
        while self.pending:
            outcome = self.pending.pop()
            if isinstance(outcome, Branch):
                yield outcome
            elif isinstance(outcome, Handed):
                self.pending += reversed(self.pass_device(outcome.packet))
            else:
                raise TypeError("a packet stays at a device that has no more stages")

    def begin(self, start: Start, header: Header) -> Packet:
        """A packet at one of its starts."""
        hops = () if start.outside is None else (outside_hop(start.outside, header),)
        path = Path(Fraction(1), hops, entry=start.entry)
        device = self.topology.devices[start.device]
        return Packet(path, device, start.vrf, start.interface_in, header, header)

    def pass_device(self, packet: Packet) -> Outcomes:
        """What becomes of a packet at one device: branches that end, or where it goes next."""
        if packet.device.tracks_connections:
            state, answered = connection_of(self.known, packet.device.name, packet.header)
            packet = packet.but(state=state, answered=answered)
        steps = _steps(packet)
        first = back_again(packet)
        if first is not None:
            outcome = looped(packet, self, first, StageName.ROUTE)
            if not isinstance(outcome, Packet):
                return (outcome,)
            packet, steps = outcome, steps[steps.index(StageName.ROUTE) + 1 :]
        return self.through(packet, steps)

    def through(self, packet: Packet, steps: tuple[Step, ...]) -> Outcomes:
        """A packet through some stages, and what ended or reached the next device on the way."""
        for at, step in enumerate(steps):
            if not isinstance(step, StageName):
                return turn_aside(packet, self, steps[at + 1 :])
            outcomes = _STAGES[step](packet, self)
            if len(outcomes) == 1 and isinstance(outcomes[0], Packet):
                packet = outcomes[0]
                continue
            found: list[Outcome] = []
            for outcome in outcomes:
                if isinstance(outcome, Packet):
                    found += self.through(outcome, steps[at + 1 :])
                else:
                    found.append(outcome)
            return tuple(found)
        return (packet,)

    # --- where it ends -------------------------------------------------------------------------

    def stop(
        self, packet: Packet, name: StageName, evidence: Evidence, verdict: Verdict
    ) -> Outcome:
        """The end of a branch; or, beyond obstacles, the packet as if nothing had stopped it."""
        packet = packet.noting(name, Result.STOPPED, evidence)
        cause = evidence.cause(packet.stopped)
        if self.beyond and len(packet.path.obstacles) < MAXIMUM_OBSTACLES:
            obstacle = Obstacle(cause=cause, verdict=verdict, hop=packet.hop, header=packet.header)
            way = self._way_round(packet, name, verdict)
            if way is not None:
                obstacle = replace(obstacle, onward=way.interface, next_hop=way.address)
            packet = packet.on_path(obstacles=(*packet.path.obstacles, obstacle))
            passed = self._onward(packet, name, verdict, way)
            if passed is not None:
                return passed
        stages = packet.stages
        if verdict is not Verdict.LOOPED and name is not StageName.ANSWER:
            stages += tuple(_not_reached(packet))
        hop = replace(packet.hop, stages=stages)
        return replace(packet.ended(verdict, (*packet.path.hops, hop)), cause=cause)

    def _way_round(self, packet: Packet, name: StageName, verdict: Verdict) -> NextHop | None:
        """The next hop that routing should have had; None where that is not what is wrong."""
        routing = verdict is Verdict.LOOPED or name in (StageName.ROUTE, StageName.NEIGHBOUR)
        if not routing or self.detours is None:
            return None
        passed = {hop.device for hop in packet.path.hops}
        return self.detours.way(packet.device, packet.vrf, packet.header, passed)

    def _onward(
        self, packet: Packet, name: StageName, verdict: Verdict, way: NextHop | None
    ) -> Packet | Handed | None:
        """How a packet would go on behind an obstacle; None where nobody can say."""
        if name is StageName.TTL:
            return packet.but(header=replace(packet.header, ttl=64))
        if name is StageName.ARRIVAL or name is StageName.MTU:
            return packet.but(header=replace(packet.header, size=None))
        if verdict is not Verdict.LOOPED and name not in (StageName.ROUTE, StageName.NEIGHBOUR):
            return packet
        if way is None:
            return None
        out = packet.device.interface(way.interface or "")
        packet = packet.but(way=way, out=out)
        if name is StageName.NEIGHBOUR:
            outcome = neighbour(packet, self)[0]
            return outcome if isinstance(outcome, Handed) else None
        return packet

    def _arrives(self, device: str, vrf: str, interface: str | None, header: Header) -> bool:
        """Whether routing alone takes a packet home from somewhere, on all branches."""
        tracer = Tracer(self.topology, self.lookup, filters=False)
        found = tracer.branches(header, (Start(device, vrf, interface),))
        good = (Verdict.DELIVERED, Verdict.LEAVES_NETWORK)
        return all(branch.verdict in good for branch in islice(found, MAXIMUM_BRANCHES))


def share_of(outcome: Outcome) -> Fraction:
    """The share of the traffic that an outcome stands for."""
    if isinstance(outcome, Branch):
        return outcome.share
    packet = outcome.packet if isinstance(outcome, Handed) else outcome
    return packet.path.share


def _steps(packet: Packet) -> tuple[Step, ...]:
    """The stages of a device for what arrives at it, or for what it sends."""
    order = ORDERS[packet.device.processing]
    return order.sent if packet.is_sent else order.arriving


def _not_reached(packet: Packet) -> Iterator[Stage]:
    """The stages behind the one that stopped it, of those that every packet meets."""
    reached = {stage.name for stage in packet.stages}
    for step in _steps(packet):
        if isinstance(step, StageName) and step in _ALWAYS and step not in reached:
            yield Stage(name=step, result=Result.NOT_REACHED)
