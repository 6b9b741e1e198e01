"""Which RIP routers there are, and which of them hear each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from routrel.model.addresses import Address
from routrel.model.network import Device, Vrf
from routrel.model.rip import RipInstance, RipInterface
from routrel.protocols.shared.speaking import family_addresses, subnets, version_of, way_address
from routrel.rib.candidates import NextHop, Protocol, Table, hop_order
from routrel.topology.segments import Attachment, Topology

__all__ = ["RipNeighbour", "RipPort", "RipRouter", "rip_neighbours", "rip_routers"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RipPort(Attachment):
    """One up interface that runs RIP."""

    settings: RipInterface
    way: Address | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RipRouter:
    """RIP in one VRF of a device."""

    table: Table
    device: Device
    vrf: Vrf
    instance: RipInstance
    ports: tuple[RipPort, ...]

    @property
    def maximum_paths(self) -> int:
        """How many equal ways it uses at most."""
        return self.instance.maximum_paths or self.vrf.maximum_paths


@dataclass(frozen=True, slots=True)
class RipNeighbour:
    """One router hears another: indices of both, and by which interfaces."""

    sender: int
    receiver: int
    out: RipPort
    into: RipPort

    @property
    def cost(self) -> int:
        """What the receiver adds to the metric it is sent."""
        return self.into.settings.cost + self.into.settings.offset_in


def rip_routers(topology: Topology, protocol: Protocol) -> Iterator[RipRouter]:
    """All routers of a version, RIP or RIPng."""
    key = protocol.id
    version = version_of(key)
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = getattr(vrf, key)
            if instance is None:
                continue
            yield RipRouter(
                table=(device.name, vrf.name),
                device=device,
                vrf=vrf,
                instance=instance,
                ports=tuple(
                    RipPort(
                        device=device,
                        interface=interface,
                        settings=getattr(interface, key),
                        way=way_address(device, interface, version),
                    )
                    for interface in device.interfaces
                    if interface.vrf == vrf.name
                    and getattr(interface, key) is not None
                    and topology.is_up(device.name, interface.name)
                ),
            )


def rip_neighbours(
    topology: Topology, routers: Sequence[RipRouter], version: int
) -> tuple[RipNeighbour, ...]:
    """Who hears whom: on one segment, in one subnet, with the same key, sender not passive.

    In the order in which a receiver keeps equal ways.
    """
    on_segment: dict[int, list[tuple[int, RipPort]]] = {}
    for index, router in enumerate(routers):
        for port in router.ports:
            segment = topology.segment_of.get(port.key)
            if segment is not None and port.way is not None:
                on_segment.setdefault(segment.id, []).append((index, port))
    found = (
        RipNeighbour(sender, receiver, out, into)
        for members in on_segment.values()
        for sender, out in members
        for receiver, into in members
        if out.key != into.key
        and not out.settings.passive
        and topology.is_heard(*out.key)
        and _agree(out, into, version)
    )
    return tuple(sorted(found, key=_way_order))


def _agree(out: RipPort, into: RipPort, version: int) -> bool:
    if out.settings.authentication != into.settings.authentication:
        return False
    if version == 6:
        return True  # RIPng speaks between link-local addresses (RFC 2080 2.5.2)
    return not family_addresses(into.interface, 4) or any(
        out.way in subnet for subnet in subnets(into.interface, 4)
    )


def _way_order(neighbour: RipNeighbour) -> tuple[int, tuple[str, int]]:
    return neighbour.receiver, hop_order(NextHop(neighbour.into.interface.name, neighbour.out.way))
