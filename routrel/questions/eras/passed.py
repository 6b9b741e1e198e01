"""What a flow passes, and whether an event is about that."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.addresses import Address
from routrel.model.events import Event, EventKind
from routrel.questions.flow import FlowAnswer

__all__ = ["Passed"]

#: Kinds of events that are about an interface.
_AT_PORTS = (EventKind.INTERFACE, EventKind.ADJACENCY, EventKind.COST)


@dataclass(frozen=True, slots=True)
class Passed:
    """The devices and interfaces on all branches of both directions, and the flow's two ends."""

    devices: frozenset[str]
    ports: frozenset[tuple[str, str]]
    ends: frozenset[Address]

    @classmethod
    def by(cls, answer: FlowAnswer) -> Passed:
        """What a flow passes in an answer."""
        hops = [hop for way in answer.directions for branch in way.branches for hop in branch.hops]
        headers = [way.header for way in answer.directions]
        return cls(
            devices=frozenset(hop.device for hop in hops),
            ports=frozenset(
                (hop.device, port)
                for hop in hops
                for port in (hop.interface_in, hop.interface_out)
                if port is not None
            ),
            ends=frozenset(
                address for header in headers for address in (header.source, header.destination)
            ),
        )

    def with_all_of(self, other: Passed) -> Passed:
        """What either passes."""
        return Passed(
            self.devices | other.devices, self.ports | other.ports, self.ends | other.ends
        )

    def concerns(self, event: Event) -> bool:
        """Whether an event is about what is passed, or about the way to either end.

        A value is if it was measured at a device on the way, and at none of its other interfaces.
        """
        if event.kind in _AT_PORTS:
            return (event.device, event.interface) in self.ports
        if event.kind is EventKind.MEASURE:
            port = (event.device, event.interface)
            return port in self.ports if event.interface else event.device in self.devices
        if event.prefix is not None:
            return any(end in event.prefix for end in self.ends)
        return event.device in self.devices
