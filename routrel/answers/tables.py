"""Whole tables: one device's, filtered and a page at a time, or two side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from routrel.answers.base import Answer
from routrel.answers.routes import TitledRouteData, titled_route_data
from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.network import DEFAULT_VRF
from routrel.questions.errors import UnknownName
from routrel.rib.candidates import PathType, Protocol, Rows
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


def table_data(state: State, question: TableQuestion) -> TablePageData:
    """A page of a table.

    Rows stand in order of prefix. Two tables are the same at a prefix if protocol, metric and the
    kind of route agree; next hops differ between devices anyway.

    Raises:
        UnknownName: there is no such device or VRF.
    """
    left = _rows(state, question.device, question.vrf)
    right = _rows(state, question.other, question.vrf) if question.other else left[:0]
    index = state.rib.interning.prefixes
    order = np.asarray(index.order(), np.int64)
    numbers = np.union1d(left["prefix"], right["prefix"])
    numbers = numbers[np.argsort(order[numbers])]
    at = (_places(left, numbers), _places(right, numbers))
    chosen = np.ones(len(numbers), bool)
    if question.differing:
        chosen &= ~_same(state, left, right, at)
    words = question.contains.lower().split()
    if words:
        chosen &= _hold(state, words, numbers, ((left, at[0]), (right, at[1])))
    page = np.flatnonzero(chosen)[question.offset : question.offset + question.limit]
    return TablePageData(
        total=len(numbers),
        matching=int(chosen.sum()),
        offset=question.offset,
        rows=[
            TableRowData(
                prefix=text,
                left=_data(state, left, at[0][row]),
                right=_data(state, right, at[1][row]),
            )
            for row, text in zip(page, index.texts(numbers[page].tolist()), strict=True)
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


def _places(rows: Rows, numbers: Ints) -> Ints:
    """For each prefix its place in the rows of a table; -1 where the table has none."""
    if not len(rows):
        return np.full(len(numbers), -1, np.int64)
    at = np.minimum(np.searchsorted(rows["prefix"], numbers), len(rows) - 1)
    return np.where(rows["prefix"][at] == numbers, at, -1)


def _hold(
    state: State, words: Sequence[str], numbers: Ints, tables: Sequence[tuple[Rows, Ints]]
) -> Bools:
    """Which prefixes have every word in themselves, or in a row's protocol or next hops."""
    texts = state.rib.interning.prefixes.texts(numbers.tolist())
    there = [at >= 0 for _, at in tables]
    mine = [rows[at[some]] for (rows, at), some in zip(tables, there, strict=True)]
    all_held = np.ones(len(numbers), bool)
    for word in words:
        held = np.fromiter((word in text for text in texts), bool, len(texts))
        for rows, some in zip(mine, there, strict=True):
            held[some] |= _rows_hold(state, rows, word)
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


def _same(state: State, left: Rows, right: Rows, at: tuple[Ints, Ints]) -> Bools:
    """Where both tables have a prefix by the same kind of route with the same metric."""
    count = len(state.rib.interning.kinds.kinds)
    numbers: dict[object, int] = {}
    alike = np.array(
        [numbers.setdefault(_kind_of(state, kind), len(numbers)) for kind in range(count)], np.int64
    )
    both = (at[0] >= 0) & (at[1] >= 0)
    ours, theirs = left[at[0][both]], right[at[1][both]]
    same = np.zeros(len(both), bool)
    same[both] = (alike[ours["kind"]] == alike[theirs["kind"]]) & (
        ours["metric"] == theirs["metric"]
    )
    return same


def _data(state: State, rows: Rows, at: int) -> TitledRouteData | None:
    return None if at < 0 else titled_route_data(state, state.rib.route(rows[at]))
