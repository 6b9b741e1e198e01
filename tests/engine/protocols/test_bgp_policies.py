"""Policies on routes of BGP: what they match and set, chains and calls, what is suspicious."""

from __future__ import annotations

import ipaddress
import json

import pytest
from typer.testing import CliRunner

from routrel.answers.base import data
from routrel.answers.policies import policy_route_data, read_route
from routrel.cli.app import app
from routrel.files.bgp_values import AsPathPatternValue
from routrel.files.nodes import Scalar
from routrel.files.report import Report
from routrel.model.communities import canonical_community, community_matches
from routrel.model.place import NOWHERE
from routrel.model.policy import PolicyUse
from routrel.policy.as_paths import SegmentKind, as_path_text, fits, path_length, sequence
from routrel.policy.evaluate import evaluate, evaluate_chain
from tests.bgp_nets import edge
from tests.nets import device, network, state

SETS = """
sets:
  as-paths: {isle: [begins 64510, only 64511]}
  communities: {ours: ["64500:*"], two: ["64500:1", "64500:2"], wide: [no-export, "64500:9:1"]}
  neighbours: {up: [192.0.2.0/24]}
"""
ROUTE = {
    "prefix": "198.51.100.0/24", "as-path": "64510 64510 64496", "med": 10, "weight": 3,
    "local-preference": 120, "origin": "egp", "communities": ["64500:1", "64500:9:1"],
    "neighbour": "192.0.2.9",
}  # fmt: skip


def tried(policies: str, uses: str = "p"):
    """What the named policies, one behind the other, make of the route."""
    (made,) = network(device("r1", f"{SETS}\npolicies:\n{policies}")).devices
    return evaluate_chain(
        made, [PolicyUse(policy=name) for name in uses.split()], read_route(ROUTE)
    )


@pytest.mark.parametrize(
    ("match", "holds"),
    [
        ("as-path: begins 64510", True),
        ("as-path: begins 64510 64510 64510", False),
        ("as-path: passes 64510 64496", True),
        ("as-path: passes 64496 64510", False),
        ("as-path: ends 64496", True),
        ("as-path: only 64510 64510 64496", True),
        ("as-path: only 64510 64496", False),
        ("as-path: empty", False),
        ("as-path: length 3", True),
        ("as-path: [length up to 2, length from 4]", False),
        ("as-paths: isle", True),
        ("communities: ours", True),
        ("communities: wide", True),
        ("all-communities: two", False),
        ("all-communities: ours", True),
        ("neighbours: up", True),
        ("local-preference: [100, 120]", True),
        ("med: 11", False),
        ("origin: [igp, egp]", True),
        ("protocol: bgp, origin: igp", False),
    ],
)
def test_conditions(match, holds):
    found = tried(f"  p: {{statements: [{{name: s, match: {{{match}}}, then: accept}}], "
                  "default: reject}")  # fmt: skip
    assert (found.route is not None) == holds
    assert bool(found.steps[0].failed) != holds


@pytest.mark.parametrize(
    ("action", "key", "value"),
    [
        ("med: 50", "med", 50),
        ("med: +5", "med", 15),
        ("med: -50", "med", 0),
        ("local-preference: +10", "local-preference", 130),
        ("weight: 7", "weight", 7),
        ("origin: incomplete", "origin", "incomplete"),
        ("prepend: [64500, 64500]", "as-path", "64500 64500 64510 64510 64496"),
        ("next-hop: self", "next-hop", ["self"]),
        ("communities: {add: no-export}", "communities", ["64500:1", "64500:9:1", "no-export"]),
        ("communities: {remove: '64500:*'}", "communities", ["64500:9:1"]),
        ("communities: {remove-sets: wide, add: '64500:3'}", "communities",
         ["64500:1", "64500:3"]),
        ("communities: {replace: []}", "communities", []),
    ],
)  # fmt: skip
def test_actions(action, key, value):
    found = tried(
        f"  p: {{statements: [{{name: s, set: {{{action}}}, then: accept}}], default: reject}}"
    )
    assert data(policy_route_data(found.route))[key] == value
    assert [change[0] for change in found.steps[0].changes] == [key]


def test_chains_and_calls():
    """What a policy leaves to the next one goes on changed; what a called one rejects fails."""
    policies = """
      first:
        statements:
          - {name: mark, set: {med: 77}}
          - {name: leave, match: {med: 77}, then: next-policy}
        default: reject
      second: {statements: [{name: take, match: {med: 77}, then: accept}], default: reject}
      never: {statements: [], default: reject}
      calling:
        statements:
          - {name: asks, call: never, then: reject}
          - {name: asks-first, call: second, set: {weight: 1}, then: reject}
          - {name: marks, call: marking, then: accept}
        default: reject
      marking: {statements: [{name: s, set: {local-preference: 1}, then: accept}], default: reject}
    """
    assert tried(policies, "first second").route.med == 77
    # The last of a chain must decide: what it leaves open is rejected.
    assert tried(policies, "first").route is None
    found = tried(policies, "calling")
    assert found.route.local_preference == 1
    assert [s.failed for s in found.steps] == [
        "call: never rejects it", "call: second rejects it", "",
    ]  # fmt: skip
    assert [s.statement for s in found.steps[2].called] == ["s"]


def test_as_paths_with_sets_and_confederations():
    """A set is one hop and stands for any of its members; a confederation's are not counted."""

    path = (
        (SegmentKind.CONFED_SEQUENCE, (65101,)),
        *sequence(64510),
        (SegmentKind.SET, (64496, 64497)),
    )
    assert path_length(path) == 2
    assert as_path_text(path) == "(65101) 64510 {64496 64497}"
    shape = AsPathPatternValue()
    for text, holds in (("begins 64510 64497", True), ("only 64510 64496", True),
                        ("passes 65101", False), ("ends 64510", False)):  # fmt: skip
        pattern = shape.read(Scalar(text=text, quoted=False, place=NOWHERE), Report())
        assert fits(pattern, path) == holds
        assert shape.write(pattern) == text


@pytest.mark.parametrize(
    ("text", "canonical"),
    [
        ("64500:100", "64500:100"), ("65535:65281", "no-export"), ("no-export", "no-export"),
        ("064500:1", "64500:1"), ("70000:1", None), ("1:2:3", "1:2:3"), ("4294967296:1:1", None),
        ("target 64500:100000", "target 64500:100000"), ("target 700000:1", "target 700000:1"),
        ("target 192.0.2.1:7", "target 192.0.2.1:7"), ("sort 1:2", None), ("64500:*", None),
    ],
)  # fmt: skip
def test_communities(text, canonical):
    assert canonical_community(text) == canonical
    if canonical:
        assert community_matches(canonical, canonical)


def test_patterns_of_communities():
    assert community_matches("65535:*", "no-export")
    assert community_matches("target *:7", "target 64500:7")
    assert not community_matches("64500:*", "64500:1:2")
    assert not community_matches("*:7", "target 64500:7")


def test_what_is_suspicious():
    net = edge(
        {"a": "1 as: 65001, announces: [{prefixes: 198.51.100.0/24, communities: '65001:7'}]",
         "b": "2 as: 65002, announces: []"},
        neighbours={"1": "import: p, export: out"},
        top="""
            sets:
              prefixes: {here: 198.51.0.0/16 up to /24, gone: [203.0.113.0/24]}
              communities: {odd: ["1:1"], some: ["65001:*"]}
              as-paths: {far: length from 5, near: begins 65001}
            policies:
              p:
                statements:
                  - {name: wide, match: {prefixes: here}, then: accept}
                  - {name: behind, match: {prefixes: part}, set: {med: 5}, then: accept}
                  - {name: unseen, match: {prefixes: gone}, then: accept}
                  - {name: marked, match: {communities: [odd], as-paths: far}, then: accept}
                  - {name: seen, match: {communities: some, as-paths: near}, then: accept}
                default: reject
              out: {statements: [{name: s, set: {weight: 5, local-preference: 7}}], default: accept}
        """.replace("gone:", "part: 198.51.100.0/24, gone:"),
    )  # fmt: skip
    found = {(f.code, f.text) for f in net.findings}
    codes = [code for code, _ in found]
    assert any("behind of policy p is never reached: wide" in text for _, text in found)
    assert any("no route of the network is in prefix set gone" in text for _, text in found)
    never = [text for code, text in found if code == "set_never_matched"]
    assert sorted(text.split()[-1] for text in never) == ["far", "gone", "odd"]
    assert codes.count("action_without_effect") == 2
    assert any(code == "policy_final_reject" and "policy p" in text for code, text in found)
    assert any(code == "bgp_no_policy" and "10.9.2.2" in text for code, text in found)


def test_routers_of_one_as_that_choose_differently():
    texts = [
        device(f"r{n}", f"bgp: {{as: 65000, router-id: 1.1.1.{n}, decision: {{{said}}}}}")
        for n, said in ((1, ""), (2, "missing-med: worst"))
    ]

    (finding,) = [f for f in state(*texts).findings if f.code == "bgp_settings_differ"]
    assert "r1 and r2 of AS 65000 differ in decision" in finding.text


def test_the_command_shows_each_statement(tmp_path):
    (tmp_path / "r1.yaml").write_text(
        device("r1", f"{SETS}\npolicies:\n  p:\n    statements:\n"
               "      - {name: no, match: {med: 11}, then: reject}\n"
               "      - {name: yes, match: {communities: ours}, set: {local-preference: 150}, "
               "then: accept}\n      - {name: late, then: reject}\n    default: reject\n")
    )  # fmt: skip
    run = CliRunner().invoke
    args = ["policy", str(tmp_path), "--device", "r1", "--policy", "p", "--route"]
    answer = json.loads(run(app, [*args, json.dumps(ROUTE), "--json"]).stdout)
    assert (answer["result"], answer["statement"]) == ("accept", "yes")
    assert [(s["statement"], s["matched"], s["failed"]) for s in answer["steps"]] == [
        ("no", False, "med"), ("yes", True, None),
    ]  # fmt: skip
    assert answer["route"]["local-preference"] == 150
    assert answer["not_reached"][0]["statement"] == "late"
    assert answer["steps"][1]["line"] == 13
    shown = run(app, [*args, json.dumps(ROUTE)]).stdout
    assert "local-preference 120 → 150" in shown
    for bad, words in (("{", "no JSON"), ('{"med": 1}', "needs a prefix"),
                       ('{"prefix": "x"}', "makes no sense"), ('{"prefx": "x"}', "prefix")):  # fmt: skip
        result = run(app, [*args, bad])
        assert result.exit_code == 2
        assert words in result.stderr
    unknown = run(app, [*args[:5], "q", "--route", json.dumps(ROUTE)])
    assert unknown.exit_code == 2


def test_evaluate_of_one_policy_alone_rejects_what_it_leaves_open():
    (made,) = network(
        device("r1", "policies: {p: {statements: [{name: s, then: next-policy}], default: accept}}")
    ).devices
    route = read_route({"prefix": "198.51.100.0/24"})
    assert route.prefix == ipaddress.ip_network("198.51.100.0/24")
    assert evaluate(made, made.policies[0], route).route is None
