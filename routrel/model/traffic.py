"""Packet headers, and the names of the protocols and ICMP types they carry.

Numbers are IANA's (protocol numbers; ICMP type numbers; ICMPv6 "type" numbers).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

from routrel.model.addresses import Address

__all__ = [
    "DSCP_NAMES",
    "ICMP",
    "ICMPV6",
    "ICMPV6_TYPES",
    "ICMP_ANSWERS",
    "ICMP_TYPES",
    "PORT_PROTOCOLS",
    "PROTOCOL_NUMBERS",
    "TCP",
    "TCP_FLAGS",
    "UDP",
    "Fragment",
    "Header",
    "icmp_type_name",
    "protocol_name",
    "protocol_word",
]

ICMP, TCP, UDP, ICMPV6 = 1, 6, 17, 58

PROTOCOL_NUMBERS: dict[str, int] = {
    "icmp": ICMP,
    "igmp": 2,
    "tcp": TCP,
    "udp": UDP,
    "gre": 47,
    "esp": 50,
    "ah": 51,
    "icmpv6": ICMPV6,
    "eigrp": 88,
    "ospf": 89,
    "pim": 103,
    "vrrp": 112,
    "sctp": 132,
}
_PROTOCOL_NAMES = {number: name for name, number in PROTOCOL_NUMBERS.items()}

#: The protocols whose headers carry ports (RFC 8519 4.1 knows ports for these).
PORT_PROTOCOLS = frozenset({TCP, UDP, 132})

ICMP_TYPES: dict[str, int] = {
    "echo-reply": 0,
    "destination-unreachable": 3,
    "redirect": 5,
    "echo-request": 8,
    "time-exceeded": 11,
    "parameter-problem": 12,
}
ICMPV6_TYPES: dict[str, int] = {
    "destination-unreachable": 1,
    "packet-too-big": 2,
    "time-exceeded": 3,
    "parameter-problem": 4,
    "echo-request": 128,
    "echo-reply": 129,
    "router-solicitation": 133,
    "router-advertisement": 134,
    "neighbour-solicitation": 135,
    "neighbour-advertisement": 136,
}


#: Requests with the type of their answers, by protocol (RFC 792, RFC 950, RFC 4443, RFC 4620).
ICMP_ANSWERS = {
    (ICMP, 8): 0,
    (ICMP, 13): 14,
    (ICMP, 15): 16,
    (ICMP, 17): 18,
    (ICMPV6, 128): 129,
    (ICMPV6, 139): 140,
}
#: Messages of multicast listeners and of neighbour discovery, which answer or announce.
_NEIGHBOUR_TYPES = frozenset({130, 131, 132, *range(133, 138), 143})


def protocol_name(number: int) -> str:
    """The usual name of an IANA protocol number, or "protocol N" where there is none."""
    return _PROTOCOL_NAMES.get(number, f"protocol {number}")


def protocol_word(number: int) -> str | int:
    """A protocol as files name it: by its usual name, else by its number."""
    return _PROTOCOL_NAMES.get(number, number)


def icmp_type_name(protocol: int, number: int) -> str:
    """The usual name of an ICMP or ICMPv6 type, or "type N" where there is none."""
    names = ICMP_TYPES if protocol == ICMP else ICMPV6_TYPES
    return next((name for name, value in names.items() if value == number), f"type {number}")


class Fragment(Enum):
    """Which piece of a packet this is."""

    NONE = "none"  #: a whole packet
    FIRST = "first"  #: and the others come along
    ALONE = "alone"  #: the first, whose others went another way
    LATER = "later"  #: carries no ports and no ICMP type


#: Names of differentiated services code points (RFC 2474, 2597, 3246, 5865, 8622).
DSCP_NAMES: dict[str, int] = {
    **{f"cs{number}": 8 * number for number in range(8)},
    **{f"af{c}{d}": 8 * c + 2 * d for c in range(1, 5) for d in range(1, 4)},
    "ef": 46,
    "voice-admit": 44,
    "le": 1,
}

#: The flags of TCP (RFC 9293 3.1).
TCP_FLAGS = ("fin", "syn", "rst", "psh", "ack", "urg", "ece", "cwr")


@dataclass(frozen=True, slots=True, kw_only=True)
class Header:
    """The fields of one packet that forwarding looks at."""

    source: Address
    destination: Address
    protocol: int  #: IANA protocol number
    source_port: int | None = None  #: None where the protocol has no ports
    destination_port: int | None = None  #: None where the protocol has no ports
    icmp_type: int | None = None  #: None unless ICMP or ICMPv6
    icmp_code: int | None = None  #: None unless ICMP or ICMPv6
    dscp: int = 0  #: differentiated services code point (RFC 2474)
    flags: frozenset[str] = frozenset()  #: TCP flags that are set; of TCP alone
    fragment: Fragment = Fragment.NONE
    may_fragment: bool = False  #: whether IPv4's don't-fragment bit is clear
    size: int | None = None  #: bytes of the whole IP packet; None: not asked, always fits
    ttl: int = 64  #: time to live, or hop limit in IPv6, as the source sends it

    def reply(self) -> Header:
        """The header of the answer: addresses and ports swapped, an echo request answered.

        A TCP SYN is answered with SYN and ACK (RFC 9293 3.5), anything else of TCP with ACK.
        """
        icmp_type = self.icmp_type
        if icmp_type is not None:
            icmp_type = ICMP_ANSWERS.get((self.protocol, icmp_type), icmp_type)
        flags = self.flags
        if self.protocol == TCP:
            flags = frozenset({"syn", "ack"} if flags == {"syn"} else {"ack"})
        return replace(
            self,
            flags=flags,
            source=self.destination,
            destination=self.source,
            source_port=self.destination_port,
            destination_port=self.source_port,
            icmp_type=icmp_type,
        )

    @property
    def opens(self) -> bool:
        """Whether a device may take it for the first packet of a session.

        TCP opens with SYN alone (RFC 9293 3.5), ICMP with a request; an error message or an answer
        belongs to something that was sent before. What neighbours say to each other (RFC 4861, RFC
        3810) belongs to no session; it meets the rules as a first packet does. Of other protocols
        nothing in a packet tells a first from an answer.
        """
        if self.protocol == TCP:
            return "syn" in self.flags and "ack" not in self.flags
        if self.icmp_type is not None:
            kind = (self.protocol, self.icmp_type)
            return kind in ICMP_ANSWERS or (
                self.protocol == ICMPV6 and self.icmp_type in _NEIGHBOUR_TYPES
            )
        return True
