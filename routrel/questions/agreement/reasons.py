"""Why a computed entry is not what was read: the likely reason, with its evidence.

A reason is likely, not proven: it is what both tables and the model say of each other.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import Enum
from functools import cached_property

from routrel.convergence.converge import State
from routrel.convergence.pinned import protocol_of
from routrel.model.addresses import Prefix
from routrel.model.network import INTERFACE_PROTOCOLS
from routrel.model.place import NOWHERE, Place
from routrel.questions.absence import absence
from routrel.questions.agreement.compare import (
    Difference,
    DifferenceKind,
    ObservedEntries,
    TableAgreement,
    compare_table,
    observed_tables,
)
from routrel.rib.candidates import Protocol

__all__ = ["Agreement", "Reason", "ReasonKind", "ReasonedTable", "agreement", "compared"]

#: Prefixes of one table for which the model is asked why it has none; others share an answer.
_MOST_ASKED = 40


class ReasonKind(Enum):
    """The stable identifiers of reasons, in the order in which they are looked for."""

    INTERFACE_DOWN = "interface_down"  #: in reality nothing goes by an interface
    UNKNOWN_INTERFACE = "unknown_interface"  #: it leaves by one that the model does not have
    STATIC_UNKNOWN = "static_unknown"  #: somebody wrote a static route that no file has
    STATIC_GONE = "static_gone"  #: a static route of a file is not there
    PROTOCOL_UNKNOWN = "protocol_unknown"  #: by a protocol that the model does not run there
    NEIGHBOUR_UNKNOWN = "neighbour_unknown"  #: its next hop is nobody of the model
    OTHER_OUTCOME = "other_outcome"  #: routing may rest so as well
    UPSTREAM = "upstream"  #: it follows from a difference at the next hop
    MODEL = "model"  #: the model says why it has none
    NOBODY = "nobody"  #: nobody of the model has anything that would serve
    METRIC = "metric"  #: only a cost on the way is another one
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Reason:
    """A likely reason, with what it is about and where that is written."""

    kind: ReasonKind
    about: str = ""  #: an interface, a neighbour, a device, or what the model says
    place: Place = NOWHERE


@dataclass(frozen=True, slots=True, kw_only=True)
class ReasonedTable:
    """A table's agreement, with the likely reason of each difference."""

    agreement: TableAgreement
    reasons: tuple[Reason, ...]  #: of each difference, in their order


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """All tables that were read."""

    tables: tuple[ReasonedTable, ...]

    @property
    def equal(self) -> int:
        return sum(one.agreement.equal for one in self.tables)

    @property
    def entries(self) -> int:
        return sum(one.agreement.entries for one in self.tables)

    @property
    def agrees(self) -> bool:
        """Whether nothing differs."""
        return self.equal == self.entries


def agreement(state: State, devices: Iterable[str] | None = None) -> Agreement:
    """Hold computed tables against those that were read.

    Args:
        devices: Of which alone; None: of all.
    """
    found = compared(state, devices)
    differing = {
        (one.table.device, difference.prefix) for one in found for difference in one.differences
    }
    return Agreement(
        tables=tuple(_Reasoning(state, one, differing).made() for one in found),
    )


def compared(state: State, devices: Iterable[str] | None = None) -> list[TableAgreement]:
    """The same without reasons."""
    wanted = None if devices is None else set(devices)
    return [
        compare_table(state, ObservedEntries(state, table))
        for table in observed_tables(state)
        if wanted is None or table.device in wanted
    ]


class _Reasoning:
    """Looks for the reasons of one table's differences."""

    def __init__(
        self, state: State, table: TableAgreement, differing: set[tuple[str, Prefix]]
    ) -> None:
        self.state, self.table, self.differing = state, table, differing
        name = table.table.device
        self.device = state.topology.devices[name]
        self.vrf = table.table.vrf
        self.number = state.rib.interning.table_numbers[name, self.vrf]
        self._count = 0
        self.lost = self._lost_interfaces()

    def made(self) -> ReasonedTable:
        reasons = tuple(map(self._reason, self.table.differences))
        return ReasonedTable(agreement=self.table, reasons=reasons)

    def _lost_interfaces(self) -> Mapping[str, Place]:
        """The interfaces that the model uses and by which nothing that was read goes."""
        used = {
            hop.interface
            for route in self.table.table.routes
            for hop in route.hops
            if route.active and hop.interface
        }
        gone = (
            hop.interface
            for one in self.table.differences
            if one.kind is DifferenceKind.MISSING
            and one.computed is not None
            and one.computed.protocol is Protocol.CONNECTED
            for hop in one.computed.next_hops
            if hop.interface is not None and hop.interface not in used
        )
        ends = {name: self.device.interface(name) for name in gone}
        return {name: end.place if end else NOWHERE for name, end in ends.items()}

    def _reason(self, one: Difference) -> Reason:
        computed, observed = one.computed, one.observed
        for way in computed.next_hops if computed else ():
            if way.interface is not None and way.interface in self.lost:
                return Reason(ReasonKind.INTERFACE_DOWN, way.interface, self.lost[way.interface])
        if observed is not None:
            for hop in observed.hops:
                if hop.interface is not None and self.device.interface(hop.interface) is None:
                    return Reason(ReasonKind.UNKNOWN_INTERFACE, hop.interface, self.device.place)
            source = protocol_of(observed.protocol)
            if source is Protocol.STATIC and (
                computed is None or computed.protocol is not Protocol.STATIC
            ):
                return Reason(ReasonKind.STATIC_UNKNOWN, place=self._place(observed.line))
            if self._is_not_run(source):
                return Reason(ReasonKind.PROTOCOL_UNKNOWN, observed.protocol, self.device.place)
        if (
            computed is not None
            and computed.protocol is Protocol.STATIC
            and (observed is None or protocol_of(observed.protocol) is not Protocol.STATIC)
        ):
            return Reason(ReasonKind.STATIC_GONE, place=computed.place)
        if self._rests_otherwise(one):
            return Reason(ReasonKind.OTHER_OUTCOME)
        neighbours = self._neighbours(one)
        for address, owner in neighbours.items():
            if owner is None:
                return Reason(ReasonKind.NEIGHBOUR_UNKNOWN, address, self.device.place)
        for owner in neighbours.values():
            if owner and (owner, one.prefix) in self.differing:
                device = self.state.topology.devices[owner]
                return Reason(ReasonKind.UPSTREAM, owner, device.place)
        if one.kind is DifferenceKind.METRIC:
            return Reason(ReasonKind.METRIC)
        onward = self._differing_onward(one)
        if onward is not None:
            device = self.state.topology.devices[onward]
            return Reason(ReasonKind.UPSTREAM, onward, device.place)
        return self._by_model(one) if computed is None else Reason(ReasonKind.UNKNOWN)

    def _place(self, line: int) -> Place:
        return Place(self.table.table.file, line, 1) if line else NOWHERE

    def _is_not_run(self, protocol: Protocol) -> bool:
        """Whether a table has routes of a protocol that the model does not run in it."""
        if protocol is Protocol.OTHER:
            return True
        vrf = self.device.vrf(self.vrf)
        keys = (*INTERFACE_PROTOCOLS, "bgp")
        return protocol.id in keys and getattr(vrf, protocol.id, None) is None

    def _rests_otherwise(self, one: Difference) -> bool:
        """Whether one of the other outcomes of routing has what was read."""
        return any(one.prefix not in differing for differing in self._others)

    @cached_property
    def _others(self) -> list[set[Prefix]]:
        """Of each other outcome the prefixes that differ from what was read."""
        table = self.table.table
        return [
            {one.prefix for one in compare_table(other, ObservedEntries(other, table)).differences}
            for other in self.state.others_alone
        ]

    def _neighbours(self, one: Difference) -> dict[str, str | None]:
        """The next hops that were read, and who has each; None: nobody."""
        found: dict[str, str | None] = defaultdict(lambda: None)
        outside = {end.ip for each in self.state.network.outside for end in each.addresses}
        for hop in one.observed.hops if one.observed else ():
            if hop.address is None or hop.address in outside:
                continue
            owners = self.state.topology.owners.get(hop.address, ())
            others = [end.device.name for end in owners if end.device.name != self.device.name]
            if hop.address.is_link_local:
                continue
            found[str(hop.address)] = others[0] if others else None
        return found

    def _differing_onward(self, one: Difference) -> str | None:
        """Who on the computed way has a table that was read and differs in the same prefix."""
        pending, seen = [one.computed] if one.computed else [], {self.number}
        numbers = self.state.rib.interning.table_numbers
        while pending:
            route = pending.pop(0)
            for hop in route.next_hops:
                if hop.interface is None or hop.address is None:
                    continue
                end = self.state.topology.answering(route.device, hop.interface, hop.address)
                at = numbers[end.device.name, end.interface.vrf] if end else self.number
                if end is None or at in seen:
                    continue
                if (end.device.name, one.prefix) in self.differing:
                    return end.device.name
                seen.add(at)
                onward = self.state.rib.active_route(at, one.prefix)
                if onward is not None:
                    pending.append(onward)
        return None

    def _by_model(self, one: Difference) -> Reason:
        """Why the model has no such route."""
        if self._count >= _MOST_ASKED:
            return Reason(ReasonKind.UNKNOWN)
        self._count += 1
        told = absence(self.state, self.number, one.prefix)
        if not told.reasons:
            return Reason(ReasonKind.UNKNOWN if told.originators else ReasonKind.NOBODY)
        return Reason(ReasonKind.MODEL, told.reasons[0].text, told.reasons[0].place)
