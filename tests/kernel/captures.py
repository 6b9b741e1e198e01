"""Labs known from what their kernels say alone: built, captured, imported, asked."""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

import yaml

from routrel.convergence.converge import State, converge
from routrel.files.reader import read_texts
from routrel.formats.importing import Imported, import_files
from tests.kernel.namespaces import Namespaces, inside

__all__ = ["captured", "imported", "state_of_captures"]

_COLLECT = Path(__file__).parents[2] / "bin" / "collect-linux-host"


def captured(space: Namespaces, devices: list[str]) -> dict[str, bytes]:
    """The bundles of devices, by path, as the script that ships collects them."""
    with tempfile.TemporaryDirectory() as folder:
        for name in devices:
            with inside(space.real[name]):
                subprocess.run(
                    ["sh", str(_COLLECT), f"{folder}/{name}"], check=True, capture_output=True
                )
        root = Path(folder)
        return {
            str(path.relative_to(root)): path.read_bytes()
            for path in sorted(root.rglob("*.*"))
        }  # fmt: skip


def imported(contents: dict[str, bytes], segments: list[list[tuple[str, str]]]) -> Imported:
    """Captures as a network, with the cables that a lab has."""
    links = {
        f"wire{number}": {"between": [f"{device}:{port}" for device, port in ends]}
        for number, ends in enumerate(segments)
    }
    network = {"routrel": 1, "network": "captured", "links": links}
    return import_files({**contents, "network.yaml": yaml.safe_dump(network).encode()})


def state_of_captures(made: Imported) -> State:
    """What was imported, as the engine computes it."""
    reading = read_texts(made.texts)
    assert not reading.problems, [f"{p.place} {p.text}" for p in reading.problems]
    return converge(reading.network)
