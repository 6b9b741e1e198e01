"""When promises were kept, as an answer."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.answers.base import Answer, Placed, position
from routrel.answers.eras import CauseData, cause_data
from routrel.model.events import time_words
from routrel.model.findings import Severity
from routrel.questions.eras.promises import PromiseEras
from routrel.wording.events import length_words
from routrel.wording.promises import broken_words, history_words

__all__ = ["KeptData", "KeptSpanData", "PromiseHistoryData", "kept_data"]


class KeptSpanData(Answer):
    """A span in which a promise was kept, or was not, and why; nulls: before, or after, all."""

    start: str | None
    end: str | None
    kept: bool
    why: str
    cause: list[str]
    causes: list[CauseData]


class PromiseHistoryData(Placed):
    """One promise: how often it was broken, and how long; lengths in seconds.

    `broken_s` is null where it is not known when a span began or ended.
    """

    id: str
    text: str
    severity: Severity
    times_broken: int
    broken_s: float | None
    summary: str
    spans: list[KeptSpanData]


class KeptData(Answer):
    """All promises that were asked for, those that were broken longest first."""

    summary: str
    promises: list[PromiseHistoryData]


def kept_data(found: Sequence[PromiseEras]) -> KeptData:
    """When each promise was kept."""
    made = sorted(map(_history, found), key=_longest_first)
    broken = [one.id for one in made if one.times_broken]
    return KeptData(summary=history_words(len(made), broken), promises=made)


def _longest_first(one: PromiseHistoryData) -> tuple[object, ...]:
    length = float("inf") if one.broken_s is None else one.broken_s
    return -length, one.id


def _history(one: PromiseEras) -> PromiseHistoryData:
    lengths = [
        None if span.start is None or span.end is None else span.end - span.start
        for span in one.broken
    ]
    known = [length for length in lengths if length is not None]
    length = sum(known) if len(known) == len(lengths) else None
    return PromiseHistoryData(
        id=one.promise.name,
        text=one.promise.sentence,
        severity=one.promise.severity,
        times_broken=len(lengths),
        broken_s=None if length is None else length / 1_000_000,
        summary=_summary(len(lengths), length, always=len(lengths) == len(one.spans)),
        spans=[
            KeptSpanData(
                start=None if span.start is None else time_words(span.start),
                end=None if span.end is None else time_words(span.end),
                kept=span.found.kept,
                why=broken_words(span.found),
                cause=[cause.event.id for cause in span.causes],
                causes=list(map(cause_data, span.causes)),
            )
            for span in one.spans
        ],
        **position(one.promise.place),
    )


def _summary(times: int, length: int | None, *, always: bool) -> str:
    if not times:
        return "kept all the time"
    if always:
        return "broken all the time"
    often = "once" if times == 1 else f"{times} times"
    return f"broken {often}" + (f", {length_words(length)} in all" if length is not None else "")
