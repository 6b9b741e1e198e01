"""A moment of a day of events of the demo, and the eras of a flow in it.

    PYTHONPATH=. .venv/bin/python bench/moments.py [--events 20000]

The baselines are measured in the same run: parsing the lines by the standard library alone, and
computing the network from nothing.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from random import Random

from bench.timing import fastest
from routrel.convergence.converge import converge
from routrel.formats.events.json_lines import read_events
from routrel.lens.look import look_at_folder
from routrel.lens.moments import Timeline
from routrel.model.events import time_of, time_words
from routrel.model.failures import Failures
from routrel.model.network import Network

DEMO = Path(__file__).resolve().parents[1] / "demo"
DAY = time_of("2026-01-05T00:00:00Z")
LENGTH = 24 * 3_600_000_000


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--events", type=int, default=20_000)
    count = parser.parse_args().events
    view = look_at_folder(DEMO)
    network, state = view.reading.network, view.state
    content = made_up(network, count)
    lines = content.split(b"\n")
    plain = fastest(lambda: [json.loads(line) for line in lines], times=3)
    read = fastest(lambda: read_events(content, "day"), times=3)
    events = read_events(content, "day").events
    placed = fastest(lambda: Timeline(network, events), times=3)
    timeline = Timeline(network, events)
    noon = DAY + LENGTH // 2
    folded = fastest(lambda: timeline.at(noon), times=3)
    failures = Failures(events=timeline.at(noon).events)
    anew = fastest(lambda: converge(network), times=3)
    followed = fastest(lambda: converge(network, since=state, failures=failures), times=3)
    print(
        f"{count:,} events, {len(timeline.times):,} moments, {len(failures.events)} count at noon"
    )
    print(f"    read {read:.2f} s: {read / plain:.1f} times a plain parse ({plain:.2f} s)")
    print(f"    placed {placed:.2f} s, folded {folded * 1000:.1f} ms")
    print(f"    state {followed:.2f} s: {followed / anew:.2f} of one from nothing ({anew:.2f} s)")


def made_up(network: Network, count: int) -> bytes:
    """Interfaces of OSPF that go up and down through a day, from a fixed seed."""
    dice = Random(1)
    ports = [(d.name, i.name) for d in network.devices for i in d.interfaces if i.ospf]
    told = []
    for number in range(count):
        device, interface = dice.choice(ports)
        told.append(
            {
                "id": f"e{number}",
                "time": time_words(DAY + number * LENGTH // count),
                "kind": "interface",
                "device": device,
                "interface": interface,
                "state": dice.choice(("up", "down")),
            }
        )
    return "\n".join(map(json.dumps, told)).encode()


if __name__ == "__main__":
    main()
