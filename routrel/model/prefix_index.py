"""Numbers prefixes, and finds all that hold an address, longest first."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.model.addresses import Address, Prefix, prefix_order

__all__ = ["PrefixIndex"]


class PrefixIndex:
    """Prefixes numbered from 0 in the order they were first added.

    Finding the prefixes that hold an address costs one dictionary look-up for each prefix length
    in use, however many prefixes there are.
    """

    def __init__(self, prefixes: Iterable[Prefix] = ()) -> None:
        self.prefixes: list[Prefix] = []
        self._numbers: dict[tuple[int, int, int], int] = {}  # (version, length, network) -> number
        self._lengths: dict[int, list[int]] = {4: [], 6: []}  # falling
        self._order: list[int] = []
        self._texts: dict[int, str] = {}
        for prefix in prefixes:
            self.add(prefix)

    def copy(self) -> PrefixIndex:
        """The same numbers, to which others may be added."""
        made = PrefixIndex()
        made.prefixes, made._numbers = self.prefixes.copy(), self._numbers.copy()
        made._lengths = {version: list(lengths) for version, lengths in self._lengths.items()}
        made._order = self._order
        return made

    def __len__(self) -> int:
        return len(self.prefixes)

    def add(self, prefix: Prefix) -> int:
        """The number of a prefix, which is added if it is new."""
        key = (prefix.version, prefix.prefixlen, int(prefix.network_address))
        number = self._numbers.get(key)
        if number is None:
            number = self._numbers[key] = len(self.prefixes)
            self.prefixes.append(prefix)
            lengths = self._lengths[prefix.version]
            if prefix.prefixlen not in lengths:
                lengths.append(prefix.prefixlen)
                lengths.sort(reverse=True)
        return number

    def number(self, prefix: Prefix) -> int | None:
        """The number of a prefix, or None where it was never added."""
        key = (prefix.version, prefix.prefixlen, int(prefix.network_address))
        return self._numbers.get(key)

    def texts(self, numbers: Iterable[int]) -> list[str]:
        """How prefixes are written; each is written once and remembered."""
        known, prefixes = self._texts, self.prefixes
        for number in numbers:
            if number not in known:
                known[number] = str(prefixes[number])
        return [known[number] for number in numbers]

    def order(self) -> list[int]:
        """For each number its place among all prefixes: IPv4 first, by address, shorter first."""
        if len(self._order) != len(self.prefixes):
            ranked = sorted(range(len(self.prefixes)), key=lambda n: prefix_order(self.prefixes[n]))
            self._order = [0] * len(ranked)
            for place, number in enumerate(ranked):
                self._order[number] = place
        return self._order

    def matches(self, address: Address) -> list[int]:
        """The numbers of all prefixes that hold an address, longest first."""
        bits, value = address.max_prefixlen, int(address)
        found = []
        for length in self._lengths[address.version]:
            shift = bits - length
            number = self._numbers.get((address.version, length, (value >> shift) << shift))
            if number is not None:
                found.append(number)
        return found

    def holds(self, address: Address) -> bool:
        """Whether any prefix holds the address."""
        return bool(self.matches(address))
