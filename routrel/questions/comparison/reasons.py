"""Why a route is not the same in a second state: the rung that decides now, or what is gone."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.addresses import Prefix
from routrel.protocols.evidence import AbsenceStep, CandidatePath
from routrel.questions.absence import Absence, absence
from routrel.questions.candidates import candidates
from routrel.questions.comparison.routes import RouteChange
from routrel.rib.candidates import Table

__all__ = ["Reason", "reason_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """Why a route changed.

    `winner` and `loser` are candidate paths of one state: of the second where the former way is
    still known there, else of the first, where the way in use now already lost. `absent` says why
    the second state (or of a new route the first) has none.
    """

    change: RouteChange
    rung: str | None = None  #: the one on which `loser` loses to `winner`
    winner: CandidatePath | None = None
    loser: CandidatePath | None = None
    is_known_now: bool = True  #: whether the former way is a candidate in the second state
    absent: Absence | None = None
    kept_out: AbsenceStep | None = None  #: what keeps the former way out, where that is known


def reason_of(before: State, after: State, change: RouteChange) -> Reason:
    """What tells the two routes apart."""
    if change.after is None:
        return Reason(change=change, absent=_absence(after, change.table, change.prefix))
    if change.before is None:
        return Reason(change=change, absent=_absence(before, change.table, change.prefix))
    now, then = _paths(after, change), _paths(before, change)
    used_then = [path for path in then if path.lost_on is None]
    used_now = [path for path in now if path.lost_on is None]
    for former in used_then:
        for path in now:
            if _is_same_way(former, path) and path.lost_on is not None:
                return Reason(
                    change=change,
                    rung=path.lost_on,
                    winner=used_now[0] if used_now else None,
                    loser=path,
                )
    is_known = any(_is_same_way(former, path) for former in used_then for path in now)
    kept_out = None if is_known else next(_kept_out(after, change), None)
    return Reason(
        change=change,
        winner=used_now[0] if used_now else None,
        loser=used_then[0] if used_then else None,
        is_known_now=is_known,
        kept_out=kept_out,
    )


def _kept_out(state: State, change: RouteChange) -> Iterator[AbsenceStep]:
    """What the protocol of the former way knows to keep its prefix from the table."""
    interning = state.rib.interning
    table = interning.table_numbers.get(change.table)
    prefix = interning.prefixes.number(change.prefix)
    result = state.results.get(change.before.protocol) if change.before else None
    if table is not None and prefix is not None and result is not None:
        yield from result.reasons(table, prefix)


def _paths(state: State, change: RouteChange) -> list[CandidatePath]:
    interning = state.rib.interning
    table = interning.table_numbers.get(change.table)
    prefix = interning.prefixes.number(change.prefix)
    return [] if table is None or prefix is None else candidates(state, table, prefix)


def _is_same_way(one: CandidatePath, other: CandidatePath) -> bool:
    """Whether two candidate paths come from one protocol and neighbour, by one way at least."""
    if one.protocol is not other.protocol or one.advertiser != other.advertiser:
        return False
    ways = [{(hop.interface, hop.address) for hop in path.next_hops} for path in (one, other)]
    return bool(ways[0] & ways[1]) or ways[0] == ways[1]


def _absence(state: State, table: Table, prefix: Prefix) -> Absence | None:
    number = state.rib.interning.table_numbers.get(table)
    return None if number is None else absence(state, number, prefix)
