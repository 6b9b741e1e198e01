"""What devices remember of packets they let pass, for those that answer them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.model.addresses import Address
from routrel.model.filters import SessionState
from routrel.model.place import NOWHERE, Place
from routrel.model.traffic import Header

__all__ = ["Session", "session_of", "with_addresses"]


@dataclass(frozen=True, slots=True)
class Session:
    """A packet that a device let pass: as it came, and as it went on."""

    device: str
    came: Header
    went: Header
    place: Place = NOWHERE  #: of the rule that translated it

    def answer(self) -> Header:
        """What an answer looks like when it has been translated back."""
        return self.came.reply()


def session_of(
    known: tuple[Session, ...], device: str, header: Header
) -> tuple[SessionState, Session | None]:
    """What a device knows of a packet's session, and the session that the packet answers."""
    for session in known:
        if session.device == device and _ends(header) == _ends(session.went.reply()):
            return SessionState.ESTABLISHED, session
    return (SessionState.NEW if header.opens else SessionState.INVALID), None


def with_addresses(
    header: Header,
    *,
    source: Address | None = None,
    source_port: int | None = None,
    destination: Address | None = None,
    destination_port: int | None = None,
) -> Header:
    """A header with some of its ends changed; None leaves one as it is."""
    changes = {
        "source": source,
        "source_port": source_port,
        "destination": destination,
        "destination_port": destination_port,
    }
    return replace(header, **{key: value for key, value in changes.items() if value is not None})  # type: ignore[arg-type]


def _ends(header: Header) -> tuple[object, ...]:
    """What tells sessions apart."""
    return (
        header.protocol,
        header.source,
        header.source_port,
        header.destination,
        header.destination_port,
        header.icmp_type,
    )
