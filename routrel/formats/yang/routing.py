"""Static routes and tables: ietf-routing with its unicast modules (RFC 8349)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.drops import DROPS, drop_keys
from routrel.formats.yang.protocols import Protocols, read_protocol
from routrel.formats.yang.tree import Node
from routrel.model.addresses import Prefix
from routrel.model.observed import ObservedHop, ObservedRoute

__all__ = ["Routing", "read_routing"]

ROUTING = "ietf-routing"
#: By the identity's name: protocols as tables name them.
_SOURCES = {"direct": "connected", "ospfv2": "ospf", "ripv2": "rip", "is-is": "isis"}


@dataclass(slots=True)
class Routing:
    """What a device's files say of routes, by VRF."""

    statics: dict[str, list[Said]] = field(default_factory=dict)
    #: By VRF, prefix and protocol. What is not used says nothing of what is.
    tables: dict[str, dict[tuple[Prefix, str], ObservedRoute]] = field(default_factory=dict)
    protocols: dict[str, Protocols] = field(default_factory=dict)

    def of(self, vrf: str) -> Protocols:
        """The protocols of a VRF."""
        return self.protocols.setdefault(vrf, Protocols())

    def hold(self, vrf: str, entry: ObservedRoute) -> bool:
        """Take an entry of a table; False: there is another one that is used as well.

        Entries that differ in nothing but their next hops share (RFC 8349 keeps no key of them).
        """
        table = self.tables.setdefault(vrf, {})
        held = table.get((entry.prefix, entry.protocol))
        if held is None or (entry.active and not held.active):
            table[entry.prefix, entry.protocol] = entry
        elif entry.active == held.active:
            if replace(entry, hops=held.hops) != held:
                return not entry.active
            more = tuple(hop for hop in entry.hops if hop not in held.hops)
            table[entry.prefix, entry.protocol] = replace(held, hops=held.hops + more)
        return True


def read_routing(holder: Node, vrf: str, found: Routing) -> None:
    """Add the routes of one `routing` container.

    Args:
        vrf: Whose they are.
    """
    router_id = holder.address("router-id")
    if router_id is not None and router_id.version == 4:
        found.of(vrf).router_id = str(router_id)
    holder.ignore("interfaces")
    for node in holder.listed("control-plane-protocols", "control-plane-protocol"):
        kind = node.identity("type")
        node.ignore("name", "description")
        statics = node.child("static-routes")
        if statics is not None:
            for version in (4, 6):
                _statics(statics, version, vrf, found)
        elif kind is None or kind[1] not in ("static", "direct"):
            read_protocol(node, kind[1] if kind else "", found.of(vrf))
    for node in holder.listed("ribs", "rib"):
        _table(node, vrf, found)


def _module(version: int) -> str:
    return f"ietf-ipv{version}-unicast-routing"


def _statics(node: Node, version: int, vrf: str, found: Routing) -> None:
    for route in node.listed(f"ipv{version}", "route", _module(version)):
        prefix = route.prefix("destination-prefix")
        said = {"description": words} if (words := route.text("description")) else {}
        hop = route.child("next-hop")
        if prefix is None or hop is None:
            route.unknown("a route without a destination or a next hop; left out")
            continue
        if prefix.version != version:
            route.unknown(f"the destination {prefix} is of the other family; left out")
            continue
        ways = list(_static_ways(hop, version))
        if not ways:
            route.unknown(f"the route to {prefix} leads nowhere that is understood; left out")
        for way in ways:
            made = Said({"to": str(prefix), **way, **said}, route.remark)
            found.statics.setdefault(vrf, []).append(made)


def _static_ways(hop: Node, version: int) -> Iterator[dict[str, Any]]:
    special = hop.text("special-next-hop")
    if special is not None:
        if special in DROPS:
            yield drop_keys(DROPS[special])
        else:
            hop.unknown(f"the special next hop {special} is not modelled", "special-next-hop")
        return
    listed = hop.child("next-hop-list")
    for one in listed.items("next-hop") if listed else (hop,):
        one.ignore("index")
        # The configuration says next-hop-address in lists too; what is found in the field varies.
        address = one.address("next-hop-address", _module(version)) or one.address(
            "address", _module(version)
        )
        interface = one.text("outgoing-interface") or one.text("outgoing-interface", ROUTING)
        if address is not None and address.version != version:
            one.unknown(f"the next hop {address} is of the other family; left out")
            continue
        made = {"via": str(address)} if address is not None else {}
        if interface:
            made["interface"] = name_for(interface)
        if made:
            yield made


# --- tables ---------------------------------------------------------------------------------------


def _table(node: Node, vrf: str, found: Routing) -> None:
    name = node.text("name") or ""
    family = node.identity("address-family")
    node.ignore("description")
    version = {"ipv4": 4, "ipv4-unicast": 4, "ipv6": 6, "ipv6-unicast": 6}.get(
        family[1] if family else ""
    )
    routes = node.child("routes")
    if not node.flag("default-rib", default=True):
        node.unknown(f"the table {name} is not the one that packets go by; left out")
        if routes is not None:
            routes.ignore_all()
        return
    if routes is None:
        return
    if version is None:
        node.unknown(f"the table {name} is of a family that is not modelled; left out")
        routes.ignore_all()
        return
    for route in routes.items("route"):
        made = _entry(route, version)
        if made is not None and not found.hold(vrf, made):
            route.unknown(
                f"the entry to {made.prefix} by {made.protocol or 'nobody'} is there already, "
                "otherwise; the first counts"
            )


def _entry(route: Node, version: int) -> ObservedRoute | None:
    module = _module(version)
    prefix: Prefix | None = route.prefix("destination-prefix", module)
    route.ignore("last-updated")
    source = route.identity("source-protocol")
    protocol = _SOURCES.get(source[1], source[1]) if source else ""
    metric: int | None = None
    for other in ("ietf-ospf", "ietf-isis", "ietf-rip"):
        value = route.number("metric", other, high=2**32 - 1)
        metric = metric if value is None else value
        for leaf in ("tag", "route-type", "redistributed-route"):
            route.leaf(leaf, other)
    preference = route.number("route-preference", high=2**32 - 1)
    hop = route.child("next-hop")
    if prefix is None or hop is None:
        route.unknown("an entry without a destination or a next hop; left out")
        return None
    if prefix.version != version:
        route.unknown(f"the destination {prefix} is of the other family; left out")
        return None
    active = route.is_there("active")
    special = hop.text("special-next-hop")
    if special == "receive":
        return None  # for the device itself
    if special is not None and special not in DROPS:
        hop.unknown(f"the special next hop {special} is not modelled; left out")
        return None
    hops = () if special else tuple(_entry_hops(hop, module))
    if not hops and special is None:
        route.unknown(f"the entry to {prefix} leads nowhere that is understood; left out")
        return None
    distance = preference if preference is not None and preference <= 255 else None
    if version == 6 and protocol in ("ospf", "rip"):
        protocol = {"ospf": "ospfv3", "rip": "ripng"}[protocol]
    return ObservedRoute(
        prefix,
        protocol,
        hops,
        0,
        metric=metric,
        distance=distance,
        drops=DROPS.get(special or ""),
        active=active,
    )


def _entry_hops(hop: Node, module: str) -> Iterator[ObservedHop]:
    listed = hop.child("next-hop-list")
    for one in listed.items("next-hop") if listed else (hop,):
        one.ignore("index")
        address = one.address("address", module) or one.address("next-hop-address", module)
        interface = one.text("outgoing-interface", ROUTING)
        if address is not None or interface:
            yield ObservedHop(name_for(interface) if interface else None, address)
