"""Who holds which route to one destination, and where each one's traffic leaves."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from routrel.answers.base import Answer
from routrel.answers.routes import TitledRouteData, route_fields
from routrel.convergence.converge import State
from routrel.model.addresses import Address, Prefix
from routrel.rib.candidates import NextHop
from routrel.rib.table import Route
from routrel.wording.routes import route_type_words

__all__ = ["Exit", "HoldersData", "exits", "holders_data"]

#: Steps from one table to the next before a way counts as going nowhere.
MAXIMUM_STEPS = 64


@dataclass(frozen=True, slots=True, order=True)
class Exit:
    """Where traffic ends up, by the tables alone: no filter is looked at."""

    kind: str  #: connected, discarded, outside, no_route, loop, no_neighbour
    device: str
    name: str = ""  #: the outside neighbour


_TEXTS = {
    "connected": "arrives at {device}",
    "discarded": "discarded at {device}",
    "outside": "exits to {name} at {device}",
    "no_route": "no route at {device}",
    "loop": "loops at {device}",
    "no_neighbour": "next hop does not answer at {device}",
}


def exits(state: State, table: int, address: Address) -> frozenset[Exit]:
    """Every exit that an address reaches from a table, along all equal-cost next hops."""
    return _Follower(state, address).of(table, ())


class _Follower:
    def __init__(self, state: State, address: Address) -> None:
        self.state, self.address = state, address
        self.known: dict[int, frozenset[Exit]] = {}

    def of(self, table: int, passed: tuple[int, ...]) -> frozenset[Exit]:
        device, _ = self.state.rib.interning.tables[table]
        if table in passed or len(passed) > MAXIMUM_STEPS:
            return frozenset({Exit("loop", device)})
        found = self.known.get(table)
        if found is None:
            route = self.state.rib.lookup(table, self.address)
            found = self._leaves(device, route, (*passed, table))
            if not any(end.kind == "loop" for end in found):
                self.known[table] = found
        return found

    def _leaves(self, device: str, route: Route | None, passed: tuple[int, ...]) -> frozenset[Exit]:
        if route is None:
            return frozenset({Exit("no_route", device)})
        if route.discard:
            return frozenset({Exit("discarded", device)})
        result: set[Exit] = set()
        for hop in route.next_hops:
            result |= self._through(device, hop, passed)
        return frozenset(result)

    def _through(self, device: str, hop: NextHop, passed: tuple[int, ...]) -> frozenset[Exit]:
        topology, interning = self.state.topology, self.state.rib.interning
        if hop.address is None:
            return frozenset({Exit("connected", device)})
        end = topology.answering(device, hop.interface or "", hop.address)
        if end is not None:
            return self.of(interning.table_numbers[end.device.name, end.interface.vrf], passed)
        segment = topology.segment_of.get((device, hop.interface or ""))
        for outside in topology.outside_ends(segment):
            if outside.address.ip == hop.address:
                return frozenset({Exit("outside", device, outside.neighbour.name)})
        return frozenset({Exit("no_neighbour", device)})


class HeldRouteData(TitledRouteData):
    """A table's route, and whether it is only the default."""

    falls_back: bool


class ExitGroupData(Answer):
    """Tables from which traffic goes out in one way."""

    exit: str
    falls_back: bool
    routes: list[HeldRouteData]


class LackingTableData(Answer):
    """A table without any route."""

    device: str
    vrf: str


class HoldersData(Answer):
    """Every forwarding table's route, by exit; those with a specific route first."""

    asked: str
    matched: str | None
    sentence: str
    groups: list[ExitGroupData]
    lacking: list[LackingTableData]


def holders_data(state: State, asked: Prefix | Address) -> HoldersData:
    """For every forwarding table its route to a prefix or an address, grouped by exit.

    For a prefix the longest match for its first address is shown, so that a device which follows
    a shorter route is seen too.
    """
    is_prefix = hasattr(asked, "prefixlen")
    address: Address = asked.network_address if is_prefix else asked  # type: ignore[union-attr,assignment]
    follower = _Follower(state, address)
    groups: dict[tuple[bool, tuple[Exit, ...]], list[HeldRouteData]] = {}
    lacking: list[LackingTableData] = []
    best: Prefix | None = None
    for table, (device, vrf) in enumerate(state.rib.interning.tables):
        if not state.topology.devices[device].role.forwards:
            continue
        found = _held(state, table, asked, address, is_prefix=is_prefix)
        if found is None:
            lacking.append(LackingTableData(device=device, vrf=vrf))
            continue
        if best is None or found.prefix.prefixlen > best.prefixlen:
            best = found.prefix
        ends = tuple(sorted(follower.of(table, ())))
        falls_back = found.prefix.prefixlen == 0 and not (is_prefix and asked == found.prefix)
        groups.setdefault((falls_back, ends), []).append(
            HeldRouteData(
                falls_back=falls_back,
                title=route_type_words(found),
                **route_fields(state, found),
            )
        )
    # Those with a specific route first: that is what was asked for.
    ordered = sorted(groups.items(), key=lambda item: (item[0][0], -len(item[1]), item[0][1]))
    return HoldersData(
        asked=str(asked),
        matched=str(best) if best is not None else None,
        sentence=_sentence(str(asked), ordered, len(lacking)),
        groups=[
            ExitGroupData(
                exit=_texts(ends),
                falls_back=falls_back,
                routes=routes,
            )
            for (falls_back, ends), routes in ordered
        ],
        lacking=lacking,
    )


def _held(
    state: State, table: int, asked: Prefix | Address, address: Address, *, is_prefix: bool
) -> Route | None:
    """The longest match; for a prefix no longer than the prefix itself."""
    for route in state.rib.matches(table, address):
        if not is_prefix or route.prefix.prefixlen <= asked.prefixlen:  # type: ignore[union-attr]
            return route
    return None


def _texts(ends: Iterable[Exit]) -> str:
    """Where traffic ends up: exits of one kind to one neighbour together, with their devices."""
    devices: dict[tuple[str, str], list[str]] = {}
    for end in ends:
        devices.setdefault((end.kind, end.name), []).append(end.device)
    return " or ".join(
        _TEXTS[kind].format(device=" or ".join(at), name=name)
        for (kind, name), at in devices.items()
    )


def _sentence(
    asked: str,
    groups: list[tuple[tuple[bool, tuple[Exit, ...]], list[HeldRouteData]]],
    lacking: int,
) -> str:
    specific = [(ends, routes) for (falls_back, ends), routes in groups if not falls_back]
    fallen = sum(len(routes) for (falls_back, _), routes in groups if falls_back)
    holding = sum(len(routes) for _, routes in specific)
    parts = []
    if holding:
        ways = f"{len(specific)} different ways out" if len(specific) > 1 else "one way out"
        parts.append(f"{_count(holding)} a route to {asked}, with {ways}")
    else:
        parts.append(f"no device has a specific route to {asked}")
    if fallen:
        parts.append(f"{fallen} {'uses its' if fallen == 1 else 'use their'} default route")
    if lacking:
        parts.append(f"{lacking} {'has' if lacking == 1 else 'have'} none")
    text = "; ".join(parts)
    return text[0].upper() + text[1:] + "."


def _count(number: int) -> str:
    return "one device has" if number == 1 else f"{number} devices have"
