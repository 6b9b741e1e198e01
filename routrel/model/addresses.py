"""The address types used everywhere, and the little arithmetic they need."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import Enum
from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv4Network,
    IPv6Address,
    IPv6Interface,
    IPv6Network,
    ip_address,
    summarize_address_range,
)
from typing import TypeAlias

__all__ = [
    "Address",
    "AddressRange",
    "Family",
    "InterfaceAddress",
    "Prefix",
    "address_of",
    "is_address",
    "is_host_prefix",
    "is_private",
    "is_within",
    "not_for_an_interface",
    "prefix_order",
    "range_words",
]

Address: TypeAlias = IPv4Address | IPv6Address
InterfaceAddress: TypeAlias = IPv4Interface | IPv6Interface  #: an address with its prefix length
Prefix: TypeAlias = IPv4Network | IPv6Network


class Family(Enum):
    """A version of the internet protocol."""

    IPV4 = "ipv4"
    IPV6 = "ipv6"

    @property
    def version(self) -> int:
        return 4 if self is Family.IPV4 else 6

    @classmethod
    def of(cls, version: int) -> Family:
        """The family of a version, 4 or 6."""
        return cls.IPV4 if version == 4 else cls.IPV6


#: Addresses that the public world has no way to (RFC 1918 3, RFC 4193 3.1).
_PRIVATE = (
    IPv4Network("10.0.0.0/8"),
    IPv4Network("172.16.0.0/12"),
    IPv4Network("192.168.0.0/16"),
    IPv6Network("fc00::/7"),
)


def is_private(address: Address) -> bool:
    """Whether an address is of a private network."""
    return any(address in prefix for prefix in _PRIVATE)


def is_address(text: str) -> bool:
    """Whether a text is an address."""
    try:
        ip_address(text)
    except ValueError:
        return False
    return True


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


@dataclass(frozen=True, slots=True)
class AddressRange:
    """Addresses of one family from first to last, both included."""

    first: Address
    last: Address

    @classmethod
    def of(cls, prefix: Prefix) -> AddressRange:
        return cls(prefix.network_address, prefix.broadcast_address)

    @property
    def version(self) -> int:
        return self.first.version

    @property
    def prefixes(self) -> tuple[Prefix, ...]:
        """The fewest prefixes that hold exactly these addresses."""
        return tuple(summarize_address_range(self.first, self.last))

    @property
    def prefix(self) -> Prefix | None:
        """The prefix of just these addresses; None where there is none."""
        return self.prefixes[0] if len(self.prefixes) == 1 else None

    @property
    def size(self) -> int:
        """How many addresses it holds."""
        return int(self.last) - int(self.first) + 1

    def __iter__(self) -> Iterator[Address]:
        return (address_of(self.version, n) for n in range(int(self.first), int(self.last) + 1))

    def __str__(self) -> str:
        """As device files have it: an address, a prefix, or first-last."""
        if self.first == self.last:
            return str(self.first)
        return str(self.prefix) if self.prefix is not None else f"{self.first}-{self.last}"


def range_words(first: Address, last: Address) -> str:
    """A range of addresses as people write it: an address, a prefix, or first–last."""
    if first == last:
        return str(first)
    networks = list(summarize_address_range(first, last))
    return str(networks[0]) if len(networks) == 1 else f"{first}–{last}"


def not_for_an_interface(value: InterfaceAddress) -> str:
    """Why no interface may have this address; empty where it may."""
    network = value.network
    if value.ip.is_multicast:
        return "a multicast address"
    if value.ip.is_unspecified:
        return "the unspecified address"
    # /31 and /127 have no network or broadcast address (RFC 3021, RFC 6164).
    if network.prefixlen <= network.max_prefixlen - 2 and value.version == 4:
        if value.ip == network.network_address:
            return f"the address of the subnet {network} itself"
        if value.ip == network.broadcast_address:
            return f"the broadcast address of {network}"
    return ""
