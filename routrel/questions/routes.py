"""The route question: which routes there are, and why this one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.protocols.register import bgp_of
from routrel.questions.errors import UnknownName
from routrel.rib.table import Route

__all__ = ["RouteQuestion", "ask_routes", "asked_tables", "outside_speaker"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteQuestion:
    """Which routes are asked for. At most one of `prefix` and `address`."""

    device: str | None = None  #: a device, or an outside network that speaks BGP; None: all
    vrf: str | None = None  #: None: all VRFs
    prefix: Prefix | None = None  #: exactly this one
    address: Address | None = None  #: the longest match for this


def ask_routes(state: State, question: RouteQuestion) -> list[Route]:
    """The active routes asked for, by device, VRF and prefix.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    routes: list[Route] = []
    for table in asked_tables(state, question):
        if question.address is not None:
            found = state.rib.lookup(table, question.address)
            routes.extend([found] if found else [])
        elif question.prefix is not None:
            found = state.rib.active_route(table, question.prefix)
            routes.extend([found] if found else [])
        else:
            routes.extend(state.rib.table_routes(table))
    return sorted(routes, key=lambda r: (r.device, r.vrf, prefix_order(r.prefix)))


def asked_tables(state: State, question: RouteQuestion) -> Iterator[int]:
    """The numbers of the tables asked for; none where that is an outside network.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    devices = state.topology.devices
    if outside_speaker(state, question) is not None:
        return
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


def outside_speaker(state: State, question: RouteQuestion) -> int | None:
    """The BGP speaker asked for, where it is an outside network."""
    for index, speaker in enumerate(bgp_of(state.results).speakers):
        if speaker.outside is not None and speaker.name == question.device:
            return index
    return None
