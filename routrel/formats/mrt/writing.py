"""Announcements of outside networks as an MRT table (RFC 6396 4.3)."""

from __future__ import annotations

import ipaddress
import struct
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence

from routrel.formats.mrt.records import TABLE_DUMP_V2
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.model.bgp import Announcement
from routrel.model.communities import WELL_KNOWN
from routrel.model.network import OutsideNeighbour
from routrel.model.policy import Origin

__all__ = ["LostInMrt", "write_mrt"]

_ORIGINS = {Origin.IGP: 0, Origin.EGP: 1, Origin.INCOMPLETE: 2}
_NUMBERS = {word: text for text, word in WELL_KNOWN.items()}
_NOBODY = bytes(4)


class LostInMrt(Exception):
    """Something of a network has no place in such a table."""


def write_mrt(outside: Iterable[OutsideNeighbour], seconds: int = 0) -> bytes:
    """A table with what every outside network announces that speaks BGP.

    Args:
        seconds: When it is said to have been written, since 1970.
    Raises:
        LostInMrt: one has no address, so it cannot be a peer of the table.
    """
    speaking = [one for one in outside if one.autonomous_system is not None and one.announces]
    peers: list[tuple[OutsideNeighbour, Address]] = []
    for one in speaking:
        if not one.addresses:
            raise LostInMrt(f"{one.name} announces, and has no address")
        peers += ((one, end.ip) for end in one.addresses)
    by_prefix: dict[Prefix, list[tuple[int, bytes]]] = defaultdict(list)
    for index, (one, address) in enumerate(peers):
        for announcement in one.announces:
            if announcement.at and address not in announcement.at:
                continue
            for prefix in announcement.prefixes:
                if prefix.version == address.version:
                    data = _attributes(one, announcement, address)
                    by_prefix[prefix].append((index, data))
    records = [_record(seconds, 1, _peer_table(peers))]
    for number, prefix in enumerate(sorted(by_prefix, key=prefix_order)):
        subtype = 2 if prefix.version == 4 else 4
        records.append(
            _record(seconds, subtype, _entry(number, seconds, prefix, by_prefix[prefix]))
        )
    return b"".join(records)


def _record(seconds: int, subtype: int, body: bytes) -> bytes:
    return struct.pack("!IHHI", seconds, TABLE_DUMP_V2, subtype, len(body)) + body


def _peer_table(peers: Sequence[tuple[OutsideNeighbour, Address]]) -> bytes:
    parts = [_NOBODY, struct.pack("!HH", 0, len(peers))]
    for one, address in peers:
        kind = 2 | (address.version == 6)
        router_id = one.router_id.packed if one.router_id else _NOBODY
        parts += [bytes((kind,)), router_id, address.packed]
        parts.append(struct.pack("!I", one.autonomous_system or 0))
    return b"".join(parts)


def _entry(number: int, seconds: int, prefix: Prefix, routes: Sequence[tuple[int, bytes]]) -> bytes:
    size = (prefix.prefixlen + 7) // 8
    parts = [
        struct.pack("!IB", number, prefix.prefixlen),
        prefix.network_address.packed[:size],
        struct.pack("!H", len(routes)),
    ]
    for index, data in routes:
        parts += [struct.pack("!HIH", index, seconds, len(data)), data]
    return b"".join(parts)


def _attributes(one: OutsideNeighbour, said: Announcement, address: Address) -> bytes:
    path = (one.autonomous_system or 0, *said.as_path)
    segments = b"".join(
        struct.pack(f"!BB{len(part)}I", 2, len(part), *part) for part in _parts(path)
    )
    found = [_attribute(0x40, 1, bytes((_ORIGINS[said.origin],))), _attribute(0x40, 2, segments)]
    if address.version == 4:
        found.append(_attribute(0x40, 3, address.packed))
    if said.med is not None:
        found.append(_attribute(0x80, 4, struct.pack("!I", said.med)))
    for code, data in _communities(said.communities):
        found.append(_attribute(0xC0, code, data))
    if address.version == 6:
        found.append(_attribute(0x80, 14, bytes((16,)) + address.packed))
    return b"".join(found)


def _parts(path: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
    """A path in segments, none of which has more than 255 numbers (RFC 4271 4.3)."""
    for begin in range(0, len(path), 255):
        yield path[begin : begin + 255]


def _attribute(flags: int, code: int, value: bytes) -> bytes:
    if len(value) > 255:
        return struct.pack("!BBH", flags | 0x10, code, len(value)) + value
    return struct.pack("!BBB", flags, code, len(value)) + value


def _communities(words: Iterable[str]) -> Iterator[tuple[int, bytes]]:
    """By attribute, the communities of one kind (RFC 1997, RFC 4360, RFC 8092)."""
    plain, extended, large = b"", b"", b""
    for word in words:
        kind, _, rest = _NUMBERS.get(word, word).rpartition(" ")
        parts = rest.split(":")
        if kind:
            extended += _extended(kind, parts[0], int(parts[1]))
        elif len(parts) == 3:
            large += struct.pack("!III", *map(int, parts))
        else:
            plain += struct.pack("!HH", *map(int, parts))
    for code, data in ((8, plain), (16, extended), (32, large)):
        if data:
            yield code, data


def _extended(kind: str, administrator: str, number: int) -> bytes:
    sub = {"target": 2, "origin": 3}[kind]
    if "." in administrator:
        return (
            struct.pack("!BB", 1, sub)
            + ipaddress.IPv4Address(administrator).packed
            + (struct.pack("!H", number))
        )
    if int(administrator) > 65535:
        return struct.pack("!BBIH", 2, sub, int(administrator), number)
    return struct.pack("!BBHI", 0, sub, int(administrator), number)
