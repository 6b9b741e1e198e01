"""What looks wrong about addresses and links."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from routrel.model.addresses import Address
from routrel.model.findings import Finding, Severity
from routrel.model.network import DEFAULT_VRF, Device, InterfaceKind, Role
from routrel.model.prefix_index import PrefixIndex
from routrel.topology.segments import (
    Attachment,
    Segment,
    Topology,
    VirtualEnd,
    joining_addresses,
)

__all__ = ["topology_findings"]


def topology_findings(topology: Topology) -> list[Finding]:
    """All findings about addresses, segments and next hops, unsorted."""
    found: list[Finding] = []
    found.extend(_duplicate_addresses(topology))
    found.extend(_partly_known(topology))
    for segment in topology.segments:
        found.extend(_mask_mismatch(segment))
        found.extend(_mtu_mismatch(segment))
        found.extend(_one_side_down(segment))
        found.extend(_missing_end(segment))
        found.extend(_virtual_routers(segment))
    subnets = _subnets(topology)
    for device in topology.network.devices:
        found.extend(_gateways_elsewhere(device))
        found.extend(_next_hops_elsewhere(device, subnets))
        found.extend(_host_without_gateway(device))
        found.extend(_too_small_for_ipv6(device))
    found.extend(_outside_nowhere(topology))
    return found


def _partly_known(topology: Topology) -> Iterator[Finding]:
    for device in topology.network.devices:
        if device.unknown:
            count = len(device.unknown)
            more = f", and {count - 1} more" if count > 1 else ""
            yield Finding(
                severity=Severity.WARNING,
                code="partly_known",
                text=f"{device.name}: not known is {device.unknown[0]}{more}",
                suggestion="answers about what passes it may be wrong; see “unknown” in its file",
                place=device.place,
                device=device.name,
            )


def _duplicate_addresses(topology: Topology) -> Iterator[Finding]:
    for address, ends in topology.owners.items():
        if address.is_link_local:
            continue  # repeats on every segment (RFC 4291 2.5.6)
        for first, second in pairwise(ends):
            severity = _duplicate_severity(topology, first, second)
            if severity is not None:
                yield Finding(
                    severity=severity,
                    code="duplicate_address",
                    text=f"{second} has the address {address}, which {first} has too",
                    suggestion="give one of them another address",
                    place=second.interface.place,
                    device=second.device.name,
                    also=(first.interface.place,),
                )
    for neighbour in topology.network.outside:
        for outside_address in neighbour.addresses:
            for end in topology.owners.get(outside_address.ip, ()):
                yield Finding(
                    severity=Severity.ERROR,
                    code="duplicate_address",
                    text=f"{end} has the address {outside_address.ip} of outside neighbour "
                    f"{neighbour.name}",
                    suggestion="correct one of the two",
                    place=end.interface.place,
                    device=end.device.name,
                    also=(neighbour.place,),
                )


def _duplicate_severity(
    topology: Topology, first: Attachment, second: Attachment
) -> Severity | None:
    """How bad it is that two interfaces have one address; None where it may well be meant.

    VRFs of different names may reuse addresses. On links that the network file states apart the
    reuse is known, but questions about the address remain ambiguous.
    """
    left, right = (topology.segment_of.get(end.key) for end in (first, second))
    if left is not None and right is not None and left.id == right.id:
        return Severity.ERROR
    if first.interface.vrf != second.interface.vrf:
        return None
    stated = left is not None and right is not None and left.stated and right.stated
    return Severity.WARNING if stated else Severity.ERROR


def _mask_mismatch(segment: Segment) -> Iterator[Finding]:
    """Addresses that lie in each other's subnet while the subnets differ."""
    seen = [(end, address) for end in segment.ends for address in joining_addresses(end.interface)]
    told: set[tuple[Attachment, Attachment]] = set()
    subnets = {address.network for _, address in seen}
    if len(subnets) == len({subnet.version for subnet in subnets}):
        return  # all are in one, as nearly always
    for index, (left, left_address) in enumerate(seen):
        for right, right_address in seen[index + 1 :]:
            if (
                left.key != right.key
                and (left, right) not in told
                and left_address.version == right_address.version
                and left_address.network != right_address.network
                and left_address.ip in right_address.network
                and right_address.ip in left_address.network
            ):
                told.add((left, right))
                yield Finding(
                    severity=Severity.ERROR,
                    code="mask_mismatch",
                    text=f"{left} is {left_address}, but {right} on the same segment is "
                    f"{right_address}",
                    suggestion="give both the same prefix length",
                    place=right.interface.place,
                    device=right.device.name,
                    also=(left.interface.place,),
                )


#: Bytes that every link must carry for IPv6 (RFC 8200 5).
_LEAST_IPV6_MTU = 1280


def _too_small_for_ipv6(device: Device) -> Iterator[Finding]:
    for interface in device.interfaces:
        if interface.mtu < _LEAST_IPV6_MTU and any(a.version == 6 for a in interface.addresses):
            yield Finding(
                severity=Severity.ERROR,
                code="mtu_below_ipv6",
                text=f"{device.name}:{interface.name} has IPv6 addresses, but an MTU of "
                f"{interface.mtu} bytes",
                suggestion=f"IPv6 needs at least {_LEAST_IPV6_MTU} bytes (RFC 8200 5)",
                place=interface.place,
                device=device.name,
            )


def _virtual_routers(segment: Segment) -> Iterator[Finding]:
    """Routers of one virtual router that do not agree, or whose master depends on the past."""
    groups: dict[tuple[int, int], list[VirtualEnd]] = {}
    for end in segment.ends:
        for router in end.interface.virtual_routers:
            key = (router.id, router.addresses[0].version)
            groups.setdefault(key, []).append(VirtualEnd(end.device, end.interface, router))
    for (number, _), members in groups.items():
        first = members[0]
        for other in members[1:]:
            if set(other.router.addresses) != set(first.router.addresses):
                yield Finding(
                    severity=Severity.ERROR,
                    code="virtual_router_differs",
                    text=f"virtual router {number} has other addresses at {other.device.name} "
                    f"than at {first.device.name}",
                    suggestion="give all its routers the same addresses (RFC 9568 5.2.9)",
                    place=other.router.place,
                    device=other.device.name,
                    also=(first.router.place,),
                )
        best = max(members, key=lambda member: member.rank)
        if len(members) > 1 and not best.router.preempt:
            yield Finding(
                severity=Severity.NOTE,
                code="virtual_router_history",
                text=f"{best.device.name} has the highest rank for virtual router {number}, but "
                "does not preempt: another one stays master if it was there first",
                suggestion="answers take all routers to start at once",
                place=best.router.place,
                device=best.device.name,
            )


def _mtu_mismatch(segment: Segment) -> Iterator[Finding]:
    largest = max((end.interface.mtu for end in segment.ends), default=0)
    for end in segment.ends:
        if end.interface.mtu != largest:
            other = next(e for e in segment.ends if e.interface.mtu == largest)
            yield Finding(
                severity=Severity.WARNING,
                code="mtu_mismatch",
                text=f"{end} takes packets up to {end.interface.mtu} bytes, {other} sends up to "
                f"{largest} bytes",
                suggestion="set the same mtu on both",
                place=end.interface.place,
                device=end.device.name,
                also=(other.interface.place,),
            )


def _one_side_down(segment: Segment) -> Iterator[Finding]:
    shut = [end for end in segment.ends if not end.interface.enabled]
    running = [end for end in segment.ends if end.interface.enabled]
    for end in shut:
        if running:
            yield Finding(
                severity=Severity.WARNING,
                code="one_side_down",
                text=f"{end} is shut, while {running[0]} at the other end is enabled",
                suggestion="set enabled: true, or shut both ends",
                place=end.interface.place,
                device=end.device.name,
                also=tuple(other.interface.place for other in running),
            )


def _missing_end(segment: Segment) -> Iterator[Finding]:
    if len(segment.ends) != 1 or segment.outside:
        return
    end = segment.ends[0]
    for address in joining_addresses(end.interface):
        if address.network.max_prefixlen - address.network.prefixlen <= 2:
            yield Finding(
                severity=Severity.WARNING,
                code="missing_end",
                text=f"nobody stands at the other end of {end} ({address})",
                suggestion="add the other device, or an outside neighbour with an address there",
                place=end.interface.place,
                device=end.device.name,
            )
            return


def _covers(device: Device, vrf: str, address: Address) -> bool:
    """Whether an interface of the device in that VRF has the address in its subnet."""
    return any(
        address in own.network
        for interface in device.interfaces
        if interface.vrf == vrf
        for own in interface.addresses
    )


def _subnets(topology: Topology) -> PrefixIndex:
    """The subnets of all interfaces and outside neighbours."""
    owners = [i for device in topology.network.devices for i in device.interfaces]
    addresses = [address for owner in owners for address in owner.addresses]
    addresses.extend(a for outside in topology.network.outside for a in outside.addresses)
    return PrefixIndex(address.network for address in addresses)


def _gateways_elsewhere(device: Device) -> Iterator[Finding]:
    for gateway in device.gateways:
        if not _covers(device, DEFAULT_VRF, gateway.address):
            yield Finding(
                severity=Severity.ERROR,
                code="gateway_not_in_subnet",
                text=f"the gateway {gateway.address} of {device.name} lies in none of its subnets",
                suggestion="correct the gateway, or the prefix length of the address",
                place=gateway.place,
                device=device.name,
            )


def _next_hops_elsewhere(device: Device, subnets: PrefixIndex) -> Iterator[Finding]:
    for vrf in device.vrfs:
        for route in vrf.static:
            if route.via is None or route.via.is_link_local:
                continue
            interface = device.interface(route.interface) if route.interface else None
            if interface is None and not subnets.holds(route.via):
                yield Finding(
                    severity=Severity.ERROR,
                    code="next_hop_in_no_subnet",
                    text=f"{device.name}: next hop {route.via} of the route to {route.to} lies in "
                    "nobody's subnet",
                    suggestion="correct the next hop, or add the device that has it",
                    place=route.place,
                    device=device.name,
                )
            elif (
                interface
                and interface.kind is InterfaceKind.ETHERNET
                and not any(route.via in address.network for address in interface.addresses)
            ):
                yield Finding(
                    severity=Severity.WARNING,
                    code="next_hop_not_in_subnet",
                    text=f"{device.name}: next hop {route.via} lies in no subnet of "
                    f"{route.interface}",
                    suggestion="correct the next hop or the interface",
                    place=route.place,
                    device=device.name,
                )


def _host_without_gateway(device: Device) -> Iterator[Finding]:
    if device.role is not Role.HOST:
        return
    routed = {route.to.version for vrf in device.vrfs for route in vrf.static}
    routed |= {gateway.address.version for gateway in device.gateways}
    for version in (4, 6):
        addressed = any(
            address.version == version and not address.ip.is_link_local
            for interface in device.interfaces
            if interface.kind is not InterfaceKind.LOOPBACK
            for address in interface.addresses
        )
        if addressed and version not in routed:
            yield Finding(
                severity=Severity.WARNING,
                code="no_gateway",
                text=f"{device.name} has IPv{version} addresses, but no gateway for them",
                suggestion="add gateway: the router's address on its LAN",
                place=device.place,
                device=device.name,
            )


def _outside_nowhere(topology: Topology) -> Iterator[Finding]:
    joined = {
        (end.neighbour.name, end.address)
        for segment in topology.segments
        for end in segment.outside
    }
    for neighbour in topology.network.outside:
        for address in neighbour.addresses:
            if (neighbour.name, address) not in joined:
                yield Finding(
                    severity=Severity.ERROR,
                    code="outside_in_no_subnet",
                    text=f"{address} of outside neighbour {neighbour.name} lies in nobody's subnet",
                    suggestion="correct the address, or the interface it should reach",
                    place=neighbour.place,
                )
