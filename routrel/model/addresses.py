"""The address types used everywhere, and the little arithmetic they need."""

from __future__ import annotations

from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv4Network,
    IPv6Address,
    IPv6Interface,
    IPv6Network,
)
from typing import TypeAlias

__all__ = ["Address", "InterfaceAddress", "Prefix", "is_host_prefix", "prefix_order"]

Address: TypeAlias = IPv4Address | IPv6Address
InterfaceAddress: TypeAlias = IPv4Interface | IPv6Interface  #: an address with its prefix length
Prefix: TypeAlias = IPv4Network | IPv6Network


def is_host_prefix(prefix: Prefix) -> bool:
    """Whether the prefix holds exactly one address (/32 or /128)."""
    return prefix.prefixlen == prefix.max_prefixlen


def prefix_order(prefix: Prefix) -> tuple[int, int, int]:
    """A sort key that puts IPv4 before IPv6, then by number, shorter prefixes first."""
    return prefix.version, int(prefix.network_address), prefix.prefixlen
