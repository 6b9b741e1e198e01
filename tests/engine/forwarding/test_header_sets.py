"""What a changed filter opens, against trying headers one by one."""

from __future__ import annotations

import ipaddress
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.forwarding.filters import PacketContext, evaluate, mismatch
from routrel.forwarding.header_sets import count_headers, may_carry_tcp, newly_permitted
from routrel.model.filters import Action, ConnectionState, Filter, Fragments, Match, PortRange, Rule
from routrel.model.traffic import ICMP, TCP, UDP, Fragment, Header

PREFIXES = [ipaddress.ip_network(t) for t in ("10.0.0.0/30", "10.0.0.0/31", "10.0.0.2/32", "0.0.0.0/0")]  # fmt: skip
PORTS = st.tuples(st.integers(0, 3), st.integers(0, 3)).map(lambda p: PortRange(min(p), max(p)))


@st.composite
def matches(draw):
    protocol = draw(st.sampled_from([None, TCP, UDP, ICMP]))
    ported = protocol in (TCP, UDP)
    return Match(
        protocol=protocol,
        sources=tuple(draw(st.lists(st.sampled_from(PREFIXES), max_size=2))),
        destinations=tuple(draw(st.lists(st.sampled_from(PREFIXES), max_size=1))),
        destination_ports=tuple(draw(st.lists(PORTS, max_size=2))) if ported else (),
        icmp_types=draw(st.sampled_from([(), (8,), (0, 8)])) if protocol == ICMP else (),
        flags_set=draw(st.sampled_from([(), ("syn",)])) if protocol == TCP else (),
        flags_clear=draw(st.sampled_from([(), ("ack",)])) if protocol == TCP else (),
        dscps=draw(st.sampled_from([(), (0,), (46,)])),
        fragments=draw(st.sampled_from([None, Fragments.LATER, Fragments.NONE])),
        connection_states=draw(st.sampled_from([(), (ConnectionState.NEW,)])),
        in_interfaces=draw(st.sampled_from([(), ("x",)])),
        marks=draw(st.sampled_from([(), (), (7,), (0, 5)])),
    )


def rules(rows, inner=()):
    """Rules of rows: match, action, mark; “ask” asks one of the inner filters."""
    made = []
    for number, (match, action, mark) in enumerate(rows, start=1):
        asks = inner[mark % len(inner)].name if action == "ask" and inner else None
        decides = None if action == "ask" else action
        marks = action in (Action.PERMIT, None) or (action == "ask" and not inner)
        made.append(
            Rule(id=number, match=match, action=decides, mark=mark if marks else None, asks=asks)
        )
    return tuple(made)


def rows(*more):
    actions = st.sampled_from([*Action, None, *more])
    return st.lists(st.tuples(matches(), actions, st.sampled_from([0, 7, 9])), max_size=4)


@st.composite
def filters(draw):
    """Filters that ask others, which ask others."""
    lowest = Filter(name="lowest", rules=rules(draw(rows())), default=draw(st.sampled_from(Action)))
    asked = tuple(
        Filter(name=name, rules=rules(draw(rows("ask")), (lowest,)), default=draw(st.sampled_from(Action)), asked=(lowest,))
        for name in ("left", "right")
    )  # fmt: skip
    return Filter(
        name="f",
        rules=rules(draw(rows("ask", "ask")), asked),
        default=draw(st.sampled_from([Action.PERMIT, Action.DENY])),
        stateful=draw(st.booleans()),
        asked=asked,
    )


FILTERS = filters()


def plainly(packet_filter, header, meeting):
    """Whether a filter permits, as one reads its rules aloud; None: it comes to no decision."""
    for rule in packet_filter.rules:
        if mismatch(rule.match, header, meeting[0]):
            continue
        if rule.asks:
            inner = next(f for f in packet_filter.asked if f.name == rule.asks)
            decided = plainly(inner, header, meeting)
            if decided is not None:
                return decided
        elif rule.action is None:
            meeting[0] = replace(meeting[0], mark=rule.mark)
        elif rule.action is Action.RETURN:
            return None
        else:
            if rule.mark is not None:
                meeting[0] = replace(meeting[0], mark=rule.mark)
            return rule.action is Action.PERMIT
    return {Action.PERMIT: True, Action.DENY: False, Action.RETURN: None}[packet_filter.default]


@settings(deadline=None, max_examples=60)
@given(packet_filter=FILTERS)
def test_filters_that_ask_others_decide_as_they_read(packet_filter):
    """A bound filter whose rules come to no decision has its default."""
    packet_filter = replace(packet_filter, stateful=False)
    for header, meeting in HEADERS:
        held = [meeting]
        decided = plainly(packet_filter, header, held)
        decided = packet_filter.default is Action.PERMIT if decided is None else decided
        result = evaluate(packet_filter, header, meeting)
        assert result.permits == decided
        assert result.mark == held[0].mark
        assert result.rule is None or result.rule in result.filter.rules


HEADERS = [
    (Header(source=source, destination=destination, protocol=protocol, dscp=dscp, **more),
     PacketContext(arrives, None, session, mark))
    for source in map(ipaddress.ip_address, ("10.0.0.0", "10.0.0.2", "10.9.9.9"))
    for destination in [ipaddress.ip_address("10.0.0.1")]
    for protocol, more in (
        (TCP, {"source_port": 9, "destination_port": 1, "flags": frozenset({"syn"})}),
        (TCP, {"source_port": 9, "destination_port": 3, "flags": frozenset({"syn", "ack"})}),
        (TCP, {"fragment": Fragment.LATER}),
        (UDP, {"source_port": 9, "destination_port": 2}),
        (ICMP, {"icmp_type": 8, "icmp_code": 0}),
        (50, {}),
    )
    for dscp in (0, 46)
    for arrives in ("x", "y")
    for session in ConnectionState
    for mark in (0, 7)
]  # fmt: skip


def holds(box, header, meeting, names, asked) -> bool:
    """Whether a box holds a header, read from its fields one by one."""
    later = header.fragment is Fragment.LATER
    left = header.source_port if header.icmp_type is None else header.icmp_type
    right = header.destination_port if header.icmp_type is None else header.icmp_code
    flags = sum(1 << ["fin", "syn", "rst", "psh", "ack"].index(f) for f in header.flags)
    arrives = 1 << (names.index(meeting.in_interface) + 1 if meeting.in_interface in names else 0)
    return (
        box.version == 4
        and box.sources[0] <= int(header.source) <= box.sources[1]
        and box.destinations[0] <= int(header.destination) <= box.destinations[1]
        and bool(box.protocols >> header.protocol & 1)
        and (later or left is None or box.source_ports[0] <= left <= box.source_ports[1])
        and (later or right is None or box.destination_ports[0] <= right <= box.destination_ports[1])
        and bool(box.dscps >> header.dscp & 1)
        and (later or header.protocol != TCP or bool(box.flags >> flags & 1))
        and bool(box.fragments & {Fragment.NONE: 1, Fragment.FIRST: 2, Fragment.LATER: 4}[header.fragment])
        and bool(box.connection_states & {ConnectionState.NEW: 1, ConnectionState.ESTABLISHED: 2, ConnectionState.INVALID: 4}[meeting.connection])
        and bool(box.in_interfaces & arrives)
        and bool(box.marks & 1 << (asked.index(meeting.mark) + 1 if meeting.mark in asked else 0))
    )  # fmt: skip


@settings(deadline=None, max_examples=40)
@given(old=FILTERS, new=FILTERS)
def test_newly_permitted_are_exactly_the_headers_that_turned(old, new):
    boxes = newly_permitted(old, new)
    names = [
        name
        for name in ("x",)
        if any(name in r.match.in_interfaces for f in (old, new) for r in f.all_rules)
    ]
    asked = [*dict.fromkeys(m for f in (old, new) for r in f.all_rules for m in r.match.marks)]
    for header, meeting in HEADERS:
        turned = (
            evaluate(new, header, meeting).permits and not evaluate(old, header, meeting).permits
        )
        assert any(holds(box, header, meeting, names, asked) for box in boxes) == turned, header
    assert (count_headers(boxes) == 0) == (not boxes)


def test_headers_are_counted_once():
    """One TCP port between two hosts: 65,536 source ports; a second rule inside adds nothing."""
    closed = Filter(name="f", rules=(), default=Action.DENY)
    hosts = {"sources": (PREFIXES[2],), "destinations": (PREFIXES[2],)}
    rule = Rule(id=10, action=Action.PERMIT, match=Match(protocol=TCP, destination_ports=(PortRange(443, 443),), **hosts))  # fmt: skip
    narrower = replace(rule, id=20, match=replace(rule.match, dscps=(46,)))
    for rules in ((rule,), (rule, narrower), (narrower, rule)):
        opened = newly_permitted(closed, replace(closed, rules=rules))
        assert count_headers(opened) == 65536
    # A protocol without ports counts once for each pair of addresses: 4 sources, 4 destinations.
    esp = Match(protocol=50, sources=(PREFIXES[0],), destinations=(PREFIXES[0],))
    opened = newly_permitted(closed, replace(closed, rules=(replace(rule, match=esp),)))
    assert count_headers(opened) == 16
    assert not any(may_carry_tcp(box, 49152, 179) for box in opened)
