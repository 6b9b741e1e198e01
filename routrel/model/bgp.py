"""What device files and outside files say about BGP (RFC 4271, 4456, 5065, 7705)."""

from __future__ import annotations

from dataclasses import dataclass, fields
from enum import Enum
from ipaddress import IPv4Address

from routrel.model.addresses import Address, Family, Prefix
from routrel.model.place import Place, placed
from routrel.model.policy import Origin, PolicyUse, PrefixRange
from routrel.model.redistribution import Redistribution

__all__ = [
    "DEFAULT_LOCAL_PREFERENCE",
    "Aggregate",
    "Announcement",
    "BgpDecision",
    "BgpGroup",
    "BgpInstance",
    "BgpMultipath",
    "BgpNeighbour",
    "BgpNetwork",
    "ConditionalAnnouncement",
    "Confederation",
    "DefaultToNeighbour",
    "LocalAs",
    "MedGrouping",
    "MissingMed",
    "NeighbourSettings",
    "NextHopRule",
    "OutsidePeer",
    "PrivateAs",
    "TableCondition",
]

DEFAULT_LOCAL_PREFERENCE = 100
LOCAL_WEIGHT = 32768


class MissingMed(Enum):
    """What a route without MED counts as."""

    ZERO = "zero"  #: the best (RFC 4271 9.1.2.2 c)
    WORST = "worst"  #: 2^32 - 1


class MedGrouping(Enum):
    """How MED is compared where only some routes share their neighbouring AS."""

    INDEPENDENT = "independent"  #: all routes of a group first, whatever their order of arrival
    BY_ARRIVAL = "by-arrival"  #: pair by pair, the newest first; the outcome depends on the order


class NextHopRule(Enum):
    """Which next hop a router names to a neighbour instead of the usual one."""

    SELF = "self"  #: itself, for what it did not hear from an internal peer
    SELF_ALWAYS = "self-always"  #: itself, for reflected routes too
    UNCHANGED = "unchanged"  #: the next hop as learned, to external peers too


class PrivateAs(Enum):
    """What becomes of private AS numbers on the way to an external peer (RFC 6996)."""

    REMOVE = "remove"
    REMOVE_LEADING = "remove-leading"  #: those before the first public one alone
    REPLACE = "replace"  #: by the own AS number


@dataclass(frozen=True, slots=True, kw_only=True)
class LocalAs:
    """A second AS number shown to one neighbour (RFC 7705)."""

    number: int
    prepend_import: bool = True  #: put it in front of what is heard there
    replace: bool = False  #: show it in place of the own number, not in front of it
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class TableCondition:
    """What a table must be like: a prefix that is active, or one that is not."""

    holds: tuple[PrefixRange, ...] = ()  #: one of them must be active; empty: nothing is asked
    lacks: tuple[PrefixRange, ...] = ()  #: none of them may be


@dataclass(frozen=True, slots=True, kw_only=True)
class ConditionalAnnouncement:
    """Prefixes that are announced to one neighbour only while a condition holds."""

    prefixes: tuple[PrefixRange, ...]
    condition: TableCondition
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class DefaultToNeighbour:
    """A default route announced to one neighbour, whether the table has one or not."""

    policy: PolicyUse | None = None
    condition: TableCondition = TableCondition()
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class NeighbourSettings:
    """What a group or a neighbour may say; None leaves it to the group, then to the default."""

    autonomous_system: int | None = None
    description: str | None = None
    enabled: bool | None = None  #: default: true
    source: str | None = None  #: the interface whose address the session uses
    multihop: int | None = None  #: external: the time to live of packets; default: 1, a direct link
    ttl_security: int | None = None  #: routers away at most; packets leave with 255 (RFC 5082)
    local_as: LocalAs | None = None
    families: tuple[Family, ...] | None = (
        None  #: unicast (RFC 4760); default: of the neighbour's address
    )
    authentication: str | None = None
    import_policies: tuple[PolicyUse, ...] | None = None
    export_policies: tuple[PolicyUse, ...] | None = None
    next_hop: NextHopRule | None = None
    reflector_client: bool | None = None
    weight: int | None = None  #: of what is heard here; default: 0
    age_s: int | None = None  #: seconds since what is heard here came; None: not known
    default_route: DefaultToNeighbour | None = None
    conditional: tuple[ConditionalAnnouncement, ...] | None = None
    send_communities: bool | None = None  #: default: true
    private_as: PrivateAs | None = None
    allow_own_as: int | None = None  #: how often the own AS may stand in a path; default: 0
    graceful_shutdown: bool | None = None  #: the session is about to be shut (RFC 8326)
    honour_graceful_shutdown: bool | None = None  #: default: true
    accept_blackhole: bool | None = None  #: discard what is announced as blackhole (RFC 7999)
    add_paths: int | None = None  #: how many paths are sent for a prefix (RFC 7911); default: 1
    place: Place = placed()

    def over(self, base: NeighbourSettings) -> NeighbourSettings:
        """These settings, and the base's where these say nothing."""
        own = {field.name: getattr(self, field.name) for field in fields(NeighbourSettings)}
        given = {name: value for name, value in own.items() if value is not None}
        start = {field.name: getattr(base, field.name) for field in fields(NeighbourSettings)}
        return NeighbourSettings(**{**start, **given})


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpGroup(NeighbourSettings):
    """Settings that several neighbours share."""

    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpNeighbour(NeighbourSettings):
    """One neighbour by its address."""

    address: Address
    group: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Confederation:
    """The confederation a router's AS is a member of (RFC 5065)."""

    identifier: int  #: the AS number that others see
    members: tuple[int, ...] = ()  #: the other member AS numbers
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpNetwork:
    """A prefix announced while another protocol's route to exactly it is active."""

    prefix: Prefix
    policy: PolicyUse | None = None
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class Aggregate:
    """A prefix announced while a more specific one is held (RFC 4271 9.2.2.2)."""

    prefix: Prefix
    summary_only: bool = False  #: the parts are not announced
    as_set: bool = False  #: keeps the parts' AS numbers as a set, and their communities
    policy: PolicyUse | None = None
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpDecision:
    """How a device chooses, where customs differ."""

    compare_med_always: bool = False  #: also between different neighbouring AS
    missing_med: MissingMed = MissingMed.ZERO
    med_grouping: MedGrouping = MedGrouping.INDEPENDENT
    ignore_as_path_length: bool = False
    ignore_interior_cost: bool = False
    prefer_oldest: bool = False  #: of external routes of known age


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpMultipath:
    """How many equally good paths are used."""

    external: int = 1
    internal: int = 1
    any_as_path: bool = False  #: equal length is enough; otherwise the paths must be the same


@dataclass(frozen=True, slots=True, kw_only=True)
class BgpInstance:
    """BGP in one VRF of a device."""

    autonomous_system: int
    router_id: IPv4Address | None = None  #: None: highest loopback, else highest address
    cluster_id: IPv4Address | None = None  #: None: the router id
    confederation: Confederation | None = None
    networks: tuple[BgpNetwork, ...] = ()
    aggregates: tuple[Aggregate, ...] = ()
    redistribute: tuple[Redistribution, ...] = ()
    groups: tuple[BgpGroup, ...] = ()
    neighbours: tuple[BgpNeighbour, ...] = ()
    decision: BgpDecision = BgpDecision()
    multipath: BgpMultipath = BgpMultipath()
    external_distance: int = 20
    internal_distance: int = 200
    local_distance: int = 200
    local_weight: int = LOCAL_WEIGHT
    local_preference: int = DEFAULT_LOCAL_PREFERENCE  #: of what comes without one
    require_policies: bool = False  #: external neighbours need policies both ways (RFC 8212)
    next_hop_by_default: bool = True  #: whether the default route may lead to a next hop
    announce_active_only: bool = False  #: not while another protocol's route is active
    reflect_between_clients: bool = True
    import_policy: PolicyUse | None = None  #: which routes enter the table
    place: Place = placed()

    def settings(self, neighbour: BgpNeighbour) -> NeighbourSettings:
        """What holds for a neighbour: its own settings over those of its group."""
        group = next((g for g in self.groups if g.name == neighbour.group), None)
        return neighbour.over(group or NeighbourSettings())


@dataclass(frozen=True, slots=True, kw_only=True)
class Announcement:
    """What an outside neighbour announces to us."""

    prefixes: tuple[Prefix, ...]
    as_path: tuple[int, ...] = ()  #: behind its own AS number, which need not be written
    origin: Origin = Origin.IGP
    med: int | None = None
    communities: tuple[str, ...] = ()
    at: tuple[Address, ...] = ()  #: only from these of its addresses; empty: from all
    age_s: int | None = None  #: seconds since it was first announced; None: not known
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class OutsidePeer:
    """A neighbour that an outside network has configured."""

    address: Address
    autonomous_system: int
    place: Place = placed()
