"""Which OSPF neighbours become fully adjacent, and what keeps the others apart."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass
from itertools import combinations

from routrel.files.values import format_area
from routrel.model.addresses import Address
from routrel.model.findings import Finding, Severity
from routrel.model.network import protocol_title
from routrel.model.ospf import OspfNetworkType
from routrel.protocols.ospf.speakers import OspfPort, OspfRouter
from routrel.protocols.shared.findings import asymmetric, one_sided, without_address
from routrel.protocols.shared.refusals import Refusal, lost_neighbour, refused
from routrel.protocols.shared.speaking import version_of
from routrel.rib.candidates import Protocol
from routrel.topology.segments import Topology

__all__ = ["Adjacencies", "find_adjacencies", "ospf_findings"]


@dataclass(frozen=True, slots=True)
class Adjacencies:
    """The outcome on all segments."""

    links: tuple[tuple[OspfPort, OspfPort], ...]  #: adjacencies between two routers each
    transits: tuple[tuple[OspfPort, ...], ...]  #: broadcast networks: the designated router first
    refusals: tuple[Refusal, ...]


def find_adjacencies(topology: Topology, routers: Iterable[OspfRouter]) -> Adjacencies:
    """Work out adjacencies segment by segment (RFC 2328 9.4, 10.4 to 10.6).

    On a broadcast network everybody who agrees in hellos takes part in one election of a
    designated router: highest priority, then highest router id (which router came first is not
    known). A router is on the network if it is adjacent to the designated router. On a
    non-broadcast one only those who greet each other take part in an election: two routers do if
    one that may be elected names the other (9.5.1).
    """
    ports: dict[Hashable, list[tuple[OspfRouter, OspfPort]]] = defaultdict(list)
    for router in routers:
        for port in router.ports:
            group = topology.hearing(*port.key)
            if group is not None and port.way is not None and not port.settings.passive:
                ports[group].append((router, port))
    links: list[tuple[OspfPort, OspfPort]] = []
    transits: list[tuple[OspfPort, ...]] = []
    refusals: list[Refusal] = []
    for members in ports.values():
        electing = {_hello_terms(port) for _, port in members if port.settings.priority > 0}
        for (one, left), (other, right) in combinations(members, 2):
            refusal = _refusal(left, right, len(members), _hello_terms(left) in electing)
            if one.router_id == other.router_id:
                # Each takes the other's hellos for its own; told as a duplicate router id.
                continue
            if refusal:
                refusals.append(refusal)
            elif not left.network_type.elects:
                links.append((left, right))
        transits.extend(_transit_networks(members, refusals))
    return Adjacencies(tuple(links), tuple(transits), tuple(refusals))


def _transit_networks(
    members: list[tuple[OspfRouter, OspfPort]], refusals: list[Refusal]
) -> Iterator[tuple[OspfPort, ...]]:
    """The networks of one segment; who misses its designated router is added to the refusals."""
    groups: dict[tuple[object, ...], list[tuple[OspfRouter, OspfPort]]] = defaultdict(list)
    for router, port in members:
        if port.network_type.elects:
            alike = [other for other, _ in members if other.router_id == router.router_id]
            if len(alike) == 1:
                groups[port.network_type, *_hello_terms(port)].append((router, port))
    for group in groups.values():
        best_first = sorted(
            (member for member in group if member[1].settings.priority > 0),
            key=lambda m: (m[1].settings.priority, m[0].router_id),
            reverse=True,
        )
        left = [port for _, port in group]
        greeting = [port for _, port in best_first]
        chosen: list[OspfPort] = []
        while greeting:
            designated = greeting[0]
            electorate = _who_greet(designated, greeting)
            greeting = [port for port in greeting if port not in electorate]
            chosen.append(designated)
            met = [p for p in left if p.key != designated.key and _greet(designated, p)]
            adjacent = [
                port
                for port in met
                if not (_mtu_refusal(designated, port) or _lost(designated, port))
            ]
            left = [port for port in left if port not in met and port.key != designated.key]
            if adjacent:
                yield (designated, *adjacent)
        refusals += [
            Refusal(
                chosen[0],
                port,
                "ospf_not_greeted",
                "neither names the other as a neighbour on this non-broadcast network",
                port.settings.place,
            )
            for port in dict.fromkeys((*left, *chosen[1:]))
            if chosen and not _greet(chosen[0], port)
        ]


def _who_greet(first: OspfPort, ports: list[OspfPort]) -> list[OspfPort]:
    """Those of some ports that a first one hears of, greeting by greeting."""
    found = [first]
    for port in found:
        found += [other for other in ports if other not in found and _greet(port, other)]
    return found


def _greet(left: OspfPort, right: OspfPort) -> bool:
    """Whether two routers of one network exchange hellos."""
    if left.network_type is OspfNetworkType.BROADCAST:
        return True
    return any(
        here.settings.priority > 0
        and (there.way in here.settings.neighbours or _stated(there) in here.settings.neighbours)
        for here, there in ((left, right), (right, left))
    )


def _stated(port: OspfPort) -> Address | None:
    return port.address.ip if port.address else None


def _hello_terms(port: OspfPort) -> tuple[object, ...]:
    """What two routers must agree on to accept each other's hellos (RFC 2328 10.5)."""
    return (
        port.settings.area,
        port.area_kind,
        port.settings.authentication,
        port.address.network if port.address and port.version == 4 else None,
        port.hello_interval_s,
        port.dead_interval_s,
    )


def _refusal(left: OspfPort, right: OspfPort, crowd: int, has_election: bool) -> Refusal | None:
    """Why two ports on one segment do not become adjacent; None where they do.

    Args:
        crowd: How many ports are on it.
        has_election: Whether somebody who agrees with `left` may be elected.
    """
    if left.settings.area != right.settings.area:
        a, b = format_area(left.settings.area), format_area(right.settings.area)
        return Refusal(left, right, "ospf_area_mismatch", f"area {a} against area {b}")
    if left.area_kind != right.area_kind:
        text = (
            f"area {format_area(left.settings.area)} is {left.area_kind} against {right.area_kind}"
        )
        return Refusal(left, right, "ospf_area_type_mismatch", text)
    if left.network_type is not right.network_type:
        a, b = left.network_type.value, right.network_type.value
        return Refusal(left, right, "ospf_network_mismatch", f"{a} against {b}")
    if left.settings.authentication != right.settings.authentication:
        a, b = (port.settings.authentication or "none" for port in (left, right))
        return Refusal(left, right, "ospf_authentication_mismatch", f"key {a} against {b}")
    # OSPFv3 does not compare prefixes (RFC 5340 4.2.1.1); an unnumbered link has none.
    if (
        left.version == 4
        and left.address
        and right.address
        and left.address.network != right.address.network
    ):
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
        left.network_type.elects
        and not left.settings.priority
        and not right.settings.priority
        and not has_election
    ):
        return Refusal(left, right, "ospf_no_designated_router", "priority 0 on both sides")
    return _lost(left, right) or _mtu_refusal(left, right)


def _lost(left: OspfPort, right: OspfPort) -> Refusal | None:
    return lost_neighbour(left, right, left.protocol_id)


def _mtu_refusal(left: OspfPort, right: OspfPort) -> Refusal | None:
    """The side with the smaller MTU ignores the other's database description (RFC 2328 10.6)."""
    small, large = sorted((left, right), key=lambda port: port.interface.mtu)
    if small.interface.mtu == large.interface.mtu or not small.settings.mtu_check:
        return None
    text = f"MTU {small.interface.mtu} bytes at {small} against {large.interface.mtu} at {large}"
    return Refusal(small, large, "ospf_mtu_mismatch", text, small.interface.mtu_place)


def ospf_findings(
    topology: Topology,
    routers: tuple[OspfRouter, ...],
    adjacencies: Adjacencies,
    protocol: Protocol,
) -> Iterator[Finding]:
    """Refused adjacencies, one-sided links and costs, and router ids missing or given twice."""
    yield from _missing_and_duplicate_ids(topology, routers, protocol)
    name = protocol_title(protocol.id)
    for refusal in adjacencies.refusals:
        yield refused(refusal, f"form no {name} adjacency")
    ports = {port.key: port for router in routers for port in router.ports}
    yield from without_address(ports, protocol, version_of(protocol.id))
    for segment in topology.segments:
        yield from one_sided(segment, ports, protocol)
    for left, right in adjacencies.links:
        if left.cost != right.cost:
            yield asymmetric(left, right, (left.cost, right.cost), f"{name} cost")


def _missing_and_duplicate_ids(
    topology: Topology, routers: tuple[OspfRouter, ...], protocol: Protocol
) -> Iterator[Finding]:
    name = protocol_title(protocol.id)
    running = {router.table: router for router in routers}
    first_with: dict[object, OspfRouter] = {}
    for device in topology.network.devices:
        for vrf in device.vrfs:
            instance = vrf.ospf if protocol is Protocol.OSPF else vrf.ospfv3
            if instance is None:
                continue
            router = running.get((device.name, vrf.name))
            if router is None:
                yield Finding(
                    severity=Severity.ERROR,
                    code="ospf_no_router_id",
                    text=f"{name} of {device.name} does not run: it has no router id and no IPv4 "
                    "address to take one from",
                    suggestion=f"add router-id under {protocol.id}:",
                    place=instance.place,
                    device=device.name,
                )
                continue
            first = first_with.setdefault(router.router_id, router)
            if first.table != router.table:
                yield Finding(
                    severity=Severity.ERROR,
                    code="ospf_duplicate_router_id",
                    text=f"{device.name} and {first.table[0]} both have the {name} router id "
                    f"{router.router_id}",
                    suggestion="give each router its own",
                    place=instance.place,
                    device=device.name,
                    also=(first.instance.place,),
                )
