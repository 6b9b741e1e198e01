"""Two ports that could hear each other and do not become neighbours."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Protocol

from routrel.model.findings import Finding, Severity
from routrel.model.network import Device, Interface, protocol_title
from routrel.model.place import NOWHERE, Place
from routrel.protocols.evidence import AbsenceStep
from routrel.topology.segments import Attachment

__all__ = ["Refusal", "lost_neighbour", "no_adjacency", "refused"]


class _Settings(Protocol):
    @property
    def place(self) -> Place: ...


class _Port(Protocol):
    @property
    def key(self) -> tuple[str, str]: ...
    @property
    def device(self) -> Device: ...
    @property
    def interface(self) -> Interface: ...
    @property
    def settings(self) -> _Settings: ...


@dataclass(frozen=True, slots=True)
class Refusal:
    """Two ports on one segment that stay apart, and why."""

    left: _Port
    right: _Port
    code: str  #: of the finding
    text: str
    place: Place = NOWHERE  #: what causes it, where that is not what both say of the protocol
    suggestion: str = "make both sides agree"


def lost_neighbour(left: _Port, right: _Port, protocol: str) -> Refusal | None:
    """That one end of a link lost the other, where an event says so.

    Args:
        protocol: Its identifier.
    """
    for here, there in ((left, right), (right, left)):
        for lost in here.interface.lost:
            if (lost.protocol, lost.neighbour) == (protocol, there.device.name):
                return Refusal(
                    here,
                    there,
                    f"{protocol}_adjacency_down",
                    f"{here} lost {there.device.name} by event {lost.event}",
                    lost.place,
                    "see what came before it",
                )
    return None


def refused(refusal: Refusal, relation: str) -> Finding:
    """The finding that two ports hear each other and stay apart.

    Args:
        relation: What they fail to do, as "form no OSPF adjacency".
    """
    own = refusal.left.settings.place
    return Finding(
        severity=Severity.ERROR,
        code=refusal.code,
        text=f"{refusal.left} and {refusal.right} {relation}: {refusal.text}",
        suggestion=refusal.suggestion,
        place=refusal.place if refusal.place.line else own,
        device=refusal.left.device.name,
        also=(refusal.right.settings.place,),
    )


def no_adjacency(
    refusals: Iterable[Refusal], protocol: str, here: Attachment, there: Attachment
) -> Iterator[AbsenceStep]:
    """Why the two ends of a link are no neighbours, as the downstream end `there` sees it.

    Args:
        protocol: Its identifier.
    """
    for refusal in refusals:
        if {refusal.left.key, refusal.right.key} == {here.key, there.key}:
            mine = refusal.left if refusal.left.key == there.key else refusal.right
            yield AbsenceStep(
                kind="no_adjacency",
                device=there.device.name,
                text=f"{here} and {there} are not adjacent in {protocol_title(protocol)}: "
                f"{refusal.text}",
                suggestion=refusal.suggestion,
                place=refusal.place if refusal.place.line else mine.settings.place,
            )
