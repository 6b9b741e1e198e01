"""Points where routing may come to rest in more than one way.

A router that announces into one protocol what it has from another may hear it back, by itself or
by way of others, and prefer what it hears: then it has no reason any more to announce it. Whether
it announced first or heard first decides. That is possible only where the protocol announced into
ranks before the one taken from, or where routes go round through several redistributions.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from routrel.convergence.protocols import Protocols, Taking
from routrel.model.network import Vrf
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.protocols.leaked.routes import leak_offers
from routrel.rib.candidates import DEFAULT_DISTANCE, NEVER, Protocol, rank
from routrel.rib.table import Rib

__all__ = ["TurningPoint", "turning_points"]


@dataclass(frozen=True, slots=True, order=True)
class TurningPoint:
    """A table, and a protocol whose routes may come to it before or after others."""

    table: int
    late: Protocol  #: what is kept from the table for a while


def turning_points(protocols: Protocols, rib: Rib) -> list[TurningPoint]:
    """The points to turn at an outcome, by table: what is taken may be late, or what comes back."""
    found: set[TurningPoint] = set()
    exchanges = list(_exchanges(protocols, rib))
    circles = _circles(exchanges)
    kinds = protocols.interning.kinds.kinds
    protocol_of = np.array([int(kind.protocol) for kind in kinds], dtype=np.int64)
    for exchange in exchanges:
        rows = rib.table_candidates(exchange.table)
        theirs = protocol_of[rows["kind"]]
        taken = rows[theirs == exchange.source]
        if exchange.prefixes is not None:
            taken = taken[np.isin(taken["prefix"], exchange.prefixes)]
        if not len(taken):
            continue
        farthest = max(kinds[kind].distance for kind in np.unique(taken["kind"]).tolist())
        back = _best_distance(protocols, exchange, taken["prefix"])
        returns = rank(back, exchange.into) < rank(farthest, exchange.source)
        returns = returns or (exchange.source, exchange.into) in circles
        if returns and _others_have(protocols, rib, exchange, taken["prefix"], protocol_of):
            found.update(
                TurningPoint(exchange.table, protocol)
                for protocol in (exchange.source, exchange.into)
                if (theirs == protocol).any()
            )
    return sorted(found)


def _others_have(
    protocols: Protocols,
    rib: Rib,
    exchange: _Exchange,
    prefixes: NDArray[np.int32],
    protocol_of: NDArray[np.int64],
) -> bool:
    """Whether anybody else may announce one of some prefixes into the same protocol.

    What one table alone brings in comes back to it from nobody.
    """
    rows = rib.candidates[np.isin(rib.candidates["prefix"], prefixes)]
    theirs = protocol_of[rows["kind"]]
    here = rows["table"] == exchange.table
    if (here & (theirs == exchange.into)).any():
        return True
    speaking = np.isin(rows["table"], list(protocols.speaking_tables(exchange.into)))
    return bool((~here & speaking & ~np.isin(theirs, [exchange.into, Protocol.LOCAL])).any())


@dataclass(frozen=True, slots=True)
class _Exchange:
    """A table in which routes pass from one protocol into another."""

    table: int
    source: Protocol
    into: Protocol
    vrf: Vrf
    prefixes: tuple[int, ...] | None = None  #: which alone may pass; None: any


def _exchanges(protocols: Protocols, rib: Rib) -> Iterator[_Exchange]:
    """Wherever routes pass from one protocol into another."""
    numbers = protocols.interning.table_numbers
    for taking in protocols.taking:
        device = protocols.topology.devices[taking.table[0]]
        vrf = device.vrf(taking.table[1])
        if vrf is None:
            continue
        for source, prefixes in _sources(protocols, taking, rib):
            if source not in (taking.protocol, Protocol.CONNECTED, Protocol.LOCAL):
                yield _Exchange(numbers[taking.table], source, taking.protocol, vrf, prefixes)
    for device in protocols.network.devices:
        sources = {offer.source.name for vrf in device.vrfs for offer in leak_offers(device, vrf)}
        for vrf in device.vrfs:
            if vrf.name in sources:
                table = numbers[device.name, vrf.name]
                for source in _active_protocols(protocols, rib, table):
                    yield _Exchange(table, source, Protocol.LEAKED, vrf)


def _sources(
    protocols: Protocols, taking: Taking, rib: Rib
) -> Iterator[tuple[Protocol, tuple[int, ...] | None]]:
    """The protocols that one process takes routes from, and which prefixes; None: any."""
    settings, interning = taking.settings, protocols.interning
    for item in settings.redistribute:
        yield PROTOCOL_OF[item.source], None
    table = interning.table_numbers[taking.table]
    wanted = []
    default = getattr(settings, "default_route", None)
    if default is not None and not default.always:
        wanted += [interning.default_prefix(version) for version in taking.versions]
    for network in getattr(settings, "networks", ()):
        number = interning.prefixes.number(network.prefix)
        wanted += [] if number is None else [number]
    for prefix in wanted:
        kinds = rib.candidate_rows(table, prefix)["kind"].tolist()
        for source in {interning.kinds.kinds[number].protocol for number in kinds}:
            yield source, (prefix,)


def _active_protocols(protocols: Protocols, rib: Rib, table: int) -> set[Protocol]:
    kinds = np.unique(rib.table_rows(table)["kind"]).tolist()
    found = {protocols.interning.kinds.kinds[number].protocol for number in kinds}
    return found - {Protocol.CONNECTED, Protocol.LOCAL, Protocol.LEAKED}


def _best_distance(protocols: Protocols, exchange: _Exchange, prefixes: NDArray[np.int32]) -> int:
    """The lowest distance at which routes may come back to the table."""
    protocol, vrf = exchange.into, exchange.vrf
    if protocol is Protocol.LEAKED:
        return NEVER  # they come back by a circle or not at all
    found = [rule.distance for rule in vrf.distances if PROTOCOL_OF[rule.protocol] is protocol]
    instance = getattr(vrf, protocol.id, None)
    if protocol is Protocol.BGP and vrf.bgp is not None:
        found.append(vrf.bgp.internal_distance)
        index = protocols.bgp.index_of[protocols.interning.tables[exchange.table]]
        if protocols.bgp.others_announce(index, prefixes.tolist()):
            found.append(vrf.bgp.external_distance)
    else:
        found.append(getattr(instance, "distance", None) or DEFAULT_DISTANCE[protocol])
        external = getattr(instance, "external_distance", None)
        found += [external] if external else []
    return min(found)


def _circles(exchanges: Iterable[_Exchange]) -> set[tuple[Protocol, Protocol]]:
    """The exchanges from which a route may come back to the protocol it was taken from."""
    onward: dict[Protocol, set[Protocol]] = defaultdict(set)
    for exchange in exchanges:
        onward[exchange.source].add(exchange.into)
    reached: dict[Protocol, set[Protocol]] = {}
    for begin in list(onward):
        seen: set[Protocol] = set()
        waiting = [begin]
        while waiting:
            for further in onward[waiting.pop()] - seen:
                seen.add(further)
                waiting.append(further)
        reached[begin] = seen
    return {
        (source, into)
        for source, found in list(onward.items())
        for into in found
        if source in reached.get(into, set())
    }
