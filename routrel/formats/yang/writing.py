"""Devices as JSON of YANG models; what these have no place for is told by reading it back."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator, Mapping
from typing import Any

from routrel.files.language import DEVICE_FILE
from routrel.files.reader import read_texts
from routrel.formats.reports import ImportReport
from routrel.formats.yang.device import made_device, open_yang
from routrel.model.filters import Action, Filter, Match, PortRange, Rule
from routrel.model.isis import IsisInstance, IsisInterface
from routrel.model.network import (
    DEFAULT_VRF,
    Device,
    Interface,
    InterfaceKind,
    Network,
    StaticRoute,
    Vrf,
)
from routrel.model.ospf import OspfAreaType, OspfInstance, OspfInterface, OspfNetworkType
from routrel.model.reject import Reject
from routrel.model.traffic import ICMP, ICMPV6, TCP, UDP

__all__ = ["device_json", "lost_of", "network_json"]

_TYPES = {
    InterfaceKind.ETHERNET: "iana-if-type:ethernetCsmacd",
    InterfaceKind.POINT_TO_POINT: "iana-if-type:ppp",
    InterfaceKind.LOOPBACK: "iana-if-type:softwareLoopback",
}
_AREAS = {
    OspfAreaType.NORMAL: "normal-area",
    OspfAreaType.STUB: "stub-area",
    OspfAreaType.NSSA: "nssa-area",
}
_NETWORKS = {
    OspfNetworkType.BROADCAST: "broadcast", OspfNetworkType.NON_BROADCAST: "non-broadcast",
    OspfNetworkType.POINT_TO_POINT: "point-to-point",
    OspfNetworkType.MULTIPOINT: "point-to-multipoint",
}  # fmt: skip
_REJECTS = {Reject.UNREACHABLE: "unreachable", Reject.PROHIBITED: "prohibit"}
_LEVELS = {"1": "level-1", "2": "level-2", "1-2": "level-all"}


def device_json(device: Device) -> str:
    """A device as the data of RFC 8343, 8344, 8349, 8519, 8529 and parts of 9129 and 9130."""
    data: dict[str, Any] = {
        "ietf-interfaces:interfaces": {
            "interface": [_interface(device, port) for port in device.interfaces]
        }
    }
    default, *others = device.vrfs
    routing = _routing(device, default)
    if routing:
        data["ietf-routing:routing"] = routing
    if device.filters:
        data["ietf-access-control-list:acls"] = _acls(device)
    if others:
        data["ietf-network-instance:network-instances"] = {
            "network-instance": [_instance(device, vrf) for vrf in others]
        }
    return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def _interface(device: Device, port: Interface) -> dict[str, Any]:
    made: dict[str, Any] = {"name": port.name, "type": _TYPES[port.kind], "enabled": port.enabled}
    if port.description:
        made["description"] = port.description
    if port.bandwidth_bps is not None:
        made["speed"] = str(port.bandwidth_bps)
    if not port.carrier:
        made["oper-status"] = "down"
    if port.vrf != DEFAULT_VRF:
        made["ietf-network-instance:bind-ni-name"] = port.vrf
    for version in (4, 6):
        addresses = [a for a in port.addresses if a.version == version]
        if not addresses:
            continue
        family: dict[str, Any] = {
            "forwarding": device.forwards(version),
            "address": [{"ip": str(a.ip), "prefix-length": a.network.prefixlen} for a in addresses],
        }
        if port.mtu != 1500 and (version == 4 or port.mtu >= 1280):
            family["mtu"] = port.mtu
        made[f"ietf-ip:ipv{version}"] = family
    return made


# --- routing --------------------------------------------------------------------------------------


def _routing(device: Device, vrf: Vrf) -> dict[str, Any]:
    protocols: list[dict[str, Any]] = []
    statics = _statics(device, vrf)
    if statics:
        protocols.append(
            {"type": "ietf-routing:static", "name": "static", "static-routes": statics}
        )
    for key in ("ospf", "ospfv3"):
        instance = getattr(vrf, key)
        if instance is not None:
            protocols.append(_ospf(device, vrf, key, instance))
    if vrf.isis is not None:
        protocols.append(_isis(device, vrf, vrf.isis))
    protocols += (
        _rip(device, vrf, key) for key in ("rip", "ripng") if getattr(vrf, key) is not None
    )
    if not protocols:
        return {}
    return {"control-plane-protocols": {"control-plane-protocol": protocols}}


def _statics(device: Device, vrf: Vrf) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for version in (4, 6):
        module = f"ietf-ipv{version}-unicast-routing"
        groups: dict[str, list[StaticRoute]] = {}
        gateways = [g for g in device.gateways if vrf.name == DEFAULT_VRF]
        for gateway in gateways:
            if gateway.address.version == version:
                to = "0.0.0.0/0" if version == 4 else "::/0"
                hop = {"next-hop-address": str(gateway.address)}
                found.setdefault(f"{module}:ipv{version}", {"route": []})["route"].append(
                    {"destination-prefix": to, "next-hop": hop}
                )
        for route in vrf.static:
            if route.to.version == version and not route.pass_on:
                groups.setdefault(str(route.to), []).append(route)
        for to, routes in groups.items():
            made = {"destination-prefix": to, "next-hop": _hop(routes)}
            if routes[0].description:
                made["description"] = routes[0].description
            found.setdefault(f"{module}:ipv{version}", {"route": []})["route"].append(made)
    return found


def _hop(routes: list[StaticRoute]) -> dict[str, Any]:
    first = routes[0]
    if first.discard:
        return {"special-next-hop": "blackhole"}
    if first.reject is not None:
        return {"special-next-hop": _REJECTS[first.reject]}
    ways = [_way(route) for route in routes if not route.drops]
    if len(ways) == 1:
        return ways[0]
    return {
        "next-hop-list": {
            "next-hop": [{"index": str(n), **way} for n, way in enumerate(ways, start=1)]
        }
    }


def _way(route: StaticRoute) -> dict[str, Any]:
    made = {}
    if route.interface is not None:
        made["outgoing-interface"] = route.interface
    if route.via is not None:
        made["next-hop-address"] = str(route.via)
    return made


def _ospf(device: Device, vrf: Vrf, key: str, instance: OspfInstance) -> dict[str, Any]:
    body: dict[str, Any] = {
        "address-family": "ietf-routing:ipv4" if key == "ospf" else "ietf-routing:ipv6"
    }
    if instance.router_id is not None:
        body["explicit-router-id"] = str(instance.router_id)
    if instance.distance is not None:
        body["preference"] = {"all": instance.distance}
    areas: dict[str, dict[str, Any]] = {}
    for port in _ports(device, vrf):
        settings: OspfInterface | None = getattr(port, key)
        if settings is None:
            continue
        area = areas.setdefault(str(settings.area), {"area-id": _dotted(settings.area)})
        area.setdefault("interfaces", {"interface": []})["interface"].append(
            _ospf_interface(port, settings)
        )
    for own in instance.areas:
        area = areas.setdefault(str(own.id), {"area-id": _dotted(own.id)})
        kind = own.type
        plain = {
            OspfAreaType.TOTALLY_STUB: OspfAreaType.STUB,
            OspfAreaType.TOTALLY_NSSA: OspfAreaType.NSSA,
        }
        if kind is not OspfAreaType.NORMAL:
            area["area-type"] = f"ietf-ospf:{_AREAS[plain.get(kind, kind)]}"
            area["summary"] = kind not in plain
            area["default-cost"] = own.default_cost
        if own.ranges:
            area["ranges"] = {
                "range": [
                    {
                        "prefix": str(one.prefix),
                        "advertise": one.advertise,
                        **({} if one.cost is None else {"cost": one.cost}),
                    }
                    for one in own.ranges
                ]
            }
    body["areas"] = {"area": list(areas.values())}
    kind_name = "ospfv2" if key == "ospf" else "ospfv3"
    return {"type": f"ietf-ospf:{kind_name}", "name": key, "ietf-ospf:ospf": body}


def _dotted(area: int) -> str:
    return ".".join(str(area >> shift & 255) for shift in (24, 16, 8, 0))


def _ospf_interface(port: Interface, settings: OspfInterface) -> dict[str, Any]:
    made: dict[str, Any] = {"name": port.name}
    if settings.network_type is not None:
        made["interface-type"] = _NETWORKS[settings.network_type]
    if settings.passive:
        made["passive"] = True
    if settings.cost is not None:
        made["cost"] = settings.cost
    if settings.priority != 1:
        made["priority"] = settings.priority
    if settings.hello_interval_s is not None:
        made["hello-interval"] = settings.hello_interval_s
    if settings.dead_interval_s is not None:
        made["dead-interval"] = settings.dead_interval_s
    if not settings.mtu_check:
        made["mtu-ignore"] = True
    return made


def _isis(device: Device, vrf: Vrf, instance: IsisInstance) -> dict[str, Any]:
    net = str(instance.net).split(".")
    body: dict[str, Any] = {
        "system-id": ".".join(net[-4:-1]),
        "area-address": [".".join(net[:-4])],
        "level-type": _LEVELS[instance.level.value],
        "metric-type": {"value": "wide-only"},
        "interfaces": {"interface": []},
    }
    if instance.distance is not None:
        body["preference"] = {"default": instance.distance}
    if instance.overload:
        body["overload"] = {"status": True}
    for port in _ports(device, vrf):
        settings: IsisInterface | None = port.isis
        if settings is None:
            continue
        made: dict[str, Any] = {"name": port.name}
        if settings.level is not None:
            made["level-type"] = _LEVELS[settings.level.value]
        if settings.network_type is not None:
            made["interface-type"] = settings.network_type.value
        if settings.passive:
            made["passive"] = True
        if settings.metric is not None:
            made["metric"] = {"value": settings.metric}
        if settings.priority != 64:
            made["priority"] = {"value": settings.priority}
        if settings.tag:
            made["tag"] = settings.tag
        body["interfaces"]["interface"].append(made)
    return {"type": "ietf-isis:isis", "name": "isis", "ietf-isis:isis": body}


def _rip(device: Device, vrf: Vrf, key: str) -> dict[str, Any]:
    instance = getattr(vrf, key)
    body: dict[str, Any] = {"interfaces": {"interface": []}}
    if instance.distance is not None:
        body["distance"] = {"default": instance.distance}
    if instance.default_route is not None:
        body["originate-default-route"] = {"enabled": True}
    for port in _ports(device, vrf):
        settings = getattr(port, key)
        if settings is None:
            continue
        made: dict[str, Any] = {"interface": port.name}
        if settings.passive:
            made["passive"] = [None]
        if settings.cost != 1:
            made["cost"] = settings.cost
        body["interfaces"]["interface"].append(made)
    kind = "ripv2" if key == "rip" else "ripng"
    return {"type": f"ietf-rip:{kind}", "name": key, "ietf-rip:rip": body}


def _ports(device: Device, vrf: Vrf) -> Iterator[Interface]:
    return (port for port in device.interfaces if port.vrf == vrf.name)


def _instance(device: Device, vrf: Vrf) -> dict[str, Any]:
    made: dict[str, Any] = {"name": vrf.name, "vrf-root": {}}
    if vrf.description:
        made["description"] = vrf.description
    routing = _routing(device, vrf)
    if routing:
        made["vrf-root"] = {"ietf-routing:routing": routing}
    return made


# --- filters --------------------------------------------------------------------------------------


def _acls(device: Device) -> dict[str, Any]:
    made: dict[str, Any] = {"acl": [_acl(each) for each in device.filters]}
    points = []
    for port in device.interfaces:
        point: dict[str, Any] = {"interface-id": port.name}
        for direction, uses in (("ingress", port.filters_in), ("egress", port.filters_out)):
            if uses:
                point[direction] = {"acl-sets": {"acl-set": [{"name": u.filter} for u in uses]}}
        if len(point) > 1:
            points.append(point)
    if points:
        made["attachment-points"] = {"interface": points}
    return made


def _acl(packet_filter: Filter) -> dict[str, Any]:
    entries = []
    for rule in packet_filter.rules:
        for number, match in enumerate(_matches(rule)):
            name = rule.description or str(rule.id)
            action = "accept" if rule.action is Action.PERMIT else "drop"
            entries.append(
                {
                    "name": name if not number else f"{name} {number + 1}",
                    "matches": match,
                    "actions": {"forwarding": f"ietf-access-control-list:{action}"},
                }
            )
    if packet_filter.default is Action.PERMIT:
        entries.append(
            {
                "name": "default",
                "matches": {},
                "actions": {"forwarding": "ietf-access-control-list:accept"},
            }
        )
    # Our filters are for both families; a type for one would let the other pass.
    kind = "ietf-access-control-list:mixed-eth-ipv4-ipv6-acl-type"
    return {"name": packet_filter.name, "type": kind, "aces": {"ace": entries}}


def _matches(rule: Rule) -> Iterator[dict[str, Any]]:
    """The matches of a rule: one for each pair of addresses and ports that it names."""
    match = rule.match
    if rule.action not in (Action.PERMIT, Action.DENY) or _is_beyond(match):
        return
    for source in match.sources or (None,):
        for destination in match.destinations or (None,):
            versions = {one.version for one in (source, destination) if one is not None}
            if len(versions) > 1:
                continue
            for from_port in match.source_ports or (None,):
                for to_port in match.destination_ports or (None,):
                    yield _match(match, source, destination, from_port, to_port, versions)


def _is_beyond(match: Match) -> bool:
    """Whether a match asks for what RFC 8519 has no place for."""
    several = max(len(match.icmp_types), len(match.icmp_codes), len(match.dscps)) > 1
    return several or bool(
        match.fragments
        or match.connection_states
        or match.marks
        or match.flags_clear
        or len(match.in_interfaces) > 1
        or len(match.out_interfaces) > 1
        or (
            (match.protocol is not None and match.protocol not in (TCP, UDP, ICMP, ICMPV6))
            and not (match.sources or match.destinations)
        )
    )


def _match(
    match: Match,
    source: Any,
    destination: Any,
    from_port: PortRange | None,
    to_port: PortRange | None,
    versions: Collection[int],
) -> dict[str, Any]:
    made: dict[str, Any] = {}
    version = next(iter(versions), None)
    if version is None and (match.dscps or match.protocol in (ICMP, ICMPV6)):
        version = 6 if match.protocol == ICMPV6 else 4
    layer: dict[str, Any] = {}
    if match.dscps:
        layer["dscp"] = match.dscps[0]
    if match.protocol is not None and version is not None:
        layer["protocol"] = match.protocol
    for end, prefix in (("source", source), ("destination", destination)):
        if prefix is not None:
            layer[f"{end}-ipv{version}-network"] = str(prefix)
    if layer:
        made[f"ipv{version}"] = layer
    word = {TCP: "tcp", UDP: "udp", ICMP: "icmp", ICMPV6: "icmp"}.get(match.protocol or -1)
    if word in ("tcp", "udp"):
        inner: dict[str, Any] = {}
        for end, ports in (("source-port", from_port), ("destination-port", to_port)):
            if ports is not None:
                inner[end] = _ports_of(ports)
        if match.flags_set:
            inner["flags"] = " ".join(match.flags_set)
        made[word] = inner
    elif word == "icmp":
        inner = {}
        if match.icmp_types:
            inner["type"] = match.icmp_types[0]
        if match.icmp_codes:
            inner["code"] = match.icmp_codes[0]
        made[word] = inner
    if match.in_interfaces:
        made["ingress-interface"] = match.in_interfaces[0]
    if match.out_interfaces:
        made["egress-interface"] = match.out_interfaces[0]
    return made


def _ports_of(ports: PortRange) -> dict[str, Any]:
    if ports.first == ports.last:
        return {"operator": "eq", "port": ports.first}
    return {"lower-port": ports.first, "upper-port": ports.last}


# --- the network, and what is lost ----------------------------------------------------------------


def network_json(links: Mapping[str, tuple[tuple[str, str], tuple[str, str]]]) -> str:
    """Links as a topology (RFC 8345): each both ways.

    Args:
        links: By name: the two ends, device and interface.
    """
    points: dict[str, dict[str, None]] = {}
    listed = []
    for name, (one, other) in links.items():
        for device, interface in (one, other):
            points.setdefault(device, {})[interface] = None
        for suffix, (a, b) in (("", (one, other)), ("-back", (other, one))):
            listed.append(
                {
                    "link-id": f"{name}{suffix}",
                    "source": {"source-node": a[0], "source-tp": a[1]},
                    "destination": {"dest-node": b[0], "dest-tp": b[1]},
                }
            )
    nodes = [
        {
            "node-id": device,
            "ietf-network-topology:termination-point": [{"tp-id": name} for name in names],
        }
        for device, names in points.items()
    ]
    network = {
        "network-id": "physical",
        "network-types": {},
        "node": nodes,
        "ietf-network-topology:link": listed,
    }
    data = {"ietf-network:networks": {"network": [network]}}
    return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def lost_of(device: Device, text: str) -> Iterator[str]:
    """What a device's data do not tell again, each by its place in the device file."""
    report = ImportReport()
    path = f"{device.name}.json"
    opened = open_yang(path, text.encode(), report.file(path))
    if opened is None:
        raise ValueError("what was written cannot be read")
    made = made_device(device.name, [opened], device.role.value)
    network: Network = read_texts({"d.yaml": made.text}).network
    again = network.device(device.name)
    before, after = (DEVICE_FILE.write(each) if each else {} for each in (device, again))
    yield from _differences(before, after, device.name)


#: Places at which a device reads otherwise and means the same.
_NO_LOSS = ("description", "gateway")


def _differences(before: Any, after: Any, path: str) -> Iterator[str]:
    if isinstance(before, dict):
        other = after if isinstance(after, dict) else {}
        for key, value in before.items():
            if key not in _NO_LOSS and value != other.get(key):
                yield from _differences(value, other.get(key), f"{path} {key}")
    elif isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        for number, (one, two) in enumerate(zip(before, after, strict=True), start=1):
            if one != two:
                yield from _differences(one, two, f"{path} #{number}")
    else:
        yield path
