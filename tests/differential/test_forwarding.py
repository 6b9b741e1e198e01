"""The quick look whether all branches arrive against the branches themselves, one after the other."""

from __future__ import annotations

import ipaddress
from collections import Counter
from fractions import Fraction
from itertools import permutations

import yaml
from hypothesis import given, settings

from routrel.convergence.converge import State
from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import Branch, Verdict
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.reach import Probe, Reach
from routrel.forwarding.trace import Start, trace
from routrel.model.traffic import TCP, Header
from tests import nets
from tests.differential.test_any_network import mixtures
from tests.kernel.labs import random_lab

PORTS = {"source_port": 49152, "destination_port": 179}


def arrives(branch: Branch, state: State, probe: Probe) -> bool:
    if branch.verdict is Verdict.LEAVES_NETWORK:
        outside = next(o for o in state.network.outside if o.name == branch.outside)
        return any(own.ip == probe.header.destination for own in outside.addresses)
    return branch.verdict is Verdict.DELIVERED and branch.header.ttl >= probe.least_ttl


def slowly(state: State, there: Probe, back: Probe) -> str:
    """Where a conversation first ends, its branches followed one by one; empty: it takes place."""
    known: tuple[Connection, ...] = ()
    for probe in (there, back):
        connections: dict[Connection, None] = {}
        for start in probe.starts:
            followed = trace(Lookup(state.topology, state.rib), probe.header, (start,), known=known)
            assert sum((b.share for b in followed.branches), followed.unfollowed) == Fraction(1)
            for branch in followed.branches:
                if not arrives(branch, state, probe):
                    return branch.hops[-1].device
                connections.update(dict.fromkeys(branch.connections))
        known = tuple(connections)
    return ""


def compare(state: State, there: Probe, back: Probe) -> bool:
    """Whether a conversation takes place; both ways to know agree, and on where it ends."""
    found = Reach(state.topology, state.rib).conversation(there, back)
    ended = slowly(state, there, back)
    assert (found is None) == (ended == ""), (there, found, ended)
    if found is not None and not any(o.name == ended for o in state.network.outside):
        assert ended in found.text or found.place.file == state.topology.devices[ended].place.file
    return found is None


def probes(
    one: tuple[str, str], other: tuple[str, str], ttl: int, least: int
) -> tuple[Probe, Probe]:
    """A TCP segment to port 179 and what answers it, between (device, address) and another."""
    left, right = (ipaddress.ip_address(address) for _, address in (one, other))
    there = Header(
        source=left, destination=right, protocol=TCP, ttl=ttl, flags=frozenset({"syn"}), **PORTS
    )
    answer = Header(
        source=right, destination=left, protocol=TCP, ttl=ttl, flags=frozenset({"syn", "ack"}),
        source_port=179, destination_port=49152,
    )  # fmt: skip
    return (
        Probe((Start(one[0], "default"),), there, least),
        Probe((Start(other[0], "default"),), answer, least),
    )


def test_in_labs_of_filters_translation_and_steering():
    outcomes: Counter[bool] = Counter()
    for number in range(40):
        lab = random_lab(number)
        net = nets.state(*(yaml.safe_dump(each, sort_keys=False) for each in lab.devices.values()))
        ends = [
            (device.name, str(interface.addresses[0].ip))
            for device in net.network.devices
            for interface in device.interfaces[:1]
            if interface.addresses and interface.addresses[0].version == 4
        ]
        for one, other in permutations(ends, 2):
            for ttl, least in ((64, 1), (2, 1), (64, 63)):
                outcomes[compare(net, *probes(one, other, ttl, least))] += 1
    assert min(outcomes.values()) > 100, outcomes


@settings(max_examples=60, deadline=None, derandomize=True)
@given(mixtures())
def test_in_mixtures_of_protocols(mixture):
    links, tops, ports = mixture
    net = nets.wired(links, port="", top=tops, ports=ports)
    ends = [(device.name, f"10.255.0.{device.name[1:]}") for device in net.network.devices]
    for one, other in permutations(ends, 2):
        compare(net, *probes(one, other, 64, 1))
