"""Steering: rules that send packets another way than the table of their VRF says.

Also called policy-based forwarding. Rules are tried in order; what matches none goes by the table.
"""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.addresses import Address
from routrel.model.filters import Match
from routrel.model.place import Place, placed
from routrel.model.reject import Reject

__all__ = ["Steering", "SteeringRule", "SteeringUse"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SteeringRule:
    """One rule: what it matches, and one thing to do with it.

    Exactly one of `next_hops`, `table`, `discard` and `reject` is given.
    """

    id: int
    match: Match
    invert: bool = False  #: whether it is for what does not match
    version: int | None = None  #: of IP, that it is for alone; None: both
    next_hops: tuple[Address, ...] = ()  #: in order of preference; the first usable one is taken
    table: str | None = None  #: the VRF whose table is asked
    longer_than: int | None = None  #: bits: of `table` only routes to longer prefixes count
    discard: bool = False  #: drop it, in silence
    reject: Reject | None = None  #: drop it, and say so to its sender
    fall_back: bool = True  #: without a usable next hop: True goes on, False discards
    description: str = ""
    place: Place = placed()

    @property
    def drops(self) -> bool:
        """Whether it discards what it matches."""
        return self.discard or self.reject is not None


@dataclass(frozen=True, slots=True, kw_only=True)
class Steering:
    """Ordered rules under a name."""

    name: str
    rules: tuple[SteeringRule, ...] = ()
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class SteeringUse:
    """Steering bound to something."""

    steering: str
    place: Place = placed()
