"""RIP version 2 (RFC 2453) and RIPng (RFC 2080): the tables when nothing changes any more.

A router announces the networks its RIP interfaces are on with metric 1, what it takes in from
elsewhere with the metric given there, and what it has learned while that route is active in its
table. Who hears an announcement adds the cost of the interface it came by. At 16 a prefix is out of
reach. Since every step adds at least 1, the tables follow from the announcements alone, whatever
was believed before.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from routrel.control.policy.evaluate import PolicyRoute, through_both_ends
from routrel.control.protocol_findings import key_mismatch, one_sided, without_address
from routrel.control.redistribute import Injected
from routrel.control.rib.candidates import (
    DEFAULT_DISTANCE,
    CandidateBuilder,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
    Rows,
    Table,
    limited,
)
from routrel.control.speaking import family_addresses, subnets, version_of, way_address
from routrel.control.vectors import Held, VectorDomain
from routrel.model.addresses import Address
from routrel.model.findings import Finding
from routrel.model.network import Device, Vrf
from routrel.model.policy import PolicyUse
from routrel.model.rip import RipInstance, RipInterface
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
        """What is added to a metric on the way, offsets of both ends included."""
        settings = self.into.settings
        return settings.cost + settings.offset_in + self.out.settings.offset_out


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

    @cached_property
    def hearings(self) -> tuple[RipHearing, ...]:
        """Who hears whom: on one segment, in one subnet, with the same key, sender not passive."""
        on_segment: dict[int, list[tuple[int, RipPort]]] = {}
        for index, router in enumerate(self.routers):
            for port in router.ports:
                segment = self.topology.segment_of.get(port.key)
                if segment is not None and port.way is not None:
                    on_segment.setdefault(segment.id, []).append((index, port))
        return tuple(
            RipHearing(sender, receiver, out, into)
            for members in on_segment.values()
            for sender, out in members
            for receiver, into in members
            if out is not into and not out.settings.passive and self._agree(out, into)
        )

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
        sent, sent_tag = first, tag
        # Policies that lower a metric may lead in a circle; whatever still moves then is told.
        moving = np.zeros(shape, dtype=bool)
        for _ in range(INFINITY + len(self.routers)):
            heard, heard_tag = self._heard(sent, sent_tag)
            passed = np.where(blocked, INFINITY, heard)
            new = np.where(first < INFINITY, first, passed)
            new_tag = np.where(first < INFINITY, tag, heard_tag)
            moving = (new != sent) | (new_tag != sent_tag)
            if not moving.any():
                break
            sent, sent_tag = new, new_tag
        self.sent, self.sent_tag, self.first, self.near = sent, sent_tag, first, near
        self._still_moving(moving, columns)
        return self._learned(heard, heard_tag, near)

    def _announced(
        self, injected: Mapping[int, Sequence[Injected]]
    ) -> tuple[list[dict[int, int]], list[dict[int, int]], list[set[int]]]:
        """By router: the metric of what it announces of its own, its tags, its own networks."""
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
            # Its own default that no route backs must not come back to it from who heard it.
            connected.append(networks | {i.prefix for i in injected.get(index, ()) if not i.backed})
        return own, tags, connected

    def _heard(
        self, sent: NDArray[np.int64], sent_tag: NDArray[np.int64]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        best = np.full(sent.shape, INFINITY, dtype=np.int64)
        tag = np.zeros(sent.shape, dtype=np.int64)
        for hearing in self.hearings:
            metric, heard_tag = self._over(hearing, sent[hearing.sender], sent_tag[hearing.sender])
            better = metric < best[hearing.receiver]
            best[hearing.receiver][better] = metric[better]
            tag[hearing.receiver][better] = heard_tag[better]
        return best, tag

    def _over(
        self, hearing: RipHearing, sent: NDArray[np.int64], tag: NDArray[np.int64]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Metrics and tags as the receiver of one neighbour takes them."""
        metric = np.where(sent < INFINITY, np.minimum(INFINITY, sent + hearing.cost), INFINITY)
        out, into = hearing.out.settings.export_policy, hearing.into.settings.import_policy
        if out is None and into is None:
            return metric, tag
        tag = tag.copy()
        for column in np.flatnonzero(metric < INFINITY).tolist():
            result, _ = self._through_policies(
                hearing, column, int(metric[column]), int(tag[column])
            )
            metric[column] = INFINITY if result is None else min(INFINITY, result.metric)
            tag[column] = 0 if result is None else result.tag
        return metric, tag

    def _through_policies(
        self, hearing: RipHearing, column: int, metric: int, tag: int
    ) -> tuple[PolicyRoute | None, PolicyUse | None]:
        """What both ends' policies leave of a route, and the one that rejected it."""
        route = PolicyRoute(
            prefix=self.interning.prefixes.prefixes[self.columns[column]],
            protocol=self.protocol.id,
            metric=metric,
            tag=tag,
            next_hops=() if hearing.out.way is None else (hearing.out.way,),
            neighbour=hearing.out.way,
        )
        return through_both_ends(
            route,
            (
                (hearing.out.device, hearing.out.settings.export_policy),
                (hearing.into.device, hearing.into.settings.import_policy),
            ),
        )

    def _learned(
        self, heard: NDArray[np.int64], tag: NDArray[np.int64], near: NDArray[np.bool_]
    ) -> Rows:
        hops: dict[tuple[int, int], list[NextHop]] = {}
        for hearing in self.hearings:
            metric, _ = self._over(
                hearing, self.sent[hearing.sender], self.sent_tag[hearing.sender]
            )
            best = (metric == heard[hearing.receiver]) & (metric < INFINITY)
            own = near[hearing.receiver] & (metric >= self.first[hearing.receiver])
            hop = NextHop(hearing.into.interface.name, hearing.out.way)
            for column in np.flatnonzero(best & ~own).tolist():
                hops.setdefault((hearing.receiver, column), []).append(hop)
        self.ways = {at: {hop.interface for hop in found} for at, found in hops.items()}
        builder = CandidateBuilder(self.interning)
        for (index, column), found in hops.items():
            router = self.routers[index]
            builder.add(
                table=self.interning.table_numbers[router.table],
                prefix=int(self.columns[column]),
                kind=RouteKind(
                    self.protocol,
                    router.instance.distance or DEFAULT_DISTANCE[self.protocol],
                    tag=int(tag[index, column]),
                ),
                next_hops=limited(found, router.maximum_paths),
                metric=int(heard[index, column]),
            )
        return builder.array()

    # --- explanations --------------------------------------------------------------------------

    def offers(self, index: int, prefix: int) -> Iterator[RipOffer]:
        """What a router hears of a prefix from each neighbour that has it."""
        column = int(np.searchsorted(self.columns, prefix))
        if column >= len(self.columns) or self.columns[column] != prefix:
            return
        for hearing in self.hearings:
            sent = int(self.sent[hearing.sender, column])
            if hearing.receiver != index or sent >= INFINITY:
                continue
            learned = self.first[hearing.sender, column] >= INFINITY
            back = hearing.out.interface.name in self.ways.get((hearing.sender, column), ())
            if learned and back:
                continue  # split horizon: learned there, not told there (RFC 2453 3.4.3)
            metric = min(INFINITY, sent + hearing.cost)
            tag = int(self.sent_tag[hearing.sender, column])
            result, stopped = None, None
            if metric < INFINITY:
                result, stopped = self._through_policies(hearing, column, metric, tag)
            yield RipOffer(
                hearing=hearing,
                metric=metric if result is None else min(INFINITY, result.metric),
                tag=tag if result is None else result.tag,
                stopped_by=stopped,
                echo=bool(self.near[index, column]) and metric >= int(self.first[index, column]),
            )

    def findings(self) -> Iterator[Finding]:
        """Links of which only one end speaks, and keys that differ."""
        ports = {port.key: port for router in self.routers for port in router.ports}
        yield from without_address(ports, self.protocol, self.version)
        for segment in self.topology.segments:
            yield from one_sided(segment, ports, self.protocol)
            yield from key_mismatch(segment, ports, self.protocol)


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
