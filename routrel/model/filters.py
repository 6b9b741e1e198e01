"""Packet filters: ordered rules with the meaning of RFC 8519 (access control lists)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Prefix
from routrel.model.place import Place, placed

__all__ = ["Action", "Filter", "Match", "PortRange", "Rule"]


class Action(Enum):
    """What a rule does with a packet it matches (RFC 8519 4.1, forwarding)."""

    PERMIT = "permit"
    DENY = "deny"


@dataclass(frozen=True, slots=True, order=True)
class PortRange:
    """Ports from first to last, both included."""

    first: int
    last: int

    def __str__(self) -> str:
        return str(self.first) if self.first == self.last else f"{self.first}-{self.last}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Match:
    """Header fields a packet must have. An empty tuple or None matches everything."""

    protocol: int | None = None  #: IANA protocol number
    sources: tuple[Prefix, ...] = ()
    destinations: tuple[Prefix, ...] = ()
    source_ports: tuple[PortRange, ...] = ()
    destination_ports: tuple[PortRange, ...] = ()
    icmp_types: tuple[int, ...] = ()
    icmp_codes: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One numbered rule of a filter."""

    id: int
    action: Action
    match: Match
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Filter:
    """Rules tried in order; the first that matches decides, else the written default."""

    name: str
    rules: tuple[Rule, ...]
    default: Action
    description: str = ""
    default_place: Place = placed()
    place: Place = placed()
