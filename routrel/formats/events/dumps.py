"""Events of BGP dumps: every message and change of state, and tables as what was so to begin with.

A session that ends takes its routes along (RFC 4271 9), so each is withdrawn then; what comes back
is announced anew. Of prefixes with several paths (RFC 7911) the one that was told last counts.
"""

from __future__ import annotations

import io
from collections.abc import Sequence

from routrel.formats.events.json_lines import MOST_EVENTS, EventFile
from routrel.formats.mrt.attributes import Attributes
from routrel.formats.mrt.reading import FORMAT, tell_left_out
from routrel.formats.mrt.records import Reader
from routrel.formats.mrt.tables import Peer, prefix_of, read_dump
from routrel.formats.reports import FileReport
from routrel.model.addresses import Address
from routrel.model.communities import canonical_community
from routrel.model.events import Event, EventKind
from routrel.model.place import Place
from routrel.model.policy import Origin

__all__ = ["read_dump_events"]


def read_dump_events(content: bytes, path: str) -> EventFile:
    """The events of a file of MRT records (RFC 6396, 6397, 8050), in its order.

    Outside networks and devices are named by their addresses; each event by the record it is of,
    counting from 1, and its place in that.
    """
    made = EventFile(FileReport(path, FORMAT))
    reader = Reader(io.BytesIO(content))
    listener = _Events(reader, made)
    dump = read_dump(reader, listener)
    tell_left_out(reader, dump, made.report)
    if listener.left_out:
        made.report.unknown(f"more than {MOST_EVENTS} events; {listener.left_out} are left out")
    if not made.events and not made.report.refused:
        made.report.note("tells of no event")
    made.report.rows = len(made.events)
    return made


class _Events:
    """Makes an event of each change that a dump tells of."""

    def __init__(self, reader: Reader, made: EventFile) -> None:
        self.reader, self.made = reader, made
        self.left_out = 0
        self._record, self._count = 0, 0

    def entry(self, peer: Peer, key: int, attributes: Attributes) -> None:
        """A table holds a route: it is announced from then on."""
        self._update(peer, None, key, attributes)

    def update(
        self,
        peer: Peer,
        own: Address,
        withdrawn: Sequence[int],
        announced: Sequence[int],
        attributes: Attributes,
    ) -> None:
        """A message: withdrawals first (RFC 4271 3.1: the prefix is taken as announced if both)."""
        for key in withdrawn:
            self._update(peer, own, key, None)
        for key in announced:
            self._update(peer, own, key, attributes)

    def session(self, peer: Peer, own: Address, *, established: bool) -> None:
        """A change of state."""
        self._add(
            kind=EventKind.SESSION,
            protocol="bgp",
            device=str(own),
            neighbour=str(peer.address),
            on=established,
        )
        for key in () if established else peer.routes:
            self._update(peer, own, key, None)

    def _update(
        self, peer: Peer, own: Address | None, key: int, attributes: Attributes | None
    ) -> None:
        """A prefix is announced with attributes; without any it is withdrawn."""
        told: dict[str, object] = {}
        if attributes is not None:
            told = {
                "as_path": attributes.path,
                "origin": Origin(attributes.origin),
                "med": attributes.med,
                "communities": tuple(
                    canonical_community(one) or one for one in attributes.communities
                ),
            }
        self._add(
            kind=EventKind.BGP_UPDATE,
            protocol="bgp",
            outside=str(peer.address),
            heard_by="" if own is None else str(own),
            at=peer.address,
            prefix=prefix_of(key),
            on=attributes is not None,
            **told,
        )

    def _add(self, **members: object) -> None:
        if self.reader.count != self._record:
            self._record, self._count = self.reader.count, 0
        self._count += 1
        if len(self.made.events) >= MOST_EVENTS:
            self.left_out += 1
            return
        path = self.made.report.path
        time = self.reader.seconds * 1_000_000 + self.reader.micros
        more = f".{self._count}" if self._count > 1 else ""
        name = f"record {self.reader.count}{more}"
        place = Place(path, self.reader.count, 1)
        self.made.events.append(Event(id=name, time=time, place=place, **members))  # type: ignore[arg-type]
