"""Connected and local routes as a protocol like others."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass

from routrel.protocols.connected.routes import connected_routes
from routrel.protocols.contract import Domain, Inputs, Result
from routrel.rib.candidates import Interning, Protocol, Table
from routrel.rib.table import RowsByTable, by_table
from routrel.topology.segments import Topology

__all__ = ["ConnectedDomain"]


@dataclass(frozen=True, kw_only=True)
class ConnectedResult(Result):
    """The routes of all interfaces; they rest on nothing."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable


class ConnectedDomain(Domain):
    """The interfaces of all devices."""

    protocol = Protocol.CONNECTED
    versions = (4, 6)
    index_of: Mapping[Table, int] = {}

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.topology, self.interning = topology, interning
        self.routes = connected_routes(topology, interning)

    def asked(self, inputs: Inputs) -> Hashable:
        return ()

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> Result:
        return ConnectedResult(domain=self, inputs=inputs, by_table=by_table(self.routes))
