"""Paths and classes of routes of IS-IS levels, as they are computed and explained."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from routrel.protocols.shared.prefix_paths import Announcements, WayHops
from routrel.protocols.shared.shortest_paths import ShortestPaths
from routrel.rib.candidates import PathType, Rows

__all__ = ["MAXIMUM_PATH_METRIC", "LevelPaths", "LevelRoutes"]

#: A path of this metric or more is not used (RFC 5305 3, MAX_V6_PATH_METRIC of RFC 5308 2).
MAXIMUM_PATH_METRIC = 0xFE000000


@dataclass(frozen=True, slots=True)
class LevelPaths:
    """The shortest paths of one level."""

    level: int
    members: tuple[int, ...]  #: system index by vertex
    vertex_of: Mapping[int, int]
    paths: ShortestPaths
    hops: Mapping[int, WayHops]  #: by IP version


@dataclass(frozen=True, slots=True)
class LevelRoutes:
    """One class of routes of one family, with what they follow from.

    `tags` are those of announcements by vertex, prefix and cost, where they are not 0.
    """

    path_type: PathType
    level: int
    version: int
    announcements: Announcements
    tags: Mapping[tuple[int, int, float], int]
    rows: Rows
