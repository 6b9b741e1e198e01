"""What distance-vector protocols share: when and how they settle, and what they leave open.

All routers tell at once what they have, round by round. Every hop adds to a metric, so where that
ends does not depend on the order of messages, unless policies set metrics: then it may go round in
circles, or end elsewhere if somebody hears later than others. Both is looked for.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, Generic, Protocol, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.policy.redistribute import Injected, injected_key
from routrel.protocols.contract import Domain, Inputs, OtherWay, Result
from routrel.protocols.shared.recent import digest_of
from routrel.protocols.shared.turns import orders_to_try
from routrel.rib.candidates import Interning, Table
from routrel.rib.candidates import Protocol as RouteProtocol
from routrel.rib.table import Route, RowsByTable
from routrel.topology.segments import Topology

__all__ = [
    "ALL_HEAR",
    "Asked",
    "Held",
    "Rest",
    "Told",
    "VectorDomain",
    "VectorPort",
    "VectorResult",
    "VectorRouter",
]

#: Rounds in step beyond those that a route needs to cross the network.
_MORE_ROUNDS = 100
#: Steps of single routers, for each in question.
_MAXIMUM_STEPS = 40
_FEW_ROUTERS = 3
#: Ports that may hear late, one after the other, and of which every two may together.
_MOST_PORTS = 64
_FEW_PORTS = 16
_MAXIMUM_ORDERS = 8
#: Searches for other ways to rest whose results are kept while tables move.
_KEPT_RESTS = 32

_NOTHING: NDArray[np.int32] = np.zeros(0, dtype=np.int32)
#: By router index: the prefixes its table holds active under another protocol.
Held = Mapping[int, NDArray[np.int32]]


@dataclass(frozen=True, slots=True)
class Told:
    """What routers have to tell at one moment."""

    values: tuple[NDArray[Any], ...]  #: each [router, column]
    learned_by: NDArray[np.bool_]  #: [port, column]: it comes from there and is not told there

    @property
    def digest(self) -> bytes:
        """By which a state that comes again is known."""
        return digest_of(self.learned_by, *self.values)


@dataclass(frozen=True, slots=True)
class _Rests:
    """How it may come to rest by itself, the way of all in step first."""

    states: tuple[Told, ...]
    never: NDArray[np.bool_] | None  #: [router, column] of what never rests; None: all does
    searched: bool  #: whether all that may lead elsewhere was tried


#: From what all tell, and the ports that hear nothing yet, to what all would tell next.
Step: TypeAlias = Callable[[Told, frozenset[int]], Told]
#: No such ports.
ALL_HEAR: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Rest:
    """How routers rest in the way that is taken, and what is in doubt about it."""

    told: Told
    ways: int  #: in how many ways they may rest by themselves
    searched: bool  #: whether the search for them was made to its end
    oscillating: frozenset[tuple[int, int]]  #: tables and prefixes that never settle
    order_dependent: frozenset[tuple[int, int]]  #: that settle as an order of routers has it


class _Settings(Protocol):
    @property
    def import_policy(self) -> PolicyUse | None: ...
    @property
    def export_policy(self) -> PolicyUse | None: ...


class VectorPort(Protocol):
    """One up interface of a router of such a protocol."""

    @property
    def key(self) -> tuple[str, str]: ...
    @property
    def settings(self) -> _Settings: ...


class VectorRouter(Protocol):
    """The protocol in one table."""

    @property
    def table(self) -> Table: ...
    @property
    def ports(self) -> Sequence[VectorPort]: ...


Router = TypeVar("Router", bound=VectorRouter)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a result rests on: equal keys give equal results."""

    key: Hashable
    choice: int  #: the number of the way to rest that is taken
    held: Held = field(compare=False)
    injected: Mapping[int, tuple[Injected, ...]] = field(compare=False)


class VectorDomain(Domain, Generic[Router]):
    """All routers of a protocol that passes on what is active in each one's table."""

    follows_late_routes = True

    def __init__(
        self,
        topology: Topology,
        protocol: RouteProtocol,
        interning: Interning,
        routers: Iterable[Router],
    ) -> None:
        self.topology, self.protocol, self.interning = topology, protocol, interning
        self.routers = tuple(routers)
        self.index_of = {router.table: index for index, router in enumerate(self.routers)}
        #: A number for each port of all routers.
        self.port_numbers: dict[tuple[str, str], int] = {}
        owners: list[int] = []  #: by port number: the index of its router
        for index, router in enumerate(self.routers):
            for port in router.ports:
                self.port_numbers[port.key] = len(owners)
                owners.append(index)
        self._port_owners = np.array(owners, dtype=np.int64)
        self._rests: dict[Hashable, _Rests] = {}  #: by what was asked, where ports turn

    def looks_at(self) -> Iterator[Table]:
        """Those of all routers: they pass on what is active."""
        return (router.table for router in self.routers)

    def asked(self, inputs: Inputs) -> Asked:
        tables = self.interning.table_numbers
        held = {
            index: np.union1d(
                inputs.view.held_by_others(tables[router.table], self.protocol),
                inputs.kept_out.get(index, _NOTHING),
            )
            for index, router in enumerate(self.routers)
        }
        return Asked(
            key=(
                injected_key(inputs.injected),
                tuple(prefixes.tobytes() for prefixes in held.values()),
            ),
            held=held,
            injected=inputs.injected,
            choice=inputs.choice if isinstance(inputs.choice, int) else 0,
        )

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> VectorResult:
        if not isinstance(asked, Asked):
            raise TypeError(asked)
        return self._settle(inputs, asked)

    @abstractmethod
    def _settle(self, inputs: Inputs, asked: Asked) -> VectorResult:
        """What holds when nothing changes any more."""

    def _told_elsewhere(
        self, learned_by: NDArray[np.bool_], own: NDArray[np.bool_]
    ) -> NDArray[np.bool_]:
        """Split horizon: [port, column] of what a router learned there and so does not tell there.

        Args:
            learned_by: [port, column] of the ways a router takes.
            own: [router, column] of what a router announces of its own, everywhere.
        """
        return learned_by & ~own[self._port_owners]

    # --- settling ------------------------------------------------------------------------------

    def _rest(
        self,
        asked: Asked,
        first: Told,
        step: Step,
        columns: NDArray[np.int32],
        turning: Sequence[int] = (),
    ) -> Rest:
        """What routers tell when nothing changes any more, or a moment of what never ends.

        Args:
            first: What they tell to begin with.
            step: From what all tell to what all would tell next.
            columns: The prefix number of each column.
            turning: Ports that may hear later than others, where that may lead elsewhere.
        """
        rests = self._rests.get(asked.key)
        if rests is None:
            rests = self._ways_to_rest(first, step, turning)
            if turning:
                self._rests = dict([*self._rests.items(), (asked.key, rests)][-_KEPT_RESTS:])
        states = rests.states
        oscillating: frozenset[tuple[int, int]] = frozenset()
        order_dependent: frozenset[tuple[int, int]] = frozenset()
        if rests.never is not None:
            oscillating = self._uncertain(rests.never, columns)
        elif len(states) > 1:
            moves = [self._moved(states[0], one) for one in states[1:]]
            order_dependent = self._uncertain(np.logical_or.reduce(moves), columns)
        return Rest(
            states[asked.choice if asked.choice < len(states) else 0],
            len(states),
            rests.searched,
            oscillating,
            order_dependent,
        )

    def _ways_to_rest(self, first: Told, step: Step, turning: Sequence[int]) -> _Rests:
        """Where it ends, with all in step or in turns, and where else if some ports hear late."""
        state, never = self._in_step(first, step, ALL_HEAR)
        found = [state]
        if never is not None:
            found = self._in_turns(first, step, never)
            if not found:
                return _Rests((state,), never, searched=True)
        for ports in _late_ports(turning):
            late, moving = self._in_step(first, step, ports)
            if moving is None:
                late, moving = self._in_step(late, step, ALL_HEAR)
            if moving is None and self._is_new(late, found):
                found.append(late)
        return _Rests(tuple(found), None, searched=len(turning) <= _MOST_PORTS)

    def _in_step(
        self, state: Told, step: Step, deaf: frozenset[int]
    ) -> tuple[Told, NDArray[np.bool_] | None]:
        """All tell at once until nothing changes: what they tell then, or also who never rests."""
        moves: list[NDArray[np.bool_]] = []
        seen = {state.digest: 0}
        for _ in range(len(self.routers) + _MORE_ROUNDS):
            new = step(state, deaf)
            moving = self._moved(state, new)
            if not moving.any():
                return new, None
            state = new
            moves.append(moving)
            begun = seen.setdefault(state.digest, len(moves))
            if begun < len(moves):
                return state, np.logical_or.reduce(moves[begun:])
        return state, np.logical_or.reduce(moves[-_MAXIMUM_STEPS:])

    def _in_turns(self, first: Told, step: Step, contested: NDArray[np.bool_]) -> list[Told]:
        """The outcomes of routers in question moving one at a time, in different orders."""
        movers = np.flatnonzero(contested.any(axis=1)).tolist()
        found: list[Told] = []
        for order in orders_to_try(movers, few=_FEW_ROUTERS, most=_MAXIMUM_ORDERS):
            state = self._in_turn(first, step, order)
            if state and self._is_new(state, found):
                found.append(state)
        return found

    def _in_turn(self, first: Told, step: Step, order: Sequence[int]) -> Told | None:
        """Some routers move one at a time, all others at once; None where that never ends."""
        state, turn = first, 0
        seen = set[tuple[int, bytes]]()
        for _ in range(_MAXIMUM_STEPS * (len(order) + 1)):
            if (turn, state.digest) in seen:
                return None
            seen.add((turn, state.digest))
            new = step(state, ALL_HEAR)
            moved = self._moved(state, new)
            if not moved.any():
                return new
            moving = set(np.argwhere(moved)[:, 0].tolist())
            still = set(order)
            waiting = [place for place, router in enumerate(order) if router in moving]
            if waiting:
                place = next((p for p in waiting if p >= turn), waiting[0])
                turn = place + 1
                still.discard(order[place])
            state = self._mixed(state, new, still)
        return None

    def _is_new(self, state: Told, found: Sequence[Told]) -> bool:
        return all(self._moved(state, one).any() for one in found)

    def _moved(self, old: Told, new: Told) -> NDArray[np.bool_]:
        """Which routers tell something else, by column."""
        pairs = zip(old.values, new.values, strict=True)
        moved = np.zeros(old.values[0].shape, dtype=bool)
        for before, after in pairs:
            moved |= before != after
        np.logical_or.at(moved, self._port_owners, old.learned_by != new.learned_by)
        return moved

    def _mixed(self, old: Told, new: Told, still: set[int]) -> Told:
        """What is told next, but by routers that stand still."""
        routers = np.isin(np.arange(len(self.routers)), list(still))
        ports = routers[self._port_owners]
        return Told(
            tuple(
                np.where(routers[:, None], a, b)
                for a, b in zip(old.values, new.values, strict=True)
            ),
            np.where(ports[:, None], old.learned_by, new.learned_by),
        )

    def _uncertain(
        self, contested: NDArray[np.bool_], columns: NDArray[np.int32]
    ) -> frozenset[tuple[int, int]]:
        tables = self.interning.table_numbers
        return frozenset(
            (tables[self.routers[index].table], int(columns[column]))
            for index, column in np.argwhere(contested).tolist()
        )


@dataclass(frozen=True, kw_only=True)
class VectorResult(Result, ABC):
    """What routers tell and hold once nothing changes any more."""

    inputs: Inputs
    by_table: RowsByTable
    rest: Rest

    @property
    def oscillating(self) -> frozenset[tuple[int, int]]:
        return self.rest.oscillating

    @property
    def searched(self) -> bool:
        return self.rest.searched

    def other_ways(self) -> Iterator[OtherWay]:
        """All but the way of all in step."""
        return (OtherWay(choice=number) for number in range(1, self.rest.ways))

    @abstractmethod
    def ports_of(self, table: Table) -> Sequence[VectorPort]:
        """The ports of a table's router; none where it has none."""

    def deciding_places(self, table: Table) -> Iterator[Place]:
        """Where neighbours are treated by policies, if it may rest in several ways."""
        if self.rest.ways > 1:
            for port in self.ports_of(table):
                for use in (port.settings.import_policy, port.settings.export_policy):
                    if use is not None:
                        yield use.place

    def explains(self, route: Route) -> bool:
        return not route.discard


def _late_ports(turning: Sequence[int]) -> Iterator[frozenset[int]]:
    """Which ports hear late: each alone, and of a few every two."""
    for port in turning[:_MOST_PORTS]:
        yield frozenset((port,))
    if len(turning) <= _FEW_PORTS:
        yield from map(frozenset, combinations(turning, 2))
