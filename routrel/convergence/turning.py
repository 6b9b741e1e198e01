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

from routrel.convergence.protocols import Look, Protocols
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.protocols.contract import Exchange, Process
from routrel.rib.candidates import NEVER, Protocol, rank
from routrel.rib.table import Rib

__all__ = ["TurningPoint", "turning_points"]


@dataclass(frozen=True, slots=True, order=True)
class TurningPoint:
    """A table, and a protocol whose routes may come to it before or after others."""

    table: int
    late: Protocol  #: what is kept from the table for a while


def turning_points(protocols: Protocols, look: Look) -> list[TurningPoint]:
    """The points to turn at an outcome, by table: what is taken may be late, or what comes back."""
    found: set[TurningPoint] = set()
    rib = look.rib
    exchanges = list(_exchanges(protocols, rib))
    circles = _circles(exchanges)
    kinds = protocols.interning.kinds.kinds
    protocol_of = protocols.interning.kinds.protocols
    for exchange in exchanges:
        rows = rib.table_candidates(exchange.table)
        theirs = protocol_of[rows["kind"]]
        taken = rows[theirs == exchange.source]
        if exchange.prefixes is not None:
            taken = taken[np.isin(taken["prefix"], exchange.prefixes)]
        if not len(taken):
            continue
        farthest = max(kinds[kind].distance for kind in np.unique(taken["kind"]).tolist())
        back = _best_distance(protocols, look, exchange, taken["prefix"])
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
    exchange: Exchange,
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
    numbers = protocols.interning.table_numbers
    speaking = [numbers[table] for table in protocols.domains[exchange.into].speaks_in()]
    theirs_or_local = np.isin(theirs, [exchange.into, Protocol.LOCAL])
    return bool((~here & np.isin(rows["table"], speaking) & ~theirs_or_local).any())


def _exchanges(protocols: Protocols, rib: Rib) -> Iterator[Exchange]:
    """Wherever routes pass from one protocol into another."""
    numbers = protocols.interning.table_numbers
    for process in protocols.processes:
        for source, prefixes in _sources(protocols, process, rib):
            if source not in (process.protocol, Protocol.CONNECTED, Protocol.LOCAL):
                yield Exchange(
                    table=numbers[process.table],
                    source=source,
                    into=process.protocol,
                    vrf=process.vrf,
                    prefixes=prefixes,
                )
    for domain in protocols.domains.values():
        yield from domain.exchanges(rib)


def _sources(
    protocols: Protocols, process: Process, rib: Rib
) -> Iterator[tuple[Protocol, tuple[int, ...] | None]]:
    """The protocols that a process takes routes from, and which prefixes; None: any."""
    interning = protocols.interning
    for item in process.redistribute:
        yield PROTOCOL_OF[item.source], None
    table = interning.table_numbers[process.table]
    wanted = []
    default = process.default_route
    if default is not None and not default.always:
        wanted += [interning.default_prefix(version) for version in process.versions]
    for prefix, _ in process.networks:
        number = interning.prefixes.number(prefix)
        wanted += [] if number is None else [number]
    for number in wanted:
        kinds = rib.candidate_rows(table, number)["kind"].tolist()
        for source in {interning.kinds.kinds[kind].protocol for kind in kinds}:
            yield source, (number,)


def _best_distance(
    protocols: Protocols, look: Look, exchange: Exchange, prefixes: NDArray[np.int32]
) -> int:
    """The lowest distance at which routes may come back to the table."""
    protocol, table = exchange.into, protocols.interning.tables[exchange.table]
    nearest = protocols.domains[protocol].nearest_return(table, look.results[protocol], prefixes)
    if nearest >= NEVER:
        return nearest
    rules = [r.distance for r in exchange.vrf.distances if PROTOCOL_OF[r.protocol] is protocol]
    return min([nearest, *rules])


def _circles(exchanges: Iterable[Exchange]) -> set[tuple[Protocol, Protocol]]:
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
