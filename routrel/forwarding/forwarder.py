"""What a stage may ask of the forwarder that runs it."""

from __future__ import annotations

from typing import Protocol

from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import Evidence, StageName, Verdict
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.orders import Step
from routrel.forwarding.packet import Outcome, Packet
from routrel.model.traffic import Header
from routrel.topology.segments import Topology

__all__ = ["Forwarder", "Outcomes"]

Outcomes = tuple[Outcome, ...]


class Forwarder(Protocol):
    """Runs packets through stages."""

    topology: Topology
    lookup: Lookup
    known: tuple[Connection, ...]  #: what devices remember of a packet that this one answers
    asked: Header | None  #: that packet as it was sent
    filters: bool  #: False: as if every filter permitted

    def stop(
        self, packet: Packet, name: StageName, evidence: Evidence, verdict: Verdict
    ) -> Outcome:
        """The end of a branch; or, beyond obstacles, the packet as if nothing had stopped it."""

    def through(self, packet: Packet, steps: tuple[Step, ...]) -> Outcomes:
        """A packet through some stages of its device."""
