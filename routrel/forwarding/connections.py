"""What devices remember of packets they let pass, for those that answer them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.model.addresses import Address
from routrel.model.filters import ConnectionState
from routrel.model.place import NOWHERE, Place
from routrel.model.traffic import Header

__all__ = ["Connection", "connection_of", "with_addresses"]


@dataclass(frozen=True, slots=True)
class Connection:
    """A packet that a device let pass: as it came, and as it went on."""

    device: str
    came: Header
    went: Header
    place: Place = NOWHERE  #: of the rule that translated it

    def answer(self) -> Header:
        """What an answer looks like when it has been translated back."""
        return self.came.reply()


def connection_of(
    known: tuple[Connection, ...], device: str, header: Header
) -> tuple[ConnectionState, Connection | None]:
    """What a device knows of a packet's connection, and the one that the packet answers."""
    for connection in known:
        if connection.device == device and _ends(header) == _ends(connection.went.reply()):
            return ConnectionState.ESTABLISHED, connection
    return (ConnectionState.NEW if header.opens else ConnectionState.INVALID), None


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
    """What tells connections apart."""
    return (
        header.protocol,
        header.source,
        header.source_port,
        header.destination,
        header.destination_port,
        header.icmp_type,
    )
