"""The traffic that a changed filter newly permits or denies, as questions that stand for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import product

from routrel.convergence.converge import State
from routrel.forwarding.header_sets import Box, Range, flag_combination, flags_of, newly_permitted
from routrel.model.addresses import Address
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    TCP,
    UDP,
    protocol_name,
)
from routrel.questions.traffic import EPHEMERAL_PORT

__all__ = ["Part", "PermittedTraffic", "otherwise_permitted"]

#: Questions that stand for one set; filters elsewhere may tell its parts apart.
_MOST_PARTS = 64


#: What is asked of all ends anyway.
_PINGS = ((ICMP, ICMP_TYPES["echo-request"]), (ICMPV6, ICMPV6_TYPES["echo-request"]))


@dataclass(frozen=True, slots=True)
class Part:
    """Traffic that stands for headers that no filter tells apart."""

    words: str
    source_port: int | None = None  #: None: the one that questions have anyway, or there is none


@dataclass(frozen=True, slots=True, kw_only=True)
class PermittedTraffic:
    """Headers that a filter treats otherwise than before, and questions that stand for them."""

    device: str
    filter: str
    box: Box
    parts: tuple[Part, ...]  #: one for each that other filters may tell apart
    left: int  #: parts beyond these, which nobody asks about

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
    marks = _Marks(before, after)
    for name, device in before.topology.devices.items():
        now = after.topology.devices.get(name)
        for old in device.filters if now else ():
            new = now.filter(old.name) if now else None
            if new is None or new == old:
                continue
            for box in (*newly_permitted(old, new), *newly_permitted(new, old)):
                parts = tuple(dict.fromkeys(marks.parts(box)))
                if parts:
                    yield PermittedTraffic(
                        device=name,
                        filter=old.name,
                        box=box,
                        parts=parts[:_MOST_PARTS],
                        left=len(parts[_MOST_PARTS:]),
                    )


class _Marks:
    """Where rules of any filter of two states tell ports, or types and codes of ICMP, apart."""

    def __init__(self, *states: State) -> None:
        matches = [
            rule.match
            for state in states
            for device in state.network.devices
            for each in device.filters
            for rule in each.rules
        ]
        self._ports = {
            protocol: sorted(
                {
                    port
                    for match in matches
                    if match.protocol in (None, protocol)
                    for ports in (*match.source_ports, *match.destination_ports)
                    for port in (ports.first, ports.last + 1)
                }
            )
            for protocol in (TCP, UDP)
        }
        self._types = _ends(number for match in matches for number in match.icmp_types)
        self._codes = _ends(number for match in matches for number in match.icmp_codes)

    def parts(self, box: Box) -> Iterator[Part]:
        """Traffic for every part of a box, as a flow's packets and as answers.

        Answers are those to packets from the port that questions have anyway.
        """
        for protocol in (TCP, UDP):
            if box.protocols >> protocol & 1:
                name, flags = protocol_name(protocol), _flags(box) if protocol == TCP else ""
                sources, destinations = box.source_ports, box.destination_ports
                marks = self._ports[protocol]
                from_ports: list[int | None] = [None]  # the one that questions have anyway
                if not _holds(sources, EPHEMERAL_PORT):
                    from_ports = [*_inside(sources, marks)]
                for port, source in product(_inside(destinations, marks), from_ports):
                    yield Part(f"{name} {port}{flags}", source)
                if _holds(destinations, EPHEMERAL_PORT):
                    # Answers have the ports the other way round; they do not open a session.
                    for port in _inside(sources, marks):
                        yield Part(f"{name} {port}")
        icmp = ICMP if box.version == 4 else ICMPV6
        if box.protocols >> icmp & 1:
            name, types = protocol_name(icmp), _inside(box.source_ports, self._types, 255)
            codes = _inside(box.destination_ports, self._codes, 255)
            for number, code in product(types, codes):
                if (icmp, number) not in _PINGS or code:
                    yield Part(f"{name} {number}/{code}")
        others = box.protocols & ~sum(1 << known for known in (TCP, UDP, ICMP, ICMPV6))
        if others:
            protocol = (others & -others).bit_length() - 1
            if protocol in PORT_PROTOCOLS:
                yield Part(f"{protocol_name(protocol)} {box.destination_ports[0]}")
            else:
                yield Part(protocol_name(protocol))


def _inside(ends: Range, marks: list[int], most: int = 65535) -> list[int]:
    """The first of a range, and every mark in it."""
    first, last = ends[0], min(ends[1], most)
    return [first, *(mark for mark in marks if first < mark <= last)]


def _holds(ends: Range, number: int) -> bool:
    return ends[0] <= number <= ends[1]


def _ends(numbers: Iterable[int]) -> list[int]:
    """Where single numbers begin and end."""
    return sorted({end for number in numbers for end in (number, number + 1)})


def _flags(box: Box) -> str:
    """What has to be said of TCP flags for a packet to be of a box; nothing if a first one is."""
    if box.flags >> flag_combination(("syn",)) & 1:
        return ""
    lowest = (box.flags & -box.flags).bit_length() - 1
    return " " + (" ".join(flags_of(lowest)) or "none")
