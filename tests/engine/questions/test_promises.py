"""Promises: every clause on nets worked by hand, and sets against all their headers one by one."""

from __future__ import annotations

import ipaddress
import os
import signal
from functools import cache
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import State, converge
from routrel.files.promise_sentences import promise_of
from routrel.forwarding.evidence import Verdict
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.model.promises import Promise
from routrel.questions import processes
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.evaluate import evaluate
from routrel.questions.promises.following import since
from routrel.wording.promises import breach_words, kept_words
from tests.nets import LAST_TEXTS, device, ring, state


def promise(sentence: str, name: str = "p") -> Promise:
    return promise_of(name, sentence)


def check(net: State, sentence: str, *others: Promise) -> Checked:
    made = promise(sentence)
    return Checker(net, [made, *others]).check(made)


def why(found: Checked) -> str:
    """What is wrong, in words; empty: it is kept."""
    if found.counterexample:
        return breach_words(found.counterexample.breach)
    return found.problem


#: r1 to r3 by r2 or r4 at equal cost, and by r5 only if a link fails; r3 alone is next to isle.
DIAMOND = "r1-r2:10 r2-r3:10 r1-r4:10 r4-r3:10 r1-r5:30 r5-r3:30"
OUTSIDE = (
    "routrel: 1\nnetwork: n\nsites: {west: {}, east: {}}\n"
    "risk-groups: {duct: {links: [10.0.1.0/30, 10.0.4.0/30]}}\n"
    "outside: {isle: {addresses: [192.0.2.2/30], prefixes: [198.51.100.0/24]}}\n"
)


@cache
def diamond() -> State:
    line = "  out: {addresses: [192.0.2.1/30]}\nstatic: [{to: 198.51.100.0/24, via: 192.0.2.2}]\n"
    ring(DIAMOND, extra={"r3": line})
    texts = [
        text.replace("ospf: {router", "ospf: {redistribute: [{from: static}], router")
        for text in LAST_TEXTS
    ]
    at_west = texts[0].replace("role:", "site: west\nrole:")
    return state(OUTSIDE, at_west, *texts[1:])


CLAUSES = {
    "r1 to r3 must be delivered": "",
    "r1 to 198.51.100.7 must be delivered": "",
    "r1 to 203.0.113.7 must be delivered": "nobody has addresses of both ends in one family",
    "r1 to r3 must be blocked": "it arrives at r3",
    "r1 to 203.0.113.7 must be blocked": "",
    "r1 to r3 must pass r2": "it does not pass r2",
    "r1 to r3 must pass r2 or r4": "",
    "r1 to r3 must pass site west": "",
    "r1 to r3 must avoid r5": "",
    "r1 to r3 must avoid r2, r5": "it meets r2",
    "r1 to r3 must avoid risk group duct": "it meets duct",
    "r1 to r2 must avoid link 10.0.3.0/30 both ways": "",
    "r1 to 198.51.100.7 must leave by isle": "",
    "r1 to 198.51.100.7 must leave by r3:out": "",
    "r1 to 198.51.100.7 must leave by r2": "it leaves by isle",
    "r1 to r3 must leave by isle": "it does not leave the network but is delivered at r3",
    "r1 to r3 must take at most 2 hops": "",
    "r1 to 198.51.100.7 must take at most 2 hops": "it takes 3 hops, more than 2",
    "r1 to r3 must have at least 2 branches that share no device": "",
    "r1 to r3 must have at least 3 branches that share no link": "there are 2 branches that share no link",
    # Branch r1-r2-r3 is of the duct by 10.0.1.0/30, r1-r4-r3 by 10.0.4.0/30.
    "r1 to r3 must have at least 2 branches that share no risk group": "there is 1 branch that shares no risk group",
    "r1 to r3 must carry 1500 bytes": "",
    "r1 to r3 must carry 1501 bytes": "1501 bytes do not get past r1: too big",
    "r1 to r3 must return the same way": "",
    "r1 to nobody-there must be delivered": "“nobody-there” is no device, interface, address, name or outside neighbour of this network",
    "r1 to r3 must pass r9": "there is no device, site, link, network or risk group “r9”",
    "r1 must hold 10.255.0.3/32 by ospf via 10.0.1.2": "",
    "r1 must hold 10.255.0.3/32 via 10.0.5.2": "r1 holds 10.255.0.3/32 via 10.0.1.2, 10.0.3.2, not via 10.0.5.2",
    "r1 must hold 10.255.0.9/32": "r1 holds no route to 10.255.0.9/32",
    "r1 must hold 10.255.0.3/32 by static": "r1 holds 10.255.0.3/32 by ospf, not by static",
    "r1 must hold 198.51.100.0/24 leaving by isle": "",
    "r1 must hold 198.51.100.0/24 leaving by r2": "packets to 198.51.100.0/24 leave by isle, not by r2",
    "every device of west must hold a default": "r1 holds no default route",
    "there must be no finding duplicate_address": "",
}  # fmt: skip


@pytest.mark.parametrize("sentence", CLAUSES)
def test_a_clause_holds_or_says_why_not(sentence):
    found = check(diamond(), sentence)
    assert (why(found), found.kept) == (CLAUSES[sentence], not CLAUSES[sentence])


def test_what_a_promise_rests_on():
    used = check(diamond(), "r1 to r3 must be delivered").usage
    assert set(used.devices) == {"r1", "r2", "r3", "r4"}
    assert set(used.links) == {f"10.0.{number}.0/30" for number in (1, 2, 3, 4)}
    assert ("r1", "e1") in used.interfaces


def test_flows_stay_separate_where_nothing_is_shared():
    other = promise("r2 to r3 must be delivered", "other")
    assert check(diamond(), "r4 to r3 must stay separate from other by link", other).kept
    found = check(diamond(), "r1 to r3 must stay separate from other by link", other)
    assert why(found) == "it shares link 10.0.2.0/30 with it"


SURVIVES = {
    # Of r1's three links any may fail; with two, r5 is left; r1 and r3 themselves do not count.
    "r1 to r3 must be delivered and survive any link": ("", 7),
    "r1 to r3 must be delivered and survive any device": ("", 5),
    "r1 to r3 must be delivered and survive any two links": ("", 21),
    "r1 to r3 must avoid r5 and survive any link": ("", 7),
    "r1 to r3 must avoid r5 and survive any risk group": (
        "it does not survive risk group duct: r1 to r3 as icmp 8/0: it meets r5", 1,
    ),
    "r1 must hold 10.255.0.2/32 via 10.0.1.2 and survive any link": (
        "it does not survive link 10.0.1.0/30: "
        "r1 holds 10.255.0.2/32 via 10.0.3.2, not via 10.0.1.2", 1,
    ),
}  # fmt: skip


@pytest.mark.parametrize("sentence", SURVIVES)
def test_what_survives_is_what_no_failure_breaks(sentence):
    found = evaluate(diamond(), [promise(sentence)], {}).found[0]
    words, tried = SURVIVES[sentence]
    assert found.endured is not None
    assert found.endured.tried == tried
    assert kept_words(found) == (words or f"it survives all {tried} failures")


# --- sets ---------------------------------------------------------------------------------------

#: A host and addresses that nobody has on lan 10.1.0.0/29 behind a, servers on 10.2.0.0/29 behind b.
LAN, SERVERS = "10.1.0.0/29", "10.2.0.0/29"
A = device(
    "a",
    f"interfaces:\n  lan: {{addresses: [10.1.0.1/29]}}\n  x: {{addresses: [10.9.0.1/30]}}\n"
    f"static: [{{to: {SERVERS}, via: 10.9.0.2}}]",
)
H, S, T = (
    device(name, f"gateway: {gate}\ninterfaces: {{e: {{addresses: [{own}/29]}}}}", "host")
    for name, own, gate in (
        ("h", "10.1.0.2", "10.1.0.1"), ("s", "10.2.0.2", "10.2.0.1"), ("t", "10.2.0.5", "10.2.0.1"),
    )
)  # fmt: skip


@st.composite
def rules(draw):
    """Rules of a filter that tell few addresses and ports apart, in any order."""
    address = st.sampled_from(["10.1.0.0/29", "10.1.0.2/32", "10.1.0.4/30", "10.2.0.4/30", "10.2.0.2/32", "any"])  # fmt: skip
    port = st.sampled_from(["", "20-29", "22", "25", "1024-65535"])
    found = []
    for number in range(draw(st.integers(1, 4))):
        what = draw(st.sampled_from(["tcp", "tcp", "udp", "any"]))
        parts = [f"id: {number + 1}", f"{draw(st.sampled_from(['permit', 'deny']))}: {what}"]
        for key in ("from", "to"):
            one = draw(address)
            if one != "any":
                parts.append(f"{key}: {one}")
        for key in ("from-port", "to-port") if what in ("tcp", "udp") else ():
            one = draw(port)
            if one:
                parts.append(f"{key}: {one}")
        found.append("{" + ", ".join(parts) + "}")
    return ", ".join(found)


def border(incoming: str, outgoing: str, default: str) -> str:
    return device(
        "b",
        "interfaces:\n  x: {addresses: [10.9.0.2/30], filters: {in: i, out: o}}\n"
        "  lan: {addresses: [10.2.0.1/29]}\nstatic: [{to: 10.1.0.0/29, via: 10.9.0.1}]\n"
        f"filters:\n  i: {{default: {default}, rules: [{incoming}]}}\n"
        f"  o: {{default: {default}, rules: [{outgoing}]}}\n",
    )


def one_by_one(net: State, sources, destinations, ports, from_ports, *, blocked: bool):
    """The first header in order for which a promise of tcp is not kept: slow and plain."""
    owned = {
        own
        for d in net.network.devices
        for i in d.interfaces
        for own in (a.ip for a in i.addresses)
    }
    for source, destination in product(map(ipaddress.ip_address, sources), map(ipaddress.ip_address, destinations)):  # fmt: skip
        if source == destination or (not blocked and not {source, destination} <= owned):
            continue
        for port, from_port in product(ports, from_ports):
            question = FlowQuestion(source=str(source), destination=str(destination), traffic=f"tcp {port}", source_port=from_port)  # fmt: skip
            try:
                answer = ask_flow(net, question)
            except QuestionError:
                continue
            there = answer.forward.verdict
            # Who is on the destination's subnet would have got it.
            got = there is Verdict.DELIVERED or there is Verdict.NEXT_HOP_UNRESOLVED
            back = answer.back.verdict if answer.back else None
            arrives = (there, back) == (Verdict.DELIVERED, Verdict.DELIVERED)
            if got if blocked else not arrives:
                return str(source), str(destination), port
    return None


#: Around every edge of the rules' ranges.
PORTS = [19, 20, 21, 22, 23, 24, 25, 26, 29, 30, 1023, 1024, 65535]


@settings(max_examples=40, deadline=None, derandomize=True)
@given(rules(), rules(), st.sampled_from(["permit", "deny"]), st.booleans(), st.data())
def test_a_set_is_decided_as_all_its_headers_are(incoming, outgoing, default, blocked, draws):
    net = state(A, H, S, T, border(incoming, outgoing, default))
    source = draws.draw(st.sampled_from(["h", LAN]))
    destination = draws.draw(st.sampled_from(["s", "10.2.0.5", SERVERS]))
    first, last = draws.draw(st.sampled_from([(22, 22), (20, 25), (19, 30)]))
    must = "be blocked" if blocked else "be delivered"
    found = check(net, f"{source} to {destination} as tcp {first}-{last} must {must}")
    sources = ["10.1.0.2"] if source == "h" else [f"10.1.0.{n}" for n in range(1, 7)]
    destinations = {
        "s": ["10.2.0.2"], "10.2.0.5": ["10.2.0.5"], SERVERS: [f"10.2.0.{n}" for n in range(1, 7)],
    }[destination]  # fmt: skip
    ports = [port for port in PORTS if first <= port <= last]
    from_ports = PORTS if blocked else [port for port in PORTS if port >= 1024]
    expected = one_by_one(net, sources, destinations, ports, from_ports, blocked=blocked)
    assert found.kept == (expected is None), why(found)
    if found.counterexample:  # it is one, and the smallest
        place = found.counterexample.place
        ends = (str(ipaddress.ip_address(number)) for number in place[1:3])
        assert (*ends, place[4]) == expected
        answer = ask_flow(net, found.counterexample.question)
        arrives = [one is Verdict.DELIVERED for one in (answer.forward.verdict, answer.back.verdict if answer.back else None)]  # fmt: skip
        stays = answer.forward.verdict is Verdict.NEXT_HOP_UNRESOLVED
        assert (arrives[0] or stays) if blocked else not all(arrives)


SENTENCES = [
    "r1, r2 to r3 must be delivered",
    "10.255.0.0/28 to r3, r4 as tcp 22 must be blocked",
    "r1 to 198.51.100.0/24 must avoid r2 and return the same way",
    "everybody to r5 must be delivered",
]


@settings(max_examples=30, deadline=None, derandomize=True)
@given(st.lists(st.sampled_from([f"link:10.0.{n}.0/30" for n in range(1, 7)] + ["device:r2", "device:r3", "line:isle"]), min_size=1, max_size=2, unique=True))  # fmt: skip
def test_what_rests_on_nothing_that_moved_is_as_if_asked_anew(failed):
    made = [promise(text, f"p{number}") for number, text in enumerate(SENTENCES)]
    before = Checker(diamond(), made)
    known = {one.name: before.check(one) for one in made}
    things = tuple(Failure(FailureKind(k), n) for k, _, n in (f.partition(":") for f in failed))
    after = converge(diamond().network, since=diamond(), failures=Failures(things))
    following, anew = Checker(after, made, since=since(before, after)), Checker(after, made)
    for one in made:
        now, plain = following.check(one, known[one.name]), anew.check(one)
        assert (now.kept, why(now)) == (plain.kept, why(plain))
        assert set(now.usage.devices) == set(plain.usage.devices)
        assert set(now.usage.links) == set(plain.usage.links)


def test_what_does_not_move_is_not_asked():
    net = ring("r1-r2:1 r2-r3:1 r3-r4:1 r4-r5:1")
    made = promise("r1 to r2 must be delivered")
    before = Checker(net, [made])
    failures = Failures((Failure(FailureKind.LINK, "10.0.4.0/30"),))
    after = converge(net.network, since=net, failures=failures)
    assert (
        Checker(after, [made], since=since(before, after)).check(made, before.check(made)).asked
        == 0
    )


@pytest.mark.parametrize("dies", [False, True])
def test_what_is_survived_is_the_same_whoever_tries_it(dies, monkeypatch, tmp_path):
    """Promises are tried up to the first failure that breaks them, in whatever order they are done."""
    texts = (
        "r1 to r3 must be delivered and survive any link",
        "r1 to r3 must be delivered and survive any device",
        "r1 to r3 must avoid r5 and survive any two links",
    )
    made = [promise(text, f"p{number}") for number, text in enumerate(texts)]
    if dies:
        mark, do = tmp_path / "died", processes._do

        def dying(asked):
            if not mark.exists():
                mark.touch()
                os.kill(os.getpid(), signal.SIGKILL)
            return do(asked)

        dying.__module__, dying.__qualname__ = processes.__name__, "_do"
        monkeypatch.setattr(processes, "_do", dying)
    told = []
    for more in ({}, {"make_pool": lambda: processes.pool(2), "workers": 2}):
        found = evaluate(diamond(), made, {}, **more).found
        told.append([(one.kept, kept_words(one), one.endured.tried, one.endured.broken_by) for one in found])  # fmt: skip
    assert told[0] == told[1]
    assert [kept for kept, *_ in told[0]] == [True, True, False]
