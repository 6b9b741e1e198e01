"""Whether two devices can talk, there and back, on every equal-cost branch.

This is what a routing session needs to know while the tables are still being worked out. Packets go
through the same stages as those of any flow; that all branches arrive is found without following
again what is known to arrive from where branches meet.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

from routrel.forwarding.connections import Connection
from routrel.forwarding.evidence import Branch, Direction, Result, Verdict
from routrel.forwarding.lookup import LookedUp, Lookup
from routrel.forwarding.packet import Packet
from routrel.forwarding.stages.neighbour import NeighbourEvidence
from routrel.forwarding.stages.route import ReceiveEvidence, RouteEvidence
from routrel.forwarding.trace import Start, Tracer
from routrel.model.addresses import Address
from routrel.model.network import Device, Processing
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.rib.table import Rib, Route, TableRows
from routrel.topology.segments import Topology

__all__ = ["Conversations", "Probe", "Reach", "Rests", "Start", "Unreachable"]


@dataclass(frozen=True, slots=True)
class Unreachable:
    """Why a packet does not arrive."""

    text: str
    place: Place


@dataclass(frozen=True, slots=True)
class Probe:
    """A packet of a conversation: where it begins, and the time to live asked for on arrival."""

    starts: tuple[Start, ...]
    header: Header  #: its `ttl` is what the packet starts with
    least_ttl: int = 1


@dataclass(frozen=True, slots=True)
class Rests:
    """What an answer rests on, apart from the devices that it is about."""

    looked_up: LookedUp
    #: Those that were looked in, by number; nothing is kept for it alone.
    tables: Mapping[int, weakref.ref[TableRows]]
    devices: frozenset[str]  #: those that packets came to


#: By conversation: what keeps it from taking place, and what this rests on.
Conversations = dict[tuple[Probe, Probe], tuple[Unreachable | None, Rests]]

_Made = TypeVar("_Made")


class Reach:
    """Follows packets through one state of the tables.

    Args:
        known: Conversations followed in other states of the same network; it is added to.
    """

    def __init__(self, topology: Topology, view: Rib, known: Conversations | None = None) -> None:
        self.topology, self.view = topology, view
        self._lookup = Lookup(topology, view, shorter=False)
        self._known: Conversations = {} if known is None else known
        self._met: set[str] = set()  #: the devices that answers rest on

    def resting(self, make: Callable[[], _Made]) -> tuple[_Made, Rests]:
        """What is made with answers of this, and what it rests on by them."""
        outer = self._lookup.asked, self._met
        self._lookup.asked, self._met = {}, set()
        try:
            made = make()
            asked, met = self._lookup.asked, self._met
        finally:
            self._lookup.asked, self._met = outer
        self._lookup.asked.update(asked)
        self._met.update(met)
        tables = {table: weakref.ref(self.view.tables[table]) for table, _ in asked}
        return made, Rests(asked, tables, frozenset(met))

    def still(self, rests: Rests) -> bool:
        """Whether the tables say what an answer rests on."""
        tables = self.view.tables
        others = {number for number, held in rests.tables.items() if tables[number] is not held()}
        return not others or all(
            self._lookup.entry_in(*at) == found
            for at, found in rests.looked_up.items()
            if at[0] in others
        )

    def meet(self, device: str) -> None:
        """Say that the answer at hand rests on a device."""
        self._met.add(device)

    def route(self, table: int, address: Address) -> Route | None:
        """The longest match, which answers rest on too."""
        entry = self._lookup.entry_in(table, address)
        return entry.route if entry else None

    def conversation(self, there: Probe, back: Probe) -> Unreachable | None:
        """What keeps a packet, or the one that answers it, from arriving; None where both do."""
        known = self._known.get((there, back))
        if known is not None and self.still(known[1]):
            self._lookup.asked.update(known[1].looked_up)
            self._met.update(known[1].devices)
            return known[0]
        made = self._known[there, back] = self.resting(partial(self._followed, there, back))
        return made[0]

    def _followed(self, there: Probe, back: Probe) -> Unreachable | None:
        remembered: tuple[Connection, ...] = ()
        for probe in (there, back):
            follower = _Follower(self.topology, self._lookup, probe, remembered, self.meet)
            for start in probe.starts:
                found = follower.from_start(start)
                if found is not None:
                    return found
            remembered = tuple(follower.remembered)
        return None


class _Follower:
    """Follows one packet along all branches until one does not arrive."""

    def __init__(
        self,
        topology: Topology,
        lookup: Lookup,
        probe: Probe,
        known: tuple[Connection, ...],
        meet: Callable[[str], None],
    ) -> None:
        self.topology, self.probe, self.meet = topology, probe, meet
        self.tracer = Tracer(topology, lookup, known)
        #: Where packets are known to arrive from, and all that what becomes of them rests on.
        self._arrives: set[object] = set()
        self.remembered: dict[Connection, None] = {}

    def from_start(self, start: Start) -> Unreachable | None:
        return self._from(self.tracer.begin(start, self.probe.header))

    def _from(self, packet: Packet) -> Unreachable | None:
        self.meet(packet.device.name)
        key = self._key(packet)
        if key in self._arrives:
            self.remembered.update(dict.fromkeys(packet.path.connections))
            return None
        for outcome in self.tracer.pass_device(packet):
            if isinstance(outcome, Branch):
                found = self._of_branch(outcome)
                self.remembered.update(dict.fromkeys(outcome.connections))
            elif isinstance(outcome, Packet):
                raise TypeError("a packet stays at a device that has no more stages")
            else:
                found = self._from(outcome.packet)
            if found is not None:
                return found
        self._arrives.add(key)
        return None

    def _key(self, packet: Packet) -> object:
        """All that decides what becomes of a packet, whatever way it came.

        Devices with Linux processing do not take a packet with their own source again.
        """
        again = frozenset(
            hop.device
            for hop in packet.path.hops
            if not hop.outside and self.topology.devices[hop.device].processing is Processing.LINUX
        )
        at = (packet.device.name, packet.vrf, packet.interface_in)
        return at, packet.header, packet.path.connections, again

    def _of_branch(self, branch: Branch) -> Unreachable | None:
        """What is wrong with where a branch ended; None: it arrived."""
        if branch.verdict is Verdict.LEAVES_NETWORK:
            return self._outside(branch)
        device = self.topology.devices[branch.hops[-1].device]
        if branch.verdict is Verdict.DELIVERED and branch.header is not None:
            ttl, least = branch.header.ttl, self.probe.least_ttl
            if ttl >= least:
                return None
            text = (
                f"packets arrive with a time to live of {ttl}, below the {least} that is asked for"
            )
            return Unreachable(text, device.place)
        cause = branch.cause
        if cause is None:
            raise ValueError("a branch that does not arrive has a cause")
        if cause.filter is None:
            return _stopped(branch, device, cause.place or device.place)
        rule = f"rule {cause.rule}" if cause.rule is not None else "the default"
        words = {Direction.IN: "on arrival at", Direction.OUT: "on departure from"}
        where = f"at {cause.device}"
        if cause.interface is not None and cause.direction in words:
            where = f"{words[cause.direction]} {cause.device}:{cause.interface}"
        text = f"{rule} of filter {cause.filter} drops it {where}"
        return Unreachable(text, cause.place or device.place)

    def _outside(self, branch: Branch) -> Unreachable | None:
        outside = next(o for o in self.topology.network.outside if o.name == branch.outside)
        if any(own.ip == self.probe.header.destination for own in outside.addresses):
            return None
        last = self.topology.devices[branch.hops[-2].device]
        return Unreachable(f"packets leave the network towards {branch.outside}", last.place)


def _stopped(branch: Branch, device: Device, place: Place) -> Unreachable:
    """What routing, or the device, does with a packet that does not arrive.

    Args:
        place: Of its cause.
    """
    name = device.name
    stages = branch.hops[-1].stages
    evidence = next(s.evidence for s in stages if s.result is Result.STOPPED)
    if branch.verdict is Verdict.LOOPED:
        return Unreachable(f"packets loop at {name}", device.place)
    if branch.verdict is Verdict.TTL_EXPIRED:
        return Unreachable(f"the time to live runs out at {name}", device.place)
    match evidence:
        case RouteEvidence(unread=True):
            return Unreachable(f"no table of {name} was read", device.place)
        case RouteEvidence(route=None, destination=destination):
            return Unreachable(f"{name} has no route to {destination}", device.place)
        case RouteEvidence(route=Route() as route):
            where = route.place if route.place.line else device.place
            return Unreachable(f"{name} discards what goes to {route.prefix}", where)
        case ReceiveEvidence():
            return Unreachable(f"{name} does not forward", device.place)
        case NeighbourEvidence(interface=interface, address=address):
            out = device.interface(interface)
            text = f"nobody answers for {address} on {name}:{interface}"
            return Unreachable(text, out.place if out else place)
        case _:
            kind = branch.verdict.value.replace("_", " ")
            return Unreachable(f"packets end at {name}: {kind}", place)
