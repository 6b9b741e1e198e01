"""Connected and local routes as a protocol like others."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from functools import partial

from routrel.model.network import Device
from routrel.protocols.connected.routes import connected_routes
from routrel.protocols.contract import Domain, Inputs, Result
from routrel.protocols.shared.recent import Parts
from routrel.rib.candidates import Interning, Protocol, Table
from routrel.rib.table import Blocks, RowsByTable, by_table
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

    def __init__(self, topology: Topology, interning: Interning, parts: Parts) -> None:
        """
        Args:
            parts: Holds the routes of devices as they were made; more is added.
        """
        self.topology, self.interning, self._parts = topology, interning, parts

    def asked(self, inputs: Inputs) -> Hashable:
        return ()

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> Result:
        found: dict[int, Blocks] = {}
        for device in self.topology.network.devices:
            parts = (device, self.topology.carrying(device))
            make = partial(self._routes, device)
            found.update(self._parts.of(("connected", device.name), parts, make))
        return ConnectedResult(domain=self, inputs=inputs, by_table=found)

    def _routes(self, device: Device) -> RowsByTable:
        return by_table(connected_routes(device, self.topology, self.interning))
