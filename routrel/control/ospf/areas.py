"""Routes within and between areas, from every area's database.

A border router has interfaces in several areas (RFC 2328 3.3). It tells the backbone what it
reaches inside its other areas, and tells each of those what it reaches elsewhere (12.4.3). It looks
at the summaries of the backbone alone (16.2), so that no route leaves an area through another.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from routrel.control.ospf.adjacency import Adjacencies
from routrel.control.ospf.lsdb import Announcements, AreaLsdb, build_area
from routrel.control.ospf.routes import area_routes, distances
from routrel.control.ospf.speakers import OspfRouter
from routrel.control.rib.candidates import ROW, Interning, PathType, Rows
from routrel.control.rib.select import best_of_each

__all__ = ["BACKBONE", "ospf_routes"]

BACKBONE = 0
#: A summary of this cost or more says that the prefix is out of reach (RFC 2328 B, LSInfinity).
LS_INFINITY = 0xFFFFFF


def ospf_routes(
    routers: tuple[OspfRouter, ...], adjacencies: Adjacencies, interning: Interning
) -> Rows:
    """The best OSPF route of every router to every prefix: intra-area before inter-area."""
    areas = sorted({port.settings.area for router in routers for port in router.ports})
    lsdbs = {area: build_area(area, routers, adjacencies, interning) for area in areas}
    dist = {area: distances(lsdb) for area, lsdb in lsdbs.items()}
    borders = np.array(
        [interning.table_numbers[r.table] for r in routers if _is_border(r)], dtype=np.int32
    )
    known = _Known.nothing()
    for area, lsdb in lsdbs.items():
        own = lsdb.announcements
        rows = area_routes(lsdb, dist[area], own, PathType.INTRA_AREA, interning)
        known = known.joined(rows, area)
    intra = known = known.best()
    for area in (BACKBONE, *(a for a in areas if a != BACKBONE)):
        if area not in lsdbs or not len(borders):
            continue
        lsdb = lsdbs[area]
        told = _summaries(lsdb, area, intra if area == BACKBONE else known, borders, interning)
        rows = area_routes(lsdb, dist[area], told, PathType.INTER_AREA, interning)
        if area != BACKBONE:
            rows = rows[~np.isin(rows["table"], borders)]
        known = known.joined(rows, area)
        if area == BACKBONE:
            known = known.best()  # what border routers now know goes into the other areas
    rows = known.best().rows
    return rows[rows["next_hops"] >= 0]


def _is_border(router: OspfRouter) -> bool:
    return len({port.settings.area for port in router.ports}) > 1


def _summaries(
    lsdb: AreaLsdb, area: int, known: _Known, borders: NDArray[np.int32], interning: Interning
) -> Announcements:
    """What the border routers of an area announce into it: their routes through other areas.

    Routes between areas go into the backbone never (they came from it); the caller gives routes
    inside areas alone then.
    """
    vertex_of = np.full(len(interning.tables), -1, dtype=np.int32)
    for vertex, router in enumerate(lsdb.routers):
        vertex_of[interning.table_numbers[router.table]] = vertex
    rows = known.rows
    told = (
        np.isin(rows["table"], borders)
        & (vertex_of[rows["table"]] >= 0)
        & (known.areas != area)
        & (rows["metric"] < LS_INFINITY)
    )
    return Announcements(
        vertex=vertex_of[rows["table"][told]],
        prefix=rows["prefix"][told],
        cost=rows["metric"][told].astype(np.float64),
    )


class _Known:
    """Rows with the area each goes through."""

    def __init__(self, rows: Rows, areas: NDArray[np.int64]) -> None:
        self.rows, self.areas = rows, areas

    @classmethod
    def nothing(cls) -> _Known:
        return cls(np.zeros(0, dtype=ROW), np.zeros(0, dtype=np.int64))

    def joined(self, rows: Rows, area: int) -> _Known:
        more = np.full(len(rows), area, dtype=np.int64)
        return _Known(np.concatenate([self.rows, rows]), np.concatenate([self.areas, more]))

    def best(self) -> _Known:
        """One row for a table and prefix: by path type, then cost (RFC 2328 11); lowest area."""
        rows = self.rows
        first = best_of_each(rows, rows["path_type"], rows["metric"], self.areas)
        return _Known(rows[first], self.areas[first])
