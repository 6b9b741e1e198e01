"""What a flow's answer tells at a glance: entries, the hop that decides, resolution, the line."""

from __future__ import annotations

from fractions import Fraction

import pytest

from routrel.questions.flow import FlowQuestion
from routrel.questions.flows_over import flows_over
from tests.nets import device, state
from tests.told import answer_flow

HOST = device("h", "gateway: 10.0.9.1\ninterfaces: {e: {addresses: [10.0.9.9/24]}}", "host")
#: A provider on two lines, to r1 and r2, and public hosts behind it.
PROVIDER = (
    "routrel: 1\nnetwork: n\noutside:\n"
    "  isp: {addresses: [192.0.2.1/30, 192.0.2.5/30], prefixes: [198.51.100.0/24]}\n"
)


def edge(number: int, more: str = "", wan: str = "") -> str:
    """rN: its line to the provider, and its link to m."""
    return device(
        f"r{number}",
        f"interfaces:\n  wan: {{addresses: [192.0.2.{4 * number - 2}/30]{wan}}}\n"
        f"  in: {{addresses: [10.0.{number}.1/30]}}\n"
        f"static: [{{to: 10.0.9.0/24, via: 10.0.{number}.2}}, "
        f"{{to: 0.0.0.0/0, via: 192.0.2.{4 * number - 3}}}]\n" + more,
    )


MIDDLE = device(
    "m",
    "interfaces:\n  a: {addresses: [10.0.1.2/30]}\n  b: {addresses: [10.0.2.2/30]}\n"
    "  lan: {addresses: [10.0.9.1/24]}\nstatic: [{to: 0.0.0.0/0, via: 10.0.1.1}]",
)
SHUT = "filters: {closed: {default: deny}}\n"
IN_CLOSED = ", filters: {in: closed}"

ENTRIES = [
    (
        (edge(1), edge(2)),
        "if it came in all the same: delivered to h, from each of the 2 places where it may come in.",
        ["delivered", "delivered"],
    ),
    (
        (edge(1), edge(2, SHUT, IN_CLOSED)),
        "may come in at 2 places. From isp at r2:wan: blocked at r2: filter closed on wan drops it "
        "on arrival by its default (no rule matches). From isp at r1:wan: delivered to h.",
        ["delivered", "filtered"],
    ),
    (
        (edge(1, SHUT, IN_CLOSED), edge(2, SHUT, IN_CLOSED)),
        "From isp at r1:wan: blocked at r1: filter closed on wan drops it on arrival by its default "
        "(no rule matches). From isp at r2:wan: blocked at r2: ",
        ["filtered", "filtered"],
    ),
]


@pytest.mark.parametrize(("edges", "words", "verdicts"), ENTRIES, ids=["all", "one", "none"])
def test_each_entry_from_outside_has_its_own_verdict_and_shares(edges, words, verdicts):
    """Nobody knows how traffic is split between two lines: each has shares of its own."""
    answer = answer_flow(
        state(PROVIDER, HOST, MIDDLE, *edges), FlowQuestion(source="198.51.100.7", destination="h")
    )
    assert answer["sentence"].startswith("From outside nobody could send to 10.0.9.9, a private")
    assert words in answer["sentence"]
    assert "equal-cost" not in answer["sentence"].lower()
    forward = answer["forward"]
    names = [entry["name"] for entry in forward["entries"]]
    assert names == ["isp at r1:wan", "isp at r2:wan"]
    assert [entry["verdict"] for entry in forward["entries"]] == verdicts
    assert [(b["entry"], b["share"]) for b in forward["branches"]] == [(n, 1.0) for n in names]


def test_answers_are_told_by_entry_where_devices_remember_differently():
    """m sends all answers by r1, which lets out only those to what it has let in itself."""
    guard = (
        "filters:\n  open: {sessions: true, default: permit}\n"
        "  answers: {sessions: true, default: deny}\n"
    )
    net = state(
        PROVIDER, HOST, MIDDLE, edge(1, guard, ", filters: {in: open, out: answers}"), edge(2)
    )
    back = answer_flow(net, FlowQuestion(source="198.51.100.7", destination="h"))["return"]
    asked = {b["entry"]: (b["verdict"], b["share"]) for b in back["branches"]}
    assert asked == {
        "the answer to what came from isp at r1:wan": ("leaves_network", 1.0),
        "the answer to what came from isp at r2:wan": ("filtered", 1.0),
    }
    assert [entry["verdict"] for entry in back["entries"]] == ["leaves_network", "filtered"]


SPLIT = [
    HOST.replace("10.0.9", "10.0.1"),
    device("a", "interfaces:\n  lan: {addresses: [10.0.1.1/24]}\n  x: {addresses: [10.0.2.1/30]}\n"
           "  y: {addresses: [10.0.3.1/30]}\n"
           "static: [{to: 10.5.0.0/16, via: 10.0.2.2}, {to: 10.5.0.0/16, via: 10.0.3.2}]"),
    device("b", "interfaces: {x: {addresses: [10.0.2.2/30], filters: {in: no}}}\n"
           "filters: {no: {default: deny}}"),
    device("d", "interfaces: {z: {addresses: [10.5.0.1/24]}}"),
]  # fmt: skip


def test_branches_that_stop_in_different_places_are_not_said_to_stop_in_one():
    """a splits to b and c; both drop it, each by a filter of its own."""
    c = device("c", f"interfaces: {{y: {{addresses: [10.0.3.2/30]{IN_CLOSED}}}}}\n{SHUT}")
    asked = FlowQuestion(source="h", destination="10.5.0.1", both=False)
    sentence = answer_flow(state(*SPLIT, c), asked)["sentence"]
    assert sentence.startswith(
        "Blocked at b: filter no drops it on arrival by its default (no rule matches), "
        "on 1 of 2 paths. Blocked at c: filter closed drops it on arrival"
    )


A = (
    "interfaces:\n  lan: {addresses: [10.0.9.1/24]STEER}\n  x: {addresses: [10.0.1.1/30]}\n"
    "  y: {addresses: [10.0.2.1/30]}\n"
)
B = (
    "interfaces:\n  x: {addresses: [10.0.1.2/30]}\n  y: {addresses: [10.0.2.2/30]}\n"
    "  z: {addresses: [10.0.3.1/24]}\n"
)
T = device("t", "gateway: 10.0.3.1\ninterfaces: {e: {addresses: [10.0.3.9/24]}}", "host")
THERE = "static: [{to: 10.0.3.0/24, via: 10.0.1.2}]\n"
BACK = "static: [{to: 10.0.9.0/24, via: 10.0.1.1}]\n"
TO_T, TO_H = "{to: 10.0.3.0/24, via: 10.0.%d.2}", "{to: 10.0.9.0/24, via: 10.0.%d.1}"
STEER = "steering: {s: {rules: [{id: 10, next-hop: 10.0.2.2}]}}\n"
HIDE = "translation: [{id: 10, leaves: z, new-source: interface}]\n"

#: What a and b have, the hop that decides as (direction, device, why), and the line of the way.
DECIDERS = {
    "ends": (THERE, BACK, ("forward", "t", "it ends here"), "h → a → b → t"),
    "stops": (THERE, "", ("return", "b", "it stops here"), "h → a → b → t"),
    "steers": (THERE + STEER, BACK, ("forward", "a", "a steering rule decides here"),
               "h → a → b → t; steered by rule 10 at a"),
    "parts": (THERE, f"static: [{TO_H % 2}]\n",
              ("return", "b", "here the answer takes another way"), "h → a → b → t"),
    "splits": (f"static: [{TO_T % 1}, {TO_T % 2}]\n", f"static: [{TO_H % 1}, {TO_H % 2}]\n",
               ("forward", "a", "here equal ways begin"), "h → a → b → t"),
    "default": ("static: [{to: 0.0.0.0/0, via: 10.0.1.2}]\n", BACK,
                ("forward", "a", "matched by the default route only"),
                "h → a → b → t; default route only at a"),
    "translates": (THERE, BACK + HIDE, ("forward", "b", "an address is translated here"),
                   "h → a → b → t; source translated at b"),
}  # fmt: skip


@pytest.mark.parametrize("name", DECIDERS)
def test_the_hop_that_decides_is_named_with_why(name):
    of_a, of_b, (direction, where, why), line = DECIDERS[name]
    steered = ", steering: s" if "steering" in of_a else ""
    net = state(HOST, T, device("a", A.replace("STEER", steered) + of_a), device("b", B + of_b))
    answer = answer_flow(net, FlowQuestion(source="h", destination="t"))
    decides = answer["decides"]
    hop = answer[direction]["branches"][decides["branch"]]["hops"][decides["hop"]]
    assert (decides["direction"], hop["device"], decides["why"]) == (direction, where, why)
    assert answer["forward"]["way"] == line


def test_the_line_names_what_all_ways_meet_and_counts_the_ways_between():
    """a splits to b and c, which meet at d; then d splits over two links to e, which is one way."""
    net = state(
        HOST.replace("10.0.9", "10.0.1"),
        device("a", "interfaces:\n  lan: {addresses: [10.0.1.1/24]}\n  x: {addresses: [10.0.2.1/30]}\n"
               "  y: {addresses: [10.0.3.1/30]}\n"
               "static: [{to: 10.5.0.0/16, via: 10.0.2.2}, {to: 10.5.0.0/16, via: 10.0.3.2}]"),
        device("b", "interfaces:\n  x: {addresses: [10.0.2.2/30]}\n  d: {addresses: [10.0.4.1/30]}\n"
               "static: [{to: 10.5.0.0/16, via: 10.0.4.2}]"),
        device("c", "interfaces:\n  y: {addresses: [10.0.3.2/30]}\n  d: {addresses: [10.0.5.1/30]}\n"
               "static: [{to: 10.5.0.0/16, via: 10.0.5.2}]"),
        device("d", "interfaces:\n  b: {addresses: [10.0.4.2/30]}\n  c: {addresses: [10.0.5.2/30]}\n"
               "  u: {addresses: [10.0.6.1/30]}\n  v: {addresses: [10.0.7.1/30]}\n"
               "static: [{to: 10.5.0.0/16, via: 10.0.6.2}, {to: 10.5.0.0/16, via: 10.0.7.2}]"),
        device("e", "interfaces:\n  u: {addresses: [10.0.6.2/30]}\n  v: {addresses: [10.0.7.2/30]}\n"
               "  z: {addresses: [10.5.0.1/24]}"),
    )  # fmt: skip
    answer = answer_flow(net, FlowQuestion(source="h", destination="10.5.0.1", both=False))
    assert answer["forward"]["way"] == "h → a → (2 ways) → d → e"
    assert answer["facts"][0] == "Forward: 4 ways, 2 equal at a, 2 equal at d."


def test_each_step_from_a_route_to_its_interface_is_told_with_its_line():
    """r1's default names 10.255.0.9; that is static via 10.255.0.2, which is via the neighbour."""
    net = state(
        HOST.replace("10.0.9", "10.0.1"),
        device("r1", "interfaces:\n  lan: {addresses: [10.0.1.1/24]}\n  x: {addresses: [10.0.2.1/30]}\n"
               "static:\n  - {to: 0.0.0.0/0, via: 10.255.0.9}\n  - {to: 10.255.0.9/32, via: 10.255.0.2}\n"
               "  - {to: 10.255.0.2/32, via: 10.0.2.2}"),
        device("r2", "interfaces:\n  x: {addresses: [10.0.2.2/30]}\n  z: {addresses: [10.5.0.1/24]}"),
    )  # fmt: skip
    asked = FlowQuestion(source="h", destination="10.5.0.1", both=False)
    hop = answer_flow(net, asked)["forward"]["branches"][0]["hops"][1]
    [evidence] = [s["evidence"] for s in hop["stages"] if s["stage"] == "route"]
    assert (evidence["route"]["prefix"], evidence["line"]) == ("0.0.0.0/0", 8)
    steps = [(r["address"], r["route"]["prefix"], r["route"]["line"]) for r in evidence["resolved"]]
    assert steps == [("10.255.0.9", "10.255.0.9/32", 9), ("10.255.0.2", "10.255.0.2/32", 10)]


def test_flows_over_an_interface_are_those_of_any_branch_with_their_share():
    """h to t over two equal links x and y, back by x alone; another flow never leaves h's subnet."""
    net = state(
        HOST, T,
        device("a", A.replace("STEER", "") + f"static: [{TO_T % 1}, {TO_T % 2}]\n"),
        device("b", B + BACK),
    )  # fmt: skip
    kept = {
        "far": FlowQuestion(source="h", destination="t"),
        "near": FlowQuestion(source="h", destination="10.0.9.1"),
        "nobody": FlowQuestion(source="nobody", destination="t"),
    }

    def over(*ends: tuple[str, str]) -> list[tuple[str, Fraction, Fraction]]:
        return [(one.name, one.forward, one.back) for one in flows_over(net, kept, ends)]

    half = Fraction(1, 2)
    assert over(("a", "x")) == [("far", half, Fraction(1))]
    assert over(("b", "y")) == [("far", half, Fraction(0))]
    assert over(("a", "x"), ("b", "x"), ("a", "y")) == [("far", Fraction(1), Fraction(1))]
    assert [name for name, _, _ in over(("a", "lan"))] == ["far", "near"]
    assert over(("b", "nowhere")) == []
