"""`routrel suggest`: what might be promised of a network as it behaves."""

from __future__ import annotations

import typer
from rich.markup import escape

from routrel.answers.suggestions import SuggestionsData, suggestions_data
from routrel.cli.common import (
    AsJson,
    At,
    ChangeFiles,
    EventFiles,
    Fail,
    Folder,
    Tables,
    Through,
    computed_view,
    err,
    kept_in,
    print_json,
)
from routrel.questions.processes import pool, worker_count
from routrel.questions.promises.suggesting import suggestions

__all__ = ["suggest"]


def suggest(
    folder: Folder,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Suggest promises that hold today, as a file of promises to choose from.

    Exit code 0; 2: the network cannot be computed.
    """
    state, view = computed_view(folder, Through.of(change, fail, tables, events, at))

    def on_case(number: int, count: int) -> None:
        if err.is_terminal:
            err.print(f"failure {number + 1} of {count}", end="\r")

    found = suggestions(
        state, view.reading.promises, kept_in(view), on_case, pool, worker_count(None)
    )
    answer = suggestions_data(found)
    if as_json:
        print_json(answer)
    else:
        _print(answer)


def _print(answer: SuggestionsData) -> None:
    """A file of promises with the reasons as comments; lines are not broken, whatever the width."""
    err.print(f"[bold]{escape(answer.summary)}[/]")
    if not answer.suggestions:
        return
    typer.echo("routrel: 1\npromises:")
    for one in answer.suggestions:
        where = f" ({one.file}:{one.line})" if one.file else ""
        typer.echo(f"  # {one.why}{where}")
        for promise in one.promises:
            typer.echo(f"  {promise.id}: {promise.text}")
