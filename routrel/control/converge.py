"""From a network to its tables: every protocol, then selection, until nothing changes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from routrel.control.connected import connected_routes
from routrel.control.ospf.adjacency import Adjacencies, find_adjacencies, ospf_findings
from routrel.control.ospf.areas import ospf_routes
from routrel.control.ospf.speakers import OspfRouter, ospf_routers
from routrel.control.rib.candidates import Interning
from routrel.control.rib.table import Rib
from routrel.control.static import StaticOutcome, resolve_static_routes
from routrel.model.findings import Finding, Severity, finding_order
from routrel.model.network import Network
from routrel.topology.findings import topology_findings
from routrel.topology.segments import Topology, build_topology

__all__ = ["State", "converge"]


@dataclass(frozen=True, kw_only=True)
class State:
    """A converged network: a value that answers every question about it."""

    network: Network
    topology: Topology
    rib: Rib
    ospf: tuple[OspfRouter, ...]
    adjacencies: Adjacencies
    static: tuple[StaticOutcome, ...]
    unsettled: tuple[StaticOutcome, ...]  #: static routes without a stable resolution

    @property
    def converged(self) -> bool:
        """Whether routing has a stable answer."""
        return not self.unsettled

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """Everything suspicious about the model, errors first."""
        found = topology_findings(self.topology)
        found.extend(ospf_findings(self.topology, self.ospf, self.adjacencies))
        found.extend(_static_findings(self.static))
        return tuple(sorted(found, key=finding_order))


def converge(network: Network) -> State:
    """Compute the tables of every device.

    Protocols that do not depend on the tables come first; static routes, which resolve through
    the tables, are added until nothing changes.
    """
    topology = build_topology(network)
    interning = Interning(network)
    routers = tuple(ospf_routers(topology))
    adjacencies = find_adjacencies(topology, routers)
    learned = np.concatenate(
        [connected_routes(topology, interning), ospf_routes(routers, adjacencies, interning)]
    )
    result = resolve_static_routes(topology, interning, learned)
    return State(
        network=network,
        topology=topology,
        rib=result.rib,
        ospf=routers,
        adjacencies=adjacencies,
        static=result.outcomes,
        unsettled=result.unsettled,
    )


def _static_findings(outcomes: tuple[StaticOutcome, ...]) -> list[Finding]:
    return [
        Finding(
            severity=Severity.WARNING,
            code="static_unusable",
            text=f"{outcome.table[0]}: the route to {outcome.route.to} is not used: "
            f"{outcome.problem}",
            suggestion="correct the next hop, or give the device a route to it",
            place=outcome.route.place,
            device=outcome.table[0],
        )
        for outcome in outcomes
        if outcome.problem
    ]
