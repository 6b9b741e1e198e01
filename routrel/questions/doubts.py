"""What is not certain, because it depends on who came first: the outcomes, and who decides."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.addresses import Address
from routrel.model.place import Place
from routrel.rib.candidates import Table
from routrel.rib.table import Rib

__all__ = ["Decider", "deciders", "ribs"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Decider:
    """A table whose route to an address is not the same in all outcomes."""

    table: Table
    address: Address
    places: tuple[Place, ...]  #: the lines by which it takes one side or the other


def ribs(state: State) -> Iterator[Rib]:
    """The tables of every outcome, those that are shown first."""
    yield state.rib
    for other in state.others:
        yield other.rib


def deciders(
    state: State, outcomes: Sequence[Rib], addresses: Iterable[Address]
) -> tuple[Decider, ...]:
    """Who decides which of some outcomes comes about, for the routes to some addresses.

    Those that were seen to decide by settling first, else all whose routes differ, by name.
    """
    first = {table for other in state.others for table in other.first}
    found: dict[Table, Decider] = {}
    for address in addresses:
        for table in dict.fromkeys((route.device, route.vrf) for route in state.order_dependent):
            if table in found:
                continue
            number = state.rib.interning.table_numbers[table]
            routes = [rib.lookup(number, address) for rib in outcomes]
            if any(route != routes[0] for route in routes[1:]):
                prefixes = {route.prefix for route in routes if route}
                places = tuple(state.look.deciding_places(table, prefixes))
                found[table] = Decider(table=table, address=address, places=places)
    seen = [one for one in found.values() if one.table in first]
    return tuple(seen or found.values())
