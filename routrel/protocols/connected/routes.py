"""Connected and local routes: what a device knows from its own addresses."""

from __future__ import annotations

import ipaddress

from routrel.model.addresses import is_host_prefix
from routrel.model.network import Device
from routrel.rib.candidates import (
    DEFAULT_DISTANCE,
    CandidateBuilder,
    Interning,
    NextHop,
    Protocol,
    RouteKind,
    Rows,
)
from routrel.topology.segments import Topology

__all__ = ["connected_routes"]


def connected_routes(device: Device, topology: Topology, interning: Interning) -> Rows:
    """A connected route for each subnet and a local one for each address of a device's interfaces.

    An interface whose link is down has neither, unless its device keeps routes over dead links. A
    host prefix (a loopback's /32, say) is only connected: a local route would be the same. Two
    interfaces of a table in one subnet give one route with two next hops.
    """
    builder = CandidateBuilder(interning)
    subnets: dict[tuple[int, int], list[NextHop]] = {}
    places: dict[tuple[int, int], int] = {}
    for interface in device.interfaces:
        if not topology.keeps_routes(device.name, interface.name):
            continue
        table = interning.table_numbers[device.name, interface.vrf]
        hop = NextHop(interface.name)
        place = interning.place(interface.place)
        for address in interface.addresses:
            if ("connected", address.network) in interface.withheld:
                continue  # an event says that the device has it no more
            if address.ip.is_link_local:
                continue  # never forwarded (RFC 4291 2.5.6); reached by interface alone
            subnet = (table, interning.prefixes.add(address.network))
            hops = subnets.setdefault(subnet, [])
            if hop not in hops:
                hops.append(hop)
            places.setdefault(subnet, place)
            if not is_host_prefix(address.network):
                builder.add(
                    table=table,
                    prefix=interning.prefixes.add(ipaddress.ip_network(address.ip)),
                    kind=_kind(Protocol.LOCAL, place),
                    next_hops=(hop,),
                )
    for (table, prefix), hops in subnets.items():
        builder.add(
            table=table,
            prefix=prefix,
            kind=_kind(Protocol.CONNECTED, places[table, prefix]),
            next_hops=hops,
        )
    return builder.array()


def _kind(protocol: Protocol, place: int) -> RouteKind:
    return RouteKind(protocol, DEFAULT_DISTANCE[protocol], place=place)
