"""The link-state database of one area as a graph in arrays.

Vertices are routers (numbered first) and transit networks. RFC 2328 gives the edge from a network
to its routers the cost 0, which a sparse matrix cannot tell from no edge; so half a unit moves from
the edge into the network to the edges out of it. Costs are whole numbers and halves are exact, so
equal distances still compare equal.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from routrel.control.ospf.adjacency import Adjacencies
from routrel.control.ospf.speakers import OspfPort, OspfRouter
from routrel.control.rib.candidates import Interning, NextHop
from routrel.model.addresses import Prefix
from routrel.model.network import OspfNetworkType

__all__ = ["NETWORK_SHARE", "Announcements", "AreaLsdb", "FirstHop", "build_area"]

#: How much of an edge into a network is counted on the way out of it.
NETWORK_SHARE = 0.5


@dataclass(frozen=True, slots=True)
class FirstHop:
    """A router's way to one of its neighbours."""

    next_hop: NextHop
    neighbour: int  #: vertex of the neighbouring router
    cost: int  #: to that router


@dataclass(frozen=True, slots=True)
class Announcements:
    """Prefixes that vertices of an area reach at a cost of their own: parallel arrays."""

    vertex: NDArray[np.int32]
    prefix: NDArray[np.int32]  #: interned number
    cost: NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class AreaLsdb:
    """One area: its graph, what its vertices announce, and each router's ways out."""

    area: int
    routers: tuple[OspfRouter, ...]  #: vertex i is routers[i]
    vertex_count: int  #: routers and transit networks
    tail: NDArray[np.int32]  #: edges, at most one for a pair: the cheapest
    head: NDArray[np.int32]
    cost: NDArray[np.float64]
    announcements: Announcements  #: of the area's own networks
    first_hops: tuple[tuple[FirstHop, ...], ...]  #: by router vertex


def build_area(
    area: int, routers: Iterable[OspfRouter], adjacencies: Adjacencies, interning: Interning
) -> AreaLsdb:
    """The database all routers of an area agree on (RFC 2328 12.4.1 and 12.4.2)."""
    members = tuple(
        router for router in routers if any(p.settings.area == area for p in router.ports)
    )
    vertex = {port.key: number for number, router in enumerate(members) for port in router.ports}
    edges: dict[tuple[int, int], float] = {}
    first_hops: list[list[FirstHop]] = [[] for _ in members]
    announcements: list[tuple[int, Prefix, float]] = []
    transit_ports: set[tuple[str, str]] = set()

    def edge(tail: int, head: int, cost: float) -> None:
        # A sparse matrix would add parallel edges up; the cheapest alone counts.
        edges[tail, head] = min(cost, edges.get((tail, head), np.inf))

    def neighbour(here: OspfPort, there: OspfPort) -> None:
        address = there.address.ip if there.address else None
        hop = NextHop(here.interface.name, address)
        first_hops[vertex[here.key]].append(FirstHop(hop, vertex[there.key], here.cost))

    for left, right in adjacencies.links:
        if left.settings.area == area:
            for here, there in ((left, right), (right, left)):
                edge(vertex[here.key], vertex[there.key], here.cost)
                neighbour(here, there)
    count = len(members)
    for ports in adjacencies.transits:
        if ports[0].settings.area != area or ports[0].address is None:
            continue
        network, count = count, count + 1
        announcements.append((network, ports[0].address.network, NETWORK_SHARE))
        for port in ports:
            transit_ports.add(port.key)
            edge(vertex[port.key], network, port.cost - NETWORK_SHARE)
            edge(network, vertex[port.key], NETWORK_SHARE)
            for other in ports:
                if other is not port:
                    neighbour(port, other)
    for number, router in enumerate(members):
        for port in router.ports:
            if port.settings.area == area:
                announcements.extend(
                    (number, prefix, port.cost) for prefix in _stubs(port, transit_ports)
                )
    pairs = np.array(list(edges), dtype=np.int32).reshape(-1, 2)
    return AreaLsdb(
        area=area,
        routers=members,
        vertex_count=count,
        tail=pairs[:, 0],
        head=pairs[:, 1],
        cost=np.array(list(edges.values()), dtype=np.float64),
        announcements=Announcements(
            vertex=np.array([a[0] for a in announcements], dtype=np.int32),
            prefix=np.array([interning.prefixes.add(a[1]) for a in announcements], dtype=np.int32),
            cost=np.array([a[2] for a in announcements], dtype=np.float64),
        ),
        first_hops=tuple(tuple(hops) for hops in first_hops),
    )


def _stubs(port: OspfPort, transit_ports: set[tuple[str, str]]) -> Iterable[Prefix]:
    """The stub networks of a port: all its subnets that no transit network stands for."""
    for address in port.interface.addresses:
        if address.version != 4:
            continue
        primary = port.address is not None and address.ip == port.address.ip
        on_transit = (
            primary and port.network_type is OspfNetworkType.BROADCAST and port.key in transit_ports
        )
        if not on_transit:
            yield ipaddress.ip_network(address.network)
