"""Redistribution, policies, distances and leaking: what tables do to each other."""

from __future__ import annotations

import textwrap
from ipaddress import ip_network

import pytest

from routrel.convergence.converge import converge
from routrel.forwarding.evidence import Verdict
from routrel.questions.flow import FlowQuestion, arrives, ask_flow
from routrel.questions.routes import RouteQuestion
from tests.nets import LAST_TEXTS, device, feedback_texts, network, route, state, told, wired
from tests.told import explain_route, flow_data


def two_borders(r1: str, r2: str, **more):
    """A RIP router r3 behind two borders r1 and r2, which share an OSPF link.

    r3 - r1 over e1, r3 - r2 over e2 in RIP; r1 - r2 over e3 in OSPF; r3 has 10.70.0.0/16.
    """
    ospf, rip = "ospf: {area: 0, cost: 10, network: point-to-point}", "rip: {}"
    return wired(
        "r3-r1 r3-r2 r1-r2",
        port=rip,
        ports={
            "r1:e3": ospf,
            "r2:e3": ospf,
            "r1:lo": "ospf: {area: 0}",
            "r2:lo": "ospf: {area: 0}",
        },
        interfaces={"r3": "  lan: {kind: loopback, addresses: [10.70.0.1/16], rip: {}}\n"},
        top={"r1": r1, "r2": r2, "r3": "rip: {}"},
    )


PLAIN = "rip: {}\nospf: {}"
TAKES = "rip: {}\nospf: {redistribute: [{from: rip}]}"
YARD = "10.70.0.0/16"


def test_only_what_is_active_under_a_protocol_is_taken():
    """r1 takes RIP into OSPF: the learned 10.70/16, but not the connected link to r3."""
    net = two_borders(TAKES, PLAIN)
    # r2 holds it from OSPF (110) although RIP (120) is nearer.
    assert told(net, "r2", YARD) == ("ospf", "external_2", 20, "e3")
    assert told(net, "r1", YARD)[0] == "rip"
    assert route(net, "r2", "10.0.1.0/30").protocol.id == "rip"
    stated = two_borders(TAKES.replace("from: rip", "from: rip, with-connected: true"), PLAIN)
    assert route(stated, "r2", "10.0.1.0/30").protocol.id == "ospf"


def test_one_redistributor_silences_another_until_a_distance_is_changed():
    """Both borders take RIP into OSPF. Whoever hears the other first stops: its OSPF route wins,
    so it has no active RIP route to announce. The model shows one outcome and says so; with
    RIP preferred for the prefix at the silenced one, both speak and nothing is in route."""
    net = two_borders(TAKES, TAKES)
    kinds = {name: told(net, name, YARD)[0] for name in ("r1", "r2")}
    assert sorted(kinds.values()) == ["ospf", "rip"]
    assert net.converged
    assert {(route.device, str(route.prefix)) for route in net.order_dependent} >= {
        ("r1", YARD),
        ("r2", YARD),
    }
    assert "order_dependent" in {finding.code for finding in net.findings}
    rule = "\ndistances: [{protocol: rip, prefixes: 10.70.0.0/16, distance: 105}]"
    mended = two_borders(TAKES + rule, TAKES + rule)
    assert told(mended, "r1", YARD)[0] == told(mended, "r2", YARD)[0] == "rip"
    assert YARD not in {str(route.prefix) for route in mended.order_dependent}


@pytest.mark.parametrize("filtered", [False, True])
def test_a_flow_over_such_a_route_tells_every_outcome(filtered):
    """r1 to the yard: with r2 first it goes r1, r2, r3 by OSPF, with r1 first straight by RIP. Where
    r2 lets nothing through the verdicts differ, and nobody may call that delivered."""
    drop = "\nfilters: {none: {rules: [], default: deny}}\nthrough-traffic: {filters: none}"
    net = two_borders(TAKES, TAKES + drop * filtered)
    answer = flow_data(net, ask_flow(net, FlowQuestion(source="r1", destination="10.70.0.1")))
    outcomes = {tuple(one["ways"][0]): one for one in answer["doubt"]["outcomes"]}
    assert set(outcomes) == {("r1", "r3"), ("r1", "r2") if filtered else ("r1", "r2", "r3")}
    assert answer["forward"]["verdict"] == ("mixed" if filtered else "delivered")
    assert answer["sentence"].startswith(
        "Not certain, it depends on who settles first. With r1 on "
    )
    verdicts = {one["verdict"] for one in outcomes.values()}
    assert verdicts == ({"delivered", "filtered"} if filtered else {"delivered"})
    # Those who decide are the two that redistribute, at the lines that say so.
    places = [
        LAST_TEXTS[int(line["file"].split(".")[0])].splitlines()[line["line"] - 1]
        for one in answer["doubt"]["deciders"]
        for line in one["lines"]
    ]
    assert {one["device"] for one in answer["doubt"]["deciders"]} == {"r1", "r2"}
    assert places
    assert all("redistribute" in text for text in places)
    finding = next(f for f in net.findings if f.code == "order_dependent")
    text = LAST_TEXTS[int(finding.place.file.split(".")[0])].splitlines()[finding.place.line - 1]
    assert "redistribute" in text
    one_way = FlowQuestion(source="r1", destination="10.70.0.1", both=False)
    assert arrives(ask_flow(net, one_way)) != filtered
    # What r1 and r2 say to each other does not depend on it.
    other = flow_data(net, ask_flow(net, FlowQuestion(source="r1", destination="10.0.3.2")))
    assert other["doubt"] is None


def test_redistribution_that_never_settles_is_found():
    """r1 takes RIP into OSPF; r2 gives it back by EIGRP, which r1 prefers to RIP. Then r1 has no
    RIP route to announce, r2 loses it, EIGRP falls silent, RIP is back: no stable answer."""
    net = state(*feedback_texts(100))
    assert not net.converged
    routes = {(route.device, str(route.prefix)) for route in net.oscillating}
    assert {("r1", "10.255.0.3/32"), ("r2", "10.255.0.3/32")} == routes
    assert "not_converged" in {finding.code for finding in net.findings}
    answer = ask_flow(net, FlowQuestion(source="r2", destination="10.255.0.3"))
    assert answer.forward.verdict is Verdict.NOT_CONVERGED


def test_policies_pass_change_and_reject():
    """r1 takes RIP into OSPF through a policy: tags and prices the yard's prefix, rejects the rest."""
    policy = """
        rip: {}
        ospf: {redistribute: [{from: rip, policy: out}]}
        sets: {prefixes: {yard: 10.70.0.0/16 up to /24}}
        policies:
          out:
            statements:
              - {name: price, set: {metric: 44, metric-type: 1}}
              - {name: yard, match: {prefixes: yard, protocol: rip}, set: {tag: 70}, then: accept}
            default: reject
        """
    net = two_borders(textwrap.dedent(policy), PLAIN)
    found = route(net, "r2", YARD)
    assert (found.path_type.id, found.metric, found.tag) == ("external_1", 54, 70)
    assert route(net, "r2", "10.255.0.3/32").protocol.id == "rip"


def test_distance_rules_leave_what_guards_a_summary():
    """r1's summary drops what it does not hold at distance 5, whatever EIGRP's distance is said to
    be; its static discard route is a route like others."""
    rules = "distances: [{protocol: eigrp, distance: 60}, {protocol: static, distance: 40}]"
    static = "static: [{to: 10.98.0.0/16, discard: true}]"
    net = wired(
        "r1-r2", port="eigrp: {}", ports={"r1:e1": "eigrp: {summaries: 10.255.0.0/30}"},
        top={"": "eigrp: {as: 1}", "r1": f"eigrp: {{as: 1}}\n{rules}\n{static}"},
    )  # fmt: skip
    assert route(net, "r1", "10.255.0.0/30").distance == 5
    assert route(net, "r1", "10.98.0.0/16").distance == 40
    assert route(net, "r1", "10.255.0.2/32").distance == 60


def test_redistribution_both_ways_without_tags_is_told():
    both = "rip: {redistribute: [{from: ospf, metric: 5}]}\nospf: {redistribute: [{from: rip}]}"
    codes = {finding.code for finding in two_borders(both, both).findings}
    assert "redistribution_both_ways" in codes
    once = {finding.code for finding in two_borders(both, PLAIN).findings}
    assert "redistribution_both_ways" not in once


@pytest.mark.parametrize(
    ("rule", "winner"),
    [
        ("{protocol: ospf, distance: 130}", "rip"),
        ("{protocol: ospf, prefixes: 10.70.0.0/16, distance: 130}", "rip"),
        ("{protocol: ospf, prefixes: 10.71.0.0/16, distance: 130}", "ospf"),
        ("{protocol: ospf, from: 10.255.0.1, distance: 130}", "rip"),
        ("{protocol: ospf, from: 10.255.0.2, distance: 130}", "ospf"),
        ("{protocol: rip, from: 10.0.2.1, distance: 100}", "rip"),
    ],
)
def test_distances_for_some_routes(rule, winner):
    """r2 hears 10.70/16 in OSPF from router 10.255.0.1, and in RIP from neighbour 10.0.2.1."""
    net = two_borders(TAKES, f"{PLAIN}\ndistances: [{rule}]")
    assert told(net, "r2", YARD)[0] == winner


KEPT = {
    "rip": ("rip: {}", "rip: {}"),
    "eigrp": ("eigrp: {as: 1}", "eigrp: {}"),
    "isis": ("isis: {net: 49.0001.0000.0000.%04d.00, level: 2}", "isis: {}"),
    "bgp": ("bgp: {as: %d, networks: [{prefix: 10.70.0.0/16}]}", "bgp"),
}
OUT = """
sets: {prefixes: {yard: 10.70.0.0/16}}
policies: {out: {statements: [{name: yard, match: {prefixes: yard}, then: reject}], default: accept}}
"""


def in_a_row(key: str, middle: str, *, keeps_out: bool = False):
    """r1 - r2 - r3, each speaking one protocol; r1 has 10.70/16, r2 has more lines of its own."""
    instance, port = KEPT[key]
    tops = {}
    for number in (1, 2, 3):
        text = (
            instance % (65000 + number if key == "bgp" else number) if "%" in instance else instance
        )
        if key == "bgp":
            near = {1: ("10.0.1.2",), 2: ("10.0.1.1", "10.0.2.2"), 3: ("10.0.2.1",)}[number]
            ases = {1: (65002,), 2: (65001, 65003), 3: (65002,)}[number]
            stated = ", ".join(f"{a}: {{as: {n}}}" for a, n in zip(near, ases, strict=True))
            text = f"{text[:-1]}, neighbours: {{{stated}}}}}"
        if number == 2 and keeps_out:
            text = f"{text[:-1]}{'' if text.endswith('{}') else ', '}import: out}}"
        tops[f"r{number}"] = text + (f"\n{middle}" if number == 2 else "")
    lan = "" if key == "bgp" else f", {port}"
    return wired(
        "r1-r2 r2-r3", port="" if key == "bgp" else port, top=tops,
        interfaces={"r1": f"  lan: {{kind: loopback, addresses: [10.70.0.1/16]{lan}}}\n"},
    )  # fmt: skip


@pytest.mark.parametrize("how", ["distance", "policy"])
@pytest.mark.parametrize("key", KEPT)
def test_what_does_not_enter_the_table_is_passed_on_only_by_what_knows_it_apart(key, how):
    """Distance 255 and an import policy keep r1's prefix out of r2's table. A distance vector tells
    its table's routes alone (RFC 2453 3.9.2, RFC 7868 5.4), so r3 lacks it too; link states are
    flooded and BGP's table is its own (RFC 4271 3.2), so r3 has it."""
    plain = in_a_row(key, OUT)
    assert route(plain, "r2", YARD).protocol.id == key
    assert route(plain, "r3", YARD).protocol.id == key
    kept = (
        in_a_row(key, OUT, keeps_out=True)
        if how == "policy"
        else in_a_row(key, f"distances: [{{protocol: {key}, prefixes: {YARD}, distance: 255}}]")
    )
    assert route(kept, "r2", YARD) is None
    assert (route(kept, "r3", YARD) is None) == (key in ("rip", "eigrp"))
    if key != "bgp":
        assert route(kept, "r2", "10.255.0.1/32").protocol.id == key
    answer = explain_route(kept, RouteQuestion(prefix=ip_network(YARD), device="r2"))[0]
    lost = [(c["protocol"], c["lost_on"]) for c in answer["candidates"]]
    assert lost == [(key, "distance" if how == "distance" else "usable")]
    # Whoever lacks it for that reason is told of it, at whatever distance.
    for name in ("r2", "r3") if key in ("rip", "eigrp") else ("r2",):
        asked = RouteQuestion(prefix=ip_network(YARD), device=name)
        steps = explain_route(kept, asked)[0]["absent"]["steps"]
        assert ("unusable", "r2") in {(step["kind"], step["device"]) for step in steps}


@pytest.mark.parametrize(
    ("r1", "expected"),
    [
        (TAKES, ("taken", "redistribute: [{from: rip}]")),
        (f"{TAKES}\ndistances: [{{protocol: ospf, distance: 255}}]", ("taken", "redistribute")),
        ("rip: {}\nospf: {redistribute: [{from: rip, policy: out}]}\n" + OUT, ("filtered", "yard")),
        (f"{TAKES}\nstatic: [{{to: {YARD}, discard: true}}]", ("not_active", "from: rip")),
        ("rip: {}\nospf: {}\neigrp: {as: 1, redistribute: [{from: rip}]}",
         ("redistribution_without_metric", "from: rip")),
        ("rip: {}\nospf: {redistribute: [{from: static}]}", None),
    ],
)  # fmt: skip
def test_why_a_redistributor_is_silent_can_be_asked_of_it(r1, expected):
    """r1 has the yard from RIP; each answer cites the redistribution, or the statement."""
    net = two_borders(r1, PLAIN)
    answer = explain_route(net, RouteQuestion(prefix=ip_network(YARD), device="r1"))[0]
    told_of = [
        (step["kind"], LAST_TEXTS[int(step["file"].split(".")[0])].splitlines()[step["line"] - 1])
        for step in answer["redistributions"]
    ]
    if expected is None:
        assert told_of == []
    else:
        ((kind, line),) = told_of
        assert kind == expected[0]
        assert expected[1] in line


def test_a_better_route_that_is_never_used_leaves_the_other():
    """r2 has OSPF (110) and RIP (120) for the yard; OSPF's are never used."""
    net = two_borders(TAKES, f"{PLAIN}\ndistances: [{{protocol: ospf, distance: 255}}]")
    assert told(net, "r2", YARD)[0] == "rip"


def test_eigrp_takes_no_routes_without_a_metric():
    top = {"r1": "eigrp: {as: 1, redistribute: [{from: static}]}\n"
           "static: [{to: 10.99.0.0/16, discard: true}]", "": "eigrp: {as: 1}"}  # fmt: skip
    net = wired("r1-r2", port="eigrp: {}", top=top)
    assert route(net, "r2", "10.99.0.0/16") is None
    assert "redistribution_without_metric" in {finding.code for finding in net.findings}
    # 256 * (10^7 / 10^5 + 2000 / 10 + 10 / 10): the seed's bandwidth, its delay and the link's.
    top["r1"] = top["r1"].replace("static}", "static, metric: {bandwidth: 100 Mb/s, delay: 2 ms}}")
    net = wired("r1-r2", port="eigrp: {}", top=top)
    assert told(net, "r2", "10.99.0.0/16") == ("eigrp", "external", 256 * 301, "e1")
    assert route(net, "r2", "10.99.0.0/16").distance == 170


def test_vrfs_leak_by_tags():
    """Yard exports what shop imports, not the other way; nothing travels on to the third."""
    net = state(
        device(
            "r1",
            """
            interfaces:
              e1: {vrf: yard, addresses: [10.1.0.1/24]}
              e2: {vrf: shop, addresses: [10.2.0.1/24]}
              e3: {vrf: third, addresses: [10.3.0.1/24]}
            vrfs:
              yard: {export-tags: a, static: [{to: 10.9.0.0/16, via: 10.1.0.9}]}
              shop: {import-tags: a, export-tags: b}
              third:
                import-tags: b
                static: [{to: 10.8.0.0/16, via: 10.2.0.9, next-vrf: shop}]
            """,
        ),
        device("h1", "interfaces: {e: {addresses: [10.1.0.9/24]}}"),
        device("h2", "interfaces: {e: {addresses: [10.2.0.9/24]}}"),
    )
    assert told(net, "r1", "10.9.0.0/16", "shop") == ("leaked", None, 0, "e1")
    assert route(net, "r1", "10.1.0.0/24", "shop").distance == 0
    assert route(net, "r1", "10.2.0.0/24", "yard") is None
    assert told(net, "r1", "10.2.0.0/24", "third")[0] == "leaked"
    assert route(net, "r1", "10.9.0.0/16", "third") is None
    assert told(net, "r1", "10.8.0.0/16", "third") == ("static", None, 0, "e2")


#: What VRF shop takes from VRF yard, and which of yard's routes it then holds, with their tags.
LEAKS = [
    ("{from: yard}", {"10.1.0.0/24": 0, "10.8.0.0/16": 0, "10.9.0.0/16": 5}),
    ("{from: yard, protocol: static}", {"10.8.0.0/16": 0, "10.9.0.0/16": 5}),
    ("{from: yard, policy: tagged}", {"10.9.0.0/16": 7}),
    ("{from: yard, protocol: connected, policy: tagged}", {}),
]


@pytest.mark.parametrize("table", ["shop", "default"])
@pytest.mark.parametrize(("leak", "held"), LEAKS)
def test_vrfs_leak_by_protocol_and_policy(leak, held, table):
    """Also the default VRF takes from others; what does not pass says why, at the leak's line."""
    there = f"leak: [{leak}]"
    net = state(
        device(
            "r1",
            f"""
            interfaces:
              e1: {{vrf: yard, addresses: [10.1.0.1/24]}}
            {there if table == "default" else ""}
            vrfs:
              yard:
                static: [{{to: 10.8.0.0/16, discard: true}}, {{to: 10.9.0.0/16, discard: true, tag: 5}}]
              shop: {{{there if table == "shop" else ""}}}
            sets: {{tags: {{five: 5}}}}
            policies: {{tagged: {{statements: [{{name: a, match: {{tags: five}}, set: {{tag: 7}}, then: accept}}], default: reject}}}}
            """,
        )
    )  # fmt: skip
    for prefix in ("10.1.0.0/24", "10.8.0.0/16", "10.9.0.0/16"):
        found = route(net, "r1", prefix, table)
        assert (found.tag if found else None) == held.get(prefix)
        question = RouteQuestion(device="r1", vrf=table, prefix=ip_network(prefix))
        (answer,) = explain_route(net, question)
        if found is None:
            step = answer["absent"]["steps"][-1]
            assert step["kind"] in ("not_imported", "filtered")
        else:
            assert answer["candidates"][0]["values"]["from_vrf"] == "yard"


def test_the_default_vrf_shares_by_tags():
    """The top level of the file is a VRF as others: it exports and imports."""
    net = state(
        device(
            "r1",
            """
            export-tags: out
            import-tags: back
            static: [{to: 10.8.0.0/16, discard: true}]
            vrfs: {red: {import-tags: out, export-tags: back, static: [{to: 10.9.0.0/16, discard: true}]}}
            """,
        )
    )  # fmt: skip
    assert told(net, "r1", "10.8.0.0/16", "red")[0] == "leaked"
    assert told(net, "r1", "10.9.0.0/16")[0] == "leaked"


def test_the_same_files_settle_the_same_way():
    """The order of files does not matter, even where the outcome depends on who came first."""
    texts = [
        device("r1", "static: [{to: 10.1.0.0/16, discard: true}]"),
        device("r2", "static: [{to: 10.2.0.0/16, discard: true}]"),
    ]
    first, second = converge(network(*texts)), converge(network(*texts[::-1]))
    assert first.rib.active.tobytes() == second.rib.active.tobytes()
