"""EIGRP tables when no route is active any more (RFC 7868 3, 5.4, 5.5).

Every router takes for each prefix the path of least distance among what its neighbours announce,
and announces that path's vector on while the route is active in its table, but not out of the
interfaces of its successors (split horizon, 5.4.6). On the way an announcement meets the sender's
policy, then the interface it came by, then the receiver's policy. Distances rise with every hop, so
the outcome does not depend on the order of messages. A neighbour is a feasible successor if the
distance it reports is below the router's own (3.4). While a router sums up what it has, its summary
stands for the prefix there: what neighbours tell of it is an echo, or ranks behind it.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from routrel.protocols.contract import Adjacency, Inputs, process_of
from routrel.protocols.eigrp.announcements import EigrpNetwork, announced
from routrel.protocols.eigrp.neighbours import EigrpRouter, Neighbours
from routrel.protocols.eigrp.result import EigrpResult
from routrel.protocols.shared.vectors import Asked, Told, VectorDomain
from routrel.rib.candidates import Interning, Protocol
from routrel.rib.table import by_table
from routrel.topology.segments import Topology

__all__ = ["EigrpDomain"]


class EigrpDomain(VectorDomain[EigrpRouter]):
    """All EIGRP routers."""

    runs_on_links = True

    versions = (4, 6)

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.neighbours = Neighbours(topology)
        super().__init__(topology, Protocol.EIGRP, interning, self.neighbours.routers)
        self.processes = tuple(
            process_of(
                Protocol.EIGRP, index, router, self.versions,
                distance=router.instance.distance,
                external_distance=router.instance.external_distance,
            )
            for index, router in enumerate(self.routers)
        )  # fmt: skip
        self.network = EigrpNetwork(
            interning=interning,
            routers=self.routers,
            directed=self.neighbours.directed,
            port_numbers=self.port_numbers,
        )

    def adjacent(self) -> Iterator[Adjacency]:
        for heard in self.neighbours.directed:
            yield Adjacency.of(heard.out.key, heard.into.key, f"IPv{heard.version}")

    def _settle(self, inputs: Inputs, asked: Asked) -> EigrpResult:
        made = announced(self.network, asked.injected)
        blocked = np.zeros(made.near.shape, dtype=bool)
        for index in range(len(self.routers)):
            blocked[index] = np.isin(made.columns, asked.held[index])
        own = made.first["good"]

        def step(told: Told, _: frozenset[int]) -> Told:
            heard, learned_by = made.heard(told)
            passed = heard.copy()
            passed["good"] &= ~blocked & ~made.summed_up(told)
            return Told((np.where(own, made.first, passed),), self._told_elsewhere(learned_by, own))

        rest = self._rest(asked, made.begin, step, made.columns)
        return EigrpResult(
            domain=self,
            inputs=inputs,
            by_table=by_table(made.learned(rest.told)),
            rest=rest,
            neighbours=self.neighbours,
            announced=made,
        )
