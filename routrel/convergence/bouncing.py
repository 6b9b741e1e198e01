"""What a BGP session leaves behind that goes down and comes up again.

Where routing may rest in more than one way, or the age of routes counts, the tables need not be
what they were: while the session is down others settle without it, and what it then brings is the
newest. So the tables go on from where they are, and not from nothing as `converge` has it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.convergence.converge import State
from routrel.convergence.fixpoint import settle_onward
from routrel.convergence.protocols import Protocols
from routrel.protocols.bgp.sessions import Session
from routrel.rib.table import Rib

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
    interning, memory = state.rib.interning, state.protocols.bgp.memory
    with memory.lock:
        protocols = Protocols(state.topology, interning, memory)
        protocols.rows(state.rib)
        bgp = protocols.bgp
        bgp.go_on(muted=ends)
        down = settle_onward(protocols, interning, state.rib)
        after = None
        if down is not None:
            bgp.go_on(fresh=ends)
            after = settle_onward(protocols, interning, down)
    return Bounce(_at_rest(state, down), _at_rest(state, after))


def _at_rest(state: State, rib: Rib | None) -> State | None:
    if rib is None:
        return None
    return replace(state, rib=rib, others=(), ordered=(), searched=True)
