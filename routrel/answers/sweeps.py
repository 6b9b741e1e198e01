"""What a sweep of failures found, as an answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from routrel.answers.base import Answer
from routrel.questions.sweep.breaking import MOST_IN_A_SET, SetSearch, smallest_among
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record
from routrel.questions.sweep.shift import Shift, ShiftedCase
from routrel.topology.segments import Topology
from routrel.wording.sweeps import (
    case_words,
    link_titles,
    shift_words,
    skipped_words,
    sweep_words,
    title_words,
)

__all__ = ["SetsData", "ShiftData", "SweepCaseData", "SweepData", "sweep_data"]


class SweepCaseData(Answer):
    """What one failure, or several at once, do; promises by their names.

    `cut_off` are parts without a wire to the largest one, `routes_lost` and `routes_moved` count
    entries of all tables that are left, `longest_detour` is in links.
    """

    failed: list[str]
    title: str
    text: str
    broken: list[str]
    rerouted: list[str]
    mended: list[str]
    asked: int
    cut_off: list[list[str]]
    routes_lost: int
    routes_moved: int
    flows_lost: list[str]
    flows_moved: list[str]
    longest_detour: int
    findings: list[str]


class ShiftedCaseData(Answer):
    """A failure that does not break the same promises after a change as before it."""

    failed: list[str]
    title: str
    breaks_now: list[str]
    survived_now: list[str]


class ShiftData(Answer):
    """What a change does to what is survived; `broken` and `mended` are so without any failure."""

    summary: str
    broken: list[str]
    mended: list[str]
    fatal: list[ShiftedCaseData]
    survivable: list[ShiftedCaseData]
    otherwise: list[ShiftedCaseData]


class SetsData(Answer):
    """A search for all minimal sets of failures that break one promise; what was left out of it."""

    promise: str
    most: int
    tried: int
    not_minimal: int
    no_effect: int


class SweepData(Answer):
    """All cases, what hurts most first; `breaking_sets` are the smallest among them, by promise.

    `harmless` counts those that break no promise and move none. `sets` is there where the smallest
    sets of one promise were searched for, `shift` where the same was done without the changes.
    """

    summary: str
    promises: list[str]
    cases: list[SweepCaseData]
    breaking_sets: dict[str, list[list[str]]]
    harmless: int
    complete: bool
    sets: SetsData | None = None
    shift: ShiftData | None = None


def sweep_data(
    topology: Topology,
    promises: Sequence[str],
    records: Mapping[Case, Record],
    *,
    complete: bool = True,
    search: SetSearch | None = None,
    wanted: int = MOST_IN_A_SET,
    shift: Shift | None = None,
) -> SweepData:
    """The answer about a sweep.

    Args:
        topology: Of the network without the failures.
        promises: The names of all promises that were checked.
        complete: False: it was stopped before all cases were tried.
        search: The search that said what was tried, if one did.
        wanted: The size of the largest sets that it was to find.
        shift: What changes of the network do to what is survived, if that was asked.
    """
    ranked = sorted(records.values(), key=_damage)
    links = link_titles(topology)
    return SweepData(
        summary=skipped_words(search, len(records), wanted)
        if search
        else sweep_words(ranked, len(promises), links, complete=complete),
        promises=list(promises),
        cases=[_case_data(one, links) for one in ranked],
        breaking_sets={
            name: [list(one) for one in sets] for name, sets in smallest_among(ranked).items()
        },
        harmless=sum(1 for one in ranked if not (one.broken or one.rerouted)),
        complete=complete,
        sets=_sets_data(search, len(records)) if search else None,
        shift=_shift_data(shift, links) if shift else None,
    )


def _sets_data(search: SetSearch, tried: int) -> SetsData:
    return SetsData(
        promise=search.promise,
        most=search.largest,
        tried=tried,
        not_minimal=search.skipped.not_minimal,
        no_effect=search.skipped.no_effect,
    )


def _shift_data(shift: Shift, links: Mapping[str, str]) -> ShiftData:
    def cases(found: Sequence[ShiftedCase]) -> list[ShiftedCaseData]:
        return [
            ShiftedCaseData(
                failed=list(one.failed),
                title=title_words(one.failed, links),
                breaks_now=list(one.breaks_now),
                survived_now=list(one.survived_now),
            )
            for one in found
        ]

    return ShiftData(
        summary=shift_words(shift),
        broken=list(shift.broken),
        mended=list(shift.mended),
        fatal=cases(shift.fatal),
        survivable=cases(shift.survivable),
        otherwise=cases(shift.otherwise),
    )


def _damage(one: Record) -> tuple[object, ...]:
    """A sort key: what breaks most promises first, then by what else it does."""
    cut = sum(map(len, one.cut_off))
    return (
        -len(one.broken), -len(one.flows_lost), -cut, -len(one.rerouted), -one.routes_lost,
        len(one.failed), one.failed,
    )  # fmt: skip


def _case_data(one: Record, links: Mapping[str, str]) -> SweepCaseData:
    return SweepCaseData(
        failed=list(one.failed),
        title=title_words(one.failed, links),
        text=case_words(one),
        broken=list(one.broken),
        rerouted=list(one.rerouted),
        mended=list(one.mended),
        asked=one.asked,
        cut_off=[list(part) for part in one.cut_off],
        routes_lost=one.routes_lost,
        routes_moved=one.routes_moved,
        flows_lost=list(one.flows_lost),
        flows_moved=list(one.flows_moved),
        longest_detour=one.longest_detour,
        findings=list(one.findings),
    )
