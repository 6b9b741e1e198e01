"""What becomes of packets besides filters: steering, translation, zones, virtual routers."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import DESCRIPTION, NAME
from routrel.files.language.filters import FILTER_NAMES, RULE_NUMBER, in_order
from routrel.files.language.matches import (
    ANY_PROTOCOL,
    MATCH_FIELDS,
    PROTOCOL_FIELD,
    build_match,
    unbuild_match,
)
from routrel.files.match_values import NewAddressValue
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Bad,
    Boolean,
    Choice,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Values,
)
from routrel.files.values import AddressValue, PortRangeValue, ReferenceValue
from routrel.model.addresses import Family
from routrel.model.filters import Match
from routrel.model.network import TrafficRules
from routrel.model.place import Place
from routrel.model.redundancy import VirtualRouter
from routrel.model.reject import Reject
from routrel.model.steering import Steering, SteeringRule, SteeringUse
from routrel.model.translation import Side, TranslationRule
from routrel.model.zones import Zone, ZoneExit

__all__ = [
    "ARRIVING_TRAFFIC",
    "OWN_TRAFFIC",
    "STEERING",
    "STEERING_NAME",
    "STEERING_RULE",
    "THROUGH_TRAFFIC",
    "TRANSLATION_RULE",
    "VIRTUAL_ROUTER",
    "ZONE",
    "ZONE_EXIT",
]

# --- steering -------------------------------------------------------------------------------------


def _build_steering_rule(values: Values, place: Place, report: Report) -> Any:
    match = build_match(values, values.pop("protocol"), place, report)
    if isinstance(match, Bad):
        return BAD
    only = values.pop("version")
    version = only.version if only else None
    rule = SteeringRule(**values, match=match, version=version, place=place)
    problem = hint = ""
    actions = (rule.next_hops, rule.table is not None, rule.discard, rule.reject is not None)
    if sum(map(bool, actions)) != 1:
        problem = "needs one of “next-hop”, “table”, “discard” and “reject”"
        hint = "write next-hop: an address, table: a VRF, or discard: true"
    elif rule.longer_than is not None and rule.table is None:
        problem, hint = "asks for longer routes without a table", "add table: a VRF"
    elif rule.invert and match == Match():
        problem, hint = "inverts a match of everything, so it never matches", "name what it excepts"
    elif len({address.version for address in rule.next_hops}) > 1:
        problem, hint = "has next hops of both families", "write one rule for each family"
    elif match.out_interfaces:
        problem = "asks for the interface a packet leaves by, which steering decides"
        hint = "remove “leaves”"
    if problem:
        report.error(place, "bad_rule", f"rule {rule.id} {problem}", hint)
        return BAD
    return rule


def _with_match(rule: SteeringRule | TranslationRule, values: Values) -> Values:
    protocol = ANY_PROTOCOL if rule.match.protocol is None else rule.match.protocol
    return {
        "id": rule.id,
        "description": rule.description,
        "protocol": protocol,
        **unbuild_match(rule.match),
        **values,
    }


STEERING_RULE = Record(
    cls=SteeringRule,
    what="a steering rule",
    fields=(
        RULE_NUMBER,
        PROTOCOL_FIELD,
        *MATCH_FIELDS,
        Field("next-hop", OneOrMany(AddressValue()), "where to; of several the first that is "
              "usable", "next_hops", default=()),
        Field("table", NAME, "the VRF whose table is asked; without a route there the next rule is "
              "tried on a device with Linux processing, elsewhere the packet is dropped"),
        Field("longer-than", Integer(0, 127), "of the table's routes only those to prefixes of "
              "more bits than this count; where the best is shorter, the next rule is tried"),
        Field("discard", Boolean(), "drop what matches, in silence", default=False),
        Field("reject", Choice(Reject), "drop what matches and tell its sender: unreachable or "
              "prohibited"),
        Field("only", Choice(Family), "the family that it is for alone; left out: both", "version"),
        Field("invert", Boolean(), "true: the rule is for what does not match", default=False),
        Field("fall-back", Boolean(), "false: without a usable next hop the packet is dropped; "
              "true: it goes on by the rules below and the table", default=True),
        DESCRIPTION,
    ),
    strict=True,
    build=_build_steering_rule,
    unbuild=lambda rule: _with_match(
        rule,
        {
            "next_hops": rule.next_hops,
            "table": rule.table,
            "longer_than": rule.longer_than,
            "discard": rule.discard,
            "reject": rule.reject,
            "version": Family.of(rule.version) if rule.version else None,
            "invert": rule.invert,
            "fall_back": rule.fall_back,
        },
    ),
)  # fmt: skip


def _build_steering(values: Values, place: Place, report: Report) -> Any:
    if not in_order(values["rules"], f"steering {values['name']}", report):
        return BAD
    return Steering(**values, place=place)


STEERING = Record(
    cls=Steering,
    what="steering",
    fields=(
        DESCRIPTION,
        Field("rules", ListOf(STEERING_RULE), "the rules, tried from the top; what matches none "
              "goes by the table", default=()),
    ),
    build=_build_steering,
)  # fmt: skip
STEERING_NAME = ReferenceValue(SteeringUse, "steering", "the name of steering of this device")

# --- translation ----------------------------------------------------------------------------------


def _build_translation(values: Values, place: Place, report: Report) -> Any:
    match = build_match(values, values.pop("protocol"), place, report)
    if isinstance(match, Bad):
        return BAD
    source, destination = values.pop("new_source"), values.pop("new_destination")
    ports = {
        Side.SOURCE: values.pop("source_port"),
        Side.DESTINATION: values.pop("destination_port"),
    }
    given = [side for side in Side if (source, destination)[side is Side.DESTINATION]]
    what = f"rule {values['id']}"
    problem = hint = ""
    if len(given) + values["keep"] != 1:
        problem = "needs one of “new-source”, “new-destination” and “keep”"
        hint = "write two rules to change both ends"
    elif any(ports[side] is not None and side not in given for side in Side):
        problem, hint = "has a new port for the end it leaves alone", "remove the port"
    elif any(ports.values()) and match.protocol is None:
        problem, hint = "changes ports, but its protocol has none", "name tcp, udp or sctp"
    if problem:
        report.error(place, "bad_rule", f"{what} {problem}", hint)
        return BAD
    kept_side = values.pop("side")
    if kept_side is not None and not values["keep"]:
        report.error(place, "bad_rule", f"{what} changes one end, and names a side", "remove side")
        return BAD
    side = given[0] if given else kept_side
    to = source if side is Side.SOURCE else destination
    if to and len(to) > 1 and any(isinstance(item, str) for item in to):
        report.error(
            place,
            "bad_rule",
            f"{what} names “interface” beside other addresses",
            "write one rule for each",
        )
        return BAD
    rule = TranslationRule(
        **values,
        match=match,
        side=side,
        to=tuple(item for item in to or () if not isinstance(item, str)),
        ports=ports[side] if side else None,
        place=place,
    )
    if problem := _translation_problem(rule):
        report.error(place, "bad_rule", f"{what} {problem}", "see the reference on translation")
        return BAD
    return rule


def _translation_problem(rule: TranslationRule) -> str:
    """What makes a rule impossible; empty where nothing does."""
    match, new = rule.match, {range_.version for range_ in rule.to}
    families = {prefix.version for prefix in (*match.sources, *match.destinations)}
    if len(new) > 1 or (new and families and not new & families):
        return "changes the family of addresses; only IPv4 to IPv4 and IPv6 to IPv6 are translated"
    if rule.side is Side.DESTINATION and match.out_interfaces:
        return "changes the destination before the interface it leaves by is known"
    if rule.own and rule.side is Side.SOURCE:
        return "is for the device's own packets, whose source every rule of that side changes"
    if rule.own and rule.side is Side.DESTINATION and not rule.to and not rule.keep:
        return "redirects the device's own packets, which arrive by no interface"
    if rule.own and match.in_interfaces:
        return "is for the device's own packets, which arrive by no interface"
    if rule.prefix_to_prefix or rule.one_to_one:
        kind = "one-to-one" if rule.one_to_one else "prefix-to-prefix"
        wide = match.sources if rule.side is Side.SOURCE else match.destinations
        old, now = ("from", "new-source") if rule.side is Side.SOURCE else ("to", "new-destination")
        prefix = rule.to[0].prefix if len(rule.to) == 1 else None
        if prefix is None or len(wide) != 1:
            return f"is {kind}, which needs one prefix in “{old}” and one as “{now}”"
        if wide[0].prefixlen != prefix.prefixlen:
            return f"is {kind} between prefixes of different lengths"
    if rule.one_to_one:
        if rule.side is not Side.SOURCE:
            return "is one-to-one, which needs one prefix in “from” and one as “new-source”"
        if rule.ports is not None or match != Match(
            sources=match.sources,
            in_interfaces=match.in_interfaces,
            out_interfaces=match.out_interfaces,
        ):
            return "is one-to-one, so it matches prefixes and interfaces alone and keeps ports"
    return ""


def _unbuild_translation(rule: TranslationRule) -> Values:
    to: Any = rule.to or ("interface",)
    source = rule.side is Side.SOURCE and not rule.keep
    destination = rule.side is Side.DESTINATION and not rule.keep
    return _with_match(
        rule,
        {
            "new_source": to if source else None,
            "source_port": rule.ports if source else None,
            "new_destination": to if destination else None,
            "destination_port": rule.ports if destination else None,
            "one_to_one": rule.one_to_one,
            "prefix_to_prefix": rule.prefix_to_prefix,
            "own": rule.own,
            "keep": rule.keep,
            "side": rule.side if rule.keep else None,
        },
    )


TRANSLATION_RULE = Record(
    cls=TranslationRule,
    what="a translation rule",
    fields=(
        RULE_NUMBER,
        PROTOCOL_FIELD,
        *MATCH_FIELDS,
        Field("new-source", OneOrMany(NewAddressValue()), "what the source becomes on the way out: "
              "an address, one of prefixes or ranges, or “interface”: the address of the interface "
              "it leaves by"),
        Field("new-source-port", PortRangeValue(), "the source port stays if it is one of these, "
              "else it becomes one of them", "source_port"),
        Field("new-destination", OneOrMany(NewAddressValue()), "what the destination becomes on "
              "the way in: an address, one of prefixes or ranges, or “interface”: the first "
              "address of the interface it arrives by"),
        Field("new-destination-port", PortRangeValue(), "the new destination port",
              "destination_port"),
        Field("one-to-one", Boolean(), "each address of “from” has its partner in “new-source”, "
              "and what arrives for the partner goes to it", default=False),
        Field("prefix-to-prefix", Boolean(), "each address becomes the one at its place in the new "
              "prefix, for sessions that begin on this side", default=False),
        Field("own-traffic", Boolean(), "true: for the destination of what the device itself "
              "sends, not of what arrives", "own", default=False),
        Field("keep", Boolean(), "true: what matches is not translated", default=False),
        Field("side", Choice(Side), "of keep: which end alone is not translated, source or "
              "destination; left out: neither is"),
        DESCRIPTION,
    ),
    strict=True,
    build=_build_translation,
    unbuild=_unbuild_translation,
)  # fmt: skip

# --- what holds for a whole device ----------------------------------------------------------------


def _build_traffic(values: Values, place: Place, report: Report) -> Any:
    filters = values.pop("filters", None)
    values.update(filters if isinstance(filters, dict) else {"filters": filters or ()})
    return TrafficRules(**values, place=place)


OWN_TRAFFIC = Record(
    cls=TrafficRules,
    what="the rules for a device's own traffic",
    fields=(
        Field(
            "filters",
            Record(
                cls=dict,
                what="the filters of own traffic",
                fields=(
                    Field("in", FILTER_NAMES, "for what comes to the device", "filters_in",
                          default=()),
                    Field("out", FILTER_NAMES, "for what the device sends", "filters_out",
                          default=()),
                ),
                build=lambda values, place, report: values,
                unbuild=lambda values: values,
            ),
            "filters for what comes to the device or is sent by it",
        ),
        Field("steering", STEERING_NAME, "steering of what the device sends"),
    ),
    build=_build_traffic,
    unbuild=lambda value: {
        "filters": {"filters_in": value.filters_in, "filters_out": value.filters_out}
        if value.filters_in or value.filters_out
        else None,
        "steering": value.steering,
    },
)  # fmt: skip
THROUGH_TRAFFIC = Record(
    cls=TrafficRules,
    what="the rules for traffic that a device forwards",
    fields=(
        Field("filters", FILTER_NAMES, "filters for what is forwarded; they know both interfaces",
              default=()),
        Field("steering", STEERING_NAME, "steering of what arrives, by whatever interface"),
    ),
    build=_build_traffic,
)  # fmt: skip
ARRIVING_TRAFFIC = Record(
    cls=TrafficRules,
    what="the rules for traffic that arrives",
    fields=(
        Field("filters", FILTER_NAMES, "filters for what arrives, by whatever interface; they know "
              "its session, but not yet where it goes", default=()),
    ),
    build=_build_traffic,
)  # fmt: skip
ZONE_EXIT = Record(
    cls=ZoneExit,
    what="the way to another zone",
    fields=(
        Field("filter", NAME, "the filter for sessions that begin on this side", required=True),
    ),
)
ZONE = Record(
    cls=Zone,
    what="a zone",
    fields=(
        DESCRIPTION,
        Field("to", NamedMap(NAME, ZONE_EXIT), "the zones that sessions may lead to", "exits",
              default=()),
    ),
    bare_ok=True,
)  # fmt: skip


def _build_virtual_router(values: Values, place: Place, report: Report) -> Any:
    router = VirtualRouter(**values, place=place)
    if len({address.version for address in router.addresses}) != 1:
        report.error(
            place,
            "bad_virtual_router",
            f"virtual router {router.id} has addresses of both families",
            "write one for each family (RFC 9568 5.2.9)",
        )
        return BAD
    return router


VIRTUAL_ROUTER = Record(
    cls=VirtualRouter,
    what="a virtual router (VRRP)",
    fields=(
        Field("id", Integer(1, 255), "the virtual router's number", required=True),
        Field("addresses", OneOrMany(AddressValue()), "the addresses that hosts use as gateway",
              required=True),
        Field("priority", Integer(1, 255), "the highest becomes master; 255 is for the owner of "
              "the addresses", default=100),
        Field("preempt", Boolean(), "whether a higher priority takes over from a running master",
              default=True),
        Field("accept", Boolean(), "whether a master that does not own the addresses takes packets "
              "to them", default=False),
    ),
    build=_build_virtual_router,
)  # fmt: skip
