"""Outages: how often each thing was away, for how long, and whether that gets worse.

A link is away while one of its ends is; two routers have lost each other while one says so.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations, pairwise
from statistics import median

from routrel.lens.moments import Timeline
from routrel.model.events import DAY, HOUR, MINUTE, Event, EventKind
from routrel.model.network import protocol_title
from routrel.topology.segments import Topology

__all__ = ["Health", "Outage", "Period", "ThingKind", "Trend", "outages_in"]

#: How much is added when something goes away, and the time in which half of it is forgotten: the
#: figure of merit of RFC 2439 4.4, with the values that RFC 7196 3 gives as common.
PENALTY, HALF_LIFE = 1000, 15 * MINUTE
#: Above it something counts as flapping (RFC 7196 3: where routes are suppressed).
FLAPPING = 2000
#: Outages below which nothing is said of how they follow each other.
FEWEST = 4


class ThingKind(StrEnum):
    """What can be away."""

    LINK = "link"
    INTERFACE = "interface"  #: on no link of two ends
    ADJACENCY = "adjacency"
    SESSION = "session"
    PREFIX = "prefix"
    ANNOUNCEMENT = "announcement"  #: of an outside network


class Trend(StrEnum):
    """How the gaps between outages change."""

    SHRINKS = "shrinks"
    GROWS = "grows"


@dataclass(frozen=True, slots=True)
class Outage:
    """A span in which something was away; an end of None: it still is."""

    start: int
    end: int | None
    event: Event  #: that began it


@dataclass(frozen=True, slots=True)
class Period:
    """Outages that come again and again after the same time."""

    length: int  #: microseconds from one beginning to the next
    #: Microseconds into a day, or into an hour, at which they begin; None: the period is neither.
    at: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Health:
    """One thing over a span of time."""

    kind: ThingKind
    name: str
    devices: tuple[str, ...]
    outages: tuple[Outage, ...]  #: as far as they lie in the span, in order
    away: int  #: microseconds of the span
    span: int
    median: int  #: length of an outage
    longest: int
    peak: int  #: the highest figure of merit (RFC 2439)
    trend: Trend | None
    gaps: tuple[int, ...]  #: from one beginning to the next
    period: Period | None

    @property
    def availability(self) -> float:
        """The share of the span in which it was there, from 0 to 1."""
        return 1 - self.away / self.span

    @property
    def flaps(self) -> bool:
        """Whether it goes and comes so often that a router might no longer follow it."""
        return self.peak > FLAPPING


def outages_in(timeline: Timeline, topology: Topology, span: tuple[int, int]) -> tuple[Health, ...]:
    """All that was away within a span, what is worst first.

    What gets away ever more often comes first, then what flaps most, then what was away longest.
    """
    away: dict[tuple[ThingKind, str], list[Outage]] = {}
    devices: dict[tuple[ThingKind, str], tuple[str, ...]] = {}
    for history in timeline.histories().values():
        told = _outages(history)
        if told:
            kind, name, of = _named(told[0].event, topology)
            away.setdefault((kind, name), []).extend(told)
            devices[kind, name] = of
    found = [
        health
        for key, outages in away.items()
        if (health := _health(*key, devices[key], _joined(outages), span)) is not None
    ]
    return tuple(sorted(found, key=_worst_first))


def _worst_first(one: Health) -> tuple[object, ...]:
    return one.trend is not Trend.SHRINKS, -one.peak, -one.away, one.kind, one.name


def _outages(history: Sequence[tuple[int, Event | None]]) -> list[Outage]:
    """The spans in which a thing that is there by the files was not."""
    found: list[Outage] = []
    since: tuple[int, Event] | None = None
    for time, event in history:
        gone = event is not None and not event.on
        if gone and since is None and event is not None:
            since = time, event
        elif not gone and since is not None:
            found.append(Outage(since[0], time, since[1]))
            since = None
    if since is not None:
        found.append(Outage(since[0], None, since[1]))
    return found


def _named(event: Event, topology: Topology) -> tuple[ThingKind, str, tuple[str, ...]]:
    """What an event is about, as one thing for all who tell of it, and whose it is."""
    match event.kind:
        case EventKind.INTERFACE:
            segment = topology.segment_of.get((event.device, event.interface))
            if segment is not None and segment.is_link and len(segment.ends) == 2:
                ends = " – ".join(map(str, segment.ends))
                return ThingKind.LINK, ends, tuple(end.device.name for end in segment.ends)
            return ThingKind.INTERFACE, f"{event.device}:{event.interface}", (event.device,)
        case EventKind.ADJACENCY:
            pair = tuple(sorted((event.device, event.neighbour)))
            title = protocol_title(event.protocol)
            return ThingKind.ADJACENCY, f"{' – '.join(pair)} in {title}", pair
        case EventKind.SESSION:
            return ThingKind.SESSION, f"{event.device} with {event.at}", (event.device,)
        case EventKind.PREFIX:
            name = f"{event.prefix} by {event.device} in {protocol_title(event.protocol)}"
            return ThingKind.PREFIX, name, (event.device,)
        case _:
            name = f"{event.prefix} by {event.outside} from {event.at}"
            return ThingKind.ANNOUNCEMENT, name, (event.heard_by,) if event.heard_by else ()


def _joined(outages: Iterable[Outage]) -> list[Outage]:
    """Outages of which some overlap, as those of one thing."""
    found: list[Outage] = []
    for one in sorted(outages, key=lambda outage: outage.start):
        last = found[-1] if found else None
        if last is None or (last.end is not None and one.start > last.end):
            found.append(one)
        elif last.end is not None and (one.end is None or one.end > last.end):
            found[-1] = Outage(last.start, one.end, last.event)
    return found


def _health(
    kind: ThingKind,
    name: str,
    devices: tuple[str, ...],
    outages: Iterable[Outage],
    span: tuple[int, int],
) -> Health | None:
    start, end = span
    within = [one for one in outages if one.start < end and (one.end is None or one.end > start)]
    if not within:
        return None
    lengths = [min(one.end or end, end) - max(one.start, start) for one in within]
    starts = [one.start for one in within]
    gaps = tuple(b - a for a, b in pairwise(starts))
    return Health(
        kind=kind,
        name=name,
        devices=devices,
        outages=tuple(within),
        away=sum(lengths),
        span=end - start,
        median=round(median(lengths)),
        longest=max(lengths),
        peak=_peak(starts),
        trend=_trend(gaps),
        gaps=gaps,
        period=_period(starts, gaps),
    )


def _peak(starts: Sequence[int]) -> int:
    """The highest figure of merit of something that went away at these times (RFC 2439 4.4)."""
    figure, highest, last = 0.0, 0.0, starts[0]
    for start in starts:
        figure = figure * 0.5 ** ((start - last) / HALF_LIFE) + PENALTY
        highest, last = max(highest, figure), start
    return round(highest)


def _trend(gaps: Sequence[int]) -> Trend | None:
    """Whether gaps change in one direction: Kendall's rank correlation with their order.

    At least seven eighths of all pairs of them have to agree, and the last has to be less than half
    of the first, or more than twice of it.
    """
    if len(gaps) < FEWEST - 1:
        return None
    pairs = list(combinations(gaps, 2))
    for trend, agreeing, changed in (
        (Trend.SHRINKS, sum(b < a for a, b in pairs), gaps[-1] * 2 < gaps[0]),
        (Trend.GROWS, sum(b > a for a, b in pairs), gaps[-1] > gaps[0] * 2),
    ):
        if changed and agreeing * 8 >= len(pairs) * 7:
            return trend
    return None


def _period(starts: Sequence[int], gaps: Sequence[int]) -> Period | None:
    """The time after which outages come again, where each gap is within a fiftieth of it."""
    if len(gaps) < FEWEST - 1:
        return None
    length = round(median(gaps))
    if any(abs(gap - length) * 50 > length for gap in gaps):
        return None
    for unit in (DAY, HOUR):
        if abs(length - unit) * 50 <= unit:
            into = sorted(start % unit for start in starts)
            spread = max(into) - min(into)
            at = into[len(into) // 2] if spread * 50 <= unit else None
            return Period(unit if at is not None else length, at)
    return Period(length, None)
