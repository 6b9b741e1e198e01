"""What a source or destination in a question means."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.forwarding.trace import Start
from routrel.model.addresses import Address, is_private
from routrel.model.network import (
    DEFAULT_VRF,
    Device,
    Interface,
    InterfaceKind,
    NamedAddress,
    OutsideNeighbour,
)
from routrel.model.prefix_index import PrefixIndex
from routrel.questions.errors import FamilyMismatch, UnknownEndpoint

__all__ = ["Endpoint", "is_held", "resolve_endpoint", "shared_family"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Endpoint:
    """A source or destination: its address in each family, and where packets from it begin.

    `starts` is empty where the model does not say where such a packet would enter.
    """

    text: str  #: as asked
    name: str  #: device, outside neighbour or address
    addresses: tuple[Address, ...]  #: preferred first
    starts: tuple[Start, ...]
    note: str = ""  #: what was assumed, in words; empty where nothing was

    def address(self, version: int) -> Address | None:
        """Its address of a family; None: it has none."""
        return next((a for a in self.addresses if a.version == version), None)


def resolve_endpoint(state: State, text: str) -> Endpoint:
    """Find what a word names: a device, device:interface, an address, a name, an outside neighbour.

    An outside neighbour with an address, as `isle:198.51.100.7`, is that address behind it alone.

    Raises:
        UnknownEndpoint: it names nothing, or something without an address.
    """
    word = text.strip()
    topology = state.topology
    if word in topology.devices:
        return _device_endpoint(state, topology.devices[word], None, word)
    for outside in state.network.outside:
        if outside.name == word:
            return _outside_endpoint(state, [outside], word, None)
    named = next((named for named in state.network.names if named.name == word), None)
    if named is not None:
        return _named_endpoint(state, named)
    try:
        address = ipaddress.ip_address(word)
    except ValueError:
        pass
    else:
        return _address_endpoint(state, address, word)
    name, colon, interface_name = word.partition(":")
    if colon and name in topology.devices:
        device = topology.devices[name]
        interface = device.interface(interface_name)
        if interface is not None:
            return _device_endpoint(state, device, interface, word)
        raise UnknownEndpoint(
            f"{name} has no interface “{interface_name}”",
            closest(interface_name, [i.name for i in device.interfaces]),
        )
    behind = next((one for one in state.network.outside if colon and one.name == name), None)
    if behind is not None:
        try:
            address = ipaddress.ip_address(interface_name)
        except ValueError:
            raise UnknownEndpoint(
                f"“{interface_name}” is no address", f"write {name}:ADDRESS, or {name} alone"
            ) from None
        return _outside_endpoint(state, [behind], word, address)
    known = [
        *topology.devices,
        *(outside.name for outside in state.network.outside),
        *(named.name for named in state.network.names),
    ]
    raise UnknownEndpoint(
        f"“{word}” is no device, interface, address, name or outside neighbour of this network",
        closest(word, known) or "write a device's name, device:interface, or an address",
    )


def is_held(state: State, address: Address) -> bool:
    """Whether a device has an address, perhaps as a virtual router, or it lies outside."""
    if state.topology.owners.get(address):
        return True
    virtual = (
        address in router.addresses
        for device in state.network.devices
        for interface in device.interfaces
        for router in interface.virtual_routers
    )
    outside = (own.ip == address for o in state.network.outside for own in o.addresses)
    if any(virtual) or any(outside):
        return True
    return not _starts_on_segment(state, address) and bool(_outside_behind(state, address))


def shared_family(source: Endpoint, destination: Endpoint) -> tuple[Address, Address]:
    """The addresses both use: IPv4 where both have it, else IPv6.

    Raises:
        FamilyMismatch: they have no family in common.
    """
    for version in (4, 6):
        left, right = source.address(version), destination.address(version)
        if left is not None and right is not None:
            return left, right
    raise FamilyMismatch(
        f"{source.text} and {destination.text} have no address family in common",
        "ask with addresses of one family",
    )


def _device_endpoint(
    state: State, device: Device, interface: Interface | None, text: str
) -> Endpoint:
    """A device stands for its first loopback address, else its first address, in each family.

    All of them are of one VRF: the default one, or the first that has an address.
    """
    candidates = [interface] if interface else _by_preference(device)
    chosen: dict[int, Address] = {}
    vrf: str | None = None
    for candidate in candidates:
        for own in candidate.addresses:
            if not own.ip.is_link_local and vrf in (None, candidate.vrf):
                chosen.setdefault(own.version, own.ip)
                vrf = candidate.vrf
    if vrf is None:
        raise UnknownEndpoint(f"{text} has no address", "name an interface that has one")
    addresses = tuple(chosen[version] for version in sorted(chosen))
    return Endpoint(
        text=text, name=device.name, addresses=addresses, starts=(Start(device.name, vrf),)
    )


def _by_preference(device: Device) -> list[Interface]:
    """The enabled interfaces: those of the default VRF first, loopbacks before others."""
    return sorted(
        (interface for interface in device.interfaces if interface.enabled),
        key=lambda i: (i.vrf != DEFAULT_VRF, i.kind is not InterfaceKind.LOOPBACK),
    )


def _address_endpoint(state: State, address: Address, text: str) -> Endpoint:
    owners = state.topology.owners.get(address, ())
    if owners:
        up = [end for end in owners if state.topology.is_up(*end.key)]
        end = (up or list(owners))[0]
        note = f"several devices have {address}; {end.device.name} is taken" if len(up) > 1 else ""
        return Endpoint(
            text=text,
            name=end.device.name,
            addresses=(address,),
            starts=(Start(end.device.name, end.interface.vrf),),
            note=note,
        )
    for outside in state.network.outside:
        if any(own.ip == address for own in outside.addresses):
            return _outside_endpoint(state, [outside], text, address)
    starts = _starts_on_segment(state, address)
    if starts:
        return Endpoint(
            text=text,
            name=text,
            addresses=(address,),
            starts=starts,
            note=f"no device file has {address}; its packets are taken to come from its subnet",
        )
    behind = _outside_behind(state, address)
    if behind:
        return _outside_endpoint(state, behind, text, address)
    return Endpoint(
        text=text,
        name=text,
        addresses=(address,),
        starts=(),
        note=f"{address} lies in no subnet of this network and behind no outside neighbour",
    )


def _named_endpoint(state: State, named: NamedAddress) -> Endpoint:
    """The addresses of a name, where all of them begin in the same places; else the first."""
    first, *others = (_address_endpoint(state, a, str(a)) for a in named.addresses)
    alike = [one for one in others if (one.name, one.starts) == (first.name, first.starts)]
    addresses = [address for one in (first, *alike) for address in one.addresses]
    by_family = {address.version: address for address in reversed(addresses)}
    is_bare = first.name == first.text
    return Endpoint(
        text=named.name,
        name=named.name if is_bare else first.name,
        addresses=tuple(by_family[version] for version in sorted(by_family)),
        starts=first.starts,
        note=first.note,
    )


def _starts_on_segment(state: State, address: Address) -> tuple[Start, ...]:
    """The forwarding devices on the subnet of an address that no device has."""
    starts = [
        Start(device.name, interface.vrf, interface.name)
        for device in state.network.devices
        if device.role.forwards
        for interface in device.interfaces
        if interface.kind is not InterfaceKind.LOOPBACK
        and state.topology.is_up(device.name, interface.name)
        and any(address in own.network for own in interface.addresses)
    ]
    return tuple(starts)


def _outside_behind(state: State, address: Address) -> list[OutsideNeighbour]:
    """The outside neighbours that have, or announce, the longest prefix that holds an address.

    A neighbour that has the default prefix leads to the public world, which is no place for
    private addresses (RFC 1918, RFC 4193): a more specific prefix must name those.
    """
    private = is_private(address)
    owners: dict[int, list[OutsideNeighbour]] = {}
    index = PrefixIndex()
    for outside in state.network.outside:
        for prefix in outside.behind:
            if private and prefix.prefixlen == 0:
                continue
            owners.setdefault(index.add(prefix), []).append(outside)
    matches = index.matches(address)
    return owners[matches[0]] if matches else []


def _outside_endpoint(
    state: State, neighbours: list[OutsideNeighbour], text: str, address: Address | None
) -> Endpoint:
    """Packets from outside enter at every device that shares a segment with a neighbour."""
    names = [neighbour.name for neighbour in neighbours]
    starts = [
        Start(end.device.name, end.interface.vrf, end.interface.name, name)
        for name in names
        for segment in state.topology.segments
        if any(own.neighbour.name == name for own in state.topology.outside_ends(segment))
        for end in segment.ends
        if end.device.role.forwards and state.topology.is_up(*end.key)
    ]
    chosen: dict[int, Address] = {}
    if address is not None:
        chosen[address.version] = address
    else:
        for own in neighbours[0].addresses:
            chosen.setdefault(own.version, own.ip)
    if not chosen:
        raise UnknownEndpoint(f"{text} has no address", "ask with an address behind it")
    return Endpoint(
        text=text,
        name=names[0] if len(names) == 1 else text,
        addresses=tuple(chosen[version] for version in sorted(chosen)),
        starts=tuple(starts),
        note="" if starts else f"no device shares an up segment with {', '.join(names)}",
    )
