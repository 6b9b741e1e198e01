"""Tables that were read from devices, and the choice between them and computed ones."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Address, Prefix
from routrel.model.place import NOWHERE, Place

__all__ = [
    "AS_FILES_SAY",
    "Drops",
    "ObservedHop",
    "ObservedRoute",
    "ObservedTable",
    "TableChoice",
    "TableSource",
]


class TableSource(Enum):
    """What a device is taken to forward by."""

    COMPUTED = "computed"  #: what its configuration comes to
    OBSERVED = "observed"  #: the table that was read from it; without one nothing is known
    KNOWN = "known"  #: the table that was read from it, where there is one


@dataclass(frozen=True, slots=True)
class TableChoice:
    """What devices are taken to forward by, where that is not left to their files."""

    all: TableSource | None = None  #: None: as each device's file says
    devices: tuple[tuple[str, TableSource], ...] = ()  #: of some devices, by name

    def of(self, device: str, by_file: TableSource) -> TableSource:
        """That of one device."""
        return dict(self.devices).get(device, self.all or by_file)

    def __bool__(self) -> bool:
        return self.all is not None or bool(self.devices)


AS_FILES_SAY = TableChoice()


class Drops(Enum):
    """What an entry without next hops does with packets."""

    DISCARD = "discard"  #: drops them, in silence
    UNREACHABLE = "unreachable"  #: drops them and tells their sender
    PROHIBITED = "prohibited"  #: as that, with another reason
    #: says nothing of them: another table may be asked
    PASS_ON = "pass-on"  # noqa: S105


@dataclass(frozen=True, slots=True)
class ObservedHop:
    """One way of an entry. Without an interface the table itself says where the address is."""

    interface: str | None = None
    address: Address | None = None
    weight: int = 1


@dataclass(frozen=True, slots=True)
class ObservedRoute:
    """One entry of a table."""

    prefix: Prefix
    protocol: str  #: as the file says, in lower case; empty: not said
    hops: tuple[ObservedHop, ...]
    line: int
    metric: int | None = None
    distance: int | None = None
    drops: Drops | None = None
    active: bool = True  #: whether packets go by it


@dataclass(frozen=True, slots=True, kw_only=True)
class ObservedTable:
    """A table of a device as it was read, each prefix and protocol once, in order of the file."""

    device: str
    vrf: str
    file: str
    routes: tuple[ObservedRoute, ...]
    time: str = ""  #: when it was read, as the file says; empty: not said
    source: str = ""  #: where from, in words

    @property
    def place(self) -> Place:
        """Where it begins."""
        return Place(self.file, self.routes[0].line, 1) if self.routes else NOWHERE
