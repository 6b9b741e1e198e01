"""What routing protocols share about devices and interfaces: router ids, addresses, bandwidths."""

from __future__ import annotations

from collections.abc import Iterable
from ipaddress import IPv4Address, IPv4Interface

from routrel.model.addresses import Address, InterfaceAddress, Prefix
from routrel.model.network import Device, Interface, InterfaceKind, Vrf

__all__ = [
    "announced_subnets",
    "bandwidth_bps",
    "family_addresses",
    "own_router_id",
    "subnets",
    "version_of",
    "way_address",
]

INTERFACE_BANDWIDTH_BPS = 1_000_000_000


def version_of(protocol: str) -> int:
    """The IP version a protocol of one family carries: 4 or 6."""
    return 6 if protocol in ("ospfv3", "ripng") else 4


def own_router_id(device: Device, vrf: Vrf, written: IPv4Address | None) -> IPv4Address | None:
    """The router id of a protocol in a VRF: as written, else one of its addresses; None: neither.

    RFC 2328 C.1 leaves the choice open.
    """
    return written or _chosen_router_id(one for one in device.interfaces if one.vrf == vrf.name)


def _chosen_router_id(interfaces: Iterable[Interface]) -> IPv4Address | None:
    """The highest IPv4 address of an enabled loopback, else of any enabled interface."""
    addresses = [
        (interface.kind is InterfaceKind.LOOPBACK, address.ip)
        for interface in interfaces
        if interface.enabled
        for address in interface.addresses
        if isinstance(address, IPv4Interface)
    ]
    return max(addresses)[1] if addresses else None


def family_addresses(interface: Interface, version: int) -> list[InterfaceAddress]:
    """The addresses of one family that others may send to; link-local ones are not."""
    return [a for a in interface.addresses if a.version == version and not a.ip.is_link_local]


def subnets(interface: Interface, version: int) -> list[Prefix]:
    """The subnets of one family an interface is on, each once, the primary first."""
    return list(dict.fromkeys(a.network for a in family_addresses(interface, version)))


def announced_subnets(interface: Interface, version: int, protocol: str) -> list[Prefix]:
    """The subnets of one family that an interface announces in a protocol.

    Args:
        protocol: Its identifier.
    """
    found = subnets(interface, version)
    if not interface.withheld:
        return found
    return [subnet for subnet in found if (protocol, subnet) not in interface.withheld]


def way_address(device: Device, interface: Interface, version: int) -> Address | None:
    """The address by which neighbours on its link name an interface as next hop.

    The primary address; for IPv6 the link-local one if it is written; of an unnumbered interface
    the one it borrows. None where it has none of the family.
    """
    own = [a.ip for a in interface.addresses if a.version == version]
    if version == 6:
        own.sort(key=lambda address: not address.is_link_local)
    if not own and interface.unnumbered is not None:
        lender = device.interface(interface.unnumbered)
        return way_address(device, lender, version) if lender else None
    return own[0] if own else None


def bandwidth_bps(interface: Interface) -> int:
    """Bits per second: as written, else 1 Gb/s."""
    return interface.bandwidth_bps or INTERFACE_BANDWIDTH_BPS
