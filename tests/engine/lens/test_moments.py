"""Events: how a network is at a moment, which way flows went when, and what changed that."""

from __future__ import annotations

import ipaddress
import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import converge
from routrel.formats.events.json_lines import read_events
from routrel.lens.look import Lens, look_through
from routrel.lens.moments import Timeline
from routrel.model.events import time_of, time_words
from routrel.model.failures import Failures
from routrel.questions.eras.beside import compare_eras
from routrel.questions.eras.promises import promise_eras
from routrel.questions.eras.search import find_eras
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.promises.check import Checker
from routrel.questions.remedies.search import find_remedies
from routrel.wording.events import beside_sentence
from tests.nets import device, network, route, ways, wired_texts

FAR = "10.255.0.3/32"
#: r1-r3 costs 10 by e2 and 20 by r2, over e1 and e3.
TRIANGLE = wired_texts(
    "r1-r2 r1-r3 r2-r3",
    port="ospf: {area: 0, cost: 10, network: point-to-point}",
    top="ospf: {}",
)


def event(number, second, kind, **members):
    """A line of events, `second` seconds into 02:00."""
    whole, micro = divmod(round(second * 1_000_000), 1_000_000)
    time = f"2026-01-05T02:{whole // 60:02}:{whole % 60:02}.{micro:06}Z"
    return {"id": f"e{number}", "time": time, "kind": kind, **members}


def at(second):
    return time_of(event(0, second, "")["time"])


def port(number, second, name, state, **more):
    owner, interface = name.split(":")
    return event(
        number, second, "interface", device=owner, interface=interface, state=state, **more
    )


def met(number, second, name, neighbour, state, protocol="ospf"):
    made = port(number, second, name, state, protocol=protocol, neighbour=neighbour)
    return {**made, "kind": "adjacency"}


def lsa(number, second, *, metric=10, without=(), **more):
    """What r1 tells of itself in the triangle: to r2 by e1, to r3 by e2, its loopback."""
    links = {
        "e1": [(1, "10.255.0.2", "10.0.1.1", 10), (3, "10.0.1.0", "255.255.255.252", 10)],
        "e2": [(1, "10.255.0.3", "10.0.2.1", metric), (3, "10.0.2.0", "255.255.255.252", metric)],
        "lo": [(3, "10.255.0.1", "255.255.255.255", 10)],
    }
    told = [one for name, each in links.items() for one in each if name not in without]
    if "adjacency" in without:
        told = [one for one in told if one[2] != "10.0.2.1"]
    names = ("type", "link_id", "link_data", "metric")
    members = [dict(zip(names, one, strict=True)) for one in told]
    return event(number, second, "router_lsa", advertising_router="10.255.0.1", area=0, links=members, **more)  # fmt: skip


def read(*lines):
    text = "\n".join(line if isinstance(line, str) else json.dumps(line) for line in lines)
    return read_events(text.encode(), "events.jsonl")


def seen(texts, second, *lines):
    """The state of files at a moment."""
    made = read(*lines)
    assert not made.report.messages, made.report.messages
    files = {f"{number}.yaml": text for number, text in enumerate(texts)}
    view = look_through(Lens(texts=files, events=tuple(made.events), at=at(second)))
    assert view.state is not None, view.reading.problems
    return view.state


def eras_of(texts, *lines, source="r1", to="10.255.0.3", start=None, end=None):
    net = network(*texts)
    timeline = Timeline(net, read(*lines).events)
    question = FlowQuestion(source=source, destination=to, both=False)
    span = (None if start is None else at(start), None if end is None else at(end))
    return find_eras(net, timeline, question, span=span)


def told(found):
    """Eras as seconds into 02:00, the verdict, the ways and the causes."""
    begin = at(0)
    return [
        (
            None if era.start is None else (era.start - begin) / 1_000_000,
            era.forward.verdict.value,
            ["-".join(path) for path in era.forward.paths],
            [cause.event.id for cause in era.causes],
        )
        for era in found.eras
    ]


DIRECT, ROUND = ["r1-r3"], ["r1-r2-r3"]

#: Events, and the eras of r1 to r3's loopback after the first, which begins before all of them.
ERAS = {
    "a link fails and comes back": (
        [port(1, 10, "r1:e2", "down"), port(2, 20, "r1:e2", "up")],
        [(10, "delivered", ROUND, ["e1"]), (20, "delivered", DIRECT, ["e2"])],
    ),
    "they may arrive in any order": (
        [port(2, 20, "r1:e2", "up"), port(1, 10, "r1:e2", "down")],
        [(10, "delivered", ROUND, ["e1"]), (20, "delivered", DIRECT, ["e2"])],
    ),
    "both ends tell of it, one a moment later; it is back once both are": (
        [port(1, 10, "r1:e2", "down"), port(2, 10.5, "r3:e2", "down"),
         port(3, 20, "r1:e2", "up"), port(4, 20.5, "r3:e2", "up")],
        [(10, "delivered", ROUND, ["e1"]), (20.5, "delivered", DIRECT, ["e4"])],
    ),
    "both ends in one microsecond, each enough; another event has no part in it": (
        [port(1, 10, "r1:e2", "down"), port(2, 10, "r3:e2", "down"), port(3, 10, "r3:lo", "up"),
         event(4, 10, "cost", protocol="ospf", device="r2", interface="e1", old=10, new=11)],
        [(10, "delivered", ROUND, ["e1", "e2"])],
    ),
    "an adjacency comes back seconds after its link": (
        [port(1, 10, "r1:e2", "down"), met(2, 10, "r1:e2", "r3", "down"),
         port(3, 20, "r1:e2", "up"), met(4, 24.25, "r1:e2", "r3", "up")],
        [(10, "delivered", ROUND, ["e1", "e2"]), (24.25, "delivered", DIRECT, ["e4"])],
    ),
    "an adjacency alone, its neighbour named by router id": (
        [met(1, 10, "r3:e2", "10.255.0.1", "down")], [(10, "delivered", ROUND, ["e1"])],
    ),
    "a cost makes the ways equal, then the other better; one end's alone decides": (
        [event(1, 10, "cost", protocol="ospf", device="r1", interface="e2", old=10, new=20),
         event(2, 20, "cost", protocol="ospf", device="r3", interface="e2", old=10, new=99),
         event(3, 30, "cost", protocol="ospf", device="r1", interface="e2", old=20, new=21)],
        [(10, "delivered", [*ROUND, *DIRECT], ["e1"]), (30, "delivered", ROUND, ["e3"])],
    ),
    "two things in one microsecond that only together cut it off": (
        [port(1, 10, "r1:e2", "down"), port(2, 10, "r1:e1", "down")],
        [(10, "no_route", ["r1"], ["e1", "e2"])],
    ),
    "a prefix is no longer announced": (
        [event(1, 10, "prefix", protocol="ospf", device="r3", interface="lo", prefix=FAR, state="withdrawn"),
         event(2, 40, "prefix", protocol="ospf", device="r3", interface="lo", prefix=FAR, state="announced")],
        [(10, "no_route", ["r1"], ["e1"]), (40, "delivered", DIRECT, ["e2"])],
    ),
    "flaps of what it does not use, and what is so already": (
        [port(1, 10, "r2:e1", "down"), port(2, 11, "r2:e1", "up"), port(3, 12, "r2:e1", "up"),
         port(4, 13, "r9:e1", "down"), port(5, 14, "r1:e2", "up")],
        [],
    ),
}  # fmt: skip


@pytest.mark.parametrize(("lines", "after"), ERAS.values(), ids=ERAS)
def test_eras_begin_where_the_way_changes_and_name_the_events(lines, after):
    assert told(eras_of(TRIANGLE, *lines)) == [(None, "delivered", DIRECT, []), *after]


def test_a_span_has_its_own_beginning_and_end():
    """Flapping: 10-12 and 20-24 down. What happened before the span counts in it."""
    flaps = [port(n, s, "r1:e2", state) for n, (s, state) in enumerate(
        [(10, "down"), (12, "up"), (20, "down"), (24, "up")], start=1)]  # fmt: skip
    found = eras_of(TRIANGLE, *flaps, start=11, end=20)
    assert told(found) == [(11, "delivered", ROUND, []), (12, "delivered", DIRECT, ["e2"])]
    assert [era.end for era in found.eras] == [at(12), at(20)]
    whole = eras_of(TRIANGLE, *flaps)
    assert (len(whole.eras), whole.moments, whole.asked) == (5, 4, 2)


def test_an_era_lists_what_else_was_told_of_its_way_or_of_the_last_that_arrived():
    """r1 to r2 by e1, which fails; r3 is no part of it, so what is told of it is not listed."""
    found = eras_of(
        TRIANGLE,
        event(1, 5, "measure", device="r2", name="cpu", value=90),
        event(2, 6, "measure", device="r3", name="cpu", value=90),
        port(3, 10, "r1:e1", "down"),
        port(4, 10.2, "r2:e1", "down"),
        port(5, 11, "r1:e2", "down"),
        port(6, 12, "r3:e3", "down"),
        event(7, 13, "prefix", protocol="ospf", device="r2", interface="lo", prefix="10.255.0.2/32", state="withdrawn"),
        to="10.255.0.2",
        start=0,
        end=20,
    )  # fmt: skip
    assert [(era.forward.verdict.value, [one.id for one in era.meanwhile]) for era in found.eras] == [
        ("delivered", ["e1"]), ("delivered", ["e4"]), ("no_route", ["e6", "e7"]),
    ]  # fmt: skip
    assert found.availability == 11 / 20


@pytest.mark.parametrize(
    ("to", "other", "said"),
    [  # r1 to r2's loopback, which is withdrawn, or to r3's
        ("10.255.0.2", "10.255.0.3", "b arrived throughout the outage: its way does not rest on 10.255.0.2/32 as r2 announces it"),
        ("10.255.0.3", "10.255.0.2", "b: there is no outage to compare with"),
        ("10.255.0.2", "10.255.0.2", "b was out as well in the outage"),
    ],
)  # fmt: skip
def test_why_one_flow_suffers_and_another_does_not(to, other, said):
    gone = event(1, 10, "prefix", protocol="ospf", device="r2", interface="lo", prefix="10.255.0.2/32", state="withdrawn")  # fmt: skip
    first, second = (eras_of(TRIANGLE, gone, to=one) for one in (to, other))
    assert beside_sentence("b", compare_eras(first, second)) == said


def hosts():
    """A host behind r1, one behind r3, and r1's default out to an outside network."""
    return [
        device("r1", """
            ospf: {}
            static: [{to: 0.0.0.0/0, via: 198.51.100.1}]
            interfaces:
              out: {addresses: [198.51.100.2/30]}
              lan: {addresses: [10.1.0.1/24], ospf: {area: 0, passive: true}}
              e1: {addresses: [10.0.1.1/30], ospf: {area: 0, network: point-to-point}}
            """),
        device("r3", """
            ospf: {}
            static: [{to: 0.0.0.0/0, via: 10.0.1.1}]
            interfaces:
              lan: {addresses: [10.3.0.1/24], ospf: {area: 0, passive: true}}
              e1: {addresses: [10.0.1.2/30], ospf: {area: 0, network: point-to-point}}
            """),
        device("h1", "gateway: 10.1.0.1\ninterfaces: {e0: {addresses: [10.1.0.9/24]}}", role="host"),
        device("h3", "gateway: 10.3.0.1\ninterfaces: {e0: {addresses: [10.3.0.9/24]}}", role="host"),
        "routrel: 1\nnetwork: x\noutside: {isle: {addresses: [198.51.100.1/30], prefixes: [0.0.0.0/0]}}\n",
    ]  # fmt: skip


def test_a_packet_to_a_host_of_ours_that_leaves_by_the_default_is_an_outage():
    gone = event(1, 10, "prefix", protocol="ospf", device="r3", interface="lan", prefix="10.3.0.0/24", state="withdrawn")  # fmt: skip
    first, second = eras_of(hosts(), gone, source="h1", to="10.3.0.9").eras
    assert (first.forward.verdict.value, first.forward.arrives) == ("delivered", True)
    assert (second.forward.verdict.value, second.forward.arrives) == ("leaves_network", False)
    assert second.forward.paths == (("h1", "r1", "isle"),)
    away = eras_of(hosts(), gone, source="h1", to="203.0.113.9").eras[0].forward
    assert (away.verdict.value, away.arrives) == ("leaves_network", True)


def test_delivered_by_a_default_alone_is_an_era_of_its_own():
    """r3 knows h1's subnet by OSPF; without that its default leads the same way."""
    gone = event(1, 10, "prefix", protocol="ospf", device="r1", interface="lan", prefix="10.1.0.0/24", state="withdrawn")  # fmt: skip
    first, second = eras_of(hosts(), gone, source="h3", to="10.1.0.9").eras
    assert first.forward.paths == second.forward.paths == (("h3", "r3", "r1", "h1"),)
    assert (first.forward.by_default, second.forward.by_default) == (False, True)


BORDER = [
    device("r1", """
        bgp:
          as: 65001
          neighbours: {192.0.2.1: {as: 65101}, 192.0.2.5: {as: 65102}}
        interfaces: {e1: {addresses: [192.0.2.2/30]}, e2: {addresses: [192.0.2.6/30]}}
        """),
    """routrel: 1
network: x
outside:
  isle: {as: 65101, addresses: [192.0.2.1/30], announces: [{prefixes: [203.0.113.0/24, 203.0.114.0/24]}]}
  oast: {as: 65102, addresses: [192.0.2.5/30], announces: [{prefixes: [203.0.113.0/24], as-path: 65109}]}
""",
]  # fmt: skip


def update(number, second, outside, action, prefix="203.0.113.0/24", **more):
    return event(number, second, "bgp_update", outside=outside, heard_by="r1", action=action, prefix=prefix, **more)  # fmt: skip


def test_updates_and_sessions_move_routes():
    """isle's path is shorter by one AS; once it is withdrawn oast has the only one."""
    lines = [
        update(1, 10, "isle", "withdraw"),
        update(2, 20, "isle", "announce", as_path=[65101, 65107, 65108], MULTI_EXIT_DISC=5),
        update(3, 30, "isle", "announce", as_path=[65101], ORIGIN="IGP"),
        event(4, 40, "session", device="r1", neighbour="isle", state="down", protocol="bgp"),
        event(5, 50, "session", device="r1", neighbour="192.0.2.1", state="up", reason="timer"),
    ]
    leaves = {0: "e1", 10: "e2", 20: "e2", 30: "e1", 40: "e2", 50: "e1"}
    for second, way in leaves.items():
        held = seen(BORDER, second, *lines)
        assert ways(route(held, "r1", "203.0.113.0/24")) == {way}, second
    other = [route(seen(BORDER, second, *lines), "r1", "203.0.114.0/24") for second in (30, 40)]
    assert [found is not None for found in other] == [True, False]
    timeline = Timeline(network(*BORDER), read(*lines).events)
    assert [told.effect.value for told in timeline.told] == ["changes"] * 5


def test_what_went_down_says_by_which_event():
    net = seen(TRIANGLE, 15, port(1, 10, "r1:e2", "down"), met(2, 12, "r1:e1", "r2", "down"))
    assert str(net.topology.why_down("r1", "e2")) == (
        "interface r1:e2 (down by event e1 at 2026-01-05T02:00:10.000000Z) has failed in this lens"
    )
    (lost,) = [one for one in net.findings if one.code == "ospf_adjacency_down"]
    assert "r1:e1 lost r2 by event e2 at 2026-01-05T02:00:12.000000Z" in lost.text
    assert (lost.place.file, lost.place.line) == ("events.jsonl", 2)


def test_remedies_are_tried_at_the_moment():
    """r1 loses its line to r3, and r2 lets nothing through: what is proposed mends the way by r2."""
    texts = list(TRIANGLE)
    texts[1] = texts[1].replace(
        "interfaces:", "filters: {shut: {rules: [{id: 10, deny: any}], default: deny}}\ninterfaces:", 1
    ).replace("e1: {addresses", "e1: {filters: {in: shut}, addresses", 1)  # fmt: skip
    net = seen(texts, 15, port(1, 10, "r1:e2", "down"))
    question = FlowQuestion(source="r1:e1", destination="10.255.0.3", both=True)
    assert ask_flow(net, question).forward.verdict.value == "filtered"
    files = {f"{number}.yaml": text for number, text in enumerate(texts)}
    found = find_remedies(net, files, question, {}, patience_s=60).found
    assert found
    for remedy in found:
        (branch,) = remedy.after.forward.branches
        assert [hop.device for hop in branch.hops] == ["r1", "r2", "r3"]


#: Events that change nothing, and what is said of them.
NAMED = {
    "an unknown device": (port(1, 1, "r9:e1", "down"), "unplaced", "there is no device r9"),
    "an unknown interface": (port(1, 1, "r1:e9", "down"), "unplaced", "r1 has no interface e9"),
    "up already": (port(1, 1, "r1:e1", "up"), "already", "it was so already"),
    "a neighbour that is none": (met(1, 1, "r1:e1", "r3", "down"), "unplaced", "r1:e1 has no neighbour r3 that runs OSPF"),
    "a protocol that does not run": (met(1, 1, "r1:e1", "r2", "down", "isis"), "unplaced", "r1:e1 does not run IS-IS"),
    "a protocol without adjacencies": (met(1, 1, "r1:e1", "r2", "down", "rip"), "unplaced", "no adjacency of rip is modelled"),
    "a session that is none": (event(1, 1, "session", device="r1", neighbour="r2", state="down"), "unplaced", "r1 has no session with r2"),
    "a prefix of others": (event(1, 1, "prefix", protocol="ospf", device="r1", interface="e1", prefix="10.9.0.0/16", state="withdrawn"),
                           "unplaced", "r1:e1 does not announce 10.9.0.0/16 in OSPF"),
    "a stranger": (update(1, 1, "isle", "withdraw"), "unplaced", "there is no outside network isle"),
    "a value": (event(1, 1, "measure", device="r1", interface=None, name="cpu", value=81, unit="%"), "measured", ""),
    "a value of a stranger": (event(1, 1, "measure", device="r9", name="cpu", value=81), "measured", "what was measured is not"),
    "a cost as it is": (event(1, 1, "cost", protocol="ospf", device="r1", interface="e1", old=5, new=10), "already", "had 10 by its file, not 5"),
}  # fmt: skip


@pytest.mark.parametrize(("line", "effect", "text"), NAMED.values(), ids=NAMED)
def test_events_that_change_nothing_are_named(line, effect, text):
    timeline = Timeline(network(*TRIANGLE), read(line).events)
    (told,) = timeline.told
    assert (told.effect.value, timeline.times) == (effect, ())
    assert text in told.text


#: Lines that are no event, or not wholly understood, and what is said of them.
UNREAD = {
    "no JSON": ("x", "no JSON"),
    "a list": ("[]", "no object"),
    "a kind that is none": (event(1, 1, "weather"), "the kind “weather” is not known; there are interface"),
    "no time": ({"id": "e1", "kind": "interface"}, "has no “time”"),
    "a time without an offset": ({**port(1, 1, "r1:e1", "up"), "time": "2026-01-05T02:11:07"}, "is no time as"),
    "a second 60": ({**port(1, 1, "r1:e1", "up"), "time": "2026-01-05T02:11:60Z"}, "is no time as"),
    "a seventh digit": ({**port(1, 1, "r1:e1", "up"), "time": "2026-01-05T02:11:07.1234567Z"}, "is no time as"),
    "a state that is none": (port(1, 1, "r1:e1", "dormant"), "the state “dormant” is not known; there are up, down"),
    "a path that is none": (update(1, 1, "isle", "announce", as_path=["x"]), "is no AS number"),
    "a prefix with host bits": (update(1, 1, "isle", "withdraw", prefix="10.0.0.1/8"), "is no prefix"),
    "a value that is none": (event(1, 1, "measure", device="r1", name="cpu", value="high"), "“value” is no number"),
    "an LSA with a link that is none": ({**lsa(1, 1), "links": [{"type": 5}]}, "a link's type is none of 1, 2, 3, 4"),
    "an LSP of a level that is none": (event(1, 1, "lsp", system_id="0000.0000.0001", level=3), "the level “3” is not known"),
    "a member twice": ('{"id": "e1", "id": "e2"}', "given twice"),
    "a member that is not known": (port(1, 1, "r1:e1", "up", colour="red"), "“colour” is not understood"),
    "an attribute that is not known": (update(1, 1, "isle", "withdraw", AIGP=5), "“aigp” is not understood"),
}  # fmt: skip


@pytest.mark.parametrize(("line", "said"), UNREAD.values(), ids=UNREAD)
def test_lines_that_are_no_events_are_named_with_their_number(line, said):
    made = read(port(7, 1, "r1:e1", "down"), "", line)
    assert made.report.partly
    assert (made.report.messages[0].line, said in made.report.messages[0].text) == (3, True), made
    assert made.events[0].id == "e7"


def test_an_event_that_is_told_twice_counts_once_and_another_of_its_name_counts_too():
    made = read(port(1, 1, "r1:e1", "down"), port(1, 1, "r1:e1", "down"), port(1, 2, "r1:e1", "up"))
    assert len(made.events) == 2
    assert "line 1 already" in made.report.messages[0].text
    assert not made.report.partly


def test_times_are_microseconds_of_utc():
    for text in ("2026-01-05T02:11:07.140382Z", "2026-01-05T03:11:07.140382+01:00"):
        assert time_words(time_of(text)) == "2026-01-05T02:11:07.140382Z"
    assert time_of("1970-01-01T00:00:01.5Z") == 1_500_000


# --- link states ----------------------------------------------------------------------------------


LSAS = {
    "as the files have it": ([lsa(1, 10)], []),
    "without the link to r3, its subnet still there": ([lsa(1, 10, without=["adjacency"])], [(10, "delivered", ROUND, ["e1"])]),
    "without all of that interface": ([lsa(1, 10, without=["e2"]), lsa(2, 20)],
                                      [(10, "delivered", ROUND, ["e1"]), (20, "delivered", DIRECT, ["e2"])]),
    "with a cost of 30": ([lsa(1, 10, metric=30)], [(10, "delivered", ROUND, ["e1"])]),
    "at its maximum age it tells of nothing": ([lsa(1, 10, ls_age=3600)], [(10, "no_route", ["r1"], ["e1"])]),
    "of a router that nobody is": ([{**lsa(1, 10, without=["e2"]), "advertising_router": "10.255.0.9"}], []),
}  # fmt: skip


@pytest.mark.parametrize(("lines", "after"), LSAS.values(), ids=LSAS)
def test_a_router_lsa_says_all_that_its_router_tells(lines, after):
    """RFC 2328 12.4.1.1: a numbered point-to-point link is one of type 1 and a stub of its subnet."""
    assert told(eras_of(TRIANGLE, *lines)) == [(None, "delivered", DIRECT, []), *after]


def test_a_prefix_that_a_router_lsa_leaves_out_is_gone():
    lines = (lsa(1, 10, without=["lo"]),)
    held = seen(TRIANGLE, 11, *lines)
    assert route(held, "r2", "10.255.0.1/32") is None
    assert route(held, "r2", FAR) is not None


def test_a_link_state_pdu_says_all_that_its_system_tells():
    """r1 tells of r2 alone, then of both with a metric of 40 towards r3; then its LSP expires."""
    tops = {f"r{n}": f"isis: {{net: 49.0001.0000.0000.000{n}.00, level: 2}}" for n in (1, 2, 3)}
    texts = wired_texts("r1-r2 r1-r3 r2-r3", port="isis: {network: point-to-point}", top=tops)
    ids = {n: f"0000.0000.000{n}.00" for n in (2, 3)}

    def lsp(number, second, metrics, **more):
        near = [{"neighbour": ids[n], "metric": metric} for n, metric in metrics.items()]
        subnets = [
            {"prefix": p, "metric": 10} for p in ("10.0.1.0/30", "10.0.2.0/30", "10.255.0.1/32")
        ]
        return event(number, second, "lsp", system_id="0000.0000.0001", level=2, neighbours=near, prefixes=subnets, **more)  # fmt: skip

    found = eras_of(
        texts, lsp(1, 5, {2: 10, 3: 10}), lsp(2, 10, {2: 10}), lsp(3, 20, {2: 10, 3: 10}),
        lsp(4, 30, {2: 10, 3: 40}), lsp(5, 40, {2: 10, 3: 10}, remaining_lifetime=0),
    )  # fmt: skip
    assert told(found) == [
        (None, "delivered", DIRECT, []), (10, "delivered", ROUND, ["e2"]), (20, "delivered", DIRECT, ["e3"]),
        (30, "delivered", ROUND, ["e4"]), (40, "no_route", ["r1"], ["e5"]),
    ]  # fmt: skip


# --- any events -----------------------------------------------------------------------------------


@st.composite
def histories(draw):
    """Events about the triangle, several in one microsecond, in any order of arrival."""
    links = {"e1": ("r1", "r2"), "e2": ("r1", "r3"), "e3": ("r2", "r3")}
    lines = []
    for number in range(draw(st.integers(1, 9))):
        name = draw(st.sampled_from(sorted(links)))
        owner = draw(st.sampled_from(links[name]))
        (other,) = set(links[name]) - {owner}
        second, state = draw(st.integers(1, 5)), draw(st.sampled_from(["up", "down"]))
        match draw(st.sampled_from(["port", "met", "cost", "prefix"])):
            case "port":
                lines.append(port(number, second, f"{owner}:{name}", state))
            case "met":
                lines.append(met(number, second, f"{owner}:{name}", other, state))
            case "cost":
                lines.append(event(number, second, "cost", protocol="ospf", device=owner, interface=name, new=draw(st.sampled_from([5, 10, 20, 30]))))  # fmt: skip
            case _:
                lines.append(event(number, second, "prefix", protocol="ospf", device="r3", interface="lo", prefix=FAR, state={"up": "announced", "down": "withdrawn"}[state]))  # fmt: skip
    return lines


@settings(max_examples=40, deadline=None)
@given(histories())
def test_eras_are_what_asking_after_every_event_says(lines):
    """A plain fold of all events up to each time, computed from nothing, merged where equal."""
    net = network(*TRIANGLE)
    question = FlowQuestion(source="r1", destination="10.255.0.3", both=False)
    timeline = Timeline(net, read(*lines).events)
    expected = []
    for second in range(6):
        state = converge(net, failures=Failures(events=timeline.at(at(second)).events))
        answer = ask_flow(state, question).forward
        course = (
            answer.verdict.value,
            sorted("-".join(hop.device for hop in branch.hops) for branch in answer.branches),
        )
        if not expected or expected[-1][1:] != course:
            expected.append((second or None, *course))
    found = told(find_eras(net, timeline, question))
    assert [(start, verdict, sorted(paths)) for start, verdict, paths, _ in found] == expected
    assert all(causes for start, _, _, causes in found if start is not None)


PROMISED = """
routrel: 1
network: x
promises:
  near: r1 to 10.255.0.2 must be delivered and take at most 1 hops
  far: r1 to 10.255.0.3 must be delivered
  two: r1 to 10.255.0.3 must be delivered and pass r2
  table: r2 must hold 10.255.0.3/32 by ospf
"""


@settings(max_examples=25, deadline=None)
@given(histories())
def test_promises_are_kept_when_checking_after_every_event_says_so(lines):
    """Held to a checker that knows nothing of the moment before."""
    net = network(*TRIANGLE, PROMISED)
    timeline = Timeline(net, read(*lines).events)
    found = promise_eras(net, timeline, net.promises, {})
    for at_, promise in enumerate(net.promises):
        expected = []
        for second in range(6):
            state = converge(net, failures=Failures(events=timeline.at(at(second)).events))
            checked = Checker(state, net.promises).check(promise)
            if not expected or expected[-1][1:] != (checked.kept, checked.problem):
                expected.append((at(second) if second else None, checked.kept, checked.problem))
        assert [
            (one.start, one.found.kept, one.found.problem) for one in found[at_].spans
        ] == expected


def test_the_state_of_a_moment_is_that_of_files_that_say_the_same():
    """Cost by event and by file; a prefix of a passive loopback withheld and without OSPF."""
    lines = [
        event(1, 1, "cost", protocol="ospf", device="r1", interface="e2", new=30),
        event(2, 2, "prefix", protocol="ospf", device="r2", interface="lo", prefix="10.255.0.2/32", state="withdrawn"),
    ]  # fmt: skip
    by_events = seen(TRIANGLE, 5, *lines)
    texts = list(TRIANGLE)
    texts[0] = texts[0].replace(
        "e2: {addresses: [10.0.2.1/30], ospf: {area: 0, cost: 10",
        "e2: {addresses: [10.0.2.1/30], ospf: {area: 0, cost: 30",
    )
    texts[1] = texts[1].replace("addresses: [10.255.0.2/32], ospf: {area: 0, cost: 10, network: point-to-point}", "addresses: [10.255.0.2/32]")  # fmt: skip
    by_files = converge(network(*texts))
    assert texts[0] != TRIANGLE[0]
    assert texts[1] != TRIANGLE[1]
    for name in ("r1", "r2", "r3"):
        for prefix in map(
            ipaddress.ip_network, ("10.255.0.1/32", "10.255.0.2/32", FAR, "10.0.3.0/30")
        ):
            one, other = (route(net, name, str(prefix)) for net in (by_events, by_files))
            assert (one and (one.metric, one.next_hops)) == (
                other and (other.metric, other.next_hops)
            )
