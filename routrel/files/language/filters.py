"""Packet filters, their rules, and where they are bound."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import DESCRIPTION
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Field,
    Integer,
    ListOf,
    OneOrMany,
    PlacedChoice,
    Record,
    Values,
)
from routrel.files.values import (
    IcmpTypeValue,
    PortRangeValue,
    PrefixValue,
    ProtocolValue,
    ReferenceValue,
)
from routrel.model.filters import Action, Filter, Match, Rule
from routrel.model.network import FilterUse
from routrel.model.place import Place
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    icmp_type_name,
    protocol_name,
)

__all__ = ["FILTER", "FILTER_USES", "RULE"]


def _build_rule(values: Values, place: Place, report: Report) -> Any:
    actions = [action for action in Action if values[action.value] is not None]
    if len(actions) != 1:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} needs either “permit” or “deny”",
            "write permit: tcp, deny: any, and so on",
        )
        return BAD
    action = actions[0]
    protocol = values[action.value]
    named = None if protocol == -1 else protocol
    has_ports = values["source_ports"] or values["destination_ports"]
    if has_ports and named not in PORT_PROTOCOLS:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} names ports, but its protocol has none",
            "write tcp, udp or sctp after permit or deny",
        )
        return BAD
    if (values["icmp_types"] or values["icmp_codes"]) and named not in (ICMP, ICMPV6):
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} names ICMP types, but is not for icmp or icmpv6",
            "write icmp or icmpv6 after permit or deny",
        )
        return BAD
    families = [
        {prefix.version for prefix in values[side]}
        for side in ("sources", "destinations")
        if values[side]
    ]
    if len(families) == 2 and not families[0] & families[1]:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} can never match: “from” and “to” are of different families",
            "use IPv4 on both sides, or IPv6 on both sides",
        )
        return BAD
    names = ICMP_TYPES if named == ICMP else ICMPV6_TYPES
    icmp_types = []
    for text in values["icmp_types"]:
        if text not in names and not text.isdecimal():
            report.error(
                place,
                "bad_rule",
                f"rule {values['id']}: {protocol_name(named or 0)} has no type “{text}”",
                "known here: " + ", ".join(names),
            )
            return BAD
        icmp_types.append(names[text] if text in names else int(text))
    return Rule(
        id=values["id"],
        action=action,
        description=values["description"],
        place=place,
        match=Match(
            protocol=named,
            sources=values["sources"],
            destinations=values["destinations"],
            source_ports=values["source_ports"],
            destination_ports=values["destination_ports"],
            icmp_types=tuple(icmp_types),
            icmp_codes=values["icmp_codes"],
        ),
    )


def _unbuild_rule(rule: Rule) -> Values:
    match = rule.match
    protocol = -1 if match.protocol is None else match.protocol
    types = []
    for number in match.icmp_types:
        name = icmp_type_name(match.protocol or 0, number)
        types.append(str(number) if " " in name else name)
    return {
        "id": rule.id,
        "permit": protocol if rule.action is Action.PERMIT else None,
        "deny": protocol if rule.action is Action.DENY else None,
        "sources": match.sources,
        "source_ports": match.source_ports,
        "destinations": match.destinations,
        "destination_ports": match.destination_ports,
        "icmp_types": tuple(types),
        "icmp_codes": match.icmp_codes,
        "description": rule.description,
    }


RULE = Record(
    cls=Rule,
    what="a filter rule",
    fields=(
        Field(
            "id",
            Integer(1, 2**31 - 1),
            "the rule's number; numbers rise down the list",
            required=True,
        ),
        Field("permit", ProtocolValue(), "lets packets of this protocol pass"),
        Field("deny", ProtocolValue(), "drops packets of this protocol"),
        Field(
            "from",
            OneOrMany(PrefixValue()),
            "source prefixes; left out: any",
            "sources",
            default=(),
        ),
        Field(
            "from-port",
            OneOrMany(PortRangeValue()),
            "source ports; left out: any",
            "source_ports",
            default=(),
        ),
        Field(
            "to",
            OneOrMany(PrefixValue()),
            "destination prefixes; left out: any",
            "destinations",
            default=(),
        ),
        Field(
            "to-port",
            OneOrMany(PortRangeValue()),
            "destination ports; left out: any",
            "destination_ports",
            default=(),
        ),
        Field(
            "icmp-type",
            OneOrMany(IcmpTypeValue()),
            "ICMP types; left out: any",
            "icmp_types",
            default=(),
        ),
        Field(
            "icmp-code",
            OneOrMany(Integer(0, 255)),
            "ICMP codes; left out: any",
            "icmp_codes",
            default=(),
        ),
        DESCRIPTION,
    ),
    reserved=("dscp", "tcp-flags", "fragments", "session", "reject", "log"),
    strict=True,
    build=_build_rule,
    unbuild=_unbuild_rule,
)


def _build_filter(values: Values, place: Place, report: Report) -> Any:
    action, default_place = values.pop("default")
    previous: Rule | None = None
    for rule in values["rules"]:
        if previous and rule.id <= previous.id:
            report.error(
                rule.place,
                "rule_order",
                f"rule {rule.id} of filter {values['name']} stands after rule {previous.id}",
                "number the rules so that each is higher than the one before",
            )
            return BAD
        previous = rule
    return Filter(**values, default=action, default_place=default_place, place=place)


def _unbuild_filter(value: Filter) -> Values:
    return {
        "name": value.name,
        "rules": value.rules,
        "default": (value.default, value.default_place),
        "description": value.description,
    }


FILTER = Record(
    cls=Filter,
    what="a filter",
    fields=(
        DESCRIPTION,
        Field("rules", ListOf(RULE), "the rules, tried from the top", default=()),
        Field(
            "default",
            PlacedChoice(Action),
            "what happens to packets no rule matches: permit or deny",
            required=True,
        ),
    ),
    reserved=("sessions", "kind"),
    build=_build_filter,
    unbuild=_unbuild_filter,
)
_FILTER_USE = ReferenceValue(FilterUse, "filter", "the name of a filter of this device")
FILTER_USES = Record(
    cls=dict,
    what="the filters of an interface",
    fields=(
        Field("in", _FILTER_USE, "the filter for packets that arrive here"),
        Field("out", _FILTER_USE, "the filter for packets that leave here"),
    ),
    build=lambda values, place, report: (values["in"], values["out"]),
    unbuild=lambda pair: {"in": pair[0], "out": pair[1]},
)
