"""The path attributes of BGP routes as they stand in dumps (RFC 4271 4.3, RFC 6793, RFC 4760)."""

from __future__ import annotations

import ipaddress
import struct
from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.model.addresses import Address

__all__ = ["Attributes", "BadAttributes", "Reachable", "merged_path", "read_attributes"]

_ORIGINS = ("igp", "egp", "incomplete")
AS_TRANS = 23456  #: stands for a number of four bytes where two are written (RFC 6793 9)
_SET, _SEQUENCE, _CONFED_SEQUENCE, _CONFED_SET = 1, 2, 3, 4
_EXTENDED_LENGTH = 0x10
#: Extended communities that have a written form: type and subtype (RFC 4360, RFC 5668, RFC 7153).
_EXTENDED = {0x02: "target", 0x03: "origin"}
_ORIGIN, _AS_PATH, _NEXT_HOP, _MED, _LOCAL_PREF, _ATOMIC, _AGGREGATOR, _COMMUNITIES = range(1, 9)
_REACH, _UNREACH, _EXTENDED_COMMUNITIES, _AS4_PATH, _AS4_AGGREGATOR = 14, 15, 16, 17, 18
_LARGE_COMMUNITIES = 32

Segment = tuple[int, tuple[int, ...]]


class BadAttributes(Exception):
    """Bytes that are no path attributes."""


@dataclass(frozen=True, slots=True)
class Reachable:
    """Prefixes of one family that a message tells of (RFC 4760 3, 4), still as bytes."""

    version: int
    unicast: bool
    prefixes: bytes


@dataclass(frozen=True, slots=True)
class Attributes:
    """What a route carries. Segments are (kind, AS numbers), the nearest first."""

    segments: tuple[Segment, ...] = ()
    origin: str = "igp"
    next_hop: Address | None = None
    med: int | None = None
    local_preference: int | None = None
    communities: tuple[str, ...] = ()
    unwritten: int = 0  #: communities that have no written form
    announced: Reachable | None = None
    withdrawn: Reachable | None = None

    @property
    def path(self) -> tuple[int, ...]:
        """The AS numbers; of a set one stands for all, as it counts (RFC 4271 9.1.2.2)."""
        found: list[int] = []
        for kind, numbers in self.segments:
            if kind == _SEQUENCE:
                found += numbers
            elif kind == _SET and numbers:
                found.append(min(numbers))
        return tuple(found)

    @property
    def has_sets(self) -> bool:
        """Whether several AS numbers stand in one place of the path."""
        return any(kind == _SET and len(numbers) > 1 for kind, numbers in self.segments)

    @property
    def reaches(self) -> Attributes:
        """The same as of a route, without the prefixes that a message told of."""
        if self.announced is None and self.withdrawn is None:
            return self
        return replace(self, announced=None, withdrawn=None)


def read_attributes(data: bytes, width: int, *, in_table: bool) -> Attributes:
    """Read path attributes.

    Args:
        width: Bytes of an AS number in AS_PATH: 2 or 4.
        in_table: Whether they stand in a table, where MP_REACH_NLRI may be its next hop alone
            (RFC 6396 4.3.4).
    Raises:
        BadAttributes: lengths do not fit.
    """
    segments: tuple[Segment, ...] = ()
    as4: tuple[Segment, ...] | None = None
    aggregator: int | None = None
    next_hop: Address | None = None
    reach_hop: Address | None = None
    origin, med, preference = "igp", None, None
    communities: list[str] = []
    unwritten = 0
    announced = withdrawn = None
    for code, value in _values(data):
        if code == _ORIGIN:
            if len(value) != 1 or value[0] > 2:
                raise BadAttributes("an origin that is none")
            origin = _ORIGINS[value[0]]
        elif code == _AS_PATH:
            segments = _segments(value, width)
        elif code == _NEXT_HOP:
            if len(value) != 4:
                raise BadAttributes("a next hop that is no IPv4 address")
            next_hop = ipaddress.IPv4Address(value)
        elif code == _MED:
            med = _number(value)
        elif code == _LOCAL_PREF:
            preference = _number(value)
        elif code == _AGGREGATOR:
            aggregator = int.from_bytes(value[: 4 if len(value) == 8 else 2])
        elif code == _COMMUNITIES:
            if len(value) % 4:
                raise BadAttributes("communities of another length than 4 bytes each")
            communities += [f"{a}:{b}" for a, b in struct.iter_unpack("!HH", value)]
        elif code == _LARGE_COMMUNITIES:
            if len(value) % 12:
                raise BadAttributes("large communities of another length than 12 bytes each")
            communities += [f"{a}:{b}:{c}" for a, b, c in struct.iter_unpack("!III", value)]
        elif code == _EXTENDED_COMMUNITIES:
            known = [_extended(value[at : at + 8]) for at in range(0, len(value) - 7, 8)]
            communities += [word for word in known if word]
            unwritten += sum(not word for word in known)
        elif code == _REACH:
            reach_hop, announced = _reach(value, in_table=in_table)
        elif code == _UNREACH:
            if len(value) < 3:
                raise BadAttributes("withdrawn prefixes without their family")
            withdrawn = Reachable(_version(value), value[2] == 1, value[3:])
        elif code == _AS4_PATH:
            as4 = _segments(value, 4)
    if as4 is not None and width == 2 and aggregator in (None, AS_TRANS):
        segments = merged_path(segments, as4)
    return Attributes(
        segments,
        origin,
        reach_hop or next_hop,
        med,
        preference,
        tuple(communities),
        unwritten,
        announced,
        withdrawn,
    )


def _values(data: bytes) -> Iterator[tuple[int, bytes]]:
    """The attributes' codes and values (RFC 4271 4.3)."""
    at, end = 0, len(data)
    while at < end:
        if end - at < 3:
            raise BadAttributes("an attribute is cut off")
        flags, code = data[at], data[at + 1]
        if flags & _EXTENDED_LENGTH:
            if end - at < 4:
                raise BadAttributes("an attribute is cut off")
            length = data[at + 2] << 8 | data[at + 3]
            at += 4
        else:
            length = data[at + 2]
            at += 3
        if at + length > end:
            raise BadAttributes(
                f"attribute {code} says it has {length} bytes, and {end - at} follow"
            )
        yield code, data[at : at + length]
        at += length


def _number(value: bytes) -> int:
    if len(value) != 4:
        raise BadAttributes("a number of another length than 4 bytes")
    return int.from_bytes(value)


def _segments(value: bytes, width: int) -> tuple[Segment, ...]:
    found: list[Segment] = []
    at = 0
    while at < len(value):
        if len(value) - at < 2:
            raise BadAttributes("a segment of an AS path is cut off")
        kind, count = value[at], value[at + 1]
        end = at + 2 + count * width
        if end > len(value) or not _SET <= kind <= _CONFED_SET:
            raise BadAttributes("a segment of an AS path does not fit")
        code = f"!{count}{'I' if width == 4 else 'H'}"
        found.append((kind, struct.unpack_from(code, value, at + 2)))
        at = end
    return tuple(found)


def _counted(segments: tuple[Segment, ...]) -> int:
    """How many AS numbers a path counts: a set is one, confederations are none (RFC 5065 5.3)."""
    sizes = {_SET: lambda numbers: 1, _SEQUENCE: len}
    return sum(sizes[kind](numbers) for kind, numbers in segments if kind in sizes)


def merged_path(two: tuple[Segment, ...], four: tuple[Segment, ...]) -> tuple[Segment, ...]:
    """AS_PATH of two-byte numbers with AS4_PATH of four-byte ones (RFC 6793 4.2.3).

    Confederation segments do not belong in AS4_PATH and are dropped. Where it is the longer one it
    is ignored; else it takes the place of the end of AS_PATH.
    """
    whole = tuple(segment for segment in four if segment[0] in (_SET, _SEQUENCE))
    leading = _counted(two) - _counted(whole)
    if leading < 0:
        return two
    found: list[Segment] = []
    for kind, numbers in two:
        if kind in (_CONFED_SEQUENCE, _CONFED_SET):
            if leading > 0 or not found or found[-1][0] in (_CONFED_SEQUENCE, _CONFED_SET):
                found.append((kind, numbers))
            continue
        if leading <= 0:
            break
        taken = numbers if kind == _SET else numbers[:leading]
        found.append((kind, taken))
        leading -= 1 if kind == _SET else len(taken)
    for kind, numbers in whole:
        if found and kind == _SEQUENCE and found[-1][0] == _SEQUENCE:
            found[-1] = (_SEQUENCE, found[-1][1] + numbers)
        else:
            found.append((kind, numbers))
    return tuple(found)


def _version(value: bytes) -> int:
    return {1: 4, 2: 6}.get(value[0] << 8 | value[1], 0)


def _reach(value: bytes, *, in_table: bool) -> tuple[Address | None, Reachable | None]:
    """A next hop and prefixes; in a table the next hop alone, or all of it."""
    if in_table and value and value[0] == len(value) - 1:
        return _hop(value[1:]), None
    if len(value) < 5:
        raise BadAttributes("announced prefixes are cut off")
    length = value[3]
    if 5 + length > len(value):
        raise BadAttributes("a next hop is cut off")
    hop = _hop(value[4 : 4 + length])
    # One byte is reserved; once it counted further addresses (RFC 4760 3).
    return hop, Reachable(_version(value), value[2] == 1, value[5 + length :])


def _hop(value: bytes) -> Address | None:
    """A next hop: of two IPv6 addresses the global one, which stands first (RFC 2545 3)."""
    if len(value) == 4:
        return ipaddress.IPv4Address(value)
    if len(value) in (16, 32):
        return ipaddress.IPv6Address(value[:16])
    return None


def _extended(value: bytes) -> str:
    """An extended community as it is written; empty: it has no such form."""
    kind, sub = value[0] & 0x3F, value[1]
    word = _EXTENDED.get(sub)
    if word is None or value[0] & 0x40:
        return ""
    if kind == 0:
        return f"{word} {int.from_bytes(value[2:4])}:{int.from_bytes(value[4:8])}"
    if kind == 2:
        return f"{word} {int.from_bytes(value[2:6])}:{int.from_bytes(value[6:8])}"
    return ""
