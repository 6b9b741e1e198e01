"""What the things that have failed take with them, down to single devices and interfaces."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import TypeAlias

from routrel.model.addresses import Address
from routrel.model.events import Event, EventKind
from routrel.model.failures import Failure, FailureKind, Failures
from routrel.model.network import Device, Network, RiskGroup

__all__ = ["Failed", "UnknownThing", "named_ends", "spread"]

_Ends: TypeAlias = tuple[str, str]


class UnknownThing(Exception):
    """What is said to have failed is not in the network.

    Attributes:
        failure: What was named.
        what: What is missing, as "device r9".
        known: Names that it might have been meant as.
    """

    def __init__(self, failure: Failure, what: str, known: Iterable[str] = ()) -> None:
        self.failure, self.what, self.known = failure, what, tuple(known)
        super().__init__(what)


@dataclass(slots=True)
class Failed:
    """The single things that carry nothing, each with the words for what of it has failed.

    Words are those of the first failure that takes a thing, as "device r3" or "risk group duct".
    """

    devices: dict[str, str] = field(default_factory=dict)
    interfaces: dict[_Ends, str] = field(default_factory=dict)
    directions: dict[_Ends, str] = field(default_factory=dict)  #: by the sending end
    segments: dict[int, str] = field(default_factory=dict)
    lines: dict[str, str] = field(default_factory=dict)  #: by the outside network
    sessions: dict[tuple[str, Address], str] = field(default_factory=dict)


def named_ends(name: str) -> Iterator[tuple[str, str]]:
    """The ways in which `device:interface` can be read; a device's name may hold a colon."""
    parts = name.split(":")
    for count in range(1, len(parts)):
        yield ":".join(parts[:count]), ":".join(parts[count:])


class _Spreading:
    def __init__(self, network: Network, segments: Mapping[str, int]) -> None:
        self.network, self.segments = network, segments
        self.devices = {device.name: device for device in network.devices}
        self.groups = {group.name: group for group in network.risk_groups}
        self.outside = {outside.name for outside in network.outside}
        self.failed = Failed()
        self.takes: dict[FailureKind, Callable[[Failure, str], None]] = {
            FailureKind.DEVICE: self._device,
            FailureKind.SITE: self._site,
            FailureKind.INTERFACE: self._interface,
            FailureKind.DIRECTION: self._direction,
            FailureKind.LINK: self._link,
            FailureKind.LINE: self._line,
            FailureKind.SESSION: self._session,
            FailureKind.GROUP: self._group,
        }

    def take(self, failure: Failure, words: str) -> None:
        self.takes[failure.kind](failure, words)

    def happen(self, event: Event) -> None:
        """Take what went down by an event; its words tell of it."""
        if event.on:
            return
        if event.kind is EventKind.INTERFACE:
            words = f"interface {event.device}:{event.interface} (down by event {event})"
            self.failed.interfaces.setdefault((event.device, event.interface), words)
        elif event.kind is EventKind.SESSION and event.at is not None:
            words = f"session {event.device}:{event.at} (down by event {event})"
            self.failed.sessions.setdefault((event.device, event.at), words)

    def _device(self, failure: Failure, words: str) -> None:
        if failure.name not in self.devices:
            raise UnknownThing(failure, f"there is no device “{failure.name}”", self.devices)
        self.failed.devices.setdefault(failure.name, words)

    def _site(self, failure: Failure, words: str) -> None:
        sites = [site.name for site in self.network.sites]
        if failure.name not in sites:
            raise UnknownThing(failure, f"there is no site “{failure.name}”", sites)
        for device in self.network.devices:
            if device.site == failure.name:
                self.failed.devices.setdefault(device.name, words)

    def _interface(self, failure: Failure, words: str) -> None:
        self.failed.interfaces.setdefault(self._end(failure), words)

    def _direction(self, failure: Failure, words: str) -> None:
        self.failed.directions.setdefault(self._end(failure), words)

    def _link(self, failure: Failure, words: str) -> None:
        number = self.segments.get(failure.name)
        if number is None:
            raise UnknownThing(failure, f"there is no link “{failure.name}”", self.segments)
        self.failed.segments.setdefault(number, words)

    def _line(self, failure: Failure, words: str) -> None:
        if failure.name not in self.outside:
            text = f"there is no outside network “{failure.name}”"
            raise UnknownThing(failure, text, self.outside)
        self.failed.lines.setdefault(failure.name, words)

    def _session(self, failure: Failure, words: str) -> None:
        known = {
            f"{device.name}:{neighbour.address}": (device.name, neighbour.address)
            for device in self.network.devices
            for vrf in device.vrfs
            if vrf.bgp is not None
            for neighbour in vrf.bgp.neighbours
        }
        found = known.get(failure.name)
        if found is None:
            raise UnknownThing(failure, f"there is no session “{failure.name}”", known)
        self.failed.sessions.setdefault(found, words)

    def _group(self, failure: Failure, words: str) -> None:
        group = self.groups.get(failure.name)
        if group is None:
            text = f"there is no risk group “{failure.name}”"
            raise UnknownThing(failure, text, self.groups)
        for member in members(group):
            self.take(member, words)

    def _end(self, failure: Failure) -> _Ends:
        device: Device | None = None
        for owner, name in named_ends(failure.name):
            device = self.devices.get(owner, device)
            if owner in self.devices and self.devices[owner].interface(name) is not None:
                return owner, name
        if device is None:
            owner = failure.name.partition(":")[0]
            known = (f"{known}:" for known in self.devices)
            raise UnknownThing(failure, f"there is no device “{owner}”", known)
        name = failure.name.removeprefix(f"{device.name}:")
        known = (f"{device.name}:{interface.name}" for interface in device.interfaces)
        raise UnknownThing(failure, f"{device.name} has no interface “{name}”", known)


def members(group: RiskGroup) -> tuple[Failure, ...]:
    """What of a risk group fails together."""
    return (
        *(Failure(FailureKind.DEVICE, name) for name in group.devices),
        *(Failure(FailureKind.LINK, name) for name in group.links),
        *(Failure(FailureKind.INTERFACE, str(end)) for end in group.interfaces),
        *(Failure(FailureKind.LINE, name) for name in group.lines),
    )


def spread(failures: Failures, network: Network, segments: Mapping[str, int]) -> Failed:
    """What failures take with them.

    Args:
        segments: The numbers of segments by all names they have.
    Raises:
        UnknownThing: something is named that is not in the network.
    """
    spreading = _Spreading(network, segments)
    for failure in failures.things:
        title = "risk group" if failure.kind is FailureKind.GROUP else failure.kind
        words = f"{title} {failure.name}"
        if failure.kind is FailureKind.DIRECTION:
            words = f"the direction out of {failure.name}"
        spreading.take(failure, words)
    for event in failures.events:
        spreading.happen(event)
    return spreading.failed
