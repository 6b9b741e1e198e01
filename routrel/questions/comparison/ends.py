"""The ends of flows to ask two states about, each standing for all that are alike."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.addresses import Address
from routrel.model.network import Device, Role
from routrel.model.prefix_index import PrefixIndex
from routrel.questions.endpoints import resolve_endpoint
from routrel.questions.errors import QuestionError
from routrel.questions.flow_classes import Piece, pieces_of_prefix, prefixes_of_rules
from routrel.rib.candidates import Table
from routrel.rib.table import Rib

__all__ = ["End", "ends_of"]

_EVERYTHING = tuple(ipaddress.ip_network(text) for text in ("0.0.0.0/0", "::/0"))


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """Addresses that both states treat alike, whoever asks; one of them stands for all.

    `tables` are those in which packets from it begin, in either state.
    """

    text: str  #: as people call it: a device, an address or a range
    asked: str  #: what a question names
    address: Address
    owner: str | None  #: the device that has it
    is_source: bool  #: whether somebody sends from there: a host, a site without any, outside
    is_outside: bool
    tables: frozenset[Table]
    alike: tuple[str, ...]  #: the others that it stands for, by their text


def ends_of(before: State, after: State) -> list[End]:
    """The classes of all addresses that somebody has, in order of address.

    Of the addresses of a forwarding device only those count that its name names.
    """
    states = (before, after)
    classing = _Classing(states)
    classes: dict[object, list[tuple[Piece, Address]]] = {}
    for everything in _EVERYTHING:
        for piece in pieces_of_prefix(states, everything):
            address = ipaddress.ip_address(piece.asked)
            if piece.held and classing.counts(address):
                classes.setdefault(classing.key(address), []).append((piece, address))
    return [classing.end(members) for members in classes.values()]


class _Classing:
    def __init__(self, states: tuple[State, State]) -> None:
        self.states = states
        devices = [device for state in states for device in state.network.devices]
        self.rules = PrefixIndex(prefix for device in devices for prefix in _rule_prefixes(device))
        self.elsewhere = [_held_elsewhere(state.rib) for state in states]
        with_hosts = {device.site for device in devices if device.role is Role.HOST}
        self.senders = {
            device.name
            for device in devices
            if device.role is Role.HOST or device.site is None or device.site not in with_hosts
        }

    def counts(self, address: Address) -> bool:
        """Whether it is an end of flows; of a forwarding device, the one that its name names."""
        if address.is_link_local or address.is_multicast:
            return False
        owned = [(state, self._device(state, address)) for state in self.states]
        forwarding = [
            (state, name)
            for state, name in owned
            if name is not None and state.topology.devices[name].role.forwards
        ]
        return not forwarding or any(
            address in _named_addresses(state, name) for state, name in forwarding
        )

    def key(self, address: Address) -> object:
        """Equal for addresses that are treated alike."""
        own = [self._owner(state, address) for state in self.states]
        chains = [
            [number for number in state.rib.interning.prefixes.matches(address) if number in known]
            for state, known in zip(self.states, self.elsewhere, strict=True)
        ]
        return str(own), str(chains), str(self.rules.matches(address))

    def _owner(self, state: State, address: Address) -> object:
        """Who has it; of hosts on one segment that are set up alike only where they are."""
        owners = state.topology.owners.get(address, ())
        if not owners:
            return None
        end = owners[0]
        device = end.device
        segment = state.topology.segment_of.get(end.key)
        is_plain = not (device.filters or device.steerings or device.translation)
        if device.role is not Role.HOST or segment is None or not is_plain:
            return device.name
        gateways = tuple(str(gateway.address) for gateway in device.gateways)
        failed = state.topology.is_up(*end.key)
        return segment.name, gateways, device.processing.value, end.interface.mtu, failed

    def end(self, members: list[tuple[Piece, Address]]) -> End:
        """The end that stands for all members of a class."""
        names = [self._name(piece, address) for piece, address in members]
        _, address = members[0]
        owner = next(filter(None, (self._device(state, address) for state in self.states)), None)
        tables: set[Table] = set()
        is_outside = False
        for state in self.states:
            try:
                found = resolve_endpoint(state, str(address))
            except QuestionError:
                continue
            tables |= {(start.device, start.vrf) for start in found.starts}
            is_outside = is_outside or any(start.outside for start in found.starts)
        return End(
            text=names[0],
            asked=str(address),
            address=address,
            owner=owner,
            is_source=is_outside or owner in self.senders,
            is_outside=is_outside,
            tables=frozenset(tables),
            alike=tuple(names[1:]),
        )

    def _name(self, piece: Piece, address: Address) -> str:
        """A device by its name where that stands for this address; else the address too."""
        for state in self.states:
            name = self._device(state, address)
            if name is None:
                continue
            is_its_own = address in _named_addresses(state, name)
            return name if is_its_own else f"{address} ({name})"
        return piece.text

    def _device(self, state: State, address: Address) -> str | None:
        owners = state.topology.owners.get(address, ())
        return owners[0].device.name if owners else None


def _named_addresses(state: State, device: str) -> tuple[Address, ...]:
    """The addresses that a device's name stands for; none where all its interfaces are shut."""
    try:
        return resolve_endpoint(state, device).addresses
    except QuestionError:
        return ()


def _rule_prefixes(device: Device) -> Iterator[ipaddress.IPv4Network | ipaddress.IPv6Network]:
    yield from prefixes_of_rules(device)
    yield from (prefix for rule in device.translation for prefix in rule.pool)


def _held_elsewhere(rib: Rib) -> frozenset[int]:
    """The numbers of prefixes that tell addresses apart: all but hosts' own in their own tables."""
    return frozenset(_shared(rib))


def _shared(rib: Rib) -> Iterable[int]:
    tables: dict[int, set[int]] = {}
    for table, prefix in zip(
        rib.active["table"].tolist(), rib.active["prefix"].tolist(), strict=True
    ):
        tables.setdefault(prefix, set()).add(table)
    prefixes = rib.interning.prefixes.prefixes
    for prefix, holders in tables.items():
        is_host = prefixes[prefix].prefixlen == prefixes[prefix].max_prefixlen
        if not is_host or len(holders) > 1:
            yield prefix
