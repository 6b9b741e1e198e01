"""A failure is worth what shutting the same interfaces is, and what follows a state equals what is
computed anew, explanations included."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable
from dataclasses import replace

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from routrel.answers.base import data
from routrel.answers.routes import route_data
from routrel.convergence.converge import State, converge
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.model.network import Device, Interface, Network
from routrel.questions.routes import RouteQuestion, ask_routes
from tests import nets
from tests.differential.test_any_network import mixtures
from tests.told import explain_route, holders_data

PREFIXES = [ipaddress.ip_network(p) for p in ("10.255.0.1/32", "10.255.0.2/32", "10.99.0.0/16")]


def shut(network: Network, which: Callable[[Device, Interface], bool]) -> Network:
    """The network with some interfaces shut in their files."""
    return replace(
        network,
        devices=tuple(
            replace(
                device,
                interfaces=tuple(
                    replace(one, enabled=one.enabled and not which(device, one))
                    for one in device.interfaces
                ),
            )
            for device in network.devices
        ),
    )


def tables(state: State, but: str = "") -> list[object]:
    """All active routes as they are told, but those of one device."""
    routes = ask_routes(state, RouteQuestion())
    return [data(route_data(state, route)) for route in routes if route.device != but]


def told(state: State) -> list[object]:
    """Explanations of a few prefixes."""
    return [
        said
        for prefix in PREFIXES
        for said in (
            explain_route(state, RouteQuestion(prefix=prefix)),
            holders_data(state, prefix),
        )
    ]


@settings(max_examples=40, deadline=None, derandomize=True)
@given(mixtures(), st.data())
def test_what_failed_is_as_if_shut(mixture, draws):
    links, tops, ports = mixture
    # A router without a loopback is named after an enabled interface, so shutting one renames it.
    assume(not any("enabled" in words for port, words in ports.items() if port.endswith(":lo")))
    net = nets.wired(links, port="", top=tops, ports=ports)
    network = net.network
    number = draws.draw(st.integers(1, len(links.split())), label="link")
    name = draws.draw(st.sampled_from([device.name for device in network.devices]), label="device")
    segment = next(
        s for s in net.topology.segments if any(f"e{number}" == e.interface.name for e in s.ends)
    )
    cut = converge(network, failures=Failures((Failure(FailureKind.LINK, segment.name),)))
    assert tables(cut) == tables(converge(shut(network, lambda _, i: i.name == f"e{number}")))
    off = Failures((Failure(FailureKind.DEVICE, name),))
    without = converge(network, failures=off)
    other = converge(shut(network, lambda device, _: device.name == name))
    assert tables(without, but=name) == tables(other, but=name)
    assert not any(route.device == name for route in ask_routes(without, RouteQuestion()))


@settings(max_examples=40, deadline=None, derandomize=True)
@given(mixtures(), st.data())
def test_following_equals_computing_anew(mixture, draws):
    """A state that follows another, where something failed or came back, is the one from nothing.

    Nor does asking change anything: what was told before is told again.
    """
    links, tops, ports = mixture
    net = nets.wired(links, port="", top=tops, ports=ports)
    before = (tables(net), told(net))
    name = draws.draw(st.sampled_from([device.name for device in net.network.devices]))
    off = Failures((Failure(FailureKind.DEVICE, name),))
    anew = converge(net.network, failures=off)
    followed = converge(net.network, since=net, failures=off)
    assert (tables(followed), told(followed)) == (tables(anew), told(anew))
    back = converge(net.network, since=followed)
    assert (tables(back), told(back)) == before
    assert (tables(net), told(net)) == before
