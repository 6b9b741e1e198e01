"""The route question: which routes there are, and why this one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.control.converge import State
from routrel.control.rib.candidates import Protocol
from routrel.control.rib.table import Route
from routrel.files.shapes import closest
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.questions.answers import Json, next_hop_data, place_data, route_data
from routrel.questions.errors import UnknownName

__all__ = ["RouteQuestion", "ask_routes", "explain_route"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteQuestion:
    """Which routes are asked for. At most one of `prefix` and `address`."""

    device: str | None = None  #: None: all devices
    vrf: str | None = None  #: None: all VRFs
    prefix: Prefix | None = None  #: exactly this one
    address: Address | None = None  #: the longest match for this


def ask_routes(state: State, question: RouteQuestion) -> list[Route]:
    """The active routes asked for, by device, VRF and prefix.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    routes: list[Route] = []
    for table in _tables(state, question):
        if question.address is not None:
            found = state.rib.lookup(table, question.address)
            routes.extend([found] if found else [])
        elif question.prefix is not None:
            found = state.rib.active_route(table, question.prefix)
            routes.extend([found] if found else [])
        else:
            routes.extend(state.rib.table_routes(table))
    return sorted(routes, key=lambda r: (r.device, r.vrf, prefix_order(r.prefix)))


def _tables(state: State, question: RouteQuestion) -> Iterator[int]:
    devices = state.topology.devices
    if question.device is not None and question.device not in devices:
        raise UnknownName(
            f"there is no device “{question.device}”", closest(question.device, devices)
        )
    vrfs = {vrf for _, vrf in state.rib.interning.tables}
    if question.vrf is not None and question.vrf not in vrfs:
        raise UnknownName(f"there is no VRF “{question.vrf}”", closest(question.vrf, vrfs))
    for number, (device, vrf) in enumerate(state.rib.interning.tables):
        if question.device in (None, device) and question.vrf in (None, vrf):
            yield number


def explain_route(state: State, question: RouteQuestion) -> list[Json]:
    """For each table asked for: the candidates of the matched prefix and where each one lost.

    The rungs are `usable`, `distance` and `metric`. A static route that is not usable stands
    among the candidates although it never came into the table.
    """
    answers = []
    for table in _tables(state, question):
        device, vrf = state.rib.interning.tables[table]
        if question.address is not None:
            matches = list(state.rib.matches(table, question.address))
        else:
            route = state.rib.active_route(table, question.prefix) if question.prefix else None
            matches = [route] if route else []
        prefix = matches[0].prefix if matches else question.prefix
        answers.append(
            {
                "device": device,
                "vrf": vrf,
                "matched": str(matches[0].prefix) if matches else None,
                "behind": [route_data(state, route) for route in matches[1:]],
                "candidates": _candidates(state, table, prefix) if prefix else [],
            }
        )
    return answers


def _candidates(state: State, table: int, prefix: Prefix) -> list[Json]:
    routes = state.rib.candidates_for(table, prefix)
    answers = []
    for route in routes:
        best = routes[0]
        lost_on = None
        if route is not best:
            lost_on = "distance" if route.distance > best.distance else "metric"
        answers.append(
            {
                "protocol": route.protocol.id,
                "next_hops": [
                    next_hop_data(state, route.device, hop)
                    for hop in ([] if route.discard else route.next_hops)
                ],
                "lost_on": lost_on,
                "values": {
                    "usable": True,
                    "distance": route.distance,
                    "path_type": route.path_type.id,
                    "metric": route.metric,
                    "tag": route.tag,
                    "discard": route.discard,
                },
                **place_data(route.place),
            }
        )
    answers.extend(_unusable(state, table, prefix))
    return answers


def _unusable(state: State, table: int, prefix: Prefix) -> Iterator[Json]:
    name = state.rib.interning.tables[table]
    for outcome in state.protocols.static.outcomes:
        if outcome.table == name and outcome.route.to == prefix and outcome.problem:
            yield {
                "protocol": Protocol.STATIC.id,
                "next_hops": [],
                "lost_on": "usable",
                "values": {
                    "usable": False,
                    "problem": outcome.problem,
                    "distance": outcome.route.distance,
                    "tag": outcome.route.tag,
                },
                **place_data(outcome.route.place),
            }
