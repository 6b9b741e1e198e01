"""Two flows over one span: why one of them suffers and the other does not."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.events import Event
from routrel.questions.eras.passed import Passed
from routrel.questions.eras.search import Era, Eras

__all__ = ["Beside", "compare_eras"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Beside:
    """What became of a second flow in the outages of a first."""

    outages: int  #: of the first
    arrived: int  #: of those, the ones throughout which the second arrived
    #: What began those, and is about nothing that the second passes, each port once.
    spared: tuple[Event, ...]


def compare_eras(first: Eras, second: Eras) -> Beside:
    """Hold the outages of a flow against what became of another one meanwhile."""
    outages = [era for era in first.eras if not era.forward.arrives]
    arrived = 0
    spared: dict[object, Event] = {}
    for outage in outages:
        meanwhile = [era for era in second.eras if _overlap(outage, era)]
        if not all(era.forward.arrives for era in meanwhile):
            continue
        arrived += 1
        ways = [Passed.by(era.answer) for era in meanwhile]
        for cause in outage.causes:
            event = cause.event
            if not any(way.concerns(event) for way in ways):
                spared.setdefault((event.kind, event.device, event.interface, event.prefix), event)
    return Beside(outages=len(outages), arrived=arrived, spared=tuple(spared.values()))


def _overlap(one: Era, other: Era) -> bool:
    """Whether two eras have any time in common."""
    return (one.start is None or other.end is None or one.start < other.end) and (
        other.start is None or one.end is None or other.start < one.end
    )
