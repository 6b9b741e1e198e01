"""What EIGRP comes to, and why: candidate paths, what keeps routes away, findings."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from routrel.model.eigrp import StubRoutes
from routrel.model.findings import Finding, Severity
from routrel.model.network import protocol_title
from routrel.model.redistribution import Redistribution
from routrel.policy.redistribute import Injected
from routrel.protocols.contract import Domain
from routrel.protocols.eigrp.announcements import EXTERNAL_DISTANCE, EigrpAnnouncements, EigrpOffer
from routrel.protocols.eigrp.metric import INFINITE, rib_metric
from routrel.protocols.eigrp.neighbours import EigrpPort, EigrpRouter, Neighbours
from routrel.protocols.evidence import AbsenceStep, CandidatePath, Gap, rejected_by
from routrel.protocols.shared.absence import stopped_on_the_way
from routrel.protocols.shared.refusals import no_adjacency
from routrel.protocols.shared.vectors import VectorResult
from routrel.rib.candidates import DEFAULT_DISTANCE, NextHop, PathType, Protocol, Table
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Attachment

__all__ = ["EigrpResult"]


@dataclass(frozen=True, kw_only=True)
class EigrpResult(VectorResult):
    """EIGRP in the whole network, once no route is active any more."""

    domain: Domain
    neighbours: Neighbours
    announced: EigrpAnnouncements

    def _router(self, table: Table) -> EigrpRouter | None:
        index = self.domain.index_of.get(table)
        return None if index is None else self.neighbours.routers[index]

    def ports_of(self, table: Table) -> Sequence[EigrpPort]:
        router = self._router(table)
        return router.ports if router else ()

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterator[CandidatePath]:
        """What each neighbour tells, and why it is not used (RFC 7868 5.4)."""
        router = self.neighbours.routers[index]
        offers = list(self.announced.offers(self.rest.told, index, prefix))
        good = [offer for offer in offers if offer.is_taken]
        best = min(((o.external, o.distance) for o in good), default=(False, INFINITE))
        for offer in offers:
            yield _with_problem(self._candidate(router, offer, prefix, best, bool(good)), offer)

    def _candidate(
        self,
        router: EigrpRouter,
        offer: EigrpOffer,
        prefix: int,
        best: tuple[bool, int],
        has_good: bool,
    ) -> CandidatePath:
        instance, neighbour = router.instance, offer.neighbour
        lost = None
        if offer.external != best[0]:
            lost = "path_type"
        elif offer.distance > best[1] * instance.variance:
            lost = "metric"
        elif offer.distance > best[1] and not offer.feasible:
            lost = "feasible"
        default = EXTERNAL_DISTANCE if offer.external else DEFAULT_DISTANCE[Protocol.EIGRP]
        stated = instance.external_distance if offer.external else instance.distance
        return CandidatePath(
            protocol=Protocol.EIGRP,
            next_hops=(
                NextHop(neighbour.into.interface.name, neighbour.out.way(neighbour.version)),
            ),
            distance=stated or default,
            metric=rib_metric(instance, offer.distance),
            path_type=PathType.EXTERNAL if offer.external else PathType.INTERNAL,
            advertiser=neighbour.out.device.name,
            lost_on=lost,
            place=self.announced.origin(self.rest.told, neighbour, prefix),
            also=(neighbour.out.settings.place, neighbour.into.settings.place),
            values={
                "reported_distance": rib_metric(instance, offer.reported),
                "feasible_distance": rib_metric(instance, best[1]) if has_good else None,
                "feasible": offer.feasible,
                "bandwidth_kbps": offer.bandwidth_kbps,
                "delay_us": offer.delay_us,
            },
        )

    def findings(self) -> Iterator[Finding]:
        """What is wrong between neighbours, and redistribution that says no metric."""
        yield from self.neighbours.findings()
        told = set()
        for router, item in self.announced.seedless:
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

    # --- why a route is absent -----------------------------------------------------------------

    def can_announce(self, injected: Injected) -> bool:
        """It has no metric for what it takes in but from interfaces, or as written."""
        return injected.seed is not None or injected.source is Protocol.CONNECTED

    def cannot_take(self, device: str, item: Redistribution, source: str) -> AbsenceStep | None:
        if item.seed is not None:
            return None
        return AbsenceStep(
            kind="redistribution_without_metric",
            device=device,
            text=f"{device} takes {source} into EIGRP without a metric",
            suggestion="add metric: {bandwidth: ..., delay: ...}",
            place=item.place,
        )

    def hears(self, gap: Gap, here: Attachment, there: Attachment) -> Iterator[AbsenceStep]:
        return no_adjacency(self.neighbours.refusals, Protocol.EIGRP.id, here, there)

    def inside(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        """What became of the upstream end's announcement on each link."""
        index = self.domain.index_of[gap.interning.tables[gap.downstream]]
        for offer in self.announced.offers(self.rest.told, index, gap.prefix):
            out = offer.neighbour.out
            if out.device.name != gap.here.name:
                continue
            if offer.suppressed_by is not None:
                yield AbsenceStep(
                    kind="hidden_by_summary",
                    device=gap.here.name,
                    text=f"{out} sends {offer.suppressed_by} in its place",
                    suggestion="remove the summary",
                    place=out.settings.place,
                )
            elif offer.stopped_by is not None:
                yield stopped_on_the_way(gap, offer.stopped_by, route)
            elif offer.loop:
                yield AbsenceStep(
                    kind="duplicate_router_id",
                    device=gap.there.name,
                    text=f"it carries the EIGRP router id of {gap.there.name} itself",
                    suggestion="give each router its own router id",
                    place=self.neighbours.routers[index].instance.place,
                )
        sender = self._router(gap.interning.tables[gap.upstream])
        if sender is not None and sender.instance.stub:
            kinds = ", ".join(kind.value for kind in sender.instance.stub)
            yield AbsenceStep(
                kind="stub_router",
                device=gap.here.name,
                text=f"{gap.here.name} is an EIGRP stub that announces {kinds} only"
                if StubRoutes.NOTHING not in sender.instance.stub
                else f"{gap.here.name} is an EIGRP stub that announces nothing",
                suggestion=f"remove stub: from {protocol_title(Protocol.EIGRP.id)}",
                place=sender.instance.place,
            )
        if route.protocol is Protocol.EIGRP and route.discard:
            yield from _summed_up_elsewhere(gap, route)


def _summed_up_elsewhere(gap: Gap, route: Route) -> Iterator[AbsenceStep]:
    """A summary is sent only out of the interfaces that state it."""
    here = [near for near, _ in gap.links]
    settings = [near.interface.eigrp for near in here if near.interface.eigrp]
    if not any(route.prefix in stated.summaries for stated in settings):
        names = " and ".join(near.interface.name for near in here)
        yield AbsenceStep(
            kind="not_announced",
            device=gap.here.name,
            text=f"{gap.here.name} makes the summary {route.prefix} for other interfaces than "
            f"{names}, so {gap.there.name} is not sent it",
            suggestion=f"add {route.prefix} to the summaries of {names}",
            place=route.place,
        )


def _with_problem(path: CandidatePath, offer: EigrpOffer) -> CandidatePath:
    out = offer.neighbour.out
    if offer.stopped_by is not None:
        return rejected_by(path, offer.stopped_by.device, offer.stopped_by.use)
    if offer.suppressed_by is not None:
        problem = f"{out} sends {offer.suppressed_by} in its place"
        return replace(path, problem=problem, place=out.settings.place)
    if offer.withheld:
        problem = f"{out.device.name} is a stub router and does not announce it"
        return replace(path, problem=problem, place=out.settings.place)
    if offer.loop:
        return replace(path, problem="it carries the device's own router id")
    return path
