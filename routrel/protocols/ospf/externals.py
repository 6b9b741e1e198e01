"""Every router's routes to external prefixes (RFC 2328 16.4, RFC 3101 2.5).

Many prefixes leave by the same way: an exit is a boundary router or a forwarding address. What each
router pays to each exit is worked out once; prefixes announced at the same exits with the same
metrics are then decided together.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from routrel.protocols.ospf.areas import Known, exit_ranks
from routrel.protocols.ospf.external_lsas import DOMAIN, ExternalLsa, takes_externals
from routrel.protocols.ospf.lsdb import Area
from routrel.protocols.ospf.speakers import OspfRouter
from routrel.protocols.shared.prefix_paths import NO_HOP
from routrel.protocols.shared.recent import Parts
from routrel.rib.candidates import (
    ROW,
    Interning,
    NextHop,
    PathType,
    RouteKind,
    Rows,
    limited,
)

__all__ = ["Exit", "Exits", "Flooded", "external_path_type", "external_routes"]

#: Out of reach, for a next-hop set.
UNREACHABLE = -2


def external_path_type(lsa: ExternalLsa) -> PathType:
    """E1, E2, N1 or N2."""
    if lsa.scope == DOMAIN:
        return PathType.EXTERNAL_1 if lsa.metric_type == 1 else PathType.EXTERNAL_2
    return PathType.NSSA_1 if lsa.metric_type == 1 else PathType.NSSA_2


class Exit(NamedTuple):
    """The ways of all routers to where an external route leaves the domain, by router."""

    cost: NDArray[np.float64]  #: infinite: none
    sets: NDArray[np.int32]  #: next hops
    rank: NDArray[np.int64]  #: what counts before cost (RFC 2328 16.4.1); 0 where it does not


class Exits:
    """What every router pays to boundary routers and forwarding addresses, and by which hops."""

    def __init__(
        self,
        routers: Sequence[OspfRouter],
        areas: Mapping[int, Area],
        prefixes: Known,
        boundary: Known,
        interning: Interning,
    ) -> None:
        """
        Args:
            prefixes: The internal routes to prefixes.
            boundary: The internal routes to boundary routers, whose prefix number is their index.
        """
        self.routers, self.areas, self.interning = routers, areas, interning
        self.prefixes, self.boundary = prefixes, boundary
        self.tables = np.array([interning.table_numbers[r.table] for r in routers])
        self.index_of = np.full(len(interning.tables), -1)
        self.index_of[self.tables] = np.arange(len(routers))
        self.takes = np.array([takes_externals(router) for router in routers])
        self._by_cost_alone = np.array([router.instance.rfc1583 for router in routers], dtype=bool)
        self._ranks = {id(known): exit_ranks(known, interning) for known in (prefixes, boundary)}
        self._known: dict[tuple[object, ...], Exit] = {}

    def of(self, lsa: ExternalLsa) -> Exit:
        """For every router its way to an LSA's exit."""
        key = (lsa.scope, lsa.router if lsa.forward is None else -1, lsa.forward)
        found = self._known.get(key)
        if found is None:
            if lsa.forward is not None:
                found = self._to_address(lsa)
            elif lsa.scope == DOMAIN:
                found = self._spread(self.boundary, lsa.router)
            else:
                found = self._inside(lsa)
            if lsa.scope == DOMAIN:
                found.cost[~self.takes] = np.inf
            found.rank[self._by_cost_alone] = 0
            self._known[key] = found
        return found

    def _nowhere(self) -> Exit:
        count = len(self.routers)
        return Exit(
            np.full(count, np.inf),
            np.full(count, UNREACHABLE, dtype=np.int32),
            np.zeros(count, dtype=np.int64),
        )

    def _spread(self, known: Known, number: int) -> Exit:
        cost, sets, rank = found = self._nowhere()
        chosen = known.rows["prefix"] == number
        rows = known.rows[chosen]
        at = self.index_of[rows["table"]]
        cost[at], sets[at] = rows["metric"], rows["next_hops"]
        rank[at] = self._ranks[id(known)][chosen]
        return found

    def _inside(self, lsa: ExternalLsa) -> Exit:
        """To a router of an NSSA, for the routers of that area."""
        cost, sets, _ = found = self._nowhere()
        area = self.areas[lsa.scope]
        target = area.vertex_of[self.routers[lsa.router].table]
        for vertex, router in enumerate(area.routers):
            at = int(self.index_of[self.interning.table_numbers[router.table]])
            cost[at] = area.paths.dist[vertex, target]
            if np.isfinite(cost[at]):
                sets[at] = area.hops.numbers(vertex, area.paths.masks[:, vertex, [target]])[0]
        return found

    def _to_address(self, lsa: ExternalLsa) -> Exit:
        """To a forwarding address: by the longest match among routes inside the domain.

        For an LSA of an NSSA it must be a route inside that area (RFC 3101 2.5 (3)).
        """
        if lsa.forward is None:
            raise ValueError("there is no forwarding address")
        cost, sets, rank = result = self._nowhere()
        rows, areas = self.prefixes.rows, self.prefixes.areas
        ranks = self._ranks[id(self.prefixes)]
        found = np.zeros(len(self.routers), dtype=bool)
        for number in self.interning.prefixes.matches(lsa.forward):
            chosen = np.flatnonzero(rows["prefix"] == number)
            for index in chosen.tolist():
                at = int(self.index_of[rows["table"][index]])
                if found[at]:
                    continue
                found[at] = True
                kind = self.interning.kinds.kinds[rows["kind"][index]]
                inside = kind.path_type is PathType.INTRA_AREA and areas[index] == lsa.scope
                if lsa.scope != DOMAIN and not inside:
                    continue
                number_of_set = int(rows["next_hops"][index])
                if number_of_set == NO_HOP:
                    number_of_set = self._directly(at, lsa)
                cost[at], sets[at] = rows["metric"][index], number_of_set
                rank[at] = ranks[index]
        cost[sets == UNREACHABLE] = np.inf
        return result

    def _directly(self, at: int, lsa: ExternalLsa) -> int:
        """The forwarding address as a neighbour on one of a router's own networks."""
        for port in self.routers[at].ports:
            own = port.address is not None and port.address.ip == lsa.forward
            if not own and any(lsa.forward in subnet for subnet in port.subnets):
                return self.interning.next_hops.add((NextHop(port.interface.name, lsa.forward),))
        return UNREACHABLE


class _Choice(NamedTuple):
    """What routers made of groups of LSAs: by router, or of one router by group."""

    metric: NDArray[np.int64]
    kind: NDArray[np.int32]
    sets: NDArray[np.int32]
    reached: NDArray[np.bool_]

    @classmethod
    def of_groups(cls, choices: Sequence[_Choice]) -> _Choice:
        """Those of all groups, [group, router]."""
        return cls(
            metric=np.stack([choice.metric for choice in choices]),
            kind=np.stack([choice.kind for choice in choices]),
            sets=np.stack([choice.sets for choice in choices]),
            reached=np.stack([choice.reached for choice in choices]),
        )

    def of_router(self, at: int) -> _Choice:
        """One router's, by group."""
        return _Choice(self.metric[:, at], self.kind[:, at], self.sets[:, at], self.reached[:, at])


@dataclass(frozen=True, slots=True)
class Flooded:
    """All external LSAs, with prefixes that the same ones announce alike taken together."""

    lsas: tuple[ExternalLsa, ...]
    by_prefix: Mapping[int, Sequence[ExternalLsa]]
    prefixes: NDArray[np.int32]  #: rising
    group_of: NDArray[np.int64]  #: by prefix: its group
    groups: tuple[tuple[Sequence[ExternalLsa], bool], ...]  #: LSAs of one, and whether a default

    @classmethod
    def of(cls, lsas: tuple[ExternalLsa, ...], interning: Interning) -> Flooded:
        """Group some LSAs."""
        by_prefix: dict[int, list[ExternalLsa]] = {}
        for lsa in lsas:
            by_prefix.setdefault(lsa.prefix, []).append(lsa)
        numbers: dict[tuple[object, ...], int] = {}
        groups: list[tuple[Sequence[ExternalLsa], bool]] = []
        prefixes = np.array(sorted(by_prefix), dtype=np.int32)
        group_of = np.empty(len(prefixes), dtype=np.int64)
        default = {interning.default_prefix(version) for version in (4, 6)}
        for index, prefix in enumerate(prefixes.tolist()):
            members = by_prefix[prefix]
            key = (prefix in default, *(_treatment(lsa) for lsa in members))
            group = numbers.setdefault(key, len(numbers))
            if group == len(groups):
                groups.append((members, prefix in default))
            group_of[index] = group
        return cls(lsas, by_prefix, prefixes, group_of, tuple(groups))


def external_routes(
    routers: Sequence[OspfRouter],
    flooded: Flooded,
    exits: Exits,
    interning: Interning,
    parts: Parts,
) -> dict[int, Rows]:
    """By table the best external route to every prefix, in order of prefix.

    Args:
        parts: Holds the rows of routers as they were made; more is added.
    """
    if not flooded.groups:
        return {}
    decide = _Decision(routers, exits, interning)
    choices = [decide.choose(lsas, is_default=default) for lsas, default in flooded.groups]
    made = _Choice.of_groups(choices)
    found = {}
    for at, table in enumerate(exits.tables.tolist()):
        mine = made.of_router(at)
        known = (flooded, *(values.tobytes() for values in mine))
        place = ("external", routers[at].protocol, table)
        rows = parts.of(place, known, partial(_external_rows, table, flooded, mine))
        if len(rows):
            found[table] = rows
    return found


def _external_rows(table: int, flooded: Flooded, mine: _Choice) -> Rows:
    """One router's routes; its choice is by group."""
    wanted = np.flatnonzero(mine.reached[flooded.group_of])
    chosen = flooded.group_of[wanted]
    rows: Rows = np.empty(len(wanted), dtype=ROW)
    rows["table"] = table
    rows["prefix"] = flooded.prefixes[wanted]
    rows["metric"] = mine.metric[chosen]
    rows["kind"] = mine.kind[chosen]
    rows["next_hops"] = mine.sets[chosen]
    return rows


def _treatment(lsa: ExternalLsa) -> tuple[object, ...]:
    """All that counts in choosing, and in what the chosen route is."""
    return lsa.router, lsa.scope, lsa.metric_type, lsa.metric, lsa.forward, lsa.tag, lsa.propagate


class _Decision:
    def __init__(self, routers: Sequence[OspfRouter], exits: Exits, interning: Interning) -> None:
        self.routers, self.exits, self.interning = routers, exits, interning
        self.borders = np.array([router.is_border for router in routers])
        self.limits = [router.maximum_paths for router in routers]
        self.distances = [router.distance(external=True) for router in routers]
        self._unions: dict[tuple[int, ...], int] = {}

    def choose(self, lsas: Sequence[ExternalLsa], *, is_default: bool) -> _Choice:
        """For every router the LSAs that give the best route (RFC 2328 16.4 (6), RFC 3101 2.5).

        Type 1 is preferred to type 2; among the first the sum of both costs counts, among the
        second the metric, then the cost to the exit. Without RFC1583Compatibility the kind of way
        to the exit counts before costs.
        """
        # An NSSA's LSA with the P-bit lends its label to a tie, then the domain's, then others.
        lsas = sorted(lsas, key=lambda lsa: (not lsa.propagate, lsa.scope != DOMAIN))
        cost, sets, rank = (np.stack(part) for part in zip(*map(self.exits.of, lsas), strict=True))
        cost = cost.copy()
        for index, lsa in enumerate(lsas):
            cost[index, lsa.router] = np.inf  # its own
            if is_default and lsa.scope != DOMAIN and not lsa.propagate:
                cost[index, self.borders] = np.inf
        usable = np.isfinite(cost)
        kind = np.array([[lsa.metric_type] for lsa in lsas])
        metric = np.array([[lsa.metric] for lsa in lsas])
        total = np.where(kind == 1, cost + metric, metric)
        best = usable
        shape = cost.shape
        told = np.where(kind == 1, 0, metric)
        last = np.where(kind == 1, 0, cost)
        for value in (
            np.broadcast_to(kind, shape),
            np.broadcast_to(told, shape),
            rank,
            total,
            last,
        ):
            least = np.where(best, value, np.inf).min(axis=0)
            best = best & (value == least)
        first = best.argmax(axis=0)
        count = best.sum(axis=0)
        roots = np.arange(len(self.routers))
        chosen = sets[first, roots]
        for at in np.flatnonzero(count > 1).tolist():
            chosen[at] = self._union(at, sets[best[:, at], at])
        return _Choice(
            metric=np.where(count > 0, total[first, roots], 0).astype(np.int64),
            kind=self._kinds(lsas, first),
            sets=chosen,
            reached=count > 0,
        )

    def _kinds(self, lsas: Sequence[ExternalLsa], first: NDArray[np.intp]) -> NDArray[np.int32]:
        numbers = [
            {
                distance: self.interning.kinds.add(
                    RouteKind(
                        self.routers[0].protocol, distance, external_path_type(lsa), tag=lsa.tag
                    )
                )
                for distance in set(self.distances)
            }
            for lsa in lsas
        ]
        return np.array(
            [
                numbers[index][distance]
                for index, distance in zip(first.tolist(), self.distances, strict=True)
            ],
            dtype=np.int32,
        )

    def _union(self, at: int, sets: NDArray[np.int32]) -> int:
        key = (self.limits[at], *sorted(set(sets.tolist())))
        number = self._unions.get(key)
        if number is None:
            known = self.interning.next_hops.sets
            hops = [hop for one in key[1:] for hop in known[one]]
            number = self._unions[key] = self.interning.next_hops.add(
                limited(hops, self.limits[at])
            )
        return number
