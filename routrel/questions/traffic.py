"""Reads the words for a flow's traffic: "tcp 5432", "icmp echo-request", "udp", "ospf"."""

from __future__ import annotations

import re
from dataclasses import dataclass

from routrel.files.shapes import closest
from routrel.model.addresses import Address
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    PROTOCOL_NUMBERS,
    TCP,
    TCP_FLAGS,
    Header,
    protocol_name,
)
from routrel.questions.errors import BadTraffic

__all__ = ["EPHEMERAL_PORT", "Traffic", "parse_traffic"]

#: The source port of a question that names none: the first dynamic port (RFC 6335 6).
EPHEMERAL_PORT = 49152


@dataclass(frozen=True, slots=True, kw_only=True)
class Traffic:
    """What is asked about, apart from the addresses."""

    protocol: int | None  #: IANA number; None: an echo request of the addresses' family
    port: int | None = None  #: destination port; None where the protocol has none
    source_port: int | None = None
    icmp_type: int | None = None
    icmp_code: int | None = None
    flags: frozenset[str] = frozenset({"syn"})  #: of TCP: which are set

    def header(self, source: Address, destination: Address, size: int | None, ttl: int) -> Header:
        """The packet that carries this traffic between two addresses."""
        protocol, icmp_type = self.protocol, self.icmp_type
        if protocol in (None, ICMP, ICMPV6):
            protocol = ICMP if source.version == 4 else ICMPV6
            if icmp_type is None:
                icmp_type = 8 if source.version == 4 else 128
        return Header(
            source=source,
            destination=destination,
            protocol=protocol if protocol is not None else ICMP,
            source_port=self.source_port,
            destination_port=self.port,
            icmp_type=icmp_type,
            icmp_code=(self.icmp_code or 0) if icmp_type is not None else None,
            flags=self.flags if protocol == TCP else frozenset(),
            size=size,
            ttl=ttl,
        )


def parse_traffic(text: str, source_port: int | None = None) -> Traffic:
    """Read a protocol with its port or ICMP type.

    Args:
        text: "tcp 5432", "tcp 5432 rst ack" (flags left out: syn), "udp 53", "icmp",
            "icmp echo-request", "icmp 3/1", "ospf", "protocol 89";
            empty means an echo request.
        source_port: Left out: 49152 where the protocol has ports.
    Raises:
        BadTraffic: the text cannot be read, or a port is missing or not wanted.
    """
    words = text.lower().split()
    if not words:
        return Traffic(protocol=None)
    if words[0] == "protocol" and len(words) == 2:
        words = words[1:]
    protocol = _protocol(words[0])
    if protocol in PORT_PROTOCOLS:
        flags = frozenset({"syn"})
        if protocol == TCP and len(words) > 2:
            flags = _flags(words[2:])
            words = words[:2]
        if len(words) != 2 or not re.fullmatch(r"[0-9]{1,5}", words[1]) or int(words[1]) > 65535:
            raise BadTraffic(
                f"“{text}” needs a destination port from 0 to 65535", f"write {words[0]} 443"
            )
        port = EPHEMERAL_PORT if source_port is None else source_port
        return Traffic(protocol=protocol, port=int(words[1]), source_port=port, flags=flags)
    if source_port is not None:
        raise BadTraffic(f"{protocol_name(protocol)} has no ports", "leave the source port out")
    if protocol in (ICMP, ICMPV6) and len(words) == 2:
        kind, _, code = words[1].partition("/")
        icmp_type = _icmp_type(protocol, kind)
        if code and not (code.isdecimal() and int(code) <= 255):
            raise BadTraffic(f"“{code}” is not an ICMP code", "write a number from 0 to 255")
        return Traffic(protocol=protocol, icmp_type=icmp_type, icmp_code=int(code or 0))
    if len(words) > 1:
        raise BadTraffic(f"“{text}” says more than a protocol", f"write {words[0]} alone")
    return Traffic(protocol=protocol)


def _protocol(word: str) -> int:
    if word in PROTOCOL_NUMBERS:
        return PROTOCOL_NUMBERS[word]
    if re.fullmatch(r"[0-9]{1,3}", word) and int(word) <= 255:
        return int(word)
    raise BadTraffic(
        f"“{word}” is not a protocol", closest(word, PROTOCOL_NUMBERS) or "write tcp 443, for one"
    )


def _flags(words: list[str]) -> frozenset[str]:
    """The TCP flags that are set, each a word; "none" for no flag at all (RFC 9293 3.1)."""
    found = [flag for word in words for flag in word.split(",") if flag]
    if found == ["none"]:
        return frozenset()
    for flag in found:
        if flag not in TCP_FLAGS:
            raise BadTraffic(
                f"TCP has no flag “{flag}”", closest(flag, TCP_FLAGS) or "write tcp 443 ack"
            )
    return frozenset(found)


def _icmp_type(protocol: int, word: str) -> int:
    names = ICMP_TYPES if protocol == ICMP else ICMPV6_TYPES
    if word in names:
        return names[word]
    if word.isdecimal() and int(word) <= 255:
        return int(word)
    raise BadTraffic(f"{protocol_name(protocol)} has no type “{word}”", closest(word, names))
