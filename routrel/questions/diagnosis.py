"""What an engineer would add to a verdict: where only a default is left, and why."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Hop
from routrel.forwarding.stages.route import RouteEvidence
from routrel.model.addresses import Address, Prefix
from routrel.questions.absence import Absence, absence
from routrel.questions.flow import DirectionAnswer

__all__ = ["DefaultOnly", "defaults_followed", "missing_route"]


@dataclass(frozen=True, slots=True, kw_only=True)
class DefaultOnly:
    """A device that sends traffic by its default, though somebody has a specific route."""

    device: str
    absence: Absence  #: why it lacks the specific one


def missing_route(state: State, hop: Hop) -> Absence | None:
    """Why a hop's table has no route, or only its default, to where a packet goes."""
    for stage in hop.stages:
        evidence = stage.evidence
        if isinstance(evidence, RouteEvidence) and evidence.next_hop is None:
            table = (hop.device, evidence.table or hop.vrf)
            return absence(state, state.rib.interning.table_numbers[table], evidence.destination)
    return None


def defaults_followed(state: State, direction: DirectionAnswer) -> tuple[DefaultOnly, ...]:
    """Where on the way only a default is left for what has a specific route elsewhere.

    Devices that do not forward are left out: a host has nothing but its gateway. Where nobody in
    the network has one, but an outside network announces one, told is the device that refuses it.
    """
    found: dict[str, DefaultOnly] = {}
    by_default = False
    for branch in direction.branches:
        for hop in branch.hops:
            device = state.topology.devices.get(hop.device)
            if device is None or not device.role.forwards or hop.device in found:
                continue
            for stage in hop.stages:
                evidence = stage.evidence
                if not isinstance(evidence, RouteEvidence) or evidence.route is None:
                    continue
                if evidence.route.prefix.prefixlen or evidence.route.discard:
                    continue
                by_default = True
                table = state.rib.interning.table_numbers[hop.device, evidence.table or hop.vrf]
                why = absence(state, table, evidence.destination)
                if why.prefix is not None and why.prefix.prefixlen:
                    found[hop.device] = DefaultOnly(device=hop.device, absence=why)
    if by_default and not found:
        return tuple(_refused(state, direction.header.destination))
    return tuple(found.values())


def _refused(state: State, destination: Address) -> Iterator[DefaultOnly]:
    """Devices that an outside network offers a specific route, and that do not use it."""
    offering = {
        own.ip
        for outside in state.network.outside
        for announcement in outside.announces
        if any(p.prefixlen and _holds(p, destination) for p in announcement.prefixes)
        for own in outside.addresses
    }
    for device in state.network.devices:
        for vrf in device.vrfs:
            if vrf.bgp and any(n.address in offering for n in vrf.bgp.neighbours):
                table = state.rib.interning.table_numbers[device.name, vrf.name]
                why = absence(state, table, destination)
                if why.reasons:
                    yield DefaultOnly(device=device.name, absence=why)


def _holds(prefix: Prefix, address: Address) -> bool:
    return prefix.version == address.version and address in prefix
