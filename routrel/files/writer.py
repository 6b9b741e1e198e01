"""Writes a network back as device files: reading what was written gives an equal network."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import yaml

from routrel.files.language import CASE_FILE, DEVICE_FILE, NETWORK_FILE
from routrel.files.shapes import Record
from routrel.model.cases import Case
from routrel.model.network import Device, Network

__all__ = ["write_device", "write_network"]


class _Dumper(yaml.SafeDumper):
    """Keeps short leaves on one line and never writes an alias."""

    def ignore_aliases(self, data: Any) -> bool:
        return True


def write_network(network: Network, cases: Iterable[Case] = ()) -> dict[str, str]:
    """The texts of a network's files by path: network.yaml, devices/NAME.yaml, cases/NAME.yaml."""
    texts = {"network.yaml": _dump(NETWORK_FILE, network)}
    for device in network.devices:
        texts[f"devices/{device.name.replace('/', '_')}.yaml"] = write_device(device)
    for case in cases:
        texts[f"cases/{case.name.replace('/', '_')}.yaml"] = _dump(CASE_FILE, case)
    return texts


def write_device(device: Device) -> str:
    """The text of one device file."""
    return _dump(DEVICE_FILE, device)


def _dump(record: Record, value: Network | Device | Case) -> str:
    # default_flow_style=None: a list or mapping of scalars alone stands on one line.
    return yaml.dump(
        record.write(value), Dumper=_Dumper, default_flow_style=None, sort_keys=False,
        allow_unicode=True, width=100,
    )  # fmt: skip
