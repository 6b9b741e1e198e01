"""Sessions, adjacencies and elected roles that only one of two states has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.addresses import Address
from routrel.protocols.bgp.sessions import Session, SessionState
from routrel.protocols.contract import Adjacency
from routrel.protocols.register import bgp_of
from routrel.rib.candidates import Protocol

__all__ = [
    "Met",
    "RoleChange",
    "UpSession",
    "adjacencies_of",
    "is_up",
    "role_changes",
    "sessions_of",
]


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


@dataclass(frozen=True, slots=True, kw_only=True)
class RoleChange:
    """A role that others have in the second state: a network's designated router, a translator."""

    protocol: Protocol
    role: str
    where: str
    before: tuple[str, ...]  #: devices, in order of name; none: nobody had it
    after: tuple[str, ...]


def role_changes(before: State, after: State) -> tuple[RoleChange, ...]:
    """Roles that were elected otherwise, by protocol and place."""
    then, now = _roles(before), _roles(after)
    return tuple(
        RoleChange(
            protocol=key[0],
            role=key[1],
            where=key[2],
            before=tuple(sorted(then.get(key, ()))),
            after=tuple(sorted(now.get(key, ()))),
        )
        for key in sorted(then.keys() | now.keys())
        if then.get(key) != now.get(key)
    )


def _roles(state: State) -> dict[tuple[Protocol, str, str], set[str]]:
    found: dict[tuple[Protocol, str, str], set[str]] = {}
    for protocol, result in state.results.items():
        for elected in result.elected():
            key = (protocol, elected.role, elected.where)
            found.setdefault(key, set()).add(elected.device)
    return found
