"""Who told a device of a route, and by which BGP sessions it came to it."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.convergence.converge import State
from routrel.model.addresses import Address, Prefix
from routrel.rib.candidates import Protocol
from routrel.rib.table import Route
from routrel.topology.segments import Attachment

__all__ = ["sessions_of_routes", "tellers"]


def tellers(state: State, table: int, route: Route) -> list[Address]:
    """The addresses of those who advertise an active route of a table."""
    interning = state.rib.interning
    number = interning.prefixes.number(route.prefix)
    rows = state.rib.candidate_rows(table, -1 if number is None else number)
    rows = rows[interning.kinds.of(route.protocol)[rows["kind"]]]
    result = state.results.get(route.protocol)
    return list(result.advertisers(rows[0])) if result is not None and len(rows) else []


def sessions_of_routes(
    state: State, routes: Iterable[tuple[str, str, Prefix]]
) -> frozenset[tuple[str, str]]:
    """The BGP sessions by which routes came to the tables that have them, hop by hop from afar.

    Args:
        routes: Devices, VRFs and prefixes of active routes.
    Returns:
        Devices and addresses of their neighbours; of a session between two devices both ways to
        say it.
    """
    numbers = state.rib.interning.table_numbers
    found: set[tuple[str, str]] = set()
    told: set[tuple[str, str, Prefix]] = set()
    waiting = list(routes)
    while waiting:
        one = waiting.pop()
        if one in told:
            continue
        told.add(one)
        device, vrf, prefix = one
        table = numbers[device, vrf]
        route = state.rib.active_route(table, prefix)
        if route is None or route.protocol is not Protocol.BGP:
            continue
        for address in tellers(state, table, route):
            found.add((device, str(address)))
            for end in state.topology.owners.get(address, ()):
                found.update((end.device.name, back) for back in _named_back(end, device, state))
                waiting.append((end.device.name, end.interface.vrf, prefix))
    return frozenset(found)


def _named_back(end: Attachment, device: str, state: State) -> list[str]:
    """The addresses of a device that another one has as neighbours."""
    found = []
    for vrf in end.device.vrfs:
        for neighbour in vrf.bgp.neighbours if vrf.bgp else ():
            owners = state.topology.owners.get(neighbour.address, ())
            if any(one.device.name == device for one in owners):
                found.append(str(neighbour.address))
    return found
