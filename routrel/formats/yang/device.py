"""Devices made of their files of YANG data."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, device_text, name_for
from routrel.formats.json_text import BadJson, read_json
from routrel.formats.reports import FileReport
from routrel.formats.yang.acls import read_acls
from routrel.formats.yang.interfaces import YangInterface, read_interfaces
from routrel.formats.yang.policies import Policies, read_policies
from routrel.formats.yang.routing import ROUTING, Routing, read_routing
from routrel.formats.yang.topology import StatedLinks, read_topology
from routrel.formats.yang.tree import Node, root
from routrel.formats.yang.validating import violations
from routrel.model.network import DEFAULT_VRF
from routrel.model.observed import ObservedTable

__all__ = [
    "FORMAT",
    "YangDevice",
    "YangFile",
    "made_device",
    "open_yang",
    "tells_of_devices",
]

FORMAT = "rfc7951"
INSTANCES, SYSTEM = "ietf-network-instance", "ietf-system"
#: Modules whose data are about one device.
_OF_DEVICES = (
    *("ietf-interfaces:interfaces", "ietf-routing:routing", "ietf-access-control-list:acls"),
    *("ietf-network-instance:network-instances", "ietf-system:system"),
    "ietf-routing-policy:routing-policy",
)
_OF_NETWORKS = ("ietf-network:networks", "routrel-lldp:neighbours")


@dataclass(slots=True)
class YangFile:
    """One file, opened."""

    path: str
    data: Node
    report: FileReport
    names: tuple[str, ...]  #: the top-level members
    done: bool = False  #: whether all that it says was taken

    def name_leftovers(self, links: StatedLinks) -> None:
        """Take the links that it names, and name what nobody asked for; once."""
        if self.done:
            return
        self.done = True
        if any(name in _OF_NETWORKS for name in self.names):
            read_topology(self.data, links)
        elif not tells_of_devices(self):
            self.report.refuse("it holds data of no module that is read")
        self.data.name_leftovers()

    def check(self, *, whole: bool) -> None:
        """Say where it is not as its modules have it.

        Args:
            whole: Whether all is in it that it may refer to.
        """
        for violation in violations(self.data.content, whole=whole):
            self.data.note_inside(violation.at, f"not valid by its module: {violation.text}")

    @property
    def hostname(self) -> str | None:
        """What the device is called by its own configuration."""
        system = self.data.child("system", SYSTEM)
        return system.text("hostname") if system else None

    @property
    def has_interfaces(self) -> bool:
        """Whether it says which interfaces there are."""
        return "ietf-interfaces:interfaces" in self.names


def open_yang(path: str, content: bytes, report: FileReport) -> YangFile | None:
    """Open a file of YANG data; None: it holds none, or cannot be read."""
    try:
        text = read_json(content)
    except BadJson as error:
        report.refuse(str(error), error.line)
        return None
    data = root(text, report)
    names = data.member_names if data else ()
    if data is None or not any(":" in name for name in names):
        report.refuse("no data of a YANG model: no member names its module (RFC 7951 4)")
        return None
    return YangFile(path, data, report, names)


def tells_of_devices(file: YangFile) -> bool:
    """Whether a file is about a device."""
    return any(name in _OF_DEVICES for name in file.names)


@dataclass(slots=True)
class YangDevice:
    """A device's file, and the tables that were read from it."""

    text: str
    tables: list[ObservedTable] = field(default_factory=list)
    interfaces: tuple[str, ...] = ()


def made_device(name: str, files: Iterable[YangFile], role: str | None) -> YangDevice:
    """Make a device of its files.

    Args:
        role: That somebody stated; None: by whether it forwards.
    """
    opened = list(files)
    interfaces: dict[str, YangInterface] = {}
    filters: dict[str, dict[str, Any]] = {}
    routing, policies = Routing(), Policies()
    descriptions: dict[str, str] = {}
    for file in opened:
        read_interfaces(file.data, interfaces)
    for file in opened:
        system = file.data.child("system", SYSTEM)
        if system is not None:
            system.ignore("hostname")
        read_acls(file.data, interfaces, filters)
        read_policies(file.data, policies)
        holder = file.data.child("routing", ROUTING)
        if holder is not None:
            read_routing(holder, DEFAULT_VRF, routing)
        _read_instances(file.data, routing, descriptions)
    vrfs = dict.fromkeys(
        name
        for name in (
            *descriptions,
            *(port.vrf for port in interfaces.values()),
            *(vrf for vrf in (*routing.statics, *routing.tables, *routing.protocols)),
        )
        if name != DEFAULT_VRF
    )
    for protocols in routing.protocols.values():
        for missing in dict.fromkeys(protocols.bind(interfaces)):
            opened[0].report.unknown(f"a protocol names {missing}, which is no interface of {name}")
    _add_known_by_tables(interfaces, routing, opened)
    _mend_statics(routing, interfaces, opened[0].report)
    _unbind_missing(interfaces, filters, opened[0].report)
    chosen, families = _role(interfaces, role, opened)
    plain: dict[str, Any] = {"routrel": 1, "device": name, "role": chosen}
    if families:
        plain["forwards"] = families
    if routing.tables and not _is_configured(routing):
        plain["tables"] = Said("known", "nothing tells what its tables come from")
    names = {port.name: name_for(port.name) for port in interfaces.values()}
    if interfaces:
        plain["interfaces"] = {names[port.name]: port.said() for port in interfaces.values()}
    plain.update(routing.of(DEFAULT_VRF).keys())
    if routing.statics.get(DEFAULT_VRF):
        plain["static"] = routing.statics[DEFAULT_VRF]
    if vrfs:
        plain["vrfs"] = {vrf: _vrf(vrf, routing, descriptions) for vrf in vrfs}
    if filters:
        plain["filters"] = filters
    if policies.policies:
        plain["policies"] = policies.policies
    if policies.sets:
        plain["sets"] = policies.sets
    heading = [f"made from {', '.join(file.path for file in opened)}"]
    tables = [
        ObservedTable(device=name, vrf=vrf, file="", routes=tuple(routes.values()), source=FORMAT)
        for vrf, routes in routing.tables.items()
        if routes
    ]
    return YangDevice(device_text(plain, heading), tables, tuple(names.values()))


def _vrf(vrf: str, routing: Routing, descriptions: Mapping[str, str]) -> Any:
    made: dict[str, Any] = {}
    if descriptions.get(vrf):
        made["description"] = descriptions[vrf]
    made.update(routing.of(vrf).keys())
    if routing.statics.get(vrf):
        made["static"] = routing.statics[vrf]
    return made or Said({})


def _read_instances(data: Node, routing: Routing, descriptions: dict[str, str]) -> None:
    """The VRFs of a file, and what is mounted under each (RFC 8529 3.2, RFC 8528)."""
    for node in data.listed("network-instances", "network-instance", INSTANCES):
        name = node.text("name")
        if not name:
            node.unknown("a network instance without a name")
            continue
        if not node.flag("enabled", default=True):
            node.unknown(f"{name} is off, which is not modelled; taken as if it were on")
        vrf = name_for(name)
        descriptions[vrf] = node.text("description") or ""
        mounted = node.child("vrf-root")
        inner = mounted.child("routing", ROUTING) if mounted else None
        if inner is not None:
            read_routing(inner, vrf, routing)


def _is_configured(routing: Routing) -> bool:
    return bool(routing.statics) or any(one.instances for one in routing.protocols.values())


def _add_known_by_tables(
    interfaces: dict[str, YangInterface], routing: Routing, files: list[YangFile]
) -> None:
    """Interfaces that tables alone name: there, and nothing else is known of them."""
    known = {name_for(name) for name in interfaces}
    for vrf, routes in routing.tables.items():
        for name in (hop.interface for route in routes.values() for hop in route.hops):
            if name and name not in known:
                known.add(name)
                interfaces[name] = YangInterface(name, "named by its table alone", vrf=vrf)
                files[0].report.note(f"{name} is known from a table alone")


def _mend_statics(
    routing: Routing, interfaces: Mapping[str, YangInterface], report: FileReport
) -> None:
    """Say in which VRF the interface of a static route is, where that is another one.

    Routes that are given twice, or leave by what is no interface, are named and left out.
    """
    where = {name_for(port.name): port.vrf for port in interfaces.values()}
    for vrf, routes in routing.statics.items():
        kept: dict[str, Said] = {}
        for said in routes:
            made, interface = dict(said.value), said.value.get("interface")
            key = str({name: made[name] for name in made if name not in ("description", "tag")})
            if interface is not None and interface not in where:
                report.unknown(f"{said.remark}: a static route by {interface}, no interface of it")
                continue
            if interface is not None and where[interface] != vrf:
                made["next-vrf"] = where[interface]
            if key in kept:
                report.unknown(
                    f"{said.remark}: the same route is there already, {kept[key].remark}"
                )
                continue
            kept[key] = Said(made, said.remark)
        routing.statics[vrf] = list(kept.values())


def _unbind_missing(
    interfaces: Mapping[str, YangInterface], filters: Mapping[str, object], report: FileReport
) -> None:
    """Filters that interfaces name and that no file has."""
    for port in interfaces.values():
        bound = port.more.get("filters", {})
        for way, names in list(bound.items()):
            listed = [names] if isinstance(names, str) else names
            held = [name for name in listed if name in filters]
            for name in sorted({*listed} - {*held}):
                report.unknown(f"{port.remark}: {port.name} names the filter {name}; there is none")
            if held:
                bound[way] = held[0] if len(held) == 1 else held
            else:
                del bound[way]
        if "filters" in port.more and not bound:
            del port.more["filters"]


def _role(
    interfaces: Mapping[str, YangInterface], stated: str | None, files: list[YangFile]
) -> tuple[str, list[str]]:
    """Whether a device forwards, and of which families only."""
    forwards: dict[int, set[bool]] = {4: set(), 6: set()}
    for port in interfaces.values():
        if port.kind != "loopback":
            for version, on in port.forwards.items():
                forwards[version].add(on)
    families = [f"ipv{version}" for version in (4, 6) if True in forwards[version]]
    for version in (4, 6):
        if len(forwards[version]) > 1:
            off = [p.name for p in interfaces.values() if p.forwards.get(version) is False
                   and p.kind != "loopback"]  # fmt: skip
            files[0].report.unknown(
                f"IPv{version} is forwarded by some interfaces and not by {', '.join(off)}, which "
                "is not modelled; taken to be by all"
            )
    if stated is not None:
        narrowed = stated != "host" and len(families) == 1 and bool(forwards[4] and forwards[6])
        return stated, families if narrowed else []
    if not any(forwards.values()):
        return "router", []  # nothing is said of addresses, so its table alone counts
    both = all(True in forwards[v] for v in (4, 6) if forwards[v])
    return ("router", [] if both else families) if families else ("host", [])
