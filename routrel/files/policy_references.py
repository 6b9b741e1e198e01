"""Checks that policies and sets named anywhere in a device file are defined in it."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.model.network import INTERFACE_PROTOCOLS, Device, protocol_title
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import Redistribution, RouteSource

__all__ = ["check_policies"]

#: Sources whose routes are of one family alone.
_ONLY_IPV4 = {RouteSource.RIP, RouteSource.OSPF}
_ONLY_IPV6 = {RouteSource.RIPNG, RouteSource.OSPFV3}


def check_policies(device: Device, report: Report) -> None:
    """Report uses of unknown policies and sets, and redistribution that can never take place."""
    policies = {policy.name for policy in device.policies}
    for use in _uses(device):
        if use.policy not in policies:
            report.error(
                use.place,
                "unknown_policy",
                f"{device.name} has no policy “{use.policy}”",
                closest(use.policy, policies) or "add it under policies:",
            )
    known = {
        "prefix": {item.name for item in device.prefix_sets},
        "tag": {item.name for item in device.tag_sets},
    }
    for policy in device.policies:
        for statement in policy.statements:
            used = statement.conditions
            for kind, names in (("prefix", used.prefix_sets), ("tag", used.tag_sets)):
                for name in names:
                    if name not in known[kind]:
                        report.error(
                            statement.place,
                            "unknown_set",
                            f"{device.name} has no {kind} set “{name}”",
                            closest(name, known[kind]) or "add it under sets:",
                        )
    for key, item in _redistributions(device):
        problem = _impossible(key, item)
        if problem:
            report.error(item.place, "bad_redistribution", problem, "remove it")


def _redistributions(device: Device) -> Iterator[tuple[str, Redistribution]]:
    for vrf in device.vrfs:
        for key in INTERFACE_PROTOCOLS:
            instance = getattr(vrf, key)
            for item in instance.redistribute if instance else ():
                yield key, item


def _impossible(key: str, item: Redistribution) -> str:
    source = item.source.value
    if source == key:
        return f"{protocol_title(key)} cannot take routes from itself"
    four, six = key in ("rip", "ospf"), key in ("ripng", "ospfv3")
    if (four and item.source in _ONLY_IPV6) or (six and item.source in _ONLY_IPV4):
        return (
            f"{protocol_title(key)} and {protocol_title(source)} carry different address families"
        )
    return ""


def _uses(device: Device) -> Iterator[PolicyUse]:
    found: list[PolicyUse | None] = [item.policy for _, item in _redistributions(device)]
    for vrf in device.vrfs:
        found += [ospf.import_policy for ospf in (vrf.ospf, vrf.ospfv3) if ospf]
        if vrf.isis:
            found += [vrf.isis.leak_up, vrf.isis.leak_down]
    for interface in device.interfaces:
        for settings in (interface.rip, interface.ripng, interface.eigrp):
            if settings:
                found += [settings.import_policy, settings.export_policy]
    return (use for use in found if use is not None)
