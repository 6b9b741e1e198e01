"""Computed tables held against those that were read from devices, entry by entry.

The entries of both are numbered alike and compared as arrays. Routes that a table holds and does
not use, the order of next hops and routes to a device's own addresses are no differences.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from routrel.convergence.converge import State
from routrel.convergence.pinned import protocol_of
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.model.observed import Drops, ObservedRoute, ObservedTable
from routrel.rib.candidates import NextHop, Protocol
from routrel.rib.table import Route

__all__ = [
    "Difference",
    "DifferenceKind",
    "ObservedEntries",
    "TableAgreement",
    "compare_table",
    "observed_tables",
]

#: Protocols whose routes have a metric of their own that devices tell alike.
_WITH_METRIC = (
    Protocol.RIP, Protocol.RIPNG, Protocol.EIGRP, Protocol.OSPF, Protocol.OSPFV3, Protocol.ISIS,
)  # fmt: skip
_HAS_METRIC = np.zeros(max(Protocol) + 1, dtype=bool)
_HAS_METRIC[list(_WITH_METRIC)] = True
#: Pairs of next hops that are told apart by flags, not by sorting, whatever their number.
_MOST_FLAGS = 1 << 20
_Numbers = NDArray[np.int64]
#: A way as both sides know it: interface and address, either of which may not be told.
_Way = tuple[str | None, Address | None]


class DifferenceKind(Enum):
    """In what an entry differs; of several the first counts."""

    MISSING = "missing"  #: computed, and not in the table that was read
    EXTRA = "extra"  #: in the table that was read, and not computed
    PROTOCOL = "protocol"  #: by another protocol
    NEXT_HOPS = "next_hops"  #: by other next hops
    METRIC = "metric"  #: with another metric


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """An entry that is not the same; None on the side that has none."""

    prefix: Prefix
    kind: DifferenceKind
    computed: Route | None
    observed: ObservedRoute | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TableAgreement:
    """One table: how many entries are equal, and those that are not, in order of the tables."""

    table: ObservedTable
    equal: int
    differences: tuple[Difference, ...]

    @property
    def entries(self) -> int:
        """How many prefixes either side has."""
        return self.equal + len(self.differences)

    @property
    def share(self) -> float:
        """How many of all are equal; of none all are."""
        return self.equal / self.entries if self.entries else 1.0


class ObservedEntries:
    """The entries of a table that are used, numbered as a state's rows are.

    Prefixes that no computed table has are kept apart.
    """

    def __init__(self, state: State, table: ObservedTable) -> None:
        self.table = table
        protocols: dict[str, int] = {}
        number = state.rib.interning.prefixes.number
        self.unknown: list[ObservedRoute] = []
        known: list[ObservedRoute] = []
        numbers, sources, sets = [], [], []
        ways: dict[tuple[frozenset[_Way], Drops | None], int] = {}
        #: By identity, so that what a reader has made once is looked at once.
        met: dict[tuple[int, Drops | None], int] = {}
        for route in table.routes:
            source = protocols.get(route.protocol)
            if source is None:
                source = protocols[route.protocol] = protocol_of(route.protocol).value
            if not route.active or source == Protocol.LOCAL:
                continue
            prefix = number(route.prefix)
            if prefix is None:
                self.unknown.append(route)
                continue
            key = id(route.hops), route.drops
            way = met.get(key)
            if way is None:
                way = met[key] = ways.setdefault(_ways_of(route), len(ways))
            known.append(route)
            numbers.append(prefix)
            sources.append(source)
            sets.append(way)
        metrics = [-1 if route.metric is None else route.metric for route in known]
        order = np.argsort(np.array(numbers, dtype=np.int64), kind="stable")
        self.routes = [known[at] for at in order.tolist()]
        self.prefixes: _Numbers = np.array(numbers, dtype=np.int64)[order]
        self.sets: _Numbers = np.array(sets, dtype=np.int64)[order]
        self.protocols: _Numbers = np.array(sources, dtype=np.int64)[order]
        self.metrics: _Numbers = np.array(metrics, dtype=np.int64)[order]
        self.ways: list[tuple[frozenset[_Way], Drops | None]] = list(ways)


def _ways_of(route: ObservedRoute) -> tuple[frozenset[_Way], Drops | None]:
    return frozenset((hop.interface, hop.address) for hop in route.hops), route.drops


def compare_table(state: State, entries: ObservedEntries) -> TableAgreement:
    """Hold a computed table against the one that was read."""
    table, rib, interning = entries.table, state.rib, state.rib.interning
    rows = rib.table_rows(interning.table_numbers[table.device, table.vrf])
    protocols = interning.kinds.protocols[rows["kind"]]
    if (protocols == Protocol.LOCAL).any():
        rows = rows.compress(protocols != Protocol.LOCAL)
        protocols = protocols[protocols != Protocol.LOCAL]
    mine: _Numbers = rows["prefix"].astype(np.int64)
    place_of = np.full(len(interning.prefixes.prefixes), -1, dtype=np.int64)
    place_of[mine] = np.arange(len(mine))
    at = place_of[entries.prefixes]
    shared = at >= 0
    here, there = at[shared], np.flatnonzero(shared)
    other_protocol = protocols[here] != entries.protocols[there]
    drops = interning.kinds.discards[rows["kind"][here]]
    other_hops = ~_alike(
        rows["next_hops"][here].astype(np.int64),
        entries.sets[there],
        drops,
        _like_hops(state, entries),
    )
    counted = _HAS_METRIC[protocols[here]] & (entries.metrics[there] >= 0)
    other_metric = counted & (rows["metric"][here].astype(np.int64) != entries.metrics[there])
    differs = other_protocol | other_hops | other_metric
    missing = np.ones(len(mine), dtype=bool)
    missing[here] = False
    found: list[Difference] = []
    changed = np.flatnonzero(differs)
    for route, place in zip(rib.routes(rows.take(here[changed])), changed.tolist(), strict=True):
        kind = DifferenceKind.METRIC
        if other_protocol[place]:
            kind = DifferenceKind.PROTOCOL
        elif other_hops[place]:
            kind = DifferenceKind.NEXT_HOPS
        observed = entries.routes[int(there[place])]
        found.append(Difference(prefix=route.prefix, kind=kind, computed=route, observed=observed))
    found += [
        Difference(prefix=route.prefix, kind=DifferenceKind.MISSING, computed=route, observed=None)
        for route in rib.routes(rows.compress(missing))
    ]
    extra = (*(entries.routes[n] for n in np.flatnonzero(~shared)), *entries.unknown)
    found += [
        Difference(
            prefix=observed.prefix, kind=DifferenceKind.EXTRA, computed=None, observed=observed
        )
        for observed in extra
    ]
    found.sort(key=lambda one: prefix_order(one.prefix))
    return TableAgreement(
        table=table, equal=int(len(here) - differs.sum()), differences=tuple(found)
    )


def _alike(
    computed: _Numbers, observed: _Numbers, drops: NDArray[np.bool_], like: Callable[..., bool]
) -> NDArray[np.bool_]:
    """For each entry whether `like` is true of what it has; asked once for what is the same.

    Args:
        computed, observed: The numbers of both sides' sets of next hops.
    """
    if not len(computed):
        return np.zeros(0, dtype=bool)
    most = int(observed.max()) + 1
    pairs = (computed * most + observed) * 2 + drops
    size = (int(computed.max()) + 1) * most * 2

    def told(unique: _Numbers) -> list[bool]:
        return [like(one // 2 // most, one // 2 % most, bool(one % 2)) for one in unique.tolist()]

    found: NDArray[np.bool_]
    if size > max(_MOST_FLAGS, 4 * len(pairs)):
        unique, back = np.unique(pairs, return_inverse=True)
        found = np.array(told(unique), dtype=bool)[back]
    else:
        answers = np.zeros(size, dtype=bool)
        answers[pairs] = True  # those that are met
        met = np.flatnonzero(answers)
        answers[met] = told(met)
        found = answers[pairs]
    return found


def _like_hops(state: State, entries: ObservedEntries) -> Callable[[int, int, bool], bool]:
    """Whether a computed set of next hops, and whether it drops, is what an observed one says."""
    sets = state.rib.interning.next_hops.sets

    def like(computed: int, observed: int, drops: bool) -> bool:
        ways, wanted = entries.ways[observed]
        if drops or wanted is not None:
            return drops and wanted is not None
        return _are_alike(sets[computed], ways)

    return like


def _are_alike(computed: tuple[NextHop, ...], ways: frozenset[_Way]) -> bool:
    """Whether ways are the same as far as both sides tell them."""
    mine = {(hop.interface, hop.address, hop.via) for hop in computed}
    return all(any(_fits(way, hop) for hop in mine) for way in ways) and all(
        any(_fits(way, hop) for way in ways) for hop in mine
    )


def _fits(way: _Way, hop: tuple[str | None, Address | None, Address | None]) -> bool:
    """Whether a way that was read may be a computed one.

    Of a recursive route devices tell the address it names, or the one that this resolved to.
    """
    interface, address = way
    if interface is not None and hop[0] != interface:
        return False
    if address is None:
        return interface is not None and hop[1] is None
    return address in (hop[1], hop[2])


def observed_tables(state: State) -> Iterator[ObservedTable]:
    """The tables that were read and that the state has computed all the same."""
    numbers = state.rib.interning.table_numbers
    for table in state.network.observed:
        if numbers[table.device, table.vrf] not in state.pinned:
            yield table
