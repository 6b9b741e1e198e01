"""Routes within and between areas, from every area's database.

A border router tells the backbone what it reaches inside its other areas, and tells each of those
what it reaches elsewhere (RFC 2328 12.4.3). It looks at the summaries of the backbone alone (16.2),
so that no route leaves an area through another.

The same steps serve two kinds of destinations: prefixes, and the boundary routers that announce
external routes (16.4), which stand as numbers of their own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix, is_within
from routrel.model.ospf import OspfAreaType, OspfExternalRange, OspfRange
from routrel.protocols.ospf.lsdb import Area
from routrel.protocols.ospf.speakers import BACKBONE, OspfRouter
from routrel.protocols.shared.prefix_paths import NO_HOP, Announcements, routes_to
from routrel.protocols.shared.recent import Parts
from routrel.rib.candidates import (
    Interning,
    PathType,
    RouteKind,
    Rows,
    joined,
    limited,
    no_rows,
    table_slice,
)
from routrel.rib.select import best_of_each

__all__ = [
    "LS_INFINITY",
    "ActiveRange",
    "Internal",
    "Known",
    "exit_ranks",
    "internal_routes",
    "most_specific",
]

#: A summary of this cost or more says that the prefix is out of reach (RFC 2328 B, LSInfinity).
LS_INFINITY = 0xFFFFFF


@dataclass(frozen=True, slots=True)
class ActiveRange:
    """A range that holds at least one route of its area, at one border router."""

    router: OspfRouter
    table: int
    area: int
    range: OspfRange
    prefix: int
    cost: int


@dataclass(frozen=True, slots=True)
class Known:
    """Rows with the area each goes through; one row for a table and prefix."""

    rows: Rows
    areas: NDArray[np.int64]

    @classmethod
    def nothing(cls) -> Known:
        """No rows."""
        return cls(no_rows(), np.zeros(0, dtype=np.int64))

    def joined(self, rows: Rows, area: int) -> Known:
        """With more rows, all through one area."""
        more = np.full(len(rows), area, dtype=np.int64)
        return Known(joined((self.rows, rows)), np.concatenate([self.areas, more]))

    def best(self, *ranks: NDArray[np.int64]) -> Known:
        """One row for a table and prefix: by ranks, then cost (RFC 2328 11), then highest area."""
        rows = self.rows
        chosen = best_of_each(rows, *ranks, rows["metric"], -self.areas)
        return Known(rows.take(chosen), self.areas[chosen])

    def best_of_areas(self, ranks: NDArray[np.int64]) -> Known:
        """One row for a table, prefix and area: by rank, then cost."""
        rows = self.rows
        order = np.lexsort((rows["metric"], ranks, self.areas, rows["prefix"], rows["table"]))
        keys = np.stack([rows["table"], rows["prefix"], self.areas])[:, order]
        first = np.ones(len(order), dtype=bool)
        first[1:] = (keys[:, 1:] != keys[:, :-1]).any(axis=0)
        return Known(rows.take(order[first]), self.areas[order[first]])


@dataclass(frozen=True, kw_only=True)
class Internal:
    """Every router's routes inside the routing domain, and what was announced between areas."""

    best: Known
    summaries: Mapping[int, Announcements]  #: by area: what border routers announce into it
    ranges: tuple[ActiveRange, ...]


def internal_routes(
    areas: Mapping[int, Area],
    own: Mapping[int, Announcements],
    borders: tuple[OspfRouter, ...],
    interning: Interning,
    parts: Parts,
    *,
    externals: bool = False,
) -> Internal:
    """The best route of every router to every destination that areas announce.

    Args:
        own: What each area's own vertices announce.
        parts: Holds the rows of routers as they were made; more is added.
        externals: The destinations are boundary routers, not prefixes: no area that takes no
            external routes hears of them, and nothing is condensed.
    """
    work = _Work(areas, borders, interning, externals, parts)
    known = Known.nothing()
    for number, area in areas.items():
        known = known.joined(work.routes(area, own[number], PathType.INTRA_AREA), number)
    known = work.kept(known)
    ranges = () if externals else tuple(work.active_ranges(known))
    summaries: dict[int, Announcements] = {}
    if BACKBONE in areas:
        backbone = areas[BACKBONE]
        summaries[BACKBONE] = work.summaries(backbone, work.preferred(known), ranges)
        rows = work.routes(backbone, summaries[BACKBONE], PathType.INTER_AREA)
        rows = rows[~work.of_own_range(rows, ranges)]
        known = work.kept(known.joined(rows, BACKBONE))
    others = [areas[number] for number in sorted(areas) if number != BACKBONE]
    for area in others:
        if _is_transit(area):
            told = work.summaries(area, work.preferred(known), ranges)
            work.through_transit(work.routes(area, told, PathType.INTER_AREA), known)
    whole, told_of = known, work.preferred(known)
    for area in others:
        told = summaries[area.number] = work.summaries(area, told_of, ranges)
        rows = work.routes(area, told, PathType.INTER_AREA)
        whole = whole.joined(rows[~np.isin(rows["table"], work.border_tables)], area.number)
    return Internal(best=work.preferred(work.kept(whole)), summaries=summaries, ranges=ranges)


class _Work:
    def __init__(
        self,
        areas: Mapping[int, Area],
        borders: tuple[OspfRouter, ...],
        interning: Interning,
        externals: bool,
        parts: Parts,
    ) -> None:
        self.parts = parts
        self.areas, self.borders, self.interning = areas, borders, interning
        self.externals = externals
        self.border_tables = np.array(
            [interning.table_numbers[router.table] for router in borders], dtype=np.int32
        )

    def kept(self, known: Known) -> Known:
        """The best rows for each table and prefix; to a boundary router, in each area.

        To a boundary router there is an entry of its own for each area (RFC 2328 11).
        """
        types = self.interning.kinds.path_types[known.rows["kind"]]
        return known.best_of_areas(types) if self.externals else known.best(types)

    def preferred(self, known: Known) -> Known:
        """Of the entries of several areas the one that counts (RFC 2328 16.4 (3), 16.4.1)."""
        return known.best(self._exit_ranks(known)) if self.externals else known

    def _exit_ranks(self, known: Known) -> NDArray[np.int64]:
        strict = np.array(
            [
                self.interning.table_numbers[router.table]
                for area in self.areas.values()
                for router in area.routers
                if not router.instance.rfc1583
            ],
            dtype=np.int64,
        )
        return np.where(
            np.isin(known.rows["table"], strict), exit_ranks(known, self.interning), 0
        ).astype(np.int64)

    def routes(self, area: Area, told: Announcements, path_type: PathType) -> Rows:
        """All routes through one area."""
        kinds = [
            self.interning.kinds.add(
                RouteKind(router.protocol, router.distance(external=False), path_type)
            )
            for router in area.routers
        ]
        tables = [self.interning.table_numbers[router.table] for router in area.routers]
        place = area.number, self.externals
        return routes_to(area.paths, told, area.hops, tables, kinds, parts=self.parts, place=place)

    # --- what border routers announce ----------------------------------------------------------

    def summaries(self, area: Area, known: Known, ranges: tuple[ActiveRange, ...]) -> Announcements:
        """What the border routers of an area announce into it (RFC 2328 12.4.3).

        That is their routes through other areas, with ranges in place of what they hold. A border
        router that makes the area a stub announces a default route; if a total one, nothing else.
        """
        items: list[tuple[int, int, float]] = []
        transit = _is_transit(area)
        for router in self.borders:
            vertex = area.vertex_of.get(router.table)
            if vertex is None:
                continue
            settings = router.instance.area(area.number)
            if self.externals and settings.type is not OspfAreaType.NORMAL:
                continue
            if not settings.type.takes_summaries or settings.type.is_stub:
                if not self.externals:
                    default = self.interning.default_prefix(router.version)
                    items.append((vertex, default, settings.default_cost))
                if not settings.type.takes_summaries:
                    continue
            table = self.interning.table_numbers[router.table]
            mine = table_slice(known.rows, table)
            rows, through = known.rows[mine], known.areas[mine]
            told = (through != area.number) & (rows["metric"] < LS_INFINITY)
            if transit and not self.externals:
                told &= ~self._leaves_by(router, area, rows)
            if not self.externals:
                told &= ~self._condensed(router, rows, through, transit)
            items.extend(
                (vertex, prefix, metric)
                for prefix, metric in zip(
                    rows["prefix"][told].tolist(), rows["metric"][told].tolist(), strict=True
                )
            )
            for item in ranges:
                condensed = not (transit and item.area == BACKBONE)
                elsewhere = item.table == table and item.area != area.number
                if elsewhere and condensed and item.range.advertise:
                    items.append((vertex, item.prefix, item.cost))
        return Announcements.of(items)

    def _leaves_by(self, router: OspfRouter, area: Area, rows: Rows) -> NDArray[np.bool_]:
        """Rows whose next hops lie in an area: telling it of them would lead back (12.4.3)."""
        inside = {p.interface.name for p in router.ports if p.settings.area == area.number}
        sets = self.interning.next_hops.sets
        return np.array(
            [
                number != NO_HOP and all(hop.interface in inside for hop in sets[number])
                for number in rows["next_hops"].tolist()
            ],
            dtype=bool,
        )

    def _condensed(
        self, router: OspfRouter, rows: Rows, through: NDArray[np.int64], transit: bool
    ) -> NDArray[np.bool_]:
        """Rows of an area that one of its ranges stands for."""
        result = np.zeros(len(rows), dtype=bool)
        for settings in router.instance.areas:
            if settings.ranges and not (transit and settings.id == BACKBONE):
                for index in np.flatnonzero(through == settings.id).tolist():
                    if self._is_intra(rows, index):
                        prefix = self.interning.prefixes.prefixes[rows["prefix"][index]]
                        result[index] = most_specific(prefix, settings.ranges) is not None
        return result

    def _is_intra(self, rows: Rows, index: int) -> bool:
        kind = self.interning.kinds.kinds[rows["kind"][index]]
        return kind.path_type is PathType.INTRA_AREA

    def active_ranges(self, intra: Known) -> list[ActiveRange]:
        """The ranges that hold a route, with the largest cost of what they hold (12.4.3)."""
        found = []
        for router in self.borders:
            table = self.interning.table_numbers[router.table]
            mine = table_slice(intra.rows, table)
            rows, through = intra.rows[mine], intra.areas[mine]
            for settings in router.instance.areas:
                if not settings.ranges or settings.id not in router.areas:
                    continue
                largest: dict[OspfRange, int] = {}
                for index in np.flatnonzero(through == settings.id).tolist():
                    prefix = self.interning.prefixes.prefixes[rows["prefix"][index]]
                    held = most_specific(prefix, settings.ranges)
                    if held is not None:
                        cost = int(rows["metric"][index])
                        largest[held] = max(cost, largest.get(held, 0))
                for held, cost in largest.items():
                    number = self.interning.prefixes.add(held.prefix)
                    stated = cost if held.cost is None else held.cost
                    found.append(ActiveRange(router, table, settings.id, held, number, stated))
        return found

    def of_own_range(self, rows: Rows, ranges: tuple[ActiveRange, ...]) -> NDArray[np.bool_]:
        """Rows to a prefix that is a range of the router itself: ignored (RFC 2328 16.2)."""
        result = np.zeros(len(rows), dtype=bool)
        for item in ranges:
            result |= (rows["table"] == item.table) & (rows["prefix"] == item.prefix)
        return result

    # --- transit areas -------------------------------------------------------------------------

    def through_transit(self, rows: Rows, known: Known) -> None:
        """Border routers take shorter ways through an area that carries virtual links (16.3).

        `known` is changed in place: its backbone routes get the cost and next hops of summaries
        of the transit area, `rows`, where those are at least as good.
        """
        interning = self.interning
        for row in rows[np.isin(rows["table"], self.border_tables)]:
            mine = table_slice(known.rows, int(row["table"]))
            found = np.flatnonzero(
                (known.rows["prefix"][mine] == row["prefix"])
                & (known.areas[mine] == BACKBONE)
                & (known.rows["metric"][mine] >= row["metric"])
                & (known.rows["next_hops"][mine] != NO_HOP)
            )
            if not len(found) or row["next_hops"] == NO_HOP:
                continue
            at = mine.start + int(found[0])
            hops = interning.next_hops.sets[row["next_hops"]]
            if known.rows["metric"][at] == row["metric"]:
                old = interning.next_hops.sets[known.rows["next_hops"][at]]
                router = next(
                    r for r in self.borders if interning.table_numbers[r.table] == row["table"]
                )
                hops = limited((*old, *hops), router.maximum_paths)
            known.rows["next_hops"][at] = interning.next_hops.add(hops)
            known.rows["metric"][at] = row["metric"]


def exit_ranks(known: Known, interning: Interning) -> NDArray[np.int64]:
    """By row 0 for ways inside one area other than the backbone, else 1 (RFC 2328 16.4.1)."""
    inside = interning.kinds.path_types[known.rows["kind"]] == PathType.INTRA_AREA
    first = inside & (known.areas != BACKBONE)
    return np.where(first, 0, 1).astype(np.int64)


def _is_transit(area: Area) -> bool:
    """Whether virtual links pass through an area (TransitCapability, RFC 2328 6)."""
    return any(router.instance.area(area.number).virtual_links for router in area.routers)


R = TypeVar("R", OspfRange, OspfExternalRange)


def most_specific(prefix: Prefix, ranges: Sequence[R]) -> R | None:
    """The most specific range that holds a prefix (RFC 2328 11.1)."""
    holding = [item for item in ranges if is_within(prefix, item.prefix)]
    return max(holding, key=lambda item: item.prefix.prefixlen, default=None)
