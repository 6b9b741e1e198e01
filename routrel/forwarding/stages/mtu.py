"""Whether a packet fits into the frames of an interface, on the way in and on the way out."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.forwarding.evidence import (
    Cause,
    Direction,
    Evidence,
    Result,
    StageName,
    Stopped,
    Verdict,
)
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Packet
from routrel.model.place import Place
from routrel.model.traffic import Fragment

__all__ = ["MtuEvidence", "PiecesEvidence", "arrival", "mtu"]

#: Fragments of which others went another way.
_APART = (Fragment.ALONE, Fragment.LATER)


@dataclass(frozen=True, slots=True, kw_only=True)
class MtuEvidence(Evidence):
    """The packet's size against an interface. `size` is None where it was not asked."""

    interface: str
    mtu: int  #: bytes
    size: int | None  #: bytes
    place: Place
    cut: bool = False  #: whether it is sent in fragments
    arriving: bool = False  #: whether the interface takes it in, rather than sends it

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name,
            kind="mtu_mismatch" if self.arriving else "mtu",
            interface=self.interface,
            direction=Direction.IN if self.arriving else Direction.OUT,
            place=self.place,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class PiecesEvidence(Evidence):
    """A device that puts fragments together has some of them, and the others went another way."""

    place: Place

    def cause(self, at: Stopped) -> Cause:
        return Cause(
            device=at.device.name,
            kind="fragments_apart",
            interface=at.interface_in,
            place=self.place,
        )


def arrival(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """An interface takes no packet that is larger than it could send.

    A device that puts fragments together has nothing of those whose others went another way.
    """
    if packet.device.tracks_connections and packet.header.fragment in _APART:
        pieces = PiecesEvidence(place=packet.device.place)
        return (forwarder.stop(packet, StageName.ARRIVAL, pieces, Verdict.DISCARDED),)
    interface, size = packet.arrived_by, packet.header.size
    if interface is not None and packet.path.mtu is not None:
        packet = packet.on_path(mtu=min(packet.path.mtu, interface.mtu))
    if interface is None or size is None or size <= interface.mtu:
        return (packet,)
    too_big = MtuEvidence(
        interface=interface.name,
        mtu=interface.mtu,
        size=size,
        place=interface.place,
        arriving=True,
    )
    return (forwarder.stop(packet, StageName.ARRIVAL, too_big, Verdict.TOO_BIG),)


def mtu(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """Whether it fits, or may be cut: of IPv4 without don't fragment (RFC 791 3.2).

    A router does not cut IPv6 (RFC 8200 5), nor does the sender here.
    """
    out = packet.out
    if out is None:
        raise ValueError("MTU comes before the route")
    size = packet.header.size
    fits = size is None or size <= out.mtu
    cut = not fits and packet.header.may_fragment and packet.header.source.version == 4
    evidence = MtuEvidence(interface=out.name, mtu=out.mtu, size=size, place=out.place, cut=cut)
    packet = packet.on_path(mtu=min(out.mtu, packet.path.mtu or out.mtu))
    if not fits and not cut:
        return (forwarder.stop(packet, StageName.MTU, evidence, Verdict.TOO_BIG),)
    packet = packet.noting(StageName.MTU, Result.PASSED, evidence)
    return (packet.but(cut_to=out.mtu if cut else None),)
