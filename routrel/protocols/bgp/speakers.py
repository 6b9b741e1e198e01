"""Who speaks BGP: devices with an instance in a VRF, and outside networks with an AS."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from ipaddress import IPv4Address

from routrel.model.addresses import Address
from routrel.model.bgp import BgpDecision, BgpInstance, BgpNeighbour, NeighbourSettings
from routrel.model.network import Device, Network, OutsideNeighbour, Vrf
from routrel.model.place import Place
from routrel.protocols.bgp.paths import PathSource
from routrel.protocols.shared.speaking import own_router_id
from routrel.rib.candidates import Table

__all__ = ["NO_ID", "Speaker", "bgp_speakers"]

#: The router id of a device without any; no session comes up with it (RFC 6286 2.1).
NO_ID = IPv4Address(0)


@dataclass(frozen=True, kw_only=True, eq=False)
class Speaker:
    """One BGP speaker. Of an outside network `device`, `vrf` and `instance` are None."""

    name: str
    autonomous_system: int  #: within a confederation the member AS
    router_id: IPv4Address
    device: Device | None = None
    vrf: Vrf | None = None
    instance: BgpInstance | None = None
    outside: OutsideNeighbour | None = None
    #: A device's neighbours, each with what holds for it: its own settings over its group's.
    neighbours: tuple[tuple[BgpNeighbour, NeighbourSettings], ...] = ()

    @property
    def table(self) -> Table | None:
        """Its table; None for an outside network, whose table is not modelled."""
        return (self.device.name, self.vrf.name) if self.device and self.vrf else None

    @cached_property
    def addresses(self) -> frozenset[Address]:
        """Every address a device has in its table, whether its interface is up or not."""
        if self.device is None or self.vrf is None:
            return frozenset()
        return frozenset(
            address.ip
            for interface in self.device.interfaces
            if interface.vrf == self.vrf.name
            for address in interface.addresses
        )

    @property
    def public_as(self) -> int:
        """The AS number that others outside of a confederation see."""
        if self.instance and self.instance.confederation:
            return self.instance.confederation.identifier
        return self.autonomous_system

    @property
    def cluster_id(self) -> IPv4Address:
        """As written, else the router id (RFC 4456 7)."""
        stated = self.instance.cluster_id if self.instance else None
        return stated or self.router_id

    @property
    def decision(self) -> BgpDecision:
        """The options of its decision; those of an outside network are the defaults."""
        return self.instance.decision if self.instance else BgpDecision()

    @property
    def place(self) -> Place:
        if self.instance is not None:
            return self.instance.place
        if self.outside is None:
            raise ValueError(f"{self.name} is neither a device nor an outside network")
        return self.outside.place

    def relation(self, settings: NeighbourSettings) -> PathSource:
        """What a neighbour with these settings is to the speaker."""
        if settings.autonomous_system == self.autonomous_system:
            return PathSource.INTERNAL
        confederation = self.instance.confederation if self.instance else None
        if confederation and settings.autonomous_system in confederation.members:
            return PathSource.CONFEDERATION
        return PathSource.EXTERNAL

    def shown_as(self, settings: NeighbourSettings) -> int:
        """The AS number the speaker gives in its OPEN message to such a neighbour."""
        if self.relation(settings) is not PathSource.EXTERNAL:
            return self.autonomous_system
        return settings.local_as.number if settings.local_as else self.public_as


def bgp_speakers(network: Network) -> Iterator[Speaker]:
    """All speakers: devices in their order, then outside networks."""
    for device in network.devices:
        for vrf in device.vrfs:
            if vrf.bgp is None:
                continue
            yield Speaker(
                name=device.name,
                autonomous_system=vrf.bgp.autonomous_system,
                router_id=own_router_id(device, vrf, vrf.bgp.router_id) or NO_ID,
                device=device,
                vrf=vrf,
                instance=vrf.bgp,
                neighbours=tuple((n, vrf.bgp.settings(n)) for n in vrf.bgp.neighbours),
            )
    for outside in network.outside:
        if outside.autonomous_system is not None:
            yield Speaker(
                name=outside.name,
                autonomous_system=outside.autonomous_system,
                router_id=outside.router_id or _taken_id(outside),
                outside=outside,
            )


def _taken_id(outside: OutsideNeighbour) -> IPv4Address:
    """An outside network's first IPv4 address, else the last bits of its first address."""
    addresses = sorted((a.ip for a in outside.addresses), key=lambda ip: ip.version)
    return IPv4Address(int(addresses[0]) & 0xFFFFFFFF) if addresses else NO_ID
