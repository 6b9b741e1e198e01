"""Translation of addresses and ports (RFC 2663, RFC 3022)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Prefix
from routrel.model.filters import Match, PortRange
from routrel.model.place import Place, placed

__all__ = ["Side", "TranslationRule"]


class Side(Enum):
    """Which end of a packet a rule rewrites."""

    SOURCE = "source"  #: on the way out, after the route is known
    DESTINATION = "destination"  #: on the way in, before the table is asked


@dataclass(frozen=True, slots=True, kw_only=True)
class TranslationRule:
    """One rule. The first that matches decides for its side; answers are translated back.

    A rule with `keep` leaves what it matches as it is, on both sides.
    """

    id: int
    match: Match
    side: Side | None = None  #: None with `keep`
    to: Prefix | None = None  #: the pool; None: the address of the interface it leaves by
    ports: PortRange | None = None  #: the new port or ports; None: the port stays
    one_to_one: bool = (
        False  #: each address has its partner in `to`, and may be called from outside
    )
    keep: bool = False
    description: str = ""
    place: Place = placed()

    @property
    def public_prefixes(self) -> tuple[Prefix, ...]:
        """The addresses by which others know what the rule translates."""
        if self.side is Side.DESTINATION:
            return self.match.destinations
        return (self.to,) if self.side is Side.SOURCE and self.to is not None else ()
