"""`routrel kept`: when promises were kept, and which events broke or mended them."""

from __future__ import annotations

from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.kept import KeptData, kept_data
from routrel.cli.common import (
    ERRORS_FOUND,
    AsJson,
    ChangeFiles,
    EventFiles,
    Fail,
    Folder,
    Span,
    Tables,
    Through,
    cited,
    computed_view,
    events_in,
    kept_in,
    out,
    print_json,
    refuse,
    span_of,
)
from routrel.files.shapes import closest
from routrel.lens.failures import named_failures
from routrel.lens.moments import Timeline
from routrel.questions.eras.promises import promise_eras

__all__ = ["kept"]


def kept(
    folder: Folder,
    events: EventFiles,
    promise: Annotated[list[str] | None, typer.Option(help="these alone, by their ids")] = None,
    span: Span = "",
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    as_json: AsJson = False,
) -> None:
    """Tell when the promises beside a network were kept, and what broke and mended them.

    What they must survive is not tried. Exit code 1: one was broken at some time.
    """
    limits = span_of(span)
    state, view = computed_view(folder, Through.of(change, fail, tables))
    promises = view.reading.promises
    known = {one.name: one for one in promises}
    for name in promise or ():
        if name not in known:
            refuse(f"there is no promise “{name}”", closest(name, known))
    network = view.reading.network
    found = promise_eras(
        network,
        Timeline(network, events_in(events or ())),
        [known[name] for name in promise] if promise else promises,
        kept_in(view),
        span=limits,
        failures=named_failures(fail or ()),
        since=state,
    )
    answer = kept_data(found)
    if as_json:
        print_json(answer)
    else:
        _print(answer)
    if any(one.times_broken for one in answer.promises):
        raise typer.Exit(ERRORS_FOUND)


def _print(answer: KeptData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    for one in answer.promises:
        mark = "[red]✗[/]" if one.times_broken else "[green]✓[/]"
        out.print(
            f"{mark} [bold]{escape(one.id)}[/] {escape(one.text)}: {one.summary}" + cited(one)
        )
        for span in one.spans if one.times_broken and len(one.spans) > 1 else ():
            colour, word = ("green", "kept") if span.kept else ("red", "broken")
            out.print(
                f"    {span.start or 'from before'} – {span.end or 'until after all events'} "
                f"[{colour}]{word}[/] {escape(span.why)}"
            )
            for cause in span.causes:
                out.print(f"        began by {escape(cause.id)}: {escape(cause.text)}")
