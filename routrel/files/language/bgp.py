"""BGP: sessions, groups, what is announced, and how a device chooses."""

from __future__ import annotations

from typing import Any

from routrel.files.bgp_values import AsNumberValue
from routrel.files.language.common import (
    AUTHENTICATION,
    DISTANCE,
    INTERFACE_NAME,
    NAME,
    POLICY_USE,
    SECONDS,
)
from routrel.files.language.policies import redistribution
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Boolean,
    Choice,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Text,
    Values,
)
from routrel.files.values import AddressValue, PrefixRangeValue, PrefixValue
from routrel.model.addresses import Family
from routrel.model.bgp import (
    Aggregate,
    BgpDecision,
    BgpGroup,
    BgpInstance,
    BgpMultipath,
    BgpNeighbour,
    BgpNetwork,
    ConditionalAnnouncement,
    Confederation,
    DefaultToNeighbour,
    LocalAs,
    MedGrouping,
    MissingMed,
    NextHopRule,
    PrivateAs,
    TableCondition,
)
from routrel.model.place import Place

__all__ = [
    "BGP", "BGP_AGGREGATE", "BGP_DECISION", "BGP_GROUP", "BGP_MULTIPATH", "BGP_NEIGHBOUR",
    "BGP_NETWORK", "CONDITIONAL", "CONFEDERATION", "DEFAULT_TO_NEIGHBOUR", "LOCAL_AS",
]  # fmt: skip

AS_NUMBER = AsNumberValue()

LOCAL_AS = Record(
    cls=LocalAs,
    what="a second AS number",
    fields=(
        Field("as", AS_NUMBER, "the number this neighbour sees", "number", required=True),
        Field("prepend-import", Boolean(), "put it in front of what is heard there", default=True),
        Field("replace", Boolean(), "show it in place of the own number, not in front of it",
              default=False),
    ),
    strict=True,
)  # fmt: skip
_CONDITION = (
    Field("while", OneOrMany(PrefixRangeValue()), "only while one of these is active in the table",
          "holds", default=()),
    Field("unless", OneOrMany(PrefixRangeValue()), "only while none of these is active in the "
          "table", "lacks", default=()),
)  # fmt: skip


def _condition(values: Values) -> TableCondition:
    return TableCondition(holds=values.pop("holds"), lacks=values.pop("lacks"))


def _written(condition: TableCondition) -> Values:
    return {"holds": condition.holds, "lacks": condition.lacks}


DEFAULT_TO_NEIGHBOUR = Record(
    cls=DefaultToNeighbour,
    what="a default route for a neighbour",
    fields=(
        Field("policy", POLICY_USE, "changes it, or keeps it back"),
        *_CONDITION,
    ),
    bare_ok=True,
    strict=True,
    build=lambda values, place, report: DefaultToNeighbour(
        condition=_condition(values), **values, place=place
    ),
    unbuild=lambda value: {"policy": value.policy, **_written(value.condition)},
)


def _build_conditional(values: Values, place: Place, report: Report) -> Any:
    condition = _condition(values)
    if condition == TableCondition():
        report.error(
            place,
            "bad_conditional",
            "a conditional announcement names no condition",
            "add while: or unless: with prefixes of the table",
        )
        return BAD
    return ConditionalAnnouncement(**values, condition=condition, place=place)


CONDITIONAL = Record(
    cls=ConditionalAnnouncement,
    what="a conditional announcement",
    fields=(
        Field("prefixes", OneOrMany(PrefixRangeValue()), "what is announced only then",
              required=True),
        *_CONDITION,
    ),
    strict=True,
    build=_build_conditional,
    unbuild=lambda value: {"prefixes": value.prefixes, **_written(value.condition)},
)  # fmt: skip
_SETTINGS = (
    Field("as", AS_NUMBER, "the neighbour's AS; the own one makes it internal",
          "autonomous_system"),
    Field("description", Text(), "free text"),
    Field("enabled", Boolean(), "false: shut; left out: true"),
    Field("source", INTERFACE_NAME, "the interface whose address the session uses; left out: the "
          "one that leads there"),
    Field("multihop", Integer(1, 255), "external neighbour behind other routers: the time to live "
          "of packets; left out: it must share a subnet"),
    Field("ttl-security", Integer(1, 254), "routers it may be away at most, itself counted; "
          "packets leave with 255 (RFC 5082)"),
    Field("local-as", LOCAL_AS, "another own AS number for this neighbour (RFC 7705)"),
    Field("families", OneOrMany(Choice(Family)), "what the session carries; left out: the family "
          "of the neighbour's address"),
    AUTHENTICATION,
    Field("import", OneOrMany(POLICY_USE), "what is taken; left out: everything",
          "import_policies"),
    Field("export", OneOrMany(POLICY_USE), "what is announced; left out: everything",
          "export_policies"),
    Field("next-hop", Choice(NextHopRule), "self: name this device to it for what did not come "
          "from an internal neighbour; self-always: for reflected routes too; unchanged: leave it "
          "to an external neighbour"),
    Field("reflector-client", Boolean(), "it is a client of this reflector"),
    Field("weight", Integer(0, 65535), "of what is heard there; left out: 0"),
    Field("age", SECONDS, "for how long this device has had what it hears there, for the step that "
          "prefers the oldest route; left out: not known", "age_s"),
    Field("default-route", DEFAULT_TO_NEIGHBOUR, "announce a default route to it"),
    Field("conditional", ListOf(CONDITIONAL), "what is announced to it only while the table holds, "
          "or lacks, something"),
    Field("send-communities", Boolean(), "left out: true"),
    Field("private-as", Choice(PrivateAs), "what becomes of private AS numbers on the way out"),
    Field("allow-own-as", Integer(0, 10), "how often the own AS may stand in a path; left out: 0"),
    Field("graceful-shutdown", Boolean(), "the session is about to be shut (RFC 8326)"),
    Field("honour-graceful-shutdown", Boolean(), "local preference 0 for what an external "
          "neighbour marks so; left out: true"),
    Field("accept-blackhole", Boolean(), "discard what it announces as blackhole (RFC 7999); left "
          "out: false"),
    Field("add-paths", Integer(1, 16), "how many paths it is sent for a prefix (RFC 7911); left "
          "out: 1"),
)  # fmt: skip
_SETTINGS_RESERVED = ("maximum-prefixes", "timers", "advertise-if", "damping")
BGP_GROUP = Record(
    cls=BgpGroup,
    what="a group of neighbours",
    fields=_SETTINGS,
    reserved=_SETTINGS_RESERVED,
    strict=True,
)
BGP_NEIGHBOUR = Record(
    cls=BgpNeighbour,
    what="a BGP neighbour",
    fields=(
        Field("group", NAME, "the group whose settings it shares; its own come first"),
        *_SETTINGS,
    ),
    reserved=_SETTINGS_RESERVED,
    strict=True,
)
CONFEDERATION = Record(
    cls=Confederation,
    what="a confederation",
    fields=(
        Field("identifier", AS_NUMBER, "the AS number that others see", required=True),
        Field("members", OneOrMany(AS_NUMBER), "the other member AS numbers", default=()),
    ),
    strict=True,
)
BGP_NETWORK = Record(
    cls=BgpNetwork,
    what="an announced network",
    fields=(
        Field("prefix", PrefixValue(), "announced while another protocol's route to exactly it is "
              "active", required=True),
        Field("policy", POLICY_USE, "changes it, or keeps it back"),
    ),
    strict=True,
)  # fmt: skip
BGP_AGGREGATE = Record(
    cls=Aggregate,
    what="an aggregate",
    fields=(
        Field("prefix", PrefixValue(), "announced while a more specific prefix is held",
              required=True),
        Field("summary-only", Boolean(), "the more specific ones are not announced",
              default=False),
        Field("as-set", Boolean(), "keep the parts' AS numbers as a set, and their communities",
              default=False),
        Field("policy", POLICY_USE, "changes it, or keeps it back"),
    ),
    strict=True,
)  # fmt: skip
BGP_DECISION = Record(
    cls=BgpDecision,
    what="how routes are chosen",
    fields=(
        Field("compare-med-always", Boolean(), "also between different neighbouring AS",
              default=False),
        Field("missing-med", Choice(MissingMed), "what a route without MED counts as",
              default=MissingMed.ZERO),
        Field("med-grouping", Choice(MedGrouping), "independent: of the order of arrival; "
              "by-arrival: pair by pair, the newest first", default=MedGrouping.INDEPENDENT),
        Field("ignore-as-path-length", Boolean(), "skip that rung", default=False),
        Field("ignore-interior-cost", Boolean(), "skip that rung", default=False),
        Field("prefer-oldest", Boolean(), "of external routes of known age", default=False),
    ),
    build=lambda values, place, report: BgpDecision(**values),
)  # fmt: skip
BGP_MULTIPATH = Record(
    cls=BgpMultipath,
    what="the use of several paths",
    fields=(
        Field("external", Integer(1, 256), "external paths used at once", default=1),
        Field("internal", Integer(1, 256), "internal paths used at once", default=1),
        Field("any-as-path", Boolean(), "equal length is enough; false: the AS paths must be the "
              "same", default=False),
    ),
    build=lambda values, place, report: BgpMultipath(**values),
)  # fmt: skip


def _build_bgp(values: Values, place: Place, report: Report) -> Any:
    bgp = BgpInstance(**values, place=place)
    good = True
    groups = {group.name: group for group in bgp.groups}
    for neighbour in bgp.neighbours:
        group = groups.get(neighbour.group) if neighbour.group else None
        problem = ""
        if neighbour.address.is_link_local:
            problem = "sessions by link-local addresses are not computed; use a global one"
        elif neighbour.group and group is None:
            problem = f"there is no group “{neighbour.group}”"
        else:
            settings = bgp.settings(neighbour)
            external = settings.autonomous_system != bgp.autonomous_system
            if settings.autonomous_system is None:
                problem = "its AS is written neither here nor in its group"
            elif settings.multihop is not None and settings.ttl_security is not None:
                problem = "multihop and ttl-security exclude each other"
            elif settings.reflector_client and external:
                problem = "only an internal neighbour can be a reflector client"
            elif settings.local_as and not external:
                problem = "local-as is for external neighbours"
        if problem:
            text = f"neighbour {neighbour.address}: {problem}"
            report.error(neighbour.place, "bad_neighbour", text, "correct the neighbour")
            good = False
    for items in (bgp.networks, bgp.aggregates):
        seen = set()
        for item in items:
            if item.prefix in seen:
                text = f"{item.prefix} is written twice"
                report.error(item.place, "duplicate_network", text, "remove one")
                good = False
            seen.add(item.prefix)
    return bgp if good else BAD


BGP = Record(
    cls=BgpInstance,
    what="BGP",
    fields=(
        Field("as", AS_NUMBER, "the own AS; within a confederation the member AS",
              "autonomous_system", required=True),
        Field("router-id", AddressValue(version=4),
              "left out: the highest loopback address, else the highest address"),
        Field("cluster-id", AddressValue(version=4), "of a reflector; left out: the router id"),
        Field("confederation", CONFEDERATION, "the confederation the AS is a member of"),
        Field("networks", ListOf(BGP_NETWORK), "prefixes announced from the table", default=()),
        Field("aggregates", ListOf(BGP_AGGREGATE), "prefixes announced for their parts",
              default=()),
        Field("redistribute", redistribution(Field("metric", Integer(0, 2**32 - 1), "the MED; "
              "left out: the route's own metric")), "what is announced of other protocols",
              default=()),
        Field("groups", NamedMap(NAME, BGP_GROUP), "settings that neighbours share", default=()),
        Field("neighbours", NamedMap(AddressValue(), BGP_NEIGHBOUR, "address"),
              "sessions, by the neighbour's address", default=()),
        Field("decision", BGP_DECISION, "how routes are chosen", default=BgpDecision()),
        Field("multipath", BGP_MULTIPATH, "how many paths are used", default=BgpMultipath()),
        Field("import", POLICY_USE, "which routes enter the table; left out: all", "import_policy"),
        Field("external-distance", DISTANCE, "of routes from external neighbours", default=20),
        Field("internal-distance", DISTANCE, "of routes from internal neighbours", default=200),
        Field("local-distance", DISTANCE, "of own aggregates", default=200),
        Field("local-weight", Integer(0, 65535), "weight of own routes", default=32768),
        Field("local-preference", Integer(0, 2**32 - 1), "of routes that come without one",
              default=100),
        Field("require-policies", Boolean(), "nothing passes to or from an external neighbour "
              "without a policy (RFC 8212)", default=False),
        Field("next-hop-by-default", Boolean(), "the default route may lead to a next hop",
              default=True),
        Field("announce-active-only", Boolean(), "announce nothing for which another protocol's "
              "route is active", default=False),
        Field("reflect-between-clients", Boolean(), "false: clients hear each other directly",
              default=True),
    ),
    build=_build_bgp,
)  # fmt: skip
