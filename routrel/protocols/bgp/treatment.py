"""Which prefixes policies treat alike.

A statement whose prefix sets do not hold a prefix can do nothing to it. What is left of a policy
without such statements is how it treats the prefix; prefixes treated alike by all policies, and
announced alike, spread alike and are computed once.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from routrel.model.addresses import Prefix
from routrel.model.network import Device
from routrel.model.policy import Policy, PolicyUse, PrefixRange, Statement

__all__ = ["Chain", "PrefixArrays", "Ranges", "chain_of", "ranges_used", "reduced"]

Ranges = tuple[PrefixRange, ...]
#: Policies bound in one place, with the device whose they are.
Chain = tuple[Device, tuple[PolicyUse, ...]]


class PrefixArrays:
    """Prefixes as arrays, to hold many against ranges at once."""

    def __init__(self, prefixes: Sequence[Prefix]) -> None:
        values = [
            int(prefix.network_address) << (128 - prefix.max_prefixlen) for prefix in prefixes
        ]
        self.high = np.array([value >> 64 for value in values], dtype=np.uint64)
        self.low = np.array([value & (2**64 - 1) for value in values], dtype=np.uint64)
        self.lengths = np.array([prefix.prefixlen for prefix in prefixes], dtype=np.int16)
        self.versions = np.array([prefix.version for prefix in prefixes], dtype=np.int8)

    def within(self, ranges: Iterable[PrefixRange]) -> NDArray[np.bool_]:
        """For each prefix whether one of the ranges holds it."""
        found = np.zeros(len(self.lengths), dtype=bool)
        for item in ranges:
            found |= self.inside(item.prefix) & (
                (self.lengths >= item.shortest) & (self.lengths <= item.longest)
            )
        return found

    def inside(self, prefix: Prefix) -> NDArray[np.bool_]:
        """For each prefix whether it is the given one or more specific."""
        value = int(prefix.network_address) << (128 - prefix.max_prefixlen)
        bits = prefix.prefixlen
        mask = (2**bits - 1) << (128 - bits)
        high, low = np.uint64(mask >> 64), np.uint64(mask & (2**64 - 1))
        result: NDArray[np.bool_] = (
            (self.versions == prefix.version)
            & (self.lengths >= bits)
            & ((self.high & high) == np.uint64(value >> 64))
            & ((self.low & low) == np.uint64(value & (2**64 - 1)))
        )
        return result


def chain_of(device: Device | None, uses: tuple[PolicyUse, ...] | None) -> Chain | None:
    """Policies bound in one place; None where there are none."""
    return (device, uses) if device is not None and uses else None


def ranges_used(chain: Chain) -> Iterator[Ranges]:
    """The prefix sets that a chain's policies look at, also those they call."""
    device, uses = chain
    pending = [use.policy for use in uses]
    seen = set()
    while pending:
        name = pending.pop()
        policy = device.policy(name)
        if policy is None or name in seen:
            continue
        seen.add(name)
        for statement in policy.statements:
            for prefix_set in device.prefix_sets:
                if prefix_set.name in statement.conditions.prefix_sets:
                    yield prefix_set.ranges
            if statement.call is not None:
                pending.append(statement.call)


def reduced(chain: Chain, held_by: Iterable[Ranges]) -> Hashable:
    """What is left of policies for prefixes that certain sets hold; equal values treat alike.

    Args:
        held_by: The sets among `ranges_used` that hold the prefixes.
    """
    device, uses = chain
    holding = set(held_by)
    return tuple(
        _reduced_policy(device, policy, holding)
        for use in uses
        if (policy := device.policy(use.policy)) is not None
    )


def _reduced_policy(device: Device, policy: Policy, holding: set[Ranges]) -> Hashable:
    kept = tuple(
        _with_sets(device, statement, holding)
        for statement in policy.statements
        if not statement.conditions.prefix_sets
        or any(
            item.name in statement.conditions.prefix_sets and item.ranges in holding
            for item in device.prefix_sets
        )
    )
    return policy.name, kept, policy.default


def _with_sets(device: Device, statement: Statement, holding: set[Ranges]) -> Hashable:
    """A statement with what its names stand for."""
    asked = statement.conditions
    names = {
        *asked.tag_sets, *asked.neighbour_sets, *asked.as_path_sets, *asked.community_sets,
        *asked.all_community_sets,
    }  # fmt: skip
    if statement.actions.communities:
        names.update(statement.actions.communities.remove_sets)
    sets = tuple(
        item
        for items in (
            device.tag_sets, device.neighbour_sets, device.as_path_sets, device.community_sets,
        )
        for item in items
        if item.name in names
    )  # fmt: skip
    called = device.policy(statement.call) if statement.call else None
    return statement, sets, _reduced_policy(device, called, holding) if called else None
