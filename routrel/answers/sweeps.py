"""What a sweep of failures found, as an answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from routrel.answers.base import Answer
from routrel.questions.sweep.breaking import smallest_among
from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record
from routrel.topology.segments import Topology
from routrel.wording.sweeps import case_words, link_titles, sweep_words, title_words

__all__ = ["SweepCaseData", "SweepData", "sweep_data"]


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


class SweepData(Answer):
    """All cases, what hurts most first; `breaking_sets` are the smallest among them, by promise.

    `harmless` counts those that break no promise and move none.
    """

    summary: str
    promises: list[str]
    cases: list[SweepCaseData]
    breaking_sets: dict[str, list[list[str]]]
    harmless: int
    complete: bool


def sweep_data(
    topology: Topology,
    promises: Sequence[str],
    records: Mapping[Case, Record],
    *,
    complete: bool = True,
) -> SweepData:
    """The answer about a sweep.

    Args:
        topology: Of the network without the failures.
        promises: The names of all promises that were checked.
        complete: False: it was stopped before all cases were tried.
    """
    ranked = sorted(records.values(), key=_damage)
    links = link_titles(topology)
    return SweepData(
        summary=sweep_words(ranked, len(promises), links, complete=complete),
        promises=list(promises),
        cases=[_case_data(one, links) for one in ranked],
        breaking_sets={
            name: [list(one) for one in sets] for name, sets in smallest_among(ranked).items()
        },
        harmless=sum(1 for one in ranked if not (one.broken or one.rerouted)),
        complete=complete,
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
