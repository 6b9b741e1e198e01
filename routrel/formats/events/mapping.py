"""What messages mean: a file of ours that makes events of syslog messages, with tests beside it.

    routrel: 1
    messages:
      - name: a port
        app: portd                   # may be left out, as may `msgid`
        match: 'port (?P<port>\\S+) is now (?P<state>\\w+)'
        event: {kind: interface, device: '{host}', interface: '{port}', state: '{state}'}
        words: {state: {online: up, offline: down}}
        tests:
          - {message: port e1 is now offline, gives: {interface: e1, state: down}}
          - {message: fan 2 is now offline, gives: nothing}

Of several that match the first counts. A name in braces is a group of the pattern, `host`, `app`,
`process`, `msgid`, or a parameter of the structured data as `ID.NAME`.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

import yaml

from routrel.formats.events.json_lines import read_events
from routrel.formats.events.syslog import Message
from routrel.model.events import time_words

__all__ = ["BadMapping", "MessageKind", "MessageMapping", "read_mapping"]

_KEYS = {"name", "app", "msgid", "match", "event", "words", "tests"}
_NAMED = re.compile(r"\{([^{}]+)\}")
#: Members of events that are numbers.
_NUMBERS = frozenset(("old", "new", "value", "MULTI_EXIT_DISC"))
_NOTHING = "nothing"
_MOST_BYTES = 1024 * 1024


class BadMapping(ValueError):
    """A text is no mapping of messages."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageKind:
    """One kind of message, and the event that it tells of."""

    name: str
    app: str = ""  #: empty: any
    msgid: str = ""  #: empty: any
    match: re.Pattern[str]
    event: Mapping[str, str]
    words: Mapping[str, Mapping[str, str]] = field(default_factory=dict)  #: by group
    tests: tuple[Mapping[str, Any], ...] = ()

    def members(self, message: Message) -> dict[str, Any] | None:
        """The members of the event that a message tells of; None: it is of another kind."""
        if (self.app and self.app != message.app) or (self.msgid and self.msgid != message.kind):
            return None
        found = self.match.search(message.text)
        if found is None:
            return None
        known = {
            "host": message.host,
            "app": message.app,
            "process": message.process,
            "msgid": message.kind,
            **{f"{own}.{n}": v for own, each in message.data.items() for n, v in each.items()},
            **{name: value or "" for name, value in found.groupdict().items()},
        }
        for name, words in self.words.items():
            known[name] = words.get(known.get(name, ""), known.get(name, ""))
        made: dict[str, Any] = {}
        for name, template in self.event.items():
            text = _NAMED.sub(lambda part: known.get(part[1], ""), template)
            if text:
                made[name] = _number(text) if name in _NUMBERS else text
        return made


@dataclass(frozen=True, slots=True)
class MessageMapping:
    """All kinds of messages that mean something, in order."""

    kinds: tuple[MessageKind, ...]

    def line(self, message: Message, name: str) -> str | None:
        """The event of a message as a JSON line; None: it means nothing.

        Args:
            name: The event's id.
        Raises:
            BadMapping: the message does not say when, so nothing can be placed by it.
        """
        for kind in self.kinds:
            members = kind.members(message)
            if members is None:
                continue
            if message.time is None:
                raise BadMapping(f"{kind.name}: the message does not say when")
            made = {"id": name, "time": time_words(message.time), **members}
            return json.dumps(made, ensure_ascii=False)
        return None

    def failed_tests(self) -> Iterator[str]:
        """What tests beside the kinds say, and what comes of them instead."""
        for kind in self.kinds:
            for number, test in enumerate(kind.tests, start=1):
                said = self._said_of(kind, test)
                if said:
                    yield f"{kind.name}, test {number}: {said}"

    def _said_of(self, kind: MessageKind, test: Mapping[str, Any]) -> str:
        message = Message(
            facility=0,
            severity=0,
            time=0,
            host=str(test.get("host", "host")),
            app=str(test.get("app", kind.app)),
            process="",
            kind=str(test.get("msgid", kind.msgid)),
            text=str(test.get("message", "")),
        )
        line = self.line(message, "test")
        wanted = test.get("gives", _NOTHING)
        if wanted == _NOTHING:
            return f"gives {line}, not nothing" if line else ""
        if line is None:
            return "gives nothing"
        read = read_events(line.encode(), "test")
        if read.report.messages:
            return f"gives no event: {read.report.messages[0].text}"
        made = json.loads(line)
        unlike = {name: made.get(name) for name in wanted if made.get(name) != wanted[name]}
        return f"gives {unlike}" if unlike else ""


def _number(text: str) -> int | float | str:
    try:
        return int(text)
    except ValueError:
        try:
            return float(text)
        except ValueError:
            return text  # whoever reads the event names it


def read_mapping(content: bytes) -> MessageMapping:
    """Read a mapping.

    Raises:
        BadMapping: it is no YAML, or not as it has to be; it says which kind and what.
    """
    if len(content) > _MOST_BYTES:
        raise BadMapping("the file is larger than 1 MiB")
    try:
        value = yaml.safe_load(content.decode("utf-8-sig"))
    except (UnicodeDecodeError, yaml.YAMLError, RecursionError) as error:
        raise BadMapping(f"no YAML: {' '.join(str(error).split())}") from error
    if not isinstance(value, dict) or value.get("routrel") != 1:
        raise BadMapping("does not begin with routrel: 1")
    listed = value.get("messages")
    if not isinstance(listed, list) or not listed:
        raise BadMapping("has no list of messages")
    for key in value.keys() - {"routrel", "messages"}:
        raise BadMapping(f"the key {key} is not known; there are routrel and messages")
    return MessageMapping(tuple(_kind(number, one) for number, one in enumerate(listed, start=1)))


def _kind(number: int, value: Any) -> MessageKind:
    where = f"message {number}"
    if not isinstance(value, dict):
        raise BadMapping(f"{where} has no keys")
    where = str(value.get("name") or where)
    for key in value:
        if key not in _KEYS:
            raise BadMapping(f"{where}: the key {key} is not known; there are {', '.join(_KEYS)}")
    event, words, tests = value.get("event"), value.get("words") or {}, value.get("tests") or []
    if not isinstance(event, dict) or not event.get("kind"):
        raise BadMapping(f"{where}: event has no kind")
    if not isinstance(words, dict) or not all(isinstance(each, dict) for each in words.values()):
        raise BadMapping(f"{where}: words are not NAME: {{theirs: ours}}")
    if not isinstance(tests, list) or not all(isinstance(test, dict) for test in tests):
        raise BadMapping(f"{where}: tests are no list of message and gives")
    try:
        match = re.compile(str(value.get("match") or ""))
    except re.error as error:
        raise BadMapping(f"{where}: match is no regular expression: {error}") from error
    if not value.get("match"):
        raise BadMapping(f"{where}: match is missing")
    return MessageKind(
        name=where,
        app=str(value.get("app") or ""),
        msgid=str(value.get("msgid") or ""),
        match=match,
        event={str(key): str(one) for key, one in event.items()},
        words={str(key): {str(a): str(b) for a, b in each.items()} for key, each in words.items()},
        tests=tuple(tests),
    )
