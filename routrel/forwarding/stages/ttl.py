"""The time to live (hop limit) of what a device forwards."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.forwarding.evidence import Cause, Evidence, Result, StageName, Stopped, Verdict
from routrel.forwarding.forwarder import Forwarder, Outcomes
from routrel.forwarding.packet import Packet

__all__ = ["TtlEvidence", "time_to_live"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TtlEvidence(Evidence):
    """The time to live (hop limit) that arrived."""

    arrived: int

    def cause(self, at: Stopped) -> Cause:
        return Cause(device=at.device.name, kind="ttl_expired", interface=at.interface_in)


def time_to_live(packet: Packet, forwarder: Forwarder) -> Outcomes:
    """A packet that would leave with a time to live of 0 is dropped (RFC 1812 5.3.1)."""
    evidence = TtlEvidence(arrived=packet.header.ttl)
    if packet.header.ttl <= 1:
        return (forwarder.stop(packet, StageName.TTL, evidence, Verdict.TTL_EXPIRED),)
    packet = packet.noting(StageName.TTL, Result.PASSED, evidence)
    return (packet.but(header=replace(packet.header, ttl=packet.header.ttl - 1)),)
