"""What an answer rests on, so that it need not be found again where that is the same.

A packet's way rests on the devices that it meets and on what was looked up in tables for it, in
every outcome of routing. What a device makes of a packet rests on nothing else of the network
(`topology/touched.py`).
"""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.forwarding.fib import Entry
from routrel.forwarding.lookup import LookedUp, Lookup
from routrel.model.addresses import Address
from routrel.model.network import Device
from routrel.model.place import Place
from routrel.questions.flow import WaysAlone
from routrel.topology.touched import touched

__all__ = ["RecordedWays", "Rests", "touched_devices"]


@dataclass(frozen=True, slots=True)
class Rests:
    """What was looked up, by outcome of routing, what was met, and where packets begin."""

    looked_up: tuple[LookedUp, ...]
    devices: Set[str]
    begins: tuple[object, ...]


class RecordedWays(WaysAlone):
    """Asks flows of one state for their ways alone, and knows what was looked up for them."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._each: list[Lookup] = [self.lookup(one) for one in (state, *state.others_alone)]

    def begin(self) -> None:
        """From here on look-ups count for the next answer."""
        for lookup in self._each:
            lookup.asked = {}

    def rests(self, devices: Set[str], begins: tuple[object, ...]) -> Rests:
        """What was looked up since the beginning, with the devices that were met."""
        return Rests(tuple(lookup.asked for lookup in self._each), devices, begins)

    def still_holds(
        self,
        rests: Rests | None,
        touched: Set[str] | None,
        begins: Callable[[], tuple[object, ...]],
    ) -> bool:
        """Whether an answer of another state is that of this one.

        It is where nothing that was met is touched, packets begin where they did, and all tables
        say the same of what was looked up, outcome by outcome.

        Args:
            rests: What the answer rests on; None: it is not known to rest on anything.
            touched: As `touched_devices`.
            begins: Where packets begin here.
        """
        if rests is None or touched is None or not touched.isdisjoint(rests.devices):
            return False
        if len(rests.looked_up) != len(self._each) or begins() != rests.begins:
            return False
        return all(
            _treats_alike(lookup.entry_in(*at), entry)
            for lookup, looked_up in zip(self._each, rests.looked_up, strict=True)
            for at, entry in looked_up.items()
        )

    def says_alike(self, rests: Rests, one: Address, other: Address) -> bool:
        """Whether all tables that were asked for an address say the same of another one."""
        return all(
            _treats_alike(lookup.entry_in(table, other), entry)
            for lookup, looked_up in zip(self._each, rests.looked_up, strict=True)
            for (table, address), entry in looked_up.items()
            if address == one
        )


def _treats_alike(one: Entry | None, other: Entry | None) -> bool:
    """Whether two entries do the same with a packet; a metric does nothing."""
    if one is None or other is None:
        return one is other
    return (
        one.action == other.action
        and one.route.prefix == other.route.prefix
        and one.route.protocol is other.route.protocol
    )


def touched_devices(before: State, after: State) -> frozenset[str] | None:
    """The devices that may be otherwise in more than their tables; None: any, and ends too."""
    if before.oscillating != after.oscillating:
        return None
    if before.rib.interning.tables != after.rib.interning.tables:
        return None
    return touched(before.topology, after.topology, _is_same)


def _is_same(one: object, other: object) -> bool:
    """Whether two things are equal; of devices the rules that are cited on the same lines too."""
    if one is other:
        return True
    if isinstance(one, Device) and isinstance(other, Device):
        return one == other and _rule_places(one) == _rule_places(other)
    return one == other


def _rule_places(device: Device) -> list[Place]:
    return [
        *(rule.place for each in device.filters for rule in each.rules),
        *(each.default_place for each in device.filters),
        *(rule.place for each in device.steerings for rule in each.rules),
        *(rule.place for rule in device.translation),
    ]
