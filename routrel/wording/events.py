"""What is said of events and of eras."""

from __future__ import annotations

from ipaddress import IPv4Address

from routrel.forwarding.evidence import Verdict
from routrel.lens.moments import Effect, Told
from routrel.model.events import DAY, HOUR, MINUTE, SECOND, Event, EventKind
from routrel.model.network import protocol_title
from routrel.questions.eras.beside import Beside
from routrel.questions.eras.search import Course, Era

__all__ = [
    "beside_sentence",
    "course_words",
    "effect_words",
    "era_sentence",
    "event_words",
    "length_words",
    "verdict_words",
]


def event_words(event: Event) -> str:
    """An event as a sentence without its time."""
    port = f"{event.device}:{event.interface}" if event.interface else event.device
    match event.kind:
        case EventKind.INTERFACE:
            said = f"{port} {'came up' if event.on else 'went down'}"
        case EventKind.ADJACENCY:
            title, who = protocol_title(event.protocol), event.neighbour or "its neighbour"
            said = f"{port} {'met' if event.on else 'lost'} {who} in {title}"
        case EventKind.SESSION:
            state = "came up" if event.on else "went down"
            said = f"the BGP session of {event.device} with {event.neighbour} {state}"
        case EventKind.PREFIX:
            title = protocol_title(event.protocol)
            verb = "announces" if event.on else "no longer announces"
            said = f"{port} {verb} {event.prefix} in {title}"
        case EventKind.COST:
            title = protocol_title(event.protocol)
            old = "" if event.old is None else f" from {event.old}"
            said = f"the {title} cost of {port} went{old} to {event.new}"
        case EventKind.BGP_UPDATE:
            path = " ".join(map(str, event.as_path))
            by = f", heard by {event.heard_by}" if event.heard_by else ""
            way = f" by AS {path}" if path and event.on else ""
            said = (
                f"{event.outside} {'announced' if event.on else 'withdrew'} {event.prefix}{way}{by}"
            )
        case EventKind.ROUTER_LSA:
            links = f"{len(event.links)} links" if event.links else "nothing any more"
            said = f"router {event.router} tells of {links} in area {IPv4Address(event.area)}"
        case EventKind.LSP:
            count = len(event.neighbours)
            said = f"system {event.router} tells of {count} neighbours at level {event.area}"
        case EventKind.MEASURE:
            unit = f" {event.unit}" if event.unit else ""
            said = f"{event.name} of {port} was {event.value:g}{unit}"
    return f"{said} ({event.reason})" if event.reason else said


def effect_words(told: Told) -> str:
    """What came of an event; empty where it changed what it says and nothing is odd about it."""
    match told.effect:
        case Effect.CHANGES:
            return told.text
        case Effect.ALREADY:
            return f"changes nothing: {told.text}"
        case Effect.UNPLACED:
            return f"changes nothing, and cannot be placed: {told.text}"
        case Effect.MEASURED:
            return told.text


_VERDICTS = {
    Verdict.DELIVERED: "delivered",
    Verdict.LEAVES_NETWORK: "left the network",
    Verdict.FILTERED: "filtered",
    Verdict.NO_ROUTE: "without a route",
    Verdict.DISCARDED: "discarded",
    Verdict.NEXT_HOP_UNRESOLVED: "stuck at a next hop that nobody answers for",
    Verdict.LOOPED: "going round in a loop",
    Verdict.TOO_BIG: "too big for a link",
    Verdict.TTL_EXPIRED: "out of hops",
    Verdict.LABEL_BROKEN: "stuck where a label ends",
    Verdict.NOT_CONVERGED: "uncertain: routing never rested",
    Verdict.MIXED: "delivered on some ways only",
}


def verdict_words(course: Course) -> str:
    """What became of one direction, without its ways."""
    said = _VERDICTS[course.verdict]
    if course.by_default:
        said += " by a default alone"
    if course.verdict is Verdict.LEAVES_NETWORK and not course.arrives:
        said = "not delivered: it left the network by a default, though its destination is here"
    return said


def course_words(course: Course) -> str:
    """What became of one direction, with its ways."""
    said = verdict_words(course)
    ways = [" → ".join(path) for path in course.paths]
    return f"{said}, {' or '.join(ways)}" if ways else said


def era_sentence(era: Era) -> str:
    """What became of a flow in an era."""
    said = course_words(era.forward)
    if era.back is not None:
        said += f"; back {course_words(era.back)}"
    return said


def beside_sentence(source: str, beside: Beside) -> str:
    """Why another source does not suffer as the one that was asked about does."""
    if not beside.outages:
        return f"{source}: there is no outage to compare with"
    count = "the outage" if beside.outages == 1 else f"all {beside.outages} outages"
    if beside.arrived < beside.outages:
        rest = beside.outages - beside.arrived
        if not beside.arrived:
            return f"{source} was out as well in {count}"
        count = f"{beside.arrived} of {beside.outages} outages, and was out as well in {rest}"
    said = f"{source} arrived throughout {count}"
    if not beside.spared:
        return f"{said}: what began them is on its way too, and it went around"
    things = list(dict.fromkeys(_about(event) for event in beside.spared))
    return f"{said}: its way does not rest on {' or '.join(things)}"


def _about(event: Event) -> str:
    """What an event is about."""
    if event.prefix is not None:
        return f"{event.prefix} as {event.device or event.outside} announces it"
    if event.kind is EventKind.SESSION:
        return f"the session of {event.device} with {event.neighbour}"
    return f"{event.device}:{event.interface}" if event.interface else event.device


_UNITS = ((DAY, "d"), (HOUR, "h"), (MINUTE, "min"), (SECOND, "s"))


def length_words(span: int) -> str:
    """A span of microseconds in its two largest units."""
    left = span
    said: list[str] = []
    for size, unit in _UNITS:
        if left >= size and len(said) < 2:
            said.append(f"{left // size} {unit}")
            left %= size
    if not said:
        return f"{span / 1000:g} ms" if span >= 1000 else f"{span} us"
    return " ".join(said)
