"""Tables that were read: pinned, looked at through a lens, held against computed ones."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.answers.why import explain_route
from routrel.convergence.converge import converge
from routrel.files.observed import read_observed, write_observed
from routrel.files.reader import read_texts
from routrel.files.report import Report
from routrel.lens.look import Lens, look_through
from routrel.lens.tables import UnknownTables, named_tables
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.questions.absence import absence
from routrel.questions.agreement.reasons import agreement
from routrel.questions.exporting import computed_tables
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.routes import RouteQuestion
from tests.nets import device, ring

HEADER = "device,prefix,protocol,next-hop,interface,metric\n"

#: a (10.0.1.9) -- r1 -- r2 -- b (10.0.2.9); r1 and r2 speak OSPF, at cost 10.
NET = {
    "a.yaml": device("a", "gateway: 10.0.1.1\ninterfaces: {e0: {addresses: [10.0.1.9/24]}}", "host"),
    "b.yaml": device("b", "gateway: 10.0.2.1\ninterfaces: {e0: {addresses: [10.0.2.9/24]}}", "host"),
    "r1.yaml": device("r1", """
        ospf: {router-id: 10.255.0.1}
        interfaces:
          lan: {addresses: [10.0.1.1/24], ospf: {area: 0, cost: 10, passive: true}}
          up: {addresses: [10.0.0.1/30], ospf: {area: 0, cost: 10}}
          spare: {addresses: [10.0.7.1/24]}
        static: [{to: 10.5.0.0/16, via: 10.0.0.2}]
        """),
    "r2.yaml": device("r2", """
        ospf: {router-id: 10.255.0.2, redistribute: [{from: static}]}
        interfaces:
          lan: {addresses: [10.0.2.1/24], ospf: {area: 0, cost: 10, passive: true}}
          up: {addresses: [10.0.0.2/30], ospf: {area: 0, cost: 10}}
        """),
}  # fmt: skip

#: What r1 holds by computation: three subnets, b's by OSPF at 20, and a static route.
EQUAL = [
    "r1,10.0.0.0/30,connected,,up,0", "r1,10.0.1.0/24,connected,,lan,0", "r1,10.0.7.0/24,connected,,spare,0",
    "r1,10.0.2.0/24,ospf,10.0.0.2,up,20", "r1,10.5.0.0/16,static,10.0.0.2,up,",
]  # fmt: skip


def view(rows, tables=(), failures=(), **more):
    texts = {**NET, **more, "tables.csv": HEADER + "\n".join(rows) + "\n"}
    seen = look_through(
        Lens(texts=texts, tables=named_tables(tables), failures=Failures(tuple(failures)))
    )
    assert seen.reading.good, [f"{p.place} {p.text}" for p in seen.reading.problems]
    return seen.state


def differences(rows, **more):
    (one,) = agreement(view(rows, **more)).tables
    return one.agreement.equal, [
        (str(d.prefix), d.kind.value, reason.kind.value)
        for d, reason in zip(one.agreement.differences, one.reasons, strict=True)
    ]


def without(*prefixes):
    return [row for row in EQUAL if row.split(",")[1] not in prefixes]


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        (EQUAL, []),
        ([*EQUAL[::-1], "r1,10.0.1.1/32,local,,lan,0"], []),
        (without("10.0.7.0/24"), [("10.0.7.0/24", "missing", "interface_down")]),
        (without("10.5.0.0/16"), [("10.5.0.0/16", "missing", "static_gone")]),
        ([*EQUAL, "r1,10.6.0.0/16,static,10.0.0.2,up,"], [("10.6.0.0/16", "extra", "static_unknown")]),
        ([*EQUAL, "r1,10.6.0.0/16,bgp,10.0.0.2,up,"], [("10.6.0.0/16", "extra", "protocol_unknown")]),
        ([*EQUAL, "r1,10.6.0.0/16,ospf,10.0.0.3,up,30"], [("10.6.0.0/16", "extra", "neighbour_unknown")]),
        ([*EQUAL, "r1,10.6.0.0/16,ospf,10.0.0.2,up,30"], [("10.6.0.0/16", "extra", "nobody")]),
        ([*without("10.0.2.0/24"), "r1,10.0.2.0/24,ospf,10.0.0.2,up,25"], [("10.0.2.0/24", "metric", "metric")]),
        ([*without("10.0.2.0/24"), "r1,10.0.2.0/24,static,10.0.0.2,up,"], [("10.0.2.0/24", "protocol", "static_unknown")]),
        ([*without("10.0.2.0/24"), "r1,10.0.2.0/24,ospf,10.0.7.9,spare,20"], [("10.0.2.0/24", "next_hops", "neighbour_unknown")]),
        ([*without("10.0.2.0/24"), "r1,10.0.2.0/24,ospf,10.0.0.2,,20"], []),
        ([*EQUAL, "r1,10.6.0.0/16,ospf,10.0.0.2,tun9,20"], [("10.6.0.0/16", "extra", "unknown_interface")]),
    ],
)  # fmt: skip
def test_each_difference_has_its_kind_and_its_likely_reason(rows, expected):
    equal, found = differences(rows)
    assert found == expected
    assert equal == 5 - sum(kind != "extra" for _, kind, _ in found)


def test_what_follows_from_the_next_hop_is_told_so():
    """r1 holds 10.6/16 by r2, and r2 has it by a static route that no file has."""
    rows = [*EQUAL, "r1,10.6.0.0/16,ospf,10.0.0.2,up,20", "r2,10.6.0.0/16,static,10.0.2.9,lan,"]
    one, _ = agreement(view(rows)).tables
    reasons = {
        str(d.prefix): r for d, r in zip(one.agreement.differences, one.reasons, strict=True)
    }
    assert (reasons["10.6.0.0/16"].kind.value, reasons["10.6.0.0/16"].about) == ("upstream", "r2")


# --- the lens -------------------------------------------------------------------------------------


def verdict(state, source="a", destination="b"):
    answer = ask_flow(state, FlowQuestion(source=source, destination=destination, traffic="udp 53"))
    return answer.forward.verdict.value, [hop.device for hop in answer.forward.branches[0].hops]


@pytest.mark.parametrize(
    ("tables", "expected"),
    [
        ((), ("delivered", ["a", "r1", "r2", "b"])),
        (("known",), ("no_route", ["a", "r1"])),
        (("computed", "r1=known"), ("no_route", ["a", "r1"])),
        (("known", "r1=computed"), ("delivered", ["a", "r1", "r2", "b"])),
        (("observed",), ("no_route", ["a"])),
    ],
)
def test_the_lens_chooses_what_devices_forward_by(tables, expected):
    """r1 was read without a route to b. By `observed` nothing is known of a itself."""
    assert verdict(view(without("10.0.2.0/24"), tables)) == expected


def test_others_are_computed_around_a_pinned_table():
    """r2 was read to hold a static route to 10.6/16, which it redistributes: r1 learns it by OSPF."""
    rows = ["r2,10.6.0.0/16,static,10.0.2.9,lan,", "r2,10.0.1.0/24,ospf,10.0.0.1,up,20",
            "r2,10.0.0.0/30,connected,,up,", "r2,10.0.2.0/24,connected,,lan,"]  # fmt: skip
    state = view(rows, ("r2=known",))
    number = state.rib.interning.table_numbers["r1", "default"]
    held = {str(r.prefix): (r.protocol.id, r.observed) for r in state.rib.table_routes(number)}
    assert held["10.6.0.0/16"] == ("ospf", False)
    mine = state.rib.interning.table_numbers["r2", "default"]
    route = next(r for r in state.rib.table_routes(mine) if str(r.prefix) == "10.6.0.0/16")
    assert (route.observed, str(route.place)) == (True, "tables.csv:2:1")


def test_what_leads_over_a_failed_link_is_out_of_a_pinned_table():
    failures = [Failure(FailureKind.INTERFACE, "r1:up")]
    assert verdict(view(EQUAL, ("r1=known",)))[0] == "delivered"
    state = view(EQUAL, ("r1=known",), failures)
    assert verdict(state) == ("no_route", ["a", "r1"])
    assert any(f.code == "observed_unusable" and "10.0.2.0/24" in f.text for f in state.findings)


def test_an_address_resolves_through_the_table_itself():
    """Neither entry names an interface: 10.8/16 is reached by way of 10.5.0.9, that by 10.0.0.2."""
    rows = [*EQUAL[:3], "r1,10.5.0.0/16,static,10.0.0.2,,", "r1,10.8.0.0/16,bgp,10.5.0.9,,"]
    state = view(rows, ("r1=known",))
    number = state.rib.interning.table_numbers["r1", "default"]
    (hop,) = next(
        r for r in state.rib.table_routes(number) if str(r.prefix) == "10.8.0.0/16"
    ).next_hops
    assert (hop.interface, str(hop.address)) == ("up", "10.0.0.2")


def test_why_tells_the_line_that_was_read_beside_what_is_computed():
    state = view(["r1,10.0.2.0/24,bgp,10.0.0.2,up,"], ("r1=known",))
    question = RouteQuestion(device="r1", prefix=ipaddress.ip_network("10.0.2.0/24"))
    (why,) = explain_route(state, question)
    assert why.sentence == "r1 reaches 10.0.2.0/24 by BGP, as its table was read."
    first, *others = why.candidates
    assert (first.protocol, first.file, first.line, first.lost_on) == ("bgp", "tables.csv", 2, None)
    assert {one.values.problem for one in others} <= {"the table is taken as it was read"}


@pytest.mark.parametrize(
    ("tables", "device", "kind", "place", "stop"),
    [
        ("known", "r1", "not_as_read", "tables.csv:2:1", "no_route"),
        ("observed", "a", "table_not_read", "a.yaml:1:1", "table_not_read"),
    ],
)
def test_what_was_not_read_is_not_laid_to_protocols(tables, device, kind, place, stop):
    """Both lack the route to b: r1 as it was read, a because nobody read its table at all."""
    state = view(without("10.0.2.0/24"), (tables,))
    number = state.rib.interning.table_numbers[device, "default"]
    missing = absence(state, number, ipaddress.ip_address("10.0.2.9"))
    assert missing.as_read
    (step,) = missing.reasons
    assert (step.kind, str(step.place)) == (kind, place)
    answer = ask_flow(state, FlowQuestion(source="a", destination="b", traffic="udp 53"))
    cause = answer.forward.cause
    assert (cause.device, cause.kind) == (device, stop)


@pytest.mark.parametrize(
    "words", [["seen"], ["known", "observed"], ["r1=known", "r1=computed"], ["r1="]]
)
def test_a_choice_that_is_none_is_refused(words):
    with pytest.raises(UnknownTables):
        named_tables(words)


BAD = {
    "an unknown column": ("device,prefix,colour\nr1,10.0.0.0/8,red\n", "unknown_column"),
    "no device column": ("prefix,interface\n", "missing_column"),
    "no prefix": ("device,prefix,interface\nr1,10.0.0.1/8,up\n", "bad_entry"),
    "nowhere": ("device,prefix,interface\nr1,10.0.0.0/8,\n", "bad_entry"),
    "drops and leads": ("device,prefix,interface,drops\nr1,10.0.0.0/8,up,discard\n", "bad_entry"),
    "too few": ("device,prefix,interface\nr1,10.0.0.0/8\n", "bad_entry"),
    "no device": ("device,prefix,interface\nr9,10.0.0.0/8,up\n", "unknown_device"),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_bad_tables_are_refused_by_line(name):
    text, code = BAD[name]
    problems = read_texts({**NET, "tables.csv": text}).problems
    assert [p.code for p in problems] == [code]
    assert problems[0].place.file == "tables.csv"


# --- properties -----------------------------------------------------------------------------------


def test_a_network_agrees_with_its_own_tables_and_forwards_by_them_alike():
    """What a ring computes, written and read: nothing differs, and pinned it forwards the same."""
    state = ring("r1-r2:10 r2-r3:10 r3-r4:5 r4-r1:10")
    text = write_observed(computed_tables(state))
    tables = read_observed(text, "t.csv", Report())
    from dataclasses import replace

    network = replace(state.network, observed=tables)
    assert agreement(converge(network)).agrees
    pinned = converge(replace(network, tables=named_tables(["known"])))
    assert len(pinned.pinned) == len(tables)
    names = [d.name for d in network.devices]
    for there in names[1:]:
        assert verdict(pinned, names[0], there) == verdict(state, names[0], there)


_FIELDS = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=12)


@given(st.lists(st.lists(_FIELDS, min_size=4, max_size=4), max_size=5), st.text(max_size=80))
def test_no_text_makes_reading_fail(rows, more):
    text = "device,prefix,next-hop,interface\n" + "\n".join(",".join(row) for row in rows) + more
    read_observed(text, "x.csv", Report())
