"""The match form that filters, steering and translation share."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import INTERFACE_NAME
from routrel.files.match_values import DscpValue, TcpFlagValue
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Choice, Field, Integer, OneOrMany, Values
from routrel.files.values import IcmpTypeValue, PortRangeValue, PrefixValue, ProtocolValue
from routrel.model.filters import ConnectionState, Fragments, Match
from routrel.model.place import Place
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    TCP,
    icmp_type_name,
    protocol_name,
)

__all__ = ["ANY_PROTOCOL", "MARK", "MATCH_FIELDS", "PROTOCOL_FIELD", "build_match", "unbuild_match"]

#: A number that a device's filters give a packet, and that its rules may ask for.
MARK = Integer(0, 2**32 - 1)

#: How `any` is read where a protocol is named, since None means that none was.
ANY_PROTOCOL = -1

PROTOCOL_FIELD = Field("protocol", ProtocolValue(), "any, or a protocol", default=ANY_PROTOCOL)

MATCH_FIELDS = (
    Field("from", OneOrMany(PrefixValue()), "source prefixes; left out: any", "sources",
          default=()),
    Field("from-port", OneOrMany(PortRangeValue()), "source ports; left out: any", "source_ports",
          default=()),
    Field("to", OneOrMany(PrefixValue()), "destination prefixes; left out: any", "destinations",
          default=()),
    Field("to-port", OneOrMany(PortRangeValue()), "destination ports; left out: any",
          "destination_ports", default=()),
    Field("icmp-type", OneOrMany(IcmpTypeValue()), "ICMP types; left out: any", "icmp_types",
          default=()),
    Field("icmp-code", OneOrMany(Integer(0, 255)), "ICMP codes; left out: any", "icmp_codes",
          default=()),
    Field("tcp-flags", OneOrMany(TcpFlagValue()), "TCP flags that must be set, or with “not” must "
          "not be", "tcp_flags", default=()),
    Field("dscp", OneOrMany(DscpValue()), "differentiated services code points; left out: any",
          "dscps", default=()),
    Field("fragments", Choice(Fragments), "later (they carry no ports), first, any, or none: whole "
          "packets only; left out: both, but a later fragment matches no port"),
    Field("session", OneOrMany(Choice(ConnectionState)), "what the device remembers: new, "
          "established or invalid", "connection_states", default=()),
    Field("arrives", OneOrMany(INTERFACE_NAME), "interfaces it arrives by; left out: any",
          "in_interfaces", default=()),
    Field("leaves", OneOrMany(INTERFACE_NAME), "interfaces it leaves by; left out: any",
          "out_interfaces", default=()),
    Field("marked", OneOrMany(MARK), "marks that a filter of this device set; 0: none; left out: "
          "any", "marks", default=()),
)  # fmt: skip


def build_match(values: Values, protocol: int, place: Place, report: Report) -> Match | Bad:
    """Take the match keys out of `values`; a match that never could is reported.

    Args:
        protocol: IANA number, or `ANY_PROTOCOL`.
    """
    named = None if protocol == ANY_PROTOCOL else protocol
    taken: dict[str, Any] = {field.target: values.pop(field.target) for field in MATCH_FIELDS}
    what = f"rule {values['id']}"
    if (taken["source_ports"] or taken["destination_ports"]) and named not in PORT_PROTOCOLS:
        return _bad(place, report, f"{what} names ports, but its protocol has none",
                    "name tcp, udp or sctp")  # fmt: skip
    if (taken["icmp_types"] or taken["icmp_codes"]) and named not in (ICMP, ICMPV6):
        return _bad(place, report, f"{what} names ICMP types, but is not for icmp or icmpv6",
                    "name icmp or icmpv6")  # fmt: skip
    flags = taken.pop("tcp_flags")
    if flags and named != TCP:
        return _bad(place, report, f"{what} names TCP flags, but is not for tcp", "name tcp")
    taken["flags_set"] = tuple(flag for flag, is_set in flags if is_set)
    taken["flags_clear"] = tuple(flag for flag, is_set in flags if not is_set)
    if set(taken["flags_set"]) & set(taken["flags_clear"]):
        return _bad(place, report, f"{what} wants a TCP flag both set and clear", "keep one")
    families = [
        {prefix.version for prefix in taken[side]}
        for side in ("sources", "destinations")
        if taken[side]
    ]
    if len(families) == 2 and not families[0] & families[1]:
        text = f"{what} can never match: “from” and “to” are of different families"
        return _bad(place, report, text, "use IPv4 on both sides, or IPv6 on both sides")
    types = _icmp_types(taken["icmp_types"], named, what, place, report)
    if isinstance(types, Bad):
        return BAD
    return Match(protocol=named, **{**taken, "icmp_types": types})


def _icmp_types(
    words: tuple[str, ...], protocol: int | None, what: str, place: Place, report: Report
) -> tuple[int, ...] | Bad:
    names = ICMP_TYPES if protocol == ICMP else ICMPV6_TYPES
    for word in words:
        if word not in names and not word.isdecimal():
            text = f"{what}: {protocol_name(protocol or 0)} has no type “{word}”"
            return _bad(place, report, text, "known here: " + ", ".join(names))
    return tuple(names[word] if word in names else int(word) for word in words)


def _bad(place: Place, report: Report, text: str, hint: str) -> Bad:
    report.error(place, "bad_rule", text, hint)
    return BAD


def unbuild_match(match: Match) -> Values:
    """The inverse of `build_match`, without the protocol."""
    values = {
        field.target: getattr(match, field.target)
        for field in MATCH_FIELDS
        if field.key not in ("icmp-type", "tcp-flags")
    }
    types = []
    for number in match.icmp_types:
        name = icmp_type_name(match.protocol or 0, number)
        types.append(str(number) if " " in name else name)
    flags = [(flag, True) for flag in match.flags_set] + [
        (flag, False) for flag in match.flags_clear
    ]
    return {**values, "icmp_types": tuple(types), "tcp_flags": tuple(flags)}
