"""Flows between many ends: one row for each cause, the exception first, addresses of nobody last."""

from __future__ import annotations

import pytest

from routrel.questions.flow import FlowQuestion
from tests.nets import device, state
from tests.told import answer_flow

#: h1, h2 and h3 behind a; t1 and t2 behind b; a and b joined. The net is the lan number in 10.0.N.
HOSTS = [
    device(name, f"gateway: 10.0.{lan}.1\ninterfaces: {{e: {{addresses: [10.0.{lan}.{last}/24]}}}}", "host")
    for name, lan, last in (("h1", 1, 11), ("h2", 1, 12), ("h3", 2, 13), ("t1", 3, 21), ("t2", 3, 22))
]  # fmt: skip
A = device(
    "a",
    "interfaces:\n  one: {addresses: [10.0.1.1/24]}\n  two: {addresses: [10.0.2.1/24]}\n"
    "  x: {addresses: [10.0.9.1/30]}\nstatic: [{to: 10.0.3.0/24, via: 10.0.9.2}]",
)
GROUPS = (
    "routrel: 1\nnetwork: n\ngroups: {all: {members: [h1, h2, h3]}, servers: {members: [t1, t2]}}\n"
)


def b(rules: str = "", more: str = "") -> str:
    static = "static: [{to: 10.0.0.0/21, via: 10.0.9.1}]\n"
    filters = f"filters: {{guard: {{default: permit, rules: [{rules}]}}}}\n"
    return device(
        "b",
        "interfaces:\n  x: {addresses: [10.0.9.2/30], filters: {in: guard}}\n"
        "  lan: {addresses: [10.0.3.1/24]}\n" + filters + (more or static),
    )


ONE = "{id: 10, deny: any, from: 10.0.1.12/32, to: 10.0.3.22/32}"
LAN = "{id: 20, deny: any, from: 10.0.1.0/24}"

SENTENCES = {
    "all alike": (
        b(), "all", "servers", ["6 pairs of all and servers: delivered."], None,
    ),
    "one cause": (
        b(LAN), "all", "t1",
        ["2 pairs of h1, h2 and t1: blocked by rule 20 of guard at b; the way back is open.",
         "h3 → t1: delivered."],
        "h3 → t1: delivered. The other 2 of 3 pairs: blocked by rule 20 of guard at b; "
        "the way back is open.",
    ),
    "the exception first": (
        b(ONE), "all", "servers",
        ["h2 → t2: blocked by rule 10 of guard at b; the way back is open.",
         "5 pairs of all and servers: delivered."],
        "h2 → t2: blocked by rule 10 of guard at b; the way back is open. "
        "The other 5 of 6 pairs: delivered.",
    ),
    "answers do not come back": (
        b("", "static: [{to: 10.0.1.0/24, via: 10.0.9.1}]\n"), "all", "t1",
        ["h3 → t1: delivered, but answers do not come back: no route at b.",
         "2 pairs of h1, h2 and t1: delivered."],
        "h3 → t1: delivered, but answers do not come back: no route at b. "
        "The other 2 of 3 pairs: delivered.",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SENTENCES)
def test_pairs_are_told_by_cause(name):
    router, source, destination, rows, sentence = SENTENCES[name]
    answer = answer_flow(
        state(GROUPS, *HOSTS, A, router), FlowQuestion(source=source, destination=destination)
    )
    assert [cause["sentence"] for cause in answer["causes"]] == rows
    assert answer["sentence"] == (sentence or rows[0])
    # Every class is in exactly one cause, and a cause counts its pairs.
    assert sorted(n for cause in answer["causes"] for n in cause["classes"]) == list(
        range(len(answer["classes"]))
    )
    for cause in answer["causes"]:
        pairs = [p for n in cause["classes"] for p in answer["classes"][n]["pairs"]]
        assert cause["pair_count"] == len(pairs)


def test_addresses_of_nobody_come_last_and_are_counted_apart():
    """10.0.3.0/24 has t1, t2 and b itself; the ranges between them nobody answers for."""
    answer = answer_flow(
        state(GROUPS, *HOSTS, A, b()), FlowQuestion(source="h1", destination="10.0.3.0/24")
    )
    assert [cause["of_nobody"] for cause in answer["causes"]] == [False, True]
    assert answer["causes"][1]["verdict"] == "next_hop_unresolved"
    assert answer["sentence"] == (
        "3 pairs of h1 and 10.0.3.21, 10.0.3.22, 10.0.3.1: delivered. "
        "2 more pairs are of addresses that no device has."
    )


def test_ways_of_one_cause_say_what_tells_them_apart():
    """h1 to t1 and t2 alike but for the last hop; b steers t2's answers by another interface."""
    second = A.replace("  x:", "  y: {addresses: [10.0.8.1/30]}\n  x:")
    router = b("", "static: [{to: 10.0.1.0/24, via: 10.0.9.1}]\n"
               "steering: {s: {rules: [{id: 10, from: 10.0.3.22/32, next-hop: 10.0.8.1}]}}\n").replace(
        "  lan: {addresses: [10.0.3.1/24]}",
        "  y: {addresses: [10.0.8.2/30]}\n  lan: {addresses: [10.0.3.1/24], steering: s}",
    )  # fmt: skip
    answer = answer_flow(
        state(GROUPS, *HOSTS, second, router), FlowQuestion(source="h1", destination="servers")
    )
    [cause] = answer["causes"]
    first, other = (answer["classes"][n] for n in cause["classes"])
    assert (first["way"], first["differs"]) == ("h1 → a → b → t1", "")
    assert other["differs"] == (
        "On the way back: at b, h1 → t2: s: rule 10 (any 10.0.3.22/32 → any: to 10.0.8.1); "
        "h1 → t1: s: no rule decides, so the table does."
    )
