"""Makes a day of events of the demo network: `python tools/demo_events.py`.

What happens is planted; when exactly comes from a fixed seed, so a run writes the same file again:

- the line from Corvane to Farholm fails in the morning, ever more often, and its adjacency comes
  back some seconds after it;
- Eastmere's firewall stops announcing the subnet of the bookings' database for a while;
- the session of Corvane with Isle Telecom resets every hour;
- Skerry Net announces, for a quarter of an hour, a part of what a customer of Isle Telecom has;
- the cost of a link at Brackwick is raised for a maintenance window and set back;
- a firewall is busy at noon.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from random import Random
from typing import Any

DAY = "2026-01-05"
TARGET = Path(__file__).resolve().parents[1] / "demo" / "events" / "day.jsonl"
#: Minutes between the outages of the line to Farholm, from 05:12 on.
GAPS = (40, 25, 17, 12, 8, 5, 5, 4)
#: The path of what should never have been announced by Skerry Net.
LEAKED = [64511, 64504, 64496]
#: What the link at Brackwick costs by its file.
COST = 10
_Line = tuple[float, dict[str, Any]]


def stamp(second: float) -> str:
    """A second of the day as its time."""
    whole, micro = divmod(round(second * 1_000_000), 1_000_000)
    hour, rest = divmod(whole, 3600)
    return f"{DAY}T{hour:02}:{rest // 60:02}:{rest % 60:02}.{micro:06}Z"


def clock(text: str) -> float:
    """The second of the day of a time as 05:12."""
    hour, minute = text.split(":")
    return int(hour) * 3600 + int(minute) * 60


def line_to_farholm(dice: Random) -> Iterator[_Line]:
    """Both ends tell of each outage; the adjacency is back once hellos were exchanged."""
    ends = (("cor-edge-1", "port2", "far-edge-1"), ("far-edge-1", "port1", "cor-edge-1"))
    second = clock("05:12") + dice.uniform(0, 20)
    for gap in (*GAPS, 0):
        length = dice.uniform(18, 55)
        for device, interface, neighbour in ends:
            late = dice.uniform(0, 0.4)
            port = {"device": device, "interface": interface}
            met = {"protocol": "ospf", **port, "neighbour": neighbour}
            yield second + late, {"kind": "interface", **port, "state": "down"}
            yield second + late + 0.002, {"kind": "adjacency", **met, "state": "down"}
            yield second + length + late, {"kind": "interface", **port, "state": "up"}
            back = second + length + late + dice.uniform(6, 11)
            yield back, {"kind": "adjacency", **met, "state": "up"}
        second += gap * 60 + dice.uniform(-10, 10)


def database_gone(dice: Random) -> Iterator[_Line]:
    where = {
        "protocol": "ospf",
        "device": "eas-fw-1",
        "interface": "lan7",
        "prefix": "10.80.3.0/24",
    }
    for time, state in (("09:31", "withdrawn"), ("09:43", "announced")):
        yield clock(time) + dice.uniform(0, 30), {"kind": "prefix", **where, "state": state}


def session_resets(dice: Random) -> Iterator[_Line]:
    who = {"protocol": "bgp", "device": "cor-edge-1", "neighbour": "203.0.113.5"}
    for hour in range(24):
        second = hour * 3600 + 7 * 60 + dice.uniform(0, 3)
        yield second, {"kind": "session", **who, "state": "down", "reason": "hold timer expired"}
        yield second + dice.uniform(9, 16), {"kind": "session", **who, "state": "up"}


def leak(dice: Random) -> Iterator[_Line]:
    what = {"outside": "skerry-net", "heard_by": "brk-edge-1", "prefix": "198.51.100.0/25"}
    second = clock("14:20") + dice.uniform(0, 30)
    told = {"kind": "bgp_update", **what}
    yield second, {**told, "action": "announce", "as_path": LEAKED}
    yield second + 870 + dice.uniform(0, 30), {**told, "action": "withdraw"}


def maintenance(dice: Random) -> Iterator[_Line]:
    where = {"protocol": "ospf", "device": "brk-core-1", "interface": "port4"}
    for time, old, new in (("23:02", COST, 500), ("23:41", 500, COST)):
        second = clock(time) + dice.uniform(0, 30)
        yield second, {"kind": "cost", **where, "old": old, "new": new}


def measures(dice: Random) -> Iterator[_Line]:
    """The processor of a firewall and the delay over a line, every ten minutes."""
    for minute in range(0, 24 * 60, 10):
        busy = 71 if 12 * 60 <= minute < 13 * 60 else 14
        load = round(busy + dice.uniform(-3, 6), 1)
        cpu = {"device": "eas-fw-1", "interface": None, "name": "cpu", "value": load, "unit": "%"}
        yield minute * 60 + dice.uniform(0, 2), {"kind": "measure", **cpu}
        delay = round(dice.uniform(15, 18) + (31 if 4 * 60 <= minute < 8 * 60 else 0), 2)
        far = {
            "device": "cor-edge-1",
            "interface": "port2",
            "name": "delay",
            "value": delay,
            "unit": "ms",
        }
        yield minute * 60 + dice.uniform(2, 4), {"kind": "measure", **far}


def day() -> list[dict[str, Any]]:
    """All events in order of time."""
    dice = Random(5)
    told: list[_Line] = []
    for story in (line_to_farholm, database_gone, session_resets, leak, maintenance, measures):
        told.extend(story(dice))
    told.sort(key=lambda one: one[0])
    return [
        {"id": f"d{number}", "time": stamp(second), **what}
        for number, (second, what) in enumerate(told, start=1)
    ]


def main() -> None:
    TARGET.parent.mkdir(exist_ok=True)
    lines = [json.dumps(one, ensure_ascii=False) for one in day()]
    TARGET.write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"{len(lines)} events in {TARGET}")


if __name__ == "__main__":
    main()
