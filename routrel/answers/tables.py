"""Whole tables, filtered and a page at a time.

Beside a table may stand that of another device, or its own in another state of the network.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from routrel.answers.base import Answer
from routrel.answers.routes import TitledRouteData, titled_route_data
from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.network import DEFAULT_VRF
from routrel.model.prefix_index import PrefixIndex
from routrel.questions.errors import UnknownName
from routrel.rib.candidates import PathType, Protocol, Rows, no_rows
from routrel.rib.numbering import shared_numbers
from routrel.wording.routes import protocol_type_words

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

__all__ = ["TablePageData", "TableQuestion", "table_data"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TableQuestion:
    """Which part of which table; `other` puts a second device beside it."""

    device: str
    vrf: str = DEFAULT_VRF
    other: str | None = None
    contains: str = ""  #: words that a row's prefix, protocol or next hops must hold
    differing: bool = False  #: of two tables: only what is not the same in both
    offset: int = 0
    limit: int = 200


class TableRowData(Answer):
    """A prefix in one or two tables."""

    prefix: str
    left: TitledRouteData | None
    right: TitledRouteData | None


class TablePageData(Answer):
    """A page of a table, or of two beside each other."""

    total: int
    matching: int  #: of them, what the question chooses
    offset: int
    rows: list[TableRowData]


@dataclass(frozen=True, slots=True)
class _Side:
    """One of two tables beside each other."""

    state: State
    rows: Rows  #: the active ones
    numbers: Ints  #: of their prefixes, in an index that both sides share; rising

    @classmethod
    def of(cls, state: State, device: str, vrf: str, index: PrefixIndex) -> _Side:
        rows = _rows(state, device, vrf)
        numbers = rows["prefix"].astype(np.int64)
        if index is not state.rib.interning.prefixes:
            known = state.rib.interning.prefixes.prefixes
            numbers = np.array([index.add(known[n]) for n in numbers.tolist()], dtype=np.int64)
        order = np.argsort(numbers, kind="stable")
        return cls(state, rows.take(order), numbers[order])

    @classmethod
    def nothing(cls, state: State) -> _Side:
        return cls(state, no_rows(), np.zeros(0, dtype=np.int64))

    def places(self, numbers: Ints) -> Ints:
        """For each prefix its place in the rows; -1 where the table has none."""
        if not len(self.rows):
            return np.full(len(numbers), -1, np.int64)
        at = np.minimum(np.searchsorted(self.numbers, numbers), len(self.rows) - 1)
        return np.where(self.numbers[at] == numbers, at, -1)

    def data(self, at: int) -> TitledRouteData | None:
        """The row at a place."""
        if at < 0:
            return None
        return titled_route_data(self.state, self.state.rib.route(self.rows[at]))


def table_data(state: State, question: TableQuestion, before: State | None = None) -> TablePageData:
    """A page of a table.

    Rows stand in order of prefix. Tables of two devices are the same at a prefix if protocol,
    metric and the kind of route agree; next hops differ between devices anyway.

    Args:
        before: Another state of the network: the same table there stands beside it, and next hops
            count too. `other` is not looked at then.
    Raises:
        UnknownName: there is no such device or VRF.
    """
    index = state.rib.interning.prefixes
    if before is not None:
        index = index.copy()
    left = _Side.of(state, question.device, question.vrf, index)
    right = _Side.nothing(state)
    if before is not None:
        if (question.device, question.vrf) in before.rib.interning.table_numbers:
            right = _Side.of(before, question.device, question.vrf, index)
    elif question.other:
        right = _Side.of(state, question.other, question.vrf, index)
    order = np.asarray(index.order(), np.int64)
    numbers = np.union1d(left.numbers, right.numbers)
    numbers = numbers[np.argsort(order[numbers])]
    sides = (left, left.places(numbers)), (right, right.places(numbers))
    chosen = np.ones(len(numbers), bool)
    if question.differing:
        chosen &= ~_same(sides, hops=before is not None)
    words = question.contains.lower().split()
    if words:
        chosen &= _hold(words, index.texts(numbers.tolist()), sides)
    page = np.flatnonzero(chosen)[question.offset : question.offset + question.limit]
    return TablePageData(
        total=len(numbers),
        matching=int(chosen.sum()),
        offset=question.offset,
        rows=[
            TableRowData(prefix=text, left=left.data(at), right=right.data(there))
            for at, there, text in zip(
                *(places[page].tolist() for _, places in sides),
                index.texts(numbers[page].tolist()),
                strict=True,
            )
        ],
    )


def _rows(state: State, device: str, vrf: str) -> Rows:
    """The active rows of a table, in order of their prefix's number."""
    devices = state.topology.devices
    if device not in devices:
        raise UnknownName(f"there is no device “{device}”", closest(device, devices))
    table = state.rib.interning.table_numbers.get((device, vrf))
    if table is None:
        known = [each.name for each in devices[device].vrfs]
        raise UnknownName(f"{device} has no VRF “{vrf}”", closest(vrf, known))
    return state.rib.table_rows(table)


def _hold(words: Sequence[str], texts: Sequence[str], sides: Sequence[tuple[_Side, Ints]]) -> Bools:
    """Which prefixes have every word in themselves, or in a row's protocol or next hops."""
    there = [at >= 0 for _, at in sides]
    mine = [side.rows.take(at[some]) for (side, at), some in zip(sides, there, strict=True)]
    all_held = np.ones(len(texts), bool)
    for word in words:
        held = np.fromiter((word in text for text in texts), bool, len(texts))
        for (side, _), rows, some in zip(sides, mine, there, strict=True):
            held[some] |= _rows_hold(side.state, rows, word)
        all_held &= held
    return all_held


def _rows_hold(state: State, rows: Rows, word: str) -> Bools:
    by_kind = _marked(rows["kind"], lambda number: word in _kind_text(*_kind_of(state, number)))
    by_hops = _marked(rows["next_hops"], lambda number: word in _hops_text(state, number))
    return by_kind | by_hops


def _marked(numbers: NDArray[np.int32], holds: Callable[[int], bool]) -> Bools:
    """Of each number whether something holds, which is asked once for each that occurs."""
    different, at = np.unique(numbers, return_inverse=True)
    return np.fromiter((holds(n) for n in different.tolist()), bool, len(different))[at]


def _kind_of(state: State, number: int) -> tuple[Protocol, PathType]:
    kind = state.rib.interning.kinds.kinds[number]
    return kind.protocol, kind.path_type


@cache
def _kind_text(protocol: Protocol, path_type: PathType) -> str:
    return f"{protocol.id} {protocol_type_words(protocol, path_type)}".lower()


def _hops_text(state: State, number: int) -> str:
    hops = state.rib.interning.next_hops.sets[number]
    return " ".join(f"{hop.address or ''} {hop.interface or 'discard'}" for hop in hops).lower()


def _same(sides: tuple[tuple[_Side, Ints], tuple[_Side, Ints]], *, hops: bool) -> Bools:
    """Where both tables have a prefix by the same kind of route with the same metric.

    Args:
        hops: Whether all else that a route is has to agree, its next hops included.
    """
    (left, at), (right, there) = sides
    both = (at >= 0) & (there >= 0)
    ours, theirs = left.rows.take(at[both]), right.rows.take(there[both])
    alike = ours["metric"] == theirs["metric"]
    kinds: dict[Hashable, int] = {}
    sets: dict[Hashable, int] = {}
    contents = (
        _content(side, rows, kinds, sets, whole=hops)
        for side, rows in ((left, ours), (right, theirs))
    )
    for one, two in zip(*contents, strict=True):
        alike &= one == two
    same = np.zeros(len(both), bool)
    same[both] = alike
    return same


def _content(
    side: _Side, rows: Rows, kinds: dict[Hashable, int], sets: dict[Hashable, int], *, whole: bool
) -> list[NDArray[np.int32]]:
    """The kinds of rows, and their next hops if those count, by numbers that both sides share."""
    interning = side.state.rib.interning

    def kind(number: int) -> Hashable:
        return interning.kinds.kinds[number].placeless if whole else _kind_of(side.state, number)

    found = [shared_numbers(rows["kind"], kind, kinds)]
    if whole:
        found.append(shared_numbers(rows["next_hops"], interning.next_hops.sets.__getitem__, sets))
    return found
