"""Selection and look-ups in arrays, against the same done with plain lists, one row at a time."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from routrel.model.prefix_index import PrefixIndex
from routrel.rib.candidates import NEVER, ROW, Interning, NextHop, Protocol, RouteKind
from routrel.rib.select import best_of_each
from routrel.rib.table import Rib
from tests.nets import device, network

NETWORK = network(device("a", "vrfs: {blue: {}}"), device("b"))
TABLES = 3
PREFIXES = [
    ipaddress.ip_network(text)
    for text in (
        "0.0.0.0/0", "10.0.0.0/8", "10.1.0.0/16", "10.1.128.0/17", "10.1.200.7/32",
        "::/0", "2001:db8::/32", "2001:db8:1::/48",
    )
]  # fmt: skip
ADDRESSES = [
    ipaddress.ip_address(text)
    for text in ("10.1.200.7", "10.1.200.8", "10.1.2.3", "10.9.9.9", "192.0.2.1", "2001:db8:1::5",
                 "2001:db8:2::5", "fd00::1", "255.255.255.255", "1.0.0.0")
]  # fmt: skip


@dataclass(frozen=True)
class Candidate:
    table: int
    prefix: int
    protocol: Protocol
    distance: int
    metric: int


#: One candidate a protocol, table and prefix: a protocol offers its best alone.
CANDIDATES = st.lists(
    st.builds(
        Candidate,
        table=st.integers(0, TABLES - 1),
        prefix=st.integers(0, len(PREFIXES) - 1),
        protocol=st.sampled_from(list(Protocol)),
        distance=st.sampled_from([0, 1, 20, 110, 110, 200, NEVER]),
        metric=st.sampled_from([0, 1, 7, 2**32 - 1]),
    ),
    max_size=40,
    unique_by=lambda c: (c.table, c.prefix, c.protocol),
)


def made(candidates: list[Candidate]) -> Rib:
    interning = Interning(NETWORK)
    numbers = [interning.prefixes.add(prefix) for prefix in PREFIXES]
    rows = np.array(
        [
            (
                c.table,
                numbers[c.prefix],
                c.metric,
                interning.kinds.add(RouteKind(c.protocol, c.distance)),
                interning.next_hops.add([NextHop(f"e{place}")]),
            )
            for place, c in enumerate(candidates)
        ],
        dtype=ROW,
    )
    return Rib.of_rows(interning, rows)


def active(candidates: list[Candidate], table: int) -> dict[int, tuple[int, Candidate]]:
    """By prefix the one in use, with its place among all: the lowest distance, then protocol."""
    found: dict[int, tuple[int, Candidate]] = {}
    for place, one in enumerate(candidates):
        if one.table != table or one.distance >= NEVER:
            continue
        held = found.get(one.prefix)
        if held is None or (one.distance, one.protocol) < (held[1].distance, held[1].protocol):
            found[one.prefix] = place, one
    return found


@given(CANDIDATES)
def test_each_table_uses_the_best_candidate_of_each_prefix(candidates):
    rib = made(candidates)
    for table in range(TABLES):
        wanted = active(candidates, table)
        found = list(rib.table_routes(table))
        assert len(found) == len(wanted)
        for route in found:
            place, one = wanted[PREFIXES.index(route.prefix)]
            assert (route.protocol, route.distance, route.metric) == (
                one.protocol, one.distance, one.metric,
            )  # fmt: skip
            assert route.next_hops == (NextHop(f"e{place}"),)
            assert (route.device, route.vrf) == rib.interning.tables[table]
            assert rib.active_route(table, route.prefix) == route
        for number, prefix in enumerate(PREFIXES):
            assert (rib.active_route(table, prefix) is None) == (number not in wanted)
            rows = rib.candidate_rows(table, rib.interning.prefixes.number(prefix))
            mine = [c for c in candidates if (c.table, c.prefix) == (table, number)]
            kinds = rib.interning.kinds.kinds
            assert [kinds[row["kind"]].protocol for row in rows] == [
                c.protocol for c in sorted(mine, key=lambda c: (c.distance, c.protocol))
            ]


@given(CANDIDATES)
def test_the_longest_match_is_that_of_looking_at_every_route(candidates):
    """RFC 1812 5.2.4.3: of all routes that hold the address, the longest first."""
    rib = made(candidates)
    for table in range(TABLES):
        held = [PREFIXES[number] for number in active(candidates, table)]
        for address in ADDRESSES:
            wanted = sorted(
                (p for p in held if p.version == address.version and address in p),
                key=lambda p: -p.prefixlen,
            )
            assert [route.prefix for route in rib.matches(table, address)] == wanted
            first = rib.lookup(table, address)
            assert (first.prefix if first else None) == (wanted[0] if wanted else None)


@given(CANDIDATES, st.sampled_from(list(Protocol)))
def test_what_others_hold_active_is_known_of_each_protocol(candidates, protocol):
    """A prefix that another protocol has active, or that one's own is never used for."""
    rib = made(candidates)
    for table in range(TABLES):
        wanted = {
            number for number, (_, one) in active(candidates, table).items()
            if one.protocol is not protocol
        } | {
            c.prefix for c in candidates
            if c.table == table and c.protocol is protocol and c.distance >= NEVER
        }  # fmt: skip
        found = rib.held_by_others(table, protocol)
        assert {rib.interning.prefixes.prefixes[n] for n in found} == {PREFIXES[n] for n in wanted}


@given(
    st.lists(st.tuples(st.integers(0, 2), st.integers(0, 3), st.integers(0, 3), st.integers(0, 3)))
)
def test_the_best_of_each_is_the_first_by_all_preferences(items):
    """Of equals the first in order of writing."""
    rows = np.array([(table, prefix, 0, 0, 0) for table, prefix, _, _ in items], dtype=ROW)
    first, then = (np.array([item[n] for item in items], dtype=np.int64) for n in (2, 3))
    found = best_of_each(rows, first, then).tolist()
    keys = sorted({item[:2] for item in items})
    assert found == [
        min((n for n, item in enumerate(items) if item[:2] == key), key=lambda n: items[n][2:])
        for key in keys
    ]


NETWORKS = st.one_of(
    st.builds(
        lambda value, length: ipaddress.IPv4Network((value, length), strict=False),
        st.integers(0, 2**32 - 1), st.integers(0, 32),
    ),
    st.builds(
        lambda value, length: ipaddress.IPv6Network((value, length), strict=False),
        st.integers(0, 2**128 - 1), st.integers(0, 128),
    ),
)  # fmt: skip


@given(st.lists(NETWORKS, max_size=30), st.data())
def test_prefixes_are_numbered_found_and_ordered(prefixes, data):
    """A number each, in order of coming; by address all that hold it; a copy grows alone."""
    index = PrefixIndex(prefixes)
    distinct = list(dict.fromkeys(prefixes))
    assert index.prefixes == distinct
    assert [index.number(prefix) for prefix in distinct] == list(range(len(distinct)))
    chosen = data.draw(st.sampled_from(distinct)) if distinct else PREFIXES[0]
    address = chosen.network_address
    holding = [p for p in distinct if p.version == address.version and address in p]
    assert [index.prefixes[n] for n in index.matches(address)] == sorted(
        holding, key=lambda p: -p.prefixlen
    )
    assert index.holds(address) == bool(holding)
    by_place = sorted(range(len(distinct)), key=lambda n: index.order()[n])
    assert [distinct[n] for n in by_place] == sorted(
        distinct, key=lambda p: (p.version, int(p.network_address), p.prefixlen)
    )
    other = index.copy()
    other.add(ipaddress.ip_network("203.0.113.77/32"))
    assert index.prefixes == distinct
