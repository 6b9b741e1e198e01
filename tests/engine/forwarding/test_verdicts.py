"""Filters and the walk: every verdict once, on the smallest net that shows it."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.convergence.converge import State
from routrel.forwarding.filters import evaluate
from routrel.forwarding.trace import MAXIMUM_BRANCHES
from routrel.model.filters import Action, Filter, Match, PortRange, Rule
from routrel.model.traffic import Header
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, ask_flow
from tests.nets import device, state
from tests.told import flow_data

# --- filters -------------------------------------------------------------------------------------

NETS = [ipaddress.ip_network(t) for t in ("10.0.0.0/8", "10.1.0.0/16", "0.0.0.0/0", "192.0.2.0/24")]
MATCHES = st.builds(
    Match,
    protocol=st.sampled_from([None, 6, 17]),
    sources=st.lists(st.sampled_from(NETS), max_size=2).map(tuple),
    destinations=st.lists(st.sampled_from(NETS), max_size=2).map(tuple),
    destination_ports=st.lists(
        st.tuples(st.integers(0, 9), st.integers(0, 9)).map(lambda p: PortRange(*sorted(p))),
        max_size=2,
    ).map(tuple),
)
#: What decides; going back to whoever asked is tested with filters that are asked.
DECISIONS = st.sampled_from([Action.PERMIT, Action.DENY])
RULES = st.lists(st.tuples(MATCHES, DECISIONS), max_size=6).map(
    lambda rows: tuple(Rule(id=n, match=m, action=a) for n, (m, a) in enumerate(rows, start=1))
)
HEADERS = st.builds(
    Header,
    source=st.sampled_from(["10.1.2.3", "10.2.0.1", "192.0.2.1"]).map(ipaddress.ip_address),
    destination=st.sampled_from(["10.1.9.9", "192.0.2.7", "198.51.100.1"]).map(
        ipaddress.ip_address
    ),
    protocol=st.sampled_from([6, 17]),
    source_port=st.just(49152),
    destination_port=st.integers(0, 9),
)


@given(rules=RULES, more=RULES, default=DECISIONS, header=HEADERS)
def test_first_match_decides(rules, more, default, header):
    """As a plain reading of the rules; rules added behind a match change nothing."""

    def matches(m: Match) -> bool:
        return (
            m.protocol in (None, header.protocol)
            and (not m.sources or any(header.source in p for p in m.sources))
            and (not m.destinations or any(header.destination in p for p in m.destinations))
            and (
                not m.destination_ports
                or any(header.destination_port in range(r.first, r.last + 1) for r in m.destination_ports)
            )
        )  # fmt: skip

    expected = next((rule for rule in rules if matches(rule.match)), None)
    result = evaluate(Filter(name="f", rules=rules, default=default), header)
    assert result.rule == expected
    assert result.action is (expected.action if expected else default)
    assert [bool(tried.mismatch) for tried in result.tried] == [
        not matches(tried.rule.match) for tried in result.tried
    ]
    if expected:
        longer = evaluate(Filter(name="f", rules=rules + more, default=default), header)
        assert longer.rule == expected


# --- the walk ------------------------------------------------------------------------------------

#: a -- r1 -- r2 -- b, static routes both ways; {0} and {1} stand for more lines in r1 and r2.
HOST_A = device("a", "gateway: 10.0.1.1\ninterfaces:\n  e0: {addresses: [10.0.1.9/24]}", "host")
HOST_B = device("b", "gateway: 10.0.2.1\ninterfaces:\n  e0: {addresses: [10.0.2.9/24]}", "host")


def r1(link: str = "", lan: str = "", static: str = "- {to: 10.0.2.0/24, via: 10.0.0.2}", more: str = "") -> str:  # fmt: skip
    return (
        f"routrel: 1\ndevice: r1\nrole: router\ninterfaces:\n"
        f"  lan: {{addresses: [10.0.1.1/24]{lan}}}\n  up: {{addresses: [10.0.0.1/30]{link}}}\n"
        f"static:\n  {static}\n{more}"
    )


def r2(link: str = "", lan: str = "", static: str = "- {to: 10.0.1.0/24, via: 10.0.0.1}", more: str = "") -> str:  # fmt: skip
    return (
        f"routrel: 1\ndevice: r2\nrole: router\ninterfaces:\n"
        f"  lan: {{addresses: [10.0.2.1/24]{lan}}}\n  up: {{addresses: [10.0.0.2/30]{link}}}\n"
        f"static:\n  {static}\n{more}"
    )


DENY_TCP = "filters:\n  f:\n    rules:\n      - {id: 10, permit: udp}\n      - {id: 20, deny: tcp, to-port: 80}\n    default: permit\n"


def ask(net: State, source: str = "a", destination: str = "b", traffic: str = "tcp 80", **more):
    return flow_data(
        net,
        ask_flow(
            net, FlowQuestion(source=source, destination=destination, traffic=traffic, **more)
        ),
    )


VERDICTS = [
    ("delivered", [r1(), r2()], {}, None, None),
    ("filtered", [r1(lan=", filters: {in: f}", more=DENY_TCP), r2()], {}, "r1", "filter_rule"),
    ("filtered", [r1(link=", filters: {out: f}", more=DENY_TCP), r2()], {}, "r1", "filter_rule"),
    ("filtered", [r1(), r2(lan=", filters: {out: f}", more=DENY_TCP)], {}, "r2", "filter_rule"),
    ("delivered", [r1(lan=", filters: {out: f}", more=DENY_TCP), r2()], {}, None, None),
    ("no_route", [r1(static="- {to: 10.3.0.0/24, via: 10.0.0.2}"), r2()], {}, "r1", "no_route"),
    ("discarded", [r1(static="- {to: 10.0.2.0/24, discard: true}"), r2()], {}, "r1", "discard_route"),
    ("next_hop_unresolved", [r1(static="- {to: 10.0.2.0/24, via: 10.0.1.77}"), r2()], {}, "r1", "no_neighbour"),
    ("next_hop_unresolved", [r1(static="- {to: 10.0.2.0/24, interface: up}"), r2()], {}, "r1", "no_neighbour"),
    ("looped", [r1(), r2(static="- {to: 10.0.2.8/29, via: 10.0.0.1}")], {}, "r2", "loop"),
    ("too_big", [r1(link=", mtu: 1400"), r2(link=", mtu: 1400")], {"size": 1401}, "r1", "mtu"),
    ("delivered", [r1(link=", mtu: 1400"), r2(link=", mtu: 1400")], {"size": 1400}, None, None),
    ("ttl_expired", [r1(), r2()], {"ttl": 2}, "r2", "ttl_expired"),
    ("delivered", [r1(), r2()], {"ttl": 3}, None, None),
    ("discarded", [r1(static="- {to: 10.0.2.0/24, via: 10.0.1.9}"), r2()], {}, "a", "does_not_forward"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("verdict", "routers", "more", "where", "kind"),
    VERDICTS,
    ids=[f"{n}-{v[0]}" for n, v in enumerate(VERDICTS)],
)
def test_each_verdict_names_its_cause(verdict, routers, more, where, kind):
    """The verdict, the device and the kind of cause; every cause cites a line that exists."""
    answer = ask(state(HOST_A, HOST_B, *routers), **more)["forward"]
    cause = answer["cause"]
    assert (answer["verdict"], cause and cause["device"], cause and cause["kind"]) == (
        verdict,
        where,
        kind,
    )
    (branch,) = answer["branches"]
    stopped = [s for hop in branch["hops"] for s in hop["stages"] if s["result"] == "stopped"]
    assert len(stopped) == (verdict != "delivered")
    if kind not in (None, "ttl_expired"):
        assert cause["file"]
        assert cause["line"] >= 1


def test_a_filter_verdict_shows_the_rules_tried():
    """Rule 10 did not match and says why; rule 20 did; routing alone would deliver."""
    net = state(HOST_A, HOST_B, r1(lan=", filters: {in: f}", more=DENY_TCP), r2())
    answer = ask(net)["forward"]
    evidence = answer["branches"][0]["hops"][-1]["stages"][0]["evidence"]
    assert [(t["rule"], t["mismatch"]) for t in evidence["tried"]] == [
        (10, "tcp, not udp"),
        (20, None),
    ]
    assert (answer["routing_verdict"], answer["cause"]["rule"]) == ("delivered", 20)
    lines = r1(lan=", filters: {in: f}", more=DENY_TCP).splitlines()
    assert "id: 20" in lines[evidence["line"] - 1]


def test_the_return_direction_swaps_addresses_and_ports():
    """A filter on the source port stops the answer alone."""
    by_source = "filters:\n  f:\n    rules:\n      - {id: 1, deny: tcp, from-port: 80}\n    default: permit\n"
    net = state(HOST_A, HOST_B, r1(), r2(lan=", filters: {in: f}", more=by_source))
    answer = ask(net)
    assert (answer["forward"]["verdict"], answer["return"]["verdict"]) == ("delivered", "filtered")
    assert (answer["return"]["source"]["name"], answer["return"]["destination"]["name"]) == (
        "b",
        "a",
    )


def test_an_echo_reply_answers_an_echo_request():
    """Without a protocol the question is a ping; the way back carries the reply."""
    no_reply = "filters:\n  f:\n    rules:\n      - {id: 1, deny: icmp, icmp-type: echo-reply}\n    default: permit\n"
    net = state(HOST_A, HOST_B, r1(), r2(lan=", filters: {in: f}", more=no_reply))
    answer = ask(net, traffic="")
    assert (answer["forward"]["verdict"], answer["return"]["verdict"]) == ("delivered", "filtered")


def test_branches_share_the_traffic_and_may_disagree():
    """Two static next hops: half arrives, half meets nobody."""
    net = state(
        HOST_A,
        HOST_B,
        r1(static="- {to: 10.0.2.0/24, via: 10.0.0.2}\n  - {to: 10.0.2.0/24, via: 10.0.1.77}"),
        r2(),
    )
    answer = ask(net)["forward"]
    assert answer["verdict"] == "mixed"
    assert sorted((b["share"], b["verdict"]) for b in answer["branches"]) == [
        (0.5, "delivered"),
        (0.5, "next_hop_unresolved"),
    ]


def test_traffic_leaves_to_an_outside_neighbour_and_enters_from_it():
    """Out by the border whose neighbour owns the next hop; back in by every border."""
    outside = (
        "routrel: 1\nnetwork: n\noutside:\n"
        "  isp: {addresses: [192.0.2.1/30], prefixes: [198.51.100.0/24]}\n"
    )
    border = (
        "routrel: 1\ndevice: x\nrole: router\ninterfaces:\n  lan: {addresses: [10.0.1.1/24]}\n"
        "  wan: {addresses: [192.0.2.2/30]}\nstatic:\n  - {to: 0.0.0.0/0, via: 192.0.2.1}\n"
    )
    net = state(outside, HOST_A, border)
    answer = ask(net, destination="198.51.100.7")
    assert answer["forward"]["verdict"] == "leaves_network"
    assert answer["forward"]["branches"][0]["outside"] == "isp"
    assert answer["return"]["verdict"] == "delivered"
    # A private address is not behind somebody who has only the default prefix.
    everything = outside.replace("198.51.100.0/24", "0.0.0.0/0")
    assert ask(state(everything, HOST_A, border), destination="10.77.0.1")["return"] is None


def test_many_branches_are_bounded_and_said_to_be():
    """Ten fans of two in a row would be 1024 branches; what is not followed is counted."""
    routers = []
    for n in range(10):
        ports = (
            f"  d{n}a: {{addresses: [10.1.{n}.1/30]}}\n  d{n}b: {{addresses: [10.2.{n}.1/30]}}\n"
        )
        if n:
            ports += f"  u{n}a: {{addresses: [10.1.{n - 1}.2/30]}}\n  u{n}b: {{addresses: [10.2.{n - 1}.2/30]}}\n"
        routers.append(
            f"routrel: 1\ndevice: r{n}\nrole: router\ninterfaces:\n{ports}static:\n"
            f"  - {{to: 10.9.0.0/16, via: 10.1.{n}.2}}\n  - {{to: 10.9.0.0/16, via: 10.2.{n}.2}}\n"
        )
    end = (
        "routrel: 1\ndevice: r10\nrole: router\ninterfaces:\n  ua: {addresses: [10.1.9.2/30]}\n"
        "  ub: {addresses: [10.2.9.2/30]}\n  lan: {addresses: [10.9.0.1/16]}\n"
    )
    answer = ask(state(*routers, end), source="r0", destination="10.9.0.1")["forward"]
    assert len(answer["branches"]) == MAXIMUM_BRANCHES
    assert answer["verdict"] == "mixed"
    assert sum(b["share"] for b in answer["branches"]) + answer["unfollowed"] == pytest.approx(1)


def test_point_to_point_interfaces_need_no_neighbour_address():
    """Whatever is sent into a point-to-point interface reaches the only other end."""
    kind = ", kind: point-to-point"
    net = state(
        HOST_A, HOST_B, r1(link=kind, static="- {to: 10.0.2.0/24, interface: up}"), r2(link=kind)
    )
    assert ask(net)["forward"]["verdict"] == "delivered"


@pytest.mark.parametrize(
    ("source", "destination", "traffic", "code"),
    [
        ("aa", "b", "tcp 80", "unknown_endpoint"),
        ("r1:lann", "b", "tcp 80", "unknown_endpoint"),
        ("a", "2001:db8::1", "tcp 80", "family_mismatch"),
        ("203.0.113.99", "b", "tcp 80", "unknown_endpoint"),
        ("a", "b", "tcp", "bad_traffic"),
        ("a", "b", "tcp 70000", "bad_traffic"),
        ("a", "b", "tpc 80", "bad_traffic"),
        ("a", "b", "icmp echo-repply", "bad_traffic"),
    ],
)
def test_questions_that_cannot_be_asked_say_so(source, destination, traffic, code):
    """Misuse is an error with a stable code, never a verdict."""
    net = state(HOST_A, HOST_B, r1(), r2())
    with pytest.raises(QuestionError) as caught:
        ask(net, source, destination, traffic)
    assert caught.value.code == code


def test_endpoints_may_be_interfaces_and_addresses_nobody_has():
    """device:interface is its address; a free address of a subnet starts on that subnet."""
    net = state(HOST_A, HOST_B, r1(), r2())
    assert ask(net, source="r1:up")["forward"]["source"]["address"] == "10.0.0.1"
    free = ask(net, source="10.0.1.200")
    assert [h["device"] for h in free["forward"]["branches"][0]["hops"]] == ["r1", "r2", "b"]
    assert "no device file has 10.0.1.200" in free["forward"]["source"]["note"]
    assert free["return"]["verdict"] == "next_hop_unresolved"
