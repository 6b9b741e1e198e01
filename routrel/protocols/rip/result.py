"""What RIP comes to, and why: candidate paths, what keeps routes away, findings."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from routrel.model.findings import Finding
from routrel.model.network import protocol_title
from routrel.protocols.contract import Domain
from routrel.protocols.evidence import AbsenceStep, CandidatePath, Gap, rejected_by
from routrel.protocols.rip.announcements import INFINITY, RipAnnouncements
from routrel.protocols.rip.neighbours import RipPort
from routrel.protocols.shared.absence import stopped_on_the_way
from routrel.protocols.shared.findings import key_mismatch, one_sided, without_address
from routrel.protocols.shared.vectors import VectorResult
from routrel.rib.candidates import DEFAULT_DISTANCE, NextHop, Table
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Attachment

__all__ = ["RipResult"]


@dataclass(frozen=True, kw_only=True)
class RipResult(VectorResult):
    """RIP or RIPng in the whole network, once nothing changes any more."""

    domain: Domain
    announced: RipAnnouncements

    def ports_of(self, table: Table) -> Sequence[RipPort]:
        index = self.domain.index_of.get(table)
        return () if index is None else self.announced.network.routers[index].ports

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterator[CandidatePath]:
        """What each neighbour tells, and why it is not used."""
        protocol = self.domain.protocol
        offers = list(self.announced.offers(self.rest.told, index, prefix))
        usable = [o.metric for o in offers if o.metric < INFINITY and not (o.stopped_by or o.echo)]
        router = self.announced.network.routers[index]
        for offer in offers:
            problem = ""
            if offer.metric >= INFINITY:
                problem = f"metric {INFINITY} is out of reach"
            elif offer.echo:
                problem = "the device announces the prefix itself"
            out, into = offer.neighbour.out, offer.neighbour.into
            path = CandidatePath(
                protocol=protocol,
                next_hops=(NextHop(into.interface.name, out.way),),
                distance=router.instance.distance or DEFAULT_DISTANCE[protocol],
                metric=offer.metric,
                tag=offer.tag,
                advertiser=out.device.name,
                lost_on="metric" if usable and offer.metric > min(usable) else None,
                problem=problem,
                place=self.announced.origin(self.rest.told, offer.neighbour, prefix),
                also=(out.settings.place, into.settings.place),
                values={"way_cost": offer.neighbour.cost},
            )
            if offer.stopped_by is not None:
                path = rejected_by(path, offer.stopped_by.device, offer.stopped_by.use)
            yield path

    def findings(self) -> Iterator[Finding]:
        """Links of which only one end speaks, and keys that differ."""
        network = self.announced.network
        ports = {port.key: port for router in network.routers for port in router.ports}
        yield from without_address(ports, network.protocol, network.version)
        for segment in self.domain.topology.segments:
            yield from one_sided(segment, ports, network.protocol)
            yield from key_mismatch(segment, ports, network.protocol)

    # --- why a route is absent -----------------------------------------------------------------

    def listens(self, gap: Gap, end: Attachment) -> bool:
        """A passive interface listens; only the upstream end's silence keeps a route back."""
        return True

    def hears(self, gap: Gap, here: Attachment, there: Attachment) -> Iterator[AbsenceStep]:
        key = self.domain.protocol.id
        settings = [getattr(end.interface, key) for end in (here, there)]
        if settings[0].authentication != settings[1].authentication:
            yield AbsenceStep(
                kind="no_adjacency",
                device=there.device.name,
                text=f"{here} and {there} ignore each other's "
                f"{protocol_title(key)}: their keys differ",
                suggestion="make both sides agree",
                place=settings[1].place,
            )

    def inside(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        """What became of the upstream end's announcement on each link."""
        heard = False
        index = self.domain.index_of[gap.interning.tables[gap.downstream]]
        for offer in self.announced.offers(self.rest.told, index, gap.prefix):
            neighbour = offer.neighbour
            if neighbour.out.device.name != gap.here.name:
                continue
            heard = True
            if offer.stopped_by is not None:
                yield stopped_on_the_way(gap, offer.stopped_by, route)
            elif offer.metric >= INFINITY:
                yield AbsenceStep(
                    kind="infinity",
                    device=gap.there.name,
                    text=f"{gap.there.name} hears it with metric {INFINITY}, which is out of reach",
                    suggestion="shorten the way, or lower offsets and costs",
                    place=neighbour.into.settings.place,
                )
        own = route.protocol is self.domain.protocol
        if not heard and own and route.metric >= INFINITY - 1:
            yield AbsenceStep(
                kind="infinity",
                device=gap.there.name,
                text=f"{gap.here.name} holds it at {route.metric}; one hop more is "
                f"{INFINITY}, out of reach",
                suggestion="shorten the way, or lower offsets and costs",
                place=gap.there.place,
            )
