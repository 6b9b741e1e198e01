"""Impact: what a promise uses is what it cannot lose without its packets going another way."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.answers.impact import impact_data
from routrel.convergence.converge import State, converge
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.promises.evaluate import evaluate
from routrel.questions.promises.thing_at import Used, thing_at
from tests.engine.questions.test_promises import promise
from tests.nets import device, last_texts, ring, state

LINKS = ["r1-r2", "r2-r3", "r1-r4", "r4-r3", "r2-r4", "r3-r5", "r5-r1", "r5-r4"]


def ways(net: State) -> object:
    """The devices and interfaces of all branches of r1 to r3, there and back."""
    try:
        answer = ask_flow(net, FlowQuestion(source="r1", destination="r3", both=True))
    except QuestionError as error:
        return error.text
    return [way.course for way in answer.directions]


def using(net: State, used: Used, sentence: str = "r1 to r3 must be delivered") -> bool:
    found = evaluate(net, [promise(sentence)], {}, failing=False)
    return bool(impact_data(net, found, used).promises)


@settings(max_examples=25, deadline=None, derandomize=True)
@given(st.sets(st.sampled_from(LINKS), min_size=3), st.lists(st.sampled_from([10, 20, 30]), min_size=16, max_size=16))  # fmt: skip
def test_what_is_used_is_what_is_missed_when_it_is_gone(links, costs):
    """In a link state a way moves if, and only if, something on it fails (RFC 2328 16.1)."""
    drawn = sorted(links)
    net = ring(" ".join(f"{one}:{costs[2 * n]}/{costs[2 * n + 1]}" for n, one in enumerate(drawn)))
    if not {"r1", "r3"} <= net.topology.devices.keys() or using(net, Used(device="r3")) is False:
        return  # nothing gets there, so nothing can be missed
    things = [(FailureKind.LINK, s.name, Used(link=s.name)) for s in net.topology.segments if len(s.ends) == 2]  # fmt: skip
    things += [(FailureKind.DEVICE, name, Used(device=name)) for name in net.topology.devices]
    told = {}
    for kind, name, used in things:
        without = converge(net.network, failures=Failures((Failure(kind, name),)))
        told[name] = (using(net, used), ways(without) != ways(net))
    assert {name for name, (is_used, _) in told.items() if is_used} == {
        name for name, (_, is_missed) in told.items() if is_missed
    }


@settings(max_examples=25, deadline=None, derandomize=True)
@given(st.lists(st.tuples(st.sampled_from(["permit", "deny"]), st.sampled_from(["tcp", "udp", "any"]), st.sampled_from(["", ", to-port: 80", ", to-port: 443"])), min_size=1, max_size=5))  # fmt: skip
def test_a_rule_that_is_not_used_can_go(drawn):
    """The first rule that matches decides, so one that decides nothing may be left out."""
    rules = [
        f"{{id: {n}, {action}: {what}{ports if what != 'any' else ''}}}"
        for n, (action, what, ports) in enumerate(drawn, 1)
    ]

    def made(kept: list[str]) -> State:
        listed = "".join(f"\n        - {rule}" for rule in kept) or " []"
        return state(
            device("a", "interfaces: {p: {addresses: [10.0.1.1/24]}}\ngateway: 10.0.1.2", "host"),
            device("b", "interfaces: {p: {addresses: [10.0.2.1/24]}}\ngateway: 10.0.2.2", "host"),
            device("r")
            + "interfaces:\n  p: {addresses: [10.0.1.2/24], filters: {in: f}}\n  q: {addresses: [10.0.2.2/24]}\n"
            + f"filters:\n  f:\n    rules:{listed}\n    default: permit\n",
        )

    sentence = "a to b as tcp 80, 443 must be delivered"
    net = made(rules)
    for number, _ in enumerate(rules, 1):
        if not using(net, Used(rule=f"r filter f rule {number}"), sentence):
            without = made([one for at, one in enumerate(rules, 1) if at != number])
            kept = [
                evaluate(each, [promise(sentence)], {}).found[0].kept for each in (net, without)
            ]
            assert kept[0] == kept[1], number


#: isle is told of by border to reflector to inner; spare has a session that nothing comes by.
INNER = "as: 65000, redistribute: []"


def reflected() -> State:
    """inner - reflector - border - isle, and spare beside the reflector; one AS, OSPF within."""

    def router(name: str, number: int, ports: str, neighbours: str) -> str:
        return device(name) + (
            f"ospf: {{router-id: 10.255.0.{number}}}\n"
            f"bgp: {{as: 65000, router-id: 10.255.0.{number}, neighbours: {{{neighbours}}}}}\n"
            "interfaces:\n"
            f"  lo: {{kind: loopback, addresses: [10.255.0.{number}/32], ospf: {{area: 0}}}}\n{ports}"
        )

    def port(name: str, address: str) -> str:
        return f"  {name}: {{addresses: [{address}/30], ospf: {{area: 0, cost: 10}}}}\n"

    def peer(number: int, more: str = "") -> str:
        return f"10.255.0.{number}: {{as: 65000, source: lo{more}}}"

    return state(
        "routrel: 1\nnetwork: n\noutside: {isle: {as: 64510, addresses: [192.0.2.2/30], "
        "announces: [{prefixes: [198.51.100.0/24]}]}}\n",
        router("inner", 1, port("e1", "10.0.1.1"), peer(2)),
        router(
            "reflector", 2,
            port("e1", "10.0.1.2") + port("e2", "10.0.2.1") + port("e3", "10.0.3.1"),
            ", ".join(peer(n, ", reflector-client: true") for n in (1, 3, 4)),
        ),
        router(
            "border", 3,
            port("e2", "10.0.2.2") + "  out: {addresses: [192.0.2.1/30]}\n",
            peer(2, ", next-hop: self") + ", 192.0.2.2: {as: 64510}",
        ),
        router("spare", 4, port("e3", "10.0.3.2"), peer(2)),
    )  # fmt: skip


def test_a_session_is_used_by_whatever_came_by_it_however_far_away():
    net = reflected()
    sentence = "inner to 198.51.100.7 must be delivered"
    used = {
        (name, str(neighbour.address)): using(net, Used(device=name, neighbour=str(neighbour.address)), sentence)
        for name, each in net.topology.devices.items()
        for vrf in each.vrfs
        for neighbour in (vrf.bgp.neighbours if vrf.bgp else ())
    }  # fmt: skip
    assert {pair for pair, is_used in used.items() if is_used} == {
        ("inner", "10.255.0.2"), ("reflector", "10.255.0.1"),
        ("reflector", "10.255.0.3"), ("border", "10.255.0.2"), ("border", "192.0.2.2"),
    }  # fmt: skip
    # And those are the sessions that it does not survive.
    for (name, address), is_used in used.items():
        failed = Failures((Failure(FailureKind.SESSION, f"{name}:{address}"),))
        without = converge(net.network, failures=failed)
        (kept,) = evaluate(without, [promise(sentence)], {}).found
        assert kept.kept is not is_used, (name, address)


def test_who_is_no_neighbour_is_refused_with_a_likely_one():
    net = reflected()
    found = evaluate(net, [], {})
    with pytest.raises(UnknownName, match=r"10\.255\.0\.9 is no BGP neighbour of inner"):
        impact_data(net, found, Used(device="inner", neighbour="10.255.0.9"))


FILE = """\
routrel: 1
device: r
role: router

interfaces:
  lan:
    addresses: [10.0.1.1/24]
    # a comment of the interface

    mtu: 1400
  wan: {addresses: [192.0.2.1/30],
        filters: {in: guard}}
static:
  - {to: 10.9.0.0/16, via: 192.0.2.2}
filters:
  guard:
    rules:
      - id: 10
        permit: tcp
        to-port: 443
      - {id: 20, deny: any}
    default: permit
"""
LINES = {
    1: "r", 5: "r", 6: "r lan", 8: "r lan", 10: "r lan", 11: "r wan", 12: "r wan", 13: "r",
    14: "r 10.9.0.0/16", 15: "r", 18: "r filter guard rule 10", 20: "r filter guard rule 10",
    21: "r filter guard rule 20", 22: "r filter guard default",
}  # fmt: skip


def test_a_line_belongs_to_the_innermost_thing_that_it_is_of():
    net = state(FILE)
    told = {line: str(thing_at(net.network, last_texts(), "0.yaml", line)) for line in LINES}
    assert told == LINES
    assert thing_at(net.network, last_texts(), "none.yaml", 1) is None


def test_a_line_of_the_network_file_stands_for_a_link_or_an_outside_network():
    written = (
        'routrel: 1\nnetwork: n\nlinks:\n  quay: {between: ["a:e", "b:e"]}\n'
        "outside:\n  isle: {addresses: [192.0.2.2/30]}\n"
    )
    ends = (device(name, f"interfaces: {{e: {{addresses: [10.0.1.{n}/24]}}}}") for n, name in ((1, "a"), (2, "b")))  # fmt: skip
    net = state(written, *ends)
    told = [thing_at(net.network, last_texts(), "0.yaml", line) for line in (2, 4, 6)]
    assert [str(one) if one else None for one in told] == [None, "quay", "isle"]
    assert using(net, Used(link="quay"), "a to b must be delivered")
