"""Which headers between two addresses a network treats alike: one question for each class.

Ports, types, code points and flags are told apart by the rules of filters, steering and translation
alone: by those of devices that the packets or their answers meet, and by no rule that is for other
addresses. Where addresses may be translated on the way, every rule of those devices counts.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass
from itertools import product

from routrel.model.addresses import Address, Prefix
from routrel.model.filters import Match, PortRange
from routrel.model.network import Device, Network
from routrel.model.promises import FlowSet, Traffic
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    TCP,
    TCP_FLAGS,
    protocol_name,
)
from routrel.questions.traffic import EPHEMERAL_PORT

__all__ = ["CLIENT_PORTS", "HeaderClass", "HeaderClasses"]

#: The ports that clients send from (RFC 6056 3.2).
CLIENT_PORTS = PortRange(1024, 65535)
_ALL_PORTS = PortRange(0, 65535)
#: A protocol that stands for all that nothing names: one for experiments (RFC 3692 2.1).
_ANY_OTHER = 253
_LAST_TYPE = 255


@dataclass(frozen=True, slots=True, kw_only=True)
class HeaderClass:
    """Headers between two addresses that are treated alike, by the question that stands for all."""

    traffic: str  #: as questions write it
    source_port: int | None
    dscp: int = 0


class HeaderClasses:
    """The classes that the rules of a network make."""

    def __init__(self, network: Network) -> None:
        self._rules = {device.name: list(_rules(device)) for device in network.devices}

    def of(
        self,
        flows: FlowSet,
        source: Address,
        destination: Address,
        met: Set[str],
        *,
        blocked: bool,
    ) -> list[HeaderClass]:
        """What of a promise's traffic is to be asked between two addresses.

        Headers of one class are treated alike by all devices that are met. Whoever meets further
        devices on the way asks again.

        Args:
            met: The devices whose rules count.
            blocked: Whether it is about what must not arrive: then from every port and with every
                code point, else from those that clients use and with none.
        """
        rules = [rule for device in sorted(met) for rule in self._rules.get(device, ())]
        there = [rule for rule in rules if rule.concerns(source, destination)]
        back = [rule for rule in rules if rule.concerns(destination, source)]
        if any(rule.translates for rule in (*there, *back)):
            there = back = rules
        marks = _Marks([one.match for one in there], [] if blocked else [o.match for o in back])
        source_ports = flows.source_ports or (_ALL_PORTS if blocked else CLIENT_PORTS)
        dscps = marks.dscps if blocked else [0]
        found = dict.fromkeys(
            (words, port)
            for traffic in flows.traffic or (Traffic(protocol=ICMP),)
            for words, port in marks.parts(traffic, source_ports, source.version)
        )
        return [
            HeaderClass(traffic=words, source_port=port, dscp=dscp)
            for words, port in found
            for dscp in dscps
        ]


@dataclass(frozen=True, slots=True)
class _Rule:
    """What a rule asks of a packet, and whether it gives it other addresses."""

    match: Match
    pool: tuple[Prefix, ...] = ()
    translates: bool = False
    inverted: bool = False  #: it is for what does not match

    def concerns(self, source: Address, destination: Address) -> bool:
        """Whether it may be for a packet between two addresses."""
        if self.inverted or any(_holds(self.pool, end) for end in (source, destination)):
            return True
        sources, destinations = self.match.sources, self.match.destinations
        return (not sources or _holds(sources, source)) and (
            not destinations or _holds(destinations, destination)
        )


def _holds(prefixes: Iterable[Prefix], address: Address) -> bool:
    return any(address.version == one.version and address in one for one in prefixes)


def _rules(device: Device) -> Iterator[_Rule]:
    for packet_filter in device.filters:
        yield from (_Rule(rule.match) for rule in packet_filter.rules)
    for steering in device.steerings:
        yield from (_Rule(rule.match, inverted=rule.invert) for rule in steering.rules)
    for rule in device.translation:
        yield _Rule(rule.match, rule.pool, translates=not rule.keep)
        if rule.ports is not None:  # whoever meets it afterwards sees these
            yield _Rule(Match(destination_ports=(rule.ports,)))


class _Marks:
    """Where rules tell ports, types, codes and code points apart.

    Args:
        there: What rules for the packets ask.
        back: What rules for their answers ask, which have the ports the other way round.
    """

    def __init__(self, there: list[Match], back: list[Match]) -> None:
        self._there, self._back, self._matches = there, back, [*there, *back]
        self.dscps = sorted({0, *(code for match in self._matches for code in match.dscps)})
        if len(self.dscps) > 1:
            free = next((code for code in range(64) if code not in self.dscps), None)
            self.dscps += [] if free is None else [free]

    def parts(
        self, traffic: Traffic, source_ports: PortRange, version: int
    ) -> Iterator[tuple[str, int | None]]:
        """The words and the source port that stand for each part of some traffic."""
        icmp = ICMP if version == 4 else ICMPV6
        protocols = [traffic.protocol] if traffic.protocol is not None else self._protocols(icmp)
        for protocol in protocols:
            if protocol in (ICMP, ICMPV6):
                if protocol != icmp and traffic.protocol is not None and traffic.icmp_type is None:
                    protocol = icmp  # echo requests are those of the family
                if protocol == icmp:
                    yield from self._icmp_parts(traffic, protocol)
            elif protocol in PORT_PROTOCOLS:
                flags = _flag_words(traffic) if protocol == TCP else ""
                name, ports = protocol_name(protocol), traffic.ports or _ALL_PORTS
                to, of = self._port_marks(protocol)
                for port, source in product(_inside(ports, to), _inside(source_ports, of)):
                    yield f"{name} {port}{flags}", source
            else:
                yield f"protocol {protocol}", None

    def _protocols(self, icmp: int) -> list[int]:
        named = {match.protocol for match in self._matches if match.protocol is not None}
        others = named - PORT_PROTOCOLS - {ICMP, ICMPV6}
        rest = next(n for n in range(_ANY_OTHER, 0, -1) if n not in named)
        return [icmp, *sorted(PORT_PROTOCOLS), *sorted(others), rest]

    def _icmp_parts(self, traffic: Traffic, protocol: int) -> Iterator[tuple[str, None]]:
        name = protocol_name(protocol)
        echo = ICMP_TYPES if protocol == ICMP else ICMPV6_TYPES
        codes = self._told_apart("icmp_codes", protocol, [0])
        if traffic.icmp_type is not None:
            types = [traffic.icmp_type]
        elif traffic.protocol is not None:
            types, codes = [echo["echo-request"]], [0]  # (RFC 792, RFC 4443 4.1)
        else:
            types = self._told_apart("icmp_types", protocol, [*echo.values()])
        for number, code in product(types, codes):
            yield f"{name} {number}/{code}", None

    def _told_apart(self, field: str, protocol: int, always: list[int]) -> list[int]:
        """Numbers of ICMP of which each stands for itself or all that no rule names."""
        named = {
            number
            for match in self._matches
            if match.protocol in (None, protocol)
            for number in getattr(match, field)
        }
        if not named and field == "icmp_codes":
            return [0]
        rest = next((n for n in range(_LAST_TYPE) if n not in named and n not in always), None)
        return sorted({*always, *named} | ({rest} if rest is not None else set()))

    def _port_marks(self, protocol: int) -> tuple[list[int], list[int]]:
        """Where ranges of the packets' destination ports, and of their source ports, part."""
        there = [m for m in self._there if m.protocol in (None, protocol)]
        back = [m for m in self._back if m.protocol in (None, protocol)]
        destinations = [
            *(ports for match in there for ports in match.destination_ports),
            *(ports for match in back for ports in match.source_ports),
        ]
        sources = [
            *(ports for match in there for ports in match.source_ports),
            *(ports for match in back for ports in match.destination_ports),
        ]
        return _ends(destinations), _ends(sources)


def _ends(ranges: Iterable[PortRange]) -> list[int]:
    """Where ranges begin, and where what follows them does."""
    return sorted({end for ports in ranges for end in (ports.first, ports.last + 1)})


def _inside(ports: PortRange, marks: list[int]) -> list[int]:
    """A port of each piece of a range between marks: the usual one of clients, or the first."""
    begins = [ports.first, *(mark for mark in marks if ports.first < mark <= ports.last)]
    ends = [*(begin - 1 for begin in begins[1:]), ports.last]
    return [
        EPHEMERAL_PORT if begin <= EPHEMERAL_PORT <= end else begin
        for begin, end in zip(begins, ends, strict=True)
    ]


def _flag_words(traffic: Traffic) -> str:
    if traffic.flags is None:
        return ""
    words = [flag for flag in TCP_FLAGS if flag in traffic.flags]
    return f" {' '.join(words) or 'none'}"
