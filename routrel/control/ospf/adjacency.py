"""Which OSPF neighbours become fully adjacent, and what keeps the others apart."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import combinations

from routrel.control.ospf.speakers import OspfPort, OspfRouter
from routrel.files.values import format_area
from routrel.model.findings import Finding, Severity
from routrel.model.network import OspfNetworkType
from routrel.topology.segments import Segment, Topology

__all__ = ["Adjacencies", "Refusal", "find_adjacencies", "ospf_findings"]


@dataclass(frozen=True, slots=True)
class Refusal:
    """Two OSPF ports that hear each other but do not become adjacent."""

    left: OspfPort
    right: OspfPort
    code: str  #: what differs, as a stable identifier
    text: str


@dataclass(frozen=True, slots=True)
class Adjacencies:
    """The outcome on all segments."""

    links: tuple[tuple[OspfPort, OspfPort], ...]  #: point-to-point adjacencies
    transits: tuple[tuple[OspfPort, ...], ...]  #: broadcast networks: the designated router first
    refusals: tuple[Refusal, ...]


def find_adjacencies(topology: Topology, routers: Iterable[OspfRouter]) -> Adjacencies:
    """Work out adjacencies segment by segment (RFC 2328 9.4, 10.4 to 10.6).

    On a broadcast network everybody who agrees in hellos takes part in one election of a
    designated router: highest priority, then highest router id (which router came first is not
    known). A router is on the network if it is adjacent to the designated router.
    """
    ports: dict[int, list[tuple[OspfRouter, OspfPort]]] = defaultdict(list)
    for router in routers:
        for port in router.ports:
            segment = topology.segment_of.get(port.key)
            if segment and port.address and not port.settings.passive:
                ports[segment.id].append((router, port))
    links: list[tuple[OspfPort, OspfPort]] = []
    transits: list[tuple[OspfPort, ...]] = []
    refusals: list[Refusal] = []
    for members in ports.values():
        for (_, left), (_, right) in combinations(members, 2):
            refusal = _refusal(left, right, crowd=len(members))
            if refusal:
                refusals.append(refusal)
            elif left.network_type is OspfNetworkType.POINT_TO_POINT:
                links.append((left, right))
        transits.extend(_transit_networks(members))
    return Adjacencies(tuple(links), tuple(transits), tuple(refusals))


def _transit_networks(
    members: list[tuple[OspfRouter, OspfPort]],
) -> Iterator[tuple[OspfPort, ...]]:
    groups: dict[tuple[object, ...], list[tuple[OspfRouter, OspfPort]]] = defaultdict(list)
    for router, port in members:
        if port.network_type is OspfNetworkType.BROADCAST:
            groups[_hello_terms(port)].append((router, port))
    for group in groups.values():
        eligible = [member for member in group if member[1].settings.priority > 0]
        if not eligible:
            continue
        _, designated = max(eligible, key=lambda m: (m[1].settings.priority, m[0].router_id))
        adjacent = [
            port
            for _, port in group
            if port is not designated and not _mtu_refusal(designated, port)
        ]
        if adjacent:
            yield (designated, *adjacent)


def _hello_terms(port: OspfPort) -> tuple[object, ...]:
    """What two routers must agree on to accept each other's hellos (RFC 2328 10.5)."""
    return (
        port.settings.area,
        port.address.network if port.address else None,
        port.hello_interval_s,
        port.dead_interval_s,
    )


def _refusal(left: OspfPort, right: OspfPort, crowd: int) -> Refusal | None:
    """Why two ports on one segment do not become adjacent; None where they do."""
    if left.settings.area != right.settings.area:
        a, b = format_area(left.settings.area), format_area(right.settings.area)
        return Refusal(left, right, "ospf_area_mismatch", f"area {a} against area {b}")
    if left.network_type is not right.network_type:
        a, b = left.network_type.value, right.network_type.value
        return Refusal(left, right, "ospf_network_mismatch", f"{a} against {b}")
    if left.address and right.address and left.address.network != right.address.network:
        return Refusal(
            left, right, "ospf_subnet_mismatch", f"{left.address} against {right.address}"
        )
    for name, mine, theirs in (
        ("hello", left.hello_interval_s, right.hello_interval_s),
        ("dead", left.dead_interval_s, right.dead_interval_s),
    ):
        if mine != theirs:
            return Refusal(
                left, right, "ospf_timer_mismatch", f"{name} interval {mine} s against {theirs} s"
            )
    if left.network_type is OspfNetworkType.POINT_TO_POINT and crowd > 2:
        return Refusal(left, right, "ospf_crowded", f"{crowd} routers on a point-to-point network")
    if (
        left.network_type is OspfNetworkType.BROADCAST
        and not left.settings.priority
        and not right.settings.priority
    ):
        return Refusal(left, right, "ospf_no_designated_router", "priority 0 on both sides")
    return _mtu_refusal(left, right)


def _mtu_refusal(left: OspfPort, right: OspfPort) -> Refusal | None:
    """The side with the smaller MTU ignores the other's database description (RFC 2328 10.6)."""
    small, large = sorted((left, right), key=lambda port: port.interface.mtu)
    if small.interface.mtu == large.interface.mtu or not small.settings.mtu_check:
        return None
    text = f"MTU {left.interface.mtu} against {right.interface.mtu} bytes"
    return Refusal(left, right, "ospf_mtu_mismatch", text)


def ospf_findings(
    topology: Topology, routers: tuple[OspfRouter, ...], adjacencies: Adjacencies
) -> Iterator[Finding]:
    """Refused adjacencies, routers on a link of which only one speaks, and ids given twice."""
    yield from _missing_and_duplicate_ids(topology, routers)
    for refusal in adjacencies.refusals:
        yield Finding(
            severity=Severity.ERROR,
            code=refusal.code,
            text=f"{refusal.left} and {refusal.right} form no OSPF adjacency: {refusal.text}",
            suggestion="make both sides agree",
            place=refusal.left.settings.place,
            device=refusal.left.device.name,
            also=(refusal.right.settings.place,),
        )
    ports = {port.key: port for router in routers for port in router.ports}
    for segment in topology.segments:
        yield from _one_sided(segment, ports)


def _missing_and_duplicate_ids(
    topology: Topology, routers: tuple[OspfRouter, ...]
) -> Iterator[Finding]:
    running = {router.table: router for router in routers}
    first_with: dict[object, OspfRouter] = {}
    for device in topology.network.devices:
        for vrf in device.vrfs:
            if vrf.ospf is None:
                continue
            router = running.get((device.name, vrf.name))
            if router is None:
                yield Finding(
                    severity=Severity.ERROR,
                    code="ospf_no_router_id",
                    text=f"OSPF of {device.name} does not run: it has no router id and no IPv4 "
                    "address to take one from",
                    suggestion="add router-id under ospf:",
                    place=vrf.ospf.place,
                    device=device.name,
                )
                continue
            first = first_with.setdefault(router.router_id, router)
            if first is not router:
                yield Finding(
                    severity=Severity.ERROR,
                    code="ospf_duplicate_router_id",
                    text=f"{device.name} and {first.table[0]} both have the OSPF router id "
                    f"{router.router_id}",
                    suggestion="give each router its own",
                    place=vrf.ospf.place,
                    device=device.name,
                    also=(first.instance.place,),
                )


def _one_sided(segment: Segment, ports: dict[tuple[str, str], OspfPort]) -> Iterator[Finding]:
    """Links between two routers where one end speaks OSPF and the other keeps silent."""
    if not segment.is_link or len(segment.ends) != 2:
        return
    for end, other in (segment.ends, segment.ends[::-1]):
        port, silent = ports.get(end.key), ports.get(other.key)
        if port is None or port.settings.passive:
            continue
        if (silent is None or silent.settings.passive) and any(
            vrf.ospf and vrf.name == other.interface.vrf for vrf in other.device.vrfs
        ):
            why = "is passive" if silent else "has no ospf: key"
            yield Finding(
                severity=Severity.WARNING,
                code="ospf_one_sided",
                text=f"{end} speaks OSPF, but {other} at the other end {why}",
                suggestion="let both ends speak, or make both passive",
                place=(silent.settings if silent else other.interface).place,
                device=other.device.name,
                also=(port.settings.place,),
            )
