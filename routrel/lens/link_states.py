"""What link-state records of OSPF and IS-IS say of single adjacencies, costs and prefixes.

A record tells all of its originator in an area or level, so what it does not tell of is away.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from dataclasses import replace

from routrel.model.addresses import Prefix
from routrel.model.events import Event, EventKind, RouterLink
from routrel.model.network import Device, Interface, Vrf
from routrel.protocols.shared.speaking import own_router_id
from routrel.topology.segments import Attachment, Topology

__all__ = ["lsp_events", "originator", "others_at", "own_id", "router_lsa_events"]

_POINT_TO_POINT, _TRANSIT, _STUB = 1, 2, 3


def originator(topology: Topology, event: Event) -> Device | None:
    """The device that tells a record of itself, by its router or system id; None: nobody has it."""
    protocol = "ospf" if event.kind is EventKind.ROUTER_LSA else "isis"
    for device in topology.network.devices:
        if any(own_id(device, vrf, protocol) == event.router for vrf in device.vrfs):
            return device
    return None


def own_id(device: Device, vrf: Vrf, protocol: str) -> str | None:
    """By what a device is known in a link-state protocol; None: it does not run it there."""
    if protocol == "isis":
        return vrf.isis.net.system if vrf.isis is not None else None
    instance = vrf.ospf if protocol == "ospf" else vrf.ospfv3
    found = instance and own_router_id(device, vrf, instance.router_id)
    return str(found) if found else None


def others_at(
    topology: Topology, device: Device, interface: Interface, protocol: str
) -> list[Attachment]:
    """The ends of other devices on an interface's segment that run a protocol."""
    segment = topology.segment_of.get((device.name, interface.name))
    return [
        end
        for end in (segment.ends if segment else ())
        if end.device.name != device.name and getattr(end.interface, protocol) is not None
    ]


def router_lsa_events(topology: Topology, device: Device, event: Event) -> Iterator[Event]:
    """What a router-LSA says (RFC 2328 12.4.1): of each interface in its area.

    Interfaces are told by their addresses. An adjacency is there while a point-to-point link names
    its router, or a transit link the network; a subnet while a stub link, or a transit one, does.
    """
    for interface in device.interfaces:
        settings = interface.ospf
        if settings is None or settings.area != event.area or not interface.enabled:
            continue
        said = replace(event, device=device.name, interface=interface.name, protocol="ospf")
        own = {address.ip for address in interface.addresses if address.version == 4}
        links = [one for one in event.links if one.type != _STUB and one.link_data in own]
        for neighbour, own_name in _neighbours(topology, device, interface, "ospf"):
            met = any(
                one.type == _TRANSIT or str(one.link_id) == own_name
                for one in links
                if one.type in (_POINT_TO_POINT, _TRANSIT)
            )
            yield replace(said, kind=EventKind.ADJACENCY, neighbour=neighbour, on=met)
        on_transit = any(one.type == _TRANSIT for one in links)
        stubs = {
            address.network: _stub(event.links, address.network, address.ip)
            for address in interface.addresses
            if address.version == 4
        }
        for subnet, stub in stubs.items():
            there = on_transit or stub is not None
            yield replace(said, kind=EventKind.PREFIX, prefix=subnet, on=there)
        metrics = [one.metric for one in (*links, *stubs.values()) if one is not None]
        if metrics:
            yield replace(said, kind=EventKind.COST, new=metrics[0])


def _stub(links: tuple[RouterLink, ...], subnet: Prefix, address: object) -> RouterLink | None:
    """The stub link of a subnet, or of the host address in it (RFC 2328 12.4.1.1)."""
    for one in links:
        if one.type != _STUB:
            continue
        try:
            told = ipaddress.ip_network(f"{one.link_id}/{one.link_data}", strict=False)
        except ValueError:
            continue  # a mask that is none stands for nothing
        if told == subnet or (told.prefixlen == 32 and told.network_address == address):
            return one
    return None


def lsp_events(topology: Topology, device: Device, event: Event) -> Iterator[Event]:
    """What a link-state PDU says (ISO 10589 7.3.7, RFC 5305): of each circuit of its level.

    A PDU names systems, not circuits: an adjacency is there on all circuits to a system that it
    names, or while it names a pseudonode, whose other systems are not told by it.
    """
    systems = {one.what.rpartition(".")[0]: one for one in event.neighbours}
    pseudonodes = [one for one in event.neighbours if not one.what.endswith(".00")]
    told = {ipaddress.ip_network(one.what) for one in event.prefixes}
    for interface in device.interfaces:
        settings = interface.isis
        if settings is None or not interface.enabled:
            continue
        said = replace(event, device=device.name, interface=interface.name, protocol="isis")
        for neighbour, system in _neighbours(topology, device, interface, "isis"):
            direct = systems.get(system)
            on = direct is not None or bool(pseudonodes)
            yield replace(said, kind=EventKind.ADJACENCY, neighbour=neighbour, on=on)
            if direct is not None:
                yield replace(said, kind=EventKind.COST, new=direct.metric)
        for address in interface.addresses:
            if not address.ip.is_link_local:
                there = address.network in told
                yield replace(said, kind=EventKind.PREFIX, prefix=address.network, on=there)


def _neighbours(
    topology: Topology, device: Device, interface: Interface, protocol: str
) -> Iterator[tuple[str, str]]:
    """The others at an interface that run a protocol, each with its id in it."""
    for end in others_at(topology, device, interface, protocol):
        vrf = end.device.vrf(end.interface.vrf)
        own = vrf and own_id(end.device, vrf, protocol)
        if own:
            yield end.device.name, own
