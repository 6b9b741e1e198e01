"""Whole questions in the words of a search: a flow between two ends, a route at a device.

Names are completed and corrected: what nobody is called is taken for what is nearest.
"""

from __future__ import annotations

import difflib
import ipaddress
import re
from collections.abc import Iterator, Sequence
from itertools import product
from typing import Protocol
from urllib.parse import urlencode

from routrel.answers.find.catalogue import Found
from routrel.convergence.converge import State
from routrel.questions.errors import QuestionError
from routrel.questions.traffic import parse_traffic

__all__ = ["asked_questions"]

#: Readings of one end that are offered, and of a whole question.
_READINGS = 2
_QUESTIONS = 3
#: Matches of a word among which its readings are looked for.
_LOOKED_AT = 12

_ARROWS = ("→", "->", ">")
_FILLERS = ("from", "to", *_ARROWS)


class Endpoints(Protocol):
    """Where ends are looked up; `find.index.FindIndex` is one."""

    @property
    def state(self) -> State:
        """The network that is searched."""

    @property
    def things(self) -> Sequence[Found]:
        """All that has a name."""

    def endpoints(self, word: str, limit: int) -> list[Found]:
        """The ends of flows that a word may mean."""


def asked_questions(index: Endpoints, words: str) -> list[Found]:
    """The questions that the words may ask, the likeliest first; empty where they ask none."""
    parts = words.split()
    if not parts:
        return []
    about_route = parts[0].lower() == "why" or "at" in [part.lower() for part in parts]
    if about_route or (len(parts) == 1 and _destination(parts[0])):
        return list(_routes(index, [part for part in parts if part.lower() not in ("why", "at")]))
    return list(_flows(index, [part for part in parts if part.lower() not in _FILLERS]))


def _question(kind: str, title: str, detail: str, query: str) -> Found:
    return Found(kind=kind, title=title, detail=detail, value=query)


def _destination(word: str) -> str | None:
    """An address or a prefix as it is written; None: it is neither."""
    try:
        ipaddress.ip_network(word, strict=False)
    except ValueError:
        return None
    return word


def _routes(index: Endpoints, parts: Sequence[str]) -> Iterator[Found]:
    """A destination and a device, in any order."""
    destinations = [part for part in parts if _destination(part)]
    others = [part for part in parts if part not in destinations]
    if len(destinations) != 1 or len(others) > 1:
        return
    asked = destinations[0]
    if not others:
        query = urlencode({"q": asked})
        yield _question("route", f"who has a route to {asked}", "Routes", query)
        return
    for device in _devices(index, others[0]):
        taken = "" if device == others[0] else f", taking {others[0]} for {device}"
        query = urlencode({"q": asked, "device": device})
        yield _question("route", f"why {asked} at {device}", f"Routes{taken}", query)


def _devices(index: Endpoints, word: str) -> list[str]:
    names = list(index.state.topology.devices)
    if word in index.state.topology.devices:
        return [word]
    begun = [name for name in names if name.lower().startswith(word.lower())]
    return begun[:_QUESTIONS] or difflib.get_close_matches(word, names, n=1)


def _flows(index: Endpoints, parts: Sequence[str]) -> Iterator[Found]:
    """Two ends, and behind them what kind of traffic."""
    if len(parts) < 2:
        return
    traffic = _traffic(parts[2:])
    if traffic is None:
        return
    ends = [_ends(index, part) for part in parts[:2]]
    for count, (source, destination) in enumerate(product(*ends)):
        if count == _QUESTIONS:
            return
        if source == destination:
            continue
        query = urlencode(
            {"from": source, "to": destination, **({"as": traffic} if traffic else {})}
        )
        taken = [
            f"{word} for {end}"
            for word, end in zip(parts[:2], (source, destination), strict=True)
            if word != end
        ]
        detail = "Flows" + (f", taking {' and '.join(taken)}" if taken else "")
        title = f"{source} → {destination}, {traffic or 'ping'}"
        yield _question("flow", title, detail, query)


def _traffic(parts: Sequence[str]) -> str | None:
    """The kind of traffic as flow questions have it; empty: left out; None: it is none."""
    told = " ".join(part for part in parts if part.lower() != "as")
    told = re.sub(r"^(tcp|udp)[:/]", r"\1 ", told)
    try:
        parse_traffic(told, None)
    except QuestionError:
        return None
    return told


def _ends(index: Endpoints, word: str) -> list[str]:
    """What one word may mean as an end of a flow."""
    if _destination(word):
        return [word]
    called = word.lower()
    found = [
        item.value
        for item in index.endpoints(word, limit=_LOOKED_AT)
        if called in item.title.lower() or called in item.value.lower()
    ]
    if word in found:
        return [word]
    if found:
        # A device says more than each of its interfaces.
        names = [name for name in found if name.partition(":")[0] not in found or ":" not in name]
        return list(dict.fromkeys(names))[:_READINGS]
    near = range(len(word) - 1, len(word) + 3)
    names = [
        item.value
        for item in index.things
        if item.kind in ("device", "name", "outside") and len(item.value) in near
    ]
    return difflib.get_close_matches(word, names, n=1, cutoff=0.7)
