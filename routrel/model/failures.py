"""What has failed: things that the files take to work."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from routrel.model.events import Event

__all__ = ["NOTHING_FAILED", "Failure", "FailureKind", "Failures"]


class FailureKind(StrEnum):
    """What can fail."""

    INTERFACE = "interface"  #: named device:interface; it has no carrier
    LINK = "link"  #: a segment by its stated name, or by a subnet of it; no end has carrier
    DIRECTION = "direction"  #: named as the sending device:interface; what it sends is lost
    DEVICE = "device"
    SITE = "site"  #: all its devices
    SESSION = "session"  #: of BGP, named device:neighbour's address
    LINE = "line"  #: what leads to an outside network, by that network's name
    GROUP = "group"  #: all of a risk group


@dataclass(frozen=True, slots=True, order=True)
class Failure:
    """One thing that has failed, by its kind and the name that people write."""

    kind: FailureKind
    name: str

    def __str__(self) -> str:
        """Its written form: `link:harbour`, `interface:r1:port1`."""
        return f"{self.kind}:{self.name}"


@dataclass(frozen=True, slots=True)
class Failures:
    """Things that have failed; their configuration stays as it is.

    A failed device is off: no interface, address, table or session of it is left. A failed
    interface has no carrier, as if its cable were pulled at its end; the only other end of a link
    loses its carrier too. On a failed link (or segment of more ends) all ends are without carrier.
    In a failed direction frames are lost, and both ends are up. A failed line is that of the
    outside network's end; the only other end loses its carrier. A failed session is not opened by
    either side.
    """

    things: tuple[Failure, ...] = ()
    #: What events of the running network say at the moment that is looked at: at most one of each
    #: thing, with what they name resolved (`lens.moments`). An interface or a session that went
    #: down carries nothing, as one that failed; the others make another network of it
    #: (`topology.occurred`).
    events: tuple[Event, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.things or self.events)

    def with_things(self, things: Iterable[Failure]) -> Failures:
        """The same with more that has failed, each once."""
        return replace(self, things=tuple(dict.fromkeys((*self.things, *things))))


NOTHING_FAILED = Failures()
