"""Distances that a device sets for some routes of a protocol."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from routrel.model.addresses import Address
from routrel.model.network import Vrf
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.rib.candidates import GUARDS, Interning, Protocol, Rows

__all__ = ["Advertisers", "with_distances"]

#: Who advertises the route of a row: neighbours, for OSPF router ids.
Advertisers = Callable[[Protocol, Any], Iterable[Address]]


def with_distances(vrf: Vrf, interning: Interning, rows: Rows, advertisers: Advertisers) -> Rows:
    """The rows of a table, with the distances that its rules give them.

    A rule changes how a route fares against other protocols, never which one its own protocol
    chose. What drops the rest of a range, summary or aggregate guards against loops and keeps its
    distance; other routes that drop, a static one or a black hole of BGP, count as any. Of several
    advertisers of equal-cost next hops it is enough that one is named.
    """
    rows = rows.copy()
    for index in range(len(rows)):
        kind = interning.kinds.kinds[rows["kind"][index]]
        number = int(rows["prefix"][index])
        prefix = interning.prefixes.prefixes[number]
        for rule in vrf.distances:
            if PROTOCOL_OF[rule.protocol] is not kind.protocol or kind.path_type in GUARDS:
                continue
            if rule.prefixes and not any(held.holds(prefix) for held in rule.prefixes):
                continue
            if rule.advertisers and not any(
                who in named
                for who in advertisers(kind.protocol, rows[index])
                for named in rule.advertisers
            ):
                continue
            rows["kind"][index] = interning.kinds.add(replace(kind, distance=rule.distance))
            break
    return rows
