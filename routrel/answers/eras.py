"""The eras of a flow, as an answer."""

from __future__ import annotations

from collections.abc import Mapping

from routrel.answers.base import Answer
from routrel.forwarding.evidence import Verdict
from routrel.model.events import time_words
from routrel.questions.eras.beside import compare_eras
from routrel.questions.eras.search import Course, Era, Eras
from routrel.questions.eras.spans import Cause
from routrel.wording.events import (
    beside_sentence,
    course_words,
    era_sentence,
    event_words,
    verdict_words,
)

__all__ = ["CauseData", "CourseData", "EraData", "ErasData", "cause_data", "eras_data"]


class CauseData(Answer):
    """An event that began an era; `needed`: without it alone the era before would have gone on."""

    id: str
    time: str
    text: str
    needed: bool


class CourseData(Answer):
    """What becomes of answers."""

    verdict: Verdict
    path_set: list[list[str]]
    arrives: bool
    by_default: bool
    text: str


class MeanwhileData(Answer):
    """An event of what a flow passes, or of the way to either of its ends."""

    id: str
    time: str
    text: str


class EraData(Answer):
    """A span in which the course of a flow is one; nulls: before, or after, all that is told.

    `arrives`: it comes to where it is meant to; `by_default`: though a router has nothing better
    than a default for it. `said` is the verdict in words, `text` with all ways and the return
    direction; `cause` are the ids of `causes`. `meanwhile` is what else was told in it of what the
    flow passes.
    """

    start: str | None
    end: str | None
    verdict: Verdict
    path_set: list[list[str]]
    arrives: bool
    by_default: bool
    said: str
    text: str
    back: CourseData | None
    cause: list[str]
    causes: list[CauseData]
    meanwhile: list[MeanwhileData]


class BesideData(Answer):
    """Another source of the same traffic, over the same span: why it does not suffer likewise."""

    source: str
    availability: float | None
    text: str
    eras: list[EraData]


class ErasData(Answer):
    """The eras of a span in order; `moments` at which anything changed, `asked` computed for.

    `availability` is the share of the span in which it arrived; null where the span has no end.
    """

    eras: list[EraData]
    availability: float | None
    moments: int
    asked: int
    beside: list[BesideData]


def eras_data(found: Eras, beside: Mapping[str, Eras] | None = None) -> ErasData:
    """All eras, with what began each.

    Args:
        beside: The eras of other sources of the same traffic, by what they were asked as.
    """
    return ErasData(
        eras=list(map(_era, found.eras)),
        availability=found.availability,
        moments=found.moments,
        asked=found.asked,
        beside=[
            BesideData(
                source=source,
                availability=other.availability,
                text=beside_sentence(source, compare_eras(found, other)),
                eras=list(map(_era, other.eras)),
            )
            for source, other in (beside or {}).items()
        ],
    )


def _era(era: Era) -> EraData:
    return EraData(
        start=None if era.start is None else time_words(era.start),
        end=None if era.end is None else time_words(era.end),
        verdict=era.forward.verdict,
        path_set=list(map(list, era.forward.paths)),
        arrives=era.forward.arrives,
        by_default=era.forward.by_default,
        said=verdict_words(era.forward),
        text=era_sentence(era),
        back=_course(era.back) if era.back else None,
        cause=[cause.event.id for cause in era.causes],
        causes=list(map(cause_data, era.causes)),
        meanwhile=[
            MeanwhileData(id=one.id, time=time_words(one.time), text=event_words(one))
            for one in era.meanwhile
        ],
    )


def cause_data(cause: Cause) -> CauseData:
    """An event that began something."""
    return CauseData(
        id=cause.event.id,
        time=time_words(cause.event.time),
        text=event_words(cause.event),
        needed=cause.needed,
    )


def _course(course: Course) -> CourseData:
    return CourseData(
        verdict=course.verdict,
        path_set=list(map(list, course.paths)),
        arrives=course.arrives,
        by_default=course.by_default,
        text=course_words(course),
    )
