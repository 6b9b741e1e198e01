"""BGP in the whole network, and why: candidate paths, what keeps routes away, findings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from ipaddress import IPv4Address

from routrel.model.addresses import Address, Prefix
from routrel.model.bgp import BgpInstance
from routrel.model.findings import Finding
from routrel.model.place import NOWHERE
from routrel.model.policy import Origin
from routrel.policy.as_paths import as_path_text, path_length
from routrel.protocols.bgp.absence import in_session, not_in_bgp, reasons, tells_a_default
from routrel.protocols.bgp.decision import BGP_RUNGS, Contender
from routrel.protocols.bgp.explaining import Offer, disputes, offers, settings_of
from routrel.protocols.bgp.findings import bgp_findings, dispute_text
from routrel.protocols.bgp.paths import OwnKind, Path, PathSource
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.bgp.spreading import BGP_PATH_TYPES, Pinned
from routrel.protocols.bgp.state import BgpState
from routrel.protocols.contract import OtherWay, Result
from routrel.protocols.evidence import AbsenceStep, CandidatePath, Gap
from routrel.rib.candidates import DISCARD, Protocol, Rows
from routrel.rib.table import Rib, Route

__all__ = ["BgpResult"]

#: Own paths whose routes the table holds by another protocol.
_HELD_OTHERWISE = (OwnKind.NETWORK, OwnKind.REDISTRIBUTED, OwnKind.DEFAULT)


@dataclass(frozen=True, kw_only=True)
class BgpResult(BgpState, Result):
    """What every speaker holds, and everything that is asked about it."""

    tells_unusable = True

    @property
    def oscillating(self) -> frozenset[tuple[int, int]]:
        return self.classes.oscillating

    def other_ways(self) -> Iterator[OtherWay]:
        """The stable states of classes that are not shown."""
        numbers = self.interning.table_numbers
        for _, result in self.classes.all:
            shown = tuple(result.outcome.chosen)
            for number, other in enumerate(result.outcome.others):
                if other.chosen != shown:
                    tables = [self.speakers[speaker].table for speaker in other.order]
                    first = tuple(numbers[table] for table in tables if table is not None)
                    yield OtherWay(choice=Pinned(result.key, number), first=first)

    def advertisers(self, row: Rows) -> Iterable[Address]:
        """The addresses of the neighbours whose paths are used."""
        index = self.index_of[self.interning.tables[row["table"]]]
        return [
            offer.peer.sender_address
            for offer in offers(self, index, int(row["prefix"]))
            if offer.lost_on is None and offer.peer is not None
        ]

    def announced_prefixes(self) -> Iterable[int]:
        return self.classes.announced

    def findings(self) -> Iterator[Finding]:
        return bgp_findings(self)

    def doubts(self, prefix: Prefix) -> Iterator[str]:
        return (dispute_text(one) for one in disputes(self) if prefix in one.prefixes)

    # --- candidate paths -----------------------------------------------------------------------

    def explains(self, route: Route) -> bool:
        return True

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterable[CandidatePath]:
        """What a speaker hears and has of its own, and where each path lost."""
        return self.heard_by(index, prefix)

    def heard_by(self, index: int, prefix: int) -> list[CandidatePath]:
        """The candidate paths of a speaker, each with whether its MED was held against others'."""
        found = list(self._heard_by(index, prefix))
        before_med = BGP_RUNGS[: BGP_RUNGS.index("med")]
        arrived = [p for p in found if not p.problem and p.lost_on not in before_med]
        groups = [path.values["med_group"] for path in arrived]
        if len(arrived) < 2:
            return found
        compared = {id(path): groups.count(path.values["med_group"]) > 1 for path in arrived}
        return [
            replace(path, values={**path.values, "med_compared": compared[id(path)]})
            if id(path) in compared
            else path
            for path in found
        ]

    def _heard_by(self, index: int, prefix: int) -> Iterator[CandidatePath]:
        speaker = self.speakers[index]
        for offer in offers(self, index, prefix):
            sender = self.speakers[offer.peer.sender].name if offer.peer else None
            if offer.path is not None:
                made = _candidate(speaker, sender, offer, offer.path)
                set_by = [
                    {
                        "attribute": one.attribute,
                        "value": one.value,
                        "device": one.device,
                        "policy": one.policy,
                        "statement": one.statement,
                        "file": one.place.file or None,
                        "line": one.place.line or None,
                    }
                    for one in settings_of(self, index, offer, prefix)
                ]
                yield replace(made, values={**made.values, "set_by": set_by})
            elif offer.taken is not None and offer.taken.stopped is not None and offer.sent:
                # It was sent, and the device does not take it.
                shown = replace(offer, lost_on="usable")
                path = offer.sent.path
                if path is not None and offer.peer is not None:
                    heard = replace(path, source=offer.peer.relation, weight=0)
                    stopped = offer.taken.stopped
                    yield replace(
                        _candidate(speaker, sender, shown, heard),
                        problem=stopped.text,
                        place=stopped.place,
                    )

    # --- why a route is absent -----------------------------------------------------------------

    def reasons(self, table: int, prefix: int) -> Iterator[AbsenceStep]:
        return reasons(self, table, prefix)

    def joins(self, gap: Gap) -> bool:
        return in_session(self, gap)

    def into(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        return not_in_bgp(self, gap, route)

    def originates(self, gap: Gap) -> Iterator[AbsenceStep]:
        return tells_a_default(self, gap)


def _candidate(speaker: Speaker, sender: str | None, offer: Offer, path: Path) -> CandidatePath:
    instance = speaker.instance or BgpInstance(autonomous_system=speaker.autonomous_system)
    own = path.source is PathSource.OWN
    distance = instance.internal_distance
    if own:
        distance = instance.local_distance
    elif path.source is PathSource.EXTERNAL:
        distance = instance.external_distance
    found = offer.resolution
    peer = offer.peer
    # What a device announces itself, its table holds by another protocol.
    lost_on = offer.lost_on or ("distance" if own and path.own in _HELD_OTHERWISE else None)
    return CandidatePath(
        protocol=Protocol.BGP,
        next_hops=tuple(hop for hop in found.next_hops if hop.interface) if found else (),
        distance=distance,
        metric=path.med or 0,
        path_type=BGP_PATH_TYPES[path.source],
        discard=bool(
            path.own is OwnKind.AGGREGATE or (found and found.next_hops[:1] == (DISCARD,))
        ),
        advertiser=sender,
        lost_on=lost_on,
        decided=lost_on is not None,
        problem=found.problem if found else "",
        place=offer.place if own else peer.receiver_settings.place if peer else NOWHERE,
        values={
            "weight": path.weight,
            "local_preference": path.local_preference,
            "originated": path.own.value if path.own else None,
            "as_path": as_path_text(path.as_path),
            "as_path_length": path_length(path.as_path),
            "origin": list(Origin)[path.origin].value,
            "med": path.med,
            "med_group": offer.contender.group if offer.contender else None,
            "med_compared": None,
            "ebgp": path.source is PathSource.EXTERNAL,
            "igp_cost": found.cost if found and not found.problem and not own else None,
            "age_s": path.age_s,
            "router_id": _router_id(path, offer.contender),
            "cluster_list": [str(cluster) for cluster in path.cluster_list],
            "neighbour_address": str(peer.sender_address) if peer else None,
            "next_hop": str(path.next_hop) if path.next_hop else None,
            "communities": sorted(path.communities),
        },
    )


def _router_id(path: Path, entered: Contender | None) -> str | None:
    """The id the decision compares: the originator's of a reflected path, else the neighbour's."""
    if path.source is PathSource.OWN:
        return None
    if path.originator is not None:
        return str(path.originator)
    return str(IPv4Address(entered.behind[3])) if entered else None
