"""Findings that several protocols share."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import combinations
from typing import Any

from routrel.model.findings import Finding, Severity
from routrel.model.network import protocol_title
from routrel.rib.candidates import Protocol
from routrel.topology.segments import Segment

__all__ = ["asymmetric", "key_mismatch", "one_sided", "without_address"]


def asymmetric(left: Any, right: Any, costs: tuple[int, int], what: str) -> Finding:
    """A link that costs more in one direction than in the other."""
    return Finding(
        severity=Severity.NOTE,
        code="asymmetric_cost",
        text=f"the {what} is {costs[0]} at {left}, but {costs[1]} at {right}",
        suggestion="set both ends alike, unless traffic is meant to return another way",
        place=left.settings.place,
        device=left.device.name,
        also=(right.settings.place,),
    )


def one_sided(
    segment: Segment, ports: Mapping[tuple[str, str], Any], protocol: Protocol
) -> Iterator[Finding]:
    """Links between two routers where one end speaks a protocol and the other keeps silent.

    Args:
        ports: The interfaces that run the protocol, by device and name; each has `settings`.
    """
    if not segment.is_link or len(segment.ends) != 2:
        return
    key, name = protocol.id, protocol_title(protocol.id)
    for end, other in (segment.ends, segment.ends[::-1]):
        port, silent = ports.get(end.key), ports.get(other.key)
        if port is None or port.settings.passive:
            continue
        if (silent is None or silent.settings.passive) and any(
            getattr(vrf, key) and vrf.name == other.interface.vrf for vrf in other.device.vrfs
        ):
            why = "is passive" if silent else f"has no {key}: key"
            yield Finding(
                severity=Severity.WARNING,
                code=f"{key}_one_sided",
                text=f"{end} speaks {name}, but {other} at the other end {why}",
                suggestion="let both ends speak, or make both passive",
                place=(silent.settings if silent else other.interface).place,
                device=other.device.name,
                also=(port.settings.place,),
            )


def without_address(
    ports: Mapping[tuple[str, str], Any], protocol: Protocol, version: int
) -> Iterator[Finding]:
    """Interfaces that are to speak a protocol and have no address of its family to speak from."""
    name = protocol_title(protocol.id)
    for port in ports.values():
        if port.way is None and not port.settings.passive:
            yield Finding(
                severity=Severity.WARNING,
                code=f"{protocol.id}_no_address",
                text=f"{port} is to speak {name}, but has no IPv{version} address",
                suggestion="write one; a link-local address is one too"
                if version == 6
                else "write one, or let it borrow one with unnumbered:",
                place=port.settings.place,
                device=port.device.name,
            )


def key_mismatch(
    segment: Segment, ports: Mapping[tuple[str, str], Any], protocol: Protocol
) -> Iterator[Finding]:
    """Neighbours whose authentication keys differ, so that neither believes the other."""
    members = [ports[end.key] for end in segment.ends if end.key in ports]
    for left, right in combinations(members, 2):
        mine, theirs = left.settings.authentication, right.settings.authentication
        if mine != theirs:
            yield Finding(
                severity=Severity.ERROR,
                code=f"{protocol.id}_authentication_mismatch",
                text=f"{left} and {right} ignore each other's {protocol_title(protocol.id)}: "
                f"key {mine or 'none'} against {theirs or 'none'}",
                suggestion="make both sides agree",
                place=left.settings.place,
                device=left.device.name,
                also=(right.settings.place,),
            )
