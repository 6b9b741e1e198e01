"""Failures and changes: what a lens makes of a network whose files stay as they are."""

from __future__ import annotations

import ipaddress
from dataclasses import replace
from textwrap import dedent

import pytest

from routrel.answers.sessions import sessions_data
from routrel.convergence.converge import converge
from routrel.lens.changes import Conflicts
from routrel.lens.failures import UnknownFailure, named_failures
from routrel.lens.look import Lens, look, look_through
from routrel.model.changes import Change, Operation, PlaceEdit
from routrel.questions.errors import HasFailed
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.remedies.search import find_remedies
from routrel.questions.routes import RouteQuestion
from tests.nets import device, route, ways, wired_texts
from tests.told import answer_flow, explain_route

FAR = "10.255.0.3/32"


def seen(texts, *failed, changes=()):
    """The state behind a lens."""
    files = {f"{number}.yaml": text for number, text in enumerate(texts)}
    view = look_through(Lens(texts=files, changes=changes, failures=named_failures(failed)))
    assert view.state is not None, view.reading.problems
    return view.state


def triangle():
    """r1-r3 costs 10 by e2; by r2 it is 10 + 10."""
    return wired_texts(
        "r1-r2 r1-r3 r2-r3",
        port="ospf: {area: 0, cost: 10, network: point-to-point}",
        top="ospf: {}",
    )


@pytest.mark.parametrize(
    ("failed", "leaves_by"),
    [
        ((), {"e2"}),
        (("link:10.0.2.0/30",), {"e1"}),
        (("interface:r1:e2",), {"e1"}),
        (("interface:r3:e2",), {"e1"}),  # the far end: r1 loses its carrier too
        (("device:r2",), {"e2"}),
        (("device:r2", "interface:r3:e2"), set()),
        (("device:r3",), set()),
    ],
)
def test_routes_go_around_what_failed(failed, leaves_by):
    net = seen(triangle(), *failed)
    assert ways(route(net, "r1", FAR)) == leaves_by


def test_a_failed_device_is_off():
    """Nothing starts there, nothing arrives; and the reason is the failure, not a line to mend."""
    net = seen(triangle(), "device:r3")
    assert all(
        not len(net.rib.table_rows(n))
        for (name, _), n in net.rib.interning.table_numbers.items()
        if name == "r3"
    )
    with pytest.raises(HasFailed, match="r3 has failed"):
        ask_flow(net, FlowQuestion(source="r3", destination="r1"))
    answer = answer_flow(net, FlowQuestion(source="r1", destination="r3", both=True))
    assert answer["forward"]["verdict"] == "no_route"
    assert answer["return"] is None
    (why,) = explain_route(net, RouteQuestion(device="r1", prefix=ipaddress.ip_network(FAR)))
    assert why["absent"]["reason"] == "failed"
    assert "device r3 has failed" in why["absent"]["steps"][0]["text"]


def test_a_gap_is_told_as_failed():
    """r1-r2-r3: r1 has nothing of r3, since the link between r1 and r2 failed."""
    texts = wired_texts("r1-r2 r2-r3", port="rip: {}", top="rip: {}")
    net = seen(texts, "link:10.0.1.0/30")
    (why,) = explain_route(net, RouteQuestion(device="r1", prefix=ipaddress.ip_network(FAR)))
    step = next(step for step in why["absent"]["steps"] if step["kind"] == "failed")
    assert "link 10.0.1.0/30 has failed" in step["text"]
    assert not step["suggestion"]


def lan(name, processing, more=""):
    return device(
        name,
        f"""
        processing: {processing}
        {more}
        interfaces:
          e1: {{addresses: [10.0.1.{name[1:]}/24]}}
          e2: {{addresses: [10.0.{name[1:]}2.1/24]}}
        """,
    )


@pytest.mark.parametrize(
    ("processing", "more", "failed", "stays"),
    [
        ("router", "", "link:10.0.1.0/24", False),
        # The kernel keeps routes of an interface without carrier, unless told otherwise.
        ("linux", "", "link:10.0.1.0/24", True),
        ("linux", "", "device:r2", True),
        ("linux", "ignore-dead-links: true", "link:10.0.1.0/24", False),
        ("linux", "", "device:r1", False),
    ],
)
def test_connected_routes_while_a_link_is_dead(processing, more, failed, stays):
    net = seen([lan("r1", processing, more), lan("r2", "router")], failed)
    assert (route(net, "r1", "10.0.1.0/24") is not None) == stays


def test_a_segment_of_many_loses_one_end_or_all():
    texts = [lan(name, "router") for name in ("r1", "r2", "r3")]
    one, all_ = seen(texts, "interface:r3:e1"), seen(texts, "link:10.0.1.0/24")
    assert [one.topology.is_up(name, "e1") for name in ("r1", "r2", "r3")] == [True, True, False]
    assert not any(all_.topology.is_up(name, "e1") for name in ("r1", "r2", "r3"))


def test_another_master_takes_over():
    """The backup answers for the virtual router once the master is off (RFC 9568 6.4.3)."""
    ends = [
        device(
            name,
            f"""
            interfaces:
              e1: {{addresses: [10.0.1.{name[1:]}/24], vrrp: [{{id: 7, addresses: 10.0.1.9, priority: {priority}}}]}}
            """,
        )
        for name, priority in (("r1", 200), ("r2", 100), ("r3", 50))
    ]
    assert [m.device.name for m in seen(ends).topology.masters] == ["r1"]
    assert [m.device.name for m in seen(ends, "device:r1").topology.masters] == ["r2"]


def test_remedies_leave_failed_things_failed():
    """What is proposed beside a failure was tried with it: a way by r2, not the failed link."""
    texts = wired_texts("r1-r2 r1-r3 r2-r3", port="", top="", ports={"r1:lo": "", "r3:lo": ""})
    net = seen(texts, "link:10.0.2.0/30")
    files = {f"{number}.yaml": text for number, text in enumerate(texts)}
    question = FlowQuestion(source="r1:e1", destination="10.0.3.2", both=True)
    found = find_remedies(net, files, question, {}, patience_s=60).found
    assert found
    assert all(
        remedy.after.forward.trace.branches[0].hops[0].interface_out == "e1" for remedy in found
    )


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("device:r4", "no device “r4” that could fail; "),
        ("site:r4", "no site “r4” that could fail; "),
        ("session:r1:10.0.1.2", "no session “r1:10.0.1.2” that could fail; "),
        ("line:r4", "no outside network “r4” that could fail; "),
        ("group:r4", "no risk group “r4” that could fail; "),
        ("router:r1", "“router:r1” does not say what has failed; write interface:"),
        ("interface:r1:e9", "r1 has no interface “e9” that could fail; "),
        ("link:nowhere", "no link “nowhere” that could fail; "),
    ],
)
def test_only_what_is_there_can_fail(name, says):
    with pytest.raises(UnknownFailure, match=says):
        seen(triangle(), name)


def test_a_lens_changes_files_and_leaves_the_revision():
    """Cost 10 to 30 at r1's way to r3: it goes by r2 (10 + 10). The texts stay as they were."""
    texts = triangle()
    place = ("r1", "interfaces", "e2", "ospf", "cost")
    dearer = PlaceEdit(at=place, operation=Operation.SET, was="10", value="30")
    change = Change(name="dearer", edits=(dearer,))
    net = seen(texts, changes=(change,))
    assert ways(route(net, "r1", FAR)) == {"e1"}
    assert texts == triangle()
    again = converge(net.network, since=seen(texts), failures=named_failures(["device:r2"]))
    assert ways(route(again, "r1", FAR)) == {"e2"}
    cheaper = replace(change, edits=(replace(dearer, was="20", value="5"),))
    with pytest.raises(Conflicts, match="it replaces “20”, but “30” stands there now"):
        seen(texts, changes=(change, cheaper))


def flow(net, source, destination):
    answer = answer_flow(net, FlowQuestion(source=source, destination=destination, both=True))
    return answer["forward"], answer["return"]


def test_frames_lost_one_way_end_what_needs_both():
    """OSPF needs hellos both ways (RFC 2328 10.5), and whoever asks for r1's address on the wire
    gets no answer (RFC 826); both ends are up, and the subnet stays a connected route."""
    net = seen(triangle(), "direction:r1:e2")
    assert net.topology.is_up("r1", "e2")
    assert net.topology.is_up("r3", "e2")
    assert ways(route(net, "r1", FAR)) == {"e1"}
    assert ways(route(net, "r3", "10.255.0.1/32")) == {"e3"}
    there, back = flow(net, "r1:e2", "10.0.2.2")
    assert (there["verdict"], back["verdict"]) == ("next_hop_unresolved", "next_hop_unresolved")
    cause = there["obstacles"][0]
    assert cause["kind"] == "failed"
    assert "the direction out of r1:e2 has failed in this lens" in cause["text"]
    assert flow(net, "r1", "r3")[0]["verdict"] == "delivered"


def test_frames_lost_one_way_leave_what_is_only_heard():
    """RIP is only heard (RFC 2453 3.9): r1 still takes r3's routes and r3 none of r1's. On
    point-to-point interfaces nobody asks who is there, so r3's packets arrive, r1's are lost."""
    texts = [
        device(
            name,
            f"""
            rip: {{}}
            interfaces:
              lo: {{kind: loopback, addresses: [10.255.0.{number}/32], rip: {{}}}}
              e1: {{kind: point-to-point, addresses: [10.0.1.{number}/30], rip: {{}}}}
            """,
        )
        for name, number in (("r1", 1), ("r3", 2))
    ]
    net = seen(texts, "direction:r1:e1")
    assert ways(route(net, "r1", "10.255.0.2/32")) == {"e1"}
    assert route(net, "r3", "10.255.0.1/32") is None
    assert flow(net, "r1", "10.0.1.2")[0]["verdict"] == "next_hop_unresolved"
    there, back = flow(net, "r3", "10.0.1.1")
    assert (there["verdict"], back["verdict"]) == ("delivered", "next_hop_unresolved")
    (why,) = explain_route(
        net, RouteQuestion(device="r3", prefix=ipaddress.ip_network("10.255.0.1/32"))
    )
    step = next(step for step in why["absent"]["steps"] if step["kind"] == "failed")
    assert "what r1:e1 sends is lost" in step["text"]


def test_a_master_that_nobody_hears_is_one_besides_another():
    ends = [
        device(
            name,
            f"""
            interfaces:
              e1: {{addresses: [10.0.1.{name[1:]}/24], vrrp: [{{id: 7, addresses: 10.0.1.9, priority: {priority}}}]}}
            """,
        )
        for name, priority in (("r1", 200), ("r2", 100))
    ]
    masters = {m.device.name for m in seen(ends, "direction:r1:e1").topology.masters}
    assert masters == {"r1", "r2"}
    masters = {m.device.name for m in seen(ends, "direction:r2:e1").topology.masters}
    assert masters == {"r1"}  # r2 hears r1, which is higher


EDGE = """
    bgp:
      as: 64500
      neighbours:
        192.0.2.1: {as: 64510}
        198.51.100.1: {as: 64511}
    interfaces:
      e1: {addresses: [192.0.2.2/30]}
      e2: {addresses: [198.51.100.2/30]}
"""
LINES = """
    routrel: 1
    network: two lines
    sites: {quay: {}}
    outside:
      one:
        as: 64510
        addresses: [192.0.2.1/30]
        prefixes: [203.0.113.0/24]
        announces: [{prefixes: 203.0.113.0/24}]
      two:
        as: 64511
        addresses: [198.51.100.1/30]
        prefixes: [203.0.113.0/24]
        announces: [{prefixes: 203.0.113.0/24, as-path: 64512}]
    risk-groups:
      duct: {lines: [one, two], title: under the pier}
      feed: {devices: [r1], interfaces: ["r1:e2"], links: [192.0.2.0/30]}
"""


@pytest.mark.parametrize(
    ("failed", "leaves_by", "up"),
    [
        ((), {"e1"}, ["up", "up"]),  # the shorter AS path
        (("session:r1:192.0.2.1",), {"e2"}, ["unreachable", "up"]),
        (("line:one",), {"e2"}, ["unreachable", "up"]),
        (("interface:r1:e2",), {"e1"}, ["up", "unreachable"]),
        (("group:duct",), set(), ["unreachable", "unreachable"]),
        (("group:feed",), set(), ["unreachable", "unreachable"]),
        (("site:quay",), set(), ["unreachable", "unreachable"]),
    ],
)
def test_sessions_lines_sites_and_what_shares_a_risk(failed, leaves_by, up):
    edge = device("r1", EDGE.replace("bgp:", "site: quay\n    bgp:", 1))
    net = seen([edge, dedent(LINES)], *failed)
    assert ways(route(net, "r1", "203.0.113.0/24")) == leaves_by
    sessions = sessions_data(net).sessions
    assert [session.state.value for session in sessions] == up
    words = {"session": "session", "line": "line", "group": "risk group", "site": "site"}
    for session in sessions:
        kind, _, name = failed[0].partition(":") if failed else ("", "", "")
        if session.state.value != "up" and kind in words:
            assert f"{words[kind]} {name} has failed in this lens" in session.reason
    if failed and failed[0].startswith("line"):
        assert not net.topology.is_up("r1", "e1")  # the only other end of its link


def test_a_risk_group_names_what_is_there():
    texts = {"n.yaml": dedent(LINES), "r1.yaml": device("r2", EDGE)}
    problems = {problem.code for problem in look(texts).reading.problems}
    assert problems == {"unknown_device", "unknown_interface"}
