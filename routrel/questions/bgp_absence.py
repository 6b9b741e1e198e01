"""Why a BGP speaker lacks a prefix: what its neighbours keep back, refuse, or cannot tell it."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.convergence.converge import State
from routrel.model.place import NOWHERE
from routrel.protocols.bgp.explaining import chosen_path, hearings_into, offers
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.questions.absence_steps import AbsenceStep

__all__ = ["bgp_reasons"]


def bgp_reasons(state: State, table: int, number: int | None) -> Iterator[AbsenceStep]:
    """What stops a prefix on its way to a table, over sessions that are up or down.

    From the speaker itself back to those that have it: where it is kept back, where it is refused,
    where a next hop is not usable, and the sessions that would carry it and are down.
    """
    domain = state.protocols.bgp
    start = domain.index_of.get(state.rib.interning.tables[table])
    if start is None or number is None:
        return
    pending, seen = [start], {start}
    while pending:
        index = pending.pop(0)
        yield from _stops(state, index, number)
        for session in domain.sessions:
            if session.local == index and session.state is not SessionState.UP:
                yield from _down(state, session, number)
        for hearing in hearings_into(domain, index):
            lacks = chosen_path(domain, hearing.sender, number) is None
            if lacks and hearing.sender not in seen and domain.speakers[hearing.sender].instance:
                seen.add(hearing.sender)
                pending.append(hearing.sender)


def _stops(state: State, index: int, number: int) -> Iterator[AbsenceStep]:
    """What keeps the prefix from one speaker, by each of its sessions that are up."""
    domain = state.protocols.bgp
    name = domain.speakers[index].name
    for offer in offers(domain, index, number):
        sender = domain.speakers[offer.hearing.sender].name if offer.hearing else name
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
                place=offer.hearing.receiver_settings.place if offer.hearing else NOWHERE,
            )


def _down(state: State, session: Session, number: int) -> Iterator[AbsenceStep]:
    """A session that would carry the prefix and is down."""
    domain = state.protocols.bgp
    if session.remote is None:
        return
    remote = domain.speakers[session.remote]
    prefix = state.rib.interning.prefixes.prefixes[number]
    announced = remote.outside is not None and any(
        prefix in item.prefixes for item in remote.outside.announces
    )
    if announced or chosen_path(domain, session.remote, number) is not None:
        local = domain.speakers[session.local].name
        yield AbsenceStep(
            kind="session_down",
            device=local,
            text=f"{remote.name} has it, but its session with {local} is down: {session.reason}",
            place=session.place,
        )
