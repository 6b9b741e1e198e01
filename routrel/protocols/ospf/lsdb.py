"""The link-state database of one area as a graph in arrays.

Vertices are routers (numbered first) and transit networks; `NETWORK_SHARE` tells what the edges
of a network cost.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from routrel.model.addresses import Prefix
from routrel.model.ospf import OspfNetworkType
from routrel.protocols.ospf.adjacency import Adjacencies
from routrel.protocols.ospf.speakers import OspfPort, OspfRouter
from routrel.protocols.shared.prefix_paths import Announcements, WayHops
from routrel.protocols.shared.shortest_paths import NETWORK_SHARE, ShortestPaths, build_graph
from routrel.rib.candidates import Interning, NextHop, Table

__all__ = ["Area", "BackboneLink", "build_area"]


@dataclass(frozen=True, slots=True)
class BackboneLink:
    """One direction of a virtual link (RFC 2328 15): a backbone edge with borrowed next hops."""

    tail: Table
    head: Table
    cost: float
    hops: tuple[NextHop, ...]


@dataclass(frozen=True, kw_only=True)
class Area:
    """One area: its shortest paths, and what its own vertices announce."""

    number: int
    routers: tuple[OspfRouter, ...]  #: vertex i is routers[i]
    vertex_of: dict[Table, int]
    paths: ShortestPaths
    hops: WayHops
    networks: Announcements  #: the area's own prefixes
    designated: tuple[OspfRouter, ...]  #: by transit network: who announces it
    members: tuple[tuple[OspfPort, ...], ...]  #: by transit network: the ports on it

    def on_link(self, root: int, prefix: int) -> list[NextHop]:
        """A router's interfaces on the transit networks that stand for a prefix."""
        found = []
        vertices = self.networks.vertex[self.networks.of_prefix(prefix)].tolist()
        for network in (v - len(self.routers) for v in vertices if v >= len(self.routers)):
            found += [
                NextHop(port.interface.name)
                for port in self.members[network]
                if (port.device.name, port.interface.vrf) == self.routers[root].table
            ]
        return found


def build_area(
    number: int,
    routers: Iterable[OspfRouter],
    adjacencies: Adjacencies,
    interning: Interning,
    virtual: Sequence[BackboneLink] = (),
) -> Area:
    """The database all routers of an area agree on (RFC 2328 12.4.1, 12.4.2; RFC 5340 4.4)."""
    joined = {link.tail for link in virtual}
    members = tuple(r for r in routers if number in r.areas or r.table in joined)
    vertex = {port.key: at for at, router in enumerate(members) for port in router.ports}
    vertex_of = {router.table: at for at, router in enumerate(members)}
    edges: list[tuple[int, int, float]] = []
    ways: list[tuple[int, int, float, NextHop]] = []
    networks: list[tuple[int, Prefix, float]] = []
    on_transit: set[tuple[str, str]] = set()

    def way(here: OspfPort, there: OspfPort) -> None:
        cost = members[vertex[here.key]].link_cost(here)
        hop = NextHop(here.interface.name, there.way)
        ways.append((vertex[here.key], vertex[there.key], cost, hop))

    for pair in adjacencies.links:
        if pair[0].settings.area == number:
            for here, there in (pair, pair[::-1]):
                way(here, there)
                edges.append(ways[-1][:3])
    count = len(members)
    designated: list[OspfRouter] = []
    on_networks: list[tuple[OspfPort, ...]] = []
    for ports in adjacencies.transits:
        if ports[0].settings.area != number:
            continue
        network, count = count, count + 1
        designated.append(members[vertex[ports[0].key]])
        on_networks.append(tuple(ports))
        networks.extend((network, p, NETWORK_SHARE) for p in _transit_prefixes(ports))
        for port in ports:
            on_transit.add(port.key)
            cost = members[vertex[port.key]].link_cost(port)
            edges.append((vertex[port.key], network, cost - NETWORK_SHARE))
            edges.append((network, vertex[port.key], NETWORK_SHARE))
            for other in ports:
                if other.key != port.key:
                    way(port, other)
    for link in virtual:
        tail, head = vertex_of[link.tail], vertex_of[link.head]
        edges.append((tail, head, link.cost))
        ways.extend((tail, head, link.cost, hop) for hop in link.hops)
    for at, router in enumerate(members):
        for port in router.ports:
            if port.settings.area == number:
                networks.extend((at, *stub) for stub in _stubs(port, on_transit))
    ways.sort(key=lambda item: item[0])
    paths = ShortestPaths(build_graph(len(members), count, edges, [w[:3] for w in ways]))
    return Area(
        number=number,
        routers=members,
        vertex_of=vertex_of,
        paths=paths,
        hops=WayHops(paths, [w[3] for w in ways], [r.maximum_paths for r in members], interning),
        networks=Announcements.of(
            (at, interning.prefixes.add(prefix), cost) for at, prefix, cost in networks
        ),
        designated=tuple(designated),
        members=tuple(on_networks),
    )


def _transit_prefixes(ports: Sequence[OspfPort]) -> list[Prefix]:
    """What a transit network itself stands for: of IPv4 the designated router's primary subnet.

    For IPv6 its intra-area-prefix-LSA carries the prefixes of all who are on it (RFC 5340 4.4.3.9).
    """
    if ports[0].version == 4:
        return [prefix for prefix in ports[0].subnets[:1] if ports[0].announces(prefix)]
    return list(
        dict.fromkeys(prefix for port in ports for prefix in port.subnets if port.announces(prefix))
    )


def _stubs(port: OspfPort, on_transit: set[tuple[str, str]]) -> Iterator[tuple[Prefix, float]]:
    """The stub networks of a port with their costs: subnets that no transit network stands for.

    A multipoint interface announces its own address at cost 0 instead (RFC 2328 12.4.1.4).
    """
    covered = port.key in on_transit
    if port.network_type is OspfNetworkType.MULTIPOINT and not port.settings.passive:
        if port.address is not None:
            yield ipaddress.ip_network(port.address.ip), 0
        return
    for index, prefix in enumerate(port.subnets):
        if port.announces(prefix) and (not covered or (port.version == 4 and index > 0)):
            yield prefix, port.cost
