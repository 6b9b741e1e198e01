"""Routing policy in the words of RFC 9067: policies of ordered statements, conditions, actions."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place, placed

__all__ = [
    "Actions",
    "Conditions",
    "Policy",
    "PolicyResult",
    "PolicyUse",
    "PrefixRange",
    "PrefixSet",
    "RouteType",
    "Statement",
    "TagSet",
]


class PolicyResult(Enum):
    """What becomes of a route (RFC 9067 4.3)."""

    ACCEPT = "accept"
    REJECT = "reject"


class RouteType(Enum):
    """What kind of route a protocol holds it to be."""

    INTERNAL = "internal"  #: OSPF intra- or inter-area; EIGRP internal; IS-IS level 1 or 2
    EXTERNAL = "external"  #: OSPF external of type 1 or 2; EIGRP external
    INTRA_AREA = "intra-area"
    INTER_AREA = "inter-area"
    EXTERNAL_1 = "external-1"
    EXTERNAL_2 = "external-2"
    LEVEL_1 = "level-1"
    LEVEL_2 = "level-2"


@dataclass(frozen=True, slots=True)
class PrefixRange:
    """A prefix and the lengths of its more specific prefixes that count (RFC 9067 4.2)."""

    prefix: Prefix
    shortest: int  #: bits
    longest: int  #: bits

    def holds(self, prefix: Prefix) -> bool:
        """Whether a prefix lies inside and has a length that counts."""
        if prefix.version != self.prefix.version:
            return False
        shift = self.prefix.max_prefixlen - self.prefix.prefixlen
        same = int(prefix.network_address) >> shift == int(self.prefix.network_address) >> shift
        return same and self.shortest <= prefix.prefixlen <= self.longest


@dataclass(frozen=True, slots=True, kw_only=True)
class PrefixSet:
    """A named set of prefixes."""

    name: str
    ranges: tuple[PrefixRange, ...]
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class TagSet:
    """A named set of route tags."""

    name: str
    tags: tuple[int, ...]
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditions:
    """What a statement asks of a route; every condition given must hold. Empty: any route."""

    prefix_sets: tuple[str, ...] = ()  #: names; one of them must hold the prefix
    tag_sets: tuple[str, ...] = ()  #: names; one of them must have the tag
    protocols: tuple[str, ...] = ()  #: identifiers of the protocol it is active under
    route_types: tuple[RouteType, ...] = ()
    metrics: tuple[int, ...] = ()
    next_hops: tuple[Prefix, ...] = ()  #: one of them must hold one of its next hops
    neighbours: tuple[Address, ...] = ()  #: who advertised it
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Actions:
    """What a statement changes on a route it accepts or passes on; None leaves as it is."""

    metric: int | None = None
    metric_add: int | None = None
    metric_type: int | None = None  #: OSPF external type: 1 or 2
    tag: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Statement:
    """Conditions, actions and a result; without a result the next statement is tried."""

    name: str
    conditions: Conditions = Conditions()
    actions: Actions = Actions()
    then: PolicyResult | None = None
    description: str = ""
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """Statements tried from the top; what no statement accepts or rejects meets the default."""

    name: str
    statements: tuple[Statement, ...]
    default: PolicyResult
    description: str = ""
    default_place: Place = placed()
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class PolicyUse:
    """A policy bound somewhere, by name."""

    policy: str
    place: Place = placed()
