"""The address types used everywhere, and the little arithmetic they need."""

from __future__ import annotations

from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv4Network,
    IPv6Address,
    IPv6Interface,
    IPv6Network,
    summarize_address_range,
)
from typing import TypeAlias

__all__ = [
    "Address",
    "InterfaceAddress",
    "Prefix",
    "address_of",
    "is_host_prefix",
    "is_within",
    "prefix_order",
    "range_words",
]

Address: TypeAlias = IPv4Address | IPv6Address
InterfaceAddress: TypeAlias = IPv4Interface | IPv6Interface  #: an address with its prefix length
Prefix: TypeAlias = IPv4Network | IPv6Network


def is_host_prefix(prefix: Prefix) -> bool:
    """Whether the prefix holds exactly one address (/32 or /128)."""
    return prefix.prefixlen == prefix.max_prefixlen


def is_within(narrow: Prefix, wide: Prefix) -> bool:
    """Whether one prefix holds another one, or is the same; never across families."""
    return narrow.version == wide.version and narrow.subnet_of(wide)  # type: ignore[arg-type]


def prefix_order(prefix: Prefix) -> tuple[int, int, int]:
    """A sort key that puts IPv4 before IPv6, then by number, shorter prefixes first."""
    return prefix.version, int(prefix.network_address), prefix.prefixlen


def address_of(version: int, number: int) -> Address:
    """The address of a family with a number."""
    return IPv4Address(number) if version == 4 else IPv6Address(number)


def range_words(first: Address, last: Address) -> str:
    """A range of addresses as people write it: an address, a prefix, or first–last."""
    if first == last:
        return str(first)
    networks = list(summarize_address_range(first, last))
    return str(networks[0]) if len(networks) == 1 else f"{first}–{last}"
