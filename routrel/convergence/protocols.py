"""Every protocol of a network side by side: from one look at the tables to the next."""

from __future__ import annotations

from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address, Prefix
from routrel.model.network import Network
from routrel.model.place import Place
from routrel.policy.distances import with_distances
from routrel.policy.redistribute import Injected, injected_routes, let_in
from routrel.protocols.contract import Domain, Inputs, Process, Result, Results
from routrel.protocols.register import domains
from routrel.rib.candidates import GUARDS, Interning, Protocol, Rows, Table, no_rows
from routrel.rib.table import Rib
from routrel.topology.segments import Topology

__all__ = ["Choices", "Look", "Protocols"]

#: By protocol: which of the ways to rest to take that it leaves open itself.
Choices = Mapping[Protocol, Hashable]
#: By index of a process: the prefixes that its policy kept out of the table.
KeptOut = Mapping[int, NDArray[np.int32]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """The tables at one moment, and what every protocol made of those a moment before."""

    rib: Rib
    results: Results = field(default_factory=dict)
    kept_out: Mapping[Protocol, KeptOut] = field(default_factory=dict)

    def deciding_places(self, table: Table, prefixes: Collection[Prefix]) -> Iterator[Place]:
        """The lines by which a table's routes to some prefixes pass from protocol to protocol.

        Where it passes none, the policies by which its neighbours are treated in a vector.
        """
        default = any(prefix.prefixlen == 0 for prefix in prefixes)
        for result in self.results.values():
            process = result.domain.process_in(table)
            if process is None:
                continue
            yield from (item.place for item in process.redistribute)
            if process.default_route is not None and default:
                yield process.default_route.place
            yield from (place for prefix, place in process.networks if prefix in prefixes)
        for result in self.results.values():
            yield from result.deciding_places(table)


class Protocols:
    """The domains of all protocols, set up once for a network.

    Args:
        since: What they came to in much the same network, of whose numbering `interning` is a copy.
    """

    def __init__(
        self, topology: Topology, interning: Interning, since: Results | None = None
    ) -> None:
        self.topology, self.interning = topology, interning
        self.network: Network = topology.network
        self.domains: dict[Protocol, Domain] = {
            domain.protocol: domain for domain in domains(topology, interning, since or {})
        }

    @property
    def processes(self) -> Iterator[Process]:
        """All protocols in all tables, in the order of their computation."""
        return (process for domain in self.domains.values() for process in domain.processes)

    @property
    def dependent_tables(self) -> set[int]:
        """The tables whose active routes decide what other tables hold."""
        numbers = self.interning.table_numbers
        return {numbers[table] for domain in self.domains.values() for table in domain.looks_at()}

    def begin(self) -> Look:
        """The tables before any protocol has looked at others: interfaces alone."""
        nothing = Rib(self.interning, no_rows())
        own = self.domains[Protocol.CONNECTED].compute(Inputs(view=nothing), None)
        return Look(rib=Rib(self.interning, own.rows))

    def look(
        self,
        seen: Look,
        choices: Choices | None = None,
        late: Callable[[Rows], Rows] | None = None,
    ) -> Look:
        """What all protocols make of the tables as they are seen.

        Args:
            late: Takes away the rows that nobody is to see yet.
        """
        injected = self._injected(seen.rib)
        results: dict[Protocol, Result] = {}
        for protocol, domain in self.domains.items():
            inputs = Inputs(
                view=seen.rib,
                injected=injected.get(protocol, {}),
                kept_out=seen.kept_out.get(protocol, {}),
                choice=(choices or {}).get(protocol),
            )
            before = seen.results.get(protocol)
            if before is not None and before.domain is not domain:
                before = None  # of another network, or of files that stand elsewhere
            results[protocol] = domain.compute(inputs, before)
        blocks = [result.rows for result in results.values() if len(result.rows)]
        rows = np.concatenate(blocks or [results[Protocol.CONNECTED].rows])
        rows, kept_out = self._into_tables(rows)

        def advertisers(protocol: Protocol, row: Rows) -> Iterable[Address]:
            return results[protocol].advertisers(row)

        rows = with_distances(self.network, self.interning, rows, advertisers)
        rib = Rib(self.interning, late(rows) if late else rows)
        return Look(rib=rib, results=results, kept_out=kept_out)

    def _into_tables(self, rows: Rows) -> tuple[Rows, dict[Protocol, dict[int, NDArray[np.int32]]]]:
        """Without what policies keep out of tables, and that; vectors pass none of it on."""
        keep = np.ones(len(rows), dtype=bool)
        kinds, tables = self.interning.kinds, self.interning.table_numbers
        guards = np.array([kind.path_type in GUARDS for kind in kinds.kinds], dtype=bool)
        kept_out: dict[Protocol, dict[int, NDArray[np.int32]]] = {}
        for process in self.processes:
            use = process.import_policy
            if use is None or self.domains[process.protocol].imports_itself:
                continue
            theirs = kinds.of(process.protocol)[rows["kind"]]
            mine = np.flatnonzero((rows["table"] == tables[process.table]) & theirs)
            out = mine[~let_in(self.interning, process.device, use, rows[mine])]
            keep[out] = guards[rows["kind"][out]]
            kept_out.setdefault(process.protocol, {})[process.index] = rows["prefix"][out]
        return (rows if keep.all() else rows[keep]), kept_out

    def _injected(self, view: Rib) -> dict[Protocol, dict[int, tuple[Injected, ...]]]:
        """What each process takes in of the tables, by protocol and index."""
        found: dict[Protocol, dict[int, tuple[Injected, ...]]] = {}
        for process in self.processes:
            if process.takes_routes:
                items = injected_routes(
                    self.interning,
                    process.device,
                    process.vrf,
                    view.table_rows(self.interning.table_numbers[process.table]),
                    process.versions,
                    process.redistribute,
                    process.default_route,
                    process.protocol,
                )
                found.setdefault(process.protocol, {})[process.index] = tuple(items)
        return found
