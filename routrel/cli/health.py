"""`routrel health`: what of a network is unwell over a span of time."""

from __future__ import annotations

import sys
from typing import Annotated

import typer
from rich.markup import escape

from routrel.answers.health import HealthData, health_data
from routrel.cli.common import (
    AsJson,
    ChangeFiles,
    EventFiles,
    Folder,
    Span,
    Through,
    computed_view,
    events_in,
    out,
    print_json,
    refuse,
    span_of,
)
from routrel.files.csv_rows import written_rows
from routrel.lens.moments import Timeline
from routrel.questions.health.measured import measured_in
from routrel.questions.health.outages import outages_in

__all__ = ["health"]

_COLUMNS = ("kind", "name", "availability", "outages", "away_s", "median_s", "longest_s", "remarks")


def health(
    folder: Folder,
    events: EventFiles,
    span: Span = "",
    change: ChangeFiles = None,
    as_csv: Annotated[bool, typer.Option("--csv", help="print a line for each thing")] = False,
    as_json: AsJson = False,
) -> None:
    """Rank what was away: how often, how long, whether it gets worse; and unusual values.

    Left out, the span is that of all events.
    """
    limits = span_of(span)
    state, view = computed_view(folder, Through.of(change, None))
    told = list(events_in(events or ()))
    if not told:
        refuse("there are no events", "name their files by --events")
    times = [event.time for event in told]
    start = min(times) if limits[0] is None else limits[0]
    end = max(times) if limits[1] is None else limits[1]
    if start >= end:
        refuse("the span has no length", "name a span by --span START/END")
    timeline = Timeline(view.reading.network, told)
    answer = health_data(
        (start, end),
        outages_in(timeline, state.topology, (start, end)),
        measured_in(told, (start, end)),
    )
    if as_json:
        print_json(answer)
    elif as_csv:
        sys.stdout.write(written_rows(_COLUMNS, _rows(answer)))
    else:
        _print(answer)


def _rows(answer: HealthData) -> list[tuple[object, ...]]:
    return [
        (
            one.kind.value,
            one.name,
            f"{one.availability:.6f}",
            len(one.outages),
            one.away_s,
            one.median_s,
            one.longest_s,
            "; ".join(one.remarks),
        )
        for one in answer.unwell
    ]


def _print(answer: HealthData) -> None:
    out.print(f"[bold]From {answer.start} until {answer.end}[/]")
    if not answer.unwell:
        out.print("Nothing was away.")
    for one in answer.unwell:
        colour = "red" if one.trend or one.flaps else "yellow"
        out.print(f"[{colour}]{escape(one.title)}[/]: {escape(one.text)}")
        for remark in one.remarks:
            out.print(f"    {escape(remark)}")
    for value in answer.measured:
        if value.deviations:
            out.print(f"[yellow]{escape(value.text)}[/]")
        for off in value.deviations:
            out.print(f"    {escape(off.text)}")
