"""EIGRP tables when no route is active any more (RFC 7868 3, 5.4, 5.5).

Every router takes for each prefix the path of least distance among what its neighbours announce,
and announces that path's vector on while the route is active in its table, but not out of the
interfaces of its successors (split horizon, 5.4.6). On the way an announcement meets the sender's
policy, then the interface it came by, then the receiver's policy. Distances rise with every hop, so
the outcome does not depend on the order of messages. A neighbour is a feasible successor if the
distance it reports is below the router's own (3.4). While a router sums up what it has, its summary
stands for the prefix there: what neighbours tell of it is an echo, or ranks behind it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, is_within
from routrel.model.eigrp import EigrpInstance, StubRoutes
from routrel.model.findings import Finding, Severity
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.policy.evaluate import PolicyRoute, through_both_ends
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
from routrel.protocols.eigrp.neighbours import EigrpHearing, EigrpRouter, Neighbours
from routrel.protocols.shared.speaking import subnets
from routrel.protocols.shared.vectors import Held, Told, VectorDomain
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
from routrel.topology.segments import Topology

__all__ = ["EXTERNAL_DISTANCE", "EigrpDomain", "EigrpOffer"]

EXTERNAL_DISTANCE = 170
SUMMARY_DISTANCE = 5
#: Above every distance: an external path comes after all internal ones (RFC 7868 5.5).
_EXTERNAL_RANK = 1 << 61


@dataclass(frozen=True, slots=True, kw_only=True)
class EigrpOffer:
    """What a router hears of a prefix from one neighbour."""

    hearing: EigrpHearing
    distance: int  #: at the receiver, in units of its metric
    reported: int  #: the neighbour's own
    external: bool
    feasible: bool
    bandwidth_kbps: int
    delay_us: float
    stopped_by: PolicyUse | None
    suppressed_by: Prefix | None  #: the sender's summary that stands for the prefix here
    withheld: bool  #: the sender is a stub router that does not announce it
    loop: bool  #: an external route that the receiver itself brought in

    @property
    def is_taken(self) -> bool:
        """Whether nothing keeps it from the receiver's topology table."""
        return not (self.stopped_by or self.suppressed_by or self.withheld or self.loop)


class EigrpDomain(VectorDomain):
    """All EIGRP routers."""

    routers: tuple[EigrpRouter, ...]

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.neighbours = Neighbours(topology)
        super().__init__(Protocol.EIGRP, interning, self.neighbours.routers)
        self._seedless: list[tuple[EigrpRouter, Injected]] = []

    # --- routes --------------------------------------------------------------------------------

    def _settle(
        self,
        held: Held,
        injected: Mapping[int, Sequence[Injected]],
    ) -> Rows:
        self._seedless = []
        self.own_places = {
            (index, item.prefix): item.place for index, items in injected.items() for item in items
        }
        own = [self._announced(index, injected.get(index, ())) for index in range(len(held))]
        numbers = {prefix for found in own for prefix in found}
        numbers |= {
            self.interning.prefixes.add(summary)
            for router in self.routers
            for port in router.ports
            for summary in port.settings.summaries
        }
        self.columns = np.array(sorted(numbers), dtype=np.int32)
        prefixes = [self.interning.prefixes.prefixes[number] for number in self.columns]
        self.versions = np.array([prefix.version for prefix in prefixes], dtype=np.int64)
        self.at = {prefix: column for column, prefix in enumerate(self.columns.tolist())}
        shape = (len(self.routers), len(self.columns))
        self.first = np.zeros(shape, dtype=VECTOR)
        self.near = np.zeros(shape, dtype=bool)
        self.kinds: dict[tuple[int, int], StubRoutes] = {}
        blocked = np.zeros(shape, dtype=bool)
        for index, found in enumerate(own):
            for prefix, (vector, kind) in found.items():
                column = self.at[prefix]
                self.first[index, column] = vector
                self.near[index, column] = kind is StubRoutes.CONNECTED
                self.kinds[index, column] = kind
            blocked[index] = np.isin(self.columns, held[index])
        self.holding = self._summary_columns(prefixes)
        own_first = self.first["good"]

        def step(told: Told, _: frozenset[int]) -> Told:
            (self.sent,), self.learned_by = told.values, told.learned_by
            heard, learned_by = self._heard()
            passed = heard.copy()
            passed["good"] &= ~blocked & ~self._summed_up()
            return Told(
                (np.where(own_first, self.first, passed),),
                self._told_elsewhere(learned_by, own_first),
            )

        by = np.zeros((len(self.port_numbers), len(self.columns)), dtype=bool)
        told = self._rest(Told((self.first,), by), step, self.columns)
        (self.sent,), self.learned_by = told.values, told.learned_by
        return self._learned(self._heard()[0])

    def _announced(
        self, index: int, injected: Sequence[Injected]
    ) -> dict[int, tuple[Vectors, StubRoutes]]:
        """What a router announces of its own: external routes, and above them its networks."""
        router = self.routers[index]
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
                self._seedless.append((router, item))
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
                for subnet in subnets(port.interface, version):
                    number = self.interning.prefixes.add(subnet)
                    old = networks.get(number)
                    if old is None or _distance(router, vector) < _distance(router, old[0]):
                        networks[number] = (vector, StubRoutes.CONNECTED)
        return {**found, **networks}

    def _summary_columns(self, prefixes: Sequence[Prefix]) -> dict[Prefix, NDArray[np.int64]]:
        """For each summary the columns it holds, not counting its own."""
        result = {}
        for router in self.routers:
            for port in router.ports:
                for summary in port.settings.summaries:
                    if summary not in result:
                        result[summary] = np.array(
                            [
                                column
                                for column, prefix in enumerate(prefixes)
                                if prefix != summary and is_within(prefix, summary)
                            ],
                            dtype=np.int64,
                        )
        return result

    def _heard(self) -> tuple[Vectors, NDArray[np.bool_]]:
        """The best each router hears, as it takes it, and the ports of its successors."""
        best = np.zeros(self.sent.shape, dtype=VECTOR)
        rank = np.full(self.sent.shape, INFINITE, dtype=np.int64)
        ranks = []
        for hearing in self.neighbours.hearings:
            vectors = self._over(hearing)
            mine = _ranks(self.routers[hearing.receiver], vectors)
            better = mine < rank[hearing.receiver]
            best[hearing.receiver][better] = vectors[better]
            rank[hearing.receiver][better] = mine[better]
            ranks.append(mine)
        by = np.zeros(self.learned_by.shape, dtype=bool)
        for hearing, mine in zip(self.neighbours.hearings, ranks, strict=True):
            successor = (mine == rank[hearing.receiver]) & (mine < INFINITE)
            by[self.port_numbers[hearing.into.key]] |= successor
        return best, by

    def _summed_up(self) -> NDArray[np.bool_]:
        """[router, column] of the summaries that a router makes of parts it has."""
        result = np.zeros(self.sent.shape, dtype=bool)
        for index, summary, _ in self._own_summaries():
            result[index, self.at[self.interning.prefixes.add(summary)]] = True
        return result

    def _own_summaries(self) -> Iterator[tuple[int, Prefix, int]]:
        """Router, summary and the column of its nearest part, once for each summary with a part."""
        for index, router in enumerate(self.routers):
            for summary in dict.fromkeys(s for p in router.ports for s in p.settings.summaries):
                held = self.holding[summary]
                if self.sent["good"][index][held].any():
                    nearest = _ranks(router, self.sent[index][held]).argmin()
                    yield index, summary, int(held[nearest])

    def _over(self, hearing: EigrpHearing) -> Vectors:
        """What a neighbour sends on one link, as its receiver takes it."""
        receiver = self.routers[hearing.receiver]
        sent = self._sent_on(hearing)
        vectors = over_interface(sent, hearing.into.interface, receiver.instance.metric)
        loops = vectors["external"] & (vectors["origin"] == int(receiver.router_id))
        vectors["good"] &= ~loops
        if hearing.out.settings.export_policy or hearing.into.settings.import_policy:
            for column in np.flatnonzero(vectors["good"]).tolist():
                result, _ = self._through_policies(hearing, column, sent[column])
                vectors["good"][column] = result is not None
                if result is not None:
                    vectors["tag"][column] = result.tag
        return vectors

    def _sent_on(self, hearing: EigrpHearing) -> Vectors:
        """What a router sends out of one port: of a stub only some, and summaries for parts."""
        sent: Vectors = self.sent[hearing.sender].copy()
        sent["good"] &= self.versions == hearing.version
        sender = self.routers[hearing.sender]
        parts = sent.copy()
        sent["good"] &= ~self.learned_by[self.port_numbers[hearing.out.key]]
        if sender.instance.stub:
            allowed = [self._stub_sends(hearing.sender, column) for column in range(len(sent))]
            sent["good"] &= np.array(allowed, dtype=bool)
        for summary in hearing.out.settings.summaries:
            held = self.holding[summary]
            if summary.version != hearing.version or not parts["good"][held].any():
                continue
            sent["good"][held] = False
            stub = sender.instance.stub
            if not stub or StubRoutes.SUMMARY in stub:
                column = self.at[self.interning.prefixes.add(summary)]
                sent[column] = parts[held[_ranks(sender, parts[held]).argmin()]]
                sent["external"][column] = False
        return sent

    def _stub_sends(self, index: int, column: int) -> bool:
        kind = self.kinds.get((index, column))
        stub = self.routers[index].instance.stub
        if kind is StubRoutes.STATIC:
            return StubRoutes.STATIC in stub or StubRoutes.REDISTRIBUTED in stub
        return kind in stub

    def _through_policies(
        self, hearing: EigrpHearing, column: int, sent: Vectors
    ) -> tuple[PolicyRoute | None, PolicyUse | None]:
        """What the way to a neighbour leaves of a route, and the policy that rejected it."""
        out, into = hearing.out, hearing.into
        receiver = self.routers[hearing.receiver].instance
        taken = over_interface(sent.reshape(1), into.interface, receiver.metric)
        way = out.way(hearing.version)
        route = PolicyRoute(
            prefix=self.interning.prefixes.prefixes[self.columns[column]],
            protocol=Protocol.EIGRP.id,
            route_types=route_types(PathType.EXTERNAL if sent["external"] else PathType.INTERNAL),
            metric=_table_metric(self.routers[hearing.sender].instance, sent.reshape(1)),
            tag=int(sent["tag"]),
            next_hops=() if way is None else (way,),
            neighbour=into.way(hearing.version),
        )

        def arrived(exported: PolicyRoute) -> PolicyRoute:
            return replace(exported, metric=_table_metric(receiver, taken), neighbour=way)

        return through_both_ends(
            route,
            (out.device, out.settings.export_policy),
            arrived,
            (into.device, into.settings.import_policy),
        )

    def _learned(self, heard: Vectors) -> Rows:
        paths: dict[tuple[int, int], list[tuple[NextHop, int]]] = {}
        for hearing in self.neighbours.hearings:
            router = self.routers[hearing.receiver]
            best = heard[hearing.receiver]
            vectors = self._over(hearing)
            distance = composite(router.instance, vectors)
            feasible = self._feasible(hearing, best)
            within = distance <= composite(router.instance, best).astype(float) * (
                router.instance.variance
            )
            same = vectors["external"] == best["external"]
            chosen = vectors["good"] & same & within & feasible & ~self.near[hearing.receiver]
            hop = NextHop(hearing.into.interface.name, hearing.out.way(hearing.version))
            for column in np.flatnonzero(chosen).tolist():
                path = (hop, int(distance[column]))
                paths.setdefault((hearing.receiver, column), []).append(path)
        builder = CandidateBuilder(self.interning)
        for (index, column), found in paths.items():
            router = self.routers[index]
            vector = heard[index, column]
            external = bool(vector["external"])
            instance = router.instance
            preference = (
                instance.external_distance or EXTERNAL_DISTANCE
                if external
                else instance.distance or DEFAULT_DISTANCE[Protocol.EIGRP]
            )
            builder.add(
                table=self.interning.table_numbers[router.table],
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
        self._add_discards(builder)
        return builder.array()

    def _feasible(self, hearing: EigrpHearing, best: Vectors) -> NDArray[np.bool_]:
        """Where a neighbour is closer than the router itself: the feasibility condition (3.4)."""
        instance = self.routers[hearing.receiver].instance
        own = composite(instance, best)
        for index, summary, part in self._own_summaries():
            if index == hearing.receiver:
                column = self.at[self.interning.prefixes.add(summary)]
                least = _distance(self.routers[index], self.sent[index, part])
                own[column] = min(int(own[column]), least)
        result: NDArray[np.bool_] = composite(instance, self._sent_on(hearing)) < own
        return result

    def _add_discards(self, builder: CandidateBuilder) -> None:
        """A router drops what its summaries hold and it has no route for."""
        for index, summary, part in self._own_summaries():
            router = self.routers[index]
            port = next(p for p in router.ports if summary in p.settings.summaries)
            builder.add(
                table=self.interning.table_numbers[router.table],
                prefix=self.interning.prefixes.add(summary),
                kind=RouteKind(
                    Protocol.EIGRP,
                    SUMMARY_DISTANCE,
                    PathType.SUMMARY,
                    discard=True,
                    place=self.interning.place(port.settings.place),
                ),
                next_hops=(DISCARD,),
                metric=rib_metric(router.instance, _distance(router, self.sent[index, part])),
            )

    # --- explanations --------------------------------------------------------------------------

    def offers(self, index: int, prefix: int) -> Iterator[EigrpOffer]:
        """What a router hears of a prefix from each neighbour that has it or sums it up."""
        column = self.at.get(prefix)
        if column is None:
            return
        router = self.routers[index]
        own = self._best_distance(index, column)
        for hearing in self.neighbours.hearings:
            if hearing.receiver != index or not self._has(hearing, column):
                continue
            raw = self._sent_on(hearing)[column : column + 1]
            held = self.sent[hearing.sender][column : column + 1]
            base = raw if raw["good"][0] else held
            taken = over_interface(base, hearing.into.interface, router.instance.metric)
            _, stopped = self._through_policies(hearing, column, base[0])
            reported = int(composite(router.instance, base)[0])
            summary = None if raw["good"][0] else self._summary_for(hearing, prefix)
            yield EigrpOffer(
                hearing=hearing,
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

    def origin(self, hearing: EigrpHearing, prefix: int) -> Place:
        """The line by which what a neighbour tells of a prefix came into EIGRP."""
        column = self.at[prefix]
        index, passed = hearing.sender, set[int]()
        best, _ = self._heard()
        while not self.first["good"][index, column] and index not in passed:
            passed.add(index)
            for other in self.neighbours.hearings:
                if other.receiver == index and self._over(other)[column] == best[index, column]:
                    index = other.sender
                    break
        held = self.interning.prefixes.prefixes[prefix]
        router = self.routers[index]
        for port in router.ports:
            if held in subnets(port.interface, held.version) or held in port.settings.summaries:
                return port.settings.place
        return self.own_places.get((index, prefix), router.instance.place)

    def _has(self, hearing: EigrpHearing, column: int) -> bool:
        if int(self.versions[column]) != hearing.version:
            return False
        told = not self.learned_by[self.port_numbers[hearing.out.key], column]
        held = bool(self.sent[hearing.sender]["good"][column])
        return (held and told) or bool(self._sent_on(hearing)["good"][column])

    def _best_distance(self, index: int, column: int) -> int:
        return min(
            (
                int(composite(self.routers[index].instance, self._over(h)[column : column + 1])[0])
                for h in self.neighbours.hearings
                if h.receiver == index
            ),
            default=INFINITE,
        )

    def _summary_for(self, hearing: EigrpHearing, prefix: int) -> Prefix | None:
        column = self.at[prefix]
        return next((s for s in hearing.out.settings.summaries if column in self.holding[s]), None)

    def findings(self) -> Iterator[Finding]:
        """What is wrong between neighbours, and redistribution that says no metric."""
        yield from self.neighbours.findings()
        told = set()
        for router, item in self._seedless:
            if (router.table, item.place) not in told:
                told.add((router.table, item.place))
                yield Finding(
                    severity=Severity.WARNING,
                    code="redistribution_without_metric",
                    text=f"{router.table[0]} takes {item.source.id} routes into EIGRP, but gives "
                    "them no metric, so nobody hears of them",
                    suggestion="add metric: {bandwidth: ..., delay: ...}",
                    place=item.place,
                    device=router.table[0],
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
