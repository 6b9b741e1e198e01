"""What every routing protocol is to the rest of the engine.

A `Domain` is one protocol in the whole network, set up once from the topology. Given `Inputs` it
computes a `Result`, which never changes and answers everything that is asked later: candidate
paths, why a route is absent, findings. A new protocol is a folder with both, and its line in the
register.
"""

from __future__ import annotations

import typing
from abc import ABC, abstractmethod
from collections.abc import Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address, Prefix
from routrel.model.findings import Finding
from routrel.model.network import Device, Interface, Vrf
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import DefaultRoute, Redistribution
from routrel.policy.redistribute import Injected
from routrel.protocols.evidence import AbsenceStep, CandidatePath, Gap, of_row
from routrel.rib.candidates import DEFAULT_DISTANCE, Interning, Protocol, Rows, Table
from routrel.rib.table import Rib, Route, RowsByTable
from routrel.topology.segments import Attachment, Topology

__all__ = [
    "Adjacency",
    "Domain",
    "Elected",
    "Exchange",
    "Inputs",
    "Instance",
    "InterfaceCost",
    "InterfaceSettings",
    "OtherWay",
    "Process",
    "Result",
    "Results",
    "process_of",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class Process:
    """A protocol in one table, as far as others look at it."""

    protocol: Protocol
    index: int  #: among the speakers of its domain
    table: Table
    device: Device
    vrf: Vrf
    versions: tuple[int, ...]  #: of IP
    redistribute: tuple[Redistribution, ...] = ()
    default_route: DefaultRoute | None = None
    import_policy: PolicyUse | None = None
    networks: tuple[tuple[Prefix, Place], ...] = ()  #: announced because the table holds them
    distances: tuple[int, ...] = ()  #: at which its routes may come to the table

    @property
    def takes_routes(self) -> bool:
        """Whether it announces what other protocols have active in its table."""
        return bool(self.redistribute) or self.default_route is not None


class Instance(typing.Protocol):
    """A protocol's settings in one VRF, as far as all have them."""

    @property
    def redistribute(self) -> tuple[Redistribution, ...]: ...
    @property
    def import_policy(self) -> PolicyUse | None: ...
    @property
    def place(self) -> Place: ...


class InterfaceSettings(typing.Protocol):
    """A protocol's settings at one interface, as far as all have them."""

    @property
    def passive(self) -> bool: ...
    @property
    def place(self) -> Place: ...


class _Speaker(typing.Protocol):
    @property
    def table(self) -> Table: ...
    @property
    def device(self) -> Device: ...
    @property
    def vrf(self) -> Vrf: ...
    @property
    def instance(self) -> Instance: ...


def process_of(
    protocol: Protocol,
    index: int,
    speaker: _Speaker,
    versions: tuple[int, ...],
    default_route: DefaultRoute | None = None,
    *,
    distance: int | None = None,
    external_distance: int | None = None,
) -> Process:
    """A protocol's router as others look at it.

    Args:
        distance: Of its routes as written; None: the protocol's own.
        external_distance: None: as that of others.
    """
    return Process(
        protocol=protocol,
        index=index,
        table=speaker.table,
        device=speaker.device,
        vrf=speaker.vrf,
        versions=versions,
        redistribute=speaker.instance.redistribute,
        default_route=default_route,
        import_policy=speaker.instance.import_policy,
        distances=(
            distance or DEFAULT_DISTANCE[protocol],
            *((external_distance,) if external_distance else ()),
        ),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Inputs:
    """What a protocol takes in for one look at the tables. By index of the speaker where so said.

    A result rests on nothing else, and on the domain.
    """

    view: Rib  #: the tables as they are seen
    injected: Mapping[int, tuple[Injected, ...]] = field(default_factory=dict)  #: by index
    #: By index: the prefixes that the speaker's policy kept out of the table a moment ago.
    kept_out: Mapping[int, NDArray[np.int32]] = field(default_factory=dict)
    #: Which of the ways to rest to take that the protocol leaves open itself; None: its own.
    choice: Hashable = None


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherWay:
    """Another way in which a protocol may rest by itself, with the same inputs."""

    choice: Hashable
    first: tuple[int, ...] = ()  #: the tables that settle before others, where it is known


@dataclass(frozen=True, slots=True, kw_only=True)
class Exchange:
    """Routes that pass from one protocol into another in one table."""

    table: int
    source: Protocol
    into: Protocol
    vrf: Vrf
    prefixes: tuple[int, ...] | None = None  #: which alone may pass; None: any


@dataclass(frozen=True, slots=True, kw_only=True)
class InterfaceCost:
    """What an interface counts outward."""

    key: tuple[str, str]  #: device and interface
    where: str  #: area or level
    cost: int


@dataclass(frozen=True, slots=True, order=True)
class Adjacency:
    """Two interfaces whose routers exchange routes."""

    ends: tuple[tuple[str, str], tuple[str, str]]  #: device and interface of each, in order
    where: str  #: area or level; empty where a protocol has none

    @classmethod
    def of(cls, one: tuple[str, str], other: tuple[str, str], where: str = "") -> Adjacency:
        """The same whichever end is named first."""
        return cls((min(one, other), max(one, other)), where)


@dataclass(frozen=True, slots=True, order=True)
class Elected:
    """A device that has a role of which others have no part."""

    role: str  #: in words
    where: str  #: the network or area that it has it for
    device: str


class Domain(ABC):
    """One protocol in the whole network. Set up once; it holds nothing of what was computed."""

    protocol: Protocol
    topology: Topology
    interning: Interning
    versions: tuple[int, ...]  #: of IP that it carries
    processes: tuple[Process, ...] = ()
    index_of: Mapping[Table, int]
    #: Whether it runs at interfaces, between those on one link.
    runs_on_links = False
    #: Whether it applies import policies to its own rows; else they are applied to them.
    imports_itself = False
    #: Whether policies between neighbours may decide how it rests, whatever the tables are.
    follows_late_routes = False

    @abstractmethod
    def asked(self, inputs: Inputs) -> Hashable:
        """What of the inputs a result rests on: where that is equal, so is the result.

        None: on more than is told by it, so that every look asks anew.
        """

    @abstractmethod
    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> Result:
        """What follows from the inputs.

        Args:
            asked: What they come to by `asked`.
            before: What it made of other inputs, a moment ago. It saves work and changes nothing,
                unless the inputs' choice is to go on from it.
        """

    def instance_in(self, vrf: Vrf) -> Instance | None:
        """Its settings in a VRF; None where it does not run."""
        found: Instance | None = getattr(vrf, self.protocol.id)
        return found

    def settings_of(self, interface: Interface) -> InterfaceSettings | None:
        """Its settings at an interface; None where it does not run."""
        found: InterfaceSettings | None = getattr(interface, self.protocol.id)
        return found

    def looks_at(self) -> Iterator[Table]:
        """The tables whose active routes decide what it offers."""
        return (process.table for process in self.processes if process.takes_routes)

    def speaks_in(self) -> Iterator[Table]:
        """The tables to which it may offer routes."""
        return (process.table for process in self.processes)

    def exchanges(self, rib: Rib) -> Iterator[Exchange]:
        """Where routes pass into it from other protocols, apart from redistribution."""
        return iter(())

    def adjacent(self) -> Iterator[Adjacency]:
        """Who is adjacent; of a network with a designated router, each of the others with it."""
        return iter(())

    def nearest_return(self, table: Table, result: Result, prefixes: NDArray[np.int32]) -> int:
        """The lowest distance at which routes to some prefixes may come to a table it speaks in.

        Rules of the device that change distances are not looked at.
        """
        return min(self.processes[self.index_of[table]].distances)

    def process_in(self, table: Table) -> Process | None:
        """Its process in a table."""
        index = self.index_of.get(table)
        return self.processes[index] if index is not None and index < len(self.processes) else None


class Result(ABC):
    """What a protocol made of its inputs. Never changed once made."""

    domain: Domain
    inputs: Inputs
    #: Its routes, by number of the table; what did not change since an earlier result is the same
    #: object as there.
    by_table: RowsByTable
    #: Whether `reasons` say what makes candidate paths unusable, so that nobody else need.
    tells_unusable = False

    def with_rows(self, rows: RowsByTable) -> Result:
        """The same with other objects for its rows, which are equal."""
        result: Result = replace(self, by_table=rows)  # type: ignore[type-var]
        return result

    @property
    def oscillating(self) -> frozenset[tuple[int, int]]:
        """Tables and prefixes, by number, whose routes never come to rest inside the protocol."""
        return frozenset()

    @property
    def searched(self) -> bool:
        """Whether the search for its other ways to rest was made to its end."""
        return True

    def other_ways(self) -> Iterator[OtherWay]:
        """The other ways in which it may rest with the same inputs."""
        return iter(())

    def deciding_places(self, table: Table) -> Iterator[Place]:
        """The lines by which a table treats neighbours, where that decides how it rests."""
        return iter(())

    def advertisers(self, row: Rows) -> Iterable[Address]:
        """Who advertises the route of a row: its next hops, which are neighbours."""
        hops = self.domain.interning.next_hops.sets[row["next_hops"]]
        return [hop.address for hop in hops if hop.address is not None]

    def announced_prefixes(self) -> Iterable[int]:
        """The numbers of prefixes that are announced in it, whether or not a table holds them."""
        return ()

    def costs(self) -> Iterator[InterfaceCost]:
        """What its interfaces count outward; passive ones do not."""
        return iter(())

    def elected(self) -> Iterator[Elected]:
        """Who was elected for what."""
        return iter(())

    # --- why -----------------------------------------------------------------------------------

    def explains(self, route: Route) -> bool:
        """Whether `candidates` has the paths that a row of its own stands for."""
        return False

    def of_row(self, rib: Rib, route: Route) -> CandidatePath:
        """The candidate path of a row that `candidates` does not explain."""
        return of_row(route)

    def candidates(self, rib: Rib, table: int, prefix: int) -> Iterable[CandidatePath]:
        """What it knows of a prefix at a table, usable or not, beyond the rows themselves."""
        index = self.domain.index_of.get(rib.interning.tables[table])
        return () if index is None else self.known_to(index, rib, prefix)

    def known_to(self, index: int, rib: Rib, prefix: int) -> Iterable[CandidatePath]:
        """As `candidates`, of the speaker of an index."""
        return ()

    def doubts(self, prefix: Prefix) -> Iterator[str]:
        """Why the routes to a prefix are not certain inside the protocol, in words."""
        return iter(())

    def findings(self) -> Iterator[Finding]:
        """What is suspicious about it."""
        return iter(())

    def reasons(self, table: int, prefix: int) -> Iterator[AbsenceStep]:
        """What of its own it knows to keep a prefix from a table."""
        return iter(())

    def unusable(self, wanted: Prefix | Address) -> Iterator[AbsenceStep]:
        """What is configured somewhere for a prefix, or for one that holds an address, in vain."""
        return iter(())

    def in_other_tables(
        self, rib: Rib, table: int, holders: Mapping[int, Route]
    ) -> Iterator[AbsenceStep]:
        """Why a table does not have what other tables of its device have.

        Args:
            holders: By number: the tables that have an active route to the prefix.
        """
        return iter(())

    def joins(self, gap: Gap) -> bool:
        """Whether it carries routes between the two ends of a gap, though it asks for no link."""
        return False

    def hears(self, gap: Gap, here: Attachment, there: Attachment) -> Iterator[AbsenceStep]:
        """Why the two ends of a link that both run it do not hear each other; nothing: they do."""
        return iter(())

    def listens(self, gap: Gap, end: Attachment) -> bool:
        """Whether a passive interface takes what neighbours tell there."""
        return False

    def inside(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        """Why two that hear each other do not share a route that the upstream one has in it."""
        return iter(())

    def into(self, gap: Gap, route: Route) -> Iterator[AbsenceStep]:
        """Why the upstream end does not announce a route of another protocol into it."""
        return iter(())

    def originates(self, gap: Gap) -> Iterator[AbsenceStep]:
        """What the downstream end tells of the prefix itself, though it has no route to it."""
        return iter(())

    def can_announce(self, injected: Injected) -> bool:
        """Whether it can announce what it took in."""
        return True

    def cannot_take(self, device: str, item: Redistribution, source: str) -> AbsenceStep | None:
        """Why it cannot announce what a redistribution of a source takes; None: it can.

        Args:
            source: The protocol taken from, in words.
        """
        return None


Results = Mapping[Protocol, Result]
