"""Sessions and adjacencies that only one of two states has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.addresses import Address
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.contract import Adjacency
from routrel.protocols.register import bgp_of
from routrel.rib.candidates import Protocol

__all__ = ["Met", "UpSession", "adjacencies_of", "is_up", "sessions_of"]


@dataclass(frozen=True, slots=True)
class UpSession:
    """A configured neighbour of BGP, by what it is known by in every state."""

    device: str
    vrf: str
    neighbour: Address


@dataclass(frozen=True, slots=True, order=True)
class Met:
    """An adjacency of a protocol."""

    protocol: Protocol
    adjacency: Adjacency


def sessions_of(state: State) -> dict[UpSession, Session]:
    """All configured neighbours of BGP, up or down."""
    bgp = bgp_of(state.results)
    found = {}
    for session in bgp.sessions:
        local = bgp.speakers[session.local]
        vrf = local.vrf.name if local.vrf else ""
        found[UpSession(local.name, vrf, session.neighbour.address)] = session
    return found


def is_up(session: Session | None) -> bool:
    """Whether there is a session, and it is up."""
    return session is not None and session.state is SessionState.UP


def adjacencies_of(state: State) -> frozenset[Met]:
    """Who is adjacent, in every protocol that forms adjacencies."""
    return frozenset(_adjacencies(state))


def _adjacencies(state: State) -> Iterator[Met]:
    for protocol, result in state.results.items():
        for adjacency in result.domain.adjacent():
            yield Met(protocol, adjacency)
