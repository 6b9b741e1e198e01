"""Which intermediate systems there are, and which of them become adjacent at which level."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator
from dataclasses import dataclass, replace
from itertools import combinations

from routrel.model.addresses import Address
from routrel.model.findings import Finding
from routrel.model.isis import IsisInstance, IsisInterface, IsisNetworkType
from routrel.model.network import Device, Interface, InterfaceKind, Vrf
from routrel.protocols.shared.findings import asymmetric, one_sided
from routrel.protocols.shared.refusals import Refusal, lost_neighbour, refused
from routrel.protocols.shared.speaking import way_address
from routrel.rib.candidates import DEFAULT_DISTANCE, Protocol, Table
from routrel.topology.segments import Attachment, Topology

__all__ = ["Circuit", "System", "Systems"]

DEFAULT_METRIC = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class Circuit(Attachment):
    """One up interface that runs IS-IS."""

    settings: IsisInterface
    levels: tuple[int, ...]  #: of the circuit, as far as the system has them
    network_type: IsisNetworkType
    area: str

    def metric(self, level: int) -> int:
        """The wide metric (RFC 5305 3); a loopback's is 0 unless written."""
        if level == 1 and self.settings.level_1_metric is not None:
            return self.settings.level_1_metric
        if self.settings.metric is not None:
            return self.settings.metric
        return 0 if self.interface.kind is InterfaceKind.LOOPBACK else DEFAULT_METRIC

    def way(self, version: int) -> Address | None:
        """What neighbours use as next hop."""
        return way_address(self.device, self.interface, version)


@dataclass(frozen=True, slots=True, kw_only=True)
class System:
    """IS-IS in one VRF of a device."""

    table: Table
    device: Device
    vrf: Vrf
    instance: IsisInstance
    circuits: tuple[Circuit, ...]

    @property
    def levels(self) -> tuple[int, ...]:
        return self.instance.level.numbers

    @property
    def maximum_paths(self) -> int:
        """How many equal ways it uses at most."""
        return self.instance.maximum_paths or self.vrf.maximum_paths

    @property
    def distance(self) -> int:
        """At which its routes come to the table."""
        return self.instance.distance or DEFAULT_DISTANCE[Protocol.ISIS]


class Systems:
    """All systems of the network, with the adjacencies of each level."""

    def __init__(self, topology: Topology) -> None:
        self.topology = topology
        self.systems = tuple(_systems(topology))
        self.index_of = {system.table: index for index, system in enumerate(self.systems)}
        #: By level: pairs of (system index, circuit) on point-to-point links.
        self.links: dict[int, list[tuple[tuple[int, Circuit], tuple[int, Circuit]]]] = {
            1: [],
            2: [],
        }
        #: By level: those who share a broadcast network.
        self.networks: dict[int, list[list[tuple[int, Circuit]]]] = {1: [], 2: []}
        self.refusals: list[Refusal] = []
        on_segment: dict[Hashable, list[tuple[int, Circuit]]] = defaultdict(list)
        for index, system in enumerate(self.systems):
            for circuit in system.circuits:
                group = topology.hearing(*circuit.key)
                if group is not None and not circuit.settings.passive:
                    on_segment[group].append((index, circuit))
        for members in on_segment.values():
            self._meet(members)

    def _meet(self, members: list[tuple[int, Circuit]]) -> None:
        for left, right in combinations(members, 2):
            refusal = self._refusal(left, right, crowd=len(members))
            if refusal is not None:
                self.refusals.append(refusal)
            elif left[1].network_type is IsisNetworkType.POINT_TO_POINT:
                for level in _common_levels(left[1], right[1]):
                    self.links[level].append((left, right))
        for level in (1, 2):
            groups: dict[tuple[object, ...], list[tuple[int, Circuit]]] = defaultdict(list)
            for index, circuit in members:
                if circuit.network_type is IsisNetworkType.BROADCAST and level in circuit.levels:
                    groups[_terms(circuit, level)].append((index, circuit))
            for group in groups.values():
                ids = [self.systems[index].instance.net.system for index, _ in group]
                alone = [m for m, system in zip(group, ids, strict=True) if ids.count(system) == 1]
                alone = self._with_designated(alone)
                if len(alone) > 1:
                    self.networks[level].append(alone)

    def _with_designated(self, members: list[tuple[int, Circuit]]) -> list[tuple[int, Circuit]]:
        """Those of a broadcast network who hear its designated system, itself among them.

        The highest priority is designated, then, for want of addresses of layer 2, the highest
        system id (ISO 10589 8.4.5).
        """
        if not any(circuit.interface.lost for _, circuit in members):
            return members
        first = max(
            members,
            key=lambda m: (m[1].settings.priority, self.systems[m[0]].instance.net.system),
        )
        return [
            member
            for member in members
            if member is first or lost_neighbour(first[1], member[1], "isis") is None
        ]

    def _refusal(
        self, left: tuple[int, Circuit], right: tuple[int, Circuit], crowd: int
    ) -> Refusal | None:
        """Why two circuits do not become adjacent (ISO 10589 8.2, 8.4); None where they do."""
        one, other = left[1], right[1]

        def refused(code: str, text: str) -> Refusal:
            return Refusal(one, other, f"isis_{code}", text)

        mine, theirs = (self.systems[index].instance.net for index, _ in (left, right))
        if mine.system == theirs.system:
            return refused("duplicate_system_id", f"both have the system id {mine.system}")
        if not set(one.levels) & set(other.levels):
            a, b = ("-".join(map(str, circuit.levels)) for circuit in (one, other))
            return refused("level_mismatch", f"level {a} against level {b}")
        if not _common_levels(one, other):
            return refused("area_mismatch", f"area {one.area} against {other.area} at level 1")
        if one.network_type is not other.network_type:
            a, b = one.network_type.value, other.network_type.value
            return refused("network_mismatch", f"{a} against {b}")
        if one.settings.authentication != other.settings.authentication:
            a, b = (c.settings.authentication or "none" for c in (one, other))
            return refused("authentication_mismatch", f"key {a} against {b}")
        if one.network_type is IsisNetworkType.POINT_TO_POINT and crowd > 2:
            return refused("crowded", f"{crowd} systems on a point-to-point network")
        lost = lost_neighbour(one, other, "isis")
        if lost is not None:
            return lost
        checks = one.settings.mtu_check and other.settings.mtu_check
        if checks and one.interface.mtu != other.interface.mtu:
            small, large = sorted((one, other), key=lambda circuit: circuit.interface.mtu)
            text = (
                f"MTU {small.interface.mtu} bytes at {small} against {large.interface.mtu} at "
                f"{large}"
            )
            return replace(refused("mtu_mismatch", text), place=small.interface.mtu_place)
        return None

    def findings(self) -> Iterator[Finding]:
        """Refused adjacencies, links of which only one end speaks, costs that differ."""
        for refusal in self.refusals:
            yield refused(refusal, "form no IS-IS adjacency")
        circuits = {c.key: c for system in self.systems for c in system.circuits}
        for segment in self.topology.segments:
            yield from one_sided(segment, circuits, Protocol.ISIS)
        told = set()
        for level in (1, 2):
            for (_, left), (_, right) in self.links[level]:
                if left.metric(level) != right.metric(level) and (left.key, right.key) not in told:
                    told.add((left.key, right.key))
                    costs = (left.metric(level), right.metric(level))
                    yield asymmetric(left, right, costs, "IS-IS metric")


def _common_levels(left: Circuit, right: Circuit) -> list[int]:
    """The levels two circuits can be adjacent at: level 1 only inside one area."""
    return [
        level
        for level in (1, 2)
        if level in left.levels
        and level in right.levels
        and (level == 2 or left.area == right.area)
    ]


def _terms(circuit: Circuit, level: int) -> tuple[object, ...]:
    """What all on a broadcast network must have in common."""
    mtu = circuit.interface.mtu if circuit.settings.mtu_check else None
    return circuit.area if level == 1 else None, circuit.settings.authentication, mtu


def _systems(topology: Topology) -> Iterator[System]:
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = vrf.isis
            if instance is None:
                continue
            yield System(
                table=(device.name, vrf.name),
                device=device,
                vrf=vrf,
                instance=instance,
                circuits=tuple(
                    _circuit(device, interface, interface.isis, instance)
                    for interface in device.interfaces
                    if interface.vrf == vrf.name
                    and interface.isis
                    and topology.is_up(device.name, interface.name)
                ),
            )


def _circuit(
    device: Device, interface: Interface, settings: IsisInterface, instance: IsisInstance
) -> Circuit:
    by_kind = (
        IsisNetworkType.POINT_TO_POINT
        if interface.kind is InterfaceKind.POINT_TO_POINT or interface.unnumbered
        else IsisNetworkType.BROADCAST
    )
    wanted = (settings.level or instance.level).numbers
    return Circuit(
        device=device,
        interface=interface,
        settings=settings,
        levels=tuple(level for level in wanted if level in instance.level.numbers),
        network_type=settings.network_type or by_kind,
        area=instance.net.area,
    )
