"""Measured values: what is usual for each, and when they were not.

Usual is the median of the same hour of the week, with the spread of values about it, where there
are two weeks of values; else the median of all of them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from statistics import median

from routrel.model.events import DAY, HOUR, Event, EventKind

__all__ = ["Deviation", "Measured", "measured_in"]

_WEEK = 7 * DAY
#: 1970-01-01 was a Thursday; weeks begin on Mondays.
_MONDAY = 4 * DAY
#: Values of a band below which nothing is said of it.
FEWEST = 12
#: How many spreads a value may be off: robust standard deviations (1.4826 times the median
#: deviation), at least a fiftieth of the median each.
WIDTH, ROBUST = 5.0, 1.4826


@dataclass(frozen=True, slots=True)
class Deviation:
    """Values in a row that are not usual."""

    start: int
    end: int  #: the time of the last of them
    value: float  #: the one that is furthest off
    usual: float  #: at that time
    spread: float
    event: Event  #: that one


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """One value over a span of time."""

    device: str
    interface: str
    name: str
    unit: str
    count: int
    usual: float
    spread: float
    deviations: tuple[Deviation, ...]


def measured_in(events: Iterable[Event], span: tuple[int, int]) -> tuple[Measured, ...]:
    """All that was measured within a span, what is furthest off first.

    Args:
        events: Also those before the span, by which the usual is told.
    """
    series: dict[tuple[str, str, str, str], list[Event]] = {}
    for event in events:
        if event.kind is EventKind.MEASURE and event.value is not None and event.time < span[1]:
            key = (event.device, event.interface, event.name, event.unit)
            series.setdefault(key, []).append(event)
    found = [_measured(*key, sorted(told, key=_time), span) for key, told in series.items()]
    return tuple(sorted((one for one in found if one.count), key=_furthest_first))


def _time(event: Event) -> int:
    return event.time


def _furthest_first(one: Measured) -> tuple[object, ...]:
    off = max((abs(each.value - each.usual) / each.spread for each in one.deviations), default=0)
    return -off, one.device, one.interface, one.name


def _measured(
    device: str, interface: str, name: str, unit: str, told: Sequence[Event], span: tuple[int, int]
) -> Measured:
    within = [event for event in told if event.time >= span[0]]
    usual, spread = _band([event.value or 0 for event in told])
    weekly = told[-1].time - told[0].time >= 2 * _WEEK
    hours: dict[int, list[float]] = {}
    for event in told if weekly else ():
        hours.setdefault(_hour(event), []).append(event.value or 0)
    bands = {hour: _band(values) for hour, values in hours.items() if len(values) >= FEWEST}
    deviations: list[Deviation] = []
    before: int | None = None  # the time of the value before
    for event in within if len(told) >= FEWEST else ():
        middle, width = bands.get(_hour(event), (usual, spread))
        value = event.value or 0
        off = abs(value - middle)
        if off > WIDTH * width:
            last = deviations[-1] if deviations and deviations[-1].end == before else None
            if last is None:
                deviations.append(Deviation(event.time, event.time, value, middle, width, event))
            elif off / width > abs(last.value - last.usual) / last.spread:
                deviations[-1] = Deviation(last.start, event.time, value, middle, width, event)
            else:
                deviations[-1] = replace(last, end=event.time)
        before = event.time
    return Measured(
        device=device,
        interface=interface,
        name=name,
        unit=unit,
        count=len(within),
        usual=usual,
        spread=spread,
        deviations=tuple(deviations),
    )


def _hour(event: Event) -> int:
    return (event.time - _MONDAY) % _WEEK // HOUR


def _band(values: Sequence[float]) -> tuple[float, float]:
    """The median of values, and their robust spread about it; never 0."""
    middle = median(values)
    spread = ROBUST * median(abs(value - middle) for value in values)
    return middle, max(spread, abs(middle) / 50, 1e-9)
