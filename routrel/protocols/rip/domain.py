"""RIP version 2 (RFC 2453) and RIPng (RFC 2080): the tables when nothing changes any more.

A router announces the networks its RIP interfaces are on with metric 1, what it takes in from
elsewhere with the metric given there, and what it has learned while that route is active in its
table, but not out of the interface it was learned by (split horizon, RFC 2453 3.4.3). On the way an
announcement meets the sender's policy and offset, then the cost of the interface it came by, then
the receiver's policy (3.9.2). At 16 a prefix is out of reach. Since every step adds at least 1, the
tables follow from the announcements alone, whatever was believed before.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from routrel.policy.evaluate import sets_metric
from routrel.protocols.contract import Inputs, process_of
from routrel.protocols.rip.announcements import INFINITY, RipNetwork, announced
from routrel.protocols.rip.neighbours import RipRouter, rip_neighbours, rip_routers
from routrel.protocols.rip.result import RipResult
from routrel.protocols.shared.speaking import version_of
from routrel.protocols.shared.vectors import Asked, Told, VectorDomain
from routrel.rib.candidates import Interning, Protocol
from routrel.rib.table import by_table
from routrel.topology.segments import Topology

__all__ = ["RipDomain"]


class RipDomain(VectorDomain[RipRouter]):
    """All RIP routers of one version."""

    runs_on_links = True

    def __init__(self, topology: Topology, protocol: Protocol, interning: Interning) -> None:
        super().__init__(topology, protocol, interning, rip_routers(topology, protocol))
        self.version = version_of(protocol.id)
        self.versions = (self.version,)
        self.processes = tuple(
            process_of(
                protocol, index, router, self.versions,
                router.instance.default_route, distance=router.instance.distance,
            )
            for index, router in enumerate(self.routers)
        )  # fmt: skip

    @cached_property
    def network(self) -> RipNetwork:
        """Routers and directed neighbours, worked out once."""
        return RipNetwork(
            protocol=self.protocol,
            version=self.version,
            interning=self.interning,
            routers=self.routers,
            directed=rip_neighbours(self.topology, self.routers, self.version),
            port_numbers=self.port_numbers,
        )

    def _settle(self, inputs: Inputs, asked: Asked) -> RipResult:
        made = announced(self.network, asked.injected)
        blocked = np.zeros(made.first.shape, dtype=bool)
        for index in range(len(self.routers)):
            blocked[index] = np.isin(made.columns, asked.held[index])
        own = made.first < INFINITY

        def step(told: Told, deaf: frozenset[int]) -> Told:
            heard = made.heard(told, deaf)
            metric, tag = heard.values
            return Told(
                (
                    np.where(own, made.first, np.where(blocked, INFINITY, metric)),
                    np.where(own, made.tag, tag),
                ),
                self._told_elsewhere(heard.learned_by, own),
            )

        rest = self._rest(asked, made.begin, step, made.columns, self._turning_ports)
        return RipResult(
            domain=self,
            inputs=inputs,
            by_table=by_table(made.learned(rest.told)),
            rest=rest,
            announced=made,
        )

    @cached_property
    def _turning_ports(self) -> Sequence[int]:
        """The ports that hear, where a policy between neighbours sets metrics."""
        uses = [
            (port.device, use)
            for router in self.routers
            for port in router.ports
            for use in (port.settings.import_policy, port.settings.export_policy)
            if use is not None
        ]
        if not any(sets_metric(device, use) for device, use in uses):
            return ()
        return sorted({self.port_numbers[h.into.key] for h in self.network.directed})
