"""What all commands share: reading a folder, refusing, and printing."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, NoReturn

import typer
from rich.console import Console
from rich.markup import escape

from routrel.answers.base import LinesData, data
from routrel.answers.routes import NextHopData
from routrel.convergence.converge import State
from routrel.files.observed import is_observed_file
from routrel.files.reader import UnusableInput, decode, read_change
from routrel.files.report import Report
from routrel.formats.events.dumps import read_dump_events
from routrel.formats.events.json_lines import EventFile, read_events
from routrel.formats.events.measures import read_measures
from routrel.formats.mrt.records import looks_like_mrt
from routrel.formats.reports import ImportReport, Verdict
from routrel.lens.changes import Conflicts
from routrel.lens.failures import UnknownFailure, named_failures
from routrel.lens.look import View, look_at_folder
from routrel.lens.tables import UnknownTables, named_tables, tables_words
from routrel.model.changes import Change
from routrel.model.events import BadTime, Event, time_of, time_words
from routrel.model.findings import Finding, Severity
from routrel.model.observed import AS_FILES_SAY, TableChoice
from routrel.questions.moves import KeptFlows, kept_flows

__all__ = [
    "ERRORS_FOUND",
    "NOTHING",
    "UNUSABLE",
    "AsJson",
    "At",
    "ChangeFiles",
    "EventFiles",
    "Fail",
    "Folder",
    "Span",
    "Tables",
    "Through",
    "change_in",
    "cited",
    "computed",
    "computed_view",
    "err",
    "event_file",
    "events_in",
    "hops_words",
    "kept_in",
    "look",
    "moment",
    "out",
    "print_edits",
    "print_finding",
    "print_json",
    "refuse",
    "span_of",
    "write_file",
]

ERRORS_FOUND = 1
UNUSABLE = 2
#: Wide where nobody watches: a pipe has no edge at which a table must break.
out = Console(
    highlight=False, emoji=False, soft_wrap=True, width=None if sys.stdout.isatty() else 200
)
err = Console(stderr=True, highlight=False, emoji=False, soft_wrap=True)
Folder = Annotated[Path, typer.Argument(help="the folder of a network's files", show_default=False)]
Fail = Annotated[
    list[str] | None,
    typer.Option(
        "--fail",
        metavar="KIND:NAME",
        help="what has failed; kinds: interface, link, direction, device, site, session, line, "
        "group; an interface, and a direction by its sender, as device:interface, a session as "
        "device:address",
    ),
]
ChangeFiles = Annotated[
    list[Path] | None,
    typer.Option("--change", metavar="FILE", help="a change to look through; may be repeated"),
]
Tables = Annotated[
    list[str] | None,
    typer.Option(
        "--tables",
        metavar="[DEVICE=]SOURCE",
        help="what devices are taken to forward by, of all or of one: computed, observed (the "
        "tables that were read from them, those alone), known (those, where there are any)",
    ),
]
EventFiles = Annotated[
    list[Path] | None,
    typer.Option(
        "--events",
        metavar="FILE",
        help="events of the running network, as JSON lines or MRT, or measured values as CSV; may "
        "be repeated",
    ),
]
At = Annotated[
    str | None,
    typer.Option(
        metavar="TIME",
        help="the moment to look at, as 2026-01-05T02:11:07.140382Z, with what events say up to "
        "then; left out: all of them",
    ),
]
Span = Annotated[
    str, typer.Option("--span", metavar="START/END", help="two times; either may be left out")
]
AsJson = Annotated[bool, typer.Option("--json", help="print JSON")]
_COLOURS = {Severity.ERROR: "red", Severity.WARNING: "yellow", Severity.NOTE: "blue"}


@dataclass(frozen=True, slots=True)
class Through:
    """What a folder is looked at through besides itself, as the options have it."""

    changes: tuple[Change, ...]
    failed: Sequence[str]
    tables: TableChoice = AS_FILES_SAY
    events: tuple[Event, ...] = ()
    at: int | None = None

    @classmethod
    def of(
        cls,
        changes: Sequence[Path] | None,
        failed: Sequence[str] | None,
        tables: Sequence[str] | None = None,
        events: Sequence[Path] | None = None,
        at: str | None = None,
    ) -> Through:
        """The same from files; a change or a moment that cannot be read is refused."""
        try:
            choice = named_tables(tables or ())
        except UnknownTables as error:
            refuse(str(error))
        if at is not None and not events:
            refuse("a moment needs events", "name their files by --events")
        return cls(
            tuple(map(change_in, changes or ())),
            failed or (),
            choice,
            tuple(events_in(events or ())),
            None if at is None else moment(at),
        )

    def earlier(self, at: str) -> Through:
        """The folder at another moment of the same events, with nothing else; refused without."""
        if not self.events:
            refuse("a moment needs events", "name their files by --events")
        return Through((), (), events=self.events, at=moment(at))

    def __str__(self) -> str:
        made = [f"{change.place.file} made" for change in self.changes]
        made += [f"{failed} failed" for failed in self.failed]
        if self.events:
            latest = max(event.time for event in self.events)
            when = f"at {time_words(latest if self.at is None else self.at)}"
            made.append(f"{when}, after what {len(self.events)} events say of it")
        return ", ".join([*made, *(f"tables {words}" for words in tables_words(self.tables))])


#: A folder as it is.
NOTHING = Through((), ())


def change_in(file: Path) -> Change:
    """The change of a file; one that cannot be read is refused."""
    report = Report()
    try:
        text = decode(str(file), file.read_bytes(), report)
    except OSError as error:
        refuse(f"{file} cannot be read: {error.strerror}", "name a change file")
    change, problems = read_change(text, str(file)) if text is not None else (None, ())
    problems = (*report.problems, *problems)
    for problem in problems:
        print_finding(problem, err)
    if change is None or problems:
        refuse(f"{file} is not used", "correct it")
    return change


def events_in(files: Sequence[Path]) -> Iterator[Event]:
    """The events of files; what of them is no event is told on standard error."""
    for file in files:
        found = event_file(file)
        yield from found.events
        if found.report.verdict is not Verdict.READ:
            said = (found.report.unknowns or [one.text for one in found.report.messages])[0]
            err.print(
                f"[yellow]{escape(str(file))} is not understood whole: {escape(said)}[/]; all of "
                f"it: routrel events DIR --file {escape(str(file))}"
            )


def event_file(file: Path) -> EventFile:
    """A file of events; one that cannot be read at all is refused."""
    try:
        content = file.read_bytes()
        read = read_measures if is_observed_file(file.name) else read_events
        read = read_dump_events if looks_like_mrt(content[:16]) else read
        found = read(content, str(file))
    except OSError as error:
        refuse(f"{file} cannot be read: {error.strerror}", "name a file of events")
    if found.report.refused:
        refuse(f"{file}: {found.report.messages[0].text}", "save it as UTF-8")
    return found


def moment(text: str) -> int:
    """A moment in microseconds; what is no time is refused."""
    try:
        return time_of(text)
    except BadTime as error:
        refuse(str(error))


def span_of(text: str) -> tuple[int | None, int | None]:
    """A span as START/END, each left out at will; what is none is refused."""
    start, slash, end = text.partition("/")
    if text and not slash:
        refuse(f"“{text}” is no span", "write START/END; either may be left out")
    limits = (moment(start) if start else None, moment(end) if end else None)
    if limits[0] is not None and limits[1] is not None and limits[0] >= limits[1]:
        refuse(f"“{text}” ends before it begins", "write START/END")
    return limits


def look(folder: Path, through: Through = NOTHING, since: View | None = None) -> View:
    """What a folder's files show through changes and failures; what cannot be is refused.

    Args:
        since: What was seen of much the same files.
    """
    try:
        failures = named_failures(through.failed)
        view = look_at_folder(
            folder,
            failures,
            through.changes,
            since,
            through.tables,
            through.events,
            through.at,
        )
    except UnusableInput as error:
        refuse(str(error))
    except UnknownFailure as error:
        refuse(error.text, error.suggestion)
    except Conflicts as error:
        for conflict in error.conflicts:
            err.print(f"[red]{escape(str(conflict))}[/]")
        refuse("the change does not fit these files", "write it anew, or take these edits out")
    if view.imported is not None:
        _tell_not_understood(view.imported, folder)
    return view


def _tell_not_understood(imported: ImportReport, folder: Path) -> None:
    """Files of other formats that were refused or not understood whole are not passed over."""
    left = [one for one in imported.files if one.verdict is not Verdict.READ]
    if not left:
        return
    files = (
        "one file of another format" if len(left) == 1 else f"{len(left)} files of other formats"
    )
    first = left[0]
    texts = first.unknowns or [message.text for message in first.messages]
    said = f", first {texts[0]}" if texts else ""
    err.print(
        f"[yellow]{files} not understood whole: {escape(first.path)}{escape(said)}[/]; all of it: "
        f"routrel import {escape(str(folder))} --out NEW"
    )


def computed(folder: Path, through: Through = NOTHING) -> State:
    """The computed network; files with problems are refused, since answers would be guesses."""
    return computed_view(folder, through)[0]


def computed_view(
    folder: Path, through: Through = NOTHING, since: View | None = None
) -> tuple[State, View]:
    """As `computed`, with all else that was seen of the folder; `since` is that of `look`."""
    view = look(folder, through, since)
    if view.state is None:
        for problem in view.reading.problems:
            print_finding(problem, err)
        refuse(
            f"{view.reading.problem_count} problems in the files; nothing is computed from them",
            f"correct them and check again: routrel check {folder}",
        )
    if str(through):
        err.print(f"[yellow]with {escape(str(through))}[/]")
    return view.state, view


def kept_in(*views: View) -> KeptFlows:
    """The flows kept with any of some views."""
    return {name: flow for view in views for name, flow in kept_flows(view.cases).items()}


def refuse(text: str, suggestion: str = "") -> NoReturn:
    """Say on standard error what cannot be done and what to do, and end with code 2."""
    err.print(f"[red]{escape(text)}[/]" + (f"; {escape(suggestion)}" if suggestion else ""))
    raise typer.Exit(UNUSABLE)


def print_edits(edits: Iterable[LinesData]) -> None:
    """The lines that edits change, where they stand."""
    for edit in edits:
        out.print(f"       [dim]{escape(edit.file)}:{edit.line}[/]")
        for text, mark, colour in ((edit.before, "-", "red"), (edit.after, "+", "green")):
            for line in text.splitlines():
                out.print(f"       [{colour}]{mark} {escape(line)}[/]")


def print_json(answer: object) -> None:
    """Print an answer, or anything else in JSON's types."""
    print(json.dumps(data(answer), indent=2, ensure_ascii=False))


def print_finding(finding: Finding, console: Console) -> None:
    """One line: place, severity, text, what to do."""
    colour = _COLOURS[finding.severity]
    where = f"{finding.place}: " if finding.place.line else ""
    console.print(
        f"{escape(where)}[{colour}]{finding.severity.value}[/] {escape(finding.text)}"
        + (f" [dim]({escape(finding.suggestion)})[/]" if finding.suggestion else "")
    )


def write_file(path: Path, content: bytes) -> None:
    """Write a file and the folders that it lies in, or end with what forbids it."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    except OSError as error:
        refuse(f"{path} cannot be written: {error.strerror}")


def hops_words(hops: Sequence[NextHopData]) -> str:
    """Next hops in words: 10.0.0.1 by e1."""
    return ", ".join(
        f"{hop.address} by {hop.interface}" if hop.address else str(hop.interface) for hop in hops
    )


def cited(answer: object) -> str:
    """File and line of an answer that has them."""
    file, line = getattr(answer, "file", None), getattr(answer, "line", None)
    return f" [dim]{file}:{line}[/]" if file else ""
