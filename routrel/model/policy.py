"""Routing policy in the words of RFC 9067: policies of ordered statements, conditions, actions."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place, placed

__all__ = [
    "NEXT_HOP_DISCARD",
    "NEXT_HOP_SELF",
    "Actions",
    "Adjustment",
    "AsPathPattern",
    "AsPathSet",
    "CommunityActions",
    "CommunitySet",
    "Conditions",
    "NeighbourSet",
    "Origin",
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
    NEXT_POLICY = "next-policy"  #: leave this policy; the next one bound in the same place decides


class Origin(Enum):
    """How a route came into BGP; lower is preferred (RFC 4271 5.1.1)."""

    IGP = "igp"
    EGP = "egp"
    INCOMPLETE = "incomplete"

    @property
    def number(self) -> int:
        """The attribute's value: 0, 1 or 2."""
        return list(Origin).index(self)


class RouteType(Enum):
    """What kind of route a protocol holds it to be."""

    INTERNAL = "internal"  #: OSPF intra- or inter-area; EIGRP internal; IS-IS; iBGP
    EXTERNAL = "external"  #: OSPF external of type 1 or 2; EIGRP external; eBGP
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


@dataclass(frozen=True, slots=True)
class AsPathPattern:
    """What an AS path must look like.

    `begins`, `ends` and `only` are consecutive AS numbers at the near end, at the far end, or the
    whole path; `passes` stand one behind another anywhere. `only` of nothing is the empty path.
    A number written several times in a row must stand there as often.
    """

    kind: str  #: begins, passes, ends, only or length
    numbers: tuple[int, ...] = ()
    shortest: int = 0  #: of `length`: hops as the decision counts them
    longest: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class AsPathSet:
    """A named set of AS path patterns."""

    name: str
    patterns: tuple[AsPathPattern, ...]
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class CommunitySet:
    """A named set of communities in canonical text; a part may be * for any."""

    name: str
    communities: tuple[str, ...]
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourSet:
    """A named set of neighbours, by the prefixes that hold their addresses."""

    name: str
    neighbours: tuple[Prefix, ...]
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
    neighbours: tuple[Address, ...] = ()  #: who advertised it, or, on export, will hear it
    neighbour_sets: tuple[str, ...] = ()  #: names; one of them must hold that neighbour
    as_paths: tuple[AsPathPattern, ...] = ()  #: one of them must fit
    as_path_sets: tuple[str, ...] = ()  #: names; one pattern of one of them must fit
    community_sets: tuple[str, ...] = ()  #: names; one community of one of them must be there
    all_community_sets: tuple[str, ...] = ()  #: names; every community of each must be there
    local_preferences: tuple[int, ...] = ()
    meds: tuple[int, ...] = ()
    origins: tuple[Origin, ...] = ()
    place: Place = placed()


@dataclass(frozen=True, slots=True)
class Adjustment:
    """A number that is set, added or subtracted. Results stay within 0 and 2^32 - 1."""

    kind: str  #: set, add or subtract
    amount: int

    def of(self, value: int) -> int:
        """What becomes of a number."""
        signed = {"set": self.amount, "add": value + self.amount, "subtract": value - self.amount}
        return min(max(signed[self.kind], 0), 2**32 - 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CommunityActions:
    """What happens to communities: replaced first, then some removed, then some added."""

    replace: tuple[str, ...] | None = None  #: None: kept
    remove: tuple[str, ...] = ()  #: communities or patterns
    remove_sets: tuple[str, ...] = ()  #: names of sets whose members go
    add: tuple[str, ...] = ()


#: The next-hop action by which a router names itself.
NEXT_HOP_SELF = "self"
#: The next-hop action by which a router drops what matches a route that it imports.
NEXT_HOP_DISCARD = "discard"


@dataclass(frozen=True, slots=True, kw_only=True)
class Actions:
    """What a statement changes on a route it accepts or passes on; None leaves as it is."""

    metric: int | None = None
    metric_add: int | None = None
    metric_type: int | None = None  #: OSPF external type: 1 or 2
    tag: int | None = None
    med: Adjustment | None = None
    local_preference: Adjustment | None = None
    weight: int | None = None
    origin: Origin | None = None
    next_hop: Address | str | None = None  #: an address, or one of the two words
    prepend: tuple[int, ...] = ()  #: AS numbers put in front, as they are to stand there
    communities: CommunityActions | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Statement:
    """Conditions, actions and a result; without a result the next statement is tried."""

    name: str
    conditions: Conditions = Conditions()
    call: str | None = None  #: a policy that must accept too; its changes stay
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
