"""Checks names across files: what is used must be defined somewhere."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Mapping

from routrel.files.forwarding_references import check_forwarding
from routrel.files.policy_references import check_policies
from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.model.network import (
    DEFAULT_VRF,
    INTERFACE_PROTOCOLS,
    Device,
    Interface,
    InterfaceKind,
    Network,
    StaticRoute,
    Vrf,
    protocol_title,
)

__all__ = ["check_devices", "check_references"]


def check_references(network: Network, report: Report) -> None:
    """Report every use of a site, device, interface, filter or VRF that does not exist."""
    check_devices(network.devices, network, report)
    devices = {device.name: device for device in network.devices}
    report.device = None
    _check_links(network, devices, report)
    _check_observed(network, devices, report)
    _check_risk_groups(network, devices, report)
    _check_names(network, devices, report)
    _check_groups(network, devices, report)


def _check_observed(network: Network, devices: Mapping[str, Device], report: Report) -> None:
    """The devices and VRFs whose tables were read."""
    for table in network.observed:
        device = devices.get(table.device)
        if device is None:
            report.error(
                table.place,
                "unknown_device",
                f"a table was read from {table.device}, and there is no such device",
                closest(table.device, devices) or "write a device file, with its interfaces",
            )
        elif device.vrf(table.vrf) is None:
            vrfs = [vrf.name for vrf in device.vrfs]
            report.error(
                table.place,
                "unknown_vrf",
                f"{table.device} has no VRF “{table.vrf}”",
                closest(table.vrf, set(vrfs) - {DEFAULT_VRF}) or "add it under vrfs:",
            )


def check_devices(devices: Iterable[Device], network: Network, report: Report) -> None:
    """The names that some devices use."""
    sites = {site.name for site in network.sites}
    for device in devices:
        report.device = device.name
        if device.site is not None and device.site not in sites:
            report.error(
                device.place,
                "unknown_site",
                f"{device.name} stands at site “{device.site}”, which no network file names",
                closest(device.site, sites) or "add it under sites: in network.yaml",
            )
        _check_device(device, report)


def _check_device(device: Device, report: Report) -> None:
    check_forwarding(device, report)
    vrfs = {vrf.name: vrf for vrf in device.vrfs}
    interfaces = {interface.name: interface for interface in device.interfaces}
    for interface in device.interfaces:
        if interface.vrf not in vrfs:
            report.error(
                interface.place,
                "unknown_vrf",
                f"{device.name} has no VRF “{interface.vrf}”",
                closest(interface.vrf, set(vrfs) - {DEFAULT_VRF}) or "add it under vrfs:",
            )
        else:
            _check_protocols(device, interface, vrfs[interface.vrf], report)
        _check_unnumbered(device, interface, report)
    check_policies(device, report)
    for vrf in device.vrfs:
        for route in vrf.static:
            if route.next_vrf is not None and route.next_vrf not in vrfs:
                report.error(
                    route.place,
                    "unknown_vrf",
                    f"{device.name} has no VRF “{route.next_vrf}”",
                    closest(route.next_vrf, vrfs),
                )
            if route.interface is None:
                continue
            known = interfaces.get(route.interface)
            if known is None:
                report.error(
                    route.place,
                    "unknown_interface",
                    f"{device.name} has no interface “{route.interface}”",
                    closest(route.interface, interfaces),
                )
            elif known.vrf != (route.next_vrf or vrf.name):
                report.error(
                    route.place,
                    "wrong_vrf",
                    f"interface {route.interface} belongs to VRF {known.vrf}, "
                    f"the route to VRF {route.next_vrf or vrf.name}",
                    f"move one of the two, or write next-vrf: {known.vrf}",
                )
        for leak in vrf.leaks:
            if leak.source == vrf.name or leak.source not in vrfs:
                is_own = leak.source == vrf.name
                report.error(
                    leak.place,
                    "bad_leak" if is_own else "unknown_vrf",
                    f"VRF {vrf.name} takes routes from itself"
                    if is_own
                    else f"{device.name} has no VRF “{leak.source}”",
                    "name another VRF" if is_own else closest(leak.source, vrfs),
                )
        _check_duplicates(vrf, report)
        _check_sources(device, vrf, report)


def _check_sources(device: Device, vrf: Vrf, report: Report) -> None:
    """The interfaces whose addresses BGP sessions use."""
    for settings in (*vrf.bgp.groups, *vrf.bgp.neighbours) if vrf.bgp else ():
        if settings.source is None:
            continue
        interface = device.interface(settings.source)
        if interface is None:
            report.error(
                settings.place,
                "unknown_interface",
                f"{device.name} has no interface “{settings.source}”",
                closest(settings.source, [i.name for i in device.interfaces]),
            )
        elif interface.vrf != vrf.name:
            report.error(
                settings.place,
                "wrong_vrf",
                f"interface {interface.name} belongs to VRF {interface.vrf}, the session to VRF "
                f"{vrf.name}",
                "name an interface of the VRF",
            )


def _check_duplicates(vrf: Vrf, report: Report) -> None:
    """The same static route twice: one of the two was meant otherwise."""
    seen: dict[object, StaticRoute] = {}
    for route in vrf.static:
        key = (route.to, route.via, route.interface, route.next_vrf, route.drops, route.distance)
        first = seen.get(key)
        if first is None:
            seen[key] = route
        else:
            report.error(
                route.place,
                "duplicate_static",
                f"the same route to {route.to} already stands in line {first.place.line}",
                "remove one of the two",
            )


def _check_protocols(device: Device, interface: Interface, vrf: Vrf, report: Report) -> None:
    """What an interface runs, its VRF must run too."""
    for key in INTERFACE_PROTOCOLS:
        settings = getattr(interface, key)
        if settings is not None and getattr(vrf, key) is None:
            where = "" if vrf.name == DEFAULT_VRF else f" in VRF {vrf.name}"
            report.error(
                settings.place,
                f"{key}_missing",
                f"{interface.name} runs {protocol_title(key)}, but {device.name} has no "
                f"“{key}:”{where}",
                f"add {key}: to the device",
            )


def _check_unnumbered(device: Device, interface: Interface, report: Report) -> None:
    if interface.unnumbered is None:
        return
    lender = device.interface(interface.unnumbered)
    problem = ""
    if interface.addresses:
        problem = f"{interface.name} has addresses and also borrows some"
    elif lender is None:
        problem = f"{device.name} has no interface “{interface.unnumbered}”"
    elif lender.vrf != interface.vrf:
        problem = f"{interface.name} borrows from {lender.name}, which is in another VRF"
    elif not lender.addresses:
        problem = f"{interface.name} borrows from {lender.name}, which has no address"
    if problem:
        report.error(interface.place, "bad_unnumbered", problem, "name an interface with addresses")


def _check_risk_groups(network: Network, devices: dict[str, Device], report: Report) -> None:
    outside = [neighbour.name for neighbour in network.outside]
    links = {link.name for link in network.links}
    links |= {
        str(address.network)
        for device in network.devices
        for interface in device.interfaces
        for address in interface.addresses
    }
    for group in network.risk_groups:
        named = (
            ("unknown_device", "device", group.devices, devices),
            ("unknown_link", "link", group.links, links),
            ("unknown_outside", "outside network", group.lines, outside),
        )
        for code, what, names, known in named:
            for name in names:
                if name not in known:
                    text = f"{group.name}: there is no {what} “{name}”"
                    report.error(group.place, code, text, closest(name, known))
        for end in group.interfaces:
            device = devices.get(end.device)
            if device is None or device.interface(end.interface) is None:
                interfaces = [f"{end.device}:{i.name}" for i in device.interfaces] if device else []
                text = f"there is no interface “{end}”"
                hint = closest(str(end), interfaces or devices)
                report.error(end.place, "unknown_interface", text, hint)


def _check_links(network: Network, devices: dict[str, Device], report: Report) -> None:
    used: dict[tuple[str, str], str] = {}
    for link in network.links:
        for end in link.ends:
            device = devices.get(end.device)
            if device is None:
                report.error(
                    end.place,
                    "unknown_device",
                    f"there is no device “{end.device}”",
                    closest(end.device, devices),
                )
                continue
            interface = device.interface(end.interface)
            if interface is None:
                report.error(
                    end.place,
                    "unknown_interface",
                    f"{end.device} has no interface “{end.interface}”",
                    closest(end.interface, [i.name for i in device.interfaces]),
                )
            elif interface.kind is InterfaceKind.LOOPBACK:
                report.error(
                    end.place, "bad_link", f"{end} is a loopback", "loopbacks have no link"
                )
            key = (end.device, end.interface)
            if key in used:
                report.error(
                    end.place,
                    "bad_link",
                    f"{end} is already an end of link {used[key]}",
                    "an interface has one link; name all its ends there",
                )
            used.setdefault(key, link.name)


def _check_names(network: Network, devices: dict[str, Device], report: Report) -> None:
    """A name that is a device's too must be one of that device's addresses."""
    for named in network.names:
        device = devices.get(named.name)
        if device is None:
            continue
        own = {address.ip for port in device.interfaces for address in port.addresses}
        strange = next((address for address in named.addresses if address not in own), None)
        if strange is not None:
            report.error(
                named.place,
                "name_taken",
                f"{named.name} is a device, which has no address {strange}",
                "give the address another name, or the device that address",
            )


def _check_groups(network: Network, devices: dict[str, Device], report: Report) -> None:
    named = {named.name for named in network.names}
    for group in network.groups:
        for member in group.members:
            name = member.partition(":")[0]
            if member in devices or name in devices or member in named:
                continue
            try:
                ipaddress.ip_network(member)
            except ValueError:
                report.error(
                    group.place,
                    "unknown_member",
                    f"group {group.name}: “{member}” is neither a device nor a name nor a prefix",
                    closest(member, (*devices, *named)),
                )
