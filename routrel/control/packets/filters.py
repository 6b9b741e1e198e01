"""Evaluates a packet filter, and says why each rule tried did or did not match."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.model.addresses import Address, Prefix
from routrel.model.filters import Action, Filter, Match, PortRange, Rule
from routrel.model.place import Place
from routrel.model.traffic import Header, icmp_type_name, protocol_name

__all__ = ["FilterResult", "TriedRule", "evaluate", "mismatch"]


@dataclass(frozen=True, slots=True)
class TriedRule:
    """One rule a packet was held against. `mismatch` is empty for the rule that matched."""

    rule: Rule
    mismatch: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterResult:
    """What a filter did with a packet. `rule` is None where the written default decided."""

    filter: Filter
    action: Action
    rule: Rule | None
    tried: tuple[TriedRule, ...]  #: in order; the matching rule last

    @property
    def permits(self) -> bool:
        return self.action is Action.PERMIT

    @property
    def place(self) -> Place:
        """The line that decided."""
        return self.rule.place if self.rule else self.filter.default_place


def evaluate(packet_filter: Filter, header: Header) -> FilterResult:
    """Hold a packet against the rules from the top; the first match decides (RFC 8519 4.1)."""
    tried = []
    for rule in packet_filter.rules:
        why_not = mismatch(rule.match, header)
        tried.append(TriedRule(rule, why_not))
        if not why_not:
            return FilterResult(
                filter=packet_filter, action=rule.action, rule=rule, tried=tuple(tried)
            )
    return FilterResult(
        filter=packet_filter, action=packet_filter.default, rule=None, tried=tuple(tried)
    )


def mismatch(match: Match, header: Header) -> str:
    """The first header field that does not fit, in words; empty where all fit."""
    return next(_mismatches(match, header), "")


def _mismatches(match: Match, header: Header) -> Iterator[str]:
    if match.protocol is not None and match.protocol != header.protocol:
        yield f"{protocol_name(header.protocol)}, not {protocol_name(match.protocol)}"
    if match.sources and not _within(header.source, match.sources):
        yield f"source {header.source} is outside {_listed(match.sources)}"
    if match.destinations and not _within(header.destination, match.destinations):
        yield f"destination {header.destination} is outside {_listed(match.destinations)}"
    if match.source_ports and not _in_ports(header.source_port, match.source_ports):
        yield f"source port {header.source_port}, not {_listed(match.source_ports)}"
    if match.destination_ports and not _in_ports(header.destination_port, match.destination_ports):
        yield f"port {header.destination_port}, not {_listed(match.destination_ports)}"
    if match.icmp_types and header.icmp_type not in match.icmp_types:
        names = ", ".join(icmp_type_name(header.protocol, number) for number in match.icmp_types)
        yield f"{icmp_type_name(header.protocol, header.icmp_type or 0)}, not {names}"
    if match.icmp_codes and header.icmp_code not in match.icmp_codes:
        yield f"code {header.icmp_code}, not {_listed(match.icmp_codes)}"


def _within(address: Address, prefixes: tuple[Prefix, ...]) -> bool:
    return any(prefix.version == address.version and address in prefix for prefix in prefixes)


def _in_ports(port: int | None, ranges: tuple[PortRange, ...]) -> bool:
    return port is not None and any(r.first <= port <= r.last for r in ranges)


def _listed(values: tuple[object, ...]) -> str:
    return ", ".join(str(value) for value in values)
