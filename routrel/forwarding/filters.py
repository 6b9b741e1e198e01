"""Evaluates a packet filter, and says why each rule tried did or did not match."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.model.addresses import Address, Prefix
from routrel.model.filters import Action, ConnectionState, Filter, Fragments, Match, PortRange, Rule
from routrel.model.place import Place
from routrel.model.traffic import (
    DSCP_NAMES,
    PORT_PROTOCOLS,
    TCP,
    Fragment,
    Header,
    icmp_type_name,
    protocol_name,
)

__all__ = [
    "FilterResult",
    "PacketContext",
    "TriedRule",
    "dscp_name",
    "evaluate",
    "later_fragment",
    "mismatch",
]


@dataclass(frozen=True, slots=True)
class PacketContext:
    """What a device knows about a packet besides its header."""

    in_interface: str | None = None  #: the interface it came in by; None: the device sends it
    out_interface: str | None = None  #: None: not known yet, or it is for the device itself
    connection: ConnectionState | None = None  #: None: the device tracks none
    mark: int = 0  #: what a filter of the device marked it with
    later_mark: int = 0  #: and the later fragments of a packet that was cut


_NOTHING_KNOWN = PacketContext()


@dataclass(frozen=True, slots=True)
class TriedRule:
    """One rule a packet was held against. `mismatch` is empty for the rule that decided."""

    rule: Rule
    mismatch: str
    filter: str  #: the one it stands in


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterResult:
    """What a filter did with a packet.

    `rule` is None where the written default decided, or where the packet's connection did.
    """

    filter: Filter  #: the one whose rule or default decided: that which is bound, or one it asked
    bound: str  #: the name of the one that is bound
    action: Action
    rule: Rule | None
    tried: tuple[TriedRule, ...]  #: in order; the matching rule last
    connection: ConnectionState | None = None  #: of a stateful filter: what it knew of this one
    fragment: bool = False  #: whether it was a later fragment that was held against the rules
    mark: int = 0  #: what the packet is marked with behind the filter
    later_mark: int = 0  #: and the later fragments of one that was cut

    @property
    def permits(self) -> bool:
        """Whether it let the packet pass."""
        return self.action is Action.PERMIT

    @property
    def by_connection(self) -> bool:
        """Whether the connection decided before any rule was asked."""
        return self.connection in (ConnectionState.ESTABLISHED, ConnectionState.INVALID)

    @property
    def place(self) -> Place:
        """The line that decided."""
        if self.by_connection:
            return self.filter.place
        return self.rule.place if self.rule else self.filter.default_place


def evaluate(
    packet_filter: Filter, header: Header, context: PacketContext = _NOTHING_KNOWN
) -> FilterResult:
    """Hold a packet against the rules from the top; the first match decides (RFC 8519 4.1).

    A stateful filter first lets pass what belongs to a connection the device let begin, and
    drops answers to what it never saw. A packet that was cut up passes only if its first and its
    later fragments do; told is the one that does not.
    """
    if packet_filter.stateful and context.connection is not ConnectionState.NEW:
        known = context.connection
        if known is not None:
            action = Action.PERMIT if known is ConnectionState.ESTABLISHED else Action.DENY
            return FilterResult(
                filter=packet_filter,
                bound=packet_filter.name,
                action=action,
                rule=None,
                tried=(),
                connection=known,
                mark=context.mark,
                later_mark=context.later_mark,
            )
    result = _by_rules(packet_filter, header, context)
    if header.fragment is Fragment.FIRST and result.permits:
        others = replace(context, mark=context.later_mark)
        later = _by_rules(packet_filter, later_fragment(header), others)
        if not later.permits:
            return replace(later, fragment=True)
        return replace(result, later_mark=later.mark)
    return result


def later_fragment(header: Header) -> Header:
    """A fragment of the same packet that is not the first: it has no ports, types or flags."""
    return replace(
        header,
        fragment=Fragment.LATER,
        source_port=None,
        destination_port=None,
        icmp_type=None,
        icmp_code=None,
        flags=frozenset(),
    )


def _by_rules(packet_filter: Filter, header: Header, context: PacketContext) -> FilterResult:
    trying = _Trying(header, context)
    rule, decider = trying.through(packet_filter) or (None, packet_filter)
    action = rule.action if rule is not None and rule.action is not None else decider.default
    return FilterResult(
        filter=decider,
        bound=packet_filter.name,
        action=action,
        rule=rule,
        tried=tuple(trying.tried),
        connection=context.connection if packet_filter.stateful else None,
        mark=trying.context.mark,
    )


class _Trying:
    """Holds a packet against rules, those of filters that are asked among them."""

    def __init__(self, header: Header, context: PacketContext) -> None:
        self.header, self.context = header, context
        self.tried: list[TriedRule] = []

    def through(self, packet_filter: Filter) -> tuple[Rule | None, Filter] | None:
        """What decides: a rule, or None for the default, and whose; None where nothing does."""
        for rule in packet_filter.rules:
            why_not = mismatch(rule.match, self.header, self.context)
            asked = packet_filter.asked_by(rule)
            if not why_not and rule.mark is not None:
                self.context = replace(self.context, mark=rule.mark)
            if not why_not and rule.action is None:
                does = f"asks {rule.asks}" if asked else f"marked {rule.mark}, on to the next rule"
                self.tried.append(TriedRule(rule, f"it matches: {does}", packet_filter.name))
                decided = self.through(asked) if asked else None
                if decided is not None:
                    return decided
                continue
            if not why_not and rule.action is Action.RETURN:
                self.tried.append(TriedRule(rule, "it matches: no decision", packet_filter.name))
                return None
            self.tried.append(TriedRule(rule, why_not, packet_filter.name))
            if not why_not:
                return rule, packet_filter
        return None if packet_filter.default is Action.RETURN else (None, packet_filter)


def mismatch(match: Match, header: Header, context: PacketContext = _NOTHING_KNOWN) -> str:
    """The first thing about a packet that does not fit, in words; empty where all fit."""
    return next(_mismatches(match, header, context), "")


def _mismatches(match: Match, header: Header, context: PacketContext) -> Iterator[str]:
    if match.protocol is not None and match.protocol != header.protocol:
        yield f"{protocol_name(header.protocol)}, not {protocol_name(match.protocol)}"
    if match.sources and not _within(header.source, match.sources):
        yield f"source {header.source} is outside {_listed(match.sources)}"
    if match.destinations and not _within(header.destination, match.destinations):
        yield f"destination {header.destination} is outside {_listed(match.destinations)}"
    if match.in_interfaces and context.in_interface not in match.in_interfaces:
        found = f"arrives by {context.in_interface}" if context.in_interface else "the device's own"
        yield f"{found}, not by {_listed(match.in_interfaces)}"
    if match.out_interfaces and context.out_interface not in match.out_interfaces:
        found = (
            f"leaves by {context.out_interface}"
            if context.out_interface
            else "is for the device itself"
        )
        yield f"{found}, not by {_listed(match.out_interfaces)}"
    yield from _port_mismatches(match, header)
    if match.dscps and header.dscp not in match.dscps:
        wanted = ", ".join(dscp_name(number) for number in match.dscps)
        yield f"code point {dscp_name(header.dscp)}, not {wanted}"
    yield from _fragment_mismatches(match, header)
    if match.marks and context.mark not in match.marks:
        yield f"marked {context.mark or 'with nothing'}, not {_listed(match.marks)}"
    if match.connection_states and context.connection not in match.connection_states:
        found = context.connection.value if context.connection else "not known"
        yield f"session {found}, not {', '.join(state.value for state in match.connection_states)}"


def _port_mismatches(match: Match, header: Header) -> Iterator[str]:
    """Of what stands in the header behind the IP header, which a later fragment does not have."""
    later = header.fragment is Fragment.LATER
    asks = match.source_ports or match.destination_ports or match.icmp_types or match.icmp_codes
    if later and (asks or match.flags_set or match.flags_clear):
        ported = match.protocol in PORT_PROTOCOLS
        yield f"a later fragment, which carries no {'ports' if ported else 'ICMP type'}"
        return
    if match.source_ports and not _in_ports(header.source_port, match.source_ports):
        yield f"source port {header.source_port}, not {_listed(match.source_ports)}"
    if match.destination_ports and not _in_ports(header.destination_port, match.destination_ports):
        yield f"port {header.destination_port}, not {_listed(match.destination_ports)}"
    if match.icmp_types and header.icmp_type not in match.icmp_types:
        names = ", ".join(icmp_type_name(header.protocol, number) for number in match.icmp_types)
        yield f"{icmp_type_name(header.protocol, header.icmp_type or 0)}, not {names}"
    if match.icmp_codes and header.icmp_code not in match.icmp_codes:
        yield f"code {header.icmp_code}, not {_listed(match.icmp_codes)}"
    if header.protocol == TCP:
        for flag in match.flags_set:
            if flag not in header.flags:
                yield f"{flag} is not set"
        for flag in match.flags_clear:
            if flag in header.flags:
                yield f"{flag} is set"


def _fragment_mismatches(match: Match, header: Header) -> Iterator[str]:
    fits = {
        None: True,
        Fragments.LATER: header.fragment is Fragment.LATER,
        Fragments.FIRST: header.fragment in (Fragment.FIRST, Fragment.ALONE),
        Fragments.ANY: header.fragment is not Fragment.NONE,
        Fragments.NONE: header.fragment is Fragment.NONE,
    }
    if not fits[match.fragments]:
        yield {
            Fragment.NONE: "a whole packet, no fragment",
            Fragment.FIRST: "the first fragment",
            Fragment.ALONE: "the first fragment",
            Fragment.LATER: "a later fragment",
        }[header.fragment]


def dscp_name(number: int) -> str:
    """A code point's name, or its number where it has none."""
    return next((name for name, value in DSCP_NAMES.items() if value == number), str(number))


def _within(address: Address, prefixes: tuple[Prefix, ...]) -> bool:
    return any(prefix.version == address.version and address in prefix for prefix in prefixes)


def _in_ports(port: int | None, ranges: tuple[PortRange, ...]) -> bool:
    return port is not None and any(r.first <= port <= r.last for r in ranges)


def _listed(values: tuple[object, ...]) -> str:
    return ", ".join(str(value) for value in values)
