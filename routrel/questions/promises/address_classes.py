"""Which addresses a network treats alike, so that one of them may be asked for all.

Two addresses are told apart by the prefixes that tables, rules and outside networks name, by the
devices that have them, and by nothing else. Prefixes to which every table has the same routes tell
no addresses apart.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from routrel.convergence.converge import State
from routrel.model.addresses import Address, Prefix, address_of, is_private, is_within, range_words
from routrel.model.prefix_index import PrefixIndex
from routrel.questions.flow_classes import prefixes_of_rules

__all__ = ["AddressClass", "AddressClasses"]

#: What no unicast packet of a network goes between (RFC 6890 2.2.2, RFC 5771, RFC 4291 2.7).
_NEVER = tuple(
    ipaddress.ip_network(text)
    for text in (
        "0.0.0.0/8", "127.0.0.0/8", "169.254.0.0/16", "224.0.0.0/4", "240.0.0.0/4",
        "::/127", "fe80::/10", "ff00::/8",
    )
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class AddressClass:
    """Addresses of a prefix that the network treats alike; the first stands for all."""

    address: Address
    words: str  #: the first range of them
    ranges: int  #: how many ranges there are
    owner: str | None  #: the device that has it
    outside: tuple[str, ...]  #: the outside networks that it lies behind

    @property
    def held(self) -> bool:
        """Whether somebody has it: a device, or the world outside."""
        return self.owner is not None or bool(self.outside)


class AddressClasses:
    """The classes of one state.

    Args:
        since: Those of another state; what that one tells apart is told apart here too.
    """

    def __init__(self, state: State, since: AddressClasses | None = None) -> None:
        self.state, self._since = state, since
        self._prefixes = state.rib.interning.prefixes

    def of(self, prefix: Prefix) -> Iterator[AddressClass]:
        """The classes of a prefix's addresses that a packet may have, in order of address.

        A subnet's own address and its broadcast address are left out (RFC 1122 3.2.1.3).
        """
        found: dict[object, list[tuple[Address, str]]] = {}
        for address, words in self._pieces(prefix):
            key = self.key(address), self._since.key(address) if self._since else None
            found.setdefault(key, []).append((address, words))
        for members in found.values():
            address, words = members[0]
            yield AddressClass(
                address=address,
                words=words,
                ranges=len(members),
                owner=self.owner(address),
                outside=self.outside(address),
            )

    def owner(self, address: Address) -> str | None:
        """The device that has an address, perhaps as a virtual router; None: none."""
        owners = self.state.topology.owners.get(address, ())
        return owners[0].device.name if owners else self._virtual.get(address)

    def outside(self, address: Address) -> tuple[str, ...]:
        """The outside networks that an address lies behind: those of the longest prefix for it.

        None for an address of a subnet of this network, nor of private ones for a default.
        """
        if address in self._outside_addresses:
            return self._outside_addresses[address]
        if self._subnets.matches(address):
            return ()
        index, owners = self._behind
        for number in index.matches(address):
            if index.prefixes[number].prefixlen or not is_private(address):
                return tuple(owners[number])
        return ()

    def key(self, address: Address) -> object:
        """Equal for addresses that are treated alike."""
        signs = self._signs
        chain = [signs[number] for number in self._prefixes.matches(address) if number < len(signs)]
        return (
            tuple(sign for sign in chain if sign),
            self.owner(address),
            self.outside(address),
            tuple(self._rules.matches(address)),
            tuple(self._subnets.matches(address)),
        )

    def source_key(self, address: Address) -> object:
        """Equal for addresses from which packets are treated alike where nobody answers.

        Where no device on the way looks for a way back to the source, routes to it do not count.
        """
        return (
            self.owner(address),
            self.outside(address),
            tuple(self._rules.matches(address)),
            tuple(self._subnets.matches(address)),
        )

    def _pieces(self, prefix: Prefix) -> Iterator[tuple[Address, str]]:
        """A prefix in pieces between all marks: an address of each, and its range in words."""
        first, last = int(prefix.network_address), int(prefix.broadcast_address)
        marks = {first, last + 1}
        for classes in filter(None, (self, self._since)):
            for other in classes._named[prefix.version]:
                if is_within(other, prefix):
                    marks |= {int(other.network_address), int(other.broadcast_address) + 1}
        for begin, end in pairwise(sorted(marks)):
            reserved = self._reserved if prefix.version == 4 else frozenset()
            usable = next((n for n in range(begin, min(end, begin + 4)) if n not in reserved), None)
            if usable is None:
                continue
            address = address_of(prefix.version, usable)
            if not any(address.version == one.version and address in one for one in _NEVER):
                last_of = address_of(prefix.version, end - 1)
                yield address, range_words(address_of(prefix.version, begin), last_of)

    @cached_property
    def _named(self) -> dict[int, list[Prefix]]:
        """Every prefix that may tell addresses apart, by family."""
        found: dict[int, list[Prefix]] = {4: [], 6: []}
        for prefix in self._all_named():
            found[prefix.version].append(prefix)
        return found

    def _all_named(self) -> Iterator[Prefix]:
        yield from _NEVER
        signs = self._signs
        for number, prefix in enumerate(self._prefixes.prefixes[: len(signs)]):
            if signs[number]:
                yield prefix
        yield from self._rules.prefixes
        yield from self._subnets.prefixes
        yield from self._behind[0].prefixes
        for addresses in (
            self.state.topology.owners, self._virtual, self._outside_addresses,
        ):  # fmt: skip
            yield from map(ipaddress.ip_network, addresses)

    @cached_property
    def _signs(self) -> list[int]:
        """By prefix number: what tells the routes of all tables to it from others; 0: none has one.

        Of every outcome of routing. Two sums of mixed numbers, 64 bits each, stand for the rows.
        """
        ribs = [self.state.rib, *(other.rib for other in self.state.others)]
        count = max(len(rib.interning.prefixes) for rib in ribs)
        sums = np.zeros((2, count), dtype=np.uint64)
        for which, rib in enumerate(ribs):
            for table in rib.tables:
                rows = table.active
                if not len(rows):
                    continue
                what = rows["kind"].astype(np.uint64) << np.uint64(32)
                what |= rows["next_hops"].astype(np.uint64)
                at = rows["table"].astype(np.uint64) << np.uint64(8) | np.uint64(which)
                for lane in (0, 1):
                    mixed = _mixed(_mixed(what, lane) ^ at, lane + 2)
                    # A table has one active row for each prefix, so no index occurs twice.
                    sums[lane, rows["prefix"]] += mixed
        return [one << 64 | other for one, other in zip(*sums.tolist(), strict=True)]

    @cached_property
    def _rules(self) -> PrefixIndex:
        devices = self.state.network.devices
        return PrefixIndex(
            prefix
            for device in devices
            for prefix in (
                *prefixes_of_rules(device),
                *(pool for rule in device.translation for pool in rule.pool),
            )
        )

    @cached_property
    def _subnets(self) -> PrefixIndex:
        """The subnets of interfaces that forward."""
        return PrefixIndex(self._own_subnets())

    def _own_subnets(self) -> Iterator[Prefix]:
        for device in self.state.network.devices:
            for interface in device.interfaces if device.role.forwards else ():
                yield from (own.network for own in interface.addresses)

    @cached_property
    def _reserved(self) -> frozenset[int]:
        subnets = [one for one in self._subnets.prefixes if one.version == 4 and one.prefixlen < 31]
        ends: Iterable[Address] = (
            end for one in subnets for end in (one.network_address, one.broadcast_address)
        )
        return frozenset(map(int, ends))

    @cached_property
    def _virtual(self) -> dict[Address, str]:
        return {
            address: device.name
            for device in self.state.network.devices
            for interface in device.interfaces
            for router in interface.virtual_routers
            for address in router.addresses
        }

    @cached_property
    def _outside_addresses(self) -> dict[Address, tuple[str, ...]]:
        return {own.ip: (one.name,) for one in self.state.network.outside for own in one.addresses}

    @cached_property
    def _behind(self) -> tuple[PrefixIndex, dict[int, list[str]]]:
        """What lies behind outside networks, with their names by number."""
        index, owners = PrefixIndex(), dict[int, list[str]]()
        for outside in self.state.network.outside:
            for prefix in outside.behind:
                owners.setdefault(index.add(prefix), []).append(outside.name)
        return index, owners


def _mixed(numbers: np.ndarray, lane: int) -> np.ndarray:
    """Numbers of 64 bits, each mixed into another (the finaliser of splitmix64)."""
    with np.errstate(over="ignore"):
        mixed = numbers + np.uint64(0x9E3779B97F4A7C15 * (2 * lane + 1) & (1 << 64) - 1)
        mixed = (mixed ^ mixed >> np.uint64(30)) * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ mixed >> np.uint64(27)) * np.uint64(0x94D049BB133111EB)
        return mixed ^ mixed >> np.uint64(31)
