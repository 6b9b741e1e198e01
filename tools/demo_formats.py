"""Writes what no person types of demo-formats/: JSON of YANG models, captures, an MRT table.

Reedfold Pilots is a small network of which only one router has a file of our own language. The
core is known by the JSON of its YANG models, what stands by the water by Linux captures, and the
provider by a table that somebody wrote down.
"""

from __future__ import annotations

import ipaddress
import json
import sys
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from routrel.files.reader import read_texts
from routrel.formats.mrt.writing import write_mrt
from routrel.lens.look import look_at_folder
from routrel.lens.tables import named_tables
from routrel.model.bgp import Announcement
from routrel.model.network import OutsideNeighbour
from routrel.model.observed import ObservedHop, ObservedRoute
from routrel.questions.exporting import computed_tables

FOLDER = Path(__file__).resolve().parent.parent / "demo-formats"
#: The router whose table somebody kept that night, and where.
_READ_FROM, _TABLE = "reed-edge-1", "observed/reed-edge-1.json"
#: When the provider's table is said to have been written: 5 January 2026, 02:00 UTC.
_WRITTEN_AT = 1_767_578_400
_V4 = "ietf-ipv4-unicast-routing"


def main() -> None:
    """Write all of them anew."""
    _json("reedfold/reed-core-1.json", _core())
    for host, files in _CAPTURES.items():
        for name, value in files.items():
            _json(f"waterside/{host}/{name}.json", value)
    (FOLDER / "weirstream.mrt").write_bytes(write_mrt([_provider()], _WRITTEN_AT))
    (FOLDER / _TABLE).unlink(missing_ok=True)
    _json(_TABLE, _read_from_edge())


def _json(path: str, value: object) -> None:
    file = FOLDER / path
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(json.dumps(value, indent=1, ensure_ascii=False) + "\n")


# --- the core, and a table that was read: JSON of YANG models -------------------------------------


def _port(name: str, address: str, description: str) -> dict[str, Any]:
    own = ipaddress.ip_interface(address)
    loopback = own.network.prefixlen == own.network.max_prefixlen
    kind = "softwareLoopback" if loopback else "ethernetCsmacd"
    return {
        "name": name,
        "type": f"iana-if-type:{kind}",
        "description": description,
        "enabled": True,
        "ietf-ip:ipv4": {
            "forwarding": True,
            "address": [{"ip": str(own.ip), "prefix-length": own.network.prefixlen}],
        },
    }


def _core() -> dict[str, Any]:
    static = [
        {f"{_V4}:destination-prefix": prefix, f"{_V4}:next-hop": {f"{_V4}:next-hop-address": way}}
        for prefix, way in (("10.70.1.0/24", "10.70.0.2"), ("10.70.2.0/24", "10.70.0.2"))
    ]
    area = [
        {"name": "lo", "passive": True},
        {"name": "edge", "interface-type": "point-to-point", "cost": 10},
        {"name": "desks", "passive": True, "cost": 5},
    ]
    backbone = {"area-id": str(ipaddress.IPv4Address(0)), "interfaces": {"interface": area}}
    ospf = {"areas": {"area": [backbone]}}
    protocols = [
        {
            "type": "ietf-routing:static",
            "name": "by-hand",
            "static-routes": {f"{_V4}:ipv4": {"route": static}},
        },
        {"type": "ietf-ospf:ospfv2", "name": "inside", "ietf-ospf:ospf": ospf},
    ]
    return {
        "ietf-interfaces:interfaces": {
            "interface": [
                _port("lo", "10.70.255.1/32", "router id"),
                _port("water", "10.70.0.1/30", "to the router by the water"),
                _port("edge", "10.70.9.0/31", "to the way out"),
                _port("desks", "10.70.5.1/24", "the pilots' desks"),
            ]
        },
        "ietf-routing:routing": {
            "router-id": "10.70.255.1",
            "control-plane-protocols": {"control-plane-protocol": protocols},
        },
    }


def _read_from_edge() -> dict[str, Any]:
    """What the way out held that night: what is computed, and a route that somebody typed in."""
    state = look_at_folder(FOLDER, tables=named_tables(["computed"])).state
    if state is None:
        raise SystemExit("the demo has problems")
    (table,) = (one for one in computed_tables(state) if one.device == _READ_FROM)
    typed = ObservedRoute(
        ipaddress.ip_network("10.70.2.0/24"),
        "static",
        (ObservedHop("core", ipaddress.ip_address("10.70.9.0")),),
        0,
    )
    held = [route for route in table.routes if route.protocol != "local"]
    routes = [_entry(route) for route in (*held, typed)]
    rib = {
        "name": "main",
        "address-family": f"{_V4}:ipv4-unicast",
        "default-rib": True,
        "routes": {"route": routes},
    }
    return {
        "ietf-system:system": {"hostname": _READ_FROM},
        "ietf-routing:routing": {"ribs": {"rib": [rib]}},
    }


def _entry(route: ObservedRoute) -> dict[str, Any]:
    """A route as a RIB has it."""
    words = {"connected": "ietf-routing:direct", "static": "ietf-routing:static",
             "ospf": "ietf-ospf:ospfv2", "bgp": "ietf-bgp:bgp"}  # fmt: skip
    way: dict[str, Any] = {"special-next-hop": "blackhole"}
    if route.hops:
        (hop,) = route.hops
        way = {"outgoing-interface": hop.interface}
        if hop.address is not None:
            way[f"{_V4}:next-hop-address"] = str(hop.address)
    made: dict[str, Any] = {
        f"{_V4}:destination-prefix": str(route.prefix),
        "source-protocol": words[route.protocol],
        "active": [None],
        "next-hop": way,
    }
    if route.metric is not None and route.protocol == "ospf":
        made["ietf-ospf:metric"] = route.metric
    return made


# --- by the water: captures of Linux --------------------------------------------------------------


def _addr(name: str, *addresses: str) -> dict[str, Any]:
    own = [ipaddress.ip_interface(address) for address in addresses]
    return {
        "ifname": name,
        "flags": ["BROADCAST", "MULTICAST", "UP", "LOWER_UP"],
        "mtu": 1500,
        "operstate": "UP",
        "addr_info": [
            {
                "family": "inet",
                "local": str(one.ip),
                "prefixlen": one.network.prefixlen,
                "scope": "global",
            }
            for one in own
        ],
    }


def _connected(name: str, address: str) -> dict[str, Any]:
    network = ipaddress.ip_interface(address).network
    return {
        "type": "unicast",
        "dst": str(network),
        "dev": name,
        "protocol": "kernel",
        "scope": "link",
        "flags": [],
    }


def _default(name: str, gateway: str) -> dict[str, Any]:
    return {
        "type": "unicast",
        "dst": "default",
        "gateway": gateway,
        "dev": name,
        "protocol": "static",
        "flags": [],
    }


def _host(address: str, gateway: str) -> dict[str, Any]:
    return {
        "addr": [_addr("eth0", address)],
        "route4": [_connected("eth0", address), _default("eth0", gateway)],
        "route6": [],
        "rule4": [],
        "rule6": [],
        "sysctl": {"net.ipv4.ip_forward": 0},
        "nft": {"nftables": []},
    }


def _rule(handle: int, *statements: dict[str, Any]) -> dict[str, Any]:
    return {
        "rule": {
            "family": "inet",
            "table": "quay",
            "chain": "through",
            "handle": handle,
            "expr": list(statements),
        }
    }


def _is(left: dict[str, Any], right: object) -> dict[str, Any]:
    return {"match": {"op": "==", "left": left, "right": right}}


def _field(protocol: str, name: str) -> dict[str, Any]:
    return {"payload": {"protocol": protocol, "field": name}}


_ACCEPT = {"accept": None}
_BEGUN = {
    "match": {
        "op": "in",
        "left": {"ct": {"key": "state"}},
        "right": ["established", "related"],
    }
}
_ROUTER_PORTS = {"eth0": "10.70.0.2/30", "eth1": "10.70.1.1/24", "eth2": "10.70.2.1/24"}
_RULES = [
    {"table": {"family": "inet", "name": "quay"}},
    {"chain": {"family": "inet", "table": "quay", "name": "through", "handle": 1, "type": "filter",
               "hook": "forward", "prio": 0, "policy": "drop"}},
    _rule(2, _BEGUN, _ACCEPT),
    _rule(3, _is(_field("ip", "daddr"), "10.70.1.10"), _is(_field("udp", "dport"), 514), _ACCEPT),
    _rule(4, _is({"meta": {"key": "iifname"}}, "eth2"), _is(_field("tcp", "dport"), 443), _ACCEPT),
]  # fmt: skip
_CAPTURES: dict[str, dict[str, Any]] = {
    "tide-rtr": {
        "addr": [_addr(name, address) for name, address in _ROUTER_PORTS.items()],
        "route4": [
            *(_connected(name, address) for name, address in _ROUTER_PORTS.items()),
            _default("eth0", "10.70.0.1"),
        ],
        "route6": [],
        "rule4": [],
        "rule6": [],
        "sysctl": {"net.ipv4.ip_forward": 1},
        "nft": {"nftables": _RULES},
    },
    "tide-log": _host("10.70.1.10/24", "10.70.1.1"),
    "tide-cam": _host("10.70.2.10/24", "10.70.2.1"),
}


# --- the provider: an MRT table -------------------------------------------------------------------


def _provider() -> OutsideNeighbour:
    """What the provider's file says of it, with what it announced that night."""
    text = (FOLDER / "weirstream.yaml").read_text()
    (outside,) = read_texts({"weirstream.yaml": text}).network.outside
    wanted = [
        ("0.0.0.0/0", ()),
        ("198.51.100.0/24", (64_499,)),
        ("203.0.113.64/26", (64_499, 64_501)),
    ]
    wanted += [(f"192.0.2.{16 * number}/28", (64_502 + number % 3,)) for number in range(16)]
    announced = tuple(
        Announcement(prefixes=(ipaddress.ip_network(prefix),), as_path=path)
        for prefix, path in wanted
    )
    return OutsideNeighbour(
        name=outside.name,
        autonomous_system=outside.autonomous_system,
        router_id=outside.router_id,
        addresses=outside.addresses,
        announces=announced,
    )


if __name__ == "__main__":
    main()
