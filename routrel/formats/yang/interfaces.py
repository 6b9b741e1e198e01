"""Interfaces and their addresses: ietf-interfaces (RFC 8343) with ietf-ip (RFC 8344)."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, interface_keys, name_for
from routrel.formats.yang.tree import Node
from routrel.model.addresses import InterfaceAddress, not_for_an_interface
from routrel.model.network import DEFAULT_VRF

__all__ = ["YangInterface", "read_interfaces"]

INTERFACES, IP, INSTANCE = "ietf-interfaces", "ietf-ip", "ietf-network-instance"
#: By the type's name (RFC 7224): kinds of the language.
_LOOPBACKS = frozenset(("softwareLoopback",))
_POINT_TO_POINT = frozenset(("ppp", "tunnel", "hdlc", "propPointToPointSerial", "pos", "sonet"))
#: Types whose frames other interfaces carry, which is not modelled.
_CARRIED = frozenset(("l2vlan", "ieee8023adLag", "bridge", "l3ipvlan", "propVirtual"))


@dataclass(slots=True)
class YangInterface:
    """One interface, with what other modules say of it besides."""

    name: str
    remark: str
    kind: str = "ethernet"
    description: str = ""
    enabled: bool = True
    carrier: bool = True
    vrf: str = DEFAULT_VRF
    addresses: list[InterfaceAddress] = field(default_factory=list)
    mtu: int | None = None
    speed: int | None = None
    forwards: dict[int, bool] = field(default_factory=dict)  #: by version, where it has addresses
    more: dict[str, Any] = field(default_factory=dict)  #: keys of protocols, filters

    def said(self) -> Said:
        """It as a line of a device file."""
        made = interface_keys(
            kind=self.kind,
            description=self.description,
            enabled=self.enabled,
            carrier=self.carrier,
            vrf=self.vrf,
            addresses=self.addresses,
        )
        if self.mtu is not None and self.mtu != 1500:
            made["mtu"] = self.mtu
        if self.speed:
            made["bandwidth"] = _rate(self.speed)
        return Said({**made, **self.more}, self.remark)


def _rate(bits: int) -> str:
    for unit, size in (("Gb/s", 10**9), ("Mb/s", 10**6), ("kb/s", 10**3)):
        if bits % size == 0:
            return f"{bits // size} {unit}"
    return f"{bits} b/s"


def read_interfaces(data: Node, found: dict[str, YangInterface]) -> None:
    """Add the interfaces of a file to those that are known."""
    by_own = {name_for(name): name for name in found}
    for node in data.listed("interfaces", "interface", INTERFACES):
        name = node.text("name")
        if not name:
            node.unknown("an interface without a name")
            continue
        if name in found:
            node.unknown(f"{name} is there already, from {found[name].remark}")
            node.ignore_all()
            continue
        own = name_for(name)
        if own in by_own:
            node.unknown(f"{name} cannot be told from {by_own[own]} in a device file; left out")
            node.ignore_all()
            continue
        by_own[own] = name
        found[name] = _interface(node, name)


def _interface(node: Node, name: str) -> YangInterface:
    made = YangInterface(name, node.remark)
    made.description = node.text("description") or ""
    kind = node.identity("type")
    if kind is None:
        node.note(f"{name} has no type; taken as an Ethernet")
    elif kind[1] in _LOOPBACKS:
        made.kind = "loopback"
    elif kind[1] in _POINT_TO_POINT:
        made.kind = "point-to-point"
    elif kind[1] in _CARRIED:
        node.unknown(f"{name} is of type {kind[1]}; what carries its frames is not modelled")
    made.enabled = node.flag("enabled", default=True)
    admin, oper = node.text("admin-status"), node.text("oper-status")
    if admin == "down":
        made.enabled = False
    elif oper in ("down", "lower-layer-down", "not-present", "dormant") and made.enabled:
        made.carrier = made.kind == "loopback"
    made.speed = node.number("speed")
    node.ignore(
        *("last-change", "if-index", "phys-address", "statistics", "link-up-down-trap-enable"),
        *("higher-layer-if", "lower-layer-if"),
    )
    bound = node.text("bind-ni-name", INSTANCE)
    sizes: dict[int, int] = {}
    for version in (4, 6):
        family = node.child(f"ipv{version}", IP)
        if family is None:
            continue
        bound = _family(family, version, made, sizes) or bound
    if bound:
        made.vrf = name_for(bound)
    if len(set(sizes.values())) > 1:
        node.unknown(f"{name} has an MTU for each family; the smaller one is taken for both")
    made.mtu = min(sizes.values(), default=None)
    return made


def _family(node: Node, version: int, made: YangInterface, sizes: dict[int, int]) -> str | None:
    """One family of an interface; the network instance that it is bound to by itself."""
    enabled = node.flag("enabled", default=True)
    forwards = node.flag("forwarding")
    mtu = node.number("mtu", low=68 if version == 4 else 1280, high=2**32 - 1)
    if mtu is not None:
        sizes[version] = min(mtu, 65535)
    usable: list[InterfaceAddress] = []
    for item in node.items("address"):
        address = _address(item, version)
        if address is not None and any(address.ip == one.ip for one in usable):
            item.unknown(f"{address.ip} is there already; the first counts")
        elif address is not None:
            usable.append(address)
    if usable and enabled:
        made.addresses += usable
        made.forwards[version] = forwards
    for neighbour in node.items("neighbor"):
        neighbour.ignore_all()
        if neighbour.text("origin") in (None, "static"):
            neighbour.unknown("a neighbour that is written is not modelled")
    node.ignore("dup-addr-detect-transmits", "autoconf")
    return node.text("bind-ni-name", INSTANCE)


def _address(node: Node, version: int) -> InterfaceAddress | None:
    ip = node.address("ip")
    length = node.number("prefix-length", high=32 if version == 4 else 128)
    mask = node.text("netmask") if version == 4 else None
    node.ignore("origin", "status")
    if ip is None:
        return None
    if length is None and mask is not None:
        try:
            length = ipaddress.ip_network(f"0.0.0.0/{mask}").prefixlen
        except ValueError:
            node.unknown(f"the mask {mask} is no prefix length, and others are not modelled")
            return None
    if length is None:
        node.note(f"{ip} has no prefix length; taken as one address alone")
        length = ip.max_prefixlen
    made = ipaddress.ip_interface(f"{ip}/{length}")
    if problem := not_for_an_interface(made):
        node.unknown(f"{made} is {problem}; left out")
        return None
    return made
