"""What RIP routers announce of their own, and what becomes of it on the way to each other."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from routrel.model.place import Place
from routrel.policy.evaluate import PolicyRoute, Rejecting, through_both_ends
from routrel.policy.redistribute import Injected
from routrel.protocols.rip.neighbours import RipNeighbour, RipRouter
from routrel.protocols.shared.speaking import announced_subnets, subnets
from routrel.protocols.shared.vectors import ALL_HEAR, Told
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    CandidateBuilder,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
    Rows,
    limited,
)

__all__ = ["INFINITY", "RipAnnouncements", "RipNetwork", "RipOffer", "announced"]

INFINITY = 16
CONNECTED_METRIC = 1
INJECTED_METRIC = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class RipNetwork:
    """All routers of a version, and who hears whom."""

    protocol: Protocol
    version: int
    interning: Interning
    routers: tuple[RipRouter, ...]
    directed: tuple[RipNeighbour, ...]
    port_numbers: Mapping[tuple[str, str], int]
    #: By sending and neighbour port, prefix, metric and tag: metric and tag as policies leave them.
    passed: dict[tuple[int, int, int, int, int], tuple[int, int]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class RipOffer:
    """What a router hears of a prefix from one neighbour."""

    neighbour: RipNeighbour
    metric: int  #: at the receiver; 16: out of reach
    tag: int
    stopped_by: Rejecting | None  #: the policy that keeps it away
    echo: bool  #: the receiver announces the prefix itself, at least as near


@dataclass(frozen=True, slots=True, kw_only=True)
class RipAnnouncements:
    """What routers announce of their own. Arrays are [router, column]."""

    network: RipNetwork
    columns: NDArray[np.int32]  #: prefix numbers, rising
    first: NDArray[np.int64]  #: metrics of what is announced; infinity: nothing
    tag: NDArray[np.int64]
    near: NDArray[np.bool_]  #: its own networks, and the default that it always announces
    places: Mapping[
        tuple[int, int], Place
    ]  #: by router and prefix: where what it takes in is stated

    @property
    def begin(self) -> Told:
        ports = np.zeros((len(self.network.port_numbers), len(self.columns)), dtype=bool)
        return Told((self.first, self.tag), ports)

    def column(self, prefix: int) -> int | None:
        """The column of a prefix number; None where nobody announces it."""
        at = int(np.searchsorted(self.columns, prefix))
        return at if at < len(self.columns) and self.columns[at] == prefix else None

    def heard(self, told: Told, deaf: frozenset[int] = ALL_HEAR) -> Told:
        """Metric and tag of the best each router hears, and the ports it keeps ways by.

        Args:
            deaf: Ports that hear nothing.
        """
        network = self.network
        shape = told.values[0].shape
        best = np.full(shape, INFINITY, dtype=np.int64)
        tag = np.zeros(shape, dtype=np.int64)
        directed = [h for h in network.directed if network.port_numbers[h.into.key] not in deaf]
        taken = [self.over(neighbour, told) for neighbour in directed]
        for neighbour, (metric, heard_tag) in zip(directed, taken, strict=True):
            better = metric < best[neighbour.receiver]
            best[neighbour.receiver][better] = metric[better]
            tag[neighbour.receiver][better] = heard_tag[better]
        by = np.zeros(told.learned_by.shape, dtype=bool)
        kept = np.zeros(shape, dtype=np.int64)
        for neighbour, (metric, _) in zip(directed, taken, strict=True):
            room = kept[neighbour.receiver] < network.routers[neighbour.receiver].maximum_paths
            used = (metric == best[neighbour.receiver]) & (metric < INFINITY) & room
            by[network.port_numbers[neighbour.into.key]] |= used
            kept[neighbour.receiver] += used
        return Told((best, tag), by)

    def over(
        self, neighbour: RipNeighbour, told: Told
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Metrics and tags as the receiver of one neighbour takes them."""
        numbers = self.network.port_numbers
        metrics, tags = told.values
        back = told.learned_by[numbers[neighbour.out.key]]
        sent, tag = np.where(back, INFINITY, metrics[neighbour.sender]), tags[neighbour.sender]
        if not neighbour.out.settings.export_policy and not neighbour.into.settings.import_policy:
            sent = _on_the_wire(sent + neighbour.out.settings.offset_out)
            return np.minimum(INFINITY, sent + neighbour.cost), tag
        metric, tag = np.full_like(sent, INFINITY), tag.copy()
        ports = numbers[neighbour.out.key], numbers[neighbour.into.key]
        passed = self.network.passed
        for column in np.flatnonzero(sent < INFINITY).tolist():
            key = (*ports, int(self.columns[column]), int(sent[column]), int(tag[column]))
            if key not in passed:
                result, _ = self.through_policies(neighbour, column, *key[3:])
                passed[key] = (
                    (INFINITY, 0) if result is None else (min(INFINITY, result.metric), result.tag)
                )
            metric[column], tag[column] = passed[key]
        return metric, tag

    def through_policies(
        self, neighbour: RipNeighbour, column: int, metric: int, tag: int
    ) -> tuple[PolicyRoute | None, Rejecting | None]:
        """What the way to a neighbour leaves of a route, and the policy that rejected it.

        Args:
            metric: The sender's own.
        """
        out = neighbour.out
        route = PolicyRoute(
            prefix=self.network.interning.prefixes.prefixes[self.columns[column]],
            protocol=self.network.protocol.id,
            metric=metric,
            tag=tag,
            next_hops=() if out.way is None else (out.way,),
            neighbour=neighbour.into.way,
        )

        def arrived(sent: PolicyRoute) -> PolicyRoute | None:
            metric = int(_on_the_wire(np.int64(sent.metric + out.settings.offset_out)))
            metric += neighbour.cost
            return None if metric >= INFINITY else replace(sent, metric=metric, neighbour=out.way)

        return through_both_ends(
            route,
            (out.device, out.settings.export_policy),
            arrived,
            (neighbour.into.device, neighbour.into.settings.import_policy),
        )

    def learned(self, told: Told) -> Rows:
        """The routes of all routers, given what all tell once nothing changes any more."""
        network = self.network
        metrics, tags = self.heard(told).values
        hops: dict[tuple[int, int], list[NextHop]] = {}
        for neighbour in network.directed:
            metric, _ = self.over(neighbour, told)
            best = (metric == metrics[neighbour.receiver]) & (metric < INFINITY)
            own = self.near[neighbour.receiver] & (metric >= self.first[neighbour.receiver])
            hop = NextHop(neighbour.into.interface.name, neighbour.out.way)
            for column in np.flatnonzero(best & ~own).tolist():
                hops.setdefault((neighbour.receiver, column), []).append(hop)
        builder = CandidateBuilder(network.interning)
        for (index, column), found in hops.items():
            router = network.routers[index]
            builder.add(
                table=network.interning.table_numbers[router.table],
                prefix=int(self.columns[column]),
                kind=RouteKind(
                    network.protocol,
                    router.instance.distance or DEFAULT_DISTANCE[network.protocol],
                    tag=int(tags[index, column]),
                ),
                next_hops=limited(found, router.maximum_paths),
                metric=int(metrics[index, column]),
            )
        return builder.array()

    # --- why -----------------------------------------------------------------------------------

    def offers(self, told: Told, index: int, prefix: int) -> Iterator[RipOffer]:
        """What a router hears of a prefix from each neighbour that has it."""
        column = self.column(prefix)
        if column is None:
            return
        for neighbour in self.network.directed:
            metrics, tags = told.values
            sent, tag = int(metrics[neighbour.sender, column]), int(tags[neighbour.sender, column])
            back = told.learned_by[self.network.port_numbers[neighbour.out.key], column]
            if neighbour.receiver != index or sent >= INFINITY or back:
                continue
            result, stopped = self.through_policies(neighbour, column, sent, tag)
            if result is not None:
                metric = result.metric
            else:  # without a policy that stops it, it is out of reach
                metric = _plain_metric(neighbour, sent) if stopped else INFINITY
            yield RipOffer(
                neighbour=neighbour,
                metric=min(INFINITY, metric),
                tag=tag if result is None else result.tag,
                stopped_by=stopped,
                echo=bool(self.near[index, column]) and metric >= int(self.first[index, column]),
            )

    def origin(self, told: Told, neighbour: RipNeighbour, prefix: int) -> Place:
        """The line by which what a neighbour tells of a prefix came into RIP."""
        column = int(np.searchsorted(self.columns, prefix))
        index, passed = neighbour.sender, set[int]()
        heard, _ = self.heard(told).values
        while self.first[index, column] >= INFINITY and index not in passed:
            passed.add(index)
            for other in self.network.directed:
                metric, _ = self.over(other, told)
                if other.receiver == index and metric[column] == heard[index, column]:
                    index = other.sender
                    break
        held = self.network.interning.prefixes.prefixes[prefix]
        router = self.network.routers[index]
        for port in router.ports:
            if held in subnets(port.interface, self.network.version):
                return port.settings.place
        return self.places.get((index, prefix), router.instance.place)


def announced(network: RipNetwork, injected: Mapping[int, Sequence[Injected]]) -> RipAnnouncements:
    """The networks that routers are on, and what they take in from elsewhere.

    Args:
        injected: By router index.
    """
    prefixes = network.interning.prefixes
    metrics: list[dict[int, int]] = []
    tags: list[dict[int, int]] = []
    near: list[set[int]] = []
    for index, router in enumerate(network.routers):
        items = injected.get(index, ())
        networks = {
            prefixes.add(subnet)
            for port in router.ports
            for subnet in announced_subnets(port.interface, network.version, network.protocol.id)
        }
        taken = {
            item.prefix: min(INFINITY, INJECTED_METRIC if item.metric is None else item.metric)
            for item in items
        }
        metrics.append({**taken, **dict.fromkeys(networks, CONNECTED_METRIC)})
        tags.append({item.prefix: item.tag & 0xFFFF for item in items})
        # Nobody's default is nearer to a router than one that it always announces itself.
        near.append(networks | {item.prefix for item in items if item.always})
    columns = np.array(sorted({p for row in metrics for p in row}), dtype=np.int32)
    at = {prefix: column for column, prefix in enumerate(columns.tolist())}
    shape = (len(network.routers), len(columns))
    first = np.full(shape, INFINITY, dtype=np.int64)
    tag = np.zeros(shape, dtype=np.int64)
    is_near = np.zeros(shape, dtype=bool)
    for index, own in enumerate(metrics):
        for prefix, metric in own.items():
            first[index, at[prefix]] = metric
            tag[index, at[prefix]] = tags[index].get(prefix, 0)
            is_near[index, at[prefix]] = prefix in near[index]
    return RipAnnouncements(
        network=network,
        columns=columns,
        first=first,
        tag=tag,
        near=is_near,
        places={
            (index, item.prefix): item.place for index, items in injected.items() for item in items
        },
    )


def _plain_metric(neighbour: RipNeighbour, sent: int) -> int:
    """The metric a route would have at the receiver but for the policies."""
    wire = _on_the_wire(np.int64(sent + neighbour.out.settings.offset_out))
    return int(wire) + neighbour.cost


def _on_the_wire(metric: NDArray[np.int64] | np.int64) -> NDArray[np.int64]:
    """What a receiver takes a metric for: outside 1 to 16 the entry is ignored (3.9.2)."""
    return np.where((metric < 1) | (metric > INFINITY), INFINITY, metric)
