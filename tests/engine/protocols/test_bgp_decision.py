"""The decision of BGP, rung by rung, each with a net where that rung decides."""

from __future__ import annotations

from dataclasses import replace

import pytest

from routrel.protocols.register import bgp_of
from routrel.questions.errors import QuestionError, UnknownName
from tests.bgp_nets import P, chosen, edge, losers, mesh, used, why
from tests.nets import device, route, state, ways
from tests.told import bounce_data

A = "1 as: 65001, router-id: 10.1.1.1, announces: [{{prefixes: " + P + "{a}}}]"
B = "2 as: 65002, router-id: 10.2.2.2, announces: [{{prefixes: " + P + "{b}}}]"
SET = "policies: {{p: {{statements: [{{name: s, set: {{{0}}}}}], default: accept}}}}"


def pair(a: str = "", b: str = "", **more):
    """r1 hears P from a (AS 65001) and from b (AS 65002), which differ in what is given."""
    return edge({"a": A.format(a=a), "b": B.format(b=b)}, **more)


@pytest.mark.parametrize(
    ("a", "b", "more", "winner", "rung"),
    [
        # A longer path, but more weight on this device.
        (", as-path: 65009", "", {"neighbours": {"1": "weight: 10"}}, "a", "weight"),
        # Prepending is in vain where local preference has decided (5.1.5).
        (", as-path: 65001 65001 65001", "",
         {"neighbours": {"1": "import: p"}, "top": SET.format("local-preference: 101")}, "a",
         "local_preference"),
        ("", ", as-path: 65009", {}, "a", "as_path_length"),
        (", origin: incomplete", ", origin: egp", {}, "b", "origin"),
        # Only a lower router id tells them apart; MED of different AS is not compared.
        (", med: 50", ", med: 10", {}, "a", "router_id"),
        (", med: 50", ", med: 10", {"bgp": "decision: {compare-med-always: true}"}, "b", "med"),
        # A missing MED counts as the best, unless it is to count as the worst.
        (", med: 1", "", {"bgp": "decision: {compare-med-always: true}"}, "b", "med"),
        (", med: 1", "",
         {"bgp": "decision: {compare-med-always: true, missing-med: worst}"}, "a", "med"),
        (", as-path: 65009", "", {"bgp": "decision: {ignore-as-path-length: true}"}, "a",
         "router_id"),
        # Known ages count only where that is asked for.
        (", age: 10 s", ", age: 20 s", {}, "a", "router_id"),
        (", age: 10 s", ", age: 20 s", {"bgp": "decision: {prefer-oldest: true}"}, "b", "oldest"),
        (", age: 10 s", "", {"bgp": "decision: {prefer-oldest: true}"}, "a", "router_id"),
    ],
)  # fmt: skip
def test_the_rung_that_decides(a, b, more, winner, rung):
    net = pair(a, b, **more)
    loser = "b" if winner == "a" else "a"
    assert used(net, "r1") == {winner}
    assert losers(net, "r1") == {loser: rung}


@pytest.mark.parametrize(
    ("b", "c", "winner"),
    [("3600 s", "7200 s", "c"), ("7200 s", "3600 s", "b"), ("7200 s", "", "b")],
)
def test_between_modelled_routers_the_session_states_the_age(b, c, winner):
    """b and c (router ids .2 and .3) announce alike; of known ages the older stays (RFC 5004)."""
    says = {"r1-r2": f"age: {b}", "r1-r3": f"age: {c}" if c else ""}
    net = mesh(
        "65001 65002 65003", "r1-r2 r1-r3", own="r2 r3", says=says,
        bgp={"r1": "decision: {prefer-oldest: true}"},
    )  # fmt: skip
    assert used(net, "r1") == {{"b": "r2", "c": "r3"}[winner]}


def bounce(net, device: str, neighbour: str) -> dict[str, tuple[str, str]]:
    """What is otherwise once a session is back: by device, before and after."""
    found = bounce_data(net, device, "default", neighbour, {})
    return {r["device"]: (r["before"], r["after"]) for r in found["routes"] if r["prefix"] == P}


def test_a_session_that_bounces_brings_the_youngest_routes():
    """r1 uses r2 by its lower router id, since ages are not known. When that session bounces, r3's
    route is the older one; r1 keeps it where the oldest is preferred, else goes back to r2."""
    for option, moved in (("{prefer-oldest: true}", True), ("{}", False)):
        net = mesh(
            "65001 65002 65003", "r1-r2 r1-r3", own="r2 r3", bgp={"r1": f"decision: {option}"}
        )
        assert used(net, "r1") == {"r2"}
        before, after = "eBGP, to r2 by e1", "eBGP, to r3 by e2"
        assert bounce(net, "r1", "10.0.1.2") == ({"r1": (before, after)} if moved else {})
        assert bounce(net, "r1", "10.0.2.2") == {}
        assert used(net, "r1") == {"r2"}  # the state itself is as it was


def test_a_session_that_bounces_may_lead_to_the_other_outcome():
    """r2 and r3 each prefer the path of the other (RFC 4264): whichever settles first, the other
    follows. r3 uses r2's; while the session of r1 and r3 is down r3 has nothing else, but when r1
    and r2 lose theirs r2 goes by r3, and goes on so once it is back."""
    likes = (
        "policies: {p: {statements: [{name: s, match: {as-path: length 2}, "
        "set: {local-preference: 200}, then: accept}], default: accept}}"
    )
    net = mesh(
        "65001 65002 65003", "r1-r2 r1-r3 r2-r3", own="r1",
        says={"r2-r3": "import: p", "r3-r2": "import: p"}, top={"r2": likes, "r3": likes},
    )  # fmt: skip
    direct, by_other = ("r2", "r3") if used(net, "r2") == {"r1"} else ("r3", "r2")
    assert used(net, by_other) == {direct}
    links = {"r2": "10.0.1.2", "r3": "10.0.2.2"}
    assert bounce(net, "r1", links[by_other]) == {}
    assert set(bounce(net, "r1", links[direct])) == {"r2", "r3"}


def test_only_a_session_that_is_up_can_bounce():
    net = mesh("65001 65002", "r1-r2", own="r2", says={"r1-r2": "enabled: false"})
    with pytest.raises(QuestionError, match="not up"):
        bounce_data(net, "r1", "default", "10.0.1.2", {})
    with pytest.raises(UnknownName):
        bounce_data(net, "r1", "default", "10.0.9.9", {})


def test_the_ladder_says_where_med_is_not_compared():
    """Of two AS it is not, unless that is asked for."""

    def texts(**more):
        found = why(pair(", med: 50", ", med: 10", **more), "r1")["candidates"]
        return [rung["text"] for c in found for rung in c["rungs"] if rung["id"] == "med"]

    assert texts() == ["50, not compared", "10, not compared"]
    assert texts(bgp="decision: {compare-med-always: true}") == ["10", "50"]


def test_two_sessions_with_one_neighbour_differ_in_its_address():
    net = edge({"a": f"1 2 as: 65001, announces: [{{prefixes: {P}}}]"})
    assert [c["lost_on"] for c in why(net, "r1")["candidates"]] == [None, "neighbour_address"]
    assert chosen(net, "r1").next_hop.packed[2] == 1


def test_what_the_device_originates_comes_first():
    """Own routes weigh 32768; with that set to 0 they still come before what is heard."""
    top = f"static: [{{to: {P}, discard: true}}]"
    for weight, rung in (("", "weight"), ("local-weight: 0\n", "originated")):
        net = pair(top=top, bgp=f"{weight}networks: [{{prefix: {P}}}]")
        assert losers(net, "r1")["a"] == rung
        assert chosen(net, "r1").own.value == "network"


def test_external_comes_before_internal_and_the_near_exit_before_the_far_one():
    """r1 has two exits of its AS at cost 10 and 20; each exit uses itself (hot potato)."""
    #  r4 (65004) - r2 -10- r1 -20- r3 - r5 (65005)
    net = mesh(
        "65000 65000 65000 65004 65005", "r1-r2:10 r1-r3:20 r2-r4 r3-r5", own="r4 r5",
        says={"r2-r1": "next-hop: self", "r3-r1": "next-hop: self", "r2-r3": "next-hop: self",
              "r3-r2": "next-hop: self"},
    )  # fmt: skip
    assert losers(net, "r1") == {"r3": "igp_cost"}
    assert losers(net, "r2") == {"r3": "ebgp"}
    assert used(net, "r3") == {"r5"}
    # 10 + 1 for the loopback, as OSPF costs it.
    winner = why(net, "r1")["candidates"][0]
    assert winner["values"]["igp_cost"] < 20


def test_med_is_compared_first_within_each_neighbouring_as():
    """The grouping anomaly (RFC 3345): three routes of which each pair is decided otherwise.

    a1 and a2 come from AS 65001 with MED 10 and 5, b from AS 65002. Router ids: a1 lowest, then b,
    then a2. Held together, a2 beats a1 by MED, and b beats a2 by router id. Pair by pair the result
    depends on the order: newest first a1, b, a2 gives a1 before b by id, then a2 before a1 by MED.
    """
    nets = {}
    for grouping in ("independent", "by-arrival"):
        nets[grouping] = edge(
            {
                "a1": f"1 as: 65001, router-id: 10.0.0.1, announces: [{{prefixes: {P}, med: 10, "
                "age: 1 s}]",
                "b": f"2 as: 65002, router-id: 10.0.0.2, announces: [{{prefixes: {P}, age: 2 s}}]",
                "a2": f"3 as: 65001, router-id: 10.0.0.3, announces: [{{prefixes: {P}, med: 5, "
                "age: 3 s}]",
            },
            bgp=f"decision: {{med-grouping: {grouping}}}",
        )
    assert used(nets["independent"], "r1") == {"b"}
    assert losers(nets["independent"], "r1") == {"a1": "med", "a2": "router_id"}
    assert used(nets["by-arrival"], "r1") == {"a2"}
    assert losers(nets["by-arrival"], "r1") == {"b": "router_id", "a1": "med"}


def test_several_paths_at_once_must_be_equal_up_to_the_interior_cost():
    both = {"a": A.format(a=""), "b": B.format(b="")}
    one = edge(both, bgp="multipath: {external: 4}")
    assert used(one, "r1") == {"a"}  # the AS paths differ
    two = edge(both, bgp="multipath: {external: 4, any-as-path: true}")
    assert used(two, "r1") == {"a", "b"}
    assert ways(route(two, "r1", P)) == {"e1", "e2"}
    longer = pair("", ", as-path: 65009", bgp="multipath: {external: 4, any-as-path: true}")
    assert losers(longer, "r1") == {"b": "as_path_length"}


def test_a_reflected_path_counts_by_its_originator_then_by_its_clusters():
    """r4 hears of r2's and r3's exits through reflector r1, and of r2's from r2 itself too."""
    #  r5 (65005) - r2 - r4 - r3 - r5, all at one cost; r1 hangs on r4
    net = mesh(
        "65000 65000 65000 65000 65005", "r2-r4:1 r3-r4:1 r1-r4:1 r2-r5 r3-r5", own="r5",
        internal="r1-r2 r1-r3 r1-r4 r2-r4",
        says={"r1-r2": "reflector-client: true", "r1-r3": "reflector-client: true",
              "r1-r4": "reflector-client: true", "r2-r1": "next-hop: self",
              "r3-r1": "next-hop: self", "r2-r4": "next-hop: self"},
    )  # fmt: skip
    # r1 chooses r2's by router id and reflects it; r4 has it twice, once with a cluster.
    assert losers(net, "r1") == {"r3": "router_id"}
    assert used(net, "r4") == {"r2"}
    assert losers(net, "r4") == {"r1": "cluster_list"}


def test_an_order_of_arrival_that_nobody_knows_leaves_several_outcomes():
    """By arrival the newest path meets the next older one, and so on (MED 20, none, 10; router ids
    a < b < c; a and c are of one AS). Newest first: a b c ends in c, a c b in b, b c a in a."""
    told = "announces: [{{prefixes: {}, med: {}{}}}]"

    def net(ages=("", "", "")):
        said = {
            name: f"{place} as: {number}, " + told.format(P, med, f", age: {age}" if age else "")
            for place, name, number, med, age in (
                (1, "a", 65001, 20, ages[0]), (2, "b", 65002, 0, ages[1]), (3, "c", 65001, 10, ages[2]),
            )
        }  # fmt: skip
        return edge(said, bgp="decision: {med-grouping: by-arrival}")

    unknown = net()
    outcomes = [unknown, *(replace(unknown, look=other.look) for other in unknown.others)]
    assert {next(iter(ways(route(each, "r1", P)))) for each in outcomes} == {"e1", "e2", "e3"}
    assert [str(route.prefix) for route in unknown.order_dependent] == [P]
    known = net(("10 s", "20 s", "30 s"))
    assert (known.others, known.order_dependent) == ((), ())
    assert used(known, "r1") == {"c"}


def test_two_sessions_to_one_router_are_one_way():
    """r1 speaks with x over their link and between loopbacks. x names itself by each session's
    address as next hop; both lead to its end of the link, and so does the route, once."""
    texts = [
        device(name, f"""
            bgp:
              as: {number}
              router-id: {host}.{host}.{host}.{host}
              multipath: {{external: 4}}
              networks: [{{prefix: {P}}}]
              neighbours:
                10.9.1.{3 - host}: {{as: {peer}}}
                10.255.9.{3 - host}: {{as: {peer}, multihop: 2, source: lo}}
            static: [{{to: 10.255.9.{3 - host}/32, via: 10.9.1.{3 - host}}}{more}]
            interfaces:
              e1: {{addresses: [10.9.1.{host}/24]}}
              lo: {{kind: loopback, addresses: [10.255.9.{host}/32]}}
        """)
        for name, number, host, peer, more in (
            ("r1", 65000, 1, 65001, ""), ("x", 65001, 2, 65000, f", {{to: {P}, discard: true}}"),
        )
    ]  # fmt: skip
    net = state(*texts)
    assert len(bgp_of(net.results).round.peers) == 4
    assert [str(hop.address) for hop in route(net, "r1", P).next_hops] == ["10.9.1.2"]
