"""Every candidate for one prefix of one table, and the rung where each lost.

The table compares distances first. What wins there was chosen inside its own protocol by that
protocol's order, so a loser of the winning protocol shows the rung of that order. Of a protocol
that lost on distance every path is out at once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from ipaddress import IPv4Address
from typing import Any

from routrel.convergence.converge import State
from routrel.model.bgp import BgpInstance
from routrel.model.network import Device
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import Origin, PolicyUse
from routrel.policy.as_paths import as_path_text, path_length
from routrel.protocols.bgp.decision import BGP_RUNGS, Entrant
from routrel.protocols.bgp.domain import BGP_PATH_TYPES
from routrel.protocols.bgp.explaining import Offer, offers, settings_of
from routrel.protocols.bgp.paths import Learned, OwnKind, Path
from routrel.protocols.bgp.speakers import Speaker
from routrel.protocols.eigrp.domain import EXTERNAL_DISTANCE
from routrel.protocols.eigrp.metric import INFINITE, rib_metric
from routrel.protocols.leaked.routes import LeakOffer, leak_offers
from routrel.protocols.rip.domain import INFINITY
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    DISCARD,
    NEVER,
    NextHop,
    PathType,
    Protocol,
    rank,
)
from routrel.rib.table import Route

__all__ = ["RUNGS", "Candidate", "candidates", "speaker_candidates"]

#: The rungs in order. BGP chooses by its own before it offers the table its best path; the table
#: compares distances; the rest is the order of the other protocols.
RUNGS = (
    *BGP_RUNGS, "distance", "path_type", "exit_kind", "metric", "forward_metric", "feasible",
    "maximum_paths",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """One way to a prefix that competes for the table."""

    protocol: Protocol
    next_hops: tuple[NextHop, ...]
    distance: int
    metric: int
    path_type: PathType = PathType.NONE
    tag: int = 0
    discard: bool = False
    advertiser: str | None = None  #: the device that announces it
    lost_on: str | None = None  #: one of RUNGS; None: it is in use
    problem: str = ""  #: why it is not usable
    place: Place = NOWHERE
    also: tuple[Place, ...] = ()  #: the lines by which the device hears it
    values: dict[str, Any] = field(default_factory=dict)  #: what only its protocol knows


def candidates(state: State, table: int, prefix: int) -> list[Candidate]:
    """The candidates of a table for a prefix number, those in use first.

    Costs what this one prefix needs: nothing is computed or copied for others.
    """
    rows = state.rib.candidate_rows(table, prefix)
    active = state.rib.active_route(table, state.rib.interning.prefixes.prefixes[prefix])
    found: list[Candidate] = []
    installed: dict[Protocol, Route] = {}
    for row in rows:
        route = state.rib.route(row)
        if route.protocol is Protocol.BGP or (route.protocol in _EXPLAINED and not route.discard):
            installed[route.protocol] = route
        else:
            found.append(_plain(route, _leaked_by(state, route)))
    for protocol, paths in _EXPLAINED.items():
        held = installed.get(protocol)
        for candidate in paths(state, protocol, table, prefix):
            if held is not None and candidate.lost_on is None and not candidate.problem:
                candidate = replace(candidate, distance=held.distance, tag=held.tag)
            elif held is None and not candidate.problem and candidate.lost_on is None:
                candidate = _kept_out(state, candidate, table)
            found.append(candidate)
    found.extend(_unusable_statics(state, table, prefix))
    judged = _with_med([_judge(candidate, active) for candidate in found])
    return sorted(judged, key=_order)


def _with_med(found: list[Candidate]) -> list[Candidate]:
    """The candidates, each with whether its MED was held against that of another one."""
    arrived = [
        candidate
        for candidate in found
        if candidate.protocol is Protocol.BGP
        and not candidate.problem
        and candidate.lost_on not in BGP_RUNGS[: BGP_RUNGS.index("med")]
    ]
    groups = [candidate.values["med_group"] for candidate in arrived]
    compared = {
        id(candidate): groups.count(candidate.values["med_group"]) > 1 for candidate in arrived
    }
    return [
        replace(candidate, values={**candidate.values, "med_compared": compared[id(candidate)]})
        if id(candidate) in compared and len(arrived) > 1
        else candidate
        for candidate in found
    ]


def _order(candidate: Candidate) -> tuple[bool, bool, int, int]:
    return (
        candidate.lost_on is not None,
        bool(candidate.problem),
        rank(candidate.distance, candidate.protocol),
        candidate.metric,
    )


def _judge(candidate: Candidate, active: Route | None) -> Candidate:
    """The first rung where a candidate lost against the active route."""
    if candidate.problem:
        return replace(candidate, lost_on="usable")
    if candidate.lost_on is None and candidate.distance >= NEVER:
        return replace(candidate, lost_on="distance")
    if active is None:
        return candidate
    if candidate.protocol is Protocol.BGP and candidate.lost_on is not None:
        return candidate  # BGP offers the table its best path alone
    if candidate.protocol is not active.protocol:
        return replace(candidate, lost_on="distance")
    if candidate.discard != active.discard:
        return replace(candidate, lost_on="distance" if candidate.distance > active.distance
                       else "path_type")  # fmt: skip
    if candidate.lost_on is None and candidate.distance > active.distance:
        return replace(candidate, lost_on="distance")
    kept = {(hop.interface, hop.address) for hop in active.next_hops}
    ways = {(hop.interface, hop.address) for hop in candidate.next_hops}
    if candidate.lost_on is None and ways and not ways & kept:
        return replace(candidate, lost_on="maximum_paths")
    return candidate


def _kept_out(state: State, candidate: Candidate, table: int) -> Candidate:
    """The candidate, or that its protocol's policy for the table keeps it out."""
    name, vrf_name = state.rib.interning.tables[table]
    device = state.topology.devices[name]
    vrf = device.vrf(vrf_name)
    instance = getattr(vrf, candidate.protocol.id, None)
    use = getattr(instance, "import_policy", None)
    return candidate if use is None else _stopped(candidate, device, use)


def _leaked_by(state: State, route: Route) -> LeakOffer | None:
    """What a leaked route comes by: the first offer of the same ways at the same distance."""
    device = state.topology.devices[route.device]
    mine = device.vrf(route.vrf)
    if route.protocol is not Protocol.LEAKED or mine is None:
        return None
    for offer in leak_offers(device, mine):
        number = state.rib.interning.table_numbers[device.name, offer.source.name]
        there = state.rib.active_route(number, route.prefix)
        if there is None or not offer.admits(there.protocol):
            continue
        if (there.next_hops, there.distance) == (route.next_hops, route.distance):
            return offer
    return None


def _plain(route: Route, offer: LeakOffer | None) -> Candidate:
    return Candidate(
        protocol=route.protocol,
        next_hops=() if route.discard else route.next_hops,
        distance=route.distance,
        metric=route.metric,
        path_type=route.path_type,
        tag=route.tag,
        discard=route.discard,
        place=route.place,
        also=() if offer is None else (offer.place,),
        values={} if offer is None else {"from_vrf": offer.source.name},
    )


def _unusable_statics(state: State, table: int, prefix: int) -> Iterator[Candidate]:
    name = state.rib.interning.tables[table]
    wanted = state.rib.interning.prefixes.prefixes[prefix]
    for outcome in state.protocols.static.outcomes:
        if outcome.table == name and outcome.route.to == wanted and outcome.problem:
            yield Candidate(
                protocol=Protocol.STATIC,
                next_hops=(),
                distance=outcome.route.distance,
                metric=0,
                tag=outcome.route.tag,
                problem=outcome.problem,
                place=outcome.route.place,
            )


# --- what each protocol knows --------------------------------------------------------------------


def _of_ospf(state: State, protocol: Protocol, table: int, prefix: int) -> Iterator[Candidate]:
    domain = state.protocols.ospf[protocol]
    index = domain.index_of.get(state.rib.interning.tables[table])
    if index is None:
        return
    router = domain.routers[index]
    for path in domain.paths(index, prefix):
        external = path.path_type not in (PathType.INTRA_AREA, PathType.INTER_AREA)
        candidate = Candidate(
            protocol=protocol,
            next_hops=path.next_hops,
            distance=router.distance(external=external),
            metric=path.metric,
            path_type=path.path_type,
            tag=path.tag,
            advertiser=path.advertiser_name,
            lost_on=path.lost_on,
            place=path.place,
            also=_heard_on(router.ports, path.next_hops),
            values={
                "way_cost": _way_cost(path.next_hops, router.ports, router.link_cost),
                "area": path.area,
                "forward_metric": path.forward_metric,
                "exit_rank": path.exit_rank,
                "router_id": str(path.advertiser),
            },
        )
        yield _imported(
            state, candidate, router.device, router.instance.import_policy, table, prefix
        )


def _imported(
    state: State,
    candidate: Candidate,
    device: Device,
    use: PolicyUse | None,
    table: int,
    prefix: int,
) -> Candidate:
    """The candidate, or why its router's inbound policy keeps it from the table."""
    if use is None or candidate.lost_on is not None:
        return candidate
    rows = state.rib.candidate_rows(table, prefix)
    kinds = state.rib.interning.kinds.kinds
    if any(kinds[row["kind"]].protocol is candidate.protocol for row in rows):
        return candidate
    return _stopped(candidate, device, use)


def _stopped(candidate: Candidate, device: Device, use: PolicyUse) -> Candidate:
    return replace(
        candidate,
        problem=f"policy {use.policy} of {device.name} rejects it",
        place=use.place,
    )


def _of_rip(state: State, protocol: Protocol, table: int, prefix: int) -> Iterator[Candidate]:
    domain = state.protocols.rip[protocol]
    index = domain.index_of.get(state.rib.interning.tables[table])
    if index is None:
        return
    offers = list(domain.offers(index, prefix))
    usable = [o.metric for o in offers if o.metric < INFINITY and not (o.stopped_by or o.echo)]
    router = domain.routers[index]
    for offer in offers:
        problem = ""
        if offer.metric >= INFINITY:
            problem = f"metric {INFINITY} is out of reach"
        elif offer.echo:
            problem = "the device announces the prefix itself"
        candidate = Candidate(
            protocol=protocol,
            next_hops=(NextHop(offer.hearing.into.interface.name, offer.hearing.out.way),),
            distance=router.instance.distance or DEFAULT_DISTANCE[protocol],
            metric=offer.metric,
            tag=offer.tag,
            advertiser=offer.hearing.out.device.name,
            lost_on="metric" if usable and offer.metric > min(usable) else None,
            problem=problem,
            place=domain.origin(offer.hearing, prefix),
            also=(offer.hearing.out.settings.place, offer.hearing.into.settings.place),
            values={"way_cost": offer.hearing.cost},
        )
        if offer.stopped_by is not None:
            settings = offer.hearing.out.settings
            by = offer.hearing.out if offer.stopped_by is settings.export_policy else (
                offer.hearing.into
            )  # fmt: skip
            candidate = _stopped(candidate, by.device, offer.stopped_by)
        yield candidate


def _of_eigrp(state: State, protocol: Protocol, table: int, prefix: int) -> Iterator[Candidate]:
    domain = state.protocols.eigrp
    index = domain.index_of.get(state.rib.interning.tables[table])
    if index is None:
        return
    router = domain.routers[index]
    instance = router.instance
    offers = list(domain.offers(index, prefix))
    good = [offer for offer in offers if offer.is_taken]
    best = min(((o.external, o.distance) for o in good), default=(False, INFINITE))
    for offer in offers:
        lost = None
        if offer.external != best[0]:
            lost = "path_type"
        elif offer.distance > best[1] * instance.variance:
            lost = "metric"
        elif offer.distance > best[1] and not offer.feasible:
            lost = "feasible"
        default = EXTERNAL_DISTANCE if offer.external else DEFAULT_DISTANCE[protocol]
        stated = instance.external_distance if offer.external else instance.distance
        hearing = offer.hearing
        candidate = Candidate(
            protocol=protocol,
            next_hops=(NextHop(hearing.into.interface.name, hearing.out.way(hearing.version)),),
            distance=stated or default,
            metric=rib_metric(instance, offer.distance),
            path_type=PathType.EXTERNAL if offer.external else PathType.INTERNAL,
            advertiser=hearing.out.device.name,
            lost_on=lost,
            place=domain.origin(hearing, prefix),
            also=(hearing.out.settings.place, hearing.into.settings.place),
            values={
                "reported_distance": rib_metric(instance, offer.reported),
                "feasible_distance": rib_metric(instance, best[1]) if good else None,
                "feasible": offer.feasible,
                "bandwidth_kbps": offer.bandwidth_kbps,
                "delay_us": offer.delay_us,
            },
        )
        if offer.stopped_by is not None:
            sender = offer.stopped_by is hearing.out.settings.export_policy
            by = hearing.out if sender else hearing.into
            candidate = _stopped(candidate, by.device, offer.stopped_by)
        elif offer.suppressed_by is not None:
            candidate = replace(
                candidate,
                problem=f"{hearing.out} sends {offer.suppressed_by} in its place",
                place=hearing.out.settings.place,
            )
        elif offer.withheld:
            candidate = replace(
                candidate,
                problem=f"{hearing.out.device.name} is a stub router and does not announce it",
                place=hearing.out.settings.place,
            )
        elif offer.loop:
            candidate = replace(candidate, problem="it carries the device's own router id")
        yield candidate


def _of_isis(state: State, protocol: Protocol, table: int, prefix: int) -> Iterator[Candidate]:
    domain = state.protocols.isis
    index = domain.index_of.get(state.rib.interning.tables[table])
    if index is None:
        return
    for path in domain.paths(index, prefix):
        yield Candidate(
            protocol=protocol,
            next_hops=path.next_hops,
            distance=domain.systems[index].distance,
            metric=path.metric,
            path_type=path.path_type,
            advertiser=path.advertiser,
            lost_on=path.lost_on,
            tag=path.tag,
            place=path.place,
            also=_heard_on(domain.systems[index].circuits, path.next_hops),
            values={
                "way_cost": _way_cost(
                    path.next_hops,
                    domain.systems[index].circuits,
                    lambda circuit: circuit.metric(path.level),  # noqa: B023
                )
            },
        )


def _heard_on(ports: Sequence[Any], hops: Sequence[NextHop]) -> tuple[Place, ...]:
    """The lines by which a device speaks with its next hops."""
    names = {hop.interface for hop in hops}
    found = (port.settings.place for port in ports if port.interface.name in names)
    return tuple(dict.fromkeys(found))


def _way_cost(
    hops: Sequence[NextHop], ports: Sequence[Any], cost: Callable[[Any], int]
) -> int | None:
    """What the only way out of a path costs; None where there are several."""
    names = {hop.interface for hop in hops}
    found = [cost(port) for port in ports if port.interface.name in names]
    return found[0] if len(found) == 1 else None


#: Own paths whose routes the table holds by another protocol.
_HELD_OTHERWISE = (OwnKind.NETWORK, OwnKind.REDISTRIBUTED, OwnKind.DEFAULT)


def _of_bgp(state: State, protocol: Protocol, table: int, prefix: int) -> Iterator[Candidate]:
    index = state.protocols.bgp.index_of.get(state.rib.interning.tables[table])
    if index is not None:
        yield from _heard_by(state, index, prefix)


def speaker_candidates(state: State, index: int, prefix: int) -> list[Candidate]:
    """The candidates of a BGP speaker that has no table in the model, those in use first."""
    return sorted(_with_med(list(_heard_by(state, index, prefix))), key=_order)


def _heard_by(state: State, index: int, prefix: int) -> Iterator[Candidate]:
    domain = state.protocols.bgp
    speaker = domain.speakers[index]
    for offer in offers(domain, index, prefix):
        sender = domain.speakers[offer.hearing.sender].name if offer.hearing else None
        if offer.path is not None:
            made = _bgp_candidate(speaker, sender, offer, offer.path)
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
                for one in settings_of(domain, index, offer, prefix)
            ]
            yield replace(made, values={**made.values, "set_by": set_by})
        elif offer.taken is not None and offer.taken.stopped is not None and offer.sent:
            # It was sent, and the device does not take it.
            shown = replace(offer, lost_on="usable")
            path = offer.sent.path
            if path is not None and offer.hearing is not None:
                heard = replace(path, learned=offer.hearing.relation, weight=0)
                stopped = offer.taken.stopped
                yield replace(
                    _bgp_candidate(speaker, sender, shown, heard),
                    problem=stopped.text,
                    place=stopped.place,
                )


def _bgp_candidate(speaker: Speaker, sender: str | None, offer: Offer, path: Path) -> Candidate:
    instance = speaker.instance or BgpInstance(autonomous_system=speaker.autonomous_system)
    own = path.learned is Learned.OWN
    distance = instance.internal_distance
    if own:
        distance = instance.local_distance
    elif path.learned is Learned.EXTERNAL:
        distance = instance.external_distance
    found = offer.resolution
    hearing = offer.hearing
    return Candidate(
        protocol=Protocol.BGP,
        next_hops=tuple(hop for hop in found.next_hops if hop.interface) if found else (),
        distance=distance,
        metric=path.med or 0,
        path_type=BGP_PATH_TYPES[path.learned],
        discard=bool(
            path.own is OwnKind.AGGREGATE or (found and found.next_hops[:1] == (DISCARD,))
        ),
        advertiser=sender,
        # What a device announces itself, its table holds by another protocol.
        lost_on=offer.lost_on or ("distance" if own and path.own in _HELD_OTHERWISE else None),
        problem=found.problem if found else "",
        place=offer.place if own else hearing.receiver_settings.place if hearing else NOWHERE,
        values={
            "weight": path.weight,
            "local_preference": path.local_preference,
            "originated": path.own.value if path.own else None,
            "as_path": as_path_text(path.as_path),
            "as_path_length": path_length(path.as_path),
            "origin": list(Origin)[path.origin].value,
            "med": path.med,
            "med_group": offer.entrant.group if offer.entrant else None,
            "med_compared": None,
            "ebgp": path.learned is Learned.EXTERNAL,
            "igp_cost": found.cost if found and not found.problem and not own else None,
            "age_s": path.age_s,
            "router_id": _router_id(path, offer),
            "cluster_list": [str(cluster) for cluster in path.cluster_list],
            "neighbour_address": str(hearing.sender_address) if hearing else None,
            "next_hop": str(path.next_hop) if path.next_hop else None,
            "communities": sorted(path.communities),
        },
    )


def _router_id(path: Path, offer: Offer) -> str | None:
    """The id the decision compares: the originator's of a reflected path, else the neighbour's."""
    entered: Entrant | None = offer.entrant
    if path.learned is Learned.OWN:
        return None
    if path.originator is not None:
        return str(path.originator)
    return str(IPv4Address(entered.behind[3])) if entered else None


#: The protocols whose candidates come from what they heard, not from the table alone.
_EXPLAINED = {
    Protocol.OSPF: _of_ospf,
    Protocol.OSPFV3: _of_ospf,
    Protocol.RIP: _of_rip,
    Protocol.RIPNG: _of_rip,
    Protocol.EIGRP: _of_eigrp,
    Protocol.ISIS: _of_isis,
    Protocol.BGP: _of_bgp,
}
