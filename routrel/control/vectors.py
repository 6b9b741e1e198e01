"""What distance-vector protocols share: when they settle anew, and what they leave open."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from routrel.control.redistribute import Injected, injected_key
from routrel.control.rib.candidates import Interning, Protocol, Rows
from routrel.control.rib.table import Rib

__all__ = ["Held", "VectorDomain"]

#: By router index: the prefixes its table holds active under another protocol.
Held = Mapping[int, NDArray[np.int32]]


class VectorDomain(ABC):
    """All routers of a protocol that passes on what is active in each one's table."""

    def __init__(self, protocol: Protocol, interning: Interning, routers: Sequence[Any]) -> None:
        self.protocol, self.interning = protocol, interning
        self.routers = tuple(routers)
        self.index_of = {router.table: index for index, router in enumerate(self.routers)}
        self.unsettled: set[tuple[int, int]] = set()  #: tables and prefixes that never settle
        #: A number for each port of all routers.
        self.port_numbers: dict[tuple[str, str], int] = {}
        self._port_owners: list[int] = []  #: by port number: the index of its router
        for index, router in enumerate(self.routers):
            for port in router.ports:
                self.port_numbers[port.key] = len(self._port_owners)
                self._port_owners.append(index)
        self._last: tuple[object, Rows] | None = None

    def rows(self, view: Rib, injected: Mapping[int, Sequence[Injected]]) -> Rows:
        """The routes of all routers, worked out anew only if what they rest on has changed.

        Args:
            view: The tables that decide which learned routes are active and so passed on.
            injected: By router index: what it takes in from elsewhere.
        """
        tables = self.interning.table_numbers
        held = {
            index: view.held_by_others(tables[router.table], self.protocol)
            for index, router in enumerate(self.routers)
        }
        key = (injected_key(injected), tuple(prefixes.tobytes() for prefixes in held.values()))
        if self._last is None or self._last[0] != key:
            self._last = (key, self._settle(held, injected))
        return self._last[1]

    @abstractmethod
    def _settle(self, held: Held, injected: Mapping[int, Sequence[Injected]]) -> Rows:
        """The routes when nothing changes any more."""

    def _told_elsewhere(
        self, learned_by: NDArray[np.bool_], own: NDArray[np.bool_]
    ) -> NDArray[np.bool_]:
        """Split horizon: [port, column] of what a router learned there and so does not tell there.

        Args:
            learned_by: [port, column] of the ways a router takes.
            own: [router, column] of what a router announces of its own, everywhere.
        """
        return learned_by & ~own[self._port_owners]

    def _still_moving(self, moving: NDArray[np.bool_], columns: NDArray[np.int32]) -> None:
        """Keep what did not settle: [router, column] of prefixes."""
        tables = self.interning.table_numbers
        self.unsettled = {
            (tables[self.routers[index].table], int(columns[column]))
            for index, column in np.argwhere(moving).tolist()
        }
