"""Which EIGRP routers there are, and which of them are neighbours."""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from dataclasses import dataclass
from ipaddress import IPv4Address
from itertools import combinations

from routrel.model.addresses import Address
from routrel.model.eigrp import EigrpInstance, EigrpInterface
from routrel.model.findings import Finding, Severity
from routrel.model.network import Device, Vrf
from routrel.protocols.shared.findings import one_sided
from routrel.protocols.shared.refusals import Refusal, lost_neighbour, refused
from routrel.protocols.shared.speaking import own_router_id, subnets, way_address
from routrel.rib.candidates import Protocol, Table
from routrel.topology.segments import Attachment, Topology

__all__ = ["EigrpNeighbour", "EigrpPort", "EigrpRouter", "Neighbours"]


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpPort(Attachment):
    """One up interface that runs EIGRP."""

    settings: EigrpInterface

    def way(self, version: int) -> Address | None:
        """What neighbours use as next hop."""
        return way_address(self.device, self.interface, version)


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpRouter:
    """EIGRP in one VRF of a device."""

    table: Table
    device: Device
    vrf: Vrf
    instance: EigrpInstance
    router_id: IPv4Address
    ports: tuple[EigrpPort, ...]

    @property
    def maximum_paths(self) -> int:
        """How many equal ways it uses at most."""
        return self.instance.maximum_paths or self.vrf.maximum_paths


@dataclass(frozen=True, slots=True)
class EigrpNeighbour:
    """One router hears a neighbour in one address family."""

    sender: int
    receiver: int
    out: EigrpPort
    into: EigrpPort
    version: int


class Neighbours:
    """All EIGRP routers and who hears whom."""

    def __init__(self, topology: Topology) -> None:
        self.topology = topology
        self.routers = tuple(_routers(topology))
        directed: list[EigrpNeighbour] = []
        refusals: list[Refusal] = []
        on_segment: dict[Hashable, list[tuple[int, EigrpPort]]] = {}
        for index, router in enumerate(self.routers):
            for port in router.ports:
                group = topology.hearing(*port.key)
                if group is not None and not port.settings.passive:
                    on_segment.setdefault(group, []).append((index, port))
        for members in on_segment.values():
            for left, right in combinations(members, 2):
                refusal = self._refusal(left, right)
                if refusal is not None:
                    refusals.append(refusal)
                    continue
                for version in (4, 6):
                    if _speak(left[1], right[1], version):
                        for (sender, out), (receiver, into) in ((left, right), (right, left)):
                            directed.append(EigrpNeighbour(sender, receiver, out, into, version))
        self.directed = tuple(directed)
        self.refusals = tuple(refusals)

    def _refusal(self, left: tuple[int, EigrpPort], right: tuple[int, EigrpPort]) -> Refusal | None:
        mine, theirs = self.routers[left[0]].instance, self.routers[right[0]].instance
        one, other = left[1], right[1]
        lost = lost_neighbour(one, other, "eigrp")
        if lost is not None:
            return lost
        if mine.autonomous_system != theirs.autonomous_system:
            text = f"AS {mine.autonomous_system} against {theirs.autonomous_system}"
            return Refusal(one, other, "eigrp_as_mismatch", text)
        if mine.k_values != theirs.k_values:
            shown = (" ".join(map(str, values.k_values)) for values in (mine, theirs))
            return Refusal(one, other, "eigrp_k_mismatch", "K values " + " against ".join(shown))
        a, b = one.settings.authentication, other.settings.authentication
        if a != b:
            text = f"key {a or 'none'} against {b or 'none'}"
            return Refusal(one, other, "eigrp_authentication_mismatch", text)
        fours = [subnets(port.interface, 4) for port in (one, other)]
        if fours[0] and fours[1] and not _share_subnet(one, other):
            text = f"{fours[0][0]} against {fours[1][0]}"
            return Refusal(one, other, "eigrp_subnet_mismatch", text)
        return None

    def findings(self) -> Iterator[Finding]:
        """Refused neighbours, links of which only one end speaks, and router ids given twice."""
        for refusal in self.refusals:
            yield refused(refusal, "are no EIGRP neighbours")
        ports = {port.key: port for router in self.routers for port in router.ports}
        for segment in self.topology.segments:
            yield from one_sided(segment, ports, Protocol.EIGRP)
        first_with: dict[IPv4Address, EigrpRouter] = {}
        for router in self.routers:
            first = first_with.setdefault(router.router_id, router)
            if first.table != router.table:
                yield Finding(
                    severity=Severity.WARNING,
                    code="eigrp_duplicate_router_id",
                    text=f"{router.table[0]} and {first.table[0]} both have the EIGRP router id "
                    f"{router.router_id}; neither takes external routes of the other",
                    suggestion="give each router its own",
                    place=router.instance.place,
                    device=router.table[0],
                    also=(first.instance.place,),
                )


def _share_subnet(left: EigrpPort, right: EigrpPort) -> bool:
    a, b = left.way(4), right.way(4)
    return any(b in subnet for subnet in subnets(left.interface, 4)) and any(
        a in subnet for subnet in subnets(right.interface, 4)
    )


def _speak(left: EigrpPort, right: EigrpPort, version: int) -> bool:
    """Whether both ports can send packets of a family to each other."""
    return left.way(version) is not None and right.way(version) is not None


def _routers(topology: Topology) -> Iterator[EigrpRouter]:
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = vrf.eigrp
            if instance is None:
                continue
            interfaces = [i for i in device.interfaces if i.vrf == vrf.name]
            router_id = own_router_id(device, vrf, instance.router_id) or IPv4Address(0)
            yield EigrpRouter(
                table=(device.name, vrf.name),
                device=device,
                vrf=vrf,
                instance=instance,
                router_id=router_id,
                ports=tuple(
                    EigrpPort(device=device, interface=interface, settings=interface.eigrp)
                    for interface in interfaces
                    if interface.eigrp and topology.is_up(device.name, interface.name)
                ),
            )
