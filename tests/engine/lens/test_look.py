"""Looking at files: names of contents, states that are known already, cases beside the network."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.convergence.converge import State
from routrel.lens.failures import named_failures
from routrel.lens.look import Lens, content_hash, look, look_through, network_hash
from routrel.questions.moves import kept_flows, moves, ways_of_flows
from tests.nets import device

CASE = """\
routrel: 1
case: {0}
title: {0} is far
story: they say so
question: {{from: a, to: {1}}}
expect: {{forward: delivered}}
"""
ROUTE_CASE = """\
routrel: 1
case: lost
title: a route is lost
story: they say so
route: {at: r, to: 10.9.0.0/16}
expect: {reason: nowhere}
"""
NET = {
    "a.yaml": device("a", "gateway: 10.0.1.1\ninterfaces: {e: {addresses: [10.0.1.2/24]}}", "host"),
    "b.yaml": device("b", "gateway: 10.0.2.1\ninterfaces: {e: {addresses: [10.0.2.2/24]}}", "host"),
    "r.yaml": device(
        "r", "interfaces:\n  e1: {addresses: [10.0.1.1/24]}\n  e2: {addresses: [10.0.2.1/24]}"
    ),
}
CASES = {"cases/b.yaml": CASE.format("to-b", "b"), "cases/r.yaml": CASE.format("to-r", "r")}
TEXTS = st.dictionaries(st.text("ab/", max_size=3), st.text("ab:\n", max_size=4), max_size=3)


@given(TEXTS, TEXTS)
def test_two_contents_have_one_name_if_they_are_equal(one, other):
    """Paths and texts that only together say the same are told apart: a + bc is not ab + c."""
    assert (content_hash(one) == content_hash(other)) == (one == other)
    assert content_hash(dict(reversed(one.items()))) == content_hash(one)


def test_the_name_of_a_network_leaves_its_cases_out_and_nothing_else():
    view = look({**NET, **CASES, "lost.yaml": ROUTE_CASE})
    assert [case.name for case in view.cases] == ["lost", "to-b", "to-r"]
    bare = look(NET)
    name = network_hash(NET, bare.reading)
    assert network_hash(view.texts, view.reading) == name == content_hash(NET)
    touched = {**NET, "b.yaml": NET["b.yaml"] + "# noted\n"}
    assert network_hash(touched, bare.reading) != name  # lines are cited, so a comment counts
    assert view.reading.network == bare.reading.network


def test_a_state_that_is_known_is_not_computed_again():
    """It is asked for by the network's name; with failures nobody is asked."""
    known: dict[str, State] = {}
    computed = []

    def recall(name, compute):
        if name not in known:
            computed.append(name)
            known[name] = compute()
        return known[name]

    first = look({**NET, **CASES}, state_of=recall)
    second = look(NET, state_of=recall)
    assert first.state is second.state
    assert computed == [content_hash(NET)]
    failed = look_through(
        Lens(texts=NET, failures=named_failures(["interface:r:e2"])), state_of=recall
    )
    assert failed.state is not first.state
    assert len(computed) == 1
    broken = look({**NET, "r.yaml": "routrel: 1\ndevice: r\n"}, state_of=recall)
    assert broken.state is None
    assert len(computed) == 1


def test_kept_flows_tell_what_a_failure_moves():
    """Of the flows of the cases those move that pass what fails; a case about a route is none."""
    view = look({**NET, **CASES, "lost.yaml": ROUTE_CASE})
    kept = kept_flows(view.cases)
    assert {name: (q.source, q.destination, q.both) for name, q in kept.items()} == {
        "to-b": ("a", "b", True),
        "to-r": ("a", "r", True),
    }
    ways = ways_of_flows(view.state, kept)
    same = moves(view.state, view.state, kept, ways)
    assert (same.prefixes, same.devices, same.flows, same.flows_asked) == (0, 0, (), 2)
    failed = look_through(Lens(texts=NET, failures=named_failures(["interface:r:e2"])))
    found = moves(view.state, failed.state, kept, ways)
    assert (found.flows, found.breaks, same.breaks) == (("to-b",), ("to-b",), ())
    assert found.devices >= 1
    assert moves(view.state, failed.state, {}, {}).flows_asked == 0


NAMED = {
    **NET,
    **CASES,
    "net.yaml": "routrel: 1\nnetwork: N\nrisk-groups: {duct: {interfaces: [r:e2]}}\n",
}


@pytest.mark.parametrize(
    "other",
    [
        {"r.yaml": NET["r.yaml"].replace("10.0.2.1/24", "10.0.2.3/24")},
        {"r.yaml": "# a line more\n" + NET["r.yaml"], "b.yaml": NET["b.yaml"] + "mtu: 1400\n"},
        {"r.yaml": NET["r.yaml"].replace("e2:", "e3:")},  # a risk group names e2
        {"r.yaml": NET["r.yaml"].replace("device: r", "device: b")},
        {"r.yaml": "routrel: 1\ndevice: r\nrole: [\n"},
        {"net.yaml": "routrel: 1\nnetwork: M\n"},
        {"cases/b.yaml": CASE.format("to-b", "r")},
        {"c.yaml": device("c", "interfaces: {e: {addresses: [10.0.2.9/24]}}")},
        {},
    ],
)
def test_files_that_are_read_since_others_are_read_as_from_nothing(other):
    """Whatever changed: devices alone, what others say of them, files that are no devices."""
    first = look(NAMED)
    assert first.reading.good
    texts = {**NAMED, **other}
    since, whole = look_through(Lens(texts=texts), since=first), look(texts)
    assert since.reading == whole.reading
    assert [p.place for p in since.reading.problems] == [p.place for p in whole.reading.problems]
    assert [str(d.place) for d in since.reading.network.devices] == [
        str(d.place) for d in whole.reading.network.devices
    ]
