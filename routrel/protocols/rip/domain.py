"""RIP version 2 (RFC 2453) and RIPng (RFC 2080): the tables when nothing changes any more.

A router announces the networks its RIP interfaces are on with metric 1, what it takes in from
elsewhere with the metric given there, and what it has learned while that route is active in its
table, but not out of the interface it was learned by (split horizon, RFC 2453 3.4.3). On the way an
announcement meets the sender's policy and offset, then the cost of the interface it came by, then
the receiver's policy (3.9.2). At 16 a prefix is out of reach. Since every step adds at least 1, the
tables follow from the announcements alone, whatever was believed before.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address
from routrel.model.findings import Finding
from routrel.model.network import Device, Vrf
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.model.rip import RipInstance, RipInterface
from routrel.policy.evaluate import PolicyRoute, sets_metric, through_both_ends
from routrel.policy.redistribute import Injected
from routrel.protocols.shared.findings import key_mismatch, one_sided, without_address
from routrel.protocols.shared.speaking import family_addresses, subnets, version_of, way_address
from routrel.protocols.shared.vectors import ALL_HEAR, Held, Told, VectorDomain
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    CandidateBuilder,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
    Rows,
    Table,
    hop_order,
    limited,
)
from routrel.topology.segments import Attachment, Topology

__all__ = ["INFINITY", "RipDomain", "RipHearing", "RipOffer", "RipPort", "RipRouter"]

INFINITY = 16
CONNECTED_METRIC = 1
INJECTED_METRIC = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class RipPort(Attachment):
    """One up interface that runs RIP."""

    settings: RipInterface
    way: Address | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RipRouter:
    """RIP in one VRF of a device."""

    table: Table
    device: Device
    vrf: Vrf
    instance: RipInstance
    ports: tuple[RipPort, ...]

    @property
    def maximum_paths(self) -> int:
        return self.instance.maximum_paths or self.vrf.maximum_paths


@dataclass(frozen=True, slots=True)
class RipHearing:
    """One router hears another: indices of both, and by which interfaces."""

    sender: int
    receiver: int
    out: RipPort
    into: RipPort

    @property
    def cost(self) -> int:
        """What the receiver adds to the metric it is sent."""
        return self.into.settings.cost + self.into.settings.offset_in


@dataclass(frozen=True, slots=True, kw_only=True)
class RipOffer:
    """What a router hears of a prefix from one neighbour."""

    hearing: RipHearing
    metric: int  #: at the receiver; 16: out of reach
    tag: int
    stopped_by: PolicyUse | None  #: the policy that keeps it away
    echo: bool  #: the receiver announces the prefix itself, at least as near


class RipDomain(VectorDomain):
    """All RIP routers of one version."""

    routers: tuple[RipRouter, ...]

    def __init__(self, topology: Topology, protocol: Protocol, interning: Interning) -> None:
        super().__init__(protocol, interning, tuple(_routers(topology, protocol)))
        self.topology = topology
        self.version = version_of(protocol.id)
        #: By sending and hearing port, prefix, metric and tag: both as policies leave them.
        self._passed: dict[tuple[int, int, int, int, int], tuple[int, int]] = {}

    @cached_property
    def hearings(self) -> tuple[RipHearing, ...]:
        """Who hears whom: on one segment, in one subnet, with the same key, sender not passive.

        In the order in which a receiver keeps equal ways.
        """
        on_segment: dict[int, list[tuple[int, RipPort]]] = {}
        for index, router in enumerate(self.routers):
            for port in router.ports:
                segment = self.topology.segment_of.get(port.key)
                if segment is not None and port.way is not None:
                    on_segment.setdefault(segment.id, []).append((index, port))
        found = (
            RipHearing(sender, receiver, out, into)
            for members in on_segment.values()
            for sender, out in members
            for receiver, into in members
            if out is not into and not out.settings.passive and self._agree(out, into)
        )
        return tuple(sorted(found, key=_way_order))

    def _agree(self, out: RipPort, into: RipPort) -> bool:
        if out.settings.authentication != into.settings.authentication:
            return False
        if self.version == 6:
            return True  # RIPng speaks between link-local addresses (RFC 2080 2.5.2)
        return not family_addresses(into.interface, 4) or any(
            out.way in subnet for subnet in subnets(into.interface, 4)
        )

    # --- routes --------------------------------------------------------------------------------

    def _settle(
        self,
        held: Held,
        injected: Mapping[int, Sequence[Injected]],
    ) -> Rows:
        own, tags, connected = self._announced(injected)
        self.columns = columns = np.array(sorted({p for row in own for p in row}), dtype=np.int32)
        at = {prefix: column for column, prefix in enumerate(columns.tolist())}
        shape = (len(self.routers), len(columns))
        first = np.full(shape, INFINITY, dtype=np.int64)
        tag = np.zeros(shape, dtype=np.int64)
        near = np.zeros(shape, dtype=bool)
        blocked = np.zeros(shape, dtype=bool)
        for index in range(len(self.routers)):
            for prefix, metric in own[index].items():
                first[index, at[prefix]] = metric
                tag[index, at[prefix]] = tags[index].get(prefix, 0)
                near[index, at[prefix]] = prefix in connected[index]
            blocked[index] = np.isin(columns, held[index])
        own_first = first < INFINITY
        begin = Told((first, tag), np.zeros((len(self.port_numbers), len(columns)), dtype=bool))

        def step(told: Told, deaf: frozenset[int]) -> Told:
            heard = self._heard(told, deaf)
            metric, heard_tag = heard.values
            return Told(
                (
                    np.where(own_first, first, np.where(blocked, INFINITY, metric)),
                    np.where(own_first, tag, heard_tag),
                ),
                self._told_elsewhere(heard.learned_by, own_first),
            )

        self.first, self.near = first, near
        self.told = self._rest(begin, step, columns, self._turning_ports)
        return self._learned(self._heard(self.told), near)

    def _announced(
        self, injected: Mapping[int, Sequence[Injected]]
    ) -> tuple[list[dict[int, int]], list[dict[int, int]], list[set[int]]]:
        """By router: the metric of what it announces of its own, its tags, its own networks."""
        self.own_places = {
            (index, item.prefix): item.place for index, items in injected.items() for item in items
        }
        own: list[dict[int, int]] = []
        tags: list[dict[int, int]] = []
        connected: list[set[int]] = []
        for index, router in enumerate(self.routers):
            networks = {
                self.interning.prefixes.add(subnet)
                for port in router.ports
                for subnet in subnets(port.interface, self.version)
            }
            metrics = {
                item.prefix: min(INFINITY, INJECTED_METRIC if item.metric is None else item.metric)
                for item in injected.get(index, ())
            }
            own.append({**metrics, **dict.fromkeys(networks, CONNECTED_METRIC)})
            tags.append({item.prefix: item.tag & 0xFFFF for item in injected.get(index, ())})
            # Nobody's default is nearer to a router than one that it always announces itself.
            connected.append(networks | {i.prefix for i in injected.get(index, ()) if i.always})
        return own, tags, connected

    @cached_property
    def _turning_ports(self) -> Sequence[int]:
        """The ports that hear, where a policy between neighbours sets metrics."""
        uses = [
            (port.device, use)
            for router in self.routers
            for port in router.ports
            for use in (port.settings.import_policy, port.settings.export_policy)
            if use is not None
        ]
        if not any(sets_metric(device, use) for device, use in uses):
            return ()
        return sorted({self.port_numbers[hearing.into.key] for hearing in self.hearings})

    def _heard(self, told: Told, deaf: frozenset[int] = ALL_HEAR) -> Told:
        """Metric and tag of the best each router hears, and the ports it keeps ways by.

        Args:
            deaf: Ports that hear nothing.
        """
        shape = told.values[0].shape
        best = np.full(shape, INFINITY, dtype=np.int64)
        tag = np.zeros(shape, dtype=np.int64)
        hearings = [h for h in self.hearings if self.port_numbers[h.into.key] not in deaf]
        taken = [self._over(hearing, told) for hearing in hearings]
        for hearing, (metric, heard_tag) in zip(hearings, taken, strict=True):
            better = metric < best[hearing.receiver]
            best[hearing.receiver][better] = metric[better]
            tag[hearing.receiver][better] = heard_tag[better]
        by = np.zeros(told.learned_by.shape, dtype=bool)
        kept = np.zeros(shape, dtype=np.int64)
        for hearing, (metric, _) in zip(hearings, taken, strict=True):
            room = kept[hearing.receiver] < self.routers[hearing.receiver].maximum_paths
            used = (metric == best[hearing.receiver]) & (metric < INFINITY) & room
            by[self.port_numbers[hearing.into.key]] |= used
            kept[hearing.receiver] += used
        return Told((best, tag), by)

    def _over(self, hearing: RipHearing, told: Told) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Metrics and tags as the receiver of one neighbour takes them."""
        metrics, tags = told.values
        back = told.learned_by[self.port_numbers[hearing.out.key]]
        sent, tag = np.where(back, INFINITY, metrics[hearing.sender]), tags[hearing.sender]
        if not hearing.out.settings.export_policy and not hearing.into.settings.import_policy:
            sent = _on_the_wire(sent + hearing.out.settings.offset_out)
            return np.minimum(INFINITY, sent + hearing.cost), tag
        metric, tag = np.full_like(sent, INFINITY), tag.copy()
        ports = self.port_numbers[hearing.out.key], self.port_numbers[hearing.into.key]
        for column in np.flatnonzero(sent < INFINITY).tolist():
            key = (*ports, int(self.columns[column]), int(sent[column]), int(tag[column]))
            if key not in self._passed:
                result, _ = self._through_policies(hearing, column, *key[3:])
                self._passed[key] = (
                    (INFINITY, 0) if result is None else (min(INFINITY, result.metric), result.tag)
                )
            metric[column], tag[column] = self._passed[key]
        return metric, tag

    def _through_policies(
        self, hearing: RipHearing, column: int, metric: int, tag: int
    ) -> tuple[PolicyRoute | None, PolicyUse | None]:
        """What the way to a neighbour leaves of a route, and the policy that rejected it.

        Args:
            metric: The sender's own.
        """
        out = hearing.out
        route = PolicyRoute(
            prefix=self.interning.prefixes.prefixes[self.columns[column]],
            protocol=self.protocol.id,
            metric=metric,
            tag=tag,
            next_hops=() if out.way is None else (out.way,),
            neighbour=hearing.into.way,
        )

        def arrived(sent: PolicyRoute) -> PolicyRoute | None:
            metric = int(_on_the_wire(np.int64(sent.metric + out.settings.offset_out)))
            metric += hearing.cost
            return None if metric >= INFINITY else replace(sent, metric=metric, neighbour=out.way)

        return through_both_ends(
            route,
            (out.device, out.settings.export_policy),
            arrived,
            (hearing.into.device, hearing.into.settings.import_policy),
        )

    def _learned(self, heard: Told, near: NDArray[np.bool_]) -> Rows:
        metrics, tags = heard.values
        hops: dict[tuple[int, int], list[NextHop]] = {}
        for hearing in self.hearings:
            metric, _ = self._over(hearing, self.told)
            best = (metric == metrics[hearing.receiver]) & (metric < INFINITY)
            own = near[hearing.receiver] & (metric >= self.first[hearing.receiver])
            hop = NextHop(hearing.into.interface.name, hearing.out.way)
            for column in np.flatnonzero(best & ~own).tolist():
                hops.setdefault((hearing.receiver, column), []).append(hop)
        builder = CandidateBuilder(self.interning)
        for (index, column), found in hops.items():
            router = self.routers[index]
            builder.add(
                table=self.interning.table_numbers[router.table],
                prefix=int(self.columns[column]),
                kind=RouteKind(
                    self.protocol,
                    router.instance.distance or DEFAULT_DISTANCE[self.protocol],
                    tag=int(tags[index, column]),
                ),
                next_hops=limited(found, router.maximum_paths),
                metric=int(metrics[index, column]),
            )
        return builder.array()

    # --- explanations --------------------------------------------------------------------------

    def offers(self, index: int, prefix: int) -> Iterator[RipOffer]:
        """What a router hears of a prefix from each neighbour that has it."""
        column = int(np.searchsorted(self.columns, prefix))
        if column >= len(self.columns) or self.columns[column] != prefix:
            return
        for hearing in self.hearings:
            metrics, tags = self.told.values
            sent, tag = int(metrics[hearing.sender, column]), int(tags[hearing.sender, column])
            back = self.told.learned_by[self.port_numbers[hearing.out.key], column]
            if hearing.receiver != index or sent >= INFINITY or back:
                continue
            result, stopped = self._through_policies(hearing, column, sent, tag)
            if result is not None:
                metric = result.metric
            else:  # without a policy that stops it, it is out of reach
                metric = self._plain_metric(hearing, sent) if stopped else INFINITY
            yield RipOffer(
                hearing=hearing,
                metric=min(INFINITY, metric),
                tag=tag if result is None else result.tag,
                stopped_by=stopped,
                echo=bool(self.near[index, column]) and metric >= int(self.first[index, column]),
            )

    def origin(self, hearing: RipHearing, prefix: int) -> Place:
        """The line by which what a neighbour tells of a prefix came into RIP."""
        column = int(np.searchsorted(self.columns, prefix))
        index, passed = hearing.sender, set[int]()
        heard, _ = self._heard(self.told).values
        while self.first[index, column] >= INFINITY and index not in passed:
            passed.add(index)
            for other in self.hearings:
                metric, _ = self._over(other, self.told)
                if other.receiver == index and metric[column] == heard[index, column]:
                    index = other.sender
                    break
        held = self.interning.prefixes.prefixes[prefix]
        router = self.routers[index]
        for port in router.ports:
            if held in subnets(port.interface, self.version):
                return port.settings.place
        return self.own_places.get((index, prefix), router.instance.place)

    def _plain_metric(self, hearing: RipHearing, sent: int) -> int:
        """The metric a route would have at the receiver but for the policies."""
        wire = _on_the_wire(np.int64(sent + hearing.out.settings.offset_out))
        return int(wire) + hearing.cost

    def findings(self) -> Iterator[Finding]:
        """Links of which only one end speaks, and keys that differ."""
        ports = {port.key: port for router in self.routers for port in router.ports}
        yield from without_address(ports, self.protocol, self.version)
        for segment in self.topology.segments:
            yield from one_sided(segment, ports, self.protocol)
            yield from key_mismatch(segment, ports, self.protocol)


def _way_order(hearing: RipHearing) -> tuple[int, tuple[str, int]]:
    return hearing.receiver, hop_order(NextHop(hearing.into.interface.name, hearing.out.way))


def _on_the_wire(metric: NDArray[np.int64] | np.int64) -> NDArray[np.int64]:
    """What a receiver takes a metric for: outside 1 to 16 the entry is ignored (3.9.2)."""
    return np.where((metric < 1) | (metric > INFINITY), INFINITY, metric)


def _routers(topology: Topology, protocol: Protocol) -> Iterator[RipRouter]:
    key = protocol.id
    version = version_of(key)
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = getattr(vrf, key)
            if instance is None:
                continue
            yield RipRouter(
                table=(device.name, vrf.name),
                device=device,
                vrf=vrf,
                instance=instance,
                ports=tuple(
                    RipPort(
                        device=device,
                        interface=interface,
                        settings=getattr(interface, key),
                        way=way_address(device, interface, version),
                    )
                    for interface in device.interfaces
                    if interface.vrf == vrf.name
                    and getattr(interface, key) is not None
                    and topology.is_up(device.name, interface.name)
                ),
            )
