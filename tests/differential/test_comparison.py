"""What a comparison finds is all there is: routes against plain sets, flows against every pair."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import State, converge
from routrel.forwarding.evidence import Branch
from routrel.forwarding.round_trip import ARRIVED
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.model.place import NOWHERE
from routrel.questions.comparison.ends import End, ends_of
from routrel.questions.comparison.flows import flow_changes
from routrel.questions.comparison.routes import route_changes
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, ask_flow
from tests import nets
from tests.differential.test_any_network import mixtures


def plain(state: State) -> dict[tuple[str, str, object], object]:
    """The active routes by table and prefix, as if written nowhere."""
    return {
        (route.device, route.vrf, route.prefix): replace(route, place=NOWHERE)
        for table in range(len(state.rib.interning.tables))
        for route in state.rib.table_routes(table)
    }


def course(state: State, question: FlowQuestion) -> list[object] | None:
    """What becomes of a flow, there and back where any of it arrives; None: it cannot be asked."""
    try:
        answer = ask_flow(state, question)
    except QuestionError:
        return None
    arrives = any(branch.verdict in ARRIVED for branch in answer.forward.branches)
    return [
        direction and (direction.verdict, sorted(map(way, direction.branches)))
        for direction in (answer.forward, answer.back if arrives else None)
    ]


def way(branch: Branch) -> tuple[str, ...]:
    hops = [f"{h.device} {h.vrf} {h.interface_out}" for h in branch.hops]
    return branch.entry or "", branch.verdict.value, str(branch.share), *hops


def every_pair(ends: list[End]) -> list[tuple[End, End]]:
    return [
        (source, destination)
        for source in ends
        for destination in ends
        if source.is_source
        and source.address.version == destination.address.version
        and (source.owner is None or source.owner != destination.owner)
    ]


@settings(max_examples=25, deadline=None, derandomize=True)
@given(mixtures(), st.data())
def test_nothing_is_passed_over(mixture, draws):
    """A failed device, interface, link or direction: the flows told are those that differ at all."""
    links, tops, ports = mixture
    net = nets.wired(links, port="", top=tops, ports=ports)
    names = [device.name for device in net.network.devices]
    number = draws.draw(st.integers(1, len(links.split())), label="link")
    name = draws.draw(st.sampled_from(names), label="device")
    ends = [e for s in net.topology.segments for e in s.ends if e.interface.name == f"e{number}"]
    kind = draws.draw(st.sampled_from(["device", "interface", "direction"]), label="kind")
    named = name if kind == "device" else str(draws.draw(st.sampled_from(ends), label="end"))
    failure = Failure(FailureKind(kind), named)
    other = converge(net.network, failures=Failures((failure,)))

    then, now = plain(net), plain(other)
    found = {(*c.table, c.prefix): (c.before, c.after) for c in route_changes(net.rib, other.rib)}
    assert found.keys() == {
        key for key in then.keys() | now.keys() if then.get(key) != now.get(key)
    }
    for key, (before, after) in found.items():
        assert [r and replace(r, place=NOWHERE) for r in (before, after)] == [
            then.get(key), now.get(key),
        ]  # fmt: skip

    told = {
        (change.source, change.destination)
        for change in flow_changes(net, other, {}).changes
        if change.source and change.destination
    }
    for source, destination in every_pair(ends_of(net, other)):
        question = FlowQuestion(source=source.asked, destination=destination.asked, both=True)
        before, after = course(net, question), course(other, question)
        if before is None or after is None:
            differs = False  # an end that is off asks nothing
        else:
            there, back = zip(before, after, strict=True)
            differs = there[0] != there[1] or (None not in back and back[0] != back[1])
        assert ((source, destination) in told) == differs, (source.text, destination.text)
