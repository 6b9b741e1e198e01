"""Cases: complaints that are kept beside a network, with their question and the known answer.

They are no part of the network: no answer about it depends on them.
"""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.changes import Change, Edit
from routrel.model.place import Place, placed

__all__ = ["Case", "CaseQuestion", "CaseRoute"]


@dataclass(frozen=True, slots=True, kw_only=True)
class CaseQuestion:
    """The flow a case asks about, in the words of the question bar."""

    source: str
    destination: str
    traffic: str = ""  #: as in `--as`; empty: an echo request
    size: int | None = None  #: bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class CaseRoute:
    """The route a case asks about."""

    at: str  #: the device
    to: str  #: an address or a prefix


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """A complaint kept beside the network: a story, its question and the known answer.

    It asks about a flow (`question`) or about a route (`route`), never both.
    """

    name: str
    title: str
    story: str
    question: CaseQuestion | None = None
    route: CaseRoute | None = None
    fail: tuple[str, ...] = ()  #: what has failed when it is asked, as a lens writes it
    tables: tuple[str, ...] = ()  #: what devices are taken to forward by, as a lens writes it
    edits: tuple[Edit, ...] = ()  #: made when it is asked, in this order
    forward: str | None = None  #: of a flow: expected verdict identifier
    back: str | None = None  #: expected verdict of the return direction; None: not stated
    protocol: str | None = None  #: of a route: whose it is; None: there is none
    reason: str | None = None  #: of a route: why it, or a specific one, is absent
    loser: str | None = None  #: of a route: who announces the candidate that lost...
    rung: str | None = None  #: ... on this rung
    device: str | None = None  #: where the evidence lies
    evidence: str | None = None  #: text that stands on the line of the evidence
    file: str | None = None  #: the file that holds it
    place: Place = placed()

    @property
    def change(self) -> Change | None:
        """The change that is made when it is asked."""
        if not self.edits:
            return None
        return Change(name=self.name, purpose=self.title, edits=self.edits, place=self.place)

    @property
    def is_of_the_network(self) -> bool:
        """Whether it asks about the network as it is."""
        return not (self.fail or self.tables or self.edits)
