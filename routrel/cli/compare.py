"""`routrel compare`: all that is not the same in two lenses, and what looks like a mistake."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.comparison import ComparisonData, comparison_data, flow_lines
from routrel.cli.common import (
    NOTHING,
    AsJson,
    At,
    ChangeFiles,
    EventFiles,
    Fail,
    Folder,
    Tables,
    Through,
    cited,
    computed_view,
    kept_in,
    out,
    print_json,
)

__all__ = ["compare"]

#: Lines of each kind that are printed; --json has all.
_SHOWN = 20


def compare(
    folder: Folder,
    other: Annotated[
        Path | None,
        typer.Argument(help="a second folder; left out: the same", show_default=False),
    ] = None,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    since: Annotated[
        str | None,
        typer.Option(
            metavar="TIME",
            help="the moment to compare with, with what events say up to then; left out: the files "
            "as they are",
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Compare a folder with another, or with itself through changes, failures and events.

    Exit code 0, whether or not anything differs; 2: one of the two cannot be computed.
    """
    through = Through.of(change, fail, tables, events, at)
    before, first = computed_view(folder, through.earlier(since) if since else NOTHING)
    after, second = computed_view(other or folder, through, first)
    kept = kept_in(first, second)
    told = ((before, first.findings), (after, second.findings))
    answer = comparison_data(*told, kept, through.changes)
    if as_json:
        print_json(answer)
        return
    _print(answer)


def _print(answer: ComparisonData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    for warning in answer.warnings:
        out.print(f"\n[yellow]{warning.code}[/]: {escape(warning.text)}")
        for evidence in warning.evidence:
            out.print(f"    {escape(evidence.text)}" + cited(evidence))
    _list("Flows", flow_lines(answer.flows))
    _list("Comes in elsewhere", [f"{one.text}; {one.reason}" for one in answer.entries])
    _list("Routes", [f"{group.text}; {group.reason}" for group in answer.routes.groups])
    for title, sessions in (("down", answer.sessions.down), ("up", answer.sessions.up)):
        _list(
            f"Sessions {title}",
            [
                f"{s.device} with {s.neighbour}{f': {s.reason}' if s.reason else ''}"
                for s in sessions
            ],
        )
    for title, met in (("gone", answer.adjacencies.down), ("new", answer.adjacencies.up)):
        _list(
            f"Adjacencies {title}",
            [
                f"{a.protocol} {a.where}: {a.device}:{a.interface} – "
                f"{a.neighbour}:{a.neighbour_interface}"
                for a in met
            ],
        )
    _list("Roles elsewhere", [role.text for role in answer.roles])
    for title, findings in (("new", answer.findings.new), ("gone", answer.findings.gone)):
        _list(f"Findings {title}", [finding.text for finding in findings])


def _list(title: str, lines: list[str]) -> None:
    if not lines:
        return
    out.print(f"\n[bold]{title}[/] ({len(lines)})")
    for line in lines[:_SHOWN]:
        out.print(f"  {escape(line)}")
    if len(lines) > _SHOWN:
        out.print(f"  and {len(lines) - _SHOWN} more; --json has all")
