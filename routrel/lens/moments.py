"""A network at a moment: which events count then, and what each of them changes.

Each thing is as the last event about it says, by the events' times; of several in one microsecond
the one that was told last. Without one it is as the files say.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import (
    Callable,
    Collection,
    Hashable,
    Iterable,
    Iterator,
    Mapping,
    Sequence,
)
from dataclasses import dataclass, field, replace
from enum import StrEnum
from ipaddress import ip_address

from routrel.lens.link_states import (
    lsp_events,
    originator,
    others_at,
    own_id,
    router_lsa_events,
)
from routrel.model.addresses import Address
from routrel.model.events import Event, EventKind
from routrel.model.network import (
    Device,
    Interface,
    InterfaceKind,
    Network,
    OutsideNeighbour,
    Vrf,
    protocol_title,
)
from routrel.protocols.isis.adjacency import DEFAULT_METRIC
from routrel.protocols.ospf.speakers import output_cost
from routrel.topology.occurred import announced_at
from routrel.topology.segments import Attachment, build_topology

__all__ = ["NOTHING_TOLD", "Effect", "Situation", "Timeline", "Told"]

#: Other names of protocols that events may use.
_ALIASES = {"ospfv2": "ospf", "ospf2": "ospf", "ospf3": "ospfv3", "is-is": "isis"}
_ID_TITLES = {EventKind.ROUTER_LSA: "router id", EventKind.LSP: "system id"}
_WITH_ADJACENCIES = ("ospf", "ospfv3", "isis", "eigrp")
_WITH_COSTS = ("ospf", "ospfv3", "isis", "rip", "ripng")
_AT_INTERFACES = ("ospf", "ospfv3", "isis", "eigrp", "rip", "ripng")
_WITH_PREFIXES = (*_AT_INTERFACES, "connected", "static", "bgp")


class Effect(StrEnum):
    """What an event changes."""

    CHANGES = "changes"
    ALREADY = "already"  #: nothing: it was so before
    UNPLACED = "unplaced"  #: nothing: what it is about is not in the network
    MEASURED = "measured"  #: nothing by itself: a value


@dataclass(frozen=True, slots=True)
class Told:
    """An event, and what came of it."""

    event: Event
    effect: Effect
    text: str = ""  #: why it changes nothing, or what is odd about it


class _Unplaced(Exception):
    """What an event is about is not in the network."""


@dataclass(slots=True)
class _Placed:
    """What an event says of single things, and what is odd about it."""

    events: list[Event] = field(default_factory=list)
    text: str = ""


@dataclass(frozen=True, slots=True)
class _Step:
    """One thing that changed."""

    time: int
    thing: Hashable
    event: Event | None  #: that it follows from then on; None: as in the files
    source: int  #: which of the timeline's events says so


class Timeline:
    """All that is told of a network, in order of time.

    Args:
        network: As its files say.
        events: In the order in which they arrived.
    """

    def __init__(self, network: Network, events: Iterable[Event]) -> None:
        self._places = _Places(network)
        ordered = sorted(events, key=lambda event: event.time)  # stable: then as they arrived
        self._now: dict[Hashable, Event] = {}
        self._steps: list[_Step] = []
        self.told: tuple[Told, ...] = tuple(
            self._tell(event, number) for number, event in enumerate(ordered)
        )
        self._times = [step.time for step in self._steps]
        #: The times at which anything changes, each once, in order.
        self.times = tuple(dict.fromkeys(self._times))

    def _tell(self, event: Event, number: int) -> Told:
        if event.kind is EventKind.MEASURE:
            text = "" if self._places.knows(event) else "what was measured is not in the network"
            return Told(event, Effect.MEASURED, text)
        try:
            placed = self._places.placed(event)
        except _Unplaced as error:
            return Told(event, Effect.UNPLACED, str(error))
        before = len(self._steps)
        for one in placed.events:
            self._take(one, number)
        if len(self._steps) == before:
            return Told(event, Effect.ALREADY, placed.text or "it was so already")
        return Told(event, Effect.CHANGES, placed.text)

    def _take(self, event: Event, source: int) -> None:
        """Note what a resolved event changes, if it does."""
        thing, value, default = _thing(event), _value(event), self._places.default(event)
        known = self._now.get(thing)
        if value == (default if known is None else _value(known)):
            return
        if value == default:
            del self._now[thing]
        else:
            self._now[thing] = event
        self._steps.append(_Step(event.time, thing, self._now.get(thing), source))

    def at(self, time: int) -> Situation:
        """What counts at a moment: all that is told of it up to then."""
        return self.onward(NOTHING_TOLD, None, time)

    def onward(self, situation: Situation, since: int | None, until: int) -> Situation:
        """What counts at a moment, going on from what counted at an earlier one.

        Args:
            since: That earlier moment; None: before all events.
        """
        first = 0 if since is None else bisect_right(self._times, since)
        return situation.after(self._steps[first : bisect_right(self._times, until)])

    def told_within(self, start: int | None, end: int | None) -> Iterator[Told]:
        """What is told from one time until right before another, as far as it can be placed.

        Args:
            start: None: from the beginning; `end` likewise.
        """
        first = 0 if start is None else bisect_left(self.told, start, key=_time_of)
        last = len(self.told) if end is None else bisect_left(self.told, end, key=_time_of)
        return (one for one in self.told[first:last] if one.effect is not Effect.UNPLACED)

    def histories(self) -> dict[Hashable, list[tuple[int, Event | None]]]:
        """How each thing that ever changed went: by thing, its times, and the event it follows.

        None is as in the files. A thing begins with the kind of its events.
        """
        found: dict[Hashable, list[tuple[int, Event | None]]] = {}
        for step in self._steps:
            found.setdefault(step.thing, []).append((step.time, step.event))
        return found

    def sources_at(self, time: int) -> tuple[int, ...]:
        """The events that changed anything in a microsecond, by their places in `told`."""
        return tuple(dict.fromkeys(step.source for step in self._steps_at(time)))

    def with_some(self, situation: Situation, time: int, sources: Collection[int]) -> Situation:
        """What would count in a microsecond if of its events there were only some.

        Args:
            situation: What counted right before it.
            sources: Their places in `told`.
        """
        return situation.after(step for step in self._steps_at(time) if step.source in sources)

    def _steps_at(self, time: int) -> Sequence[_Step]:
        return self._steps[bisect_left(self._times, time) : bisect_right(self._times, time)]


class Situation:
    """What events say of a network at one moment: of each thing that is not as in its files."""

    def __init__(self, by_thing: Mapping[Hashable, Event]) -> None:
        self._by_thing = by_thing

    def after(self, steps: Iterable[_Step]) -> Situation:
        """It after some things changed."""
        found = dict(self._by_thing)
        for step in steps:
            if step.event is None:
                found.pop(step.thing, None)
            else:
                found[step.thing] = step.event
        return Situation(found)

    @property
    def events(self) -> tuple[Event, ...]:
        """The events that count, with what they name resolved, in order of their things."""
        return tuple(self._by_thing[thing] for thing in sorted(self._by_thing, key=str))

    @property
    def name(self) -> Hashable:
        """What tells it from others: how things are, whenever and by whatever event."""
        return frozenset((thing, _value(event)) for thing, event in self._by_thing.items())


NOTHING_TOLD = Situation({})


def _time_of(told: Told) -> int:
    return told.event.time


def _thing(event: Event) -> Hashable:
    """What a resolved event is about."""
    match event.kind:
        case EventKind.INTERFACE:
            return event.kind, event.device, event.interface
        case EventKind.ADJACENCY:
            return event.kind, event.protocol, event.device, event.interface, event.neighbour
        case EventKind.SESSION:
            return event.kind, event.device, str(event.at)
        case EventKind.PREFIX:
            return event.kind, event.protocol, event.device, event.interface, str(event.prefix)
        case EventKind.COST:
            return event.kind, event.protocol, event.device, event.interface
        case _:
            return event.kind, event.outside, str(event.at), str(event.prefix)


def _value(event: Event) -> Hashable:
    """How a resolved event says that its thing is."""
    if event.kind is EventKind.COST:
        return event.new
    if event.kind is EventKind.BGP_UPDATE:
        attributes = (event.as_path, event.origin, event.med, tuple(sorted(event.communities)))
        return attributes if event.on else None
    return event.on


# --- what events are about ------------------------------------------------------------------------


class _Places:
    """The things of a network by the names that events give them."""

    def __init__(self, network: Network) -> None:
        self.network = network
        self.topology = build_topology(network)
        self.outside = {one.name: one for one in network.outside}
        self._placing: dict[EventKind, Callable[[Event], _Placed]] = {
            EventKind.INTERFACE: self._interface,
            EventKind.ADJACENCY: self._adjacency,
            EventKind.SESSION: self._session,
            EventKind.PREFIX: self._prefix,
            EventKind.COST: self._cost,
            EventKind.BGP_UPDATE: self._update,
            EventKind.ROUTER_LSA: self._link_state,
            EventKind.LSP: self._link_state,
        }

    def knows(self, event: Event) -> bool:
        """Whether the device of an event, and its interface, are there."""
        device = self.topology.devices.get(event.device)
        return device is not None and (
            not event.interface or device.interface(event.interface) is not None
        )

    def placed(self, event: Event) -> _Placed:
        """What an event says of single things.

        Raises:
            _Unplaced: they are not in the network.
        """
        protocol = _ALIASES.get(event.protocol, event.protocol)
        return self._placing[event.kind](replace(event, protocol=protocol))

    def default(self, event: Event) -> Hashable:
        """How the thing of a resolved event is by the files."""
        if event.kind is EventKind.INTERFACE:
            _, interface = self._port(event)
            return interface.enabled and interface.carrier
        if event.kind is EventKind.COST:
            return self._written_cost(event)
        if event.kind is EventKind.BGP_UPDATE:
            outside = self.outside[event.outside]
            known = announced_at(outside, event)
            if known is None:
                return None
            own = event.as_path[:1] == (outside.autonomous_system,) or not event.on
            path = (outside.autonomous_system, *known.as_path) if own else known.as_path
            return path, known.origin, known.med, tuple(sorted(known.communities))
        return True

    def _device(self, event: Event) -> Device:
        device = self.topology.devices.get(event.device)
        if device is None:
            raise _Unplaced(f"there is no device {event.device}")
        return device

    def _port(self, event: Event) -> tuple[Device, Interface]:
        device = self._device(event)
        interface = device.interface(event.interface)
        if interface is None:
            raise _Unplaced(f"{device.name} has no interface {event.interface}")
        return device, interface

    def _running(self, event: Event, protocols: tuple[str, ...]) -> tuple[Device, Interface]:
        """The interface of an event, at which its protocol runs."""
        device, interface = self._port(event)
        if event.protocol not in protocols:
            listed = ", ".join(protocols)
            raise _Unplaced(f"no {event.kind} of {event.protocol} is modelled; of these: {listed}")
        if getattr(interface, event.protocol) is None:
            title = protocol_title(event.protocol)
            raise _Unplaced(f"{device.name}:{interface.name} does not run {title}")
        return device, interface

    def _interface(self, event: Event) -> _Placed:
        device, interface = self._port(event)
        if not interface.enabled:
            said = "" if not event.on else ", so it cannot be up"
            return _Placed([], f"{device.name}:{interface.name} is shut in its file{said}")
        return _Placed([event])

    def _adjacency(self, event: Event) -> _Placed:
        device, interface = self._running(event, _WITH_ADJACENCIES)
        others = others_at(self.topology, device, interface, event.protocol)
        if not event.neighbour and len(others) > 1:
            raise _Unplaced(f"names no neighbour, and {len(others)} are at {interface.name}")
        found = [end for end in others if not event.neighbour or _is_called(end, event.neighbour)]
        if not found:
            named = event.neighbour or "anybody"
            where = f"{device.name}:{interface.name}"
            title = protocol_title(event.protocol)
            raise _Unplaced(f"{where} has no neighbour {named} that runs {title}")
        return _Placed([replace(event, neighbour=end.device.name) for end in found[:1]])

    def _session(self, event: Event) -> _Placed:
        event = replace(event, device=self._owner(event.device) or event.device)
        device = self._device(event)
        addresses = [one.address for vrf in device.vrfs if vrf.bgp for one in vrf.bgp.neighbours]
        found = [address for address in addresses if self._is_of(address, event.neighbour)]
        if not found:
            raise _Unplaced(f"{device.name} has no session with {event.neighbour}")
        return _Placed([replace(event, at=address) for address in found])

    def _owner(self, name: str) -> str:
        """The device that has an address; empty where it is none, or nobody's."""
        address = _address(name)
        owners = self.topology.owners.get(address, ()) if address is not None else ()
        return owners[0].device.name if owners else ""

    def _is_of(self, address: Address, name: str) -> bool:
        """Whether an address is what a name means: itself, a device's or an outside network's."""
        if _address(name) == address:
            return True
        if any(end.device.name == name for end in self.topology.owners.get(address, ())):
            return True
        outside = self.outside.get(name)
        return outside is not None and any(address == own.ip for own in outside.addresses)

    def _prefix(self, event: Event) -> _Placed:
        device = self._device(event)
        if event.protocol not in _WITH_PREFIXES:
            raise _Unplaced(f"no prefix of {event.protocol} is modelled")
        own = [
            interface.name
            for interface in device.interfaces
            if any(address.network == event.prefix for address in interface.addresses)
            and (event.protocol == "connected" or getattr(interface, event.protocol, None))
        ]
        if event.interface:
            _, interface = self._port(event)
            if interface.name not in own:
                raise _Unplaced(
                    f"{device.name}:{interface.name} does not announce {event.prefix} in "
                    f"{protocol_title(event.protocol)}"
                )
            return _Placed([event])
        if own:
            return _Placed([replace(event, interface=name) for name in own])
        if not any(_may_tell(vrf, event) for vrf in device.vrfs):
            title = protocol_title(event.protocol)
            raise _Unplaced(f"{device.name} announces no {event.prefix} in {title}")
        return _Placed([event])

    def _cost(self, event: Event) -> _Placed:
        device, interface = self._running(event, _WITH_COSTS)
        written = self._written_cost(event)
        odd = event.old is not None and event.old != written
        text = f"{device.name}:{interface.name} had {written} by its file, not {event.old}"
        return _Placed([event], text * odd)

    def _link_state(self, event: Event) -> _Placed:
        device = originator(self.topology, event)
        if device is None:
            raise _Unplaced(f"nobody here has the {_ID_TITLES[event.kind]} {event.router}")
        told = router_lsa_events if event.kind is EventKind.ROUTER_LSA else lsp_events
        return _Placed(list(told(self.topology, device, event)))

    def _written_cost(self, event: Event) -> int:
        device, interface = self._port(event)
        vrf = device.vrf(interface.vrf)
        for name in ("ospf", "ospfv3"):
            settings, instance = getattr(interface, name), getattr(vrf, name, None)
            if event.protocol == name and settings is not None and instance is not None:
                return output_cost(interface, settings, instance)
        if event.protocol == "isis" and interface.isis is not None:
            loopback = interface.kind is InterfaceKind.LOOPBACK
            metric = interface.isis.metric
            return metric if metric is not None else 0 if loopback else DEFAULT_METRIC
        settings = interface.rip if event.protocol == "rip" else interface.ripng
        return settings.cost if settings is not None else 1

    def _update(self, event: Event) -> _Placed:
        outside = self.outside.get(event.outside) or self._outside_with(event.outside)
        if outside is None:
            raise _Unplaced(f"there is no outside network {event.outside}")
        said = ""
        heard_by = self._owner(event.heard_by) or event.heard_by
        if heard_by and heard_by not in self.topology.devices:
            if _address(heard_by) is None:
                raise _Unplaced(f"there is no device {heard_by}")
            said = f"{heard_by}, which heard it, is no device here; taken to be told to all"
            heard_by = ""
        own = [address.ip for address in outside.addresses]
        heard = {
            one.address
            for device in self.network.devices
            if not heard_by or device.name == heard_by
            for vrf in device.vrfs
            if vrf.bgp is not None
            for one in vrf.bgp.neighbours
        }
        found = [address for address in own if address in heard]
        if not found:
            raise _Unplaced(f"{heard_by or 'nobody'} has no session with {outside.name}")
        if event.at is not None and event.at in found:
            found = [event.at]
        elif event.at is not None:
            said = (
                f"{event.at} is no address of {outside.name}; its next hop is taken to be its own"
            )
        named = replace(event, outside=outside.name, heard_by=heard_by)
        return _Placed([replace(named, at=address) for address in found], said)

    def _outside_with(self, name: str) -> OutsideNeighbour | None:
        """The outside network that has an address."""
        address = _address(name)
        for one in self.outside.values() if address is not None else ():
            if any(own.ip == address for own in one.addresses):
                return one
        return None


def _address(text: str) -> Address | None:
    try:
        return ip_address(text)
    except ValueError:
        return None


def _is_called(end: Attachment, name: str) -> bool:
    """Whether a neighbour is what an event calls it: device, address, router or system id."""
    if end.device.name == name:
        return True
    address = _address(name)
    if address is not None and any(
        own.ip == address for one in end.device.interfaces for own in one.addresses
    ):
        return True
    ids = [
        own_id(end.device, vrf, protocol)
        for vrf in end.device.vrfs
        for protocol in ("ospf", "ospfv3", "isis")
    ]
    titles = [str(vrf.isis.net) for vrf in end.device.vrfs if vrf.isis is not None]
    return name in ids or name in titles


def _may_tell(vrf: Vrf, event: Event) -> bool:
    """Whether a VRF may announce a prefix that is no network of an interface of its protocol."""
    if event.protocol == "static":
        return any(one.to == event.prefix for one in vrf.static)
    instance = getattr(vrf, event.protocol, None)
    if instance is None:
        return False
    networks = getattr(instance, "networks", ())
    return bool(instance.redistribute) or any(one.prefix == event.prefix for one in networks)
