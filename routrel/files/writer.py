"""Writes a network back as device files: reading what was written gives an equal network."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import yaml

from routrel.files.language import CASE_FILE, CHANGE_FILE, DEVICE_FILE, NETWORK_FILE
from routrel.files.written import Lines, Verbatim
from routrel.model.cases import Case
from routrel.model.changes import Change
from routrel.model.network import Device, Network

__all__ = ["dumped", "write_change", "write_device", "write_network"]


class _Dumper(yaml.SafeDumper):
    """Keeps short leaves on one line and never writes an alias."""

    def ignore_aliases(self, data: Any) -> bool:
        return True


def _as_written(_: _Dumper, value: Verbatim) -> yaml.Node:
    node = yaml.compose(value, Loader=yaml.SafeLoader)
    if node is None:
        raise ValueError("a value has a text")
    return node


_Dumper.add_representer(Verbatim, _as_written)
_Dumper.add_representer(
    Lines, lambda dumper, value: dumper.represent_scalar("tag:yaml.org,2002:str", value, style="|")
)


def write_network(network: Network, cases: Iterable[Case] = ()) -> dict[str, str]:
    """The texts of a network's files by path: network.yaml, devices/NAME.yaml, cases/NAME.yaml."""
    texts = {"network.yaml": dumped(NETWORK_FILE.write(network))}
    for device in network.devices:
        texts[f"devices/{device.name.replace('/', '_')}.yaml"] = write_device(device)
    for case in cases:
        texts[f"cases/{case.name.replace('/', '_')}.yaml"] = dumped(CASE_FILE.write(case))
    return texts


def write_device(device: Device) -> str:
    """The text of one device file."""
    return dumped(DEVICE_FILE.write(device))


def write_change(change: Change) -> str:
    """The text of a change file."""
    return dumped(CHANGE_FILE.write(change))


def dumped(plain: Any) -> str:
    """What a shape writes, as the text of a file."""
    # default_flow_style=None: a list or mapping of scalars alone stands on one line.
    return yaml.dump(
        plain, Dumper=_Dumper, default_flow_style=None, sort_keys=False,
        allow_unicode=True, width=100,
    )  # fmt: skip
