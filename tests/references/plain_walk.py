"""A slow, plain walk over device files as YAML gives them, written apart from the engine.

It knows connected and static routes, filters, ECMP, TTL and neighbours; it shares no code with the
engine, and looks at everything by trying all of it in turn.
"""

from __future__ import annotations

import ipaddress
from fractions import Fraction
from typing import Any

import yaml

__all__ = ["PlainNetwork"]

Packet = dict[str, Any]


class PlainNetwork:
    """Devices by name, as nested dictionaries."""

    def __init__(self, texts: list[str]) -> None:
        self.devices = {d["device"]: d for d in map(yaml.safe_load, texts)}

    def ports(self, device: str) -> dict[str, Any]:
        return self.devices[device]["interfaces"]

    def up(self, device: str, port: str) -> bool:
        """Enabled; and on a subnet of exactly two ends the other one is enabled too."""
        mine = self.ports(device)[port]
        if not mine.get("enabled", True):
            return False
        ends = self.ends(ipaddress.ip_interface(mine["addresses"][0]).network)
        return len(ends) != 2 or all(self.ports(d)[p].get("enabled", True) for d, p in ends)

    def ends(self, subnet: Any) -> list[tuple[str, str]]:
        return [
            (device, port)
            for device in self.devices
            for port, text in self.ports(device).items()
            if any(ipaddress.ip_interface(a).network == subnet for a in text["addresses"])
        ]

    def owner(self, address: Any, subnet: Any) -> tuple[str, str] | None:
        """Who on a subnet has the address and is up."""
        for device, port in self.ends(subnet):
            here = [ipaddress.ip_interface(a).ip for a in self.ports(device)[port]["addresses"]]
            if address in here and self.up(device, port):
                return device, port
        return None

    def subnet(self, device: str, port: str) -> Any:
        return ipaddress.ip_interface(self.ports(device)[port]["addresses"][0]).network

    def table(self, device: str) -> list[tuple[Any, int, list[tuple[str, Any]] | None]]:
        """(prefix, distance, ways); a way is a port and a next hop; None discards."""
        rows: list[tuple[Any, int, list[tuple[str, Any]] | None]] = []
        rows.extend(
            (self.subnet(device, port), 0, [(port, None)])
            for port in self.ports(device)
            if self.up(device, port)
        )
        groups: dict[tuple[Any, int, bool], list[tuple[str, Any]]] = {}
        statics = list(self.devices[device].get("static", []))
        if "gateway" in self.devices[device]:
            statics.append({"to": "0.0.0.0/0", "via": self.devices[device]["gateway"]})
        for static in statics:
            key = (
                ipaddress.ip_network(static["to"]),
                static.get("distance", 1),
                static.get("discard", False),
            )
            if static.get("discard"):
                groups.setdefault(key, [])
                continue
            via = ipaddress.ip_address(static["via"])
            for port in self.ports(device):
                own = [ipaddress.ip_interface(a).ip for a in self.ports(device)[port]["addresses"]]
                if self.up(device, port) and via in self.subnet(device, port) and via not in own:
                    groups.setdefault(key, []).append((port, via))
        rows.extend((p, d, None if discard else ways) for (p, d, discard), ways in groups.items())
        return rows

    def permits(self, device: str, port: str | None, direction: str, packet: Packet) -> bool:
        name = self.ports(device)[port].get("filters", {}).get(direction) if port else None
        if name is None:
            return True
        found = self.devices[device]["filters"][name]
        for rule in found.get("rules", []):
            action = "permit" if "permit" in rule else "deny"
            if (
                rule[action] in ("any", packet["protocol"])
                and ("from" not in rule or packet["source"] in ipaddress.ip_network(rule["from"]))
                and ("to" not in rule or packet["target"] in ipaddress.ip_network(rule["to"]))
                and ("to-port" not in rule or packet["port"] == rule["to-port"])
            ):
                return action == "permit"
        return found["default"] == "permit"

    def follow(
        self, device: str, port: str | None, packet: Packet, ttl: int, share: Fraction, path: tuple
    ) -> list[tuple[tuple[str, ...], str, Fraction]]:
        """Every branch from here: the devices passed, the verdict, the share."""
        here = (*path, (device, port))
        names = tuple(step[0] for step in here)
        if (device, port) in path:
            return [(names, "looped", share)]
        if not self.permits(device, port, "in", packet):
            return [(names, "filtered", share)]
        mine = [
            ipaddress.ip_interface(a).ip
            for p, text in self.ports(device).items()
            if self.up(device, p)
            for a in text["addresses"]
        ]
        if packet["target"] in mine:
            return [(names, "delivered", share)]
        if port is not None and self.devices[device]["role"] == "host":
            return [(names, "discarded", share)]
        rows = [row for row in self.table(device) if packet["target"] in row[0]]
        if not rows:
            return [(names, "no_route", share)]
        _, _, ways = min(rows, key=lambda row: (-row[0].prefixlen, row[1]))
        if ways is None:
            return [(names, "discarded", share)]
        if port is not None and ttl <= 1:
            return [(names, "ttl_expired", share / len(ways))] * len(ways)
        branches = []
        for out, via in ways:
            part = share / len(ways)
            if not self.permits(device, out, "out", packet):
                branches.append((names, "filtered", part))
                continue
            found = self.owner(via or packet["target"], self.subnet(device, out))
            if found is None or found[0] == device:
                branches.append((names, "next_hop_unresolved", part))
            else:
                left = ttl - (port is not None)
                branches.extend(self.follow(*found, packet, left, part, here))
        return branches
