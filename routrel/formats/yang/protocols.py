"""Interior protocols: what is read of ietf-ospf (RFC 9129), ietf-isis (9130) and ietf-rip (8695).

Of each a part is read, strictly: what is outside of it is named by its path. docs/formats.md lists
what is inside.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.yang.interfaces import YangInterface
from routrel.formats.yang.tree import Node

__all__ = ["Protocols", "read_protocol"]

OSPF, ISIS, RIP = "ietf-ospf", "ietf-isis", "ietf-rip"
_AREA_TYPES = {"normal-area": "normal", "stub-area": "stub", "nssa-area": "nssa"}
_NETWORKS = {
    "broadcast": "broadcast", "non-broadcast": "non-broadcast", "point-to-point": "point-to-point",
    "point-to-multipoint": "multipoint", "hybrid": "multipoint",
}  # fmt: skip
#: As the types of the modules have them.
_AREA = re.compile(r"[0-9]{1,10}|[0-9]{1,3}(\.[0-9]{1,3}){3}")
_SYSTEM = re.compile(r"[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4}\.[0-9A-Fa-f]{4}")
_AREA_ADDRESS = re.compile(r"[0-9A-Fa-f]{2}(\.[0-9A-Fa-f]{4}){0,6}")
_LEVELS = {"level-1": "1", "level-2": "2", "level-all": "1-2"}


@dataclass(slots=True)
class Protocols:
    """The protocols of one VRF: their keys, and those of interfaces, by protocol."""

    router_id: str | None = None
    instances: dict[str, dict[str, Any]] = field(default_factory=dict)
    interfaces: dict[str, dict[str, dict[str, Any]]] = field(default_factory=dict)

    def at(self, protocol: str, interface: str, keys: Mapping[str, Any]) -> None:
        """Keep the keys of an interface."""
        self.interfaces.setdefault(protocol, {})[interface] = dict(keys)

    def keys(self) -> dict[str, Any]:
        """The keys of a VRF for all of them."""
        made = {}
        for protocol, keys in self.instances.items():
            own = dict(keys)
            if protocol in ("ospf", "ospfv3") and "router-id" not in own and self.router_id:
                own["router-id"] = self.router_id
            made[protocol] = own
        return made

    def bind(self, found: Mapping[str, YangInterface]) -> list[str]:
        """Give interfaces their keys; the names of interfaces that are not there."""
        missing = []
        for protocol, by_name in self.interfaces.items():
            for name, keys in by_name.items():
                if name in found:
                    found[name].more[protocol] = keys
                else:
                    missing.append(name)
        return missing


def read_protocol(node: Node, kind: str, found: Protocols) -> None:
    """Add one protocol of a VRF."""
    ospf, isis, rip = node.child("ospf", OSPF), node.child("isis", ISIS), node.child("rip", RIP)
    if ospf is not None:
        _read_ospf(ospf, kind, found)
    elif isis is not None:
        _read_isis(isis, found)
    elif rip is not None:
        _read_rip(rip, kind, found)
    else:
        node.unknown(f"a protocol of type {kind or 'nothing'} is not modelled; left out")


def _interfaces(node: Node, key: str) -> Iterator[tuple[str, Node]]:
    """The interfaces of a protocol, by the leaf that names them."""
    for one in node.listed("interfaces", "interface"):
        name = one.text(key)
        if name:
            yield name, one
        else:
            one.unknown("an interface without a name")


def _taking_part(node: Node) -> Iterator[tuple[str, Node]]:
    """Those for which the protocol is on."""
    for name, one in _interfaces(node, "name"):
        if one.flag("enabled", default=True):
            yield name, one
        else:
            one.note(f"{name} does not take part; left out")
            one.ignore_all()


def _read_ospf(node: Node, kind: str, found: Protocols) -> None:
    family = node.identity("address-family")
    six = kind == "ospfv3" or (family is not None and family[1].startswith("ipv6"))
    protocol = "ospfv3" if six else "ospf"
    keys: dict[str, Any] = {}
    router_id = node.address("explicit-router-id")
    if router_id is not None and router_id.version == 4:
        keys["router-id"] = str(router_id)
    preference = node.child("preference")
    if preference is not None:
        keys_of = {"all": "distance", "internal": "distance", "external": "external-distance"}
        for leaf, key in keys_of.items():
            value = preference.number(leaf, high=255)
            if value:
                keys[key] = value
    if node.flag("enabled", default=True) is False:
        node.note("the protocol is off; left out")
        return
    limit = node.child("spf-control")
    if limit is not None:
        paths = limit.number("paths", high=256)
        if paths:
            keys["maximum-paths"] = paths
    settings: dict[str, Any] = {}
    for area in node.listed("areas", "area"):
        name = area.text("area-id") or ""
        if not _AREA.fullmatch(name):
            area.unknown("an area without an area-id, or with one that is none; left out")
            area.ignore_all()
            continue
        own = _area(area)
        if own.get("type") and set(name) <= set("0."):
            area.unknown("the backbone is a normal area (RFC 2328 3.6); taken as one")
            del own["type"]
        if own:
            settings[name] = own
        for interface, one in _taking_part(area):
            found.at(protocol, interface, {"area": name, **_ospf_interface(one)})
    if settings:
        keys["areas"] = settings
    found.instances[protocol] = keys


def _area(node: Node) -> dict[str, Any]:
    made: dict[str, Any] = {}
    kind = node.identity("area-type")
    if kind is not None:
        word = _AREA_TYPES.get(kind[1])
        if word is None:
            node.unknown(f"the area type {kind[1]} is not modelled", "area-type")
        elif word != "normal":
            made["type"] = word if node.flag("summary", default=True) else f"totally-{word}"
    node.ignore("summary")
    cost = node.number("default-cost", high=16777214)
    if cost is not None:
        made["default-cost"] = cost
    told = []
    for one in node.listed("ranges", "range"):
        prefix = one.prefix("prefix")
        if prefix is None:
            continue
        item: dict[str, Any] = {"prefix": str(prefix)}
        if not one.flag("advertise", default=True):
            item["advertise"] = False
        cost = one.number("cost", high=16777214)
        if cost is not None:
            item["cost"] = cost
        told.append(item)
    if told:
        made["ranges"] = told
    return made


def _ospf_interface(node: Node) -> dict[str, Any]:
    made: dict[str, Any] = {}
    kind = node.text("interface-type")
    if kind is not None:
        if kind in _NETWORKS:
            made["network"] = _NETWORKS[kind]
        else:
            node.unknown(f"the interface type {kind} is not modelled", "interface-type")
    if node.flag("passive"):
        made["passive"] = True
    for leaf, key, low, high in (
        ("cost", "cost", 1, 65535),
        ("priority", "priority", 0, 255),
    ):
        value = node.number(leaf, low=low, high=high)
        if value is not None:
            made[key] = value
    for leaf in ("hello-interval", "dead-interval"):
        value = node.number(leaf, low=1, high=65535)
        if value is not None:
            made[leaf] = f"{value} s"
    if node.flag("mtu-ignore"):
        made["mtu-check"] = False
    node.ignore("retransmit-interval", "transmit-delay", "lls", "demand-circuit", "node-flag")
    return made


def _read_isis(node: Node, found: Protocols) -> None:
    keys: dict[str, Any] = {}
    system, areas = node.text("system-id"), node.leaf("area-address")
    areas = areas if isinstance(areas, list) else []
    if not system or not areas:
        node.unknown("a system without a system-id or an area-address; left out")
        return
    if not _SYSTEM.fullmatch(system) or not _AREA_ADDRESS.fullmatch(str(areas[0])):
        node.unknown("a system-id or an area-address that is none; left out")
        return
    if len(areas) > 1:
        node.unknown("several area addresses; the first is taken", "area-address")
    keys["net"] = f"{areas[0]}.{system}.00"
    level = node.text("level-type")
    if level in _LEVELS:
        keys["level"] = _LEVELS[level]
    if not node.flag("enabled", default=True):
        node.note("the protocol is off; left out")
        return
    styles = node.child("metric-type")
    if styles is not None:
        style = styles.text("value")
        if style not in (None, "wide-only", "both"):
            styles.unknown(f"metrics of style {style} are not modelled; taken as wide ones")
    default = _level_value(node, "default-metric")
    preference = node.child("preference")
    if preference is not None:
        value = preference.number("default", high=255)
        if value:
            keys["distance"] = value
    overload = node.child("overload")
    if overload is not None and overload.flag("status"):
        keys["overload"] = True
    for name, one in _taking_part(node):
        found.at("isis", name, _isis_interface(one, default))
    node.ignore("lsp-mtu", "lsp-lifetime", "lsp-refresh", "mpls")
    found.instances["isis"] = keys


def _level_value(node: Node, name: str, leaf: str = "value") -> int | None:
    """A value for both levels (RFC 9130 2.1)."""
    holder = node.child(name)
    return holder.number(leaf, high=16777214) if holder else None


def _isis_interface(node: Node, default: int | None) -> dict[str, Any]:
    made: dict[str, Any] = {}
    level = node.text("level-type")
    if level in _LEVELS:
        made["level"] = _LEVELS[level]
    kind = node.text("interface-type")
    if kind in ("broadcast", "point-to-point"):
        made["network"] = kind
    if node.flag("passive"):
        made["passive"] = True
    metric = _level_value(node, "metric")
    metric = default if metric is None else metric
    if metric:
        made["metric"] = metric
    priority = _level_value(node, "priority")
    if priority is not None:
        made["priority"] = priority
    tag = node.number("tag", high=2**32 - 1)
    if tag:
        made["tag"] = tag
    node.ignore("hello-interval", "hello-multiplier", "hello-padding", "address-families")
    return made


def _read_rip(node: Node, kind: str, found: Protocols) -> None:
    protocol = "ripng" if kind == "ripng" else "rip"
    keys: dict[str, Any] = {}
    distance = node.child("distance")
    if distance is not None:
        value = distance.number("default", low=1, high=255)
        if value:
            keys["distance"] = value
    originate = node.child("originate-default-route")
    if originate is not None and originate.flag("enabled"):
        keys["default-route"] = {}
    for name, one in _interfaces(node, "interface"):
        made: dict[str, Any] = {}
        if one.is_there("passive"):
            made["passive"] = True
        cost = one.number("cost", low=1, high=15)
        if cost is not None:
            made["cost"] = cost
        one.ignore("split-horizon")
        found.at(protocol, name, made)
    node.ignore("triggered-update-threshold", "maximum-paths", "output-delay")
    found.instances[protocol] = keys
