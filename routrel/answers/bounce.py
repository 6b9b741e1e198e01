"""The question what a BGP session changes that goes down and comes up again."""

from __future__ import annotations

import ipaddress

from routrel.answers.base import Answer
from routrel.answers.moves import MovesData, moves_data
from routrel.convergence.bouncing import bounced
from routrel.convergence.converge import State
from routrel.convergence.fixpoint import differences
from routrel.model.addresses import Prefix, prefix_order
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.register import bgp_of
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.moves import KeptFlows, moves, ways_of_flows
from routrel.rib.table import Route
from routrel.wording.routes import protocol_type_words

__all__ = ["BounceData", "bounce_data"]

#: Routes that are listed; the numbers tell of all.
_SHOWN = 50


class RouteOtherwiseData(Answer):
    """A route before and after, in words."""

    device: str
    vrf: str
    prefix: str
    before: str
    after: str


class BounceData(Answer):
    """What a session changes that goes down and comes up again; null: routing never rests."""

    sentence: str
    device: str
    vrf: str
    neighbour: str
    remote: str
    while_down: MovesData | None
    afterwards: MovesData | None
    routes: list[RouteOtherwiseData]  #: the first of them
    routes_in_all: int


def bounce_data(state: State, device: str, vrf: str, neighbour: str, kept: KeptFlows) -> BounceData:
    """What moves while the session of a device is down, and what is otherwise once it is back.

    Args:
        kept: The flows of which it is told whether they move.
    Raises:
        UnknownName: the device has no such neighbour.
        QuestionError: the session is not up, or routing is not at rest.
    """
    session = _session(state, device, vrf, neighbour)
    remote = bgp_of(state.results).speakers[session.remote or 0].name
    who = f"the session of {device} with {remote} ({session.remote_address})"
    if session.state is not SessionState.UP or session.remote is None:
        raise QuestionError(f"{who} is not up", session.reason)
    if not state.converged:
        raise QuestionError(
            "routing never comes to rest here", "ask once the findings about that are mended"
        )
    found = bounced(state, session)
    ways = ways_of_flows(state, kept)

    def moved(other: State | None) -> MovesData | None:
        return None if other is None else moves_data(moves(state, other, kept, ways))

    routes = [] if found.after is None else list(_otherwise(state, found.after))
    if found.down is None:
        sentence = f"While {who} is down, routing never comes to rest."
    elif found.after is None:
        sentence = f"Once {who} is back, routing never comes to rest."
    elif not routes:
        sentence = f"Once {who} is back, every table is as it was."
    else:
        devices = sorted({item.device for item in routes})
        sentence = (
            f"Once {who} is back, {len(routes)} {'route' if len(routes) == 1 else 'routes'} of "
            f"{', '.join(devices[:5])}{' and others' if len(devices) > 5 else ''} "
            f"{'stays' if len(routes) == 1 else 'stay'} otherwise than before."
        )
    return BounceData(
        sentence=sentence,
        device=device,
        vrf=vrf,
        neighbour=str(session.remote_address),
        remote=remote,
        while_down=moved(found.down),
        afterwards=moved(found.after),
        routes=routes[:_SHOWN],
        routes_in_all=len(routes),
    )


def _session(state: State, device: str, vrf: str, neighbour: str) -> Session:
    domain = bgp_of(state.results)
    try:
        address = ipaddress.ip_address(neighbour)
    except ValueError:
        raise UnknownName(f"“{neighbour}” is no address") from None
    for session in domain.sessions:
        local = domain.speakers[session.local]
        if local.table == (device, vrf) and session.neighbour.address == address:
            return session
    raise UnknownName(f"{device} has no BGP neighbour {address} in VRF {vrf}")


def _otherwise(before: State, after: State) -> list[RouteOtherwiseData]:
    """The routes that differ, by device, VRF and prefix."""
    interning = before.rib.interning
    pairs = differences([before.rib.active, after.rib.active])
    found: list[tuple[str, str, Prefix]] = [
        (*interning.tables[table], interning.prefixes.prefixes[prefix]) for table, prefix in pairs
    ]
    found.sort(key=lambda item: (item[0], item[1], prefix_order(item[2])))
    rows = []
    for device, vrf, prefix in found:
        table = interning.table_numbers[device, vrf]
        was, now = (state.rib.active_route(table, prefix) for state in (before, after))
        rows.append(
            RouteOtherwiseData(
                device=device,
                vrf=vrf,
                prefix=str(prefix),
                before=_words(before, was),
                after=_words(after, now),
            )
        )
    return rows


def _words(state: State, route: Route | None) -> str:
    """A route in short: its protocol, and where it leads."""
    if route is None:
        return "no route"
    name = protocol_type_words(route.protocol, route.path_type)
    if route.discard:
        return f"{name}, discarded"
    ways = []
    for hop in route.next_hops:
        interface = state.topology.devices[route.device].interface(hop.interface or "")
        receiver = None
        if interface is not None and hop.address is not None:
            receiver = state.topology.receiver(route.device, interface, hop.address)
        who = getattr(getattr(receiver, "device", None), "name", None) or getattr(
            getattr(receiver, "neighbour", None), "name", None
        )
        ways.append(f"{who or hop.address or 'the link'} by {hop.interface}")
    return f"{name}, to {' and '.join(ways)}"
