"""Linux hosts from their captures, by hand: what stands in them, and what packets then do.

Real kernels are asked in tests/kernel; here stands why each answer must be so.
"""

from __future__ import annotations

import json
import random

import pytest

from routrel.files.reader import read_texts
from routrel.formats.importing import import_files
from routrel.model.network import Role
from routrel.questions.flow import FlowQuestion, ask_flow
from tests.engine.formats.breaking import broken
from tests.engine.formats.bundles import addr, bundle, chain, imported, line, rule, state_of, table

ACCEPT, DROP, RETURN = {"accept": None}, {"drop": None}, {"return": None}


def match(left, right, op="=="):
    return {"match": {"op": op, "left": left, "right": right}}


def payload(protocol, field):
    return {"payload": {"protocol": protocol, "field": field}}


def meta(key):
    return {"meta": {"key": key}}


CT = {"ct": {"key": "state"}}
TCP22 = match(payload("tcp", "dport"), 22)
FROM_A = match(payload("ip", "saddr"), {"prefix": {"addr": "10.0.1.0", "len": 24}})


def lab(*nft, routes=(), rules=None, **settings):
    """a (10.0.1.9) -- e1 r (forwards) e2 -- b (10.0.2.9), with a ruleset at r."""
    default = {"type": "unicast", "dst": "default", "protocol": "boot", "flags": []}
    return imported(
        bundle("a", [addr("e0", "10.0.1.9/24")], [{**default, "gateway": "10.0.1.1", "dev": "e0"}], forwards=False),
        bundle("b", [addr("e0", "10.0.2.9/24")], [{**default, "gateway": "10.0.2.1", "dev": "e0"}], forwards=False),
        bundle("r", [addr("e1", "10.0.1.1/24"), addr("e2", "10.0.2.1/24")], list(routes),
               nft=[table("inet", "t"), *nft], rules=rules, **settings),
    )  # fmt: skip


def verdict(made, traffic="tcp 22", source="a", destination="10.0.2.9", **more):
    answer = ask_flow(
        state_of(made), FlowQuestion(source=source, destination=destination, traffic=traffic, both=True, **more)
    )  # fmt: skip
    return answer.forward.verdict.value, answer.back.verdict.value if answer.back else None


#: Rulesets at r, what is asked, and the verdicts there and back.
RULESETS = {
    "a policy alone": ([chain("f", "forward", "drop")], "tcp 22", ("filtered", "filtered")),
    "what no hook leads to does nothing": (
        [chain("f", "forward"), chain("web"), rule("web", DROP)], "tcp 22", ("delivered", "delivered")),
    "a chain that is jumped to and returns: the policy decides": (
        [chain("f", "forward", "drop"), chain("web"), rule("f", {"jump": {"target": "web"}}),
         rule("web", TCP22, RETURN), rule("web", ACCEPT)], "tcp 22", ("filtered", "delivered")),
    "after coming back the next rule is tried": (
        [chain("f", "forward", "drop"), chain("web"), rule("f", {"jump": {"target": "web"}}), rule("f", ACCEPT),
         rule("web", TCP22, RETURN), rule("web", DROP)], "tcp 22", ("delivered", "filtered")),
    "whoever goes does not come back": (
        [chain("f", "forward", "drop"), chain("web"), rule("f", {"goto": {"target": "web"}}), rule("f", ACCEPT),
         rule("web", TCP22, RETURN)], "tcp 22", ("filtered", "filtered")),
    "a chain that only logs": (
        [chain("f", "forward"), rule("f", {"log": {"prefix": "x"}}), rule("f", {"counter": {}})],
        "tcp 22", ("delivered", "delivered")),
    "accepted by one hook's chain, dropped by the next one's": (
        [chain("one", "forward", prio=-5), chain("two", "forward", "drop", prio=5), rule("one", ACCEPT)],
        "tcp 22", ("filtered", "filtered")),
    "sessions that one chain knows, new ones that another one decides": (
        [chain("known", "forward", prio=-10), chain("new", "forward", "drop", prio=0),
         rule("known", match(CT, ["established", "related"], "in"), ACCEPT),
         rule("new", match(CT, ["established", "related"], "in"), ACCEPT), rule("new", TCP22, FROM_A, ACCEPT)],
        "tcp 22", ("delivered", "delivered")),
    "a map of verdicts, by port": (
        [chain("f", "forward"),
         rule("f", {"vmap": {"key": payload("tcp", "dport"), "data": {"set": [[22, DROP], [80, ACCEPT]]}}})],
        "tcp 22", ("filtered", "delivered")),
    "all protocols but one": (
        [chain("f", "forward"), rule("f", match(meta("l4proto"), "udp", "!="), DROP)], "tcp 22", ("filtered", "filtered")),
    "all sources but some return, the others are dropped": (
        [chain("f", "forward"), rule("f", match(meta("l4proto"), "tcp", "!="), RETURN), rule("f", DROP)],
        "tcp 22", ("filtered", "filtered")),
    "a named set, and what is not in it": (
        [chain("f", "forward"), {"set": {"family": "inet", "table": "t", "name": "s", "type": "ipv4_addr",
                                         "elem": ["10.0.1.9", {"range": ["10.0.1.20", "10.0.1.40"]}]}},
         rule("f", match(payload("ip", "saddr"), "@s", "!="), DROP)], "tcp 22", ("delivered", "filtered")),
    "addresses and ports together": (
        [chain("f", "forward", "drop"),
         rule("f", match({"concat": [payload("ip", "daddr"), payload("tcp", "dport")]},
                         {"set": [{"concat": ["10.0.2.9", 22]}, {"concat": ["10.0.2.9", 80]}]}), ACCEPT)],
        "tcp 22", ("delivered", "filtered")),
    "ports of any protocol that has some": (
        [chain("f", "forward", "drop"), rule("f", match(payload("th", "dport"), 53), ACCEPT)], "udp 53", ("delivered", "filtered")),
    "an interface by the beginning of its name": (
        [chain("f", "forward", "drop"), rule("f", match(meta("iifname"), "e1*"), ACCEPT)], "tcp 22", ("delivered", "filtered")),
    "a table of the other family has no say": (
        [table("ip6", "x"), chain("f", "forward", "drop", family="ip6", of="x")], "tcp 22", ("delivered", "delivered")),
    "a mark that the rule which gives it asked for": (
        [chain("f", "forward", "drop"),
         rule("f", match(meta("mark"), 0), {"mangle": {"key": meta("mark"), "value": 5}}, ACCEPT)],
        "tcp 22", ("delivered", "delivered")),
    "marked before it is filtered": (
        [chain("p", "prerouting", prio=-150), chain("f", "forward", "drop"),
         rule("p", FROM_A, {"mangle": {"key": meta("mark"), "value": 7}}), rule("f", match(meta("mark"), 7), ACCEPT)],
        "tcp 22", ("delivered", "filtered")),
    "a limit is taken as not reached": (
        [chain("f", "forward", "drop"), rule("f", {"limit": {"rate": 1, "per": "second"}}, ACCEPT)],
        "tcp 22", ("delivered", "delivered")),
    "what the host itself takes is no matter of forwarding": (
        [chain("i", "input", "drop")], "tcp 22", ("delivered", "delivered")),
}  # fmt: skip


@pytest.mark.parametrize("name", RULESETS)
def test_rulesets_decide_as_the_kernel_would(name):
    nft, traffic, expected = RULESETS[name]
    assert verdict(lab(*nft), traffic) == expected


def test_whoever_hides_behind_the_way_out_is_answered():
    """Masquerading makes 10.0.2.1 of 10.0.1.9; the answer to it is turned back at r."""
    nft = [
        table("ip", "n"),
        chain("post", "postrouting", prio=100, kind="nat", family="ip", of="n"),
        rule("post", match(meta("oifname"), "e2"), {"masquerade": None}, family="ip", tab="n"),
    ]
    made = lab(*nft)
    assert verdict(made) == ("delivered", "delivered")
    assert "new-source: interface" in line(made, "r.yaml", "- {id: 10, new-source")


def test_what_is_not_covered_is_named_and_said_with_every_answer():
    made = lab(
        chain("f", "forward", "drop"),
        rule(
            "f", match({"fib": {"result": "type", "flags": ["daddr"]}}, "local"), ACCEPT, handle=7
        ),
    )
    told = [m.text for m in made.report.messages]
    assert "inet t f: rule 7 asks for “fib”; left out" in told
    assert next(f for f in made.report.files if f.path == "r/nft.json").verdict.value == "partly"
    (device,) = (d for d in state_of(made).network.devices if d.name == "r")
    assert device.unknown == ("inet t f: rule 7 asks for “fib”; left out",)


# --- routes and rules -----------------------------------------------------------------------------


def route(dst, via="10.0.2.9", dev="e2", **more):
    return {
        "type": "unicast",
        "dst": dst,
        "gateway": via,
        "dev": dev,
        "protocol": "boot",
        "flags": [],
        **more,
    }


def test_the_lower_metric_counts_and_dead_ways_do_not():
    """Of two routes to 10.9.0.0/24 that of metric 10 leads to b. Of the two ways to 10.8.0.0/24 one
    is dead, so all goes by the other."""
    made = lab(routes=[
        route("10.9.0.0/24", metric=20, via="10.0.1.9", dev="e1"), route("10.9.0.0/24", metric=10),
        {"type": "unicast", "dst": "10.8.0.0/24", "protocol": "boot", "flags": [], "nexthops": [
            {"gateway": "10.0.1.9", "dev": "e1", "weight": 1, "flags": ["dead", "linkdown"]},
            {"gateway": "10.0.2.9", "dev": "e2", "weight": 1, "flags": []}]},
    ])  # fmt: skip
    state = state_of(made)
    number = state.rib.interning.table_numbers["r", "default"]
    held = {
        str(r.prefix): [str(h.address) for h in r.next_hops] for r in state.rib.table_routes(number)
    }
    assert held["10.9.0.0/24"] == ["10.0.2.9"]
    assert line(made, "r.yaml", "- {to: 10.9.0.0/24, via: 10.0.1.9").count("distance: 20") == 1


def test_a_table_that_does_not_follow_is_taken_as_it_is():
    """A route that a daemon learnt is in no configuration; neither is a connected one that is gone."""
    made = lab(routes=[route("10.7.0.0/16", protocol="bgp")])
    assert line(made, "r.yaml", "tables:").startswith("tables: known")
    assert "r,,10.7.0.0/16,bgp,10.0.2.9,e2,,0" in made.texts["r-tables.csv"]
    assert verdict(made, destination="10.7.0.5", traffic="udp 53")[0] == "discarded", (
        "b is no router"
    )
    without = lab()
    assert "r-tables.csv" not in without.texts
    assert "tables:" not in without.texts["r.yaml"]


def test_rules_ask_tables_in_order():
    """What comes from 10.0.1.0/24 asks table 100, which throws it back; then the table main does."""
    rules = [
        {"priority": 0, "src": "all", "table": "local"},
        {"priority": 50, "src": "10.0.1.0", "srclen": 24, "table": "100"},
        {"priority": 60, "src": "all", "fwmark": "0x5", "fwmask": "0xf", "action": "prohibit"},
        {"priority": 32766, "src": "all", "table": "main"},
        {"priority": 32767, "src": "all", "table": "default"},
    ]
    throw = {"type": "throw", "dst": "10.0.2.0/24", "table": "100", "protocol": "boot", "flags": []}
    black = {
        "type": "blackhole",
        "dst": "10.0.2.0/24",
        "table": "100",
        "protocol": "boot",
        "flags": [],
    }
    assert verdict(lab(routes=[throw], rules=rules)) == ("delivered", "delivered")
    assert verdict(lab(routes=[black], rules=rules))[0] == "discarded"
    assert "marked: 5" in line(lab(routes=[throw], rules=rules), "r.yaml", "- {id: 20")


def test_an_excepting_rule_is_for_its_family_alone():
    """“Not from 10.0.1.0/24” asks table 100; of IPv6, which it does not speak of, it is no rule."""
    rules = [
        {"priority": 50, "not": None, "src": "10.0.1.0", "srclen": 24, "table": "100"},
        {"priority": 32766, "src": "all", "table": "main"},
    ]
    assert "only: ipv4" in line(
        lab(rules=rules), "r.yaml", "- {id: 10, from: 10.0.1.0/24, invert: true"
    )
    black = {"type": "blackhole", "dst": "default", "table": "100", "protocol": "boot", "flags": []}
    assert verdict(lab(routes=[black], rules=rules)) == ("delivered", "discarded")


# --- interfaces and settings ----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("settings", "expected"),
    [
        ({"net.ipv4.ip_forward": 1}, (Role.ROUTER, True, False)),
        (
            {"net/ipv4/ip_forward": "1", "net/ipv6/conf/all/forwarding": "1"},
            (Role.ROUTER, True, True),
        ),
        (
            {"net": {"ipv4": {"ip_forward": 0}, "ipv6": {"conf": {"all": {"forwarding": 1}}}}},
            (Role.ROUTER, False, True),
        ),
        ({"/proc/sys/net/ipv4/ip_forward": 0}, (Role.HOST, False, False)),
    ],
)
def test_settings_are_read_however_they_are_written(settings, expected):
    files = bundle("r", [addr("e1", "10.0.1.1/24")])
    files["r/sysctl.json"] = json.dumps(settings).encode()
    (device,) = state_of(imported(files)).network.devices
    assert (device.role, device.forwards(4), device.forwards(6)) == expected


def test_an_interface_with_a_dot_in_its_name_keeps_it():
    files = bundle("r", [addr("e1.10", "10.0.1.1/24")])
    files["r/sysctl.json"] = b'{"net.ipv4.conf.e1/10.rp_filter": 1, "net.ipv4.ip_forward": 1}'
    assert "reverse-path-check: strict" in line(imported(files), "r.yaml", "e1.10:")


def test_a_lost_carrier_is_told_from_a_shut_interface():
    made = imported(bundle("r", [
        addr("e1", "10.0.1.1/24", flags="UP NO-CARRIER"), addr("e2", "10.0.2.1/24", flags=""),
        addr("dum0", "10.255.0.1/32", flags="UP LOWER_UP", linkinfo={"info_kind": "dummy"}),
    ]))  # fmt: skip
    assert "carrier: false" in line(made, "r.yaml", "e1:")
    assert "enabled: false" in line(made, "r.yaml", "e2:")
    assert "kind: loopback" in line(made, "r.yaml", "dum0:")
    down = state_of(made).topology.why_down("r", "e1")
    assert str(down) == "r:e1 has no carrier"


def test_a_role_and_cables_stand_beside_the_bundles():
    made = imported(
        bundle("a", [addr("e0", "10.0.1.9/32")]), bundle("b", [addr("e5", "10.0.9.1/32")]),
        links={"cable": ["a:e0", "b:e5"]},
    )  # fmt: skip
    assert {end.key for end in state_of(made).topology.segments[0].ends} == {
        ("a", "e0"),
        ("b", "e5"),
    }


#: Files that are no captures, and what is said of each.
HOSTILE = {
    "nothing": (b"", "holds nothing"),
    "null": (b"null", "holds nothing"),
    "no JSON": (b"[{]", "no JSON"),
    "not text": (b"\xff\xfe[", "is not UTF-8"),
    "an object": (b"{}", "no list of objects"),
    "a name twice": (b'[{"ifname": "a", "ifname": "b"}]', "“ifname” is given twice"),
    "very deep": (b"[" * 20_000 + b"]" * 20_000, "levels deep"),
    "no number": (b'[{"mtu": NaN}]', "NaN is no number"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_every_hostile_file_gets_a_sentence(name):
    content, said = HOSTILE[name]
    files = {**bundle("r", [addr("e1", "10.0.1.1/24")]), "r/addr.json": content}
    told = [m.text for m in imported(files).report.messages if m.path == "r/addr.json"]
    assert any(said in text for text in told), told


# --- captures that are not as the commands print them ---------------------------------------------

_PORTS = [addr("e0", "10.0.0.1/24"), addr("e1", "10.1.0.1/24")]
_DPORT = {"payload": {"protocol": "tcp", "field": "dport"}}
_RULES = [
    table("inet", "t"), chain("f", "forward", "drop"), chain("x"),
    rule("f", {"match": {"op": "!=", "left": _DPORT, "right": {"set": [80, {"range": [1, 9]}]}}}, {"jump": {"target": "x"}}),
    rule("x", {"mangle": {"key": {"meta": {"key": "mark"}}, "value": 7}}, {"return": None}),
    {"set": {"family": "inet", "table": "t", "name": "s", "type": "ipv4_addr", "flags": ["interval"], "elem": ["10.0.0.1", {"prefix": {"addr": "10.1.0.0", "len": 16}}]}},
    rule("x", {"match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": "saddr"}}, "right": "@s"}}, {"accept": None}),
]  # fmt: skip
_ROUTES = [
    {"type": "unicast", "dst": "10.9.0.0/16", "protocol": "static", "metric": 5, "table": "77", "flags": [],
     "nexthops": [{"gateway": "10.0.0.2", "dev": "e0", "weight": 1, "flags": []}, {"gateway": "10.1.0.2", "dev": "e1", "weight": 2, "flags": ["dead"]}]},
    {"type": "blackhole", "dst": "10.8.0.0/16", "protocol": "static", "flags": []},
]  # fmt: skip
_STEERED = [{"priority": 100, "src": "10.0.0.0", "srclen": 24, "table": "77"}]
MALFORMED = {
    "a range of one": (rule("f", {"match": {"op": "==", "left": _DPORT, "right": {"range": [1]}}}, {"accept": None}), "a range that is none"),
    "a port that is none": (rule("f", {"match": {"op": "==", "left": _DPORT, "right": 65536}}, {"accept": None}), "a port that is none"),
    "a mark without a value": (rule("f", {"mangle": {"key": {"meta": {"key": "mark"}}}}), "left out"),
    "a policy that is none": (chain("g", "forward", "perhaps"), "no priority or policy that is known"),
    "a priority that is none": (chain("g", "forward", prio="-"), "no priority or policy that is known"),
}  # fmt: skip


@pytest.mark.parametrize("name", MALFORMED)
def test_rules_that_are_not_as_printed_are_left_out_by_name(name):
    item, words = MALFORMED[name]
    made = imported(bundle("r", _PORTS, nft=[*_RULES, item]))
    told = [message.text for message in made.report.messages]
    assert any(words in text for text in told), told
    assert state_of(made).network.devices[0].unknown


@pytest.mark.parametrize("seed", range(10))
def test_whatever_is_wrong_in_captures_a_device_is_made_or_it_is_said_why_not(seed):
    dice = random.Random(seed)
    sound = {
        path: json.loads(content)
        for path, content in bundle("r", _PORTS, _ROUTES, nft=_RULES, rules=_STEERED).items()
    }
    for _ in range(40):
        files = {str(path): value for path, value in broken(sound, dice).items()}
        made = import_files({path: json.dumps(value).encode() for path, value in files.items()})
        problems = read_texts(made.texts).problems if made.texts else ()
        assert not problems, (problems[0].place, problems[0].text, files)
        assert (
            made.texts or made.report.files == [] or any(one.refused for one in made.report.files)
        )


@pytest.mark.parametrize(
    ("operator", "ports"), [(">", "1025-65535"), (">=", "1024-65535"), ("<", "0-1023")]
)
def test_a_comparison_of_ports_has_an_end(operator, ports):
    item = rule("f", {"match": {"op": operator, "left": _DPORT, "right": 1024}}, {"accept": None})
    made = imported(
        bundle("r", _PORTS, nft=[table("inet", "t"), chain("f", "forward", "drop"), item])
    )
    assert f"to-port: {ports}" in made.texts["r.yaml"]
    assert not state_of(made).network.devices[0].unknown
