"""Convergence after an edit or a failure that follows a state, against convergence from nothing.

Three networks: the demo; 500 OSPF routers in a ring with chords, two of which announce 20,000
external prefixes; 200 routers with BGP, 4 million candidate rows. Single edits (a cost, a shut
interface) and failures (link, interface, device) are drawn from a fixed seed. The baseline of every
ratio is the same network computed from nothing in the same run. How many are drawn of each network
may be said; fewer are quicker. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/convergence.py [demo ospf bgp] [--draws 50]
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from random import Random

from bench.border_routes import POLICY
from bench.networks import reflected_borders, star_of_rings
from routrel.convergence.converge import State, converge
from routrel.files.reader import load_texts, read_texts
from routrel.model.failures import NOTHING_FAILED, Failure, FailureKind, Failures
from routrel.model.network import Network

DEMO = Path(__file__).resolve().parents[1] / "demo"
TEXTS: dict[str, Callable[[], dict[str, str]]] = {
    "demo": lambda: load_texts(DEMO)[0],
    "ospf": lambda: star_of_rings(500, 20_000),
    "bgp": lambda: reflected_borders(200, 10, 20_000, 1_000, policy=POLICY.format(120)),
}


def main() -> None:
    arguments = argparse.ArgumentParser()
    arguments.add_argument("networks", nargs="*", default=list(TEXTS))
    arguments.add_argument("--draws", type=int, default=50)
    given = arguments.parse_args()
    for name in given.networks:
        measure(name, read_texts(TEXTS[name]()).network, given.draws)


def measure(name: str, network: Network, draws: int) -> None:
    """Print how long a network takes, and what following an edit or failure costs of that."""
    times = []
    for _ in range(3):  # the first one pays for what Python loads
        began = time.perf_counter()
        state = converge(network)
        times.append(time.perf_counter() - began)
    anew = min(times)
    rows = sum(map(len, state.rib.tables))
    print(f"{name}: {len(network.devices)} devices, {rows:,} rows, from nothing {anew:.2f} s")
    random = Random(1)
    ratios: dict[str, list[float]] = {}
    for _ in range(draws):
        kind, edited, failures = drawn(state, random)
        began = time.perf_counter()
        converge(edited, since=state, failures=failures)
        ratios.setdefault(kind, []).append((time.perf_counter() - began) / anew)
    for kind, found in sorted(ratios.items()):
        print(f"    {kind}: ratio {statistics.median(found):.2f} (median of {len(found)})")
    whole = [ratio for found in ratios.values() for ratio in found]
    print(f"    all: ratio {statistics.median(whole):.2f} (median of {len(whole)})")


def drawn(state: State, random: Random) -> tuple[str, Network, Failures]:
    """One single edit or failure: its kind, the network, and what has failed in it."""
    network = state.network
    links = [segment.name for segment in state.topology.segments if segment.is_link]
    routers = [device for device in network.devices if device.role.forwards]
    device = random.choice(routers)
    port = random.choice([one for one in device.interfaces if one.addresses] or device.interfaces)
    kind = random.choice(["link fails", "interface fails", "device fails", "cost", "shut"])
    if kind == "link fails":
        return kind, network, Failures((Failure(FailureKind.LINK, random.choice(links)),))
    if kind == "interface fails":
        name = f"{device.name}:{port.name}"
        return kind, network, Failures((Failure(FailureKind.INTERFACE, name),))
    if kind == "device fails":
        return kind, network, Failures((Failure(FailureKind.DEVICE, device.name),))
    other = replace(port, enabled=False)
    if kind == "cost" and port.ospf is not None:
        other = replace(port, ospf=replace(port.ospf, cost=random.randint(1, 60)))
    ports = tuple(other if one is port else one for one in device.interfaces)
    edited = replace(device, interfaces=ports)
    devices = tuple(edited if one is device else one for one in network.devices)
    return kind, replace(network, devices=devices), NOTHING_FAILED


if __name__ == "__main__":
    main()
