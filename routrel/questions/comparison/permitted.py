"""The traffic that a changed filter newly permits or denies, as questions that stand for it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.forwarding.header_sets import Box, newly_permitted
from routrel.model.addresses import Address
from routrel.model.filters import Filter
from routrel.model.traffic import ICMP, ICMPV6, PORT_PROTOCOLS, TCP, UDP, protocol_name

__all__ = ["PermittedTraffic", "otherwise_permitted"]

#: Ports of one set that are asked about; filters elsewhere may tell them apart.
_MOST_PORTS = 16


@dataclass(frozen=True, slots=True, kw_only=True)
class PermittedTraffic:
    """Headers that a filter treats otherwise than before, and questions that stand for them."""

    device: str
    filter: str
    box: Box
    words: tuple[str, ...]  #: of traffic, one for each part that other filters may tell apart

    def holds(self, source: Address, destination: Address) -> bool:
        """Whether packets between two addresses are among them, there or back."""
        pair = (int(source), int(destination))
        return self.box.version == source.version and any(
            self.box.sources[0] <= one <= self.box.sources[1]
            and self.box.destinations[0] <= other <= self.box.destinations[1]
            for one, other in (pair, pair[::-1])
        )


def otherwise_permitted(before: State, after: State) -> Iterator[PermittedTraffic]:
    """What the filters that two states do not have alike permit in one of them alone."""
    marks = sorted(_ports(before) | _ports(after))
    for name, device in before.topology.devices.items():
        now = after.topology.devices.get(name)
        for old in device.filters if now else ():
            new = now.filter(old.name) if now else None
            if new is None or new == old:
                continue
            for box in (*newly_permitted(old, new), *newly_permitted(new, old)):
                words = tuple(_words(box, marks))
                if words:
                    yield PermittedTraffic(device=name, filter=old.name, box=box, words=words)


def _ports(state: State) -> set[int]:
    """Where some rule's range of ports begins, or ends."""
    filters: list[Filter] = [f for device in state.network.devices for f in device.filters]
    ranges = [
        ports
        for each in filters
        for rule in each.rules
        for ports in (*rule.match.source_ports, *rule.match.destination_ports)
    ]
    return {port for ports in ranges for port in (ports.first, ports.last + 1)}


def _words(box: Box, marks: list[int]) -> Iterator[str]:
    for protocol in (TCP, UDP):
        if box.protocols >> protocol & 1:
            first, last = box.destination_ports
            inner = [port for port in marks if first < port <= last]
            for port in (first, *inner)[:_MOST_PORTS]:
                yield f"{protocol_name(protocol)} {port}"
    others = box.protocols & ~(1 << TCP) & ~(1 << UDP) & ~(1 << ICMP) & ~(1 << ICMPV6)
    if others:
        protocol = (others & -others).bit_length() - 1
        to_port = f" {box.destination_ports[0]}" if protocol in PORT_PROTOCOLS else ""
        yield f"{protocol_name(protocol)}{to_port}"
