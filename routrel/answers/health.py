"""What is unwell, as an answer."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.answers.base import Answer
from routrel.model.events import time_words
from routrel.questions.health.measured import Measured
from routrel.questions.health.outages import Health, ThingKind, Trend
from routrel.wording.events import event_words
from routrel.wording.health import (
    deviation_sentence,
    health_sentence,
    measured_sentence,
    remarks_on,
    thing_title,
)

__all__ = ["HealthData", "MeasuredData", "OutageData", "UnwellData", "health_data"]


class OutageData(Answer):
    """A span in which something was away; `end` is null while it still is."""

    start: str
    end: str | None
    event: str
    text: str


class UnwellData(Answer):
    """One thing. Lengths are in seconds; `availability` is a share, from 0 to 1.

    `remarks` say what is worth knowing of how its outages follow each other.
    """

    kind: ThingKind
    name: str
    title: str
    devices: list[str]
    availability: float
    away_s: float
    median_s: float
    longest_s: float
    flaps: bool
    trend: Trend | None
    text: str
    remarks: list[str]
    outages: list[OutageData]


class DeviationData(Answer):
    """Values in a row that are not usual; `value` is the one furthest off."""

    start: str
    end: str
    value: float
    usual: float
    event: str
    text: str


class MeasuredData(Answer):
    """A measured value over the span."""

    device: str
    interface: str | None
    name: str
    unit: str
    count: int
    usual: float
    text: str
    deviations: list[DeviationData]


class HealthData(Answer):
    """What is unwell in a span, what is worst first."""

    start: str
    end: str
    unwell: list[UnwellData]
    measured: list[MeasuredData]


def health_data(
    span: tuple[int, int], unwell: Sequence[Health], measured: Sequence[Measured]
) -> HealthData:
    """All that was away, and all that was measured."""
    return HealthData(
        start=time_words(span[0]),
        end=time_words(span[1]),
        unwell=list(map(_unwell, unwell)),
        measured=list(map(_measured, measured)),
    )


def _unwell(one: Health) -> UnwellData:
    return UnwellData(
        kind=one.kind,
        name=one.name,
        title=thing_title(one.kind, one.name),
        devices=list(one.devices),
        availability=one.availability,
        away_s=one.away / 1_000_000,
        median_s=one.median / 1_000_000,
        longest_s=one.longest / 1_000_000,
        flaps=one.flaps,
        trend=one.trend,
        text=health_sentence(one),
        remarks=remarks_on(one),
        outages=[
            OutageData(
                start=time_words(outage.start),
                end=None if outage.end is None else time_words(outage.end),
                event=outage.event.id,
                text=event_words(outage.event),
            )
            for outage in one.outages
        ],
    )


def _measured(one: Measured) -> MeasuredData:
    return MeasuredData(
        device=one.device,
        interface=one.interface or None,
        name=one.name,
        unit=one.unit,
        count=one.count,
        usual=one.usual,
        text=measured_sentence(one),
        deviations=[
            DeviationData(
                start=time_words(off.start),
                end=time_words(off.end),
                value=off.value,
                usual=off.usual,
                event=off.event.id,
                text=deviation_sentence(one, off),
            )
            for off in one.deviations
        ],
    )
