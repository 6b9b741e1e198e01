"""Packet filters: ordered rules with the meaning of RFC 8519 (access control lists)."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Prefix
from routrel.model.place import Place, placed

__all__ = [
    "Action",
    "ConnectionState",
    "Filter",
    "FilterUse",
    "Fragments",
    "Match",
    "PortRange",
    "Rule",
]


class Action(Enum):
    """What a rule does with a packet it matches (RFC 8519 4.1, forwarding)."""

    PERMIT = "permit"
    DENY = "deny"
    RETURN = "return"  #: no decision: back to the filter that asked this one


class ConnectionState(Enum):
    """What a device that tracks connections knows about a packet's one."""

    NEW = "new"  #: the packet may open a session, and none is known
    ESTABLISHED = "established"  #: it answers a packet that the device let pass
    INVALID = "invalid"  #: an answer or an error message to nothing the device saw


class Fragments(Enum):
    """Which fragments a rule is for."""

    LATER = "later"  #: all but the first; they carry no ports
    FIRST = "first"
    ANY = "any"
    NONE = "none"  #: whole packets only


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
    dscps: tuple[int, ...] = ()
    flags_set: tuple[str, ...] = ()  #: TCP flags that must be set ...
    flags_clear: tuple[str, ...] = ()  #: ... and those that must not be
    fragments: Fragments | None = None
    connection_states: tuple[ConnectionState, ...] = ()
    in_interfaces: tuple[str, ...] = ()  #: the interfaces it may arrive by
    out_interfaces: tuple[str, ...] = ()  #: the interfaces it may leave by
    marks: tuple[int, ...] = ()  #: what the device marked it with; 0: with nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One numbered rule of a filter.

    A mark stays with a packet inside the device; other filters, steering and translation there may
    ask for it.
    """

    id: int
    action: Action | None  #: None: it marks or asks, and the next rule is tried
    match: Match
    mark: int | None = None  #: what it marks the packet with; None: the mark stays
    asks: str | None = None  #: the filter that may decide before the next rule is tried
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Filter:
    """Rules tried in order; the first that matches decides, else the written default.

    One that others ask may come to no decision: by a rule, or by its default.
    """

    name: str
    rules: tuple[Rule, ...]
    default: Action
    asked: tuple[Filter, ...] = ()  #: those that its rules ask, each once
    stateful: bool = False  #: lets pass what belongs to a session the device let begin
    description: str = ""
    default_place: Place = placed()
    place: Place = placed()

    def asked_by(self, rule: Rule) -> Filter | None:
        """The filter that a rule of this one asks; None: it asks none."""
        return next((each for each in self.asked if each.name == rule.asks), None)

    @property
    def all_rules(self) -> tuple[Rule, ...]:
        """Its own rules and those of the filters it asks, directly or by way of others."""
        return (*self.rules, *(rule for each in self.asked for rule in each.all_rules))


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterUse:
    """A filter bound to something."""

    filter: str
    place: Place = placed()
