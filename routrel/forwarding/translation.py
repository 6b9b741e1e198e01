"""Which translation rule a packet meets, and what becomes of its addresses (RFC 2663, RFC 3022)."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from itertools import chain, islice

from routrel.forwarding.connections import with_addresses
from routrel.forwarding.filters import PacketContext, mismatch
from routrel.model.addresses import Address, Prefix, address_of
from routrel.model.filters import Match, PortRange
from routrel.model.network import Device, Interface, Processing
from routrel.model.traffic import Header
from routrel.model.translation import Side, TranslationRule

__all__ = ["MAXIMUM_CHOICES", "Translated", "free_port", "speaking_address", "translate"]

#: Addresses of a pool that are followed, each as a branch of its own.
MAXIMUM_CHOICES = 16


@dataclass(frozen=True, slots=True)
class Translated:
    """What a rule made of a packet. `choices` is the pool's size, where it may choose.

    `headers` are what the packet may look like then: one for each address that may be chosen, of
    a large pool the first ones.
    """

    rule: TranslationRule
    headers: tuple[Header, ...]
    choices: int


def translate(
    device: Device,
    side: Side,
    header: Header,
    context: PacketContext,
    out: tuple[Interface, Address] | None,
    new: bool,
    *,
    own: bool = False,
) -> Translated | None:
    """The first rule of a side that matches, and what it does; None where none does.

    Args:
        out: The interface the packet leaves by and the address it is sent to there; None on the
            destination side.
        new: Whether the packet opens a session. Of others only one-to-one rules change anything.
        own: Whether it is the destination of a packet that the device itself sends.
    """
    for rule in device.translation:
        if not new and not rule.one_to_one:
            continue
        if rule.own is not (own and side is Side.DESTINATION):
            continue
        backwards = rule.one_to_one and side is Side.DESTINATION
        if rule.side not in (None, side) and not backwards:
            continue
        match = _called(rule) if backwards else rule.match
        if mismatch(match, header, context):
            continue
        if rule.keep:
            return Translated(rule, (header,), 1)
        if backwards:
            partner = _partner(header.destination, rule.pool[0], rule.match.sources[0])
            return Translated(rule, (with_addresses(header, destination=partner),), 1)
        chosen, choices = _new_addresses(device, rule, side, header, context, out)
        if not chosen:
            return None
        return Translated(rule, tuple(_with_new(rule, side, header, a) for a in chosen), choices)
    return None


def _called(rule: TranslationRule) -> Match:
    """What a one-to-one rule matches when somebody calls the partner from outside."""
    return Match(
        destinations=rule.pool,
        in_interfaces=rule.match.out_interfaces,
    )


def _new_addresses(
    device: Device,
    rule: TranslationRule,
    side: Side,
    header: Header,
    context: PacketContext,
    out: tuple[Interface, Address] | None,
) -> tuple[list[Address], int]:
    """What an end may become, of a large pool the first ones, and how many there are.

    With Linux processing a source that is in the pool already stays what it is.
    """
    source = side is Side.SOURCE
    old = header.source if source else header.destination
    if rule.one_to_one or rule.prefix_to_prefix:
        wide = rule.match.sources if source else rule.match.destinations
        return [_partner(old, wide[0], rule.pool[0])], 1
    if rule.to:
        linux = device.processing is Processing.LINUX
        if linux and source and any(old in prefix for prefix in rule.pool):
            return [old], 1
        some = list(islice(chain.from_iterable(rule.to), MAXIMUM_CHOICES))
        return some, sum(part.size for part in rule.to)
    if source:
        address = speaking_address(*out) if out else None
    else:
        address = _arrival_address(device, context.in_interface, old.version)
    return ([], 0) if address is None else ([address], 1)


def _with_new(rule: TranslationRule, side: Side, header: Header, address: Address) -> Header:
    if side is Side.SOURCE:
        port = _port(header.source_port, rule.ports)
        return with_addresses(header, source=address, source_port=port)
    port = _port(header.destination_port, rule.ports)
    return with_addresses(header, destination=address, destination_port=port)


def _arrival_address(device: Device, name: str | None, version: int) -> Address | None:
    """The address of the interface a packet arrived by: the primary one of its family.

    With Linux processing of IPv6 the one that was added last stands first.
    """
    interface = device.interface(name or "")
    own = [a.ip for a in interface.addresses if a.version == version] if interface else []
    if version == 6 and device.processing is Processing.LINUX:
        own.reverse()
    return own[0] if own else None


def speaking_address(interface: Interface, towards: Address) -> Address | None:
    """The address an interface uses towards a neighbour: in its subnet, else the primary one."""
    own = [address for address in interface.addresses if address.version == towards.version]
    near = [address for address in own if towards in address.network]
    return next((address.ip for address in (*near, *own)), None)


def free_port(port: int, taken: Collection[int]) -> int:
    """The port itself, or where it is taken the next free one behind it.

    Which other port a device picks is its own choice (RFC 4787 4.2); here it is the next one.
    """
    first = 1024 if port >= 1024 else 1
    last = 65535 if port >= 1024 else 1023
    size = last - first + 1
    ports = (first + (port - first + step) % size for step in range(size))
    return next((each for each in ports if each not in taken), port)


def _port(old: int | None, ports: PortRange | None) -> int | None:
    """The new port: the old one where it is allowed (RFC 4787 4.2.1), else the first."""
    if ports is None or old is None:
        return None
    return old if ports.first <= old <= ports.last else ports.first


def _partner(address: Address, of: Prefix, to: Prefix) -> Address:
    """The address at the same place in another prefix of the same length."""
    number = int(address) - int(of.network_address) + int(to.network_address)
    return address_of(to.version, number)
