"""What link-state records of OSPF and IS-IS say of single adjacencies, costs and prefixes.

A record tells all of its originator in an area or level, so what it does not tell of is away.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from dataclasses import replace

from routrel.model.addresses import Prefix
from routrel.model.events import Event, EventKind, RouterLink
from routrel.model.network import Device, Interface
from routrel.protocols.shared.speaking import choose_router_id
from routrel.topology.segments import Topology

__all__ = ["lsp_events", "originator", "router_lsa_events"]

_POINT_TO_POINT, _TRANSIT, _STUB = 1, 2, 3


def originator(topology: Topology, event: Event) -> Device | None:
    """The device that tells a record of itself, by its router or system id; None: nobody has it."""
    for device in topology.network.devices:
        for vrf in device.vrfs:
            if event.kind is EventKind.LSP and vrf.isis is not None:
                if vrf.isis.net.system == event.router:
                    return device
            elif event.kind is EventKind.ROUTER_LSA and vrf.ospf is not None:
                ports = [one for one in device.interfaces if one.vrf == vrf.name]
                if str(vrf.ospf.router_id or choose_router_id(ports)) == event.router:
                    return device
    return None


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
        for neighbour, ids in _neighbours(topology, device, interface, "ospf"):
            met = any(
                one.type == _TRANSIT or str(one.link_id) in ids
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
        for neighbour, ids in _neighbours(topology, device, interface, "isis"):
            direct = next((systems[one] for one in ids if one in systems), None)
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
) -> Iterator[tuple[str, frozenset[str]]]:
    """The others on an interface's segment that run a protocol, with their ids in it."""
    segment = topology.segment_of.get((device.name, interface.name))
    for end in segment.ends if segment else ():
        vrf = end.device.vrf(end.interface.vrf)
        if end.device.name == device.name or vrf is None:
            continue
        if protocol == "isis" and end.interface.isis is not None and vrf.isis is not None:
            yield end.device.name, frozenset((vrf.isis.net.system,))
        elif protocol == "ospf" and end.interface.ospf is not None and vrf.ospf is not None:
            ports = [one for one in end.device.interfaces if one.vrf == vrf.name]
            yield (
                end.device.name,
                frozenset((str(vrf.ospf.router_id or choose_router_id(ports)),)),
            )
