"""A host's interfaces and addresses, from what `ip` says of links and addresses."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import name_for
from routrel.formats.linux.bundle import Bundle, Entry
from routrel.model.addresses import InterfaceAddress, is_address, not_for_an_interface

__all__ = ["LinuxInterface", "read_interfaces"]

#: Kinds of link that frames leave by no wire of the model's.
_INNER = frozenset(("dummy", "ifb", "nlmon", "vcan"))
#: Kinds whose frames another interface carries, which is not modelled.
_CARRIED = frozenset(
    ("bridge", "bond", "team", "vlan", "macvlan", "ipvlan", "vxlan", "gre", "gretap", "ipip", "sit",
     "ip6tnl", "ip6gre", "geneve", "wireguard", "macsec", "l2tp", "xfrm", "vti", "vti6")
)  # fmt: skip


@dataclass(slots=True)
class LinuxInterface:
    """One interface as the kernel has it."""

    name: str
    entry: Entry
    flags: frozenset[str]
    kind: str = ""  #: the driver's kind, as veth or dummy; empty: of hardware
    mtu: int = 1500
    master: str | None = None
    table: str | None = None  #: of a VRF: the number of its table
    alias: str = ""
    addresses: list[InterfaceAddress] = field(default_factory=list)

    @property
    def enabled(self) -> bool:
        """Whether it is set up."""
        return "UP" in self.flags

    @property
    def is_inner(self) -> bool:
        """Whether it leads nowhere."""
        return "LOOPBACK" in self.flags or self.kind in _INNER

    @property
    def carrier(self) -> bool:
        """Whether it hears of its other end."""
        return self.is_inner or not self.enabled or "LOWER_UP" in self.flags

    @property
    def point_to_point(self) -> bool:
        """Whether there is only one other end, which takes whatever is sent."""
        return "POINTOPOINT" in self.flags and not self.is_inner


def read_interfaces(bundle: Bundle) -> dict[str, LinuxInterface]:
    """All interfaces, by name, in order of index."""
    found: dict[str, LinuxInterface] = {}
    by_own: dict[str, str] = {}  # by what it is called in the device's file
    for name in ("link.json", "addr.json"):
        for entry in bundle.entries(name):
            link = entry.value.get("ifname")
            if not isinstance(link, str) or not link:
                entry.unknown("names no interface")
                continue
            own = by_own.setdefault(name_for(link), link)
            if own != link:
                entry.unknown(f"{link} cannot be told from {own} in a device file; left out")
            elif link not in found:
                found[link] = _interface(link, entry)
    for entry in bundle.entries("addr.json"):
        interface = found.get(str(entry.value.get("ifname")))
        if interface is not None:
            _take_addresses(interface, entry)
    for interface in found.values():
        # The kernel lists the IPv6 addresses of one scope from the latest on.
        newest = [a for a in interface.addresses if a.version == 6]
        four = [a for a in interface.addresses if a.version == 4]
        interface.addresses = four + newest[::-1]
    return found


def _interface(name: str, entry: Entry) -> LinuxInterface:
    value = entry.value
    info: Any = value.get("linkinfo")
    info = info if isinstance(info, dict) else {}
    data: Any = info.get("info_data")
    data = data if isinstance(data, dict) else {}
    kind = str(info.get("info_kind") or "")
    flags = value.get("flags")
    mtu = value.get("mtu")
    made = LinuxInterface(
        name,
        entry,
        frozenset(map(str, flags)) if isinstance(flags, list) else frozenset(("UP", "LOWER_UP")),
        kind=kind,
        mtu=mtu if isinstance(mtu, int) and not isinstance(mtu, bool) else 1500,
        master=str(value["master"]) if value.get("master") else None,
        table=str(data["table"]) if kind == "vrf" and "table" in data else None,
        alias=str(value.get("ifalias") or ""),
    )
    if not isinstance(flags, list):
        entry.note(f"{name} has no flags here; taken to be up")
    if kind in _CARRIED:
        entry.unknown(f"{name} is of kind {kind}; what carries its frames is not modelled")
    return made


def _take_addresses(interface: LinuxInterface, entry: Entry) -> None:
    infos = entry.value.get("addr_info")
    for info in infos if isinstance(infos, list) else ():
        if not isinstance(info, dict) or not info:
            continue
        address = _address(info)
        if address is None:
            entry.unknown(
                f"{interface.name} has an address that cannot be read: {info.get('local')}"
            )
            continue
        if address.ip.is_loopback or address.ip.is_link_local:
            continue  # every host has these
        if info.get("dadfailed"):
            entry.note(f"{address.ip} of {interface.name} is in use elsewhere; left out")
            continue
        if info.get("tentative") and not info.get("optimistic"):
            entry.note(f"{address.ip} of {interface.name} was not in use yet; taken as if it were")
        peer = info.get("address")
        if peer:
            if not is_address(str(peer)):
                entry.unknown(f"{interface.name} has a peer that is no address: {peer}")
            address = ipaddress.ip_interface(address.ip)
        if any(known.ip == address.ip for known in interface.addresses):
            continue
        if problem := not_for_an_interface(address):
            entry.unknown(f"{address} of {interface.name} is {problem}; left out")
            continue
        interface.addresses.append(address)


def _address(info: dict[str, Any]) -> InterfaceAddress | None:
    try:
        return ipaddress.ip_interface(f"{info['local']}/{info['prefixlen']}")
    except (KeyError, ValueError):
        return None
