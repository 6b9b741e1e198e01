"""What explanations cite and say: lines of interior routes, losing ways, reasons of absence."""

from __future__ import annotations

import ipaddress

import pytest

from routrel.questions.flow import FlowQuestion
from routrel.questions.routes import RouteQuestion
from tests.bgp_nets import P, edge, mesh
from tests.nets import LAST_TEXTS, device, state, wired
from tests.told import answer_flow, explain_route


def why(net, name: str, prefix: str, vrf: str = "default"):
    question = RouteQuestion(device=name, vrf=vrf, prefix=ipaddress.ip_network(prefix))
    (answer,) = explain_route(net, question)
    return answer


def line(cited) -> str:
    """The text of a cited line."""
    return LAST_TEXTS[int(cited["file"].split(".")[0])].splitlines()[cited["line"] - 1].strip()


KEYS = {
    "ospf": ("ospf: {area: 0, network: point-to-point}", "ospf: {}"),
    "isis": ("isis: {network: point-to-point}", "isis: {{net: 49.0001.0000.0000.{:04}.00}}"),
    "rip": ("rip: {}", "rip: {}"),
    "eigrp": ("eigrp: {}", "eigrp: {{as: 1}}".replace("{{", "{").replace("}}", "}")),
}


@pytest.mark.parametrize("key", KEYS)
def test_interior_candidates_cite_where_they_are_announced_and_heard(key):
    """r3's loopback at r1, behind r2: the line of r3's loopback, then of the link here."""
    port, top = KEYS[key]
    tops = {f"r{n}": top.format(n) if key == "isis" else top for n in (1, 2, 3)}
    net = wired("r1-r2 r2-r3", port=port, top=tops)
    used = next(c for c in why(net, "r1", "10.255.0.3/32")["candidates"] if c["lost_on"] is None)
    assert line(used).startswith("lo: {kind: loopback, addresses: [10.255.0.3/32]")
    here = [line(cited) for cited in used["also"]]
    assert any(text.startswith("e1: {addresses: [10.0.1.1/30]") for text in here)


@pytest.mark.parametrize("key", ["ospf", "isis"])
def test_losing_ways_inside_a_protocol_are_candidates_with_their_switching_point(key):
    """r1 - r3 directly costs 9001, by r2 1 + 1. Above 9000 on e1 it goes directly, at 9000 by both;
    raised to exactly that, both are used, and one more leaves the direct link alone."""
    cost = {"ospf": "ospf: {{area: 0, cost: {}, network: point-to-point}}",
            "isis": "isis: {{metric: {}, network: point-to-point}}"}[key]  # fmt: skip
    alone = {f"r{n}": KEYS["isis"][1].format(n)[:-1] + ", level: 1}" for n in (1, 2, 3)}
    tops = {"": "ospf: {}"} if key == "ospf" else alone

    def net(first: int):
        ports = {f"r{n}:e{k}": cost.format(1) for n, k in ((2, 1), (2, 2), (3, 2))}
        ports |= {
            "r1:e1": cost.format(first),
            "r1:e3": cost.format(9001),
            "r3:e3": cost.format(9001),
        }
        lo = "ospf: {area: 0}" if key == "ospf" else "isis: {}"
        return wired("r1-r2 r2-r3 r1-r3", port=lo, top=tops, ports=ports)

    answer = why(net(1), "r1", "10.255.0.3/32")
    found = [
        (c["values"]["metric"], c["lost_on"], c["next_hops"][0]["interface"])
        for c in answer["candidates"]
    ]
    assert found == [(2, None, "e1"), (9001, "metric", "e3")]
    assert "above cost 9000 of e1 (now 1) it goes by e3, at 9000 by both" in answer["why"]
    for first, ways in ((8999, {"e1"}), (9000, {"e1", "e3"}), (9001, {"e3"})):
        again = why(net(first), "r1", "10.255.0.3/32")["candidates"]
        used = {hop["interface"] for c in again if c["lost_on"] is None for hop in c["next_hops"]}
        assert used == ways


def test_steps_of_other_protocols_stay_empty():
    """EIGRP beside BGP: no step of BGP shows EIGRP's distance, and its own steps stand below."""
    net = edge(
        {"a": f"1 as: 65001, announces: [{{prefixes: {P}}}]"},
        top=f"eigrp: {{as: 1, redistribute: [{{from: static, metric: {{bandwidth: 1 Gb/s, delay: 10 us}}}}]}}\n"
            f"static: [{{to: {P}, discard: true, distance: 250}}]",
    )  # fmt: skip
    for candidate in why(net, "r1", P)["candidates"]:
        rungs = {rung["id"]: rung["text"] for rung in candidate["rungs"]}
        if candidate["protocol"] != "bgp":
            bgp_only = (
                "weight",
                "local_preference",
                "as_path_length",
                "med",
                "igp_cost",
                "router_id",
            )
            assert {rungs[rung] for rung in bgp_only} == {""}
    plain = wired("r1-r2", port="eigrp: {}", top="eigrp: {as: 1}")
    (candidate,) = why(plain, "r1", "10.255.0.2/32")["candidates"]
    rungs = {rung["id"]: rung["text"] for rung in candidate["rungs"]}
    assert (rungs["weight"], rungs["feasible"]) == ("", "2816 is below 3072")


def test_a_leaked_route_names_the_vrf_it_comes_from():
    body = """
        vrfs:
          red: {static: [{to: 10.9.0.0/16, discard: true}], export-tags: t}
          blue: {import-tags: t}
    """
    net = state(device("r1", body))
    assert "a route leaked from VRF red" in why(net, "r1", "10.9.0.0/16", "blue")["sentence"]


@pytest.mark.parametrize("key", ["ospf", "isis"])
def test_an_mtu_that_differs_is_cited_by_its_own_line_whoever_has_it(key):
    """r2's interface takes 9000 bytes, r1's 1500; the words name both, whichever is asked."""
    port, top = KEYS[key]
    tops = {f"r{n}": top.format(n) if key == "isis" else top for n in (1, 2)}
    texts = []
    for number, mtu in ((1, "1500"), (2, "9000")):
        said = f"{port.split(':', 1)[1].strip()}"
        texts.append(device(f"r{number}", f"{tops[f'r{number}']}\ninterfaces:\n"
            f"  lo: {{kind: loopback, addresses: [10.255.0.{number}/32], {key}: {{{'area: 0' * (key == 'ospf')}}}}}\n"
            f"  e:\n    addresses: [10.0.0.{number}/30]\n    {key}: {said}\n    mtu: {mtu}\n"))  # fmt: skip
    net = state(*texts)
    for here, there in (("r1", "2"), ("r2", "1")):
        step = why(net, here, f"10.255.0.{there}/32")["absent"]["steps"][-1]
        assert "MTU 1500 bytes at r1:e against 9000 at r2:e" in step["text"]
        assert line(step) == "mtu: 1500"
    finding = next(f for f in net.findings if f.code.endswith("mtu_mismatch") and key in f.code)
    assert "1500 bytes at r1:e" in finding.text


def test_attributes_say_by_which_statement_they_were_set():
    """r4 sets a MED on export, r1 a local preference on import; r2 hears of both over r1."""
    policy = (
        "policies: {{p: {{statements: [{{name: s, set: {{{}}}, then: accept}}], default: reject}}}}"
    )
    net = mesh(
        "65000 65000 65000 65004", "r1-r2 r2-r3 r1-r4", own="r4",
        says={"r1-r2": "next-hop: self", "r1-r4": "import: p", "r4-r1": "export: p"},
        top={"r1": policy.format("local-preference: 170"), "r4": policy.format("med: 9")},
    )  # fmt: skip
    (candidate,) = why(net, "r2", P)["candidates"]
    told = {
        (one["attribute"], one["value"], one["device"], one["statement"])
        for one in candidate["values"]["set_by"]
    }
    assert told == {("local-preference", "170", "r1", "s"), ("med", "9", "r4", "s")}
    assert all("name: s" in line(one) for one in candidate["values"]["set_by"])


def reasons(net, name: str, prefix: str):
    return [
        step["kind"]
        for step in why(net, name, prefix)["absent"]["steps"]
        if step["kind"] != "origin"
    ]


def test_reasons_of_absence_that_are_easily_missed():
    """Each net keeps 10.9/16 or P from r2 (or r3) for one reason, which is told, and no false one."""
    static = "static: [{to: 10.9.0.0/16, discard: true}]"
    # EIGRP takes static routes in without a metric.
    net = wired(
        "r1-r2",
        port="eigrp: {}",
        top={
            "r1": f"eigrp: {{as: 1, redistribute: [{{from: static}}]}}\n{static}",
            "r2": "eigrp: {as: 1}",
        },
    )
    assert reasons(net, "r2", "10.9.0.0/16")[0] == "redistribution_without_metric"
    # A router of two areas without a backbone is no border router where RFC 3509 is asked for.
    ports = {"r1:e1": "ospf: {area: 1, network: point-to-point}", "r2:e1": "ospf: {area: 1, network: point-to-point}",
             "r2:e2": "ospf: {area: 2, network: point-to-point}", "r3:e2": "ospf: {area: 2, network: point-to-point}",
             "r1:lo": "ospf: {area: 1}", "r3:lo": "ospf: {area: 2}", "r2:lo": "ospf: {area: 1}"}  # fmt: skip
    net = wired(
        "r1-r2 r2-r3", port="", ports=ports, top={"": "ospf: {}", "r2": "ospf: {border: rfc3509}"}
    )
    assert reasons(net, "r3", "10.255.0.1/32") == ["last_holder", "no_backbone"]
    # A session is up between the two: they do have a protocol in common, but the route is not in it.
    net = mesh("65001 65002", "r1-r2", top={"r1": static})
    steps = why(net, "r2", "10.9.0.0/16")["absent"]["steps"]
    assert [s["kind"] for s in steps[1:]] == ["not_redistributed"]
    assert "announces it into BGP neither as a network nor" in steps[-1]["text"]
    # r2 has P from r1 by an internal session and passes it to no other internal neighbour, r3.
    net = mesh("65000 65000 65000 65004", "r1-r2 r2-r3 r1-r4", own="r4", internal="r1-r2 r2-r3",
               says={"r1-r2": "next-hop: self"})  # fmt: skip
    kinds = reasons(net, "r3", P)
    assert "bgp_internal_to_internal" in kinds
    assert "not_redistributed" not in kinds


def test_a_missing_route_of_a_vrf_names_it_and_its_line():
    body = "vrfs:\n  red: {}\ninterfaces:\n  e: {addresses: [10.0.0.1/30], vrf: red}\n"
    host = device("h", "gateway: 10.0.0.1\ninterfaces: {e: {addresses: [10.0.0.2/30]}}", "host")
    net = state(device("r1", body), host)
    answer = answer_flow(net, FlowQuestion(source="h", destination="192.0.2.1", both=False))
    assert "VRF red holds nothing for 192.0.2.1" in answer["sentence"]
    assert line(answer["forward"]["cause"]) == "red: {}"


def test_ways_back_are_the_same_others_or_partly_others():
    """a to b over two equal ways; b answers over both, over one of them, or by a third alone."""

    def net(back: str):
        return state(
            device("a", "interfaces:\n  x: {addresses: [10.0.1.1/30]}\n  y: {addresses: [10.0.2.1/30]}\n  z: {addresses: [10.0.3.1/30]}\n"
                   "  lo: {kind: loopback, addresses: [10.255.0.1/32]}\n"
                   "static: [{to: 10.255.0.2/32, via: 10.0.1.2}, {to: 10.255.0.2/32, via: 10.0.2.2}]"),
            device("b", "interfaces:\n  x: {addresses: [10.0.1.2/30]}\n  y: {addresses: [10.0.2.2/30]}\n  z: {addresses: [10.0.3.2/30]}\n"
                   f"  lo: {{kind: loopback, addresses: [10.255.0.2/32]}}\nstatic: [{back}]"),
        )  # fmt: skip

    via = "{{to: 10.255.0.1/32, via: 10.0.{}.1}}"
    question = FlowQuestion(source="a", destination="10.255.0.2")
    both = ", ".join(via.format(n) for n in (1, 2))
    for back, words in ((both, "the same way."), (via.format(1), "partly by another way."),
                        (via.format(3), "too, by another way.")):  # fmt: skip
        assert words in answer_flow(net(back), question)["sentence"]


def test_a_merged_class_says_what_is_true_of_all_its_pairs():
    """Two servers behind m are delivered to alike; the sentence names neither."""
    hosts = [
        device(
            f"h{n}",
            f"gateway: 10.0.{n}.1\ninterfaces: {{e: {{addresses: [10.0.{n}.9/24]}}}}",
            "host",
        )
        for n in (1, 2, 3)
    ]
    middle = device(
        "m",
        "interfaces:\n" + "".join(f"  e{n}: {{addresses: [10.0.{n}.1/24]}}\n" for n in (1, 2, 3)),
    )
    group = "routrel: 1\nnetwork: n\ngroups: {servers: {members: [h2, h3]}}\n"
    net = state(*hosts, middle, group)
    answer = answer_flow(net, FlowQuestion(source="h1", destination="servers", traffic="tcp 80"))
    for one in answer["classes"]:
        names = [pair["destination"] for pair in one["pairs"]]
        assert len(names) == 1 or not any(name in one["sentence"] for name in names)
        assert one["sentence"]


UNUSED = """
sets: {prefixes: {spare: 10.0.0.0/8}, tags: {t: 7}}
policies: {alone: {default: accept}, used: {statements: [{name: s, match: {tags: t}, then: accept}], default: reject}}
filters:
  idle: {default: permit}
  f:
    default: permit
    rules:
      - {id: 10, deny: tcp, to: 10.0.0.0/8, to-port: 80-90}
      - {id: 20, permit: tcp, to: 10.1.0.0/16, to-port: 85}
      - {id: 30, permit: tcp, to: 10.1.0.0/16, to-port: 85-95}
steering: {lost: {rules: [{id: 10, protocol: udp, discard: true}]}}
rip: {redistribute: [{from: static, policy: used}]}
interfaces: {e: {addresses: [10.0.0.1/30], filters: {in: f}}}
"""


def test_what_has_no_effect_is_found_and_nothing_else_is():
    net = state(device("r1", UNUSED))
    told = sorted(
        f.text.split(": ", 1)[1]
        for f in net.findings
        if f.code in ("without_effect", "rule_shadowed")
    )
    assert told == [
        "filter idle is bound nowhere, so it has no effect",
        "no policy asks for prefix set spare, so it has no effect",
        "policy alone is bound nowhere, so it has no effect",
        "rule 20 of filter f is never reached: rule 10 matches all it would match",
        "steering lost is bound nowhere, so it has no effect",
    ]


def test_no_false_warnings_about_policies():
    """A last statement that accepts all leaves nothing to the default; a group is told of once."""
    top = "policies: {p: {statements: [{name: all, then: accept}], default: reject}}"
    outside = {name: f"{n} as: 6500{n}, announces: []" for n, name in enumerate("abc", start=1)}
    net = edge(outside, top=top, neighbours={"1": "import: p"})
    assert not [f for f in net.findings if f.code == "policy_final_reject"]
    grouped = edge(outside, bgp="groups: {g: {}}", neighbours=dict.fromkeys("123", "group: g"))
    (finding,) = [f for f in grouped.findings if f.code == "bgp_no_policy"]
    assert finding.text.count("10.9.") == 3


def test_what_stops_a_route_before_a_device_without_bgp_is_told_there_too():
    """r4 speaks nothing; r3 before it lacks the route, since r2 tells nobody inside what it has
    from r1 inside the AS (RFC 4271 9.2.1)."""
    net = wired(
        "r1-r2 r2-r3 r3-r4", port="", top={
            "r1": "bgp: {as: 65001, redistribute: [{from: connected}], neighbours: {10.0.1.2: {as: 65001}}}",
            "r2": "bgp: {as: 65001, neighbours: {10.0.1.1: {as: 65001}, 10.0.2.2: {as: 65001}}}",
            "r3": "bgp: {as: 65001, neighbours: {10.0.2.1: {as: 65001}}}",
        },
    )  # fmt: skip
    question = RouteQuestion(device="r4", prefix=ipaddress.ip_network("10.255.0.1/32"))
    absent = explain_route(net, question)[0]["absent"]
    assert (absent["stopped_between"], absent["reason"]) == (
        ["r2", "r3"],
        "bgp_internal_to_internal",
    )
