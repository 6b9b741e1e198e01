"""What is said of things that are unwell."""

from __future__ import annotations

from routrel.model.events import DAY, HOUR, MINUTE, SECOND, time_words
from routrel.questions.health.measured import Deviation, Measured
from routrel.questions.health.outages import FLAPPING, Health, Period, ThingKind, Trend
from routrel.wording.events import length_words

__all__ = [
    "deviation_sentence",
    "health_sentence",
    "measured_sentence",
    "percent_words",
    "remarks_on",
    "thing_title",
]

_TITLES = {
    ThingKind.LINK: "link",
    ThingKind.INTERFACE: "interface",
    ThingKind.ADJACENCY: "adjacency",
    ThingKind.SESSION: "BGP session",
    ThingKind.PREFIX: "prefix",
    ThingKind.ANNOUNCEMENT: "announcement",
}


def thing_title(kind: ThingKind, name: str) -> str:
    """A thing with its kind."""
    return f"{_TITLES[kind]} {name}"


def percent_words(share: float) -> str:
    """A share in percent; one that is not whole is never told as 100."""
    if share >= 1:
        return "100 %"
    shown = f"{share * 100:.3f}"
    return f"{'99.999' if shown == '100.000' else shown} %"


def health_sentence(one: Health) -> str:
    """How often and how long a thing was away."""
    count = len(one.outages)
    if count == 1:
        said = f"once, for {length_words(one.longest)}"
    else:
        said = (
            f"{count} times, {length_words(one.away)} in all; half of them shorter than "
            f"{length_words(one.median)}, the longest {length_words(one.longest)}"
        )
    still = "; it still is" if one.outages[-1].end is None else ""
    return f"away {said}{still}; there {percent_words(one.availability)} of the time"


def remarks_on(one: Health) -> list[str]:
    """What is worth knowing of how its outages follow each other."""
    found = []
    if one.trend is not None:
        word = "shrink" if one.trend is Trend.SHRINKS else "grow"
        middle = one.gaps[len(one.gaps) // 2]
        shown = " → ".join(length_words(_rounded(g)) for g in (one.gaps[0], middle, one.gaps[-1]))
        found.append(f"gaps between outages {word}: {shown}")
    if one.period is not None:
        found.append(_period_words(one.period))
    if one.flaps:
        found.append(
            f"flaps: its figure of merit came to {one.peak:,}, above {FLAPPING:,} (RFC 2439)"
        )
    return found


def _rounded(span: int) -> int:
    """A span without what is below a tenth of it."""
    for unit in (HOUR, MINUTE, SECOND):
        if span >= 10 * unit or (unit > SECOND and span >= 2 * unit):
            return round(span / unit) * unit
    return span


def _period_words(period: Period) -> str:
    if period.length == DAY and period.at is not None:
        return f"comes every day at {time_words(period.at)[11:16]}"
    if period.length == HOUR and period.at is not None:
        return f"comes every hour, at {period.at // MINUTE} min past it"
    return f"comes every {length_words(_rounded(period.length))}"


def measured_sentence(one: Measured) -> str:
    """What is usual of a measured value."""
    where = f"{one.device}:{one.interface}" if one.interface else one.device
    return f"{one.name} of {where}: usually {_number(one.usual)}{_unit(one.unit)}"


def deviation_sentence(one: Measured, off: Deviation) -> str:
    """When a value was not as usual, and how far off."""
    when = time_words(off.start)
    if off.end != off.start:
        when = f"{when} to {time_words(off.end)}"
    return f"{when}: {_number(off.value)}{_unit(one.unit)}, usually {_number(off.usual)}"


def _number(value: float) -> str:
    return f"{value:.4g}"


def _unit(unit: str) -> str:
    return f" {unit}" if unit else ""
