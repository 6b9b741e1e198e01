"""What EIGRP routers announce of their own, and what becomes of it on the way to each other."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, is_within
from routrel.model.eigrp import EigrpInstance, StubRoutes
from routrel.model.place import Place
from routrel.policy.evaluate import PolicyRoute, Rejecting, through_both_ends
from routrel.policy.redistribute import Injected, route_types
from routrel.protocols.eigrp.metric import (
    INFINITE,
    VECTOR,
    Vectors,
    composite,
    interface_vector,
    over_interface,
    rib_metric,
    seed_vector,
)
from routrel.protocols.eigrp.neighbours import EigrpNeighbour, EigrpRouter
from routrel.protocols.shared.speaking import announced_subnets, subnets
from routrel.protocols.shared.vectors import Told
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    DISCARD,
    CandidateBuilder,
    Interning,
    NextHop,
    PathType,
    Protocol,
    RouteKind,
    Rows,
    limited,
)

__all__ = ["EXTERNAL_DISTANCE", "EigrpAnnouncements", "EigrpNetwork", "EigrpOffer", "announced"]

EXTERNAL_DISTANCE = 170
SUMMARY_DISTANCE = 5
#: Above every distance: an external path comes after all internal ones (RFC 7868 5.5).
_EXTERNAL_RANK = 1 << 61


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpNetwork:
    """All routers, and who hears whom."""

    interning: Interning
    routers: tuple[EigrpRouter, ...]
    directed: tuple[EigrpNeighbour, ...]
    port_numbers: Mapping[tuple[str, str], int]


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpOffer:
    """What a router hears of a prefix from one neighbour."""

    neighbour: EigrpNeighbour
    distance: int  #: at the receiver, in units of its metric
    reported: int  #: the neighbour's own
    external: bool
    feasible: bool
    bandwidth_kbps: int
    delay_us: float
    stopped_by: Rejecting | None
    suppressed_by: Prefix | None  #: the sender's summary that stands for the prefix here
    withheld: bool  #: the sender is a stub router that does not announce it
    loop: bool  #: an external route that the receiver itself brought in

    @property
    def is_taken(self) -> bool:
        """Whether nothing keeps it from the receiver's topology table."""
        return not (self.stopped_by or self.suppressed_by or self.withheld or self.loop)


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpAnnouncements:
    """What routers announce of their own. Arrays are [router, column]."""

    network: EigrpNetwork
    columns: NDArray[np.int32]  #: prefix numbers, rising
    versions: NDArray[np.int64]  #: of IP, by column
    at: Mapping[int, int]  #: column by prefix number
    first: Vectors  #: what is announced
    near: NDArray[np.bool_]  #: its own networks
    kinds: Mapping[tuple[int, int], StubRoutes]  #: by router and column: what stubs tell apart
    holding: Mapping[Prefix, NDArray[np.int64]]  #: by summary: the columns it holds, its own not
    places: Mapping[
        tuple[int, int], Place
    ]  #: by router and prefix: where what it takes in is stated
    seedless: tuple[tuple[EigrpRouter, Injected], ...]  #: taken in without a metric, so not told

    @property
    def begin(self) -> Told:
        ports = np.zeros((len(self.network.port_numbers), len(self.columns)), dtype=bool)
        return Told((self.first,), ports)

    def heard(self, told: Told) -> tuple[Vectors, NDArray[np.bool_]]:
        """The best each router hears, as it takes it, and the ports of its successors."""
        best = np.zeros(told.values[0].shape, dtype=VECTOR)
        rank = np.full(told.values[0].shape, INFINITE, dtype=np.int64)
        ranks = []
        for neighbour in self.network.directed:
            vectors = self._over(told, neighbour)
            mine = _ranks(self.network.routers[neighbour.receiver], vectors)
            better = mine < rank[neighbour.receiver]
            best[neighbour.receiver][better] = vectors[better]
            rank[neighbour.receiver][better] = mine[better]
            ranks.append(mine)
        by = np.zeros(told.learned_by.shape, dtype=bool)
        for neighbour, mine in zip(self.network.directed, ranks, strict=True):
            successor = (mine == rank[neighbour.receiver]) & (mine < INFINITE)
            by[self.network.port_numbers[neighbour.into.key]] |= successor
        return best, by

    def summed_up(self, told: Told) -> NDArray[np.bool_]:
        """[router, column] of the summaries that a router makes of parts it has."""
        result = np.zeros(told.values[0].shape, dtype=bool)
        for index, summary, _ in self._own_summaries(told):
            result[index, self.at[self.network.interning.prefixes.add(summary)]] = True
        return result

    def _own_summaries(self, told: Told) -> Iterator[tuple[int, Prefix, int]]:
        """Router, summary and the column of its nearest part, once for each summary with a part."""
        for index, router in enumerate(self.network.routers):
            for summary in dict.fromkeys(s for p in router.ports for s in p.settings.summaries):
                held = self.holding[summary]
                if told.values[0]["good"][index][held].any():
                    nearest = _ranks(router, told.values[0][index][held]).argmin()
                    yield index, summary, int(held[nearest])

    def _over(self, told: Told, neighbour: EigrpNeighbour) -> Vectors:
        """What a neighbour sends on one link, as its receiver takes it."""
        receiver = self.network.routers[neighbour.receiver]
        sent = self._sent_on(told, neighbour)
        vectors = over_interface(sent, neighbour.into.interface, receiver.instance.metric)
        loops = vectors["external"] & (vectors["origin"] == int(receiver.router_id))
        vectors["good"] &= ~loops
        if neighbour.out.settings.export_policy or neighbour.into.settings.import_policy:
            for column in np.flatnonzero(vectors["good"]).tolist():
                result, _ = self._through_policies(neighbour, column, sent[column])
                vectors["good"][column] = result is not None
                if result is not None:
                    vectors["tag"][column] = result.tag
        return vectors

    def _sent_on(self, told: Told, neighbour: EigrpNeighbour) -> Vectors:
        """What a router sends out of one port: of a stub only some, and summaries for parts."""
        sent: Vectors = told.values[0][neighbour.sender].copy()
        sent["good"] &= self.versions == neighbour.version
        sender = self.network.routers[neighbour.sender]
        parts = sent.copy()
        sent["good"] &= ~told.learned_by[self.network.port_numbers[neighbour.out.key]]
        if sender.instance.stub:
            allowed = [self._stub_sends(neighbour.sender, column) for column in range(len(sent))]
            sent["good"] &= np.array(allowed, dtype=bool)
        for summary in neighbour.out.settings.summaries:
            held = self.holding[summary]
            if summary.version != neighbour.version or not parts["good"][held].any():
                continue
            sent["good"][held] = False
            stub = sender.instance.stub
            if not stub or StubRoutes.SUMMARY in stub:
                column = self.at[self.network.interning.prefixes.add(summary)]
                sent[column] = parts[held[_ranks(sender, parts[held]).argmin()]]
                sent["external"][column] = False
        return sent

    def _stub_sends(self, index: int, column: int) -> bool:
        kind = self.kinds.get((index, column))
        stub = self.network.routers[index].instance.stub
        if kind is StubRoutes.STATIC:
            return StubRoutes.STATIC in stub or StubRoutes.REDISTRIBUTED in stub
        return kind in stub

    def _through_policies(
        self, neighbour: EigrpNeighbour, column: int, sent: Vectors
    ) -> tuple[PolicyRoute | None, Rejecting | None]:
        """What the way to a neighbour leaves of a route, and the policy that rejected it."""
        out, into = neighbour.out, neighbour.into
        receiver = self.network.routers[neighbour.receiver].instance
        taken = over_interface(sent.reshape(1), into.interface, receiver.metric)
        way = out.way(neighbour.version)
        route = PolicyRoute(
            prefix=self.network.interning.prefixes.prefixes[self.columns[column]],
            protocol=Protocol.EIGRP.id,
            route_types=route_types(PathType.EXTERNAL if sent["external"] else PathType.INTERNAL),
            metric=_table_metric(self.network.routers[neighbour.sender].instance, sent.reshape(1)),
            tag=int(sent["tag"]),
            next_hops=() if way is None else (way,),
            neighbour=into.way(neighbour.version),
        )

        def arrived(exported: PolicyRoute) -> PolicyRoute:
            return replace(exported, metric=_table_metric(receiver, taken), neighbour=way)

        return through_both_ends(
            route,
            (out.device, out.settings.export_policy),
            arrived,
            (into.device, into.settings.import_policy),
        )

    def learned(self, told: Told) -> Rows:
        """The routes of all routers, given what all tell once nothing changes any more."""
        heard, _ = self.heard(told)
        paths: dict[tuple[int, int], list[tuple[NextHop, int]]] = {}
        for neighbour in self.network.directed:
            router = self.network.routers[neighbour.receiver]
            best = heard[neighbour.receiver]
            vectors = self._over(told, neighbour)
            distance = composite(router.instance, vectors)
            feasible = self._feasible(told, neighbour, best)
            within = distance <= composite(router.instance, best).astype(float) * (
                router.instance.variance
            )
            same = vectors["external"] == best["external"]
            chosen = vectors["good"] & same & within & feasible & ~self.near[neighbour.receiver]
            hop = NextHop(neighbour.into.interface.name, neighbour.out.way(neighbour.version))
            for column in np.flatnonzero(chosen).tolist():
                path = (hop, int(distance[column]))
                paths.setdefault((neighbour.receiver, column), []).append(path)
        builder = CandidateBuilder(self.network.interning)
        for (index, column), found in paths.items():
            router = self.network.routers[index]
            vector = heard[index, column]
            external = bool(vector["external"])
            instance = router.instance
            preference = (
                instance.external_distance or EXTERNAL_DISTANCE
                if external
                else instance.distance or DEFAULT_DISTANCE[Protocol.EIGRP]
            )
            builder.add(
                table=self.network.interning.table_numbers[router.table],
                prefix=int(self.columns[column]),
                kind=RouteKind(
                    Protocol.EIGRP,
                    preference,
                    PathType.EXTERNAL if external else PathType.INTERNAL,
                    tag=int(vector["tag"]),
                ),
                next_hops=_shares(found, router.maximum_paths),
                metric=rib_metric(instance, _distance(router, vector)),
            )
        self._add_discards(told, builder)
        return builder.array()

    def _feasible(self, told: Told, neighbour: EigrpNeighbour, best: Vectors) -> NDArray[np.bool_]:
        """Where a neighbour is closer than the router itself: the feasibility condition (3.4)."""
        instance = self.network.routers[neighbour.receiver].instance
        own = composite(instance, best)
        for index, summary, part in self._own_summaries(told):
            if index == neighbour.receiver:
                column = self.at[self.network.interning.prefixes.add(summary)]
                least = _distance(self.network.routers[index], told.values[0][index, part])
                own[column] = min(int(own[column]), least)
        result: NDArray[np.bool_] = composite(instance, self._sent_on(told, neighbour)) < own
        return result

    def _add_discards(self, told: Told, builder: CandidateBuilder) -> None:
        """A router drops what its summaries hold and it has no route for."""
        for index, summary, part in self._own_summaries(told):
            router = self.network.routers[index]
            port = next(p for p in router.ports if summary in p.settings.summaries)
            builder.add(
                table=self.network.interning.table_numbers[router.table],
                prefix=self.network.interning.prefixes.add(summary),
                kind=RouteKind(
                    Protocol.EIGRP,
                    SUMMARY_DISTANCE,
                    PathType.SUMMARY,
                    discard=True,
                    place=self.network.interning.place(port.settings.place),
                ),
                next_hops=(DISCARD,),
                metric=rib_metric(router.instance, _distance(router, told.values[0][index, part])),
            )

    # --- why -----------------------------------------------------------------------------------

    def offers(self, told: Told, index: int, prefix: int) -> Iterator[EigrpOffer]:
        """What a router hears of a prefix from each neighbour that has it or sums it up."""
        column = self.at.get(prefix)
        if column is None:
            return
        router = self.network.routers[index]
        own = self._best_distance(told, index, column)
        for neighbour in self.network.directed:
            if neighbour.receiver != index or not self._has(told, neighbour, column):
                continue
            raw = self._sent_on(told, neighbour)[column : column + 1]
            held = told.values[0][neighbour.sender][column : column + 1]
            base = raw if raw["good"][0] else held
            taken = over_interface(base, neighbour.into.interface, router.instance.metric)
            _, stopped = self._through_policies(neighbour, column, base[0])
            reported = int(composite(router.instance, base)[0])
            summary = None if raw["good"][0] else self._summary_for(neighbour, prefix)
            yield EigrpOffer(
                neighbour=neighbour,
                distance=int(composite(router.instance, taken)[0]),
                reported=reported,
                external=bool(taken["external"][0]),
                feasible=reported < own,
                bandwidth_kbps=int(taken["bandwidth_kbps"][0]),
                delay_us=int(taken["delay_ps"][0]) / 10**6,
                stopped_by=stopped,
                suppressed_by=summary,
                withheld=not raw["good"][0] and summary is None,
                loop=bool(base["external"][0]) and int(base["origin"][0]) == int(router.router_id),
            )

    def origin(self, told: Told, neighbour: EigrpNeighbour, prefix: int) -> Place:
        """The line by which what a neighbour tells of a prefix came into EIGRP."""
        column = self.at[prefix]
        index, passed = neighbour.sender, set[int]()
        best, _ = self.heard(told)
        while not self.first["good"][index, column] and index not in passed:
            passed.add(index)
            for other in self.network.directed:
                if other.receiver != index:
                    continue
                if self._over(told, other)[column] == best[index, column]:
                    index = other.sender
                    break
        held = self.network.interning.prefixes.prefixes[prefix]
        router = self.network.routers[index]
        for port in router.ports:
            if held in subnets(port.interface, held.version) or held in port.settings.summaries:
                return port.settings.place
        return self.places.get((index, prefix), router.instance.place)

    def _has(self, told: Told, neighbour: EigrpNeighbour, column: int) -> bool:
        if int(self.versions[column]) != neighbour.version:
            return False
        onward = not told.learned_by[self.network.port_numbers[neighbour.out.key], column]
        held = bool(told.values[0][neighbour.sender]["good"][column])
        return (held and onward) or bool(self._sent_on(told, neighbour)["good"][column])

    def _best_distance(self, told: Told, index: int, column: int) -> int:
        instance = self.network.routers[index].instance
        distances = (
            int(composite(instance, self._over(told, neighbour)[column : column + 1])[0])
            for neighbour in self.network.directed
            if neighbour.receiver == index
        )
        return min(distances, default=INFINITE)

    def _summary_for(self, neighbour: EigrpNeighbour, prefix: int) -> Prefix | None:
        column = self.at[prefix]
        return next(
            (s for s in neighbour.out.settings.summaries if column in self.holding[s]), None
        )


def announced(
    network: EigrpNetwork, injected: Mapping[int, Sequence[Injected]]
) -> EigrpAnnouncements:
    """The networks that routers are on, and what they take in from elsewhere.

    Args:
        injected: By router index.
    """
    seedless: list[tuple[EigrpRouter, Injected]] = []
    own = [
        _own(network, index, injected.get(index, ()), seedless)
        for index in range(len(network.routers))
    ]
    summaries = dict.fromkeys(
        summary
        for router in network.routers
        for port in router.ports
        for summary in port.settings.summaries
    )
    numbers = {prefix for found in own for prefix in found}
    numbers |= {network.interning.prefixes.add(summary) for summary in summaries}
    columns = np.array(sorted(numbers), dtype=np.int32)
    prefixes = [network.interning.prefixes.prefixes[number] for number in columns]
    at = {prefix: column for column, prefix in enumerate(columns.tolist())}
    shape = (len(network.routers), len(columns))
    first = np.zeros(shape, dtype=VECTOR)
    near = np.zeros(shape, dtype=bool)
    kinds: dict[tuple[int, int], StubRoutes] = {}
    for index, found in enumerate(own):
        for prefix, (vector, kind) in found.items():
            column = at[prefix]
            first[index, column] = vector
            near[index, column] = kind is StubRoutes.CONNECTED
            kinds[index, column] = kind
    return EigrpAnnouncements(
        network=network,
        columns=columns,
        versions=np.array([prefix.version for prefix in prefixes], dtype=np.int64),
        at=at,
        first=first,
        near=near,
        kinds=kinds,
        holding={summary: _held_columns(summary, prefixes) for summary in summaries},
        places={
            (index, item.prefix): item.place for index, items in injected.items() for item in items
        },
        seedless=tuple(seedless),
    )


def _own(
    network: EigrpNetwork,
    index: int,
    injected: Sequence[Injected],
    seedless: list[tuple[EigrpRouter, Injected]],
) -> dict[int, tuple[Vectors, StubRoutes]]:
    """What a router announces of its own: external routes, and above them its networks.

    Args:
        seedless: What has no metric, so that it cannot be announced; it is added to.
    """
    router = network.routers[index]
    found: dict[int, tuple[Vectors, StubRoutes]] = {}
    for item in injected:
        if item.seed is not None:
            vector = seed_vector(item.seed)
        elif item.source is Protocol.CONNECTED and item.next_hops:
            interface = router.device.interface(item.next_hops[0].interface or "")
            if interface is None:
                continue
            vector = interface_vector(interface, router.instance.metric)
        else:
            seedless.append((router, item))
            continue
        vector["external"], vector["origin"] = True, int(router.router_id)
        vector["tag"] = item.tag
        static = item.source is Protocol.STATIC
        kind = StubRoutes.STATIC if static else StubRoutes.REDISTRIBUTED
        found[item.prefix] = (vector, kind)
    networks: dict[int, tuple[Vectors, StubRoutes]] = {}
    for port in router.ports:
        vector = interface_vector(port.interface, router.instance.metric)
        for version in (4, 6):
            for subnet in announced_subnets(port.interface, version, "eigrp"):
                number = network.interning.prefixes.add(subnet)
                old = networks.get(number)
                if old is None or _distance(router, vector) < _distance(router, old[0]):
                    networks[number] = (vector, StubRoutes.CONNECTED)
    return {**found, **networks}


def _held_columns(summary: Prefix, prefixes: Sequence[Prefix]) -> NDArray[np.int64]:
    """The columns that a summary holds, not counting its own."""
    return np.array(
        [
            column
            for column, prefix in enumerate(prefixes)
            if prefix != summary and is_within(prefix, summary)
        ],
        dtype=np.int64,
    )


def _distance(router: EigrpRouter, vector: Vectors) -> int:
    return int(composite(router.instance, vector))


def _table_metric(instance: EigrpInstance, vector: Vectors) -> int:
    """What a policy compares as the metric: the distance as it stands in a table."""
    return rib_metric(instance, int(composite(instance, vector)[0]))


def _ranks(router: EigrpRouter, vectors: Vectors) -> NDArray[np.int64]:
    """Distances, with those of external paths above all internal ones."""
    distance = composite(router.instance, vectors)
    external = vectors["external"] & (distance < INFINITE)
    return np.where(external, distance + _EXTERNAL_RANK, distance)


def _shares(paths: Sequence[tuple[NextHop, int]], maximum: int) -> tuple[NextHop, ...]:
    """Next hops with shares in inverse proportion to their distances (RFC 7868 5.4.4)."""
    closest = sorted(paths, key=lambda path: path[1])[:maximum]
    longest = max(distance for _, distance in closest)
    weighted = [
        replace(hop, weight=max(1, longest // max(1, distance))) for hop, distance in closest
    ]
    return limited(weighted, maximum)
