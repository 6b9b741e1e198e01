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
from routrel.files.match_values import NewSourceValue
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Bad,
    Boolean,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Values,
)
from routrel.files.values import AddressValue, PortRangeValue, PrefixValue, ReferenceValue
from routrel.model.filters import Match
from routrel.model.network import TrafficRules
from routrel.model.place import Place
from routrel.model.redundancy import VirtualRouter
from routrel.model.steering import Steering, SteeringRule, SteeringUse
from routrel.model.translation import Side, TranslationRule
from routrel.model.zones import Zone, ZoneExit

__all__ = [
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
    rule = SteeringRule(**values, match=match, place=place)
    problem = hint = ""
    if bool(rule.next_hops) + (rule.table is not None) + rule.discard != 1:
        problem = "needs one of “next-hop”, “table” and “discard”"
        hint = "write next-hop: an address, table: a VRF, or discard: true"
    elif len({address.version for address in rule.next_hops}) > 1:
        problem, hint = "has next hops of both families", "write one rule for each family"
    elif match.leaves:
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
        Field("discard", Boolean(), "drop what matches", default=False),
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
            "discard": rule.discard,
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
    given = [side for side in Side if (source, destination)[side is Side.DESTINATION] is not None]
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
    side = given[0] if given else None
    to = source if side is Side.SOURCE else destination
    rule = TranslationRule(
        **values,
        match=match,
        side=side,
        to=None if isinstance(to, str) else to,
        ports=ports[side] if side else None,
        place=place,
    )
    if problem := _translation_problem(rule):
        report.error(place, "bad_rule", f"{what} {problem}", "see the reference on translation")
        return BAD
    return rule


def _translation_problem(rule: TranslationRule) -> str:
    """What makes a rule impossible; empty where nothing does."""
    match, to = rule.match, rule.to
    families = {prefix.version for prefix in (*match.sources, *match.destinations)}
    if to is not None and families and to.version not in families:
        return "changes the family of addresses; only IPv4 to IPv4 and IPv6 to IPv6 are translated"
    if rule.side is Side.DESTINATION and match.leaves:
        return "changes the destination before the interface it leaves by is known"
    if rule.one_to_one:
        if rule.side is not Side.SOURCE or to is None or len(match.sources) != 1:
            return "is one-to-one, which needs one prefix in “from” and a prefix as “new-source”"
        if match.sources[0].prefixlen != to.prefixlen:
            return "is one-to-one between prefixes of different lengths"
        if rule.ports is not None or match != Match(
            sources=match.sources, arrives=match.arrives, leaves=match.leaves
        ):
            return "is one-to-one, so it matches prefixes and interfaces alone and keeps ports"
    return ""


def _unbuild_translation(rule: TranslationRule) -> Values:
    to: Any = rule.to if rule.to is not None else "interface"
    source, destination = rule.side is Side.SOURCE, rule.side is Side.DESTINATION
    return _with_match(
        rule,
        {
            "new_source": to if source else None,
            "source_port": rule.ports if source else None,
            "new_destination": rule.to if destination else None,
            "destination_port": rule.ports if destination else None,
            "one_to_one": rule.one_to_one,
            "keep": rule.keep,
        },
    )


TRANSLATION_RULE = Record(
    cls=TranslationRule,
    what="a translation rule",
    fields=(
        RULE_NUMBER,
        PROTOCOL_FIELD,
        *MATCH_FIELDS,
        Field("new-source", NewSourceValue(), "what the source becomes on the way out: an address, "
              "one of a prefix, or “interface”: the address of the interface it leaves by"),
        Field("new-source-port", PortRangeValue(), "the source port stays if it is one of these, "
              "else it becomes one of them", "source_port"),
        Field("new-destination", PrefixValue(), "what the destination becomes on the way in: an "
              "address, or one of a prefix"),
        Field("new-destination-port", PortRangeValue(), "the new destination port",
              "destination_port"),
        Field("one-to-one", Boolean(), "each address of “from” has its partner in “new-source”, "
              "and what arrives for the partner goes to it", default=False),
        Field("keep", Boolean(), "true: what matches is not translated", default=False),
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
