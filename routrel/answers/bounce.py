"""The question what a BGP session changes that goes down and comes up again."""

from __future__ import annotations

import ipaddress

from routrel.answers.base import Answer
from routrel.answers.moves import MovesData, moves_data
from routrel.convergence.bouncing import bounced
from routrel.convergence.converge import State
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.register import bgp_of
from routrel.questions.comparison.routes import route_changes
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.moves import KeptFlows, moves, ways_of_flows
from routrel.wording.comparison import route_words

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

    routes = [] if found.after is None else _otherwise(state, found.after)
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
    return [
        RouteOtherwiseData(
            device=change.table[0],
            vrf=change.table[1],
            prefix=str(change.prefix),
            before=route_words(before, change.before) if change.before else "no route",
            after=route_words(after, change.after) if change.after else "no route",
        )
        for change in route_changes(before.rib, after.rib)
    ]
