"""What all commands share: reading a folder, refusing, and printing."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, NoReturn

import typer
from rich.console import Console
from rich.markup import escape

from routrel.answers.base import data
from routrel.answers.routes import NextHopData
from routrel.convergence.converge import State
from routrel.files.reader import UnusableInput
from routrel.lens.failures import UnknownFailure, named_failures
from routrel.lens.look import View, look_at_folder
from routrel.model.findings import Finding, Severity

__all__ = [
    "ERRORS_FOUND",
    "UNUSABLE",
    "AsJson",
    "Failed",
    "Folder",
    "cited",
    "computed",
    "computed_view",
    "err",
    "hops_words",
    "look",
    "out",
    "print_finding",
    "print_json",
    "refuse",
]

ERRORS_FOUND = 1
UNUSABLE = 2
#: Wide where nobody watches: a pipe has no edge at which a table must break.
out = Console(highlight=False, soft_wrap=True, width=None if sys.stdout.isatty() else 200)
err = Console(stderr=True, highlight=False, soft_wrap=True)
Folder = Annotated[Path, typer.Argument(help="the folder of a network's files", show_default=False)]
Failed = Annotated[
    list[str] | None,
    typer.Option("--failed", help="what has failed: device, device:interface, or “link NAME”"),
]
AsJson = Annotated[bool, typer.Option("--json", help="print JSON")]
_COLOURS = {Severity.ERROR: "red", Severity.WARNING: "yellow", Severity.NOTE: "blue"}


def look(folder: Path, failed: Sequence[str] = ()) -> View:
    """What a folder's files show, with some things failed; what cannot be read is refused."""
    try:
        return look_at_folder(folder, named_failures(failed))
    except UnusableInput as error:
        refuse(str(error))
    except UnknownFailure as error:
        refuse(error.text, error.suggestion)


def computed(folder: Path, failed: Sequence[str] = ()) -> State:
    """The computed network; files with problems are refused, since answers would be guesses."""
    return computed_view(folder, failed)[0]


def computed_view(folder: Path, failed: Sequence[str] = ()) -> tuple[State, View]:
    """As `computed`, with all else that was seen of the folder."""
    view = look(folder, failed)
    if view.state is None:
        for problem in view.reading.problems:
            print_finding(problem, err)
        refuse(
            f"{view.reading.problem_count} problems in the files; nothing is computed from them",
            f"correct them and check again: routrel check {folder}",
        )
    if failed:
        err.print(f"[yellow]with {escape(', '.join(failed))} failed[/]")
    return view.state, view


def refuse(text: str, suggestion: str = "") -> NoReturn:
    """Say on standard error what cannot be done and what to do, and end with code 2."""
    err.print(f"[red]{escape(text)}[/]" + (f"; {escape(suggestion)}" if suggestion else ""))
    raise typer.Exit(UNUSABLE)


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


def hops_words(hops: Sequence[NextHopData]) -> str:
    """Next hops in words: 10.0.0.1 by e1."""
    return ", ".join(
        f"{hop.address} by {hop.interface}" if hop.address else str(hop.interface) for hop in hops
    )


def cited(answer: object) -> str:
    """File and line of an answer that has them."""
    file, line = getattr(answer, "file", None), getattr(answer, "line", None)
    return f" [dim]{file}:{line}[/]" if file else ""
