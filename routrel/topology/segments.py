"""Which interfaces share a broadcast domain, and which of them are up.

Links stated in the network file come first. All other interfaces are joined when their addresses
lie in the same subnet, or when each lies in the other's although the masks differ (a mistake that
is worth seeing as one wire). Host prefixes, loopbacks and link-local addresses join nothing.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from routrel.model.addresses import Address, InterfaceAddress, Prefix, is_host_prefix
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.network import (
    Device,
    Interface,
    InterfaceKind,
    Network,
    OutsideNeighbour,
    Processing,
)
from routrel.model.redundancy import VirtualRouter
from routrel.topology.failed import Failed, spread

__all__ = [
    "Attachment",
    "Down",
    "OutsideEnd",
    "Segment",
    "Topology",
    "VirtualEnd",
    "build_topology",
    "joining_addresses",
    "segment_names",
]


@dataclass(frozen=True, slots=True)
class Attachment:
    """One interface of one device, as an end of a segment."""

    device: Device
    interface: Interface

    @property
    def key(self) -> tuple[str, str]:
        return self.device.name, self.interface.name

    def __str__(self) -> str:
        return f"{self.device.name}:{self.interface.name}"


@dataclass(frozen=True, slots=True)
class Down:
    """Why an interface carries nothing."""

    end: Attachment  #: whose configuration or failure it is; of a failed link the interface itself
    failed: str = ""  #: what failed, as "link harbour"; empty: the end is shut, or has no carrier

    def __str__(self) -> str:
        if self.failed:
            return f"{self.failed} has failed in this lens"
        shut = not self.end.interface.enabled
        return f"{self.end} is shut" if shut else f"{self.end} has no carrier"

    @property
    def advice(self) -> str:
        """What to do about it; empty where it has failed."""
        if self.failed:
            return ""
        return "enable it" if not self.end.interface.enabled else "look at its cable and far end"


@dataclass(frozen=True, slots=True)
class VirtualEnd:
    """A virtual router at the interface of one of its routers."""

    device: Device
    interface: Interface
    router: VirtualRouter

    @property
    def key(self) -> tuple[str, str]:
        return self.device.name, self.interface.name

    @property
    def rank(self) -> tuple[int, int]:
        """The higher becomes master: priority, then primary address (RFC 9568 6.4.2)."""
        version = self.router.addresses[0].version
        own = [a.ip for a in self.interface.addresses if a.version == version]
        own.sort(key=lambda ip: not ip.is_link_local if version == 6 else 0)
        return self.router.priority, int(own[0]) if own else 0


@dataclass(frozen=True, slots=True)
class OutsideEnd:
    """An outside neighbour's address on a segment."""

    neighbour: OutsideNeighbour
    address: InterfaceAddress


@dataclass(frozen=True, slots=True, kw_only=True)
class Segment:
    """Interfaces that hear each other; one with two ends is a link."""

    id: int
    name: str  #: a stated link's name, else its subnet or its only end
    stated: bool  #: from the network file, not inferred
    ends: tuple[Attachment, ...]
    outside: tuple[OutsideEnd, ...]

    @property
    def is_link(self) -> bool:
        """Whether exactly two ends hear each other."""
        return len(self.ends) + len(self.outside) == 2


@dataclass(frozen=True, kw_only=True)
class Topology:
    """Segments of a network with the look-ups forwarding and routing need.

    Attributes:
        failures: What has failed, as it was named.
        failed: The single things that carry nothing for it.
    """

    network: Network
    segments: tuple[Segment, ...]
    segment_of: dict[tuple[str, str], Segment] = field(repr=False)  #: by (device, interface)
    failures: Failures = NOTHING_FAILED
    failed: Failed = field(default_factory=Failed, repr=False)

    @cached_property
    def devices(self) -> dict[str, Device]:
        """Devices by name."""
        return {device.name: device for device in self.network.devices}

    @cached_property
    def owners(self) -> dict[Address, tuple[Attachment, ...]]:
        """Who has an address, shut interfaces included, in order of device."""
        found: dict[Address, list[Attachment]] = defaultdict(list)
        for device in self.network.devices:
            for interface in device.interfaces:
                for address in interface.addresses:
                    found[address.ip].append(Attachment(device, interface))
        return {address: tuple(ends) for address, ends in found.items()}

    @cached_property
    def _down(self) -> dict[tuple[str, str], Down | None]:
        return {
            (device.name, interface.name): self._compute_down(Attachment(device, interface))
            for device in self.network.devices
            for interface in device.interfaces
        }

    def is_up(self, device: str, interface: str) -> bool:
        """Whether an interface carries packets.

        It does when it is enabled and, on a link with two ends, the other end is enabled too. On a
        segment of three or more ends only its own switch counts. Nothing of it may have failed.
        """
        return self._down[device, interface] is None

    def why_down(self, device: str, interface: str) -> Down | None:
        """What keeps an interface from carrying packets; None: it carries them."""
        return self._down[device, interface]

    def has_failed(self, device: str) -> bool:
        """Whether a device is off."""
        return device in self.failed.devices

    def is_heard(self, device: str, interface: str) -> bool:
        """Whether what an interface sends arrives at the other ends; else its direction failed."""
        return (device, interface) not in self.failed.directions

    def hearing(self, device: str, interface: str) -> Hashable | None:
        """What names those who hear each other both ways: equal for all ends that do.

        None where an interface is on no segment. An end whose own frames are lost is alone.
        """
        segment = self.segment_of.get((device, interface))
        if segment is None or self.is_heard(device, interface):
            return None if segment is None else segment.id
        return device, interface

    def outside_ends(self, segment: Segment | None) -> Iterator[OutsideEnd]:
        """The ends of outside networks on a segment whose lines work."""
        for end in segment.outside if segment else ():
            if end.neighbour.name not in self.failed.lines:
                yield end

    def carrying(self, device: Device) -> bytes:
        """For each interface of a device in order: whether the routes over it stand."""
        return bytes(self.keeps_routes(device.name, one.name) for one in device.interfaces)

    def keeps_routes(self, device: str, interface: str) -> bool:
        """Whether the routes over an interface stand.

        They do while it carries packets. With Linux processing they also stay while only the far
        end is down, unless the device ignores dead links.
        """
        if self.is_up(device, interface):
            return True
        owner = self.devices[device]
        found = owner.interface(interface)
        return (
            found is not None
            and found.enabled
            and not self.has_failed(device)
            and owner.processing is Processing.LINUX
            and not owner.ignore_dead_links
        )

    def has_address(self, device: Device, vrf: str, address: Address) -> str | None:
        """The interface with an address that a device takes for its own; None: it does not.

        With Linux processing the IPv4 addresses of a shut interface still count, and all those of
        one whose far end alone is down. A virtual router's address counts at its master, if that
        owns it or accepts packets to it (RFC 9568 6.4.3).
        """
        for end in self.owners.get(address, ()):
            if end.device.name != device.name or end.interface.vrf != vrf:
                continue
            stays = address.version == 4 or end.interface.enabled
            stays = stays and device.processing is Processing.LINUX
            stays = stays and not self.has_failed(device.name)
            if stays or self.is_up(*end.key):
                return end.interface.name
        for master in self._masters_of.get(address, ()):
            if (
                master.device.name == device.name
                and master.interface.vrf == vrf
                and master.router.accept
            ):
                return master.interface.name
        return None

    @cached_property
    def masters(self) -> tuple[VirtualEnd, ...]:
        """The master of every virtual router (RFC 9568 6.4).

        Of those on a segment with one number and family, the highest priority, then the highest
        primary address. One whose frames are lost is master too unless it hears a higher one. All
        are taken to start at once, so a lower one that does not yield (`preempt: false`) is not
        master.
        """
        found: dict[tuple[Hashable, int, int], VirtualEnd] = {}
        for segment in self.segments:
            for end in segment.ends:
                if not self.is_up(*end.key):
                    continue
                for router in end.interface.virtual_routers:
                    one = VirtualEnd(end.device, end.interface, router)
                    group = self.hearing(*end.key)
                    key = (group, router.id, router.addresses[0].version)
                    if key not in found or one.rank > found[key].rank:
                        found[key] = one
        return tuple(
            one
            for (group, *router), one in found.items()
            if group == self.segment_of[one.key].id or not self._is_outranked(one, router, found)
        )

    def _is_outranked(
        self,
        one: VirtualEnd,
        router: Sequence[int],
        masters: Mapping[tuple[Hashable, int, int], VirtualEnd],
    ) -> bool:
        """Whether one that nobody hears hears a master of higher rank."""
        heard = masters.get((self.segment_of[one.key].id, router[0], router[1]))
        return heard is not None and heard.rank > one.rank

    @cached_property
    def _masters_of(self) -> dict[Address, list[VirtualEnd]]:
        by_address: dict[Address, list[VirtualEnd]] = defaultdict(list)
        for master in self.masters:
            for address in master.router.addresses:
                by_address[address].append(master)
        return by_address

    def _compute_down(self, own: Attachment) -> Down | None:
        segment = self.segment_of.get(own.key)
        ends = [own]
        if segment is not None and len(segment.ends) == 2 and not segment.outside:
            ends += [end for end in segment.ends if end.key != own.key]
        for end in ends:
            if not (end.interface.enabled and end.interface.carrier):
                return Down(end)
            if self.has_failed(end.device.name):
                return Down(end, self.failed.devices[end.device.name])
            if end.key in self.failed.interfaces:
                return Down(end, self.failed.interfaces[end.key])
        if segment is not None and segment.id in self.failed.segments:
            return Down(own, self.failed.segments[segment.id])
        if segment is not None and len(segment.ends) == 1:
            lines = {end.neighbour.name for end in segment.outside}
            if lines and lines <= self.failed.lines.keys():
                return Down(own, self.failed.lines[min(lines)])
        return None

    def with_other_filters(self, network: Network) -> Topology:
        """The same wires, for a network whose devices differ from these in filters alone.

        Nothing is worked out again that no filter can change.
        """
        devices = {device.name: device for device in network.devices}

        def turned(end: Attachment) -> Attachment:
            device = devices[end.device.name]
            interface = device.interface(end.interface.name)
            if interface is None:
                raise ValueError(f"{device.name} has no interface {end.interface.name}")
            return Attachment(device, interface)

        segments = tuple(
            replace(segment, ends=tuple(map(turned, segment.ends))) for segment in self.segments
        )
        segment_of = {end.key: segment for segment in segments for end in segment.ends}
        made = replace(self, network=network, segments=segments, segment_of=segment_of)
        owners = {address: tuple(map(turned, ends)) for address, ends in self.owners.items()}
        down = {
            key: found and Down(turned(found.end), found.failed)
            for key, found in self._down.items()
        }
        vars(made).update(_down=down, owners=owners)
        return made

    def neighbours(self, device: str, interface: str) -> Iterator[Attachment]:
        """The other ends on an interface's segment that are up."""
        segment = self.segment_of.get((device, interface))
        for end in segment.ends if segment else ():
            if end.key != (device, interface) and self.is_up(*end.key):
                yield end

    def answering(self, device: str, interface: str, address: Address) -> Attachment | None:
        """The end on an interface's segment that is up and answers for an address.

        Who asks has to be heard there, and the answer here (RFC 826, RFC 4861 7.2); on a
        point-to-point link nobody asks, and what is sent only has to arrive. The end has the
        address or borrows it, is master of a virtual router with it, or translates it to another.
        A device with Linux processing answers for all its IPv4 addresses everywhere.
        """
        near = [
            end
            for end in self.neighbours(device, interface)
            if self._answer(end, device, interface)
        ]
        for end in near:
            if any(own.ip == address for own in end.device.addresses_on(end.interface)):
                return end
        for master in self._masters_of.get(address, ()):
            for end in near:
                if end.key == master.key:
                    return end
        for end in near:
            if _answers_for(end, address):
                return end
        return None

    def _answer(self, end: Attachment, device: str, interface: str) -> bool:
        """Whether an end hears an interface, and where it asks who is there, is heard by it."""
        return self.is_heard(device, interface) and (
            self.is_heard(*end.key) or end.interface.kind is InterfaceKind.POINT_TO_POINT
        )

    def why_unheard(self, device: str, interface: str, address: Address) -> str:
        """The failure for which nobody answers for an address on a segment; empty: none."""
        segment = self.segment_of.get((device, interface))
        if segment is None:
            return ""
        failed = self.failed
        asked = [
            (device, interface),
            *(end.key for end in segment.ends if end.key != (device, interface)),
        ]
        owners = [end.key for end in self.owners.get(address, ())]
        for key in asked:
            if key in failed.directions and (key == (device, interface) or key in owners):
                return failed.directions[key]
        for end in segment.ends:
            if end.key in owners and end.key != (device, interface):
                down = self._down[end.key]
                if down is not None and down.failed:
                    return down.failed
        for outside in segment.outside:
            if outside.address.ip == address and outside.neighbour.name in failed.lines:
                return failed.lines[outside.neighbour.name]
        return ""

    def virtual_router(self, end: Attachment, address: Address) -> int | None:
        """The number of the virtual router as whose master an end answers; None: by itself."""
        if any(own.ip == address for own in end.interface.addresses):
            return None
        masters = self._masters_of.get(address, ())
        return next((m.router.id for m in masters if m.key == end.key), None)

    def receiver(
        self, device: str, interface: Interface, address: Address
    ) -> Attachment | OutsideEnd | None:
        """Who takes a packet that leaves an interface towards an address; None: nobody.

        A device that answers for it, else an outside neighbour; on a point-to-point link the only
        other end, whatever the address.
        """
        end = self.answering(device, interface.name, address)
        if end is not None:
            return end
        segment = self.segment_of.get((device, interface.name))
        for outside in self.outside_ends(segment):
            if outside.address.ip == address and self.is_heard(device, interface.name):
                return outside
        others = [
            end
            for end in self.neighbours(device, interface.name)
            if self._answer(end, device, interface.name)
        ]
        if interface.kind is InterfaceKind.POINT_TO_POINT and len(others) == 1:
            return others[0]
        return None


def _answers_for(end: Attachment, address: Address) -> bool:
    """Whether an end answers for an address that is not on its interface."""
    if end.device.processing is Processing.LINUX:
        return address.version == 4 and any(
            own.ip == address
            for interface in end.device.interfaces
            if interface.vrf == end.interface.vrf
            for own in interface.addresses
        )
    if not any(address in own.network for own in end.interface.addresses):
        return False
    return any(
        address.version == prefix.version and address in prefix
        for rule in end.device.translation
        for prefix in rule.public_prefixes
        if not rule.match.out_interfaces or end.interface.name in rule.match.out_interfaces
    )


def build_topology(network: Network, failures: Failures = NOTHING_FAILED) -> Topology:
    """Work out the segments of a network, and what is up where some of it has failed.

    Raises:
        UnknownThing: something is said to have failed that is not in the network.

    Every interface that is not a loopback stands in exactly one segment, alone if need be.
    Segments are numbered in the order of their first end, stated links first.
    """
    stated = _stated_groups(network)
    taken = {end.key for _, ends in stated for end in ends}
    free = [
        Attachment(device, interface)
        for device in network.devices
        for interface in device.interfaces
        if interface.kind is not InterfaceKind.LOOPBACK
        and (device.name, interface.name) not in taken
    ]
    segments: list[Segment] = []
    for name, ends in stated:
        segments.append(_segment(len(segments), name, True, ends, network))
    for ends in _joined(free):
        segments.append(_segment(len(segments), _inferred_name(ends), False, ends, network))
    segment_of = {end.key: segment for segment in segments for end in segment.ends}
    return Topology(
        network=network,
        segments=tuple(segments),
        segment_of=segment_of,
        failures=failures,
        failed=spread(failures, network, segment_names(segments)) if failures else Failed(),
    )


def segment_names(segments: Iterable[Segment]) -> dict[str, int]:
    """The numbers of segments by name; by their subnets too where no other is called so."""
    names: dict[str, int] = {}
    for segment in segments:
        names.setdefault(segment.name, segment.id)
    for segment in segments:
        for end in segment.ends:
            for address in joining_addresses(end.interface):
                names.setdefault(str(address.network), segment.id)
    return names


def _stated_groups(network: Network) -> list[tuple[str, list[Attachment]]]:
    devices = {device.name: device for device in network.devices}
    groups = []
    for link in network.links:
        ends = []
        for end in link.ends:
            device = devices.get(end.device)
            interface = device.interface(end.interface) if device else None
            if device and interface:
                ends.append(Attachment(device, interface))
        groups.append((link.name, ends))
    return groups


def _segment(
    number: int, name: str, stated: bool, ends: Iterable[Attachment], network: Network
) -> Segment:
    ends = tuple(ends)
    subnets = {address.network for end in ends for address in end.interface.addresses}
    outside = tuple(
        OutsideEnd(neighbour, address)
        for neighbour in network.outside
        for address in neighbour.addresses
        if address.network in subnets
    )
    return Segment(id=number, name=name, stated=stated, ends=ends, outside=outside)


def joining_addresses(interface: Interface) -> Iterator[InterfaceAddress]:
    """The addresses of an interface that tell which segment it is on."""
    for address in interface.addresses:
        if not address.ip.is_link_local and not is_host_prefix(address.network):
            yield address


def _joined(ends: list[Attachment]) -> list[list[Attachment]]:
    """Groups of interfaces joined by their addresses, in order of first appearance."""
    parent = list(range(len(ends)))

    def root(index: int) -> int:
        while parent[index] != index:
            parent[index] = parent[parent[index]]
            index = parent[index]
        return index

    by_subnet: dict[Prefix, list[tuple[int, InterfaceAddress]]] = defaultdict(list)
    for index, end in enumerate(ends):
        for address in joining_addresses(end.interface):
            by_subnet[address.network].append((index, address))
    for members in by_subnet.values():
        for index, _ in members[1:]:
            parent[root(index)] = root(members[0][0])
    for outer, inner in _nested(by_subnet):
        for left, left_address in by_subnet[outer]:
            for right, right_address in by_subnet[inner]:
                if left_address.ip in inner and right_address.ip in outer:
                    parent[root(left)] = root(right)
    groups: dict[int, list[Attachment]] = defaultdict(list)
    for index, end in enumerate(ends):
        groups[root(index)].append(end)
    return sorted(groups.values(), key=lambda group: group[0].key)


def _nested(subnets: Iterable[Prefix]) -> Iterator[tuple[Prefix, Prefix]]:
    """Pairs of subnets of which the first properly holds the second."""
    known = set(subnets)
    lengths = {
        version: sorted({p.prefixlen for p in known if p.version == version}) for version in (4, 6)
    }
    for inner in known:
        for length in lengths[inner.version]:
            if length >= inner.prefixlen:
                break
            outer = inner.supernet(new_prefix=length)
            if outer in known:
                yield outer, inner


def _inferred_name(ends: list[Attachment]) -> str:
    subnets = [address.network for end in ends for address in joining_addresses(end.interface)]
    return str(subnets[0]) if subnets else str(ends[0])
