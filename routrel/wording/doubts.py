"""Outcomes of routing in words: by what those who decide then use."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.convergence.converge import State
from routrel.model.addresses import Prefix
from routrel.questions.doubts import Decider, ribs
from routrel.rib.table import Rib, Route
from routrel.wording.routes import protocol_type_words

__all__ = ["outcome_words", "outcomes_of_prefix"]

#: Devices named as those who decide, at most.
_MOST_NAMED = 3


def outcome_words(state: State, rib: Rib, who: Sequence[Decider]) -> str:
    """An outcome by what those who decide then use: "har-yard-1 on RIP by port1"."""
    told = [
        f"{one.table[0]} on {_route_words(_lookup(state, rib, one))}" for one in who[:_MOST_NAMED]
    ]
    return " and ".join(told)


def _lookup(state: State, rib: Rib, one: Decider) -> Route | None:
    return rib.lookup(state.rib.interning.table_numbers[one.table], one.address)


def _route_words(route: Route | None) -> str:
    if route is None:
        return "no route"
    words = protocol_type_words(route.protocol, route.path_type)
    if route.discard:
        return f"{words}, discarding"
    ways = ", ".join(dict.fromkeys(str(hop.interface) for hop in route.next_hops))
    return f"{words} by {ways}"


def outcomes_of_prefix(state: State, table: int, prefix: Prefix) -> tuple[str, ...]:
    """The routes of a table to a prefix in all outcomes, each once, the shown one first."""
    routes = (rib.active_route(table, prefix) for rib in ribs(state))
    return tuple(dict.fromkeys(_route_words(route) for route in routes))
