"""Edits worth trying against one obstacle. Whether they help, only trying them tells."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from routrel.convergence.converge import State
from routrel.files.patching import Path, insert_item, path_at, remove, set_key, set_value
from routrel.forwarding.evidence import Obstacle
from routrel.model.network import Device
from routrel.model.place import Place

__all__ = [
    "LAST",
    "Change",
    "Insert",
    "Patch",
    "Proposal",
    "Remove",
    "Scene",
    "SetKey",
    "SetValue",
    "flow_style",
    "of_device",
    "quoted",
]


#: A position behind every item of a list.
LAST = 1_000_000


class Patch(Protocol):
    """A change of a text. It raises KeyError where its place is not there."""

    def __call__(self, text: str) -> str: ...


@dataclass(frozen=True, slots=True)
class Insert:
    """An item more in a list, in front of the one at a position."""

    path: Path
    position: int
    value: str

    def __call__(self, text: str) -> str:
        return insert_item(text, self.path, self.position, self.value)


@dataclass(frozen=True, slots=True)
class SetKey:
    """A key of a mapping, new or with another value."""

    path: Path
    key: str
    value: str

    def __call__(self, text: str) -> str:
        return set_key(text, self.path, self.key, self.value)


@dataclass(frozen=True, slots=True)
class SetValue:
    """Another value where one stands."""

    path: Path
    value: str

    def __call__(self, text: str) -> str:
        return set_value(text, self.path, self.value)


@dataclass(frozen=True, slots=True)
class Remove:
    """A key or an item goes."""

    path: Path

    def __call__(self, text: str) -> str:
        return remove(text, self.path)


@dataclass(frozen=True, slots=True)
class Change:
    """A patch of one file."""

    file: str
    patch: Patch


@dataclass(frozen=True, slots=True)
class Proposal:
    """Changes that belong together, in words."""

    text: str
    changes: tuple[Change, ...]


def of_device(device: Device, text: str, *patches: Patch) -> Proposal:
    """Patches of one device's file, told with its name."""
    return Proposal(
        f"{device.name}: {text}", tuple(Change(device.place.file, patch) for patch in patches)
    )


@dataclass(frozen=True, slots=True)
class Scene:
    """What a proposal may look at.

    `answering` tells that the obstacle is in the way of answers. `forward` and `back` are the
    devices passed each way as far as anybody knows, beyond obstacles, with the interfaces they are
    entered by.
    """

    state: State
    texts: Mapping[str, str]
    obstacle: Obstacle
    answering: bool
    forward: tuple[tuple[str, str | None], ...]
    back: tuple[tuple[str, str | None], ...]

    @property
    def device(self) -> Device:
        return self.state.topology.devices[self.obstacle.cause.device]

    def path(self, place: Place, *, named: bool = False) -> Path:
        """Where in its file something stands; see `path_at`."""
        return path_at(self.texts[place.file], place.line, place.column, named=named)


def quoted(value: object) -> str:
    """An address or prefix as flow-style YAML."""
    text = str(value)
    return f'"{text}"' if ":" in text else text


def flow_style(values: Mapping[str, object]) -> str:
    """Keys and values on one line: {id: 10, permit: tcp}."""
    return "{" + ", ".join(f"{key}: {value}" for key, value in values.items()) + "}"
