"""`routrel events` and `routrel eras`: what was told of a network, and which way flows went."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.eras import ErasData, eras_data
from routrel.answers.events import EventsData, events_data
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
    computed_view,
    event_file,
    events_in,
    out,
    print_json,
    refuse,
    span_of,
)
from routrel.lens.failures import named_failures
from routrel.lens.moments import Effect, Timeline
from routrel.model.events import time_of
from routrel.questions.eras.search import find_eras
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion
from routrel.wording.events import length_words
from routrel.wording.health import percent_words

__all__ = ["eras", "events"]

#: Events on the way that are listed of one era.
_SHOWN = 8
_COLOURS = {
    Effect.CHANGES: "",
    Effect.ALREADY: "dim",
    Effect.UNPLACED: "yellow",
    Effect.MEASURED: "dim",
}


def events(
    folder: Folder,
    file: Annotated[
        list[Path], typer.Option("--file", help="events as JSON lines; may be repeated")
    ],
    change: ChangeFiles = None,
    as_json: AsJson = False,
) -> None:
    """List what was told of a network in order of time, and what came of each event.

    Exit code 1 where a line is no event, or not understood whole.
    """
    files = [event_file(one) for one in file]
    _, view = computed_view(folder, Through.of(change, None))
    timeline = Timeline(view.reading.network, (event for one in files for event in one.events))
    answer = events_data(timeline, (one.report for one in files))
    if as_json:
        print_json(answer)
    else:
        _print_events(answer)
    if any(one.report.partly for one in files):
        raise typer.Exit(ERRORS_FOUND)


def _print_events(answer: EventsData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    for event in answer.events:
        colour = _COLOURS[event.effect]
        text = f"{event.time}  {event.id}: {event.text}"
        out.print(f"[{colour}]{escape(text)}[/]" if colour else escape(text))
        if event.why:
            out.print(f"    {escape(event.why)}  [dim]{escape(event.file or '')}:{event.line}[/]")
    for unread in answer.unread:
        out.print(f"[yellow]{escape(unread.file)}:{unread.line or ''}[/] {escape(unread.text)}")


def eras(
    folder: Folder,
    events: EventFiles,
    source: Annotated[str, typer.Option("--from", help="device, device:interface or address")],
    destination: Annotated[str, typer.Option("--to", help="as --from")],
    traffic: Annotated[str, typer.Option("--as", help="protocol and port, as “tcp 5432”")] = "",
    span: Span = "",
    both: Annotated[bool, typer.Option("--both", help="the return direction too")] = False,
    beside: Annotated[
        list[str] | None,
        typer.Option(help="another source, to say why it does not suffer; may be repeated"),
    ] = None,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    as_json: AsJson = False,
) -> None:
    """Tell when a flow went which way, and which events changed that."""
    limits = span_of(span)
    state, view = computed_view(folder, Through.of(change, fail, tables))
    network = view.reading.network
    timeline = Timeline(network, events_in(events or ()))
    found = {}
    for asked in (source, *(beside or ())):
        question = FlowQuestion(source=asked, destination=destination, traffic=traffic, both=both)
        try:
            found[asked] = find_eras(
                network,
                timeline,
                question,
                span=limits,
                failures=named_failures(fail or ()),
                since=state,
            )
        except QuestionError as error:
            refuse(error.text, error.suggestion)
    answer = eras_data(found.pop(source), found)
    if as_json:
        print_json(answer)
        return
    _print_eras(answer)


def _print_eras(answer: ErasData) -> None:
    for era in answer.eras:
        start, end = era.start or "from before", era.end or "until after all events"
        length = ""
        if era.start and era.end:
            length = f", {length_words(time_of(era.end) - time_of(era.start))}"
        colour = (
            "green" if era.arrives and not era.by_default else "yellow" if era.arrives else "red"
        )
        out.print(f"{start} – {end}{length}")
        out.print(f"    [{colour}]{escape(era.said)}[/]")
        for path in era.path_set:
            out.print(f"        {escape(' → '.join(path))}")
        if era.back is not None:
            out.print(f"    back {escape(era.back.text)}")
        for cause in era.causes:
            out.print(f"    began by {escape(cause.id)}: {escape(cause.text)}")
        for one in era.meanwhile[:_SHOWN]:
            out.print(f"    [dim]{one.time} on its way: {escape(one.text)}[/]")
        if len(era.meanwhile) > _SHOWN:
            out.print(f"    [dim]and {len(era.meanwhile) - _SHOWN} more on its way[/]")
    for other in answer.beside:
        out.print(f"[bold]{escape(other.text)}[/]")
    if answer.availability is not None:
        out.print(f"arrived {percent_words(answer.availability)} of the time")
    out.print(
        f"[dim]{len(answer.eras)} eras; {answer.moments} moments at which anything changed, "
        f"{answer.asked} situations computed[/]"
    )
