"""Devices of whom nothing is known but their tables."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from typing import Any

from routrel.formats.device_text import Said, device_text
from routrel.model.addresses import Prefix
from routrel.model.network import DEFAULT_VRF
from routrel.model.observed import ObservedTable

__all__ = ["device_of_tables"]


def device_of_tables(
    device: str, tables: Iterable[ObservedTable], linked: Iterable[str] = ()
) -> str:
    """A device file with the interfaces that tables name, and the addresses that they tell.

    An entry for one address by protocol local is an address of its interface; the connected
    subnet that holds it tells its prefix length.

    Args:
        linked: Interfaces that links name besides.
    """
    own: dict[str, list[Prefix]] = {}
    subnets: dict[str, list[Prefix]] = {}
    vrfs: dict[str, str] = {}
    names = list(tables)
    for table in names:
        for route in table.routes:
            for hop in route.hops:
                if hop.interface is None:
                    continue
                vrfs.setdefault(hop.interface, table.vrf)
                if hop.address is not None:
                    continue
                if route.protocol == "local":
                    own.setdefault(hop.interface, []).append(route.prefix)
                elif route.protocol in ("connected", "direct", "kernel"):
                    subnets.setdefault(hop.interface, []).append(route.prefix)
    found: dict[str, Any] = {}
    for name in dict.fromkeys((*vrfs, *linked)):
        addresses = []
        for prefix in own.get(name, ()):
            length = _length(prefix, subnets.get(name, ()))
            addresses.append(str(ipaddress.ip_interface((prefix.network_address, length))))
        keys: dict[str, Any] = {}
        if vrfs.get(name, DEFAULT_VRF) != DEFAULT_VRF:
            keys["vrf"] = vrfs[name]
        if addresses:
            keys["addresses"] = addresses
        found[name] = Said(keys, "named by its table" if name in vrfs else "named by a link")
    plain: dict[str, Any] = {
        "routrel": 1,
        "device": device,
        "role": "router",
        "tables": Said("known", "nothing but its tables is known of it"),
    }
    if found:
        plain["interfaces"] = found
    others = dict.fromkeys(table.vrf for table in names if table.vrf != DEFAULT_VRF)
    if others:
        plain["vrfs"] = {vrf: Said({}) for vrf in others}
    return device_text(plain)


def _length(address: Prefix, subnets: Iterable[Prefix]) -> int:
    """The length of the longest subnet that holds an address."""
    holding = [
        subnet.prefixlen
        for subnet in subnets
        if subnet.version == address.version and address.network_address in subnet
    ]
    return max(holding, default=address.prefixlen)
