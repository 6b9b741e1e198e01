"""What is suspicious about routing: refused neighbours, unusable routes, risky redistribution."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from routrel.convergence.protocols import Protocols
from routrel.model.findings import Finding, Severity
from routrel.model.network import ROUTING_PROTOCOLS, Device, Network, protocol_title
from routrel.model.redistribution import Redistribution
from routrel.policy.findings import policy_findings
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.policy.unused import unused_findings
from routrel.protocols.bgp.findings import bgp_findings
from routrel.protocols.ospf.adjacency import ospf_findings
from routrel.protocols.static.routes import StaticOutcome
from routrel.rib.candidates import Protocol
from routrel.topology.segments import Topology

__all__ = ["control_findings"]


def control_findings(topology: Topology, protocols: Protocols) -> Iterator[Finding]:
    """All findings of all protocols."""
    for protocol, domain in protocols.ospf.items():
        yield from ospf_findings(topology, domain.routers, domain.adjacencies, protocol)
        yield from _stub_boundaries(domain)
    for rip in protocols.rip.values():
        yield from rip.findings()
    yield from protocols.eigrp.findings()
    yield from protocols.isis.adjacencies.findings()
    yield from bgp_findings(protocols.bgp)
    yield from policy_findings(topology.network.devices, protocols.interning.prefixes.prefixes)
    yield from unused_findings(topology.network.devices)
    yield from _static_findings(protocols.static.outcomes)
    yield from _both_ways(topology.network)


def _stub_boundaries(domain: Any) -> Iterator[Finding]:
    for index, router in enumerate(domain.routers):
        wants = router.instance.redistribute or router.instance.default_route
        if wants and domain.cannot_announce(index):
            yield Finding(
                severity=Severity.WARNING,
                code="redistribution_in_stub",
                text=f"{router.table[0]} takes routes into {protocol_title(domain.protocol.id)}, "
                "but is in stub areas only, so nobody hears of them",
                suggestion="make the area an nssa",
                place=router.instance.place,
                device=router.table[0],
            )


def _static_findings(outcomes: Sequence[StaticOutcome]) -> Iterator[Finding]:
    for outcome in outcomes:
        if outcome.problem:
            yield Finding(
                severity=Severity.WARNING,
                code="static_unusable",
                text=f"{outcome.table[0]}: the route to {outcome.route.to} is not used: "
                f"{outcome.problem}",
                suggestion="correct the next hop, or give the device a route to it",
                place=outcome.route.place,
                device=outcome.table[0],
            )


def _both_ways(network: Network) -> Iterator[Finding]:
    """Protocols redistributed into each other at several devices with nothing to stop a return."""
    takings: dict[tuple[Protocol, Protocol], list[tuple[Device, Redistribution]]] = {}
    for device in network.devices:
        for vrf in device.vrfs:
            for key in ROUTING_PROTOCOLS:
                instance = getattr(vrf, key)
                for item in instance.redistribute if instance else ():
                    pair = (PROTOCOL_OF[item.source], Protocol[key.upper()])
                    takings.setdefault(pair, []).append((device, item))
    for (source, target), there in takings.items():
        back = takings.get((target, source), [])
        devices = dict.fromkeys(device.name for device, _ in (*there, *back))
        open_doors = [taken for taken in (*there, *back) if not _guarded(*taken)]
        if source < target and back and len(devices) > 1 and open_doors:
            device, item = open_doors[0]
            names = protocol_title(source.id), protocol_title(target.id)
            yield Finding(
                severity=Severity.WARNING,
                code="redistribution_both_ways",
                text=f"{names[0]} and {names[1]} are redistributed into each other at "
                f"{', '.join(devices)}, and nothing keeps a route from coming back where it "
                "began",
                suggestion="tag routes on the way in and reject the tag on the way back",
                place=item.place,
                device=device.name,
                also=tuple(other.place for _, other in open_doors[1:]),
            )


def _guarded(device: Device, item: Redistribution) -> bool:
    """Whether a policy looks at tags or prefixes before it takes a route."""
    policy = device.policy(item.policy.policy) if item.policy else None
    return policy is not None and any(
        statement.conditions.tag_sets or statement.conditions.prefix_sets
        for statement in policy.statements
    )
