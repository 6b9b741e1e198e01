"""Events as JSON lines: one object a line, as docs/events.md has it."""

from __future__ import annotations

import ipaddress
import json
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from ipaddress import IPv4Address
from typing import Any

from routrel.formats.json_text import BadJson, read_json
from routrel.formats.reports import FileReport
from routrel.model.addresses import Address, Prefix
from routrel.model.communities import canonical_community
from routrel.model.events import BadTime, Event, EventKind, Reachable, RouterLink, time_of
from routrel.model.place import Place
from routrel.model.policy import Origin

__all__ = ["FORMAT", "MOST_EVENTS", "SUFFIX", "EventFile", "decoded", "read_events"]

FORMAT = "events"
SUFFIX = ".jsonl"
#: Characters of one line.
_LONGEST_LINE = 65_536
#: Events of one file.
MOST_EVENTS = 5_000_000
#: Seconds after which an LSA counts no more (RFC 2328 B).
_MAXIMUM_AGE = 3600
_ORIGINS = {
    **{origin.value.lower(): origin for origin in Origin},
    **dict(zip(("0", "1", "2"), (Origin.IGP, Origin.EGP, Origin.INCOMPLETE), strict=True)),
}
#: Attributes of an update that change nothing here: they are not sent on from an outside network,
#: or tell of aggregation (RFC 4271 5.1).
_PASSED_OVER = ("local_pref", "atomic_aggregate", "aggregator")
_COMMUNITIES = ("communities", "community", "extended_communities", "large_communities")


@dataclass(slots=True)
class EventFile:
    """The events of a file, in its order, and what of it was not understood."""

    report: FileReport
    events: list[Event] = field(default_factory=list)


class _Bad(ValueError):
    """A line is no event that is known."""


def read_events(content: bytes, path: str) -> EventFile:
    """Read a file of events. Lines that are none are named; empty ones are passed over."""
    made = EventFile(FileReport(path, FORMAT))
    text = decoded(content, made.report)
    if text is None:
        return made
    named: dict[str, Event] = {}
    for number, line in enumerate(text.split("\n"), start=1):
        if not line.strip():
            continue
        if len(made.events) >= MOST_EVENTS:
            made.report.unknown(f"more than {MOST_EVENTS} events; the rest is left out", number)
            break
        try:
            event = _Reader(line, Place(path, number, 1), made.report).event()
        except (_Bad, BadJson, BadTime) as error:
            made.report.unknown(str(error), number)
            continue
        known = named.setdefault(event.id, event)
        if known is not event and known == event:
            made.report.note(f"{event.id} was told on line {known.place.line} already", number)
            continue
        if known is not event:
            made.report.note(
                f"line {known.place.line} tells of another event {event.id}; both count", number
            )
        made.events.append(event)
    made.report.rows = len(made.events)
    return made


def decoded(content: bytes, report: FileReport) -> str | None:
    """A file's text; None, after refusing it, where it is not UTF-8."""
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        report.refuse(f"byte {error.start + 1} is not UTF-8 text", line)
        return None


class _Reader:
    """One line. Every member that is asked for is taken; the others are named."""

    def __init__(self, line: str, place: Place, report: FileReport) -> None:
        if len(line) > _LONGEST_LINE:
            raise _Bad(f"the line has more than {_LONGEST_LINE} characters")
        value = read_json(line.encode("utf-8", "surrogatepass")).value
        if not isinstance(value, dict):
            raise _Bad("no object")
        self._left = {str(key): each for key, each in value.items()}
        self.place, self.report = place, report

    def event(self) -> Event:
        kind = self._one_of("kind", _NAMED)
        time = time_of(self._text("time"))
        common: dict[str, Any] = {"kind": kind, "time": time, "place": self.place}
        common["id"] = self._id()
        event = Event(**common, **dict(_KINDS[kind](self)))
        for name in self._left:
            self.report.unknown(f"{event.id}: the member “{name}” is not understood", self.line)
        return event

    @property
    def line(self) -> int:
        return self.place.line

    # --- members -------------------------------------------------------------------------------

    def _take(self, name: str) -> Any:
        return self._left.pop(name, None)

    def _id(self) -> str:
        value = self._take("id")
        if isinstance(value, int) and not isinstance(value, bool):
            value = str(value)
        if value is None:
            value = f"line {self.line}"
            self.report.note("names no id; called by its line", self.line)
        if not isinstance(value, str) or not value.strip():
            raise _Bad(f"the id is no text: {json.dumps(value)[:60]}")
        return value

    def _text(self, name: str, *, needed: bool = True) -> str:
        value = self._take(name)
        if value is None and not needed:
            return ""
        if not isinstance(value, str) or (needed and not value.strip()):
            raise _Bad(f"has no “{name}”" if value is None else f"“{name}” is no text")
        return value.strip()

    def _number(self, name: str, most: int, *, needed: bool = False) -> int | None:
        value = self._take(name)
        if value is None and not needed:
            return None
        if not _is_whole(value, 0, most):
            raise _Bad(f"“{name}” is no whole number from 0 to {most}")
        number: int | None = value
        return number

    def _one_of(self, name: str, known: dict[str, Any]) -> Any:
        value = self._left.get(name)
        if isinstance(value, int) and not isinstance(value, bool):
            self._left[name] = str(value)
        text = self._text(name)
        if text not in known:
            raise _Bad(f"the {name} “{text[:60]}” is not known; there are {', '.join(known)}")
        return known[text]

    def _prefix(self) -> Prefix:
        text = self._text("prefix")
        try:
            return ipaddress.ip_network(text)
        except ValueError as error:
            raise _Bad(f"“{text[:60]}” is no prefix") from error

    # --- kinds ---------------------------------------------------------------------------------

    def _state(self, on: str, off: str) -> bool:
        found: bool = self._one_of("state", {on: True, off: False})
        return found

    def _up_or_down(self) -> Iterator[tuple[str, Any]]:
        yield "on", self._state("up", "down")
        yield "reason", self._text("reason", needed=False)

    def interface(self) -> Iterator[tuple[str, Any]]:
        yield "device", self._text("device")
        yield "interface", self._text("interface")
        yield from self._up_or_down()

    def adjacency(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", self._text("protocol").lower()
        yield "neighbour", self._text("neighbour", needed=False)
        yield from self.interface()

    def session(self) -> Iterator[tuple[str, Any]]:
        protocol = self._text("protocol", needed=False).lower()
        if protocol not in ("", "bgp"):
            raise _Bad(f"sessions of {protocol[:60]} are not known; there are those of bgp")
        yield "protocol", "bgp"
        yield "device", self._text("device")
        yield "neighbour", self._text("neighbour")
        yield from self._up_or_down()

    def prefix(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", self._text("protocol").lower()
        yield "device", self._text("device")
        yield "interface", self._text("interface", needed=False)
        yield "prefix", self._prefix()
        yield "on", self._state("announced", "withdrawn")

    def cost(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", self._text("protocol").lower()
        yield "device", self._text("device")
        yield "interface", self._text("interface")
        yield "old", self._number("old", 2**32 - 1)
        yield "new", self._number("new", 2**32 - 1, needed=True)

    def bgp_update(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", "bgp"
        yield "outside", self._text("outside")
        yield "heard_by", self._text("heard_by", needed=False)
        yield "prefix", self._prefix()
        yield "on", self._one_of("action", {"announce": True, "withdraw": False})
        yield "as_path", self._as_path()
        attributes = self._attributes()
        origin = attributes.pop("origin", None)
        if origin is not None:
            if str(origin).lower() not in _ORIGINS:
                raise _Bad(f"the ORIGIN {json.dumps(origin)[:60]} is none of RFC 4271")
            yield "origin", _ORIGINS[str(origin).lower()]
        med = attributes.pop("multi_exit_disc", None)
        if med is not None:
            if not _is_whole(med, 0, 2**32 - 1):
                raise _Bad("the MULTI_EXIT_DISC is no whole number of 32 bits")
            yield "med", med
        yield (
            "communities",
            tuple(
                canonical
                for name in _COMMUNITIES
                for canonical in self._communities(attributes.pop(name, None) or ())
            ),
        )
        hop = attributes.pop("next_hop", None)
        if hop is not None:
            yield "at", _address(hop)
        for name, value in attributes.items():
            self._left[name] = value

    def _as_path(self) -> tuple[int, ...]:
        value = self._take("as_path")
        if value is None:
            value = self._take("AS_PATH")
        if isinstance(value, str):
            value = [int(part) if part.isdecimal() else part for part in value.split()]
        if not isinstance(value, list | None):
            raise _Bad("“as_path” is no list of AS numbers")
        for number in value or ():
            if not _is_whole(number, 1, 2**32 - 1):
                raise _Bad(f"“as_path” has {json.dumps(number)[:40]}, which is no AS number")
        return tuple(value or ())

    def _attributes(self) -> dict[str, Any]:
        """Attributes by their names in RFC 4271, in lower case; those of no effect are taken."""
        inner = self._take("attributes")
        if inner is not None and not isinstance(inner, dict):
            raise _Bad("“attributes” is no object")
        found: dict[str, Any] = {}
        for name, value in (*(inner or {}).items(), *self._left.items()):
            plain = str(name).lower().replace("-", "_").replace(" ", "_")
            found[{"med": "multi_exit_disc"}.get(plain, plain)] = value
        self._left.clear()
        for name in _PASSED_OVER:
            found.pop(name, None)
        return found

    def _communities(self, value: Any) -> Iterator[str]:
        listed = value.split() if isinstance(value, str) else value
        if not isinstance(listed, list | tuple):
            raise _Bad("communities are no list")
        for text in listed:
            made = canonical_community(str(text))
            if made is None:
                raise _Bad(f"“{str(text)[:60]}” is no community")
            yield made

    def measure(self) -> Iterator[tuple[str, Any]]:
        yield "device", self._text("device")
        yield "interface", self._text("interface", needed=False)
        yield "name", self._text("name")
        value = self._take("value")
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if not number or not math.isfinite(value):
            raise _Bad("“value” is no number")
        yield "value", float(value)
        yield "unit", self._text("unit", needed=False)

    # --- link states ---------------------------------------------------------------------------

    def router_lsa(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", "ospf"
        yield "router", str(_ipv4(self._text("advertising_router"), "advertising_router"))
        yield "area", int(_ipv4(str(self._take("area") or 0), "area"))
        age = self._number("ls_age", _MAXIMUM_AGE)
        self._take("ls_sequence_number")
        links = tuple(map(_router_link, self._objects("links")))
        yield "links", () if age == _MAXIMUM_AGE else links

    def lsp(self) -> Iterator[tuple[str, Any]]:
        yield "protocol", "isis"
        yield "router", self._text("system_id")
        yield "area", self._one_of("level", {"1": 1, "2": 2})
        gone = self._number("remaining_lifetime", 65535) == 0
        self._take("sequence_number")
        for name, key in (("neighbours", "neighbour"), ("prefixes", "prefix")):
            told = tuple(_reachable(one, key) for one in self._objects(name))
            yield name, () if gone else told

    def _objects(self, name: str) -> list[dict[str, Any]]:
        value = self._take(name)
        if value is None:
            return []
        if not isinstance(value, list) or not all(isinstance(one, dict) for one in value):
            raise _Bad(f"“{name}” is no list of objects")
        return value


def _ipv4(text: str, name: str) -> IPv4Address:
    try:
        return IPv4Address(int(text) if text.isdecimal() else text)
    except ValueError as error:
        raise _Bad(f"“{name}” is no number of 32 bits, dotted or not: {text[:40]}") from error


def _is_whole(value: Any, least: int, most: int) -> bool:
    """Whether a value is a whole number within limits; true and false are none."""
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most


def _metric(value: Any, most: int) -> int:
    if not _is_whole(value, 0, most):
        raise _Bad(f"a metric that is no whole number from 0 to {most}")
    return int(value)


def _router_link(value: dict[str, Any]) -> RouterLink:
    kind = value.get("type")
    if isinstance(kind, bool) or kind not in (1, 2, 3, 4):
        raise _Bad("a link's type is none of 1, 2, 3, 4 (RFC 2328 A.4.2)")
    ends = [_ipv4(str(value.get(name, "")), name) for name in ("link_id", "link_data")]
    return RouterLink(kind, ends[0], ends[1], _metric(value.get("metric"), 0xFFFF))


def _reachable(value: dict[str, Any], key: str) -> Reachable:
    what = value.get(key)
    if not isinstance(what, str) or not what:
        raise _Bad(f"an entry without a “{key}”")
    if key == "prefix":
        try:
            what = str(ipaddress.ip_network(what))
        except ValueError as error:
            raise _Bad(f"“{what[:60]}” is no prefix") from error
    return Reachable(what, _metric(value.get("metric"), 0xFFFFFFFF))


def _address(text: Any) -> Address:
    try:
        return ipaddress.ip_address(text if isinstance(text, str) else "")
    except ValueError as error:
        raise _Bad(f"the NEXT_HOP {json.dumps(text)[:60]} is no address") from error


_NAMED = {kind.value: kind for kind in EventKind}
_KINDS: dict[EventKind, Callable[[_Reader], Iterator[tuple[str, Any]]]] = {
    EventKind.INTERFACE: _Reader.interface,
    EventKind.ADJACENCY: _Reader.adjacency,
    EventKind.SESSION: _Reader.session,
    EventKind.PREFIX: _Reader.prefix,
    EventKind.COST: _Reader.cost,
    EventKind.BGP_UPDATE: _Reader.bgp_update,
    EventKind.MEASURE: _Reader.measure,
    EventKind.ROUTER_LSA: _Reader.router_lsa,
    EventKind.LSP: _Reader.lsp,
}
