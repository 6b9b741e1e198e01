"""What spreads between BGP speakers: export and import rules, origination, what never settles."""

from __future__ import annotations

import ipaddress
import textwrap

import pytest

from routrel.policy.as_paths import SegmentKind, as_path_text, without_leading_private
from routrel.protocols.bgp.explaining import disputes, offers
from routrel.protocols.register import bgp_of
from tests.bgp_nets import P, chosen, edge, losers, mesh, problems, used, why
from tests.nets import LAST_TEXTS, device, ring, route, state, told, ways

#: Three routers of one AS in a row, r1 peer P from r4.
ROW = ("65000 65000 65000 65004", "r1-r2 r2-r3 r1-r4")
SELF = {"r1-r2": "next-hop: self", "r1-r3": "next-hop: self"}


def policy(actions: str, match: str = "{}", default: str = "accept") -> str:
    return (
        f"sets: {{prefixes: {{p: {P}}}, communities: {{none: no-export}}}}\n"
        f"policies: {{p: {{statements: [{{name: s, match: {match}, set: {{{actions}}}, "
        f"then: accept}}], default: {default}}}}}"
    )


# --- internal sessions ---------------------------------------------------------------------------


def test_what_came_by_an_internal_session_goes_to_no_other():
    """A full mesh is needed, or a reflector (RFC 4271 9.2.1, RFC 4456)."""
    row = "r1-r2 r2-r3"
    assert chosen(mesh(*ROW, own="r4", says=SELF), "r3") is not None
    assert chosen(mesh(*ROW, own="r4", says=SELF, internal=row), "r3") is None
    reflected = mesh(*ROW, own="r4", internal=row, says={**SELF, "r2-r3": "reflector-client: true"})
    path = chosen(reflected, "r3")
    assert (str(path.originator), [str(c) for c in path.cluster_list]) == (
        "10.255.0.1", ["10.255.0.2"],
    )  # fmt: skip
    # From a client it goes to all others, clients or not.
    other = mesh(*ROW, own="r4", internal=row, says={**SELF, "r2-r1": "reflector-client: true"})
    assert chosen(other, "r3") is not None


def test_a_reflector_hides_all_but_its_own_choice():
    """r4 is nearer to exit r3, but its reflector r1 is nearer to r2 and tells r4 of that alone."""
    #  r5 - r2 -1- r1 -5- r4 -1- r3 - r5
    args = ("65000 65000 65000 65000 65005", "r2-r1:1 r1-r4:5 r4-r3:1 r2-r5 r3-r5")
    says = {f"r1-r{n}": "reflector-client: true" for n in (2, 3, 4)}
    says |= {"r2-r1": "next-hop: self", "r3-r1": "next-hop: self"}
    hidden = mesh(*args, own="r5", internal="r1-r2 r1-r3 r1-r4", says=says)
    assert ways(route(hidden, "r4", P)) == {"e2"}
    # With two paths for each client it finds its own exit (RFC 7911).
    both = says | {"r1-r4": "reflector-client: true, add-paths: 2"}
    assert ways(route(mesh(*args, own="r5", internal="r1-r2 r1-r3 r1-r4", says=both), "r4", P)) == {
        "e3"
    }


def test_loops_of_reflectors_are_seen_by_originator_and_cluster():
    """All reflect to all; what r3 and r5 prefer goes round: r1 -> r2 -> r3 -> r5 -> back."""
    says = {f"r{a}-r{b}": "reflector-client: true" for a in (2, 3, 5) for b in (1, 2, 3, 5)}
    says |= {"r1-r2": "next-hop: self", "r3-r2": "reflector-client: true, import: p",
             "r5-r3": "reflector-client: true, import: p"}  # fmt: skip
    net = mesh(
        "65000 65000 65000 65004 65000", "r1-r2 r2-r3 r1-r4 r3-r5", own="r4", says=says,
        internal="r1-r2 r2-r3 r3-r5 r5-r2 r5-r1",
        top=dict.fromkeys(("r3", "r5"), policy("local-preference: 200")),
    )  # fmt: skip
    assert "originator" in problems(net, "r1")["r5"]
    assert problems(net, "r2")["r5"] == "its own cluster 10.255.0.2 stands in the cluster list"


def test_without_next_hop_self_the_far_subnet_must_be_known():
    """The classical trap: the external next hop is on a link that the interior does not carry."""
    net = mesh(*ROW, own="r4")
    assert problems(net, "r2") == {"r1": "no route to its next hop 10.0.3.2"}
    assert route(net, "r2", P) is None
    assert told(mesh(*ROW, own="r4", says=SELF), "r2", P) == ("bgp", "internal", 0, "e1")


def test_weight_stays_where_it_is_set_and_local_preference_spreads():
    #  r4 (65004) - r1 - r2 - r5 (65005), both announce P
    args = ("65000 65000 65003 65004 65005", "r1-r2 r1-r4 r2-r5")
    says = {"r1-r2": "next-hop: self", "r2-r1": "next-hop: self"}
    for action, follows in (("weight: 10", {"r5"}), ("local-preference: 150", {"r1"})):
        net = mesh(
            *args, own="r4 r5", says={**says, "r1-r4": "import: p"}, top={"r1": policy(action)}
        )
        assert used(net, "r1") == {"r4"}
        assert used(net, "r2") == follows


def test_med_and_local_preference_cross_borders_as_they_should():
    """MED goes into the next AS and through it, not beyond; local preference stays (5.1.4, 5.1.5)."""
    net = mesh(
        "65001 65002 65002 65003", "r1-r2 r2-r3 r3-r4", own="r1",
        says={"r1-r2": "export: p", "r2-r3": "next-hop: self"},
        top={"r1": policy("med: 70, local-preference: 300")},
    )  # fmt: skip
    assert (chosen(net, "r2").med, chosen(net, "r2").local_preference) == (70, 100)
    assert chosen(net, "r3").med == 70
    assert chosen(net, "r4").med is None
    assert as_path_text(chosen(net, "r4").as_path) == "65002 65001"


# --- communities ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("community", "reaches"),
    [("no-export", "r2 r3"), ("no-advertise", "r2"), ("65000:1", "r2 r3 r4"),
     ("no-export-subconfed", "r2 r3")],
)  # fmt: skip
def test_well_known_communities(community, reaches):
    """r1 (65001) tells r2 (65002), which tells r3 inside and r4 (65004) outside (RFC 1997)."""
    net = mesh(
        "65001 65002 65002 65004", "r1-r2 r2-r3 r2-r4", own="r1",
        says={"r1-r2": "export: p", "r2-r3": "next-hop: self"},
        top={"r1": policy(f"communities: {{add: '{community}'}}")},
    )  # fmt: skip
    assert {n for n in ("r2", "r3", "r4") if chosen(net, n)} == set(reaches.split())


def test_graceful_shutdown_moves_traffic_before_the_session_ends():
    """The draining router says so; the other takes the path last (RFC 8326 4)."""
    args = ("65001 65002 65003", "r1-r2 r1-r3 r3-r2")
    plain = mesh(*args, own="r1")
    assert used(plain, "r2") == {"r1"}
    draining = mesh(*args, own="r1", says={"r1-r2": "graceful-shutdown: true"})
    assert used(draining, "r2") == {"r3"}
    assert losers(draining, "r2") == {"r1": "local_preference"}
    deaf = mesh(*args, own="r1", says={"r1-r2": "graceful-shutdown: true",
                                       "r2-r1": "honour-graceful-shutdown: false"})  # fmt: skip
    assert used(deaf, "r2") == {"r1"}


def test_blackhole_is_taken_only_where_it_is_agreed_on():
    """RFC 7999: discarded, and kept within the AS."""
    for agreed in (False, True):
        net = mesh(
            "65001 65002 65003", "r1-r2 r2-r3", own="r1",
            says={"r1-r2": "export: p", **({"r2-r1": "accept-blackhole: true"} if agreed else {})},
            top={"r1": policy("communities: {add: blackhole}")},
        )  # fmt: skip
        assert route(net, "r2", P).discard is agreed
        assert (chosen(net, "r3") is None) is agreed


# --- AS paths ------------------------------------------------------------------------------------


def test_a_path_that_holds_the_own_as_is_a_loop():
    #  r1 (65001) - r2 (65002) - r3 (65001)
    args = ("65001 65002 65001", "r1-r2 r2-r3")
    assert problems(mesh(*args, own="r1", internal=""), "r3") == {
        "r2": "its own AS 65001 stands in the path"
    }
    allowed = mesh(*args, own="r1", internal="", says={"r3-r2": "allow-own-as: 1"})
    assert as_path_text(chosen(allowed, "r3").as_path) == "65002 65001"


@pytest.mark.parametrize(
    ("said", "path"),
    [
        ("", "64502 64501 64512 64513"),
        ("private-as: remove", "64502 64501"),
        ("private-as: remove-leading", "64502 64501 64512 64513"),
        ("private-as: replace", "64502 64501 64502 64502"),
    ],
)
def test_private_as_numbers_on_the_way_out(said, path):
    """RFC 6996: private numbers should not leave; r1 prepends two, then its own number."""
    net = mesh(
        "64501 64502 64503", "r1-r2 r2-r3", own="r1",
        says={"r1-r2": "export: p", "r2-r3": said},
        top={"r1": policy("prepend: [64512, 64513]")},
    )  # fmt: skip
    assert as_path_text(chosen(net, "r3").as_path) == path


def test_private_as_numbers_in_front_alone():
    """Up to the first public number; a set has no front, so it goes whole or not at all."""
    row, some = SegmentKind.SEQUENCE, SegmentKind.SET
    assert without_leading_private(((row, (64520, 64501, 64512)), (some, (64513,)))) == (
        (row, (64501, 64512)),
        (some, (64513,)),
    )
    assert without_leading_private(((some, (64512, 64501)), (row, (64520,)))) == (
        (some, (64512, 64501)),
        (row, (64520,)),
    )
    assert without_leading_private(((some, (64512, 64513)), (row, (64520,)))) == ()


def test_an_import_policy_may_drop_what_matches():
    """r2 takes the path and passes it on, but drops packets; r3, internal to it, is not told so."""
    told = mesh(
        "64501 64502 64502", "r1-r2 r2-r3", own="r1",
        says={"r2-r1": "import: p", "r2-r3": "next-hop: self"},
        top={"r2": policy("next-hop: discard")},
    )  # fmt: skip
    assert route(told, "r2", P).discard
    assert not route(told, "r3", P).discard
    assert not [f for f in told.findings if "next hop discard" in f.text]
    sent = mesh(
        "64501 64502 64502", "r1-r2 r2-r3", own="r1", says={"r2-r1": "export: p"},
        top={"r2": policy("next-hop: discard")},
    )  # fmt: skip
    (finding,) = [f for f in sent.findings if "next hop discard" in f.text]
    assert finding.code == "without_effect"
    # r3 only listens: what it imports is dropped there too, as at the others.
    net = mesh(
        "64501 64502 64502", "r1-r2 r2-r3", own="r1",
        says={"r3-r2": "import: p", "r2-r3": "next-hop: self"},
        top={"r3": policy("next-hop: discard")},
    )  # fmt: skip
    assert route(net, "r3", P).discard


def test_a_second_as_number_for_one_neighbour():
    """RFC 7705: r2 is AS 65099 to r1, which has not learned of its new number yet."""
    theirs = "203.0.113.0/24"
    for said, path, back in (
        ("as: 65099", "65099 65002 65003", "65002 65099 65001"),
        ("as: 65099, replace: true", "65099 65003", "65002 65099 65001"),
        ("as: 65099, prepend-import: false", "65099 65002 65003", "65002 65001"),
    ):
        net = local_as_net(said)
        assert as_path_text(chosen(net, "r1").as_path) == path
        assert as_path_text(chosen(net, "r3", theirs).as_path) == back


def local_as_net(said: str):
    """r1 (65001) - r2 (65002, shown to r1 as 65099) - r3 (65003), which announces P."""
    return state(
        device("r1", """
            bgp: {as: 65001, neighbours: {10.0.1.2: {as: 65099}}, networks: [{prefix: 203.0.113.0/24}]}
            static: [{to: 203.0.113.0/24, discard: true}]
            interfaces: {e1: {addresses: [10.0.1.1/30]}}
        """),
        device("r2", f"""
            bgp: {{as: 65002, neighbours: {{10.0.1.1: {{as: 65001, local-as: {{{said}}}}}, 10.0.2.2: {{as: 65003}}}}}}
            interfaces: {{e1: {{addresses: [10.0.1.2/30]}}, e2: {{addresses: [10.0.2.1/30]}}}}
        """),
        device("r3", f"""
            bgp: {{as: 65003, neighbours: {{10.0.2.1: {{as: 65002}}}}, networks: [{{prefix: {P}}}]}}
            static: [{{to: {P}, discard: true}}]
            interfaces: {{e2: {{addresses: [10.0.2.2/30]}}}}
        """),
    )  # fmt: skip


def test_a_confederation_looks_like_one_as_from_outside():
    """RFC 5065: r1 (65101) and r2 (65102) are members of 65000; r3 and r4 are outside."""
    member = "confederation: {{identifier: 65000, members: [{}]}}"
    net = mesh(
        "65101 65102 65003 65004", "r1-r2 r1-r3 r2-r4", own="r3",
        bgp={"r1": member.format(65102), "r2": member.format(65101)},
        says={"r1-r3": "import: p"}, top={"r1": policy("local-preference: 170")},
    )  # fmt: skip
    assert [s.state.value for s in bgp_of(net.results).sessions].count("as_mismatch") == 4
    # The outside ones must expect the identifier, as the sessions say.
    text = next(s.reason for s in bgp_of(net.results).sessions if s.state.value != "up")
    assert "65000" in text
    net = confederation_net()
    inner = chosen(net, "r2")
    assert as_path_text(inner.as_path) == "(65101) 65003"
    assert inner.local_preference == 170
    assert losers(net, "r2") == {}
    assert as_path_text(chosen(net, "r4").as_path) == "65000 65003"


def confederation_net(r2="local-preference: 100", r4="local-preference: 100"):
    """r3 (65003) - r1 (65101) - r2 (65102) - r4 (65004), the middle two in confederation 65000."""
    middle = """
        bgp:
          as: {own}
          {more}
          confederation: {{identifier: 65000, members: [{other}]}}
          neighbours: {{10.0.1.{peer}: {{as: {other}, next-hop: self}}, {outside}}}
        interfaces: {{e1: {{addresses: [10.0.1.{host}/30]}}, e2: {{addresses: [10.0.{link}.1/30]}}}}
    """
    return state(
        device("r1", policy("local-preference: 170") + "\n" + textwrap.dedent(
            middle.format(own=65101, other=65102, peer=2, host=1, link=2,
                          outside="10.0.2.2: {as: 65003, import: p}",
                          more="local-preference: 100"))),
        device("r2", middle.format(own=65102, other=65101, peer=1, host=2, link=3,
                                   outside="10.0.3.2: {as: 65004}", more=r2)),
        device("r3", f"""
            bgp: {{as: 65003, neighbours: {{10.0.2.1: {{as: 65000}}}}, networks: [{{prefix: {P}}}]}}
            static: [{{to: {P}, discard: true}}]
            interfaces: {{e2: {{addresses: [10.0.2.2/30]}}}}
        """),
        device("r4", f"""
            bgp: {{as: 65004, {r4}, neighbours: {{10.0.3.1: {{as: 65000}}}}}}
            static: [{{to: 198.51.101.0/24, discard: true}}]
            interfaces: {{e3: {{addresses: [10.0.3.2/30]}}}}
        """),
    )  # fmt: skip


# --- next hops -----------------------------------------------------------------------------------


def test_a_next_hop_on_the_common_subnet_stays():
    """RFC 4271 5.1.3: r2 names r1 to r3 where all three share a subnet, unless told otherwise."""
    for said, expected in (("", "10.0.1.1"), (", next-hop: self", "10.0.1.2")):
        net = state(
            *(device(f"r{n}", f"""
                bgp:
                  as: 6500{n}
                  neighbours: {{{peers}}}
                  networks: {[{"prefix": P}] if n == 1 else []}
                static: {[{"to": P, "discard": True}] if n == 1 else []}
                interfaces: {{e1: {{addresses: [10.0.1.{n}/24]}}}}
            """.replace("'", "").replace("True", "true"))
              for n, peers in ((1, "10.0.1.2: {as: 65002}"),
                               (2, f"10.0.1.1: {{as: 65001}}, 10.0.1.3: {{as: 65003{said}}}"),
                               (3, "10.0.1.2: {as: 65002}")))
        )  # fmt: skip
        assert str(chosen(net, "r3").next_hop) == expected


def test_a_route_does_not_resolve_through_itself():
    """9.1.2.1: the announced prefix holds its own next hop, which nothing else leads to."""
    net = mesh(*ROW, own="r4", top={"r1": policy("next-hop: 198.51.100.9")},
               says={"r1-r2": "export: p"})  # fmt: skip
    assert "198.51.100.9" in problems(net, "r2")["r1"]
    # A default route that leads there does not help: once in the table, P would come first.
    again = mesh(*ROW, own="r4", says={"r1-r2": "export: p"},
                 top={"r1": policy("next-hop: 198.51.100.9"),
                      "r2": "static: [{to: 0.0.0.0/0, via: 10.0.1.1}]"})  # fmt: skip
    assert problems(again, "r2")["r1"].endswith("lies in the prefix itself")


def test_the_default_route_may_lead_to_a_next_hop_unless_refused():
    top = {"r2": "static: [{to: 0.0.0.0/0, via: 10.0.1.1}]"}
    assert route(mesh(*ROW, own="r4", top=top), "r2", P).protocol.id == "bgp"
    strict = mesh(*ROW, own="r4", top=top, bgp={"r2": "next-hop-by-default: false"})
    assert "only the default route" in problems(strict, "r2")["r1"]


# --- origination ---------------------------------------------------------------------------------


def test_a_network_is_announced_while_the_table_has_it():
    args = ("65001 65002", "r1-r2")
    network = f"networks: [{{prefix: {P}}}]"
    assert chosen(mesh(*args, bgp={"r1": network}), "r2") is None
    top = {"r1": f"static: [{{to: {P}, discard: true}}]"}
    assert chosen(mesh(*args, bgp={"r1": network}, top=top), "r2").origin == 0
    # A less specific route is not enough.
    wide = {"r1": "static: [{to: 198.51.0.0/16, discard: true}]"}
    assert chosen(mesh(*args, bgp={"r1": network}, top=wide), "r2") is None


def test_redistributed_routes_are_of_incomplete_origin_and_carry_their_metric():
    top = {"r1": f"{policy('med: 5', '{prefixes: p}', 'reject')}\n"
                 f"static: [{{to: {P}, discard: true}}, {{to: 203.0.113.0/24, discard: true}}]"}  # fmt: skip
    net = mesh("65001 65002", "r1-r2", top=top,
               bgp={"r1": "redistribute: [{from: static, policy: p}]"})  # fmt: skip
    path = chosen(net, "r2")
    assert (path.origin, path.med) == (2, 5)
    assert chosen(net, "r2", "203.0.113.0/24") is None
    plain = mesh("65001 65002", "r1-r2", top=top,
                 bgp={"r1": "redistribute: [{from: static, metric: 9}]"})  # fmt: skip
    assert chosen(plain, "r2", "203.0.113.0/24").med == 9


def test_bgp_into_the_interior_protocol_and_back_converges():
    """r2 gives BGP's routes to OSPF; r3, which speaks OSPF alone, then has them."""
    net = state(
        device("r1", f"""
            bgp: {{as: 65001, neighbours: {{10.0.1.2: {{as: 65002}}}}, networks: [{{prefix: {P}}}]}}
            static: [{{to: {P}, discard: true}}]
            interfaces: {{e1: {{addresses: [10.0.1.1/30]}}}}
        """),
        device("r2", """
            bgp: {as: 65002, neighbours: {10.0.1.1: {as: 65001}}, redistribute: [{from: ospf}]}
            ospf: {redistribute: [{from: bgp, metric: 30}]}
            interfaces:
              e1: {addresses: [10.0.1.2/30]}
              e2: {addresses: [10.0.2.1/30], ospf: {area: 0}}
        """),
        device("r3", """
            ospf: {}
            interfaces:
              lo: {kind: loopback, addresses: [10.255.0.3/32], ospf: {area: 0}}
              e2: {addresses: [10.0.2.2/30], ospf: {area: 0}}
        """),
    )  # fmt: skip
    assert net.converged
    assert told(net, "r3", P) == ("ospf", "external_2", 30, "e2")
    assert told(net, "r1", "10.255.0.3/32")[:2] == ("bgp", "external")


PARTS = [
    ", origin: egp, communities: '65001:7', as-path: 65010",
    ", communities: '65001:8', as-path: 65010 65011",
]


@pytest.mark.parametrize(
    ("said", "path", "communities", "atomic"),
    [
        ("", "", set(), True),
        (", as-set: true", "65001 65010 {65011}", {"65001:7", "65001:8"}, False),
    ],
)
def test_an_aggregate_stands_for_its_parts(said, path, communities, atomic):
    """RFC 4271 9.2.2.2: worst origin; with an AS set the parts' numbers and communities."""
    parts = [f"{{prefixes: 198.51.{100 + n}.0/24{more}}}" for n, more in enumerate(PARTS)]
    net = edge(
        {"a": f"1 as: 65001, announces: [{', '.join(parts)}]", "b": "2 as: 65002, announces: []"},
        bgp=f"aggregates: [{{prefix: 198.51.100.0/23, summary-only: true{said}}}]",
    )
    made = chosen(net, "r1", "198.51.100.0/23")
    assert (as_path_text(made.as_path), made.origin) == (path, 1)
    assert made.communities == communities
    assert made.atomic_aggregate is atomic
    assert route(net, "r1", "198.51.100.0/23").discard
    heard = bgp_of(net.results)
    index = next(n for n, s in enumerate(heard.speakers) if s.name == "b")
    numbers = net.rib.interning.prefixes
    told_b = {
        text
        for text in ("198.51.100.0/23", "198.51.100.0/24", "198.51.101.0/24")
        for offer in offers(heard, index, numbers.number(ipaddress.ip_network(text)))
        if offer.path is not None
    }
    assert told_b == {"198.51.100.0/23"}
    (kept,) = offers(heard, index, numbers.number(ipaddress.ip_network("198.51.101.0/24")))
    assert kept.sent.stopped.text == "the aggregate 198.51.100.0/23 of r1 goes in its place"
    assert "summary-only" in LAST_TEXTS[0].splitlines()[kept.sent.stopped.place.line - 1]


def test_what_an_outside_network_announces_is_cited_where_it_says_so():
    """Two announce the same with the same attributes; each answer cites its own line."""
    net = edge(
        {name: f"{place} as: {number}, announces: [{{prefixes: {P}}}]"
         for name, place, number in (("a", 1, 65001), ("b", 2, 65002))},
        bgp="aggregates: [{prefix: 198.51.0.0/16}]",
    )  # fmt: skip
    answers = {name: why(net, name) for name in ("a", "b")}
    assert [answers[name]["candidates"][0]["line"] for name in "ab"] == [4, 5]
    assert answers["a"]["sentence"] == f"a announces {P} to us itself."
    row = route(net, "r1", "198.51.0.0/16")
    assert "aggregates" in LAST_TEXTS[0].splitlines()[row.place.line - 1]
    assert why(net, "b", "198.51.0.0/16")["sentence"] == (
        "b reaches 198.51.0.0/16 by r1; it hears of no other way."
    )


def test_an_aggregate_without_parts_is_not_announced():
    net = edge({"a": "1 as: 65001, announces: []"}, bgp=f"aggregates: [{{prefix: {P}}}]")
    assert chosen(net, "r1") is None


def test_a_default_route_for_one_neighbour():
    net = mesh("65001 65002 65003", "r1-r2 r1-r3", says={"r1-r2": "default-route: {}"})
    assert told(net, "r2", "0.0.0.0/0") == ("bgp", "external", 0, "e1")
    assert route(net, "r3", "0.0.0.0/0") is None


#: What r1 says of its neighbour r2, and whether that is told 10.99/16 and a default route, with and
#: without the static route to 10.88/16 at r1.
CONDITIONS = [
    ("default-route: {while: 10.88.0.0/16}", ((True, True), (True, False))),
    ("default-route: {unless: [10.88.0.0/16, 10.77.0.0/16]}", ((True, False), (True, True))),
    ("conditional: [{prefixes: 10.99.0.0/16, while: 10.0.0.0/8 from /16 to /16}]", ((True, False), (True, False))),
    ("conditional: [{prefixes: 10.96.0.0/12 or longer, while: 10.88.0.0/16}]", ((True, False), (False, False))),
    ("conditional: [{prefixes: 10.99.0.0/16, unless: 10.88.0.0/15 or longer}]", ((False, False), (True, False))),
]  # fmt: skip


@pytest.mark.parametrize(("said", "expected"), CONDITIONS)
def test_announcements_on_a_condition(said, expected):
    """A condition looks at the table of who announces; what it keeps back says which and why."""
    for static, (there, default) in zip(
        (", {to: 10.88.0.0/16, discard: true}", ""), expected, strict=True
    ):
        net = state(
            device(
                "r1",
                f"static: [{{to: 10.99.0.0/16, discard: true}}{static}]\n"
                f"bgp: {{as: 65001, networks: [{{prefix: 10.99.0.0/16}}], neighbours: {{10.0.1.2: {{as: 65002, {said}}}}}}}\n"
                "interfaces: {e: {addresses: [10.0.1.1/30]}}",
            ),
            device(
                "r2",
                "bgp: {as: 65002, neighbours: {10.0.1.1: {as: 65001}}}\ninterfaces: {e: {addresses: [10.0.1.2/30]}}",
            ),
        )
        for prefix, is_told in (("10.99.0.0/16", there), ("0.0.0.0/0", default)):
            assert (route(net, "r2", prefix) is not None) == is_told
            if not is_told and (prefix != "0.0.0.0/0" or "default" in said):
                why_not = why(net, "r2", prefix)["absent"]["steps"][-1]
                assert (why_not["kind"], why_not["line"]) == ("bgp_condition", 5)


def test_the_best_path_is_announced_though_the_table_holds_another_protocols_route():
    """r2 prefers its static route; r3 hears of r1's path all the same, unless told otherwise."""
    args = ("65001 65002 65003", "r1-r2 r2-r3")
    top = {"r2": f"static: [{{to: {P}, discard: true}}]"}
    net = mesh(*args, own="r1", top=top)
    assert route(net, "r2", P).protocol.id == "static"
    assert as_path_text(chosen(net, "r3").as_path) == "65002 65001"
    assert chosen(mesh(*args, own="r1", top=top, bgp={"r2": "announce-active-only: true"}),
                  "r3") is None  # fmt: skip


def test_policies_may_be_required_of_external_neighbours():
    """RFC 8212: without policies nothing passes; a policy without a final accept drops the rest."""
    args = ("65001 65002", "r1-r2")
    strict = mesh(*args, own="r1", bgp={"r2": "require-policies: true"})
    assert "RFC 8212" in problems(strict, "r2")["r1"]
    narrow = mesh(*args, own="r1", says={"r2-r1": "import: p"},
                  top={"r2": policy("", "{communities: none}", "reject")})  # fmt: skip
    assert problems(narrow, "r2") == {"r1": "import policy p of r2 rejects it by its default"}


# --- what does not settle ------------------------------------------------------------------------


def circle(prefers: dict[str, str], links: str, own: str = "r1"):
    """Routers that each prefer what one neighbour tells them, whatever else they hear."""
    return mesh(
        "65001 65002 65003 65004", links, own=own,
        says={f"{here}-{there}": "import: p" for here, there in prefers.items()},
        top=dict.fromkeys(prefers, policy("local-preference: 200", "{as-path: length 2}")),
    )  # fmt: skip


def test_three_routers_that_each_prefer_the_next_never_settle():
    """r2, r3 and r4 each hear P from r1 and prefer the two-hop path through the next of them."""
    net = circle({"r2": "r3", "r3": "r4", "r4": "r2"}, "r1-r2 r1-r3 r1-r4 r2-r3 r3-r4 r4-r2")
    assert not net.converged
    assert {route.device for route in net.oscillating} == {"r2", "r3", "r4"}
    (dispute,) = disputes(bgp_of(net.results))
    assert set(dispute.speakers) == {"r2", "r3", "r4"}
    assert {name for name, _, _ in dispute.moves} == {"r2", "r3", "r4"}
    finding = next(f for f in net.findings if f.code == "bgp_dispute")
    assert P in finding.text
    assert all(name in finding.text for name in ("r2", "r3", "r4"))


def test_two_routers_that_prefer_each_other_settle_in_two_ways():
    """Whoever chooses first goes by r1 itself, and the other through it."""
    net = circle({"r2": "r3", "r3": "r2"}, "r1-r2 r1-r3 r2-r3")
    assert net.converged
    assert {route.device for route in net.order_dependent} == {"r2", "r3"}
    (dispute,) = disputes(bgp_of(net.results))
    assert {(order[0], dict(chosen)[order[0]]) for order, chosen in dispute.outcomes} == {
        ("r2", "r1"), ("r3", "r1"),
    }  # fmt: skip
    finding = next(f for f in net.findings if f.code == "bgp_several_outcomes")
    assert "r2 first" in finding.text
    # The outcome shown is one of them: the first router goes direct.
    assert used(net, "r2") == {"r1"}
    assert used(net, "r3") == {"r2"}
    assert why(net, "r3")["matched"] == P
    assert "r3 first: r2 by r3, r3 by r1" in why(net, "r3")["doubt"]
    assert why(net, "r1")["doubt"] is None


def test_which_of_two_origins_comes_first_may_decide_for_good():
    """r2, of r3's own AS, and r1 announce P to r3 and r4. r3 prefers what r5 says, r4 what r3 says.

    If both are there at once: r3 goes by r2, which is nearest, r4 by r3, and r5 by r3, whose router
    identifier is lower; its path holds r3's AS, so it cannot offer it to r3. If r1 comes first: r4 goes
    by r1, r5 by r4 and r3 by r5; then r2 comes too late, for r3 keeps to r5, and has nothing for r4
    and r5 but paths that hold their own AS. No router that chooses otherwise alone leads from the first to the
    second: with r4 by r1 for a while, r5 still prefers r3's path and r3 that of r2.
    """
    net = mesh(
        "65001 65002 65002 65004 65005", "r1-r4 r2-r3 r3-r4 r3-r5 r4-r5", own="r1 r2",
        says={"r3-r5": "import: p", "r4-r3": "import: p"},
        top=dict.fromkeys(("r3", "r4"), policy("local-preference: 200")),
    )  # fmt: skip
    assert [used(net, name) for name in ("r3", "r4", "r5")] == [{"r2"}, {"r3"}, {"r3"}]
    (dispute,) = disputes(bgp_of(net.results))
    told = [dict(chosen) for _, chosen in dispute.outcomes]
    assert {tuple(each[name] for name in ("r3", "r4", "r5")) for each in told} == {
        ("r2", "r3", "r3"), ("r5", "r1", "r4"),
    }  # fmt: skip


def test_ring_without_bgp_has_no_disputes():
    assert list(disputes(bgp_of(ring("r1-r2:10").results))) == []


# --- next hops, distances and aggregates of confederations ----------------------------------------


def test_a_next_hop_that_is_any_address_of_the_receiver_is_not_taken():
    """r1 names r2's loopback, and an address of a shut interface, as next hop (RFC 4271 5.1.3)."""
    shut = "  old: {addresses: [10.77.0.2/24], enabled: false}\n"
    for address in ("10.255.0.2", "10.77.0.2"):
        net = mesh(
            "65001 65002", "r1-r2", own="r1", says={"r1-r2": "export: p"},
            top={"r1": policy(f"next-hop: {address}")},
            interfaces={"r2": shut},
        )  # fmt: skip
        (candidate,) = why(net, "r2")["candidates"]
        assert candidate["lost_on"] == "usable"
        assert candidate["values"]["problem"] == "it names the device itself as next hop"


@pytest.mark.parametrize("source", ["networks", "redistribute"])
def test_next_hop_self_where_a_route_enters(source):
    """r1's static route leads to 10.9.0.9; to its internal neighbour that gateway is the next hop
    (RFC 4271 5.1.3), unless the policy by which the route enters names r1 itself."""
    entry = {"networks": f"networks: [{{prefix: {P}, policy: p}}]",
             "redistribute": "redistribute: [{from: static, policy: p}]"}[source]  # fmt: skip
    for actions, expected in (("med: 1", "10.9.0.9"), ("next-hop: self", "10.255.0.1")):
        net = mesh(
            "65000 65000", "r1-r2", bgp={"r1": entry},
            top={"r1": policy(actions) + f"\nstatic: [{{to: {P}, via: 10.9.0.9}}]"},
            interfaces={"r1": "  lan: {addresses: [10.9.0.1/24], ospf: {area: 0}}\n"},
        )  # fmt: skip
        assert str(chosen(net, "r2").next_hop) == expected


def test_distances_by_advertiser_look_at_the_bgp_neighbour():
    """r3 has P from its internal neighbour r1, whose packets come by way of r2: the advertiser is
    r1's loopback, not r2 that forwards."""
    for who, expected in (("10.255.0.1/32", 77), ("10.0.0.0/16", 200)):
        rule = f"distances: [{{protocol: bgp, distance: 77, from: {who}}}]"
        net = mesh("65000 65000 65000", "r1-r2 r2-r3", own="r1", top={"r3": rule})
        assert route(net, "r3", P).distance == expected


def test_an_aggregate_with_a_set_keeps_member_numbers_inside_the_confederation():
    """r2 (member 65102 of 65000) has one part by way of member 65101 from AS 65003, another from
    65004 outside: its AS set carries 65101 in a set of the confederation (RFC 5065 3). So r1 of
    65101 drops the aggregate as a loop, and r4 outside sees 65000 and public numbers alone."""
    whole = "198.51.0.0/16"
    aggregate = f"aggregates: [{{prefix: {whole}, as-set: true}}]"
    net = confederation_net(r2=aggregate, r4="networks: [{prefix: 198.51.101.0/24}]")
    assert as_path_text(chosen(net, "r2", whole).as_path) == "({65101}) {65003 65004}"
    assert chosen(net, "r1", whole) is None
    # At r4 its own number stands in the set; r3 would see this path if r1 took it.
    sent = next(o.sent for o in offers(bgp_of(net.results), 3, net.rib.interning.prefixes.number(
        ipaddress.ip_network(whole))))  # fmt: skip
    assert as_path_text(sent.path.as_path) == "65000 {65003 65004}"
