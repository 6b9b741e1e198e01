"""Reading formats of others, against reading the same in our own, and against plain readers.

PYTHONPATH=. .venv/bin/python bench/formats.py [--devices 500] [--prefixes 300000]

The plain reader of MRT records is mrtparse, if it is installed; it is no part of Routrel.
"""

from __future__ import annotations

import argparse
import importlib
import io
import ipaddress
import random
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.networks import star_of_rings
from bench.timing import fastest
from routrel.files.observed import read_observed, write_observed
from routrel.files.reader import read_texts
from routrel.files.report import Report
from routrel.files.writer import write_device
from routrel.formats.importing import import_files
from routrel.formats.mrt.records import Reader
from routrel.formats.mrt.tables import read_dump
from routrel.formats.mrt.writing import write_mrt
from routrel.formats.yang.writing import device_json
from routrel.lens.look import look
from routrel.model.bgp import Announcement
from routrel.model.network import OutsideNeighbour
from routrel.questions.agreement.compare import ObservedEntries, compare_table
from routrel.questions.exporting import computed_tables


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--devices", type=int, default=500)
    parser.add_argument("--prefixes", type=int, default=300_000)
    options = parser.parse_args()
    _yang(options.devices)
    _mrt(options.prefixes)
    _agreement(options.prefixes)


def _yang(count: int) -> None:
    texts = star_of_rings(max(count, 2), 0)
    devices = read_texts(texts).network.devices[:count]
    own = {f"{device.name}.yaml": write_device(device) for device in devices}
    others = {f"{device.name}.json": device_json(device).encode() for device in devices}
    yaml_s = fastest(lambda: read_texts(own), times=3)
    json_s = fastest(lambda: import_files(others, validate=False), times=3)
    valid_s = fastest(lambda: import_files(others), times=3)
    print(
        f"{len(devices)} devices: YAML {yaml_s:.2f} s, RFC 7951 {json_s:.2f} s: "
        f"{json_s / yaml_s:.2f} times (wanted: under 3); validated by the modules as well "
        f"{valid_s:.2f} s: {valid_s / yaml_s:.2f} times"
    )


def _mrt(count: int) -> None:
    dice = random.Random(1)
    prefixes = [ipaddress.ip_network((16_777_216 + number * 256, 24)) for number in range(count)]
    announced = tuple(
        Announcement(
            prefixes=tuple(prefixes[begin : begin + 20]),
            as_path=tuple(dice.randint(1, 60_000) for _ in range(dice.randint(1, 5))),
            communities=(f"64500:{dice.randint(1, 200)}",),
        )
        for begin in range(0, count, 20)
    )
    outside = OutsideNeighbour(
        name="isle",
        autonomous_system=64510,
        addresses=(ipaddress.ip_interface("192.0.2.1/30"),),
        announces=announced,
    )
    dump = write_mrt([outside])
    mine = count / fastest(lambda: read_dump(Reader(io.BytesIO(dump))), times=3)
    print(f"{count:,} prefixes of MRT: {mine:,.0f} records a second")
    try:
        plain = importlib.import_module("mrtparse")
    except ImportError:
        print("  mrtparse is not installed; nothing to compare with")
        return
    with tempfile.NamedTemporaryFile(suffix=".mrt") as file:
        Path(file.name).write_bytes(dump[: len(dump) // 20])
        begin = time.perf_counter()
        read = sum(1 for _ in plain.Reader(file.name))
        theirs = read / (time.perf_counter() - begin)
    print(f"  {mine / theirs:.1f} times as many as mrtparse (wanted: 10)")


def _agreement(count: int) -> None:
    state = look(star_of_rings(8, count)).state
    if state is None:
        raise SystemExit("the files have problems")
    text = write_observed(computed_tables(state))
    tables = read_observed(text, "t.csv", Report())
    network = replace(state.network, observed=tables)
    state = replace(state, network=network)
    entries = [ObservedEntries(state, table) for table in tables]
    rows = sum(len(one.routes) for one in entries)
    agreed = fastest(lambda: [compare_table(state, one) for one in entries], times=3)
    every = state.rib.active
    order = np.random.default_rng(1).permutation(len(every))
    keys = [every[name] for name in ("next_hops", "kind", "metric", "prefix", "table")]
    in_order = fastest(lambda: np.lexsort(keys), times=3)
    shuffled = [key[order] for key in keys]
    sorting = fastest(lambda: np.lexsort(shuffled), times=3)
    print(
        f"agreement of {rows:,} entries: {agreed:.2f} s, one lexsort of as many {sorting:.2f} s "
        f"({in_order:.2f} s where they are in order already): {agreed / sorting:.2f} times "
        "(wanted: under 1)"
    )


if __name__ == "__main__":
    main()
