"""Dumps written byte by byte from the RFCs, and what is made of them."""

from __future__ import annotations

import bz2
import gzip
import io
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.convergence.converge import converge
from routrel.files.reader import read_texts
from routrel.formats.events.dumps import read_dump_events
from routrel.formats.importing import import_files
from routrel.formats.mrt.attributes import merged_path
from routrel.formats.mrt.records import Reader
from routrel.formats.mrt.tables import prefix_of, read_dump
from routrel.formats.mrt.writing import write_mrt
from routrel.lens.moments import Timeline
from routrel.model.failures import Failures

PEER = "192.0.2.1"
MARKER = b"\xff" * 16


def record(kind, subtype, body, seconds=0):
    return struct.pack("!IHHI", seconds, kind, subtype, len(body)) + body


def ip(text):
    return bytes(map(int, text.split(".")))


def attribute(code, value, flags=0x40):
    return bytes((flags, code, len(value))) + value


def path(*numbers, width=4, kind=2):
    return attribute(2, bytes((kind, len(numbers))) + b"".join(n.to_bytes(width) for n in numbers))


ORIGIN = attribute(1, b"\0")
HOP = attribute(3, ip(PEER))


def peers(*numbers):
    listed = b"".join(b"\x02" + ip("10.0.0.9") + ip(PEER) + n.to_bytes(4) for n in numbers)
    return record(13, 1, bytes(4) + struct.pack("!HH", 0, len(numbers)) + listed)


def row(prefix, length, *entries, subtype=2, identifiers=False):
    told = b"".join(
        struct.pack("!HI", index, 0) + (struct.pack("!I", 7) if identifiers else b"")
        + struct.pack("!H", len(data)) + data
        for index, data in entries
    )  # fmt: skip
    return record(
        13, subtype, bytes(4) + bytes((length,)) + prefix + struct.pack("!H", len(entries)) + told
    )


def message(attributes=b"", told=b"", gone=b"", *, subtype=4, number=64510, kind=16, before=b""):
    update = (
        struct.pack("!H", len(gone)) + gone + struct.pack("!H", len(attributes)) + attributes + told
    )
    bgp = MARKER + struct.pack("!HB", 19 + len(update), 2) + update
    width = 2 if subtype in (1, 6, 8, 10) else 4
    ends = (
        number.to_bytes(width)
        + (64500).to_bytes(width)
        + struct.pack("!HH", 0, 1)
        + ip(PEER)
        + ip("192.0.2.2")
    )
    return record(kind, subtype, before + ends + bgp)


def state_change(old, new):
    ends = (
        (64510).to_bytes(4)
        + (64500).to_bytes(4)
        + struct.pack("!HH", 0, 1)
        + ip(PEER)
        + ip("192.0.2.2")
    )
    return record(16, 5, ends + struct.pack("!HH", old, new))


def routes(*records, packed=None):
    """By prefix: the AS path and next hop that the only peer announces in the end; and the reader."""
    data = b"".join(records)
    reader = Reader(io.BytesIO(packed(data) if packed else data))
    dump = read_dump(reader)
    found = {}
    for peer in dump.peers.values():
        for key, number in peer.routes.items():
            attributes = dump.attributes[number]
            found[str(prefix_of(key))] = (attributes.path, str(attributes.next_hop))
    return found, reader


NET = ip("198.51.100.0")[:3]
TEN = b"\x08\x0a"
PLAIN = ORIGIN + path(64510, 64496) + HOP
PLAIN_ROUTE = {"198.51.100.0/24": ((64510, 64496), PEER)}


@pytest.mark.parametrize(
    "packed",
    [None, gzip.compress, bz2.compress, lambda d: gzip.compress(d[:40]) + gzip.compress(d[40:])],
)
def test_a_table_is_read_however_it_is_packed(packed):
    found, reader = routes(peers(64510), row(NET, 24, (0, PLAIN)), packed=packed)
    assert (found, reader.problems) == (PLAIN_ROUTE, [])


def mp_reach(family, hop, prefixes=b""):
    return attribute(14, struct.pack("!HBB", family, 1, len(hop)) + hop + b"\0" + prefixes)


SIX = bytes.fromhex("20010db8000000000000000000000001")
SIX_NET = bytes.fromhex("20010db8")

#: Records, and the routes that are left.
READ = {
    "a next hop alone in a table's MP_REACH": (
        [peers(64510), row(SIX_NET, 32, (0, ORIGIN + path(64510) + attribute(14, b"\x10" + SIX)), subtype=4)],
        {"2001:db8::/32": ((64510,), "2001:db8::1")}),
    "a whole MP_REACH in a table, of 32 bytes": (
        [peers(64510), row(SIX_NET, 32, (0, ORIGIN + path(64510) + mp_reach(2, SIX + SIX)), subtype=4)],
        {"2001:db8::/32": ((64510,), "2001:db8::1")}),
    "an IPv6 next hop of an IPv4 prefix (RFC 8950)": (
        [message(ORIGIN + path(64510) + mp_reach(1, SIX, b"\x18" + NET))], {"198.51.100.0/24": ((64510,), "2001:db8::1")}),
    "path identifiers (RFC 8050)": (
        [peers(64510), row(NET, 24, (0, PLAIN), subtype=8, identifiers=True)], PLAIN_ROUTE),
    "path identifiers under a plain subtype": (
        [peers(64510), row(NET, 24, (0, PLAIN), identifiers=True)], PLAIN_ROUTE),
    "path identifiers in a plain message": (
        [message(PLAIN, struct.pack("!I", 1) + b"\x18" + NET)], PLAIN_ROUTE),
    "a second table of peers changes who is meant": (
        [peers(64509, 64510), peers(64510), row(NET, 24, (0, PLAIN))], PLAIN_ROUTE),
    "a message": ([message(PLAIN, b"\x18" + NET)], PLAIN_ROUTE),
    "microseconds count in the length": ([message(PLAIN, b"\x18" + NET, kind=17, before=bytes(4))], PLAIN_ROUTE),
    "withdrawn and announced in one message": ([message(PLAIN, b"\x18" + NET, gone=b"\x18" + NET)], PLAIN_ROUTE),
    "withdrawn later": ([message(PLAIN, b"\x18" + NET), message(gone=b"\x18" + NET)], {}),
    "bits behind a prefix do not count": ([message(PLAIN, b"\x14" + NET)], {"198.51.96.0/20": ((64510, 64496), PEER)}),
    "what the collector sends itself": ([message(PLAIN, b"\x18" + NET, subtype=7)], {}),
    "a session that ends takes its routes along": ([message(PLAIN, b"\x18" + NET), state_change(6, 1)], {}),
    "one that was not established takes nothing": ([message(PLAIN, b"\x18" + NET), state_change(3, 1)], PLAIN_ROUTE),
    "AS4_PATH takes the place of the end": (
        [message(ORIGIN + path(64510, 23456, 23456, width=2) + HOP + attribute(17, b"\x02\x02" + (70000).to_bytes(4) + (70001).to_bytes(4)),
                 b"\x18" + NET, subtype=1)], {"198.51.100.0/24": ((64510, 70000, 70001), PEER)}),
    "AS4_PATH that is longer is ignored": (
        [message(ORIGIN + path(64510, width=2) + HOP + attribute(17, b"\x02\x02" + (7).to_bytes(4) + (8).to_bytes(4)),
                 b"\x18" + NET, subtype=1)], {"198.51.100.0/24": ((64510,), PEER)}),
    "AS4_PATH beside an aggregator that is not AS_TRANS is ignored": (
        [message(ORIGIN + path(64510, 23456, width=2) + HOP + attribute(7, (64511).to_bytes(2) + ip("10.0.0.1"))
                 + attribute(17, b"\x02\x01" + (70000).to_bytes(4)), b"\x18" + NET, subtype=1)],
        {"198.51.100.0/24": ((64510, 23456), PEER)}),
    "AS4_PATH of a speaker of four bytes is ignored": (
        [message(PLAIN + attribute(17, b"\x02\x01" + (70000).to_bytes(4)), b"\x18" + NET)], PLAIN_ROUTE),
    "of a set one number is kept": (
        [message(ORIGIN + attribute(2, b"\x02\x01" + (64510).to_bytes(4) + b"\x01\x02" + (9).to_bytes(4) + (5).to_bytes(4)) + HOP,
                 b"\x18" + NET)], {"198.51.100.0/24": ((64510, 5), PEER)}),
}  # fmt: skip


@pytest.mark.parametrize("name", READ)
def test_what_is_left_in_the_end(name):
    records, expected = READ[name]
    found, reader = routes(*records)
    assert found == expected, reader.problems
    assert not reader.problems


def test_confederations_are_dropped_from_as4_path():
    """RFC 6793 6: they do not belong there; what is left counts one, as does AS_PATH."""
    assert merged_path(((2, (64510,)),), ((3, (65001,)), (2, (70000,)))) == ((2, (70000,)),)


#: Bytes behind a good record, and what is said, with the offset.
BROKEN = {
    "cut off in a header": (b"\0\0\0", "ends inside a header"),
    "cut off in a body": (record(16, 4, bytes(50))[:-1], "ends after 49"),
    "four gigabytes": (struct.pack("!IHHI", 0, 16, 4, 2**32 - 1), "the rest is left out"),
    "entries that do not fit": (
        (lambda good: good[:20] + b"\0\x02" + good[22:])(row(NET, 24, (0, PLAIN))),
        "its 2 entries do not fit",
    ),
    "a peer that is not there": (row(NET, 24, (9, PLAIN)), "peer 9 of 1"),
    "a prefix of 200 bits": (row(NET, 200, (0, PLAIN)), "a prefix of 200 bits"),
    "attributes that are too long": (
        message(b"\x40\x01\xff\0", b"\x18" + NET),
        "says it has 255 bytes",
    ),
    "nothing in it": (record(13, 2, b""), "shorter than it says"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_what_is_broken_is_told_and_the_rest_is_read(name):
    more, said = BROKEN[name]
    good = peers(64510) + row(NET, 24, (0, PLAIN))
    found, reader = routes(good, more)
    assert found["198.51.100.0/24"] == PLAIN_ROUTE["198.51.100.0/24"]
    ((offset, text),) = reader.problems
    assert (offset, said in text) == (len(good), True), text


@given(st.binary(max_size=400))
def test_no_bytes_make_it_fail(data):
    """Whatever they are: as a file, as a body of each kind, behind good records."""
    read_dump(Reader(io.BytesIO(data)))
    for kind, subtype in ((13, 1), (13, 2), (13, 8), (16, 1), (16, 4), (17, 4), (12, 1)):
        routes(peers(64510), record(kind, subtype, data))


# --- as announcements -----------------------------------------------------------------------------

EDGE = """
routrel: 1
device: edge
role: router
bgp: {as: 64500, neighbours: {192.0.2.1: {as: 64510}}}
interfaces: {e0: {addresses: [192.0.2.2/30]}}
"""


def test_the_peers_of_a_dump_are_outside_networks_that_announce():
    """The peer's address lies in 192.0.2.0/30 of edge; what stands behind its own number in the
    path is what it announces; so edge learns both prefixes from it."""
    large = attribute(32, struct.pack("!III", 64510, 1, 2), 0xC0)
    more = (
        attribute(4, (50).to_bytes(4), 0x80)
        + attribute(8, struct.pack("!HH", 65535, 666), 0xC0)
        + large
    )
    dump = peers(64510) + row(NET, 24, (0, PLAIN + more)) + row(b"\xcb\x00\x71", 24, (0, PLAIN))
    made = import_files({"edge.yaml": EDGE.encode(), "isle": dump})
    assert [one.verdict.value for one in made.report.files] == ["read", "read"]
    network = read_texts(made.texts).network
    (outside,) = network.outside
    assert (outside.autonomous_system, str(outside.addresses[0])) == (64510, "192.0.2.1/30")
    told = {str(p): a for a in outside.announces for p in a.prefixes}
    assert told["198.51.100.0/24"].as_path == (64496,)
    assert told["198.51.100.0/24"].med == 50
    assert told["198.51.100.0/24"].communities == ("blackhole", "64510:1:2")
    state = converge(network)
    held = {str(r.prefix) for r in state.rib.table_routes(0) if r.protocol.id == "bgp"}
    assert held == {"198.51.100.0/24", "203.0.113.0/24"}


def test_a_known_outside_network_gets_the_announcements():
    known = "routrel: 1\nnetwork: n\noutside:\n  isle: {as: 64510, addresses: [192.0.2.1/30]}\n"
    dump = peers(64510) + row(NET, 24, (0, PLAIN))
    made = import_files({"network.yaml": known.encode(), "x.mrt": dump})
    (outside,) = read_texts(made.texts).network.outside
    assert (outside.name, [str(p) for a in outside.announces for p in a.prefixes]) == (
        "isle",
        ["198.51.100.0/24"],
    )


def at(seconds, made):
    """A record at a second of 1970; one of type 17 has its microseconds inside (RFC 6396 3)."""
    return struct.pack("!I", seconds) + made[4:]


def test_messages_are_events_of_their_microsecond_and_a_session_takes_its_routes_along():
    """A table that says what the files say; withdrawn, announced longer; then the session ends
    with one route, which is gone too; it comes up and tells of it again."""
    other = PLAIN.replace(path(64510, 64496), path(64510, 64501, 64496))
    dump = b"".join([
        at(100, peers(64510)), at(100, row(NET, 24, (0, PLAIN))),
        at(200, message(gone=b"\x18" + NET, kind=17, before=(250).to_bytes(4))),
        at(300, message(other, b"\x18" + NET)),
        at(400, state_change(6, 1)), at(500, state_change(5, 6)), at(501, message(PLAIN, b"\x18" + NET)),
    ])  # fmt: skip
    made = read_dump_events(gzip.compress(dump), "isle.mrt")
    assert not made.report.messages
    network = read_texts({
        "edge.yaml": EDGE,
        "network.yaml": "routrel: 1\nnetwork: n\noutside:\n  isle: {as: 64510, addresses: [192.0.2.1/30], "
        "announces: [{prefixes: 198.51.100.0/24, as-path: 64496}]}\n",
    }).network  # fmt: skip
    timeline = Timeline(network, made.events)
    assert [(one.event.time / 1e6, one.event.id, one.effect.value) for one in timeline.told] == [
        (100, "record 2", "already"),
        (200.00025, "record 3", "changes"),
        (300, "record 4", "changes"),
        (400, "record 5", "changes"),
        (400, "record 5.2", "changes"),
        (500, "record 6", "changes"),
        (501, "record 7", "changes"),
    ]
    held = {}
    for second in (100, 201, 301, 401, 500, 502):
        state = converge(network, failures=Failures(events=timeline.at(second * 10**6).events))
        rows = [row for row in state.rib.table_routes(0) if str(row.prefix) == "198.51.100.0/24"]
        held[second] = [row.protocol.id for row in rows]
    assert held == {100: ["bgp"], 201: [], 301: ["bgp"], 401: [], 500: [], 502: ["bgp"]}


def test_what_is_written_is_read_the_same():
    """All that a table has a place for, of both families; long paths take several segments."""
    text = """
        routrel: 1
        network: n
        outside:
          isle:
            as: 64510
            router-id: 10.9.9.9
            addresses: [192.0.2.1/30, "2001:db8::1/64"]
            announces:
              - {prefixes: [198.51.100.0/24, 203.0.113.0/25], as-path: 64496 4200000001, med: 7, origin: incomplete,
                 communities: [no-export, "64500:1", "64500:1:2", target 64500:9], at: 192.0.2.1}
              - {prefixes: ["2001:db8:9::/48"], as-path: LONG, at: "2001:db8::1"}
        """.replace("LONG", " ".join(map(str, range(1, 301))))  # fmt: skip
    import textwrap

    network = read_texts({"network.yaml": textwrap.dedent(text)}).network
    dump = write_mrt(network.outside)
    again = read_texts(import_files({"network.yaml": _bare(network), "x.mrt": dump}).texts).network

    def told(outside):
        return {
            (str(prefix), a.as_path, a.med, a.origin, frozenset(a.communities))
            for each in outside
            for a in each.announces
            for prefix in a.prefixes
        }

    assert told(again.outside) == told(network.outside)


def _bare(network):
    ends = ", ".join(f'"{a}"' for a in network.outside[0].addresses)
    return (
        f"routrel: 1\nnetwork: n\noutside:\n  isle: {{as: 64510, addresses: [{ends}]}}\n".encode()
    )
