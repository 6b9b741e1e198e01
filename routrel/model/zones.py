"""Zones of a stateful firewall: interfaces that trust each other, and filters between them."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.place import Place, placed

__all__ = ["Zone", "ZoneExit"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneExit:
    """The filter for sessions that begin in one zone and lead to another."""

    name: str  #: the other zone
    filter: str
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Zone:
    """A zone. Inside it everything passes; to a zone without an exit, nothing does."""

    name: str
    exits: tuple[ZoneExit, ...] = ()
    description: str = ""
    place: Place = placed()
