"""What there is: sites, devices, segments and outside neighbours, as plain data for charts."""

from __future__ import annotations

from collections import Counter

from routrel.convergence.converge import State
from routrel.model.network import Device
from routrel.questions.answers import Json, place_data
from routrel.topology.segments import Attachment, Segment

__all__ = ["chart_data", "device_data"]


def chart_data(state: State) -> Json:
    """Sites, devices, segments with two or more ends, and outside neighbours.

    A segment's end carries its own costs outward, so that both directions can be seen.
    """
    costs = _costs(state)

    def end_data(end: Attachment) -> Json:
        return {
            "device": end.device.name,
            "interface": end.interface.name,
            "addresses": [str(address) for address in end.interface.addresses],
            "up": state.topology.is_up(*end.key),
            "costs": costs.get(end.key, []),
            "mtu": end.interface.mtu,
            "bandwidth_bps": end.interface.bandwidth_bps,
            **place_data(end.interface.place),
        }

    def segment_data(segment: Segment) -> Json:
        return {
            "id": segment.id,
            "name": segment.name,
            "stated": segment.stated,
            "ends": [end_data(end) for end in segment.ends],
            "outside": [
                {"name": end.neighbour.name, "address": str(end.address)} for end in segment.outside
            ],
        }

    severities: dict[str, Counter[str]] = {}
    for finding in state.findings:
        if finding.device is not None:
            severities.setdefault(finding.device, Counter())[finding.severity.value] += 1
    return {
        "sites": [
            {"name": site.name, "title": site.title or site.name, "description": site.description}
            for site in state.network.sites
        ],
        "devices": [
            {
                "name": device.name,
                "role": device.role.value,
                "site": device.site,
                "description": device.description,
                "addresses": _addresses(device),
                "interfaces": len(device.interfaces),
                "errors": severities.get(device.name, Counter())["error"],
                "warnings": severities.get(device.name, Counter())["warning"],
                **place_data(device.place),
            }
            for device in state.network.devices
        ],
        "segments": [
            segment_data(segment)
            for segment in state.topology.segments
            if len(segment.ends) + len(segment.outside) > 1
        ],
        "outside": [
            {
                "name": outside.name,
                "title": outside.title or outside.name,
                "description": outside.description,
                "prefixes": [str(prefix) for prefix in outside.prefixes],
            }
            for outside in state.network.outside
        ],
    }


def _addresses(device: Device) -> list[str]:
    return [str(own.ip) for interface in device.interfaces for own in interface.addresses]


def _costs(state: State) -> dict[tuple[str, str], list[Json]]:
    """What each interface counts outward, by protocol and area or level; passive ones do not."""
    found: dict[tuple[str, str], list[Json]] = {}
    for protocol, result in state.results.items():
        for one in result.costs():
            entry = {"protocol": protocol.id, "where": one.where, "cost": one.cost}
            found.setdefault(one.key, []).append(entry)
    return found


def device_data(state: State, device: Device) -> Json:
    """One device with its interfaces."""
    neighbours = {
        interface.name: [str(end) for end in state.topology.neighbours(device.name, interface.name)]
        for interface in device.interfaces
    }
    return {
        "name": device.name,
        "role": device.role.value,
        "site": device.site,
        "description": device.description,
        **place_data(device.place),
        "interfaces": [
            {
                "name": interface.name,
                "kind": interface.kind.value,
                "description": interface.description,
                "enabled": interface.enabled,
                "up": state.topology.is_up(device.name, interface.name),
                "vrf": interface.vrf,
                "addresses": [str(address) for address in interface.addresses],
                "mtu": interface.mtu,
                "filters_in": [use.filter for use in interface.filters_in],
                "filters_out": [use.filter for use in interface.filters_out],
                "neighbours": neighbours[interface.name],
                **place_data(interface.place),
            }
            for interface in device.interfaces
        ],
    }
