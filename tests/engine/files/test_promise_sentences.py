"""The sentences of promises: what they say, how they are written, and why some say nothing."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.files.promise_sentences import BadSentence, Said, read_sentence, write_sentence
from routrel.files.reader import read_texts
from routrel.model import promises as model
from routrel.model.filters import PortRange
from routrel.model.findings import Severity
from routrel.model.promises import Sharing, Thing, ThingKind
from routrel.model.traffic import TCP, UDP

SAYS = {
    "kiosks to db as tcp 5432 must be delivered and pass fw-1": (
        (("kiosks",), ("db",)),
        (model.Delivered(), model.Passes((Thing("fw-1"),))),
    ),
    "a, b to 10.0.0.0/8 must be blocked.": (
        (("a", "b"), ("10.0.0.0/8",)),
        (model.Blocked(),),
    ),
    "a to b must pass device x or site y and avoid risk group duct both ways": (
        (("a",), ("b",)),
        (
            model.Passes((Thing("x", ThingKind.DEVICE), Thing("y", ThingKind.SITE)), any_of=True),
            model.Avoids((Thing("duct", ThingKind.GROUP),), both_ways=True),
        ),
    ),
    "a to b must leave by isle and take at most 7 hops and carry 1500 bytes": (
        (("a",), ("b",)),
        (model.LeavesBy((Thing("isle"),)), model.TakesAtMost(7), model.Carries(1500)),
    ),
    "a to b must be delivered and have at least two branches that share no risk group "
    "and return the same way": (
        (("a",), ("b",)),
        (model.Delivered(), model.Branches(2, Sharing.GROUP), model.ReturnsSameWay()),
    ),
    "a to b must be delivered and survive any link or risk group and survive any two devices": (
        (("a",), ("b",)),
        (
            model.Delivered(),
            model.Survives((ThingKind.LINK, ThingKind.GROUP)),
            model.Survives((ThingKind.DEVICE,), 2),
        ),
    ),
    "a to b must be delivered and stay separate from P-1 by link, device": (
        (("a",), ("b",)),
        (model.Delivered(), model.Separate("P-1", (Sharing.LINK, Sharing.DEVICE))),
    ),
}


@pytest.mark.parametrize("sentence", SAYS)
def test_what_a_sentence_says(sentence):
    (sources, destinations), clauses = SAYS[sentence]
    said = read_sentence(sentence)
    assert said.flows is not None
    assert (said.flows.sources, said.flows.destinations) == (sources, destinations)
    assert said.clauses == clauses


def test_traffic_is_protocols_with_ports_types_and_flags():
    said = read_sentence("a to b as tcp 80, 443, udp 5000-5009, icmp echo-reply, tcp 22 ack from port 1-9 over IPv6 must be blocked")  # fmt: skip
    tcp = [model.Traffic(protocol=TCP, ports=PortRange(n, n)) for n in (80, 443)]
    assert said.flows == model.FlowSet(
        sources=("a",),
        destinations=("b",),
        traffic=(
            *tcp,
            model.Traffic(protocol=UDP, ports=PortRange(5000, 5009)),
            model.Traffic(protocol=1, icmp_type=0),
            model.Traffic(protocol=TCP, ports=PortRange(22, 22), flags=frozenset({"ack"})),
        ),
        source_ports=PortRange(1, 9),
        version=6,
    )


REFUSED = {
    "a to b": "the sentence ends where must",
    "a b must be delivered": "“b” stands where to",
    "a to b must shine": "“shine” stands where a clause",
    "a to b as tpc 80 must be delivered": "“tpc” is not a protocol",
    "a to b as tcp 80-70 must be delivered": "“80-70” ends before it begins",
    "a to b must take at most 0 hops": "“0” is not a number of hops from 1 to 255",
    "a to b must be blocked and pass c": "what must be blocked takes no way",
    "a to b must survive any link": "it does not say what must survive",
    "a to b must be delivered and be delivered": "one thing is said twice",
    "a to b must pass x, y or z": "commas and “or” do not mix",
    "a must hold 10.0.0.1/8": "“10.0.0.1/8” is not a prefix",
    "a must hold 10.0.0.0/8 and be delivered": "of routes one can say besides that it survives",
    "a to b must be delivered now": "“now” stands where the end",
}


@pytest.mark.parametrize("sentence", REFUSED)
def test_what_is_no_sentence_is_refused(sentence):
    with pytest.raises(BadSentence) as caught:
        read_sentence(sentence)
    assert caught.value.text.startswith(REFUSED[sentence])


names = st.sampled_from(["r1", "kiosks", "10.0.0.0/8", "2001:db8::/32", "r1:eth0", "isle"])
things = st.builds(Thing, names, st.sampled_from([None, *ThingKind]))
lists = st.lists(things, min_size=1, max_size=3).map(tuple)
ports = st.tuples(st.integers(0, 65535), st.integers(0, 65535)).map(
    lambda pair: PortRange(min(pair), max(pair))
)
traffic = st.one_of(
    st.just(model.Traffic()),
    st.builds(model.Traffic, protocol=st.sampled_from([6, 17]), ports=st.none() | ports),
    st.builds(
        model.Traffic,
        protocol=st.just(6),
        ports=ports,
        flags=st.frozensets(st.sampled_from(["syn", "ack", "rst"])),
    ),
    st.builds(model.Traffic, protocol=st.sampled_from([1, 58]), icmp_type=st.integers(0, 255)),
)
flow_sets = st.builds(
    model.FlowSet,
    sources=st.lists(names, min_size=1, max_size=3).map(tuple),
    destinations=st.lists(names, min_size=1, max_size=3).map(tuple),
    traffic=st.lists(traffic, max_size=3).map(tuple),
    source_ports=st.none() | ports,
    version=st.sampled_from([None, 4, 6]),
)
ways = st.one_of(
    st.builds(model.Passes, lists, st.just(False), st.booleans()),
    st.builds(model.Avoids, lists, st.booleans()),
    st.builds(model.LeavesBy, lists),
    st.builds(model.Branches, st.integers(2, 64), st.sampled_from(Sharing)),
)


@given(flow_sets, st.lists(ways, max_size=3))
def test_a_sentence_is_read_as_it_was_written(flows, clauses):
    said = Said(flows, (model.Delivered(), *clauses))
    assert read_sentence(write_sentence(said)) == said


def test_promises_stand_in_the_network_file_or_in_files_of_their_own():
    texts = {
        "network.yaml": "routrel: 1\nnetwork: n\npromises:\n  p1: a to b must be delivered\n",
        "promises.yaml": "routrel: 1\npromises:\n  p2: {promise: a to b must be blocked, "
        "severity: note, owner: nora, folder: doors, note: since the audit}\n",
        "more.yaml": "routrel: 1\npromises:\n  p1: a to b must be blocked\n  p3: a to b must shine\n",
    }  # fmt: skip
    reading = read_texts(texts)
    found = {promise.name: promise for promise in reading.promises}
    assert found["p2"].severity is Severity.NOTE
    assert (found["p2"].owner, found["p2"].folder, found["p2"].place.line) == ("nora", "doors", 3)
    assert [(str(p.place), p.code) for p in reading.problems] == [
        ("more.yaml:4:7", "bad_promise"),
        ("network.yaml:4:3", "duplicate_promise"),
    ]
