"""Whether two devices can talk, hop by hop through tables and filters, there and back.

This is what a routing session needs to know while the tables are still being worked out. It looks
at every equal-cost branch; all must arrive. Plain devices, with tables and filters that ask for
headers alone, are looked at here without noting any evidence; where the way leads through any
other, the walk decides.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.forwarding.filters import evaluate
from routrel.forwarding.hops import Branch, Verdict
from routrel.forwarding.sessions import Session
from routrel.forwarding.walk import Start, walk
from routrel.model.addresses import Address
from routrel.model.filters import Filter
from routrel.model.network import Device, Interface, Processing
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.rib.candidates import NextHop
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Attachment, Topology

__all__ = ["Conversations", "Obstacle", "Packet", "Reach", "Start"]


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Why a packet does not arrive."""

    text: str
    place: Place


@dataclass(frozen=True, slots=True)
class Packet:
    """A packet of a conversation: where it begins, and the time to live asked for on arrival."""

    starts: tuple[Start, ...]
    header: Header  #: its `ttl` is what the packet starts with
    least_ttl: int = 1


class _NotPlain(Exception):
    """The way leads through a device that does more than look up and filter."""


#: By conversation: what keeps it from taking place, and the look-ups that this rests on.
Conversations = dict[
    tuple[Packet, Packet], tuple[Obstacle | None, dict[tuple[int, Address], Route | None]]
]


class Reach:
    """Follows packets through one state of the tables.

    Args:
        known: Conversations followed in other states of the same network; it is added to.
    """

    def __init__(self, topology: Topology, view: Rib, known: Conversations | None = None) -> None:
        self.topology, self.view = topology, view
        self._routes: dict[tuple[int, Address], Route | None] = {}
        self._asked: dict[tuple[int, Address], Route | None] = {}
        self._plain: dict[str, bool] = {}
        self._has_walked = False
        self._known: Conversations = {} if known is None else known

    def conversation(self, there: Packet, back: Packet) -> Obstacle | None:
        """What keeps a packet, or the one that answers it, from arriving; None where both do."""
        known = self._known.get((there, back))
        if known is not None and all(self.route(*at) == found for at, found in known[1].items()):
            return known[0]
        self._asked = {}
        try:
            obstacle = self._followed(there, back)
        except _NotPlain:
            return self._walked(there, back)
        self._known[there, back] = (obstacle, self._asked)
        return obstacle

    def _followed(self, there: Packet, back: Packet) -> Obstacle | None:
        for packet in (there, back):
            for start in packet.starts:
                found = self._follow(start, packet.header, packet.least_ttl, (), set())
                if found is not None:
                    return found
        return None

    @property
    def looked_up(self) -> dict[tuple[int, Address], Route | None] | None:
        """All that was looked up, which all answers rest on; None where the walk was asked too."""
        return None if self._has_walked else self._routes

    def _walked(self, there: Packet, back: Packet) -> Obstacle | None:
        """The same by the walk, with what devices on the way remember."""
        self._has_walked = True
        known: tuple[Session, ...] = ()
        for packet in (there, back):
            if not packet.starts:
                continue
            found = walk(self.topology, self.view, packet.header, packet.starts, known=known)
            for branch in found.branches:
                obstacle = self._of_branch(branch, packet)
                if obstacle is not None:
                    return obstacle
            known = tuple(session for branch in found.branches for session in branch.sessions)
        return None

    def _of_branch(self, branch: Branch, packet: Packet) -> Obstacle | None:
        last = self.topology.devices.get(branch.hops[-1].device)
        place = last.place if last else self.topology.network.place
        if branch.verdict is Verdict.DELIVERED and branch.header is not None:
            ttl, least = branch.header.ttl, packet.least_ttl
            return None if ttl >= least else Obstacle(_too_low(ttl, least), place)
        if branch.verdict is Verdict.LEAVES_NETWORK:
            outside = next(o for o in self.topology.network.outside if o.name == branch.outside)
            if any(own.ip == packet.header.destination for own in outside.addresses):
                return None
            return Obstacle(f"packets leave the network towards {branch.outside}", place)
        cause = branch.cause
        if cause is None:
            raise ValueError("a branch that does not arrive has a cause")
        if cause.filter is not None:
            rule = f"rule {cause.rule}" if cause.rule is not None else "the default"
            at = f"{cause.device}:{cause.interface}" if cause.interface else cause.device
            text = f"{rule} of filter {cause.filter} drops it at {at}"
            return Obstacle(text, cause.place or place)
        kind = branch.verdict.value.replace("_", " ")
        return Obstacle(f"packets end at {cause.device}: {kind}", cause.place or place)

    def _is_plain(self, device: Device) -> bool:
        known = self._plain.get(device.name)
        if known is None:
            own, through = device.own_traffic, device.through_traffic
            bound = {u.filter for i in device.interfaces for u in (*i.filters_in, *i.filters_out)}
            known = self._plain[device.name] = not (
                device.processing is not Processing.ROUTER
                or device.remembers_sessions
                or device.steerings
                or own.filters_in
                or own.filters_out
                or through.filters
                or device.arriving_traffic.filters
                or any(_asks_for_more(f) for f in device.filters if f.name in bound)
                or any(i.reverse_path_check or i.virtual_routers for i in device.interfaces)
            )
        return known

    def _follow(
        self,
        here: Start,
        header: Header,
        least_ttl: int,
        passed: tuple[Start, ...],
        arrived: set[Start],
    ) -> Obstacle | None:
        """What keeps a packet from its destination; None where it arrives.

        `passed` is the way so far, `arrived` what is known to arrive.
        """
        device = self.topology.devices[here.device]
        if not self._is_plain(device):
            raise _NotPlain
        if here in arrived:
            return None
        if here in passed:
            return Obstacle(f"packets loop at {device.name}", device.place)
        found = self._filtered(device, here.interface_in, header, out=False)
        if found is not None:
            return found
        if self._owns(device, here.vrf, header.destination):
            if header.ttl < least_ttl:
                return Obstacle(_too_low(header.ttl, least_ttl), device.place)
            arrived.add(here)
            return None
        if here.interface_in is not None:
            if not device.role.forwards:
                return Obstacle(f"{device.name} does not forward", device.place)
            if header.ttl <= 1:
                text = f"the time to live runs out at {device.name}"
                return Obstacle(text, device.place)
            header = replace(header, ttl=header.ttl - 1)
        for step in self._onward(device, here.vrf, header):
            if isinstance(step, Start):
                step = self._follow(step, header, least_ttl, (*passed, here), arrived)
            if step is not None:
                return step
        arrived.add(here)
        return None

    def _onward(
        self, device: Device, vrf: str, header: Header
    ) -> Iterator[Start | Obstacle | None]:
        """Where each branch leads; None where it has arrived outside."""
        destination = header.destination
        route = self.route(self.view.interning.table_numbers[device.name, vrf], destination)
        if route is None:
            text = f"{device.name} has no route to {destination}"
            yield Obstacle(text, device.place)
            return
        if route.discard:
            place = route.place if route.place.line else device.place
            yield Obstacle(f"{device.name} discards what goes to {route.prefix}", place)
            return
        for hop in route.next_hops:
            interface = device.interface(hop.interface or "")
            if interface is None:
                raise ValueError(f"{device.name} has no interface {hop.interface}")
            found = self._filtered(device, interface.name, header, out=True)
            if found is not None:
                yield found
                continue
            yield self._neighbour(device, interface, hop, destination)

    def _neighbour(
        self, device: Device, interface: Interface, hop: NextHop, destination: Address
    ) -> Start | Obstacle | None:
        address = hop.address or destination
        receiver = self.topology.receiver(device.name, interface, address)
        if isinstance(receiver, Attachment):
            return Start(receiver.device.name, receiver.interface.vrf, receiver.interface.name)
        if receiver is not None:
            if address == destination:
                return None
            text = f"packets leave the network towards {receiver.neighbour.name}"
            return Obstacle(text, device.place)
        text = f"nobody answers for {address} on {device.name}:{interface.name}"
        return Obstacle(text, interface.place)

    def route(self, table: int, address: Address) -> Route | None:
        """The longest match, looked up once for each table and address."""
        key = (table, address)
        if key not in self._routes:
            self._routes[key] = self.view.lookup(table, address)
        self._asked[key] = self._routes[key]
        return self._routes[key]

    def _owns(self, device: Device, vrf: str, address: Address) -> bool:
        return any(
            end.device.name == device.name
            and end.interface.vrf == vrf
            and self.topology.is_up(device.name, end.interface.name)
            for end in self.topology.owners.get(address, ())
        )

    def _filtered(
        self, device: Device, interface: str | None, header: Header, *, out: bool
    ) -> Obstacle | None:
        found = device.interface(interface) if interface else None
        if found is None:
            return None
        for use in found.filters_out if out else found.filters_in:
            packet_filter = device.filter(use.filter)
            result = evaluate(packet_filter, header) if packet_filter else None
            if result is None or result.permits:
                continue
            rule = f"rule {result.rule.id}" if result.rule else "the default"
            way = "on departure from" if out else "on arrival at"
            text = f"{rule} of filter {use.filter} drops it {way} {device.name}:{interface}"
            return Obstacle(text, result.place)
        return None


def _asks_for_more(packet_filter: Filter) -> bool:
    """Whether rules of a filter ask for more than a header, or mark packets."""
    return any(
        rule.mark is not None or rule.match.marks or rule.match.arrives or rule.match.leaves
        for rule in packet_filter.rules
    )


def _too_low(ttl: int, least: int) -> str:
    return f"packets arrive with a time to live of {ttl}, below the {least} that is asked for"
