"""One packet through the network, along every equal-cost branch.

At each device, in this order: filter in, route, time to live, filter out, MTU, neighbour. A packet
for the device itself is delivered after filter in. A device's own packets pass its filter out, but
their time to live is not lowered.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction

from routrel.control.converge import State
from routrel.control.packets.filters import evaluate
from routrel.control.rib.candidates import NextHop
from routrel.control.rib.table import Route
from routrel.forwarding.hops import (
    Branch,
    Cause,
    Direction,
    FilterEvidence,
    Hop,
    LoopEvidence,
    MtuEvidence,
    NeighbourEvidence,
    ReceiveEvidence,
    Result,
    RouteEvidence,
    Stage,
    StageName,
    TtlEvidence,
    Verdict,
)
from routrel.model.addresses import Address
from routrel.model.network import Device, Interface
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.topology.segments import Attachment

__all__ = ["MAXIMUM_BRANCHES", "Start", "Walk", "walk"]

#: Branches followed before the rest is left out, and said to be.
MAXIMUM_BRANCHES = 512


@dataclass(frozen=True, slots=True)
class Start:
    """Where a packet begins: at its source device, or arriving at an interface from elsewhere."""

    device: str
    vrf: str
    interface_in: str | None = None  #: None: the device itself sends it
    outside: str | None = None  #: the outside neighbour it comes from


@dataclass(frozen=True, slots=True)
class Walk:
    """All branches of one direction. `unfollowed` is the share that was left out as too many."""

    branches: tuple[Branch, ...]
    unfollowed: Fraction


@dataclass(frozen=True, slots=True)
class _Position:
    """A packet about to be handled by a device, and how it came there."""

    device: Device
    vrf: str
    interface_in: str | None
    ttl: int
    share: Fraction
    hops: tuple[Hop, ...]
    path_mtu: int | None


def walk(state: State, header: Header, starts: tuple[Start, ...], *, filters: bool = True) -> Walk:
    """Follow a packet from each start along all equal-cost branches.

    Args:
        state: A converged network.
        header: The packet as the source sends it.
        starts: Where it may begin, each with an equal share. Must not be empty.
        filters: False looks at routing alone, as if every filter permitted.
    """
    walker = _Walker(state, header, filters)
    pending = [walker.begin(start, Fraction(1, len(starts))) for start in reversed(starts)]
    branches: list[Branch] = []
    while pending and len(branches) < MAXIMUM_BRANCHES:
        for outcome in reversed(list(walker.step(pending.pop()))):
            if isinstance(outcome, Branch):
                branches.append(outcome)
            else:
                pending.append(outcome)
    unfollowed = sum((position.share for position in pending), Fraction(0))
    return Walk(tuple(branches), unfollowed)


class _Walker:
    def __init__(self, state: State, header: Header, filters: bool) -> None:
        self.state = state
        self.topology = state.topology
        self.header = header
        self.filters = filters

    def begin(self, start: Start, share: Fraction) -> _Position:
        hops: tuple[Hop, ...] = ()
        if start.outside is not None:
            hops = (self._outside_hop(start.outside),)
        device = self.topology.devices[start.device]
        return _Position(device, start.vrf, start.interface_in, self.header.ttl, share, hops, None)

    def step(self, position: _Position) -> Iterator[Branch | _Position]:
        """What becomes of a packet at one device: branches that end, or where it goes next."""
        looped = self._loop(position)
        if looped is not None:
            yield looped
            return
        stage = self._filter(position, position.interface_in, Direction.IN)
        if stage.result is Result.STOPPED:
            yield self._stop(position, [stage], Verdict.FILTERED)
            return
        owned = self._owned_by(position)
        if owned is not None:
            received = ReceiveEvidence(interface=owned, address=self.header.destination)
            route = Stage(name=StageName.ROUTE, result=Result.PASSED, evidence=received)
            yield self._stop(position, [stage, route], Verdict.DELIVERED)
            return
        if position.interface_in is not None and not position.device.role.forwards:
            received = ReceiveEvidence(interface=None, address=self.header.destination)
            route = Stage(name=StageName.ROUTE, result=Result.STOPPED, evidence=received)
            yield self._stop(position, [stage, route], Verdict.DISCARDED)
            return
        yield from self._forward(position, stage)

    def _forward(self, position: _Position, filter_in: Stage) -> Iterator[Branch | _Position]:
        table = self.state.rib.interning.table_numbers[position.device.name, position.vrf]
        matches = tuple(self.state.rib.matches(table, self.header.destination))
        route = matches[0] if matches else None
        evidence = RouteEvidence(
            destination=self.header.destination, route=route, shorter=matches[1:]
        )
        if route is None or route.discard:
            stage = Stage(name=StageName.ROUTE, result=Result.STOPPED, evidence=evidence)
            verdict = Verdict.NO_ROUTE if route is None else Verdict.DISCARDED
            yield self._stop(position, [filter_in, stage], verdict)
            return
        total = sum(hop.weight for hop in route.next_hops)
        for hop in route.next_hops:
            stage = Stage(
                name=StageName.ROUTE,
                result=Result.PASSED,
                evidence=replace(evidence, next_hop=hop),
            )
            branch = replace(position, share=position.share * Fraction(hop.weight, total))
            yield self._leave(branch, [filter_in, stage], route, hop)

    def _leave(
        self, position: _Position, stages: list[Stage], route: Route, hop: NextHop
    ) -> Branch | _Position:
        """Through the outgoing interface to the neighbour."""
        ttl = position.ttl
        if position.interface_in is not None:
            time_to_live = self._time_to_live(position)
            stages.append(time_to_live)
            if time_to_live.result is Result.STOPPED:
                return self._stop(position, stages, Verdict.TTL_EXPIRED, hop.interface)
            ttl -= 1
        filter_out = self._filter(position, hop.interface, Direction.OUT)
        stages.append(filter_out)
        if filter_out.result is Result.STOPPED:
            return self._stop(position, stages, Verdict.FILTERED, hop.interface)
        interface = position.device.interface(hop.interface or "")
        if interface is None:
            raise ValueError(f"{position.device.name} has no interface {hop.interface}")
        mtu = min(interface.mtu, position.path_mtu or interface.mtu)
        fit = self._mtu(interface)
        stages.append(fit)
        if fit.result is Result.STOPPED:
            return self._stop(position, stages, Verdict.TOO_BIG, hop.interface)
        address = hop.address or self.header.destination
        neighbour = self._neighbour(position.device, interface, address)
        evidence = neighbour.evidence
        found = neighbour.device is not None or evidence.outside is not None
        stages.append(
            Stage(
                name=StageName.NEIGHBOUR,
                result=Result.PASSED if found else Result.STOPPED,
                evidence=evidence,
            )
        )
        position = replace(position, path_mtu=mtu)
        if not found:
            return self._stop(position, stages, Verdict.NEXT_HOP_UNRESOLVED, hop.interface)
        here = self._hop(position, stages, hop.interface)
        if evidence.outside is not None:
            hops = (*position.hops, here, self._outside_hop(evidence.outside))
            return Branch(
                share=position.share,
                verdict=Verdict.LEAVES_NETWORK,
                hops=hops,
                cause=None,
                outside=evidence.outside,
                path_mtu=mtu,
            )
        if neighbour.device is None or neighbour.interface is None:
            raise ValueError("a neighbour was found without its device")
        return _Position(
            device=neighbour.device,
            vrf=neighbour.interface.vrf,
            interface_in=neighbour.interface.name,
            ttl=ttl,
            share=position.share,
            hops=(*position.hops, here),
            path_mtu=mtu,
        )

    # --- stages --------------------------------------------------------------------------------

    def _filter(self, position: _Position, interface: str | None, direction: Direction) -> Stage:
        name = StageName.FILTER_IN if direction is Direction.IN else StageName.FILTER_OUT
        found = position.device.interface(interface) if interface else None
        use = None
        if found is not None:
            use = found.filter_in if direction is Direction.IN else found.filter_out
        packet_filter = position.device.filter(use.filter) if use else None
        if found is None or packet_filter is None:
            return Stage(name=name, result=Result.NONE)
        result = evaluate(packet_filter, replace(self.header, ttl=position.ttl))
        return Stage(
            name=name,
            result=Result.PASSED if result.permits or not self.filters else Result.STOPPED,
            evidence=FilterEvidence(interface=found.name, direction=direction, result=result),
        )

    def _time_to_live(self, position: _Position) -> Stage:
        """A packet that would leave with a time to live of 0 is dropped (RFC 1812 5.3.1)."""
        return Stage(
            name=StageName.TTL,
            result=Result.PASSED if position.ttl > 1 else Result.STOPPED,
            evidence=TtlEvidence(arrived=position.ttl),
        )

    def _mtu(self, interface: Interface) -> Stage:
        """The packet counts as not to be fragmented, as path MTU discovery asks (RFC 1191)."""
        size = self.header.size
        fits = size is None or size <= interface.mtu
        return Stage(
            name=StageName.MTU,
            result=Result.PASSED if fits else Result.STOPPED,
            evidence=MtuEvidence(
                interface=interface.name, mtu=interface.mtu, size=size, place=interface.place
            ),
        )

    def _neighbour(self, device: Device, interface: Interface, address: Address) -> _Neighbour:
        """Who answers for an address on the segment of an interface."""
        segment = self.topology.segment_of.get((device.name, interface.name))
        evidence = NeighbourEvidence(
            interface=interface.name, segment=segment.name if segment else "", address=address
        )
        receiver = self.topology.receiver(device.name, interface, address)
        if isinstance(receiver, Attachment):
            answer = replace(evidence, device=receiver.device.name)
            return _Neighbour(answer, receiver.device, receiver.interface)
        if receiver is not None:
            return _Neighbour(replace(evidence, outside=receiver.neighbour.name))
        return _Neighbour(evidence)

    # --- where it ends -------------------------------------------------------------------------

    def _owned_by(self, position: _Position) -> str | None:
        """The up interface of this table that has the destination address."""
        for interface in position.device.interfaces:
            if interface.vrf == position.vrf and self.topology.is_up(
                position.device.name, interface.name
            ):
                for address in interface.addresses:
                    if address.ip == self.header.destination:
                        return interface.name
        return None

    def _loop(self, position: _Position) -> Branch | None:
        """The branch ends where a packet comes to a device by the same interface again."""
        for index, hop in enumerate(position.hops):
            if (hop.device, hop.vrf, hop.interface_in) == (
                position.device.name,
                position.vrf,
                position.interface_in,
            ) and not hop.outside:
                configured = _configured_places(hop.stages)
                evidence = LoopEvidence(
                    devices=tuple(h.device for h in position.hops[index:]),
                    place=next(iter(configured), position.device.place),
                )
                stage = Stage(name=StageName.ROUTE, result=Result.STOPPED, evidence=evidence)
                return self._stop(position, [stage], Verdict.LOOPED)
        return None

    def _stop(
        self,
        position: _Position,
        stages: list[Stage],
        verdict: Verdict,
        interface_out: str | None = None,
    ) -> Branch:
        last = stages[-1]
        reached = {stage.name for stage in stages}
        if verdict not in (Verdict.DELIVERED, Verdict.LOOPED):
            stages = stages + [
                Stage(name=name, result=Result.NOT_REACHED)
                for name in StageName
                if name not in reached
                and not (name is StageName.TTL and position.interface_in is None)
            ]
        hop = self._hop(position, stages, interface_out)
        return Branch(
            share=position.share,
            verdict=verdict,
            hops=(*position.hops, hop),
            cause=None if verdict is Verdict.DELIVERED else _cause(position, last, stages),
            path_mtu=position.path_mtu,
        )

    def _hop(self, position: _Position, stages: list[Stage], interface_out: str | None) -> Hop:
        return Hop(
            device=position.device.name,
            vrf=position.vrf,
            interface_in=position.interface_in,
            interface_out=interface_out,
            header=replace(self.header, ttl=position.ttl),
            stages=tuple(stages),
        )

    def _outside_hop(self, name: str) -> Hop:
        return Hop(
            device=name,
            vrf="",
            interface_in=None,
            interface_out=None,
            header=self.header,
            stages=(),
            outside=True,
        )


@dataclass(frozen=True, slots=True)
class _Neighbour:
    """The answer to a neighbour look-up; device and interface are None for nobody and outside."""

    evidence: NeighbourEvidence
    device: Device | None = None
    interface: Interface | None = None


def _cause(position: _Position, stage: Stage, stages: list[Stage]) -> Cause:
    """Names what stopped the packet from the evidence of the stage that did."""
    device = position.device.name
    configured = [
        s.evidence.route.place
        for s in stages
        if isinstance(s.evidence, RouteEvidence)
        and s.evidence.route
        and s.evidence.route.place.line
    ]
    match stage.evidence:
        case FilterEvidence(interface=interface, direction=direction, result=result):
            return Cause(
                device=device,
                kind="filter_rule" if result.rule else "filter_default",
                interface=interface,
                direction=direction,
                filter=result.filter.name,
                rule=result.rule.id if result.rule else None,
                place=result.place,
            )
        case RouteEvidence(route=None):
            return Cause(
                device=device,
                kind="no_route",
                interface=position.interface_in,
                place=position.device.place,
            )
        case RouteEvidence(route=Route() as route):
            return Cause(device=device, kind="discard_route", place=route.place)
        case TtlEvidence():
            return Cause(device=device, kind="ttl_expired", interface=position.interface_in)
        case MtuEvidence(interface=interface, place=place):
            return Cause(
                device=device,
                kind="mtu",
                interface=interface,
                direction=Direction.OUT,
                place=place,
            )
        case NeighbourEvidence(interface=interface):
            found = position.device.interface(interface)
            own = [found.place] if found else []
            return Cause(
                device=device,
                kind="no_neighbour",
                interface=interface,
                direction=Direction.OUT,
                place=next(iter(configured + own), None),
            )
        case ReceiveEvidence():
            return Cause(
                device=device,
                kind="does_not_forward",
                interface=position.interface_in,
                place=position.device.place,
            )
        case LoopEvidence(place=place):
            return Cause(device=device, kind="loop", interface=position.interface_in, place=place)
        case _:
            raise ValueError(f"the stage {stage.name.value} stops nothing")


def _configured_places(stages: Iterable[Stage]) -> list[Place]:
    """Where the route that these stages followed was configured; empty for a learned route."""
    routes = [s.evidence.route for s in stages if isinstance(s.evidence, RouteEvidence)]
    return [route.place for route in routes if route is not None and route.place.line]
