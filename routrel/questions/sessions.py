"""The sessions question: which BGP sessions are up, and what keeps the others down."""

from __future__ import annotations

from routrel.convergence.converge import State
from routrel.protocols.bgp.explaining import Exchanged
from routrel.protocols.bgp.paths import Learned
from routrel.protocols.bgp.result import BgpResult
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.register import bgp_of
from routrel.questions.answers import Json, place_data

__all__ = ["sessions_data"]

_RELATIONS = {
    Learned.EXTERNAL: "external",
    Learned.CONFEDERATION: "confederation",
    Learned.INTERNAL: "internal",
}


def sessions_data(state: State) -> Json:
    """Every configured BGP neighbour with its state, its reason and what it carries."""
    bgp = bgp_of(state.results)
    exchanged = Exchanged(bgp)
    sessions = [_session(bgp, exchanged, session) for session in bgp.sessions]
    up = sum(1 for session in sessions if session["state"] == SessionState.UP.value)
    down = len(sessions) - up
    if not sessions:
        sentence = "No device of this network has a BGP neighbour."
    elif not down:
        sentence = f"All {up} BGP neighbours are up."
    else:
        sentence = f"{up} of {len(sessions)} BGP neighbours are up; {down} are not."
        if down == 1:
            sentence = f"{up} of {len(sessions)} BGP neighbours are up; one is not."
    return {"sentence": sentence, "sessions": sessions}


def _session(bgp: BgpResult, exchanged: Exchanged, session: Session) -> Json:
    local = bgp.speakers[session.local]
    remote = bgp.speakers[session.remote] if session.remote is not None else None
    settings = session.settings
    # The place of what keeps it down, else of the neighbour itself.
    down = session.state is not SessionState.UP and session.place.line
    taken, sent = exchanged.of(session)
    return {
        "device": local.name,
        "vrf": local.vrf.name if local.vrf else "",
        "neighbour": str(session.neighbour.address),
        "local_address": str(session.local_address) if session.local_address else None,
        "remote": remote.name if remote else None,
        "outside": bool(remote and remote.outside),
        "description": settings.description or "",
        "local_as": local.shown_as(settings),
        "remote_as": settings.autonomous_system,
        "relation": _RELATIONS[session.relation],
        "reflector_client": bool(settings.reflector_client),
        "state": session.state.value,
        "reason": session.reason or None,
        "families": [f"ipv{version}" for version in session.versions],
        "import": [use.policy for use in settings.import_policies or ()],
        "export": [use.policy for use in settings.export_policies or ()],
        "taken": taken,
        "sent": sent,
        **place_data(session.place if down else session.neighbour.place),
        "configured": place_data(session.neighbour.place),
    }
