"""Dumps as what outside networks announce."""

from __future__ import annotations

import io
import ipaddress
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from routrel.files.announcements import write_announcements
from routrel.formats.device_text import device_text, name_for
from routrel.formats.mrt.records import Reader
from routrel.formats.mrt.tables import Dump, Peer, prefix_of, read_dump
from routrel.formats.reports import FileReport
from routrel.model.addresses import (
    Address,
    InterfaceAddress,
    Prefix,
    not_for_an_interface,
    prefix_order,
)
from routrel.model.bgp import Announcement
from routrel.model.network import Device, OutsideNeighbour
from routrel.model.policy import Origin

__all__ = ["FORMAT", "AnnouncedBy", "Surroundings", "read_mrt", "tell_left_out"]

FORMAT = "mrt"


@dataclass(slots=True)
class AnnouncedBy:
    """What one peer announces, and the file of its network where none is known."""

    name: str
    announcements: str  #: as CSV
    outside: str = ""  #: the text of its file; empty: it is known


@dataclass(slots=True)
class Surroundings:
    """What of the network a dump is placed in."""

    outside: Iterable[OutsideNeighbour] = ()
    devices: Iterable[Device] = ()
    named: dict[Address, str] = field(default_factory=dict)
    addresses: dict[str, int] = field(default_factory=dict)  #: how many each network has

    def __post_init__(self) -> None:
        self.addresses = {one.name: len(one.addresses) for one in self.outside}
        self.named = {end.ip: one.name for one in self.outside for end in one.addresses}

    def subnet_of(self, address: Address) -> InterfaceAddress | None:
        """The subnet of one of our interfaces that an address lies in."""
        for device in self.devices:
            for port in device.interfaces:
                for own in port.addresses:
                    if own.version == address.version and address in own.network:
                        return own
        return None


def read_mrt(
    content: bytes,
    report: FileReport,
    around: Surroundings,
    on_bytes: Callable[[int], None] | None = None,
) -> list[AnnouncedBy]:
    """What the peers of a dump announce, one after the other."""
    reader = Reader(io.BytesIO(content), on_bytes)
    dump = read_dump(reader)
    tell_left_out(reader, dump, report)
    if report.refused:
        return []
    peers = [peer for peer in dump.peers.values() if peer.routes and _is_usable(peer, report)]
    made = [_announced(peer, dump, report, around) for peer in peers]
    report.rows = sum(len(peer.routes) for peer in dump.peers.values())
    if not made:
        report.note("no route is left at the end of it")
    return made


def tell_left_out(reader: Reader, dump: Dump, report: FileReport) -> None:
    """Name what of a dump was not read, or passed over; one without a record is refused."""
    for offset, text in reader.problems:
        report.unknown(f"at byte {offset}: {text}")
    for (kind, subtype), count in sorted(reader.skipped.items()):
        report.unknown(f"{_records(count)} of type {kind}/{subtype} were passed over")
    if not reader.count:
        report.refuse("holds no record")
    if dump.own:
        report.note(f"{dump.own} messages of the collector itself were passed over")
    if dump.others:
        report.unknown(f"{dump.others} messages tell of prefixes that are not of unicast")


#: AS numbers that nobody has: the first (RFC 7607) and the last (RFC 7300).
_NOBODYS = (0, 2**32 - 1)


def _is_usable(peer: Peer, report: FileReport) -> bool:
    """Whether a peer may be somebody: its address one of an interface, its AS number one in use."""
    address = ipaddress.ip_interface(peer.address)
    problem = not_for_an_interface(address)
    if problem:
        report.unknown(f"a peer has {problem}, {peer.address}; what it announces is left out")
    elif peer.autonomous_system in _NOBODYS:
        said = f"AS {peer.autonomous_system}, which is nobody's"
        report.unknown(f"the peer {peer.address} has {said}; what it announces is left out")
    return not problem and peer.autonomous_system not in _NOBODYS


def _records(count: int) -> str:
    return "1 record" if count == 1 else f"{count:,} records"


def _announced(peer: Peer, dump: Dump, report: FileReport, around: Surroundings) -> AnnouncedBy:
    known = around.named.get(peer.address)
    name = known or name_for(f"as{peer.autonomous_system}-{peer.address}".replace(":", "-"))
    groups: dict[int, list[Prefix]] = defaultdict(list)
    seen: set[int] = set()
    doubled = 0
    for key, number in peer.routes.items():
        plain = key & _WITHOUT_PATH
        if plain in seen:
            doubled += 1
            continue
        seen.add(plain)
        groups[number].append(prefix_of(plain))
    if doubled:
        report.note(f"{name}: of {doubled} prefixes with several paths the first is taken")
    for number in [one for one in groups if set(dump.attributes[one].path) & set(_NOBODYS)]:
        report.unknown(
            f"{name}: {len(groups.pop(number))} prefixes by a path with an AS number that is "
            "nobody's are left out (RFC 7607)"
        )
    _say_what_is_lost(name, peer, dump, groups, report)
    at = (peer.address,) if around.addresses.get(name, 1) > 1 else ()
    text = write_announcements((name, one) for one in _announcements(peer, dump, groups, at))
    return AnnouncedBy(name, text, "" if known else _outside_text(name, peer, around))


_WITHOUT_PATH = (1 << 140) - 1


def _announcements(
    peer: Peer, dump: Dump, groups: Mapping[int, list[Prefix]], at: tuple[Address, ...]
) -> Iterator[Announcement]:
    for number, prefixes in groups.items():
        found = dump.attributes[number]
        path = found.path
        if path and path[0] == peer.autonomous_system:
            path = path[1:]
        yield Announcement(
            prefixes=tuple(sorted(prefixes, key=prefix_order)),
            as_path=path,
            origin=Origin(found.origin),
            med=found.med,
            communities=found.communities,
            at=at,
        )


def _say_what_is_lost(
    name: str, peer: Peer, dump: Dump, groups: Mapping[int, list[Prefix]], report: FileReport
) -> None:
    sets = others = unwritten = elsewhere = 0
    for number, prefixes in groups.items():
        found = dump.attributes[number]
        sets += len(prefixes) * found.has_sets
        others += len(prefixes) * (found.path[:1] != (peer.autonomous_system,))
        unwritten += found.unwritten
        hop = found.next_hop
        elsewhere += len(prefixes) * (hop is not None and hop != peer.address)
    if sets:
        report.note(f"{name}: of AS sets in the paths to {sets:,} prefixes one number is kept")
    if others:
        report.note(f"{name}: {others:,} paths do not begin with AS {peer.autonomous_system}")
    if unwritten:
        report.unknown(f"{name}: {unwritten:,} extended communities have no written form")
    if elsewhere:
        report.note(f"{name}: {elsewhere:,} next hops are not {peer.address} itself; taken to be")


def _outside_text(name: str, peer: Peer, around: Surroundings) -> str:
    subnet = around.subnet_of(peer.address)
    length = subnet.network.prefixlen if subnet else peer.address.max_prefixlen
    plain = {
        "routrel": 1,
        "outside": name,
        "as": peer.autonomous_system,
        "addresses": [f"{peer.address}/{length}"],
    }
    if peer.router_id and peer.router_id != "0.0.0.0":  # noqa: S104 - an identifier, not an address
        plain["router-id"] = peer.router_id
    return device_text(plain, [f"a peer of a dump; what it announces stands in {name}.csv"])
