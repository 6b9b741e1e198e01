"""What became of every file that was to be read, and what of it was not understood."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import Enum

__all__ = ["FileReport", "ImportReport", "ListColumns", "Message", "Verdict", "report_data"]

#: Messages that are kept of one file; what comes after them is counted.
MOST_MESSAGES = 1000
#: Characters of a message; it quotes what the file says.
_LONGEST_TEXT = 600


class Verdict(Enum):
    """How much of a file was understood."""

    READ = "read"  #: all of it
    PARTLY = "partly"  #: not all: what was not is named
    REFUSED = "refused"  #: nothing of it was taken


@dataclass(frozen=True, slots=True)
class Message:
    """One thing that was not understood, or taken in a way that should be known."""

    path: str
    line: int  #: counts from 1; 0: of the file as a whole
    text: str


@dataclass(frozen=True, slots=True)
class ListColumns:
    """What a list was taken for, and its columns."""

    header: tuple[str, ...]
    kind: str | None  #: None: no list that is known
    taken: Mapping[str, str]  #: by the column it is taken for: the list's own


@dataclass(slots=True)
class FileReport:
    """One file: its format, whose it is, and what was not understood."""

    path: str
    format: str = ""  #: the name of the format; empty: none that is known
    device: str | None = None
    refused: bool = False
    partly: bool = False
    messages: list[Message] = field(default_factory=list)
    more: int = 0  #: messages beyond those that are kept
    unknowns: list[str] = field(default_factory=list)  #: the texts of what is not understood
    rows: int = 0  #: table entries or announcements that were read
    columns: ListColumns | None = None  #: of a list

    def note(self, text: str, line: int = 0) -> None:
        """Say how something was taken that the file leaves open."""
        self._keep(text, line)

    def unknown(self, text: str, line: int = 0) -> None:
        """Name something that is not understood and was left out."""
        self.partly = True
        if len(self.unknowns) < MOST_MESSAGES and text not in self.unknowns[-20:]:
            self.unknowns.append(text)
        self._keep(text, line)

    def refuse(self, text: str, line: int = 0) -> None:
        """Say why nothing of the file can be taken."""
        self.refused = True
        self._keep(text, line)

    def _keep(self, text: str, line: int) -> None:
        short = text if len(text) <= _LONGEST_TEXT else text[: _LONGEST_TEXT - 1] + "…"
        message = Message(self.path, line, short)
        if message in self.messages[-20:]:
            return
        if len(self.messages) >= MOST_MESSAGES:
            self.more += 1
        else:
            self.messages.append(message)

    @property
    def verdict(self) -> Verdict:
        """How much of it was understood."""
        if self.refused:
            return Verdict.REFUSED
        return Verdict.PARTLY if self.partly else Verdict.READ


@dataclass(slots=True)
class ImportReport:
    """All files of one import."""

    by_path: dict[str, FileReport] = field(default_factory=dict)

    @property
    def files(self) -> list[FileReport]:
        """The reports, in order of path."""
        return [self.by_path[path] for path in sorted(self.by_path)]

    def file(self, path: str, format_name: str = "", device: str | None = None) -> FileReport:
        """The report of a file, which begins here unless it has begun."""
        if path not in self.by_path:
            self.by_path[path] = FileReport(path=path, format=format_name, device=device)
        return self.by_path[path]

    @property
    def understood(self) -> bool:
        """Whether all of every file was taken."""
        return all(one.verdict is Verdict.READ for one in self.files)

    @property
    def messages(self) -> Iterator[Message]:
        """What is said of all files, by file."""
        for one in self.files:
            yield from one.messages


def report_data(report: ImportReport) -> list[dict[str, object]]:
    """What became of every file, for programs."""
    return [
        {
            "path": one.path,
            "format": one.format or None,
            "device": one.device,
            "verdict": one.verdict.value,
            "messages": [
                {"path": message.path, "line": message.line or None, "text": message.text}
                for message in one.messages
            ],
            **_columns(one),
        }
        for one in report.files
    ]


def _columns(report: FileReport) -> dict[str, object]:
    """Of a list: its columns, and what they were taken for."""
    if report.columns is None:
        return {}
    header, kind, taken = report.columns.header, report.columns.kind, report.columns.taken
    return {"columns": {"header": list(header), "kind": kind, "taken": dict(taken)}}
