"""What the peers of a dump announce in the end: its table, and the messages that follow.

One pass, in the order of the file. The routes of a peer are numbers in a dictionary: prefixes are
whole numbers, attributes are numbered, each once.
"""

from __future__ import annotations

import ipaddress
import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from routrel.formats.mrt.attributes import Attributes, BadAttributes, read_attributes
from routrel.formats.mrt.records import BGP4MP, BGP4MP_ET, TABLE_DUMP, TABLE_DUMP_V2, Reader
from routrel.model.addresses import Address, Prefix, address_of

__all__ = ["Dump", "Listener", "Peer", "prefix_of", "read_dump"]

_PEERS, _GEOGRAPHY = 1, 7
#: TABLE_DUMP_V2: by subtype, the version of IP, and whether entries have path identifiers.
_TABLES = {2: (4, False), 4: (6, False), 8: (4, True), 10: (6, True)}
#: BGP4MP: messages by subtype: bytes of an AS number, whether its own, path identifiers.
_MESSAGES = {
    1: (2, False, False), 4: (4, False, False), 6: (2, True, False), 7: (4, True, False),
    8: (2, False, True), 9: (4, False, True), 10: (2, True, True), 11: (4, True, True),
}  # fmt: skip
_STATES = {0: 2, 5: 4}  #: BGP4MP: changes of state by subtype: bytes of an AS number
_ESTABLISHED, _UPDATE = 6, 2
_HEADER = 19
#: Where in a prefix's number its path identifier begins (RFC 7911 3).
PATH_AT = 140


class BadRecord(Exception):
    """The body of a record is not what its type says."""


@dataclass(slots=True)
class Peer:
    """Who announced routes to the collector, and which."""

    address: Address
    autonomous_system: int
    router_id: str = ""
    routes: dict[int, int] = field(default_factory=dict)  #: by prefix: the attributes' number


class Listener(Protocol):
    """Hears of every change, when it is told; addresses are the peer's and the collector's own."""

    def entry(self, peer: Peer, key: int, attributes: Attributes) -> None:
        """A table holds a route."""

    def update(
        self,
        peer: Peer,
        own: Address,
        withdrawn: Sequence[int],
        announced: Sequence[int],
        attributes: Attributes,
    ) -> None:
        """A message withdrew and announced prefixes, by their numbers."""

    def session(self, peer: Peer, own: Address, *, established: bool) -> None:
        """A session came up, or ended; then its routes are still those before it did."""


@dataclass(slots=True)
class Dump:
    """All peers of a file."""

    peers: dict[tuple[int, str], Peer] = field(default_factory=dict)
    attributes: list[Attributes] = field(default_factory=list)
    own: int = 0  #: messages that the collector itself sent
    others: int = 0  #: prefixes that are not of unicast
    listener: Listener | None = None
    in_table: dict[bytes, int] = field(default_factory=dict)  #: attributes seen in tables
    _others: dict[bytes, int] = field(default_factory=dict)  #: and in those of two-byte numbers
    _messages: dict[Attributes, int] = field(default_factory=dict)

    def number(self, data: bytes, width: int, *, in_table: bool) -> int:
        """The number of the attributes that bytes hold."""
        numbers = self.in_table if width == 4 and in_table else self._others
        found = numbers.get(data)
        if found is None:
            found = self.numbered(read_attributes(data, width, in_table=in_table))
            numbers[data] = found
        return found

    def numbered(self, attributes: Attributes) -> int:
        """The number of attributes; equal ones have one."""
        attributes = attributes.reaches
        found = self._messages.get(attributes)
        if found is None:
            found = self._messages[attributes] = len(self.attributes)
            self.attributes.append(attributes)
        return found

    def hold(self, peer: Peer, key: int, number: int) -> None:
        """Take an entry of a table."""
        peer.routes[key] = number
        if self.listener is not None:
            self.listener.entry(peer, key, self.attributes[number])

    def peer(self, address: Address, autonomous_system: int) -> Peer:
        """Somebody who announces; one who was not there before has no routes yet."""
        key = (autonomous_system, str(address))
        found = self.peers.get(key)
        if found is None:
            found = self.peers[key] = Peer(address, autonomous_system)
        return found


def key_of(version: int, length: int, number: int) -> int:
    """A prefix as a whole number."""
    return (number << 8 | length) << 1 | (version == 6)


def prefix_of(key: int) -> Prefix:
    """The prefix that a number stands for, without a path identifier."""
    version, length = (6 if key & 1 else 4), key >> 1 & 0xFF
    number = (key & (1 << PATH_AT) - 1) >> 9
    return ipaddress.ip_network((address_of(version, number), length))


def read_dump(reader: Reader, listener: Listener | None = None) -> Dump:
    """Read all records; what cannot be read is kept with its offset, and the rest goes on.

    Args:
        listener: Who hears of every change; the reader's own record is the one it is of.
    """
    dump = Dump(listener=listener)
    listed: list[Peer] = []
    for _, kind, subtype, body, offset in reader:
        try:
            if kind == TABLE_DUMP_V2 and subtype in _TABLES:
                version, paths = _TABLES[subtype]
                _take_entries(dump, listed, body, version, paths=paths)
            elif kind == TABLE_DUMP_V2 and subtype == _PEERS:
                listed = list(_peers(dump, body))
            elif kind in (BGP4MP, BGP4MP_ET) and subtype in _MESSAGES:
                _take_message(dump, body, *_MESSAGES[subtype])
            elif kind in (BGP4MP, BGP4MP_ET) and subtype in _STATES:
                _take_state(dump, body, _STATES[subtype])
            elif kind == TABLE_DUMP and subtype in (1, 2):
                _take_old_entry(dump, body, 4 if subtype == 1 else 6)
            elif not (kind == TABLE_DUMP_V2 and subtype == _GEOGRAPHY):
                reader.skip(kind, subtype)
        except (BadRecord, BadAttributes) as error:
            reader.problem(offset, f"a record of type {kind}/{subtype} is skipped: {error}")
            reader.skip(kind, subtype)
        except (struct.error, IndexError, ValueError) as error:
            text = f"a record of type {kind}/{subtype} is skipped: it is shorter than it says"
            reader.problem(offset, f"{text} ({error})")
            reader.skip(kind, subtype)
    return dump


# --- tables (RFC 6396 4.2, 4.3) -------------------------------------------------------------------


def _peers(dump: Dump, body: bytes) -> Iterator[Peer]:
    """The peers that the entries which follow name by their place."""
    (length,) = struct.unpack_from("!H", body, 4)
    at = 6 + length
    (count,) = struct.unpack_from("!H", body, at)
    at += 2
    for _ in range(count):
        kind = body[at]
        router_id = str(ipaddress.IPv4Address(body[at + 1 : at + 5]))
        at += 5
        size, width = (16 if kind & 1 else 4), (4 if kind & 2 else 2)
        address = ipaddress.ip_address(_exactly(body, at, size))
        number = int.from_bytes(_exactly(body, at + size, width))
        at += size + width
        peer = dump.peer(address, number)
        peer.router_id = router_id
        yield peer


def _exactly(body: bytes, at: int, size: int) -> bytes:
    if at + size > len(body):
        raise BadRecord("it ends too early")
    return body[at : at + size]


def _take_entries(dump: Dump, peers: list[Peer], body: bytes, version: int, *, paths: bool) -> None:
    length = body[4]
    if length > (32 if version == 4 else 128):
        raise BadRecord(f"a prefix of {length} bits")
    size = (length + 7) // 8
    key = key_of(version, length, _network(body[5 : 5 + size], length, version))
    at = 5 + size
    count = body[at] << 8 | body[at + 1]
    at += 2
    head = 12 if paths else 8
    if count == 1 and not paths and at + 8 + (body[at + 6] << 8 | body[at + 7]) == len(body):
        # Most records: nothing is put into lists for them.
        index, data = body[at] << 8 | body[at + 1], body[at + 8 :]
        if index < len(peers):
            known = dump.in_table.get(data)
            number = dump.number(data, 4, in_table=True) if known is None else known
            dump.hold(peers[index], key, number)
            return
    found = _entries(body, at, count, head)
    if found is None and not paths:
        found = _entries(body, at, count, 12)  # path identifiers under the plain subtype
    if found is None:
        raise BadRecord(f"its {count} entries do not fit")
    for index, path, data in found:
        if index >= len(peers):
            raise BadRecord(f"peer {index} of {len(peers)}")
        dump.hold(peers[index], key | path << PATH_AT, dump.number(data, 4, in_table=True))


def _entries(body: bytes, at: int, count: int, head: int) -> list[tuple[int, int, bytes]] | None:
    """The peers, path identifiers and attributes; None: they do not end where the record does."""
    found = []
    end = len(body)
    for _ in range(count):
        if at + head > end:
            return None
        size = body[at + head - 2] << 8 | body[at + head - 1]
        stop = at + head + size
        if stop > end:
            return None
        path = int.from_bytes(body[at + 6 : at + 10]) if head > 8 else 0
        found.append((body[at] << 8 | body[at + 1], path, body[at + head : stop]))
        at = stop
    return found if at == end else None


def _take_old_entry(dump: Dump, body: bytes, version: int) -> None:
    """An entry of the first kind of table, for one peer of a two-byte AS number."""
    size = 4 if version == 4 else 16
    at = 4
    number = int.from_bytes(_exactly(body, at, size))
    length = body[at + size]
    at += size + 1 + 1 + 4
    address = ipaddress.ip_address(_exactly(body, at, size))
    at += size
    system, amount = struct.unpack_from("!HH", body, at)
    data = _exactly(body, at + 4, amount)
    if length > size * 8:
        raise BadRecord(f"a prefix of {length} bits")
    key = key_of(version, length, number >> (size * 8 - length) << (size * 8 - length))
    dump.hold(dump.peer(address, system), key, dump.number(data, 2, in_table=True))


def _network(data: bytes, length: int, version: int) -> int:
    """The network's number; bits behind its length do not count (RFC 4271 4.3)."""
    bits = 32 if version == 4 else 128
    number = int.from_bytes(data) << bits - 8 * len(data)
    spare = bits - length
    return number >> spare << spare


# --- messages (RFC 6396 4.4) ----------------------------------------------------------------------


def _ends(body: bytes, width: int) -> tuple[Address, int, Address, int]:
    """Who the peer is, its AS number, whom it spoke with, and where what follows begins."""
    number = int.from_bytes(body[:width])
    at = 2 * width
    _, family = struct.unpack_from("!HH", body, at)
    size = {1: 4, 2: 16}.get(family)
    if size is None:
        raise BadRecord(f"address family {family}")
    address = ipaddress.ip_address(_exactly(body, at + 4, size))
    own = ipaddress.ip_address(_exactly(body, at + 4 + size, size))
    return address, number, own, at + 4 + 2 * size


def _take_state(dump: Dump, body: bytes, width: int) -> None:
    """A session that is not established any more takes its routes along (RFC 4271 9)."""
    address, number, own, at = _ends(body, width)
    before, after = struct.unpack_from("!HH", body, at)
    if (before == _ESTABLISHED) is (after == _ESTABLISHED):
        return
    peer = dump.peer(address, number)
    if dump.listener is not None:
        dump.listener.session(peer, own, established=after == _ESTABLISHED)
    if before == _ESTABLISHED:
        peer.routes.clear()


def _take_message(dump: Dump, body: bytes, width: int, own: bool, paths: bool) -> None:
    address, number, there, at = _ends(body, width)
    if own:
        dump.own += 1
        return
    length = body[at + 16] << 8 | body[at + 17]
    if length < _HEADER or at + length > len(body):
        raise BadRecord(f"a message of {length} bytes, and {len(body) - at} are there")
    if body[at + 18] != _UPDATE:
        return
    message = body[at + _HEADER : at + length]
    peer = dump.peer(address, number)
    size = message[0] << 8 | message[1]
    gone = _exactly(message, 2, size)
    amount = message[2 + size] << 8 | message[3 + size]
    data = _exactly(message, 4 + size, amount)
    told = message[4 + size + amount :]
    attributes = read_attributes(data, width, in_table=False) if data else Attributes()
    withdrawn = list(_prefixes(gone, 4, paths))
    announced = list(_prefixes(told, 4, paths))
    for reachable, keys in ((attributes.withdrawn, withdrawn), (attributes.announced, announced)):
        if reachable is None:
            continue
        if reachable.unicast and reachable.version:
            keys += _prefixes(reachable.prefixes, reachable.version, paths)
        elif reachable.prefixes:
            dump.others += 1
    if dump.listener is not None:
        dump.listener.update(peer, there, withdrawn, announced, attributes)
    for key in withdrawn:
        peer.routes.pop(key, None)
    if announced:
        found = dump.numbered(attributes)
        for key in announced:
            peer.routes[key] = found


def _prefixes(data: bytes, version: int, paths: bool) -> list[int]:
    """Prefixes one behind the other; with path identifiers also where none are promised."""
    found = _read_prefixes(data, version, paths)
    if not paths and (found is None or len(set(found)) < len(found)):
        # A path identifier read as prefixes gives the default route again and again.
        found = _read_prefixes(data, version, True) or found
    if found is None:
        raise BadRecord("prefixes that do not fit")
    return found


def _read_prefixes(data: bytes, version: int, paths: bool) -> list[int] | None:
    found, at, end = [], 0, len(data)
    most = 32 if version == 4 else 128
    while at < end:
        path = int.from_bytes(data[at : at + 4]) if paths else 0
        at += 4 * paths
        if at >= end or data[at] > most:
            return None
        length = data[at]
        size = (length + 7) // 8
        if at + 1 + size > end:
            return None
        network = _network(data[at + 1 : at + 1 + size], length, version)
        found.append(key_of(version, length, network) | path << PATH_AT)
        at += 1 + size
    return found
