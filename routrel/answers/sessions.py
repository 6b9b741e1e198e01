"""BGP sessions as answers: which are up, and what keeps the others down."""

from __future__ import annotations

import msgspec

from routrel.answers.base import Answer, Placed, PositionData, position
from routrel.convergence.converge import State
from routrel.protocols.bgp.explaining import Exchanged
from routrel.protocols.bgp.paths import PathSource
from routrel.protocols.bgp.result import BgpResult
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.register import bgp_of

__all__ = ["BgpSessionListData", "sessions_data"]

_RELATIONS = {
    PathSource.EXTERNAL: "external",
    PathSource.CONFEDERATION: "confederation",
    PathSource.INTERNAL: "internal",
}


class BgpSessionData(Placed):
    """One configured neighbour; placed at what keeps it down, else where it is configured."""

    device: str
    vrf: str
    neighbour: str
    local_address: str | None
    remote: str | None
    outside: bool
    description: str
    local_as: int
    remote_as: int | None
    relation: str
    reflector_client: bool
    state: SessionState
    reason: str | None
    families: list[str]
    imports: list[str] = msgspec.field(name="import")
    exports: list[str] = msgspec.field(name="export")
    taken: int | None
    sent: int | None
    configured: PositionData


class BgpSessionListData(Answer):
    """All configured neighbours."""

    sentence: str
    sessions: list[BgpSessionData]


def sessions_data(state: State) -> BgpSessionListData:
    """Every configured BGP neighbour with its state, its reason and what it carries."""
    bgp = bgp_of(state.results)
    exchanged = Exchanged(bgp)
    sessions = [_session(bgp, exchanged, session) for session in bgp.sessions]
    up = sum(1 for session in sessions if session.state is SessionState.UP)
    down = len(sessions) - up
    if not sessions:
        sentence = "No device of this network has a BGP neighbour."
    elif not down:
        sentence = f"All {up} BGP neighbours are up."
    else:
        sentence = f"{up} of {len(sessions)} BGP neighbours are up; {down} are not."
        if down == 1:
            sentence = f"{up} of {len(sessions)} BGP neighbours are up; one is not."
    return BgpSessionListData(sentence=sentence, sessions=sessions)


def _session(bgp: BgpResult, exchanged: Exchanged, session: Session) -> BgpSessionData:
    local = bgp.speakers[session.local]
    remote = bgp.speakers[session.remote] if session.remote is not None else None
    settings = session.settings
    # The place of what keeps it down, else of the neighbour itself.
    down = session.state is not SessionState.UP and session.place.line
    taken, sent = exchanged.of(session)
    return BgpSessionData(
        device=local.name,
        vrf=local.vrf.name if local.vrf else "",
        neighbour=str(session.neighbour.address),
        local_address=str(session.local_address) if session.local_address else None,
        remote=remote.name if remote else None,
        outside=bool(remote and remote.outside),
        description=settings.description or "",
        local_as=local.shown_as(settings),
        remote_as=settings.autonomous_system,
        relation=_RELATIONS[session.relation],
        reflector_client=bool(settings.reflector_client),
        state=session.state,
        reason=session.reason or None,
        families=[f"ipv{version}" for version in session.versions],
        imports=[use.policy for use in settings.import_policies or ()],
        exports=[use.policy for use in settings.export_policies or ()],
        taken=taken,
        sent=sent,
        configured=PositionData(**position(session.neighbour.place)),
        **position(session.place if down else session.neighbour.place),
    )
