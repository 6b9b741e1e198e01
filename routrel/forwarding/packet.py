"""A packet on its way: what is decided about it at a device, and what its path has behind it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from fractions import Fraction
from operator import attrgetter
from typing import Any, TypeAlias, TypeVar

from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import (
    Branch,
    Evidence,
    Hop,
    Obstacle,
    Result,
    Stage,
    StageName,
    Stopped,
    Verdict,
)
from routrel.forwarding.filters import PacketContext
from routrel.model.filters import ConnectionState
from routrel.model.network import Device, Interface
from routrel.model.traffic import Header
from routrel.rib.candidates import NextHop

__all__ = ["Handed", "Outcome", "Packet", "Path", "same_but_port", "same_packet"]


_Copied = TypeVar("_Copied")


@dataclass(frozen=True, slots=True)
class Path:
    """What a branch has behind it."""

    share: Fraction  #: of the traffic
    hops: tuple[Hop, ...] = ()
    mtu: int | None = None  #: bytes, the smallest so far
    entry: str | None = None  #: where it came in from elsewhere
    connections: tuple[Connection, ...] = ()  #: what devices behind it remember
    obstacles: tuple[Obstacle, ...] = ()


@dataclass(frozen=True, slots=True)
class Packet:
    """A packet at a device, and what has been decided about it there."""

    path: Path
    device: Device
    vrf: str
    interface_in: str | None  #: None: the device itself sends it
    header: Header  #: as it is now
    came: Header  #: as it came
    stages: tuple[Stage, ...] = ()
    state: ConnectionState | None = None  #: of its connection; None: the device remembers none
    answered: Connection | None = None  #: the connection whose packets it answers
    steered: tuple[NextHop, ...] = ()
    table: str = ""  #: the VRF that policy-based routing names
    way: NextHop | None = None
    out: Interface | None = None
    mark: int = 0
    later_mark: int = 0  #: of the later fragments
    cut_to: int | None = None  #: bytes of the pieces it is sent in, which filters do not see yet
    own_translated: bool = False  #: whether translation of what the device sends has been asked

    @property
    def context(self) -> PacketContext:
        """What filters may look at besides the header."""
        out = self.out.name if self.out else None
        return PacketContext(self.interface_in, out, self.state, self.mark, self.later_mark)

    @property
    def arrived_by(self) -> Interface | None:
        """The interface it came in by."""
        return self.device.interface(self.interface_in) if self.interface_in else None

    @property
    def is_sent(self) -> bool:
        """Whether the device itself sends it."""
        return self.interface_in is None

    @property
    def stopped(self) -> Stopped:
        """Where it is, for the cause of what stops it."""
        return Stopped(self.device, self.vrf, self.interface_in, self.stages)

    @property
    def hop(self) -> Hop:
        """The device as a hop, as far as the packet has come there."""
        return Hop(
            device=self.device.name,
            vrf=self.vrf,
            interface_in=self.interface_in,
            interface_out=self.out.name if self.out else None,
            header=self.came,
            stages=self.stages,
        )

    def noting(self, name: StageName, result: Result, evidence: Evidence | None = None) -> Packet:
        """The packet with a stage more in its path."""
        stage = Stage(name=name, result=result, evidence=evidence)
        return self.but(stages=(*self.stages, stage))

    def but(self, **changes: Any) -> Packet:
        """A copy with some values changed."""
        return _packet_with(self, changes)

    def on_path(self, **changes: Any) -> Packet:
        """A copy with some values of its path changed."""
        return self.but(path=_path_with(self.path, changes))

    def ended(self, verdict: Verdict, hops: tuple[Hop, ...]) -> Branch:
        """The branch that ends with it."""
        return Branch(
            share=self.path.share,
            verdict=verdict,
            hops=hops,
            cause=None,
            path_mtu=self.path.mtu,
            entry=self.path.entry,
            header=self.header,
            connections=self.path.connections,
            obstacles=self.path.obstacles,
        )


def _copying(of: type[_Copied]) -> Callable[[_Copied, Mapping[str, Any]], _Copied]:
    """Copies with some values changed; as `dataclasses.replace`, which looks at each anew."""
    places = {each.name: place for place, each in enumerate(fields(of))}  # type: ignore[arg-type]
    values_of = attrgetter(*places)

    def copied(one: _Copied, changes: Mapping[str, Any]) -> _Copied:
        values = list(values_of(one))
        for name, value in changes.items():
            values[places[name]] = value
        return of(*values)

    return copied


_packet_with, _path_with = _copying(Packet), _copying(Path)


@dataclass(frozen=True, slots=True)
class Handed:
    """A packet that a device has handed to the next one."""

    packet: Packet


#: What a stage makes of a packet: it goes on to the next stage, or to the next device, or it ended.
Outcome: TypeAlias = Packet | Handed | Branch


def same_packet(left: Header, right: Header) -> bool:
    """Whether two headers are of one packet, however far it has come."""
    names = ("source", "destination", "source_port", "destination_port")
    return all(getattr(left, name) == getattr(right, name) for name in names)


def same_but_port(left: Header, right: Header) -> bool:
    """Whether two headers differ in nothing but the source port, if at all."""
    names = ("protocol", "source", "destination", "destination_port")
    return all(getattr(left, name) == getattr(right, name) for name in names)
