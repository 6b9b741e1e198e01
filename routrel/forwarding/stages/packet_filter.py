"""Filters at interfaces, of what a device sends or takes, and between zones."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.forwarding.evidence import (
    Cause,
    Direction,
    Evidence,
    Result,
    StageName,
    Stopped,
    Verdict,
)
from routrel.forwarding.filters import FilterResult, evaluate
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Outcome, Packet
from routrel.model.filters import ConnectionState, FilterUse
from routrel.model.place import Place
from routrel.model.traffic import Fragment

__all__ = [
    "FilterEvidence",
    "ZoneEvidence",
    "filter_arriving",
    "filter_in",
    "filter_local",
    "filter_out",
    "filter_transit",
    "filtered",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterEvidence(Evidence):
    """A filter and how it decided. `answer`: it was held against an answer to an earlier packet."""

    interface: str | None  #: None: for all of the device's traffic of one kind
    direction: Direction
    result: FilterResult
    zones: tuple[str, str] | None = None  #: from and to, of a filter between zones
    answer: bool = False

    def cause(self, at: Stopped) -> Cause:
        """What a filter that remembers drops as an answer lacks its connection, not a rule."""
        result = self.result
        unseen = self.answer and result.connection not in (None, ConnectionState.ESTABLISHED)
        unseen = unseen or result.connection is ConnectionState.INVALID
        kind = "filter_rule" if result.rule else "filter_default"
        return Cause(
            device=at.device.name,
            kind="no_session" if unseen else kind,
            interface=self.interface,
            direction=self.direction,
            filter=result.filter.name,
            rule=result.rule.id if result.rule else None,
            place=result.place,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneEvidence(Evidence):
    """Two interfaces without a filter between their zones. None: an interface is in no zone."""

    source: str | None
    destination: str | None
    place: Place

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name, kind="zone", direction=Direction.THROUGH, place=self.place
        )


def filter_in(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The input filters of the interface that it comes in by."""
    uses = packet.arrived_by.filters_in if packet.arrived_by else ()
    name, interface = StageName.FILTER_IN, packet.interface_in
    return (filtered(packet, forwarder, name, uses, Direction.IN, interface, always=True),)


def filter_arriving(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The filters of whatever arrives."""
    uses = packet.device.arriving_traffic.filters
    name = StageName.FILTER_ARRIVING
    return (filtered(packet, forwarder, name, uses, Direction.ARRIVING, None),)


def filter_out(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The output filters of the interface that it leaves by."""
    out = packet.out
    if out is None:
        raise ValueError("filter out comes before the route")
    name = StageName.FILTER_OUT
    return (
        filtered(packet, forwarder, name, out.filters_out, Direction.OUT, out.name, always=True),
    )


def filter_local(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The filters of what the device sends, or what is for it."""
    rules = packet.device.local_traffic
    uses = rules.filters_out if packet.is_sent else rules.filters_in
    direction = Direction.OUT if packet.is_sent else Direction.IN
    return (filtered(packet, forwarder, StageName.FILTER_LOCAL, uses, direction, None),)


def filter_transit(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """The forward filters; zones too."""
    uses = packet.device.transit_traffic.filters
    name = StageName.FILTER_TRANSIT
    passed = filtered(packet, forwarder, name, uses, Direction.THROUGH, None)
    if isinstance(passed, Packet) and passed.device.zones:
        passed = _between_zones(passed, forwarder)
    return (passed,)


def _between_zones(packet: Packet, forwarder: Forwarder) -> Outcome:
    """From zone to zone by a filter that remembers connections; inside a zone freely."""
    source, destination = (i.zone if i else None for i in (packet.arrived_by, packet.out))
    if source is not None and source == destination:
        return packet
    if packet.state is ConnectionState.ESTABLISHED:
        return packet
    zone = packet.device.zone(source or "")
    way = next((e for e in zone.exits if e.name == destination), None) if zone else None
    name = StageName.FILTER_TRANSIT
    if way is None:
        place = zone.place if zone else packet.device.place
        evidence = ZoneEvidence(source=source, destination=destination, place=place)
        return forwarder.stop(packet, name, evidence, Verdict.FILTERED)
    use = FilterUse(filter=way.filter, place=way.place)
    zones = (source or "", destination or "")
    return filtered(packet, forwarder, name, (use,), Direction.THROUGH, None, zones=zones)


def filtered(
    packet: Packet,
    forwarder: Forwarder,
    name: StageName,
    uses: tuple[FilterUse, ...],
    direction: Direction,
    interface: str | None,
    *,
    zones: tuple[str, str] | None = None,
    always: bool = False,
) -> Outcome:
    """A packet through filters in order; without any a stage is noted only if `always`."""
    if not uses and always:
        return packet.noting(name, Result.NONE)
    for use in uses:
        packet_filter = packet.device.filter(use.filter)
        if packet_filter is None:
            raise ValueError(f"{packet.device.name} has no filter {use.filter}")
        if zones and not packet_filter.stateful:
            packet_filter = replace(packet_filter, stateful=True)
        header = packet.header
        if packet.device.tracks_connections and name is not StageName.FILTER_IN:
            header = replace(header, fragment=Fragment.NONE)  # it has put them together
        result = evaluate(packet_filter, header, packet.context)
        evidence = FilterEvidence(
            interface=interface,
            direction=direction,
            result=result,
            zones=zones,
            answer=bool(forwarder.known),
        )
        packet = packet.but(mark=result.mark, later_mark=result.later_mark)
        if result.permits or not forwarder.filters:
            packet = packet.noting(name, Result.PASSED, evidence)
            continue
        stopped = forwarder.stop(packet, name, evidence, Verdict.FILTERED)
        if not isinstance(stopped, Packet):
            return stopped
        packet = stopped
    return packet
