"""Syslog messages (RFC 5424), one behind the other by octet counting or lines (RFC 6587)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from routrel.model.events import BadTime, time_of

__all__ = ["MAXIMUM_MESSAGE", "BadMessage", "Frame", "Message", "frames", "read_message"]

#: Octets of one message; RFC 5424 6.1 asks receivers to take 2,048.
MAXIMUM_MESSAGE = 65_536
_NIL, _BOM = b"-", b"\xef\xbb\xbf"
#: The fields behind PRI and VERSION, with their longest (RFC 5424 6).
_FIELDS = (("TIMESTAMP", 32), ("HOSTNAME", 255), ("APP-NAME", 48), ("PROCID", 128), ("MSGID", 32))
_PRI = re.compile(rb"<(0|[1-9][0-9]{0,2})>([1-9][0-9]{0,2}) ")
_TIME = re.compile(
    rb"\d{4}-\d\d-\d\dT([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d{1,6})?"
    rb"(Z|[+-]([01]\d|2[0-3]):[0-5]\d)"
)
_NAME = re.compile(rb"[!#-<>-\\^-~]{1,32}")  # printable, but for = ] and "
_COUNT = re.compile(rb"([1-9][0-9]{0,8}) ")


class BadMessage(ValueError):
    """Octets are no message of RFC 5424."""


@dataclass(frozen=True, slots=True)
class Frame:
    """The octets of one message, and where they begin."""

    octets: bytes
    line: int  #: of the file, from 1
    problem: str = ""  #: why what follows cannot be told apart; then it is the last


@dataclass(frozen=True, slots=True, kw_only=True)
class Message:
    """One message. What is not told (NILVALUE) is empty or None."""

    facility: int
    severity: int
    time: int | None  #: microseconds
    host: str
    app: str
    process: str
    kind: str  #: MSGID
    data: Mapping[str, Mapping[str, str]] = field(default_factory=dict)  #: by SD-ID and name
    text: str = ""


def frames(content: bytes) -> Iterator[Frame]:
    """The messages of a stream or file, each counted or up to its line's end (RFC 6587 3.4).

    A frame that begins with a digit is counted, and may hold line feeds. Once a count is wrong
    nothing that follows can be told apart.
    """
    at, line = 0, 1
    while at < len(content):
        if content[at : at + 1].isdigit():
            found = _COUNT.match(content, at)
            if found is None or int(found[1]) > MAXIMUM_MESSAGE:
                yield Frame(b"", line, "a count of octets that is none, or too large")
                return
            end = found.end() + int(found[1])
            if end > len(content):
                left = len(content) - found.end()
                yield Frame(b"", line, f"a frame of {found[1].decode()} octets ends after {left}")
                return
            octets, after = content[found.end() : end], end
        else:
            end = content.find(b"\n", at)
            end = len(content) if end < 0 else end
            octets, after = content[at:end].removesuffix(b"\r"), end + 1
        if octets.strip():
            yield Frame(octets, line)
        line += content.count(b"\n", at, after)
        at = after


def read_message(octets: bytes) -> Message:
    """Read a message (RFC 5424 6).

    Raises:
        BadMessage: it is none: PRI, the version or a field is not as it has to be, an SD-ID is
            there twice, or what has to be UTF-8 is not.
    """
    if len(octets) > MAXIMUM_MESSAGE:
        raise BadMessage(f"more than {MAXIMUM_MESSAGE} octets")
    begin = _PRI.match(octets)
    if begin is None or int(begin[1]) > 191:
        raise BadMessage("does not begin with a priority from <0> to <191> and a version")
    if begin[2] != b"1":
        raise BadMessage(f"is of version {begin[2].decode()}; 1 is known (RFC 5424)")
    at = begin.end()
    fields = []
    for name, longest in _FIELDS:
        end = octets.find(b" ", at)
        value = octets[at : end if end >= 0 else len(octets)]
        if end < 0 or not value:
            raise BadMessage(f"ends before its structured data: no {name}")
        if len(value) > longest or any(not 33 <= octet <= 126 for octet in value):
            raise BadMessage(f"its {name} is not 1 to {longest} printable ASCII characters")
        fields.append(value)
        at = end + 1
    time = _time(fields[0])
    data, at = _structured_data(octets, at)
    if at < len(octets) and octets[at : at + 1] != b" ":
        raise BadMessage("no space between its structured data and its text")
    host, app, process, kind = ("" if one == _NIL else one.decode("ascii") for one in fields[1:])
    return Message(
        facility=int(begin[1]) // 8,
        severity=int(begin[1]) % 8,
        time=time,
        host=host,
        app=app,
        process=process,
        kind=kind,
        data=data,
        text=_text(octets[at + 1 :]),
    )


def _time(value: bytes) -> int | None:
    if value == _NIL:
        return None
    if _TIME.fullmatch(value) is None:
        raise BadMessage(f"its TIMESTAMP {value.decode('ascii')} is none of RFC 5424 6.2.3")
    try:
        return time_of(value.decode("ascii"))
    except BadTime as error:
        raise BadMessage(str(error)) from error


def _structured_data(octets: bytes, at: int) -> tuple[dict[str, dict[str, str]], int]:
    """The elements, and where they end (RFC 5424 6.3)."""
    if octets[at : at + 1] == _NIL:
        return {}, at + 1
    found: dict[str, dict[str, str]] = {}
    while octets[at : at + 1] == b"[":
        name = _NAME.match(octets, at + 1)
        if name is None:
            raise BadMessage("an element of structured data without a name")
        own = name[0].decode("ascii")
        if own in found:
            raise BadMessage(f"the element {own} is there twice")
        found[own], at = _parameters(octets, name.end())
    if not found:
        raise BadMessage("its structured data are neither elements nor -")
    return found, at


def _parameters(octets: bytes, at: int) -> tuple[dict[str, str], int]:
    """The parameters of an element; of one that is there twice the last counts."""
    made: dict[str, str] = {}
    while octets[at : at + 1] == b" ":
        name = _NAME.match(octets, at + 1)
        if name is None or octets[name.end() : name.end() + 2] != b'="':
            raise BadMessage('a parameter that is not NAME="VALUE"')
        value, at = _value(octets, name.end() + 2)
        made[name[0].decode("ascii")] = value
    if octets[at : at + 1] != b"]":
        raise BadMessage("an element of structured data that does not end")
    return made, at + 1


def _value(octets: bytes, at: int) -> tuple[str, int]:
    """A parameter's value: a backslash before \\, " or ] is taken off, any other one stays."""
    made = bytearray()
    while at < len(octets):
        octet = octets[at : at + 1]
        if octet == b'"':
            try:
                return made.decode("utf-8"), at + 1
            except UnicodeDecodeError as error:
                raise BadMessage("a parameter's value that is not UTF-8") from error
        if octet == b"]":
            raise BadMessage("a ] in a parameter's value without a backslash before it")
        if octet == b"\\" and octets[at + 1 : at + 2] in (b"\\", b'"', b"]"):
            octet, at = octets[at + 1 : at + 2], at + 1
        made += octet
        at += 1
    raise BadMessage("a parameter's value that does not end")


def _text(octets: bytes) -> str:
    """The text: UTF-8 where it begins with a BOM, else of an unknown encoding (RFC 5424 6.4)."""
    if octets.startswith(_BOM):
        try:
            return octets[3:].decode("utf-8")
        except UnicodeDecodeError as error:
            raise BadMessage("its text begins as UTF-8 and is not") from error
    try:
        return octets.decode("utf-8")
    except UnicodeDecodeError:
        return octets.decode("latin-1")
