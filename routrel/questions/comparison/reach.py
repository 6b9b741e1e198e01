"""From where packets to an address may come to where two states differ.

What is found is never too little: a flow that starts at no such table takes the same way in both.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Set
from dataclasses import replace
from typing import Any, TypeAlias

from routrel.convergence.converge import State
from routrel.model.addresses import Address
from routrel.model.filters import Filter
from routrel.model.network import INTERFACE_PROTOCOLS, Device, Interface, Vrf
from routrel.model.traffic import ICMP, ICMPV6
from routrel.questions.comparison.routes import route_changes
from routrel.rib.candidates import NextHop, Table
from routrel.topology.segments import Attachment
from routrel.topology.touched import beside

__all__ = ["Reach"]

#: What a table does with an address: whether it drops or passes on, its ways, and who is there.
_Action: TypeAlias = tuple[bool, bool, tuple[NextHop, ...], tuple["_Receiver", ...]]
#: The table of a device, or an outside network; None: nobody.
_Receiver: TypeAlias = Table | str | None


class Reach:
    """Two states, and what of them may treat a packet otherwise.

    Attributes:
        changed: The devices that may treat some packet otherwise. A flow that passes none of them
            in the one state takes the same way in the other: each step of it is the same.
    """

    def __init__(self, before: State, after: State, *, pings: bool = False) -> None:
        """
        Args:
            pings: Only echo requests and replies count (RFC 792, RFC 4443), so rules of filters
                that match none of them do not.
        """
        self._states = (before, after)
        self._ribs = [_ByPrefix(state) for state in self._states]
        touched = {*_touched(before, after, pings=pings), *_around_failures(before, after)}
        moved = route_changes(before.rib, after.rib)
        self.changed = touched | {change.table[0] for change in moved}
        devices = [device for state in self._states for device in state.network.devices]
        diverting = {d.name for d in devices if _looks_beyond(d)} if self.changed else set()
        self._diverting = self._tables_of(diverting)
        self._touched = self._tables_of(touched)
        self._known: dict[Address, frozenset[Table]] = {}

    def _tables_of(self, names: set[str]) -> frozenset[Table]:
        tables = (table for state in self._states for table in state.rib.interning.tables)
        return frozenset(table for table in tables if table[0] in names)

    def may_differ(
        self, source: Address, sending: Set[Table], destination: Address, answering: Set[Table]
    ) -> bool:
        """Whether a flow, or its answers, may be treated otherwise in the second state.

        Args:
            sending: The tables in which packets begin.
            answering: Those in which answers do.
        """
        return bool(sending & self._reaching(destination) or answering & self._reaching(source))

    def _reaching(self, address: Address) -> frozenset[Table]:
        """From where packets to an address may come to a difference, or to where routes to it are
        not all that counts."""
        if address not in self._known:
            actions = [rib.actions(address) for rib in self._ribs]
            tables = actions[0].keys() | actions[1].keys()
            seeds = {table for table in tables if actions[0].get(table) != actions[1].get(table)}
            self._known[address] = _backward(
                _into(actions), seeds | self._touched | self._diverting
            )
        return self._known[address]


def _looks_beyond(device: Device) -> bool:
    """Whether a device treats packets by more than its rules and the route to their destination.

    Steering looks up other addresses, a reverse-path check the source, and behind what translates
    addresses a packet has other ends than it is asked with.
    """
    checks = (interface.reverse_path_check for interface in device.interfaces)
    return bool(device.steerings or device.translation) or any(checks)


def _into(actions: Iterable[Mapping[Table, _Action]]) -> dict[Table, set[Table]]:
    """From which tables packets may come to a table."""
    into: dict[Table, set[Table]] = {}
    for found in actions:
        for table, (_, _, _, receivers) in found.items():
            for receiver in receivers:
                if isinstance(receiver, tuple):
                    into.setdefault(receiver, set()).add(table)
    return into


def _backward(into: Mapping[Table, Set[Table]], seeds: Set[Table]) -> frozenset[Table]:
    """Some tables, and all from which packets may come to them."""
    reached, waiting = set(seeds), list(seeds)
    while waiting:
        for table in into.get(waiting.pop(), ()):
            if table not in reached:
                reached.add(table)
                waiting.append(table)
    return frozenset(reached)


class _ByPrefix:
    """The active routes of a state by prefix."""

    def __init__(self, state: State) -> None:
        self.rib, self._topology = state.rib, state.topology
        self._rows: dict[int, list[int]] = {}
        for row, prefix in enumerate(self.rib.active["prefix"].tolist()):
            self._rows.setdefault(prefix, []).append(row)
        self._receivers: dict[tuple[str, str, Address], _Receiver] = {}

    def actions(self, address: Address) -> dict[Table, _Action]:
        """What each table that has a route does with an address, by the longest match."""
        interning, active = self.rib.interning, self.rib.active
        found: dict[Table, _Action] = {}
        for prefix in interning.prefixes.matches(address):
            for row in self._rows.get(prefix, ()):
                table = interning.tables[active[row]["table"]]
                if table not in found:
                    found[table] = self._action(row, table[0], address)
        return found

    def _action(self, row: int, device: str, address: Address) -> _Action:
        interning, active = self.rib.interning, self.rib.active
        kind = interning.kinds.kinds[active[row]["kind"]]
        hops = interning.next_hops.sets[active[row]["next_hops"]]
        receivers = tuple(
            self._receiver(device, hop.interface, hop.address or address)
            for hop in hops
            if hop.interface is not None
        )
        return kind.discard, kind.pass_on, hops, receivers

    def _receiver(self, device: str, interface: str, address: Address) -> _Receiver:
        key = (device, interface, address)
        if key not in self._receivers:
            out = self._topology.devices[device].interface(interface)
            found = self._topology.receiver(device, out, address) if out else None
            if isinstance(found, Attachment):
                self._receivers[key] = (found.device.name, found.interface.vrf)
            else:
                self._receivers[key] = found.neighbour.name if found else None
        return self._receivers[key]


def _around_failures(before: State, after: State) -> Iterator[str]:
    """Devices at which something has failed in one of the states alone, and those next to them."""
    one, other = before.topology.failed, after.topology.failed
    names = set(one.devices.keys() ^ other.devices.keys())
    for mine, theirs in (
        (one.interfaces, other.interfaces),
        (one.directions, other.directions),
    ):
        names |= {device for device, _ in mine.keys() ^ theirs.keys()}
    for state, segments in ((before, one.segments), (after, other.segments)):
        if one.segments.keys() != other.segments.keys():
            ends = (e for s in state.topology.segments if s.id in segments for e in s.ends)
            names |= {end.device.name for end in ends}
        if one.lines.keys() != other.lines.keys():
            met = (e for s in state.topology.segments if s.outside for e in s.ends)
            names |= {end.device.name for end in met}
    for name in names:
        yield name
        yield from beside(before.topology, name)
        yield from beside(after.topology, name)


def _touched(before: State, after: State, *, pings: bool) -> Iterator[str]:
    """Devices that treat packets otherwise by more than their tables, and those next to them."""
    devices = {**before.topology.devices, **after.topology.devices}
    for name in devices:
        then, now = before.topology.devices.get(name), after.topology.devices.get(name)
        if then is None or now is None:
            yield name
            yield from beside((before if now is None else after).topology, name)
            continue
        if then is not now and _bare(then, pings=pings) != _bare(now, pings=pings):
            yield name
            yield from beside(before.topology, name)
            yield from beside(after.topology, name)
    old, new = before.network.outside, after.network.outside
    if [(o.addresses, o.prefixes) for o in old] != [(o.addresses, o.prefixes) for o in new]:
        for state in (before, after):
            for segment in state.topology.segments:
                yield from (end.device.name for end in segment.ends if segment.outside)


def _bare(device: Device, *, pings: bool) -> Device:
    """A device without all that only its tables depend on, and what counts for no packet at all."""
    return replace(
        device,
        filters=tuple(_bare_filter(one, pings=pings) for one in device.filters),
        description="",
        site=None,
        policies=(),
        prefix_sets=(),
        tag_sets=(),
        as_path_sets=(),
        community_sets=(),
        neighbour_sets=(),
        interfaces=tuple(map(_bare_interface, device.interfaces)),
        vrfs=tuple(Vrf(name=vrf.name) for vrf in device.vrfs),
    )


def _bare_filter(found: Filter, *, pings: bool) -> Filter:
    """A filter without words; of pings alone without the rules that match none."""
    rules = tuple(
        replace(rule, id=0, description="")
        for rule in found.rules
        if not pings or rule.match.protocol in (None, ICMP, ICMPV6)
    )
    asked = tuple(_bare_filter(each, pings=pings) for each in found.asked)
    return replace(found, description="", rules=rules, asked=asked)


def _bare_interface(interface: Interface) -> Interface:
    without: dict[str, Any] = dict.fromkeys(INTERFACE_PROTOCOLS)
    return replace(interface, description="", bandwidth_bps=None, delay_us=None, **without)
