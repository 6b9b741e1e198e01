"""What was told of a running network, as an answer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from routrel.answers.base import Answer, Placed, position
from routrel.formats.reports import FileReport
from routrel.lens.moments import Effect, Timeline
from routrel.model.events import EventKind, time_words
from routrel.wording.comparison import counted
from routrel.wording.events import effect_words, event_words

__all__ = ["EventData", "EventsData", "UnreadData", "events_data"]


class EventData(Placed):
    """One event; `why` says why it changes nothing, or what is odd about it."""

    id: str
    time: str
    kind: EventKind
    device: str | None
    interface: str | None
    text: str
    effect: Effect
    why: str


class UnreadData(Answer):
    """A line of a file that is no event, or a part of one that was not understood."""

    file: str
    line: int | None
    text: str


class EventsData(Answer):
    """All events in order of time, those that cannot be placed among them, and what is unread."""

    summary: str
    events: list[EventData]
    unread: list[UnreadData]


def events_data(timeline: Timeline, reports: Iterable[FileReport]) -> EventsData:
    """All that is told, in order of time."""
    events = [
        EventData(
            id=told.event.id,
            time=time_words(told.event.time),
            kind=told.event.kind,
            device=told.event.device or None,
            interface=told.event.interface or None,
            text=event_words(told.event),
            effect=told.effect,
            why=effect_words(told),
            **position(told.event.place),
        )
        for told in timeline.told
    ]
    unread = [
        UnreadData(file=message.path, line=message.line or None, text=message.text)
        for report in reports
        for message in report.messages
    ]
    counts = Counter(event.effect for event in events)
    parts = [counted(len(events), "event")]
    parts += [
        f"{counts[effect]} {words}"
        for effect, words in (
            (Effect.CHANGES, "that change something"),
            (Effect.ALREADY, "that change nothing"),
            (Effect.UNPLACED, "that cannot be placed"),
            (Effect.MEASURED, "measured values"),
        )
        if counts[effect]
    ]
    if unread:
        parts.append(f"{len(unread)} remarks on what was read")
    return EventsData(summary=", ".join(parts), events=events, unread=unread)
