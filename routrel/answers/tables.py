"""Whole tables: one device's, filtered and a page at a time, or two side by side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from routrel.answers.base import Answer
from routrel.answers.routes import TitledRouteData, titled_route_data
from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.network import DEFAULT_VRF
from routrel.questions.errors import UnknownName
from routrel.wording.routes import protocol_type_words

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
    left = _routes(state, question.device, question.vrf)
    right = _routes(state, question.other, question.vrf) if question.other else {}
    prefixes = state.rib.interning.prefixes.prefixes
    order = state.rib.interning.prefixes.order()
    ordered = sorted({*left, *right}, key=order.__getitem__)
    words = question.contains.lower().split()
    chosen = [
        number
        for number in ordered
        if not (question.differing and _same(state, left.get(number), right.get(number)))
        and (not words or _holds(_text(state, left.get(number), right.get(number)), words))
    ]
    page = chosen[question.offset : question.offset + question.limit]
    return TablePageData(
        total=len(ordered),
        matching=len(chosen),
        offset=question.offset,
        rows=[
            TableRowData(
                prefix=str(prefixes[number]),
                left=_data(state, left.get(number)),
                right=_data(state, right.get(number)),
            )
            for number in page
        ],
    )


def _routes(state: State, device: str, vrf: str) -> dict[int, np.void]:
    devices = state.topology.devices
    if device not in devices:
        raise UnknownName(f"there is no device “{device}”", closest(device, devices))
    table = state.rib.interning.table_numbers.get((device, vrf))
    if table is None:
        known = [each.name for each in devices[device].vrfs]
        raise UnknownName(f"{device} has no VRF “{vrf}”", closest(vrf, known))
    rows = state.rib.table_rows(table)
    return dict(zip(rows["prefix"].tolist(), rows, strict=True))


def _holds(text: str, words: list[str]) -> bool:
    return all(word in text for word in words)


def _text(state: State, *rows: np.void | None) -> str:
    """All that a filter may look for in the rows of one prefix, in lower case."""
    interning = state.rib.interning
    words = []
    for row in rows:
        if row is not None:
            kind = interning.kinds.kinds[row["kind"]]
            words += [str(interning.prefixes.prefixes[row["prefix"]]), kind.protocol.id]
            words.append(protocol_type_words(kind.protocol, kind.path_type))
            for hop in interning.next_hops.sets[row["next_hops"]]:
                words += [str(hop.address or ""), hop.interface or "discard"]
    return " ".join(words).lower()


def _same(state: State, left: np.void | None, right: np.void | None) -> bool:
    if left is None or right is None:
        return False
    kinds = [state.rib.interning.kinds.kinds[row["kind"]] for row in (left, right)]
    return (kinds[0].protocol, kinds[0].path_type, left["metric"]) == (
        kinds[1].protocol,
        kinds[1].path_type,
        right["metric"],
    )


def _data(state: State, row: np.void | None) -> TitledRouteData | None:
    return None if row is None else titled_route_data(state, state.rib.route(row))
