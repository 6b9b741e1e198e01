"""What a BGP session leaves behind that goes down and comes up again.

Where routing may rest in more than one way, or the age of routes counts, the tables need not be
what they were: while the session is down others settle without it, and what it then brings is the
newest. So the tables go on from where they are, and not from nothing as `converge` has it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.convergence.converge import State
from routrel.convergence.fixpoint import settle_onward
from routrel.convergence.protocols import Look, Protocols
from routrel.protocols.bgp.round import Onward
from routrel.protocols.bgp.sessions import Session
from routrel.rib.candidates import Protocol

__all__ = ["Bounce", "bounced"]


@dataclass(frozen=True, slots=True)
class Bounce:
    """The tables while a session is down, and when it is up again; None: they never rest."""

    down: State | None
    after: State | None


def bounced(state: State, session: Session) -> Bounce:
    """Shut a session of a network at rest, let everything settle, and bring it up again.

    The session keeps its settings; packets of it are taken to arrive as before. Distance vectors
    start anew in each round, as in `converge`.

    Args:
        session: One that is up.
    """
    if session.local_address is None:
        raise ValueError("the session is not up")
    ends = frozenset((session.local_address, session.remote_address))
    protocols = Protocols(state.topology, state.rib.interning.copy(), state.results)
    rest = protocols.look(state.look)
    down = settle_onward(protocols, rest, {Protocol.BGP: Onward(muted=ends)})
    after = None
    if down is not None:
        after = settle_onward(protocols, down, {Protocol.BGP: Onward(fresh=ends)})
    return Bounce(_at_rest(state, down), _at_rest(state, after))


def _at_rest(state: State, look: Look | None) -> State | None:
    if look is None:
        return None
    return replace(state, look=look, others=(), order_dependent=(), searched=True)
