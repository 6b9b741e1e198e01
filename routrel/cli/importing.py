"""`routrel import`: files of other formats as a folder of device files."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.cli.common import ERRORS_FOUND, err, out, refuse, write_file
from routrel.files.reader import UnusableInput, read_texts
from routrel.formats.folders import gathered
from routrel.formats.importing import Imported, import_files
from routrel.formats.plain.lists import BadColumns, in_words, with_columns
from routrel.formats.plain.reading import headers
from routrel.formats.reports import ImportReport, Verdict, report_data

__all__ = ["import_"]

_COLOURS = {Verdict.READ: "green", Verdict.PARTLY: "yellow", Verdict.REFUSED: "red"}


def import_(
    sources: Annotated[
        list[Path], typer.Argument(help="folders, zip files or single files", show_default=False)
    ],
    to: Annotated[Path, typer.Option("--out", help="the folder to write to; made if need be")],
    report: Annotated[
        Path | None, typer.Option(help="where to write what became of every file, as JSON")
    ] = None,
    strict: Annotated[
        bool, typer.Option("--strict", help="end with 1 where anything was not understood")
    ] = False,
    columns: Annotated[
        list[str] | None,
        typer.Option(
            help="what a list's columns are, as 'tables: device=kit, prefix=to where'",
            show_default=False,
        ),
    ] = None,
    validate: Annotated[
        bool,
        typer.Option(
            "--validate/--no-validate",
            help="say where RFC 7951 data are not as their YANG modules have it",
        ),
    ] = True,
) -> None:
    """Read files of other formats, and write what they say as device files."""
    try:
        contents, name = gathered(sources)
    except UnusableInput as error:
        refuse(str(error))
    try:
        taken = with_columns([in_words(text) for text in columns or ()], headers(contents))
    except BadColumns as error:
        refuse(str(error))
    made = import_files(contents, name, remembered=taken, validate=validate)
    if report is not None:
        text = json.dumps({"files": report_data(made.report)}, indent=2, ensure_ascii=False)
        write_file(report, f"{text}\n".encode())
    _print(made.report)
    _write_texts(made, to)
    problems = read_texts(made.texts).problems if made.texts else ()
    for problem in problems:
        err.print(f"[red]{escape(str(problem.place))}: {escape(problem.text)}[/]")
    if not made.texts:
        refuse("nothing could be read", "see the report")
    if problems or (strict and not made.report.understood):
        raise typer.Exit(ERRORS_FOUND)


def _write_texts(made: Imported, to: Path) -> None:
    for path, text in made.texts.items():
        write_file(to / path, text.encode())
    out.print(f"{len(made.texts)} files written to {to}")


def _print(report: ImportReport) -> None:
    for one in report.files:
        colour, verdict = _COLOURS[one.verdict], one.verdict.value
        what = f" [dim]{one.format}{f', {one.device}' if one.device else ''}[/]" * bool(one.format)
        out.print(f"[{colour}]{verdict:<8}[/]{escape(one.path)}{what}")
        for message in one.messages:
            line = f":{message.line}" if message.line else ""
            out.print(f"        {escape(message.path)}{line}: {escape(message.text)}")
        if one.more:
            out.print(f"        and {one.more} more")
