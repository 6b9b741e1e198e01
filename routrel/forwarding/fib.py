"""The forwarding information base: what a device does with packets that match a route.

The tables know routes; forwarding knows actions. A kind of action is a class here, and the stage
that acts on it says what becomes of the packet.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeAlias

from routrel.model.addresses import Address
from routrel.rib.candidates import NextHop
from routrel.rib.table import Rib, Route

__all__ = ["Action", "Discard", "Entry", "Fib", "Forward", "PassOn"]


@dataclass(frozen=True, slots=True)
class Forward:
    """The packet goes on, by one of these ways or shared out among them."""

    ways: tuple[NextHop, ...]


@dataclass(frozen=True, slots=True)
class Discard:
    """The packet is dropped."""


@dataclass(frozen=True, slots=True)
class PassOn:
    """The table says nothing after all; policy-based routing may ask another one."""


Action: TypeAlias = Forward | Discard | PassOn


@dataclass(frozen=True, slots=True)
class Entry:
    """A prefix's action, and the route it comes from."""

    route: Route
    action: Action


class Fib:
    """The entries of all tables."""

    def __init__(self, rib: Rib) -> None:
        self.rib = rib

    def matches(self, table: int, address: Address) -> Iterator[Entry]:
        """The entries that hold an address, longest prefix first (RFC 1812 5.2.4.3)."""
        return map(_entry, self.rib.matches(table, address))

    def lookup(self, table: int, address: Address) -> Entry | None:
        """The longest match for an address, or None."""
        route = self.rib.lookup(table, address)
        return None if route is None else _entry(route)


def _entry(route: Route) -> Entry:
    if route.pass_on:
        return Entry(route, PassOn())
    return Entry(route, Discard() if route.discard else Forward(route.next_hops))
