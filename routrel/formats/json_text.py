"""JSON texts of others: read strictly, with the line of any value for whoever has to name it.

Reading is the standard library's. What RFC 8259 leaves to the receiver is refused here, since an
answer must not rest on a guess: a member given twice, NaN and infinities, and more levels than any
honest file has. Lines are found by a second pass, which is made only if somebody asks.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

__all__ = ["MAXIMUM_BYTES", "BadJson", "JsonText", "read_json"]

#: Bytes of one file.
MAXIMUM_BYTES = 512 * 1024 * 1024
_MOST_LEVELS = 400

_TOKEN = re.compile(r'\s*(?:("(?:[^"\\]|\\.)*")|([{}\[\],:])|([^\s{}\[\],:"]+))')

Path = tuple[str | int, ...]


class BadJson(Exception):
    """A text is no JSON that may be relied on.

    Attributes:
        line: Where, counting from 1.
    """

    def __init__(self, text: str, line: int = 1) -> None:
        self.line = line
        super().__init__(text)


class _Twice(Exception):
    """A member's name that was given twice in one object."""


@dataclass(slots=True)
class JsonText:
    """A value and the text it was read from."""

    value: Any
    text: str = field(repr=False)
    _lines: dict[Path, int] | None = field(default=None, repr=False)

    def line(self, *path: str | int) -> int:
        """The line of the value at a path of names and positions; of the nearest holder known."""
        if self._lines is None:
            self._lines = _lines(self.text)
        for length in range(len(path), -1, -1):
            found = self._lines.get(tuple(path[:length]))
            if found is not None:
                return found
        return 1


def read_json(content: bytes) -> JsonText:
    """Read a JSON text.

    Raises:
        BadJson: it is no UTF-8, no JSON, or JSON of which receivers make different things.
    """
    if len(content) > MAXIMUM_BYTES:
        raise BadJson("the file is larger than 512 MiB")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        raise BadJson(f"byte {error.start + 1} is not UTF-8 text", line) from error
    if "\x00" in text:
        raise BadJson("the file holds zero bytes", text[: text.index("\x00")].count("\n") + 1)
    try:
        value = json.loads(text, object_pairs_hook=_object, parse_constant=_constant)
    except json.JSONDecodeError as error:
        raise BadJson(f"no JSON: {error.msg[0].lower()}{error.msg[1:]}", error.lineno) from error
    except RecursionError as error:
        raise BadJson(f"values within values, more than {_MOST_LEVELS} levels deep") from error
    except _Twice as error:
        raise BadJson(f"“{error}” is given twice in one object", _line_of_twice(text)) from error
    except ValueError as error:
        raise BadJson(str(error)) from error
    if text.count("{") + text.count("[") > _MOST_LEVELS and _depth(value) > _MOST_LEVELS:
        raise BadJson(f"values within values, more than {_MOST_LEVELS} levels deep")
    return JsonText(value, text)


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) < len(pairs):
        seen: set[str] = set()
        for name, _ in pairs:
            if name in seen:
                raise _Twice(name)
            seen.add(name)
    return made


def _constant(word: str) -> Any:
    raise ValueError(f"{word} is no number in JSON (RFC 8259 6)")


def _depth(value: Any) -> int:
    """How many levels a value has, told without recursion."""
    deepest, waiting = 0, [(value, 1)]
    while waiting:
        one, level = waiting.pop()
        deepest = max(deepest, level)
        if level > _MOST_LEVELS:
            return level
        if isinstance(one, dict):
            waiting.extend((inner, level + 1) for inner in one.values())
        elif isinstance(one, list):
            waiting.extend((inner, level + 1) for inner in one)
    return deepest


def _lines(text: str) -> dict[Path, int]:
    """The line of every value of a JSON text, by path; that of a member is the line of its name."""
    found: dict[Path, int] = {(): 1}
    for path, line, _ in _met(text):
        found.setdefault(path, line)
    return found


def _line_of_twice(text: str) -> int:
    """The line of the first member whose name its object has already."""
    named: set[Path] = set()
    for path, line, is_name in _met(text):
        if is_name and path in named:
            return line
        if is_name:
            named.add(path)
    return 1


def _met(text: str) -> Iterator[tuple[Path, int, bool]]:
    """The names of members and the values of a JSON text, in order: path, line, whether a name."""
    path: list[str | int] = []
    is_list: list[bool] = []
    name_next = False
    line, last = 1, 0
    for token in _TOKEN.finditer(text):
        start = token.start(token.lastindex or 0)
        line += text.count("\n", last, start)
        last = start
        string, mark, _ = token.groups()
        if mark in ("{", "["):
            yield tuple(path), line, False
            is_list.append(mark == "[")
            path.append(0 if mark == "[" else "")
            name_next = mark == "{"
        elif mark in ("}", "]"):
            is_list.pop()
            path.pop()
            name_next = False
        elif mark == ",":
            if is_list and is_list[-1]:
                path[-1] = int(path[-1]) + 1
            else:
                name_next = True
        elif mark is None:
            is_name = string is not None and name_next
            if is_name:
                path[-1] = json.loads(string) if "\\" in string else string[1:-1]
                name_next = False
            yield tuple(path), line, is_name
