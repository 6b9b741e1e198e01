"""Translation of addresses and ports (RFC 2663, RFC 3022)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import AddressRange, Prefix
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

    A rule with `keep` leaves what it matches as it is, on both sides unless one is named.
    """

    id: int
    match: Match
    side: Side | None = None  #: None with `keep`: both
    #: The pool; empty: the address of the interface it leaves by, or arrived by.
    to: tuple[AddressRange, ...] = ()
    ports: PortRange | None = None  #: the new port or ports; None: the port stays
    #: Each address has its partner in `to`, and may be called from outside.
    one_to_one: bool = False
    prefix_to_prefix: bool = False  #: each address has its partner in `to`
    own: bool = False  #: for destinations of what the device itself sends
    keep: bool = False
    description: str = ""
    place: Place = placed()

    @property
    def public_prefixes(self) -> tuple[Prefix, ...]:
        """The addresses by which others know what the rule translates."""
        if self.keep:
            return ()
        if self.side is Side.DESTINATION:
            return self.match.destinations
        return self.pool if self.side is Side.SOURCE else ()

    @property
    def pool(self) -> tuple[Prefix, ...]:
        """The addresses of `to` as prefixes."""
        return tuple(prefix for part in self.to for prefix in part.prefixes)
