"""Checks names that filters, steering, translation, zones and virtual routers use."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.model.filters import Action, Filter, FilterUse
from routrel.model.network import Device, Interface, InterfaceKind, Processing
from routrel.model.place import Place
from routrel.model.steering import SteeringUse

__all__ = ["check_forwarding"]


def check_forwarding(device: Device, report: Report) -> None:
    """Report every use of a filter, steering, zone, interface or VRF that the device lacks."""
    _check_filters(device, report)
    _check_steering(device, report)
    _check_zones(device, report)
    _check_matches(device, report)
    for interface in device.interfaces:
        _check_virtual_routers(device, interface, report)


def _known(
    what: str,
    name: str,
    names: Iterable[str],
    hint: str,
    place: Place,
    report: Report,
    device: Device,
) -> None:
    names = set(names)
    if name not in names:
        report.error(
            place,
            f"unknown_{what.lower()}",
            f"{device.name} has no {what} “{name}”",
            closest(name, names) or hint,
        )


def _check_filters(device: Device, report: Report) -> None:
    names = {item.name: item for item in device.filters}

    for item in device.filters:
        _check_asked(device, item, names, report)

    def check(uses: tuple[FilterUse, ...], *, arriving: bool) -> None:
        for use in uses:
            _known("filter", use.filter, names, "add it under filters:", use.place, report, device)
            bound = names.get(use.filter)
            if bound is not None and bound.default is Action.RETURN:
                report.error(
                    use.place,
                    "bad_filter_use",
                    f"filter {use.filter} is bound, and its default comes to no decision",
                    "write default: permit or deny; only filters that others ask may return",
                )
            if arriving and (rule := _asks_for_the_exit(names.get(use.filter))):
                report.error(
                    use.place,
                    "bad_filter_use",
                    f"rule {rule} of filter {use.filter} asks for the interface a packet leaves "
                    "by, which is not known on arrival",
                    "bind the filter to through-traffic, or remove “leaves”",
                )

    for interface in device.interfaces:
        if device.processing is Processing.LINUX:
            for use in interface.filters_in:
                if _asks_for_sessions(names.get(use.filter)):
                    report.error(
                        use.place,
                        "bad_filter_use",
                        f"filter {use.filter} asks for sessions, which with Linux processing are "
                        "not known yet where a packet arrives at an interface",
                        "bind it to arriving-traffic, own-traffic or through-traffic",
                    )
        check(interface.filters_in, arriving=True)
        check(interface.filters_out, arriving=False)
        if interface.kind is InterfaceKind.LOOPBACK and (
            interface.filters_in or interface.filters_out
        ):
            report.error(
                interface.place,
                "bad_filter_use",
                f"no packet arrives or leaves at loopback {interface.name}",
                "bind the filter to another interface, or under own-traffic:",
            )
    check(device.local_traffic.filters_in, arriving=True)
    check(device.local_traffic.filters_out, arriving=False)
    check(device.transit_traffic.filters, arriving=False)
    check(device.arriving_traffic.filters, arriving=True)


def _check_asked(device: Device, item: Filter, names: Mapping[str, Filter], report: Report) -> None:
    """The filters that another one asks."""
    for rule in item.rules:
        if rule.asks is None:
            continue
        hint = "add it under filters:"
        _known("filter", rule.asks, names, hint, rule.place, report, device)
        asked = names.get(rule.asks)
        if asked is not None and asked.stateful:
            report.error(
                rule.place,
                "bad_filter_use",
                f"rule {rule.id} of filter {item.name} asks {rule.asks}, which remembers sessions "
                "for itself",
                "write sessions: true at the filter that is bound",
            )


def _asks_for_the_exit(used: Filter | None) -> int | None:
    """The number of the first rule that names interfaces to leave by; None: none does."""
    rules = used.all_rules if used else ()
    return next((rule.id for rule in rules if rule.match.out_interfaces), None)


def _asks_for_sessions(used: Filter | None) -> bool:
    if used is None:
        return False
    return used.stateful or any(rule.match.connection_states for rule in used.all_rules)


def _check_steering(device: Device, report: Report) -> None:
    names = {item.name for item in device.steerings}
    bound: list[SteeringUse | None] = [interface.steering for interface in device.interfaces]
    bound += [device.local_traffic.steering, device.transit_traffic.steering]
    for use in bound:
        if use is not None:
            hint = "add it under steering:"
            _known("steering", use.steering, names, hint, use.place, report, device)
    vrfs = [vrf.name for vrf in device.vrfs]
    for steering in device.steerings:
        for rule in steering.rules:
            if rule.table is not None:
                hint = "add it under vrfs:"
                _known("VRF", rule.table, vrfs, hint, rule.place, report, device)


def _check_zones(device: Device, report: Report) -> None:
    zones = [zone.name for zone in device.zones]
    filters = [item.name for item in device.filters]
    for interface in device.interfaces:
        if interface.zone is not None:
            hint = "add it under zones:"
            _known("zone", interface.zone, zones, hint, interface.place, report, device)
    for zone in device.zones:
        for way in zone.exits:
            _known("zone", way.name, zones, "add it under zones:", way.place, report, device)
            hint = "add it under filters:"
            _known("filter", way.filter, filters, hint, way.place, report, device)


def _check_matches(device: Device, report: Report) -> None:
    """The interfaces that rules ask for."""
    interfaces = [interface.name for interface in device.interfaces]
    matches = [(rule.match, rule.place) for item in device.filters for rule in item.rules]
    matches += [(rule.match, rule.place) for item in device.steerings for rule in item.rules]
    matches += [(rule.match, rule.place) for rule in device.translation]
    for match, place in matches:
        for name in (*match.in_interfaces, *match.out_interfaces):
            _known("interface", name, interfaces, "", place, report, device)


def _check_virtual_routers(device: Device, interface: Interface, report: Report) -> None:
    own = {address.ip for address in interface.addresses}
    for router in interface.virtual_routers:
        problem = hint = ""
        owned = own.issuperset(router.addresses)
        if router.priority == 255 and not owned:
            problem = "has priority 255, but not its addresses"
            hint = "255 is for the owner of the addresses (RFC 9568 5.2.4); write 254 or less"
        elif owned and router.priority != 255:
            problem = "has addresses that the interface owns, but not priority 255"
            hint = "write priority: 255 (RFC 9568 5.2.4)"
        elif interface.kind is InterfaceKind.LOOPBACK:
            problem, hint = "stands at a loopback", "put it at the interface to the hosts"
        if problem:
            report.error(
                router.place,
                "bad_virtual_router",
                f"virtual router {router.id} of {interface.name} {problem}",
                hint,
            )
