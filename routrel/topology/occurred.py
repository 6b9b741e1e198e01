"""What events make of a network: what is not as its files say, for as long as an event says so."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import reduce
from typing import TypeAlias

from routrel.model.addresses import Prefix
from routrel.model.bgp import Announcement
from routrel.model.events import Event, EventKind
from routrel.model.network import Device, Interface, LostNeighbour, Network, OutsideNeighbour, Vrf

__all__ = ["announced_at", "with_events"]

#: What is not announced: protocols and prefixes.
Withheld: TypeAlias = tuple[tuple[str, Prefix], ...]


def with_events(network: Network, events: Iterable[Event]) -> Network:
    """A network as events left it; made once or twice, it is the same.

    Interfaces and sessions that went down are no part of this: their configuration stays, and
    they carry nothing (`topology.failed`).

    Args:
        events: At most one of each thing, with what they name resolved: the neighbour of an
            adjacency is a device, an update is of one address.
    """
    by_device: dict[str, list[Event]] = {}
    by_outside: dict[str, list[Event]] = {}
    for event in events:
        if event.kind is EventKind.BGP_UPDATE:
            by_outside.setdefault(event.outside, []).append(event)
        elif event.kind in _ON_DEVICES:
            by_device.setdefault(event.device, []).append(event)
    if not by_device and not by_outside:
        return network
    return replace(
        network,
        devices=tuple(
            _device(one, by_device[one.name]) if one.name in by_device else one
            for one in network.devices
        ),
        outside=tuple(
            reduce(_updated, by_outside.get(one.name, ()), one) for one in network.outside
        ),
    )


def _device(device: Device, events: list[Event]) -> Device:
    for event in events:
        device = _ON_DEVICES[event.kind](device, event)
    return device


def _interface(device: Device, event: Event) -> Device:
    """One that carries frames again, though its file says that it heard nothing."""
    if not event.on:
        return device
    return _with_interface(device, event.interface, lambda one: replace(one, carrier=True))


def _adjacency(device: Device, event: Event) -> Device:
    lost = LostNeighbour(event.protocol, event.neighbour, str(event), event.place)

    def made(one: Interface) -> Interface:
        others = tuple(
            known
            for known in one.lost
            if (known.protocol, known.neighbour) != (lost.protocol, lost.neighbour)
        )
        return replace(one, lost=others if event.on else (*others, lost))

    return _with_interface(device, event.interface, made)


def _prefix(device: Device, event: Event) -> Device:
    """One whose device does not announce it: at an interface, else in any way."""
    if event.on or event.prefix is None:
        return device
    held = (event.protocol, event.prefix)
    if event.interface:
        return _with_interface(
            device, event.interface, lambda one: replace(one, withheld=_with(one.withheld, held))
        )

    def made(vrf: Vrf) -> Vrf:
        bgp = vrf.bgp
        if bgp is not None and event.protocol == "bgp":
            networks = tuple(one for one in bgp.networks if one.prefix != event.prefix)
            bgp = replace(bgp, networks=networks)
        static = vrf.static
        if event.protocol == "static":
            static = tuple(one for one in static if one.to != event.prefix)
        return replace(vrf, bgp=bgp, static=static, withheld=_with(vrf.withheld, held))

    vrfs = tuple(map(made, device.vrfs))
    return device if vrfs == device.vrfs else replace(device, vrfs=vrfs)


def _cost(device: Device, event: Event) -> Device:
    new = event.new

    def made(one: Interface) -> Interface:
        match event.protocol:
            case "ospf" if one.ospf is not None:
                return replace(one, ospf=replace(one.ospf, cost=new))
            case "ospfv3" if one.ospfv3 is not None:
                return replace(one, ospfv3=replace(one.ospfv3, cost=new))
            case "isis" if one.isis is not None:
                return replace(one, isis=replace(one.isis, metric=new, level_1_metric=None))
            case "rip" if one.rip is not None and new is not None:
                return replace(one, rip=replace(one.rip, cost=new))
            case "ripng" if one.ripng is not None and new is not None:
                return replace(one, ripng=replace(one.ripng, cost=new))
            case _:
                return one

    return _with_interface(device, event.interface, made)


_ON_DEVICES: dict[EventKind, Callable[[Device, Event], Device]] = {
    EventKind.INTERFACE: _interface,
    EventKind.ADJACENCY: _adjacency,
    EventKind.PREFIX: _prefix,
    EventKind.COST: _cost,
}


def _with_interface(device: Device, name: str, make: Callable[[Interface], Interface]) -> Device:
    """A device with another interface of a name; the same one where that comes out equal."""
    own = device.interface(name)
    made = own and make(own)
    if own is None or made is None or made == own:
        return device
    ports = tuple(made if one is own else one for one in device.interfaces)
    return replace(device, interfaces=ports)


def _with(held: Withheld, one: tuple[str, Prefix]) -> Withheld:
    return held if one in held else (*held, one)


# --- outside networks -----------------------------------------------------------------------------


def announced_at(outside: OutsideNeighbour, event: Event) -> Announcement | None:
    """How an outside network announces an update's prefix from the update's address."""
    return next(
        (
            one
            for one in outside.announces
            if event.prefix in one.prefixes and (not one.at or event.at in one.at)
        ),
        None,
    )


def _updated(outside: OutsideNeighbour, event: Event) -> OutsideNeighbour:
    """An outside network after an update from one of its addresses."""
    prefix, at = event.prefix, event.at
    if prefix is None or at is None:
        return outside
    announced = _announcement(outside, event)
    if announced_at(outside, event) == announced:
        return outside
    everywhere = tuple(address.ip for address in outside.addresses)
    made: list[Announcement] = []
    for one in outside.announces:
        if prefix not in one.prefixes or (one.at and at not in one.at):
            made.append(one)
            continue
        rest = tuple(other for other in one.prefixes if other != prefix)
        if rest:
            made.append(replace(one, prefixes=rest))
        others = tuple(address for address in one.at or everywhere if address != at)
        if others:
            made.append(replace(one, prefixes=(prefix,), at=others))
    return replace(outside, announces=(*made, announced) if announced else tuple(made))


def _announcement(outside: OutsideNeighbour, event: Event) -> Announcement | None:
    """What an update announces; None where it withdraws."""
    if not event.on or event.prefix is None or event.at is None:
        return None
    own = event.as_path[:1] == (outside.autonomous_system,)
    return Announcement(
        prefixes=(event.prefix,),
        as_path=event.as_path[1:] if own else event.as_path,
        origin=event.origin,
        med=event.med,
        communities=event.communities,
        at=(event.at,),
        place=event.place,
    )
