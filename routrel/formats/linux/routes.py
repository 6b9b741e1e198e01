"""A host's routes, from what `ip` says of all its tables."""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.drops import DROPS, drop_keys
from routrel.formats.linux.bundle import Bundle, Entry, listed
from routrel.formats.linux.interfaces import LinuxInterface
from routrel.model.addresses import Address, Prefix
from routrel.model.network import DEFAULT_VRF
from routrel.model.observed import Drops, ObservedHop, ObservedRoute, ObservedTable

__all__ = ["Hop", "LinuxRoute", "RouteTables", "read_routes"]

#: By the kernel's number or name: tables that have a place of their own.
_MAIN = ("main", "254", "")
_LOCAL = ("local", "255")
#: Who writes routes that are configured, not learnt.
_CONFIGURED = frozenset(("kernel", "static", "boot", "dhcp", "ra", "redirect", "unspec", "3", "4"))
#: Types that are about addresses of the host, or about more than one receiver.
_NOT_FORWARDED = frozenset(("broadcast", "multicast", "anycast"))
_DROPS = {**DROPS, "throw": Drops.PASS_ON}
_OBSERVED_AS = {"kernel": "connected", "boot": "static", "dhcp": "static", "ra": "static"}
#: The metric of the kernel's own last resort of IPv6, which is as no route.
_LAST_RESORT = 2**32 - 1


@dataclass(frozen=True, slots=True)
class Hop:
    """One way of a route."""

    interface: str
    address: Address | None = None
    weight: int = 1
    dead: bool = False  #: not used while it is so


@dataclass(frozen=True, slots=True)
class LinuxRoute:
    """One route of one table."""

    table: str  #: the VRF's name
    prefix: Prefix
    kind: str  #: unicast, or how it drops
    hops: tuple[Hop, ...]
    metric: int
    protocol: str
    entry: Entry

    @property
    def alive(self) -> tuple[Hop, ...]:
        """The ways that are used."""
        return tuple(hop for hop in self.hops if not hop.dead)

    @property
    def usable(self) -> bool:
        """Whether it counts."""
        return self.kind in _DROPS or bool(self.alive)

    @property
    def configured(self) -> bool:
        """Whether somebody wrote it, or the kernel did for an address."""
        return self.protocol in _CONFIGURED


@dataclass(slots=True)
class RouteTables:
    """The routes of all tables."""

    routes: list[LinuxRoute] = field(default_factory=list)
    #: Why what follows from addresses and static routes is not what the kernel has; empty: it is.
    unlike: list[str] = field(default_factory=list)
    known: bool = False  #: whether any table was captured

    def active(self) -> Iterator[LinuxRoute]:
        """Of each table and prefix the route that counts."""
        best: dict[tuple[str, Prefix], LinuxRoute] = {}
        for route in self.routes:
            if not route.usable:
                continue
            held = best.get((route.table, route.prefix))
            if held is None or route.metric < held.metric:
                best[route.table, route.prefix] = route
        yield from best.values()

    def statics(self, interfaces: Mapping[str, LinuxInterface]) -> dict[str, list[Said]]:
        """The routes that do not follow from addresses, as static ones, by VRF."""
        implied = _implied(interfaces)
        groups: dict[tuple[str, Prefix], list[LinuxRoute]] = defaultdict(list)
        for route in self.routes:
            if not route.configured or _follows(route, implied):
                continue
            groups[route.table, route.prefix].append(route)
        found: dict[str, list[Said]] = defaultdict(list)
        for (table, _), routes in groups.items():
            distances = _distances([route.metric for route in routes])
            seen: set[str] = set()
            for route, distance in zip(routes, distances, strict=True):
                for said in _static(route, distance, interfaces, table):
                    if str(said.value) not in seen:
                        seen.add(str(said.value))
                        found[table].append(said)
        return found

    def observed(self, device: str, names: Mapping[str, str]) -> Iterator[ObservedTable]:
        """All tables as they are, by VRF.

        Args:
            device: Whose they are.
            names: What each interface is called.
        """
        tables: dict[str, list[ObservedRoute]] = defaultdict(list)
        for route in self.active():
            hops = tuple(
                ObservedHop(names[hop.interface], hop.address, hop.weight)
                for hop in route.alive
                if hop.interface in names
            )
            if not hops and route.kind not in _DROPS:
                continue
            tables[route.table].append(
                ObservedRoute(
                    route.prefix,
                    _OBSERVED_AS.get(route.protocol, route.protocol),
                    hops,
                    0,
                    metric=route.metric,
                    drops=_DROPS.get(route.kind),
                )
            )
        for vrf, routes in tables.items():
            yield ObservedTable(
                device=device, vrf=vrf, file="", routes=tuple(routes), source="its kernel"
            )

    def hold(self, interfaces: Mapping[str, LinuxInterface], *, ignoring_dead: bool) -> None:
        """Hold what follows from addresses and static routes against what the kernel has."""
        if not self.known:
            return
        implied = {
            key: ports
            for key, ports in _implied(interfaces).items()
            if not ignoring_dead or all(interfaces[name].carrier for name in ports)
        }
        active = {(route.table, route.prefix): route for route in self.active()}
        for (table, prefix), ports in implied.items():
            route = active.get((table, prefix))
            where = f"{prefix} by {', '.join(ports)}"
            if route is None:
                self.unlike.append(f"the kernel has no route to {where}")
            elif (
                route.kind != "unicast"
                or [hop.interface for hop in route.alive] != ports
                or any(hop.address is not None for hop in route.alive)
            ):
                self.unlike.append(f"the kernel prefers another route to {where}")
        for route in active.values():
            if not route.configured:
                self.unlike.append(f"{route.prefix} was learnt by {route.protocol}")
            if any(h.address and h.address.version != route.prefix.version for h in route.hops):
                self.unlike.append(f"the next hop of {route.prefix} is of the other family")


def read_routes(bundle: Bundle, interfaces: Mapping[str, LinuxInterface]) -> RouteTables:
    """The routes of both families; what is not understood of one is named, and it is left out."""
    names = {port.table: name_for(port.name) for port in interfaces.values() if port.table}
    own = {address.ip for port in interfaces.values() for address in port.addresses}
    found = RouteTables(known=bundle.has("route4.json") or bundle.has("route6.json"))
    for version, name in ((4, "route4.json"), (6, "route6.json")):
        for entry in bundle.entries(name):
            route = _route(entry, version, names, interfaces, own)
            if route is not None:
                found.routes.append(route)
    return found


def table_name(number: object, names: Mapping[str, str]) -> str:
    """The VRF by which a table is known."""
    text = str(number)
    if text in _MAIN:
        return DEFAULT_VRF
    return names.get(text) or name_for(f"table-{text}")


def _route(
    entry: Entry,
    version: int,
    names: Mapping[str, str],
    interfaces: Mapping[str, LinuxInterface],
    own: Iterable[Address],
) -> LinuxRoute | None:
    value = entry.value
    prefix = _prefix(value.get("dst"), version)
    if prefix is None:
        entry.unknown(f"{value.get('dst')} is no prefix")
        return None
    kind = str(value.get("type", "unicast"))
    if kind in _NOT_FORWARDED or prefix.is_multicast or prefix.is_link_local:
        return None
    if kind == "local" or str(value.get("table", "")) in _LOCAL:
        if kind == "local" and not prefix.is_loopback and prefix.network_address not in own:
            entry.unknown(f"{prefix} is taken for the host's own though no interface has it")
        return None
    if kind != "unicast" and kind not in _DROPS:
        entry.unknown(f"the route to {prefix} is of type {kind}, which is not modelled")
        return None
    for key, words in (("tos", "a type of service"), ("from", "a source"), ("encap", "a wrapping")):
        if value.get(key) not in (None, "0x0", 0, "all"):
            entry.unknown(f"the route to {prefix} is for {words} ({value[key]}); left out")
            return None
    if value.get("metrics"):
        entry.unknown(f"the route to {prefix} has metrics of its own, which are not modelled")
    metric = value.get("metric", 0)
    if not isinstance(metric, int) or isinstance(metric, bool):
        entry.unknown(f"the metric of {prefix} is no number")
        return None
    if kind == "unreachable" and version == 6 and metric == _LAST_RESORT:
        return None
    hops = _hops(entry, prefix) if kind == "unicast" else ()
    strangers = [hop.interface for hop in hops if hop.interface not in interfaces]
    if strangers:
        entry.unknown(f"the route to {prefix} leaves by {strangers[0]}, which is no interface here")
        return None
    if kind == "unicast" and not hops:
        entry.unknown(f"the route to {prefix} leads nowhere")
        return None
    table = table_name(value.get("table", ""), names)
    return LinuxRoute(table, prefix, kind, hops, metric, str(value.get("protocol", "boot")), entry)


def _prefix(text: Any, version: int) -> Prefix | None:
    if text == "default":
        text = "0.0.0.0/0" if version == 4 else "::/0"
    try:
        found = ipaddress.ip_network(str(text))
    except ValueError:
        return None
    return found if found.version == version else None


def _hops(entry: Entry, prefix: Prefix) -> tuple[Hop, ...]:
    value = entry.value
    several = value.get("nexthops")
    if several is None and isinstance(value.get("nh_info"), dict):
        several = value["nh_info"].get("nexthops")
    found = []
    for one in several if isinstance(several, list) and several else [value]:
        if not isinstance(one, dict):
            continue
        via = one.get("via")
        text = via.get("host") if isinstance(via, dict) else one.get("gateway")
        try:
            address = None if text is None else ipaddress.ip_address(str(text))
        except ValueError:
            entry.unknown(f"the next hop of {prefix} is no address: {text}")
            continue
        flags = [*listed(one.get("flags")), *listed(value.get("flags"))]
        if "dev" in one:
            weight = one.get("weight", 1)
            found.append(
                Hop(
                    str(one["dev"]),
                    address,
                    weight if isinstance(weight, int) and 1 <= weight <= 256 else 1,
                    "dead" in flags,
                )
            )
    return tuple(found)


def _implied(interfaces: Mapping[str, LinuxInterface]) -> dict[tuple[str, Prefix], list[str]]:
    """The connected routes that follow from addresses, by VRF and subnet: the interfaces."""
    found: dict[tuple[str, Prefix], list[str]] = {}
    for port in interfaces.values():
        if not port.enabled:
            continue
        for address in port.addresses:
            if address.network.prefixlen == address.max_prefixlen:
                continue
            names = found.setdefault((vrf_of(port, interfaces), address.network), [])
            if port.name not in names:
                names.append(port.name)
    return found


def vrf_of(port: LinuxInterface, interfaces: Mapping[str, LinuxInterface]) -> str:
    """The VRF whose table an interface uses."""
    master = interfaces.get(port.master or "")
    return name_for(master.name) if master is not None and master.table else DEFAULT_VRF


def _follows(route: LinuxRoute, implied: Mapping[tuple[str, Prefix], list[str]]) -> bool:
    """Whether a route is the connected one of an address."""
    if route.kind != "unicast" or route.protocol != "kernel":
        return False
    ports = implied.get((route.table, route.prefix))
    return ports is not None and all(h.address is None and h.interface in ports for h in route.hops)


def _distances(metrics: list[int]) -> list[int]:
    """Distances in the order of metrics; the same ones as far as they may be."""
    different = sorted(set(metrics))
    if len(different) == 1:
        return [1] * len(metrics)
    if all(1 <= metric <= 254 for metric in different):
        return metrics
    places = {metric: min(place, 254) for place, metric in enumerate(different, start=1)}
    return [places[metric] for metric in metrics]


def _static(
    route: LinuxRoute, distance: int, interfaces: Mapping[str, LinuxInterface], table: str
) -> Iterator[Said]:
    tail = {"distance": distance} if distance != 1 else {}
    remark = f"{route.entry.remark}, {route.protocol}"
    if route.kind in _DROPS:
        yield Said({"to": str(route.prefix), **drop_keys(_DROPS[route.kind]), **tail}, remark)
        return
    for hop in route.hops:
        made: dict[str, Any] = {"to": str(route.prefix)}
        if hop.address is not None and hop.address.version == route.prefix.version:
            made["via"] = str(hop.address)
        made["interface"] = name_for(hop.interface)
        vrf = vrf_of(interfaces[hop.interface], interfaces)
        if vrf != table:
            made["next-vrf"] = vrf
        if hop.weight != 1:
            made["weight"] = hop.weight
        yield Said({**made, **tail}, remark + (", dead" if hop.dead else ""))
