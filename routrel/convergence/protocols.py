"""Every protocol of a network side by side: from one look at the tables to the next."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from routrel.convergence.memory import Memory
from routrel.convergence.pinned import pinned_tables
from routrel.model.addresses import Address, Prefix
from routrel.model.network import Network, Vrf
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.policy.distances import with_distances
from routrel.policy.redistribute import Injected, injected_routes, let_in, taken_protocols
from routrel.protocols.contract import Domain, Inputs, Process, Result, Results
from routrel.protocols.register import domains
from routrel.rib.candidates import GUARDS, Interning, Protocol, Rows, Table, joined, no_rows
from routrel.rib.table import Blocks, Rib, RowsByTable, TableRows
from routrel.topology.segments import Topology

__all__ = ["Choices", "Late", "Look", "Protocols"]

#: By protocol: which of the ways to rest to take that it leaves open itself.
Choices = Mapping[Protocol, Hashable]
#: By index of a process: the prefixes that its policy kept out of the table.
KeptOut = Mapping[int, NDArray[np.int32]]
#: By table: the protocols whose rows nobody is to see there yet.
Late = Mapping[int, frozenset[Protocol]]

#: How many looks are kept, and how many rows they may have in all but the latest two.
_MOST_LOOKS = 64
_MOST_LOOK_ROWS = 1_000_000
_NOTHING = np.zeros(0, dtype=np.int32)


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """The tables at one moment, and what every protocol made of those a moment before."""

    rib: Rib
    results: Results = field(default_factory=dict)
    kept_out: Mapping[Protocol, KeptOut] = field(default_factory=dict)

    @property
    def parts(self) -> tuple[object, ...]:
        """What the next look rests on, by identity."""
        kept = (id(out) for each in self.kept_out.values() for out in each.values())
        return (*map(id, self.rib.tables), *kept)

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
        memory: What its computation left; it is not changed.
    """

    def __init__(
        self,
        topology: Topology,
        interning: Interning,
        since: Results | None = None,
        memory: Memory | None = None,
    ) -> None:
        self.topology, self.interning = topology, interning
        self.memory = memory.onward() if memory else Memory()
        self.network: Network = topology.network
        #: The latest looks by what was asked, with that from which each began.
        self._looks: dict[Hashable, tuple[Look, Look]] = {}
        self.pinned = pinned_tables(topology, interning)
        self.domains: dict[Protocol, Domain] = {
            domain.protocol: domain
            for domain in domains(topology, interning, since or {}, self.memory.parts)
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
        nothing = Rib.of_rows(self.interning, no_rows())
        domain, inputs = self.domains[Protocol.CONNECTED], Inputs(view=nothing)
        own = self._result(domain, inputs, domain.asked(inputs), None)
        return Look(rib=self._tables({Protocol.CONNECTED: own}, [own.by_table], {}))

    def look(
        self,
        seen: Look,
        choices: Choices | None = None,
        late: Late | None = None,
    ) -> Look:
        """What all protocols make of the tables as they are seen, or made of them before."""
        key = *seen.parts, tuple((late or {}).items()), tuple((choices or {}).items())
        known = self._looks.get(key)
        if known is not None:
            return known[1]
        injected = self._injected(seen.rib)
        asked: list[Hashable] = []
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
            asked.append(domain.asked(inputs))
            results[protocol] = self._result(domain, inputs, asked[-1], before)
        blocks, kept_out = self._let_in(results)
        rib = self._tables(results, blocks, late or {})
        made = Look(rib=rib, results=results, kept_out=kept_out)
        if None not in asked:
            self._keep(key, seen, made)
        return made

    def _keep(self, key: Hashable, seen: Look, made: Look) -> None:
        """Remember a look; what was long ago is forgotten."""
        rows = sum(map(len, made.rib.tables))
        while len(self._looks) >= min(_MOST_LOOKS, 2 + _MOST_LOOK_ROWS // (rows + 1)):
            del self._looks[next(iter(self._looks))]
        self._looks[key] = seen, made

    def _result(
        self, domain: Domain, inputs: Inputs, asked: Hashable, before: Result | None
    ) -> Result:
        """What a protocol makes of its inputs, or made of them before."""
        known = None if asked is None else self.memory.result(domain, asked)
        if known is not None:
            return known
        made = domain.compute(inputs, asked, before)
        latest = before.by_table if before is not None else None
        made = made.with_rows(self.memory.shared(domain.protocol, made.by_table, latest))
        if asked is not None:
            self.memory.keep(asked, made)
        return made

    def _let_in(
        self, results: Mapping[Protocol, Result]
    ) -> tuple[list[RowsByTable], Mapping[Protocol, KeptOut]]:
        """What policies let into tables of each protocol, and what they keep out; that stays there.

        What guards against loops is let in all the same; vectors pass nothing on that is kept out.
        """
        blocks = {protocol: result.by_table for protocol, result in results.items()}
        kept_out: dict[Protocol, dict[int, NDArray[np.int32]]] = {}
        for process, use in self._importing:
            table = self.interning.table_numbers[process.table]
            offered = blocks[process.protocol].get(table)
            place = ("import", process.protocol, process.table)
            out = _NOTHING
            if offered is not None:
                parts = (process.device, *offered)
                make = partial(self._import, process, use, joined(offered))
                rows, out = self.memory.parts.of(place, parts, make)
                blocks[process.protocol] = {**blocks[process.protocol], table: (rows,)}
            kept_out.setdefault(process.protocol, {})[process.index] = out
        return list(blocks.values()), kept_out

    def _import(
        self, process: Process, use: PolicyUse, rows: Rows
    ) -> tuple[Rows, NDArray[np.int32]]:
        """What a policy lets in of a process's rows, and the prefixes that it keeps out."""
        guards = np.isin(self.interning.kinds.path_types[rows["kind"]], GUARDS)
        accepted = let_in(self.interning, process.device, use, rows)
        return rows.compress(accepted | guards), rows["prefix"][~accepted].copy()

    @cached_property
    def _importing(self) -> tuple[tuple[Process, PolicyUse], ...]:
        """Those whose rows meet a policy on their way into the table, with it."""
        return tuple(
            (process, process.import_policy)
            for process in self.processes
            if process.import_policy and not self.domains[process.protocol].imports_itself
        )

    def _tables(
        self, results: Mapping[Protocol, Result], blocks: Sequence[RowsByTable], late: Late
    ) -> Rib:
        """All tables of what protocols offer; one that is made of the same blocks stays itself."""
        made = []
        nobody: frozenset[Protocol] = frozenset()
        offered: list[Blocks] = [()] * len(self.interning.tables)
        for each in blocks:
            for table, offers in each.items():
                offered[table] += offers
        for table, parts in enumerate(offered):
            if table in self.pinned:
                made.append(self.pinned[table].rows)
                continue
            hidden, vrf = late.get(table, nobody), self._with_distances.get(table)
            if vrf is not None:
                # Distances rest on who advertises, so on more than the rows.
                rows = self._with_own_distances(vrf, parts, results)
                made.append(self._table(table, (rows,), hidden))
            else:
                make = partial(self._table, table, parts, hidden)
                made.append(self.memory.tables.of((table, hidden), parts, make))
        return Rib(self.interning, made)

    def _table(self, table: int, blocks: Blocks, hidden: frozenset[Protocol]) -> TableRows:
        kinds = self.interning.kinds
        for protocol in hidden:
            blocks = tuple(rows.compress(~kinds.of(protocol)[rows["kind"]]) for rows in blocks)
        return self.memory.table(table, TableRows(blocks, kinds))

    @cached_property
    def _with_distances(self) -> dict[int, Vrf]:
        """By table: the VRFs that set distances of some routes."""
        return {
            self.interning.table_numbers[device.name, vrf.name]: vrf
            for device in self.network.devices
            for vrf in device.vrfs
            if vrf.distances
        }

    def _with_own_distances(
        self, vrf: Vrf, parts: Blocks, results: Mapping[Protocol, Result]
    ) -> Rows:
        def advertisers(protocol: Protocol, row: Rows) -> Iterable[Address]:
            return results[protocol].advertisers(row)

        rows = joined(parts)
        return with_distances(vrf, self.interning, rows, advertisers)

    def _injected(self, view: Rib) -> dict[Protocol, dict[int, tuple[Injected, ...]]]:
        """What each process takes in of the tables, by protocol and index."""
        found: dict[Protocol, dict[int, tuple[Injected, ...]]] = {}
        for process in self._taking:
            held = view.tables[self.interning.table_numbers[process.table]]
            place = ("taken", process.protocol, process.table)
            make = partial(self._take, process, held)
            items = self.memory.parts.of(place, (process.device, held), make)
            found.setdefault(process.protocol, {})[process.index] = items
        return found

    def _take(self, process: Process, held: TableRows) -> tuple[Injected, ...]:
        """What a process takes in of a table; that rests on the protocols taken from alone."""
        kinds, active = self.interning.kinds, held.active
        wanted = np.zeros(len(kinds.kinds), dtype=bool)
        for source in taken_protocols(process.redistribute):
            wanted |= kinds.of(source)
        wanted = wanted[active["kind"]]
        if process.default_route is not None:
            for version in process.versions:
                wanted |= active["prefix"] == self.interning.default_prefix(version)
        if process.vrf.withheld:
            kept = {prefix for each, prefix in process.vrf.withheld if each == process.protocol.id}
            numbers = [self.interning.prefixes.add(prefix) for prefix in kept]
            wanted &= ~np.isin(active["prefix"], numbers)
        rows = active.compress(wanted)
        place = ("taken of", process.protocol, process.table)
        make = partial(self._taken, process, rows)
        found: tuple[Injected, ...] = self.memory.parts.of(
            place, (process.device, rows.tobytes()), make
        )
        return found

    @cached_property
    def _taking(self) -> tuple[Process, ...]:
        """Those that announce what other protocols have active."""
        return tuple(process for process in self.processes if process.takes_routes)

    def _taken(self, process: Process, active: Rows) -> tuple[Injected, ...]:
        return tuple(
            injected_routes(
                self.interning,
                process.device,
                process.vrf,
                active,
                process.versions,
                process.redistribute,
                process.default_route,
                process.protocol,
            )
        )
