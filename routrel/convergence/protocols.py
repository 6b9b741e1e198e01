"""Every protocol of a network side by side: from one view of the tables to all candidates."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Address, Prefix
from routrel.model.network import Network
from routrel.model.place import Place
from routrel.policy.distances import with_distances
from routrel.policy.redistribute import Injected, injected_routes, let_in
from routrel.protocols.bgp.domain import BgpDomain, BgpMemory
from routrel.protocols.bgp.explaining import offers
from routrel.protocols.connected.routes import connected_routes
from routrel.protocols.eigrp.domain import EigrpDomain
from routrel.protocols.isis.domain import IsisDomain
from routrel.protocols.leaked.routes import leak_offers, leaked_rows, takes_in
from routrel.protocols.ospf.domain import OspfDomain
from routrel.protocols.rip.domain import RipDomain
from routrel.protocols.shared.speaking import version_of
from routrel.protocols.shared.vectors import VectorDomain
from routrel.protocols.static.routes import StaticResult, StaticRoutes
from routrel.rib.candidates import GUARDS, Interning, Protocol, Rows, Table
from routrel.rib.table import Rib
from routrel.topology.segments import Topology

__all__ = ["Protocols", "Taking"]


@dataclass(frozen=True, slots=True)
class Taking:
    """One process that takes routes in from its table."""

    protocol: Protocol
    index: int  #: among the routers of its domain
    table: Table
    versions: tuple[int, ...]
    settings: Any  #: the instance, with `redistribute` and perhaps `default_route`


class Protocols:
    """The domains of all protocols, and what each takes from the tables."""

    def __init__(
        self, topology: Topology, interning: Interning, memory: BgpMemory | None = None
    ) -> None:
        self.topology, self.interning = topology, interning
        self.network: Network = topology.network
        self.connected = connected_routes(topology, interning)
        self.ospf = {
            protocol: OspfDomain(topology, protocol, interning)
            for protocol in (Protocol.OSPF, Protocol.OSPFV3)
        }
        self.rip = {
            protocol: RipDomain(topology, protocol, interning)
            for protocol in (Protocol.RIP, Protocol.RIPNG)
        }
        self.eigrp = EigrpDomain(topology, interning)
        self.isis = IsisDomain(topology, interning)
        self.bgp = BgpDomain(topology, interning, memory)
        self.static = StaticResult(self.connected[:0], (), (), depends=True)
        self._static_routes = StaticRoutes(topology, interning)
        self.injected: dict[Protocol, dict[int, list[Injected]]] = {}
        #: By protocol and router: the prefixes that its policy kept out of the table last.
        self.kept_out: dict[tuple[Protocol, int], NDArray[np.int32]] = {}
        self.taking = tuple(self._takers())

    def _takers(self) -> Iterator[Taking]:
        speakers: list[tuple[Protocol, Iterable[Any]]] = [
            *((protocol, domain.routers) for protocol, domain in self.ospf.items()),
            *((protocol, domain.routers) for protocol, domain in self.rip.items()),
            (Protocol.EIGRP, self.eigrp.routers),
            (Protocol.ISIS, self.isis.systems),
            (Protocol.BGP, self.bgp.routers),
        ]
        for protocol, routers in speakers:
            both = protocol in (Protocol.EIGRP, Protocol.ISIS, Protocol.BGP)
            versions = (4, 6) if both else (version_of(protocol.id),)
            for index, router in enumerate(routers):
                yield Taking(protocol, index, router.table, versions, router.instance)

    @property
    def vectors(self) -> tuple[VectorDomain, ...]:
        """The protocols whose routers pass on what is active in their tables."""
        return (*self.rip.values(), self.eigrp)

    def speaking_tables(self, protocol: Protocol) -> set[int]:
        """The tables in which a protocol runs; for leaked routes those that take some in."""
        if protocol is Protocol.LEAKED:
            tables = {
                (device.name, vrf.name)
                for device in self.network.devices
                for vrf in device.vrfs
                if takes_in(vrf)
            }
        else:
            tables = {taking.table for taking in self.taking if taking.protocol is protocol}
        return {self.interning.table_numbers[table] for table in tables}

    @property
    def dependent_tables(self) -> set[int]:
        """The tables whose active routes decide what other tables hold."""
        tables = {
            taking.table
            for taking in self.taking
            if taking.settings.redistribute or getattr(taking.settings, "default_route", None)
        }
        for domain in self.vectors:
            tables.update(router.table for router in domain.routers)
        for device in self.network.devices:
            offering = {
                offer.source.name for vrf in device.vrfs for offer in leak_offers(device, vrf)
            }
            for vrf in device.vrfs:
                if vrf.name in offering or vrf.static or vrf.bgp or device.gateways:
                    tables.add((device.name, vrf.name))
        return {self.interning.table_numbers[table] for table in tables}

    def rows(self, view: Rib) -> Rows:
        """All candidates, given the tables that redistribution and resolution look at."""
        self.injected = self._injected(view)
        self.static = self._static_routes.resolved(view)
        blocks = [
            self.connected,
            self.static.rows,
            *(d.rows(view, self.injected.get(p, {}), self.kept_out) for p, d in self.rip.items()),
            self.eigrp.rows(view, self.injected.get(Protocol.EIGRP, {}), self.kept_out),
            *(d.rows(self.injected.get(p, {})) for p, d in self.ospf.items()),
            self.isis.rows(self.injected.get(Protocol.ISIS, {})),
            self.bgp.rows(view, self.injected.get(Protocol.BGP, {})),
            leaked_rows(self.network, self.interning, view),
        ]
        rows = np.concatenate([block for block in blocks if len(block)] or [self.connected])
        rows = self._into_tables(rows)
        return with_distances(self.network, self.interning, rows, self.advertisers)

    def _into_tables(self, rows: Rows) -> Rows:
        """Without what policies keep out of tables; vectors pass none of that on.

        Those of OSPF are met in its own domain.
        """
        keep = np.ones(len(rows), dtype=bool)
        kinds, tables = self.interning.kinds, self.interning.table_numbers
        guards = np.array([kind.path_type in GUARDS for kind in kinds.kinds], dtype=bool)
        self.kept_out = {}
        for taking in self.taking:
            use = taking.settings.import_policy
            if use is None or taking.protocol in self.ospf:
                continue
            device = self.topology.devices[taking.table[0]]
            theirs = kinds.of(taking.protocol)[rows["kind"]]
            mine = np.flatnonzero((rows["table"] == tables[taking.table]) & theirs)
            out = mine[~let_in(self.interning, device, use, rows[mine])]
            keep[out] = guards[rows["kind"][out]]
            self.kept_out[taking.protocol, taking.index] = rows["prefix"][out]
        return rows if keep.all() else rows[keep]

    def deciding_places(self, table: int, prefixes: Collection[Prefix]) -> Iterator[Place]:
        """The lines by which a table's routes to some prefixes pass from protocol to protocol.

        Where it passes none, the policies by which its neighbours are treated in a vector.
        """
        name = self.interning.tables[table]
        default = any(prefix.prefixlen == 0 for prefix in prefixes)
        for taking in self.taking:
            if taking.table != name:
                continue
            yield from (item.place for item in taking.settings.redistribute)
            stated = getattr(taking.settings, "default_route", None)
            if stated is not None and default:
                yield stated.place
            for network in getattr(taking.settings, "networks", ()):
                if network.prefix in prefixes:
                    yield network.place
        for domain in self.vectors:
            index = domain.index_of.get(name)
            if index is not None and domain.outcomes > 1:
                for port in domain.routers[index].ports:
                    for use in (port.settings.import_policy, port.settings.export_policy):
                        if use is not None:
                            yield use.place

    def ospf_domain(self, protocol: str) -> OspfDomain:
        """The OSPF of a version, by its identifier."""
        return self.ospf[Protocol[protocol.upper()]]

    def _injected(self, view: Rib) -> dict[Protocol, dict[int, list[Injected]]]:
        found: dict[Protocol, dict[int, list[Injected]]] = {}
        devices = self.topology.devices
        for taking in self.taking:
            default_route = getattr(taking.settings, "default_route", None)
            if not taking.settings.redistribute and default_route is None:
                continue
            device = devices[taking.table[0]]
            vrf = device.vrf(taking.table[1])
            if vrf is None:
                raise ValueError(f"{taking.table[0]} has no VRF {taking.table[1]}")
            items = injected_routes(
                self.interning,
                device,
                vrf,
                view.table_rows(self.interning.table_numbers[taking.table]),
                taking.versions,
                taking.settings.redistribute,
                default_route,
                taking.protocol,
            )
            found.setdefault(taking.protocol, {})[taking.index] = items
        return found

    def advertisers(self, protocol: Protocol, row: Any) -> Iterable[Address]:
        """Who advertises the route of a row.

        For OSPF router ids, for BGP the addresses of the neighbours whose paths are used, else the
        next hops, which are neighbours.
        """
        if protocol in self.ospf:
            domain = self.ospf[protocol]
            index = domain.index_of[self.interning.tables[row["table"]]]
            paths = domain.paths(index, int(row["prefix"]))
            return [path.advertiser for path in paths if path.lost_on is None]
        if protocol is Protocol.BGP:
            index = self.bgp.index_of[self.interning.tables[row["table"]]]
            return [
                offer.hearing.sender_address
                for offer in offers(self.bgp, index, int(row["prefix"]))
                if offer.lost_on is None and offer.hearing is not None
            ]
        hops = self.interning.next_hops.sets[row["next_hops"]]
        return [hop.address for hop in hops if hop.address is not None]
