"""Edits worth trying against one obstacle. Whether they help, only trying them tells."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.patching import Path, path_at
from routrel.forwarding.evidence import Obstacle
from routrel.lens.file_edits import FileEdit, Patch
from routrel.model.network import Device
from routrel.model.place import Place

__all__ = ["Proposal", "Scene", "of_device"]


@dataclass(frozen=True, slots=True)
class Proposal:
    """Changes that belong together, in words."""

    text: str
    changes: tuple[FileEdit, ...]


def of_device(device: Device, text: str, *patches: Patch) -> Proposal:
    """Patches of one device's file, told with its name."""
    return Proposal(
        f"{device.name}: {text}", tuple(FileEdit(device.place.file, patch) for patch in patches)
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
        """The device of the obstacle."""
        return self.state.topology.devices[self.obstacle.cause.device]

    def path(self, place: Place, *, named: bool = False) -> Path:
        """Where in its file something stands; see `path_at`."""
        return path_at(self.texts[place.file], place.line, place.column, named=named)
