"""Who answers for the next hop's address, and the way to there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import (
    Branch,
    Cause,
    Direction,
    Evidence,
    Hop,
    Result,
    Stage,
    StageName,
    Stopped,
    Verdict,
)
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Handed, Outcome, Packet, Path
from routrel.forwarding.stages.answer import taken_as_answer
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.model.addresses import Address
from routrel.model.filters import ConnectionState
from routrel.model.place import Place
from routrel.model.traffic import Fragment, Header
from routrel.topology.segments import Attachment

__all__ = ["NeighbourEvidence", "neighbour", "outside_hop", "remembered"]


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourEvidence(Evidence):
    """Who answers for the next hop's address on the segment.

    `device` and `outside` are both None where nobody does.
    """

    interface: str
    segment: str  #: the segment's name; empty where the interface leads nowhere
    address: Address
    device: str | None = None
    outside: str | None = None
    virtual: int | None = None  #: the virtual router whose master answers
    failed: str = ""  #: nobody does for this failure, as "line north"

    def cause(self, at: Stopped) -> Cause:
        """At the line that led there: of the route, else of the interface."""
        found = at.device.interface(self.interface)
        places = _configured(at.stages) + ([found.place] if found else [])
        return Cause(
            device=at.device.name,
            kind="failed" if self.failed else "no_neighbour",
            interface=self.interface,
            direction=Direction.OUT,
            place=next(iter(places), None),
        )


def _configured(stages: Sequence[Stage]) -> list[Place]:
    """Where the route or policy-based routing that these stages followed was configured."""
    places = []
    for stage in stages:
        if isinstance(stage.evidence, SteeringEvidence) and stage.evidence.rule:
            places.append(stage.evidence.rule.place)
        if isinstance(stage.evidence, RouteEvidence) and stage.evidence.route:
            places.append(stage.evidence.route.place)
    return [place for place in places if place.line]


def neighbour(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """Who answers for the next hop's address on the segment."""
    out, way = packet.out, packet.way
    if out is None or way is None:
        raise ValueError("the neighbour comes before the route")
    if packet.cut_to is not None:
        is_whole = packet.header.fragment is Fragment.NONE
        fragment = Fragment.FIRST if is_whole else packet.header.fragment
        header = replace(packet.header, size=packet.cut_to, fragment=fragment)
        packet = packet.but(header=header)
    topology, name = forwarder.topology, packet.device.name
    address = way.address or packet.header.destination
    segment = topology.segment_of.get((name, out.name))
    evidence = NeighbourEvidence(
        interface=out.name, segment=segment.name if segment else "", address=address
    )
    receiver = topology.receiver(name, out, address)
    if receiver is None:
        evidence = replace(evidence, failed=topology.why_unheard(name, out.name, address))
        stage = StageName.NEIGHBOUR
        return (forwarder.stop(packet, stage, evidence, Verdict.NEXT_HOP_UNRESOLVED),)
    if not isinstance(receiver, Attachment):
        evidence = replace(evidence, outside=receiver.neighbour.name)
        packet = remembered(packet.noting(StageName.NEIGHBOUR, Result.PASSED, evidence))
        return (_left(packet, forwarder, receiver.neighbour.name),)
    evidence = replace(
        evidence,
        device=receiver.device.name,
        virtual=topology.virtual_router(receiver, address),
    )
    packet = remembered(packet.noting(StageName.NEIGHBOUR, Result.PASSED, evidence))
    path = packet.path
    return (
        Handed(
            Packet(
                Path(
                    path.share,
                    (*path.hops, packet.hop),
                    path.mtu,
                    path.entry,
                    path.connections,
                    path.obstacles,
                ),
                receiver.device,
                receiver.interface.vrf,
                receiver.interface.name,
                packet.header,
                packet.header,
            )
        ),
    )


def remembered(packet: Packet) -> Packet:
    """A device that remembers connections does so once it let the packet pass."""
    if packet.state is not ConnectionState.NEW:
        return packet
    rules = [
        stage.evidence.rule.place
        for stage in packet.stages
        if isinstance(stage.evidence, TranslationEvidence) and stage.evidence.rule
    ]
    place = rules[-1] if rules else packet.device.place
    made = Connection(packet.device.name, packet.came, packet.header, place)
    return packet.on_path(connections=(*packet.path.connections, made))


def _left(packet: Packet, forwarder: Forwarder, outside: str) -> Outcome:
    """The packet leaves the network."""
    taken = taken_as_answer(packet, forwarder)
    if not isinstance(taken, Packet):
        return taken
    hops = (*taken.path.hops, taken.hop, outside_hop(outside, taken.header))
    ended: Branch = replace(taken.ended(Verdict.LEAVES_NETWORK, hops), outside=outside)
    return ended


def outside_hop(name: str, header: Header) -> Hop:
    """An outside network as a hop."""
    return Hop(
        device=name,
        vrf="",
        interface_in=None,
        interface_out=None,
        header=header,
        stages=(),
        outside=True,
    )
