"""What is suspicious about routing: refused neighbours, unusable routes, risky redistribution."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from routrel.convergence.protocols import Look
from routrel.model.addresses import Prefix
from routrel.model.findings import Finding, Severity
from routrel.model.network import ROUTING_PROTOCOLS, Device, Network, protocol_title
from routrel.model.redistribution import Redistribution
from routrel.policy.findings import policy_findings
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.policy.unused import unused_findings
from routrel.rib.candidates import Protocol

__all__ = ["routing_findings", "written_findings"]


def routing_findings(network: Network, look: Look) -> Iterator[Finding]:
    """All findings of protocols, and of the policies that their routes meet."""
    for result in look.results.values():
        yield from result.findings()
    yield from policy_findings(network.devices, _known_prefixes(look))


def written_findings(network: Network) -> Iterator[Finding]:
    """All findings that rest on what is written alone, whatever fails."""
    yield from unused_findings(network.devices)
    yield from _both_ways(network)


def _known_prefixes(look: Look) -> list[Prefix]:
    """All prefixes that any table or announcement knows, and the defaults; in order of number."""
    interning = look.rib.interning
    known = np.zeros(len(interning.prefixes.prefixes), dtype=bool)
    known[[interning.default_prefix(4), interning.default_prefix(6)]] = True
    for table in look.rib.tables:
        for block in table.blocks:
            known[block["prefix"]] = True
    for result in look.results.values():
        known[list(result.announced_prefixes())] = True
    return [interning.prefixes.prefixes[number] for number in np.flatnonzero(known).tolist()]


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
