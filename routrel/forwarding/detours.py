"""Where a packet would go on from a device that does not know where to send it."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from routrel.model.network import Device
from routrel.model.traffic import Header
from routrel.rib.candidates import NextHop
from routrel.topology.segments import Attachment, Topology

__all__ = ["Detours"]

#: Whether routing alone takes a packet home from (device, VRF, interface it comes in by).
Arrives = Callable[[str, str, str | None, Header], bool]

_MAXIMUM_DEVICES = 200


class Detours:
    """The first step towards the nearest device from which a packet would arrive."""

    def __init__(self, topology: Topology, arrives: Arrives) -> None:
        self.topology, self.arrives = topology, arrives
        self._known: dict[tuple[str, str, str, Header], bool] = {}

    def way(self, device: Device, vrf: str, header: Header, passed: set[str]) -> NextHop | None:
        """The next hop a device would need, breadth first over links; None where nothing helps.

        Args:
            passed: Devices the packet has been at; it is not sent back to them.
        """
        leaving = self._leaving(device, header)
        if leaving is not None:
            return leaving
        seen = {device.name, *passed}
        queue: deque[tuple[NextHop, Attachment]] = deque()
        for first, end in self._steps(device, header, vrf):
            if end.device.name not in seen:
                queue.append((first, end))
        while queue and len(seen) < _MAXIMUM_DEVICES:
            first, end = queue.popleft()
            if end.device.name in seen:
                continue
            seen.add(end.device.name)
            if self._takes(end, header):
                return first
            if end.device.role.forwards:
                for _, onward in self._steps(end.device, header, None):
                    if onward.device.name not in seen:
                        queue.append((first, onward))
        return None

    def _takes(self, end: Attachment, header: Header) -> bool:
        here, vrf = end.device, end.interface.vrf
        if here.role.forwards and self._leaving(here, header) is not None:
            return True
        if self.topology.has_address(here, vrf, header.destination) is not None:
            return True
        if not here.role.forwards:
            return False
        # Copies of one packet come by here again and again, with as many hops left as they have.
        key = (here.name, vrf, end.interface.name, header)
        if key not in self._known:
            self._known[key] = self.arrives(*key)
        return self._known[key]

    def _leaving(self, device: Device, header: Header) -> NextHop | None:
        """The way to an outside neighbour next to a device that has the destination behind it.

        One that has everything behind it tells nothing.
        """
        for interface in device.interfaces:
            segment = self.topology.segment_of.get((device.name, interface.name))
            if segment is None or not self.topology.is_up(device.name, interface.name):
                continue
            for end in self.topology.outside_ends(segment):
                behind = [p for p in end.neighbour.prefixes if p.prefixlen]
                same = end.address.version == header.destination.version
                if same and any(header.destination in prefix for prefix in behind):
                    return NextHop(interface.name, end.address.ip)
        return None

    def _steps(
        self, device: Device, header: Header, vrf: str | None
    ) -> list[tuple[NextHop, Attachment]]:
        """The ends across a device's links, those of one VRF first."""
        version = header.destination.version
        found = []
        for interface in sorted(device.interfaces, key=lambda i: (i.vrf != vrf, i.name)):
            if not self.topology.is_up(device.name, interface.name):
                continue
            for end in self.topology.neighbours(device.name, interface.name):
                own = [a.ip for a in end.interface.addresses if a.version == version]
                if own and (end.device.role.forwards or header.destination in own):
                    found.append((NextHop(interface.name, own[0]), end))
        return found
