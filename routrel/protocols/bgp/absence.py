"""Why a BGP speaker lacks a prefix: what its neighbours keep back, refuse, or cannot tell it."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.model.network import protocol_title
from routrel.model.place import NOWHERE
from routrel.protocols.bgp.explaining import chosen_path, offers, peers_towards
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.bgp.state import BgpState
from routrel.protocols.evidence import AbsenceStep, Gap
from routrel.rib.table import Route

__all__ = ["in_session", "not_in_bgp", "reasons", "tells_a_default"]


def reasons(state: BgpState, table: int, prefix: int) -> Iterator[AbsenceStep]:
    """What stops a prefix on its way to a table, over sessions that are up or down.

    From the speaker itself back to those that have it: where it is kept back, where it is refused,
    where a next hop is not usable, and the sessions that would carry it and are down.
    """
    start = state.index_of.get(state.interning.tables[table])
    if start is None:
        return
    pending, seen = [start], {start}
    while pending:
        index = pending.pop(0)
        yield from _stops(state, index, prefix)
        for session in state.sessions:
            if session.local == index and session.state is not SessionState.UP:
                yield from _down(state, session, prefix)
        for peer in peers_towards(state, index):
            lacks = chosen_path(state, peer.sender, prefix) is None
            if lacks and peer.sender not in seen and state.speakers[peer.sender].instance:
                seen.add(peer.sender)
                pending.append(peer.sender)


def _stops(state: BgpState, index: int, prefix: int) -> Iterator[AbsenceStep]:
    """What keeps the prefix from one speaker, by each of its sessions that are up."""
    name = state.speakers[index].name
    for offer in offers(state, index, prefix):
        sender = state.speakers[offer.peer.sender].name if offer.peer else name
        if offer.sent is not None and offer.sent.stopped is not None:
            stopped = offer.sent.stopped
            if stopped.kind == "came_from_there":
                continue
            yield AbsenceStep(
                kind=f"bgp_{stopped.kind}",
                device=sender,
                text=f"{sender} does not announce it to {name}: {stopped.text}",
                place=stopped.place,
            )
        elif offer.taken is not None and offer.taken.stopped is not None:
            stopped = offer.taken.stopped
            yield AbsenceStep(
                kind="unusable",
                device=name,
                text=f"{name} does not take it from {sender}: {stopped.text}",
                place=stopped.place,
            )
        elif offer.resolution is not None and offer.resolution.problem:
            yield AbsenceStep(
                kind="unusable",
                device=name,
                text=f"{name} cannot use what {sender} offers it: {offer.resolution.problem}",
                place=offer.peer.receiver_settings.place if offer.peer else NOWHERE,
            )


def _down(state: BgpState, session: Session, number: int) -> Iterator[AbsenceStep]:
    """A session that would carry the prefix and is down."""
    if session.remote is None:
        return
    remote = state.speakers[session.remote]
    prefix = state.interning.prefixes.prefixes[number]
    announced = remote.outside is not None and any(
        prefix in item.prefixes for item in remote.outside.announces
    )
    if announced or chosen_path(state, session.remote, number) is not None:
        local = state.speakers[session.local].name
        yield AbsenceStep(
            kind="session_down",
            device=local,
            text=f"{remote.name} has it, but its session with {local} is down: {session.reason}",
            place=session.place,
        )


# --- across a gap --------------------------------------------------------------------------------


def in_session(state: BgpState, gap: Gap) -> bool:
    """Whether a session between the two ends is up."""
    ends = {
        state.index_of.get(gap.interning.tables[table]) for table in (gap.upstream, gap.downstream)
    }
    return any(
        session.state is SessionState.UP and {session.local, session.remote} == ends
        for session in state.sessions
    )


def not_in_bgp(state: BgpState, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
    """The upstream end has a route and announces it neither as a network nor redistributed."""
    instance = gap.here_vrf.bgp
    index = state.index_of[gap.interning.tables[gap.upstream]]
    if instance is None or chosen_path(state, index, gap.prefix) is not None:
        return
    source = protocol_title(route.protocol.id)
    yield AbsenceStep(
        kind="not_redistributed",
        device=gap.here.name,
        text=f"{gap.here.name} has it from {source} and announces it into BGP neither as a "
        f"network nor by taking {source} in",
        suggestion=f"add networks: [{{prefix: {gap.prefix_text}}}] under bgp:",
        place=instance.place,
    )


def tells_a_default(state: BgpState, gap: Gap) -> Iterator[AbsenceStep]:
    """A speaker may tell neighbours a default route that it does not have itself."""
    index = state.index_of.get(gap.interning.tables[gap.downstream])
    if index is None or gap.interning.prefixes.prefixes[gap.prefix].prefixlen:
        return
    for neighbour, settings in state.speakers[index].neighbours:
        if settings.default_route is not None:
            yield AbsenceStep(
                kind="announces_itself",
                device=gap.there.name,
                text=f"{gap.there.name} tells {neighbour.address} a default route of its own "
                "making and has none itself; nobody tells it one",
                suggestion="give it a route of its own to announce",
                place=settings.default_route.place,
            )
