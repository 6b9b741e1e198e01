"""Whether a device's own packets reach an address, hop by hop through tables and filters.

This is what a routing session needs to know while the tables are still being worked out. It looks
at every equal-cost branch; all must arrive.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.control.packets.filters import evaluate
from routrel.control.rib.candidates import NextHop
from routrel.control.rib.table import Rib, Route
from routrel.model.addresses import Address
from routrel.model.filters import Filter
from routrel.model.network import Device, FilterUse, Interface
from routrel.model.place import Place
from routrel.model.traffic import Header
from routrel.topology.segments import Attachment, Topology

__all__ = ["Obstacle", "Reach", "Start"]


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Why a packet does not arrive."""

    text: str
    place: Place


@dataclass(frozen=True, slots=True)
class Start:
    """Where a packet begins: at a device itself, or coming in by one of its interfaces."""

    device: str
    vrf: str
    interface_in: str | None = None


class Reach:
    """Follows packets through one state of the tables."""

    def __init__(self, topology: Topology, view: Rib) -> None:
        self.topology, self.view = topology, view
        self._routes: dict[tuple[int, Address], Route | None] = {}

    def obstacle(self, start: Start, header: Header, least_ttl: int = 1) -> Obstacle | None:
        """What keeps a packet from its destination; None where it arrives.

        Args:
            header: Its `ttl` is what the packet starts with.
            least_ttl: What must be left of it on arrival.
        """
        return self._follow(start, header, least_ttl, (), set())

    def _follow(
        self,
        here: Start,
        header: Header,
        least_ttl: int,
        passed: tuple[Start, ...],
        arrived: set[Start],
    ) -> Obstacle | None:
        """As `obstacle`; `passed` is the way so far, `arrived` what is known to arrive."""
        device = self.topology.devices[here.device]
        if here in arrived:
            return None
        if here in passed:
            return Obstacle(f"packets loop at {device.name}", device.place)
        found = self._filtered(device, here.interface_in, header, out=False)
        if found is not None:
            return found
        if self._owns(device, here.vrf, header.destination):
            if header.ttl < least_ttl:
                text = (
                    f"packets arrive with a time to live of {header.ttl}, below the {least_ttl} "
                    "that is asked for"
                )
                return Obstacle(text, device.place)
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
        return self._routes[key]

    def _owns(self, device: Device, vrf: str, address: Address) -> bool:
        return any(
            end.device is device
            and end.interface.vrf == vrf
            and self.topology.is_up(device.name, end.interface.name)
            for end in self.topology.owners.get(address, ())
        )

    def _filtered(
        self, device: Device, interface: str | None, header: Header, *, out: bool
    ) -> Obstacle | None:
        found = device.interface(interface) if interface else None
        use: FilterUse | None = None
        if found is not None:
            use = found.filter_out if out else found.filter_in
        packet_filter: Filter | None = device.filter(use.filter) if use else None
        if packet_filter is None:
            return None
        result = evaluate(packet_filter, header)
        if result.permits:
            return None
        rule = f"rule {result.rule.id}" if result.rule else "the default"
        way = "on departure from" if out else "on arrival at"
        text = f"{rule} of filter {packet_filter.name} drops it {way} {device.name}:{interface}"
        return Obstacle(text, result.place)
