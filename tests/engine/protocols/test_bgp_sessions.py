"""Which BGP sessions come up, and what is said of those that do not."""

from __future__ import annotations

import ipaddress

import pytest

from routrel.files.reader import read_texts
from routrel.protocols.register import bgp_of
from tests.nets import device, state
from tests.told import sessions_data

FILTER = """
filters:
  f: {rules: [{id: 10, deny: tcp, to-port: 179}], default: permit}
  b: {rules: [{id: 10, deny: tcp, from-port: 179}], default: permit}
  by-other: {rules: [{id: 10, deny: any, arrives: e2}], default: permit}
  by-this: {rules: [{id: 10, deny: any, arrives: e1}], default: permit}
  marks: {rules: [{id: 10, continue: tcp, mark: 7}], default: permit}
  marked: {rules: [{id: 10, deny: any, marked: 7}], default: permit}
"""


def row(one: str, three: str, *, filters: tuple[str, str] = ("", ""), ospf: bool = True,
        more: tuple[str, str] = ("", "")):  # fmt: skip
    """r1 - r2 - r3, sessions between r1 and r3 alone; loopbacks 10.255.0.N.

    Args:
        one: What r1's BGP says behind its AS 65000, as keys of a mapping.
        three: The same of r3.
        filters: Filters bound inwards at r2's two interfaces.
        more: Further keys of r1 and r3.
    """
    key = ", ospf: {area: 0}" if ospf else ""
    said = [f", filters: {{in: {name}}}" if name else "" for name in filters]
    return state(
        device("r1", f"""
            ospf: {{}}
            bgp: {{as: 65000, router-id: 1.1.1.1, {one}}}
            interfaces:
              lo: {{kind: loopback, addresses: [10.255.0.1/32]{key}}}
              e1: {{addresses: [10.0.1.1/30]{key}}}
            {more[0]}
        """),
        device("r2", f"ospf: {{}}\n{FILTER}\ninterfaces:\n"
               f"  e1: {{addresses: [10.0.1.2/30]{key}{said[0]}}}\n"
               f"  e2: {{addresses: [10.0.2.1/30]{key}{said[1]}}}\n"),
        device("r3", f"""
            ospf: {{}}
            bgp: {{{three}}}
            interfaces:
              lo: {{kind: loopback, addresses: [10.255.0.3/32]{key}}}
              e2: {{addresses: [10.0.2.2/30]{key}}}
            {more[1]}
        """),
    )  # fmt: skip


INSIDE = "neighbours: {10.255.0.3: {as: 65000, source: lo}}"
BACK = "as: 65000, router-id: 3.3.3.3, neighbours: {10.255.0.1: {as: 65000, source: lo}}"


@pytest.mark.parametrize(
    ("one", "three", "more", "expected", "words"),
    [
        (INSIDE, BACK, {}, "up", ""),
        # One side that opens from the right address is enough.
        ("neighbours: {10.255.0.3: {as: 65000}}", BACK, {}, "up", ""),
        ("neighbours: {10.255.0.3: {as: 65000}}",
         "as: 65000, neighbours: {10.255.0.1: {as: 65000}}", {}, "wrong_source",
         "speaks from 10.0.1.1, r3 expects 10.255.0.1"),
        (INSIDE, "as: 65000, neighbours: {}", {}, "not_configured", "no neighbour 10.255.0.1"),
        ("neighbours: {10.255.0.9: {as: 65000}}", BACK, {}, "unknown_neighbour", "10.255.0.9"),
        ("neighbours: {10.0.1.2: {as: 65000}}", BACK, {}, "not_speaking", "10.0.1.2"),
        ("neighbours: {10.255.0.3: {as: 65000, source: lo, enabled: false}}", BACK, {}, "shut",
         "this side"),
        (INSIDE, BACK.replace("as: 65000", "as: 65001", 1), {}, "as_mismatch",
         "expects AS 65000, r3 is AS 65001"),
        (INSIDE, BACK.replace("3.3.3.3", "1.1.1.1"), {}, "id_conflict", "1.1.1.1"),
        (INSIDE.replace("lo}", "lo, authentication: k}"), BACK, {}, "authentication_mismatch",
         "key k against none"),
        (INSIDE.replace("lo}", "lo, families: ipv6}"), BACK, {}, "no_common_family", ""),
        (INSIDE, BACK, {"ospf": False}, "unreachable", "r1 has no route to 10.255.0.3"),
        # Whoever opens sends to port 179; either may, so both directions must be shut to it.
        (INSIDE, BACK, {"filters": ("f", "")}, "up", ""),
        (INSIDE, BACK, {"filters": ("f", "f")}, "unreachable", "rule 10 of filter f"),
        (INSIDE, BACK, {"filters": ("f", "b")}, "up", ""),
        # Rules that ask for more than headers: the interface it arrives by, the mark it bears.
        (INSIDE, BACK, {"filters": ("by-other", "")}, "up", ""),
        (INSIDE, BACK, {"filters": ("by-this", "")}, "unreachable", "rule 10 of filter by-this"),
        (INSIDE, BACK, {"filters": ("[marks, marked]", "")}, "unreachable", "rule 10 of filter marked"),
        (INSIDE, BACK, {"filters": ("[marked, marks]", "")}, "up", ""),
        (INSIDE.replace("65000", "65003"),
         BACK.replace("as: 65000, r", "as: 65003, r"), {}, "not_connected", "needs multihop"),
        (INSIDE.replace("65000,", "65003, multihop: 2,"),
         BACK.replace("as: 65000, r", "as: 65003, r").replace("source", "multihop: 2, source"), {},
         "up", ""),
        (INSIDE.replace("65000,", "65003, multihop: 1,"),
         BACK.replace("as: 65000, r", "as: 65003, r").replace("source", "multihop: 1, source"), {},
         "unreachable", "time to live runs out at r2"),
        # GTSM (RFC 5082): r2 takes one from 255, so two routers away must be allowed.
        (INSIDE.replace("65000,", "65003, ttl-security: 2,"),
         BACK.replace("as: 65000, r", "as: 65003, r").replace("source", "ttl-security: 2, source"),
         {}, "up", ""),
        (INSIDE.replace("65000,", "65003, ttl-security: 1,"),
         BACK.replace("as: 65000, r", "as: 65003, r").replace("source", "ttl-security: 1, source"),
         {}, "unreachable", "arrive with a time to live of 254, below the 255"),
    ],
)  # fmt: skip
def test_what_a_session_needs(one, three, more, expected, words):
    net = row(one, three, **more)
    first = sessions_data(net)["sessions"][0]
    assert (first["state"], words in (first["reason"] or "")) == (expected, True), first["reason"]
    found = [f for f in net.findings if f.code == f"bgp_{expected}" and f.device == "r1"]
    assert bool(found) == (expected != "up")


def test_settings_come_from_the_group_unless_the_neighbour_says_otherwise():
    group = "groups: {core: {as: 65000, source: lo, weight: 7}}, "
    net = row(group + "neighbours: {10.255.0.3: {group: core, weight: 9}}", BACK)
    (session, _) = bgp_of(net.results).sessions
    assert session.state.value == "up"
    assert (session.settings.weight, session.settings.source) == (9, "lo")


def test_an_outside_network_may_expect_another_as():
    outside = (
        "routrel: 1\noutside: isle\nas: 64510\naddresses: [203.0.113.1/30]\n"
        "neighbours: {203.0.113.2: {as: 64499}}\n"
    )
    net = state(
        device("r1", """
            bgp: {as: 65000, neighbours: {203.0.113.1: {as: 64510}}}
            interfaces: {e1: {addresses: [203.0.113.2/30]}}
        """),
        outside,
    )  # fmt: skip
    (session,) = sessions_data(net)["sessions"]
    assert (session["state"], session["remote"]) == ("as_mismatch", "isle")
    assert session["file"] == "1.yaml"


def test_a_session_by_ipv4_may_carry_ipv6():
    """RFC 4760: the next hop is the sender's IPv6 address on the interface of the session."""
    texts = [
        device(f"r{n}", f"""
            bgp: {{as: 6500{n}, neighbours: {{10.0.1.{3 - n}: {{as: 6500{3 - n}, families: [ipv4, ipv6]}}}},
                  networks: [{{prefix: "2001:db8:{n}::/48"}}]}}
            static: [{{to: "2001:db8:{n}::/48", discard: true}}]
            interfaces: {{e1: {{addresses: [10.0.1.{n}/30, "2001:db8:ff::{n}/64"]}}}}
        """)
        for n in (1, 2)
    ]  # fmt: skip
    net = state(*texts)
    route = net.rib.active_route(1, ipaddress.ip_network("2001:db8:1::/48"))
    assert str(route.next_hops[0].address) == "2001:db8:ff::1"
    assert sessions_data(net)["sessions"][0]["taken"] == 1


def test_a_session_inside_a_vrf_fills_the_table_of_the_vrf():
    """r2 knows r1 in VRF guests alone; the same addresses in its default table stay apart."""
    net = state(
        device("r1", """
            bgp: {as: 65001, neighbours: {10.0.1.2: {as: 65002}}, networks: [{prefix: 198.51.100.0/24}]}
            static: [{to: 198.51.100.0/24, discard: true}]
            interfaces: {e1: {addresses: [10.0.1.1/30]}}
        """),
        device("r2", """
            vrfs: {guests: {bgp: {as: 65002, neighbours: {10.0.1.1: {as: 65001}}}}}
            interfaces: {e1: {addresses: [10.0.1.2/30], vrf: guests}}
        """),
    )  # fmt: skip
    prefix = ipaddress.ip_network("198.51.100.0/24")
    tables = net.rib.interning.table_numbers
    assert net.rib.active_route(tables["r2", "guests"], prefix).protocol.id == "bgp"
    assert net.rib.active_route(tables["r2", "default"], prefix) is None


def test_ids_are_needed_and_link_local_neighbours_are_refused():
    """With IPv6 alone there is nothing to take a router id from (RFC 6286)."""
    text = device("r1", """
        bgp: {as: 65001, neighbours: {"2001:db8::2": {as: 65002}}}
        interfaces: {e1: {addresses: ["2001:db8::1/64"]}}
    """)  # fmt: skip
    outside = 'routrel: 1\noutside: o\nas: 65002\naddresses: ["2001:db8::2/64"]\n'
    (session,) = sessions_data(state(text, outside))["sessions"]
    assert (session["state"], "r1 has no router id" in session["reason"]) == ("no_router_id", True)
    named = text.replace("as: 65001,", "as: 65001, router-id: 1.1.1.1,")
    assert sessions_data(state(named, outside))["sessions"][0]["state"] == "up"
    (problem,) = read_texts({"r1.yaml": text.replace("2001:db8::2", "fe80::2")}).problems
    assert "link-local" in problem.text
