"""Failures and changes: what a lens makes of a network whose files stay as they are."""

from __future__ import annotations

import ipaddress

import pytest

from routrel.convergence.converge import converge
from routrel.lens.changes import Change, DoesNotApply, SetKey, SetValue
from routrel.lens.failures import UnknownFailure, named_failures
from routrel.lens.look import Lens, look_through
from routrel.model.failures import Failures
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
        (("link 10.0.2.0/30",), {"e1"}),
        (("r1:e2",), {"e1"}),
        (("r3:e2",), {"e1"}),  # the far end: r1 loses its carrier too
        (("r2",), {"e2"}),
        (("r2", "r3:e2"), set()),
        (("r3",), set()),
    ],
)
def test_routes_go_around_what_failed(failed, leaves_by):
    net = seen(triangle(), *failed)
    assert ways(route(net, "r1", FAR)) == leaves_by


def test_a_failed_device_is_off():
    """Nothing starts there, nothing arrives; and the reason is the failure, not a line to mend."""
    net = seen(triangle(), "r3")
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
    net = seen(texts, "link 10.0.1.0/30")
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
        ("router", "", "link 10.0.1.0/24", False),
        # The kernel keeps routes of an interface without carrier, unless told otherwise.
        ("linux", "", "link 10.0.1.0/24", True),
        ("linux", "", "r2", True),
        ("linux", "ignore-dead-links: true", "link 10.0.1.0/24", False),
        ("linux", "", "r1", False),
    ],
)
def test_connected_routes_while_a_link_is_dead(processing, more, failed, stays):
    net = seen([lan("r1", processing, more), lan("r2", "router")], failed)
    assert (route(net, "r1", "10.0.1.0/24") is not None) == stays


def test_a_segment_of_many_loses_one_end_or_all():
    texts = [lan(name, "router") for name in ("r1", "r2", "r3")]
    one, all_ = seen(texts, "r3:e1"), seen(texts, "link 10.0.1.0/24")
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
    assert [m.device.name for m in seen(ends, "r1").topology.masters] == ["r2"]


def test_remedies_leave_failed_things_failed():
    """What is proposed beside a failure was tried with it: a way by r2, not the failed link."""
    texts = wired_texts("r1-r2 r1-r3 r2-r3", port="", top="", ports={"r1:lo": "", "r3:lo": ""})
    net = seen(texts, "link 10.0.2.0/30")
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
        ("r4", "no device “r4” that could fail; "),
        ("r1:e9", "r1 has no interface “e9” that could fail; "),
        ("link nowhere", "no link “nowhere” that could fail; "),
    ],
)
def test_only_what_is_there_can_fail(name, says):
    with pytest.raises(UnknownFailure, match=says):
        seen(triangle(), name)


def test_a_lens_changes_files_and_leaves_the_revision():
    """Cost 10 to 30 at r1's way to r3: it goes by r2 (10 + 10). The texts stay as they were."""
    texts = triangle()
    dearer = Change("0.yaml", SetKey(("interfaces", "e2", "ospf"), "cost", "30"))
    net = seen(texts, changes=(dearer,))
    assert ways(route(net, "r1", FAR)) == {"e1"}
    assert texts == triangle()
    again = converge(net.network, since=seen(texts), failures=Failures(devices=frozenset({"r2"})))
    assert ways(route(again, "r1", FAR)) == {"e2"}
    for wrong in (
        Change("9.yaml", dearer.patch),
        Change("0.yaml", SetValue(("interfaces", "e9", "ospf", "cost"), "30")),
    ):
        with pytest.raises(DoesNotApply, match=wrong.file):
            seen(texts, changes=(wrong,))
