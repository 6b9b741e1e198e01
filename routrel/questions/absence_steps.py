"""One link of the chain that says why a table lacks a route."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.place import NOWHERE, Place

__all__ = ["AbsenceStep"]


@dataclass(frozen=True, slots=True, kw_only=True)
class AbsenceStep:
    """One link of the chain from who has a route to what stopped it, with its evidence."""

    kind: str  #: stable identifier
    device: str
    text: str
    suggestion: str = ""
    place: Place = NOWHERE
