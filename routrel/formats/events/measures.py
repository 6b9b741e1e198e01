"""Measured values as CSV: time, device, name and value, with an interface and a unit at will."""

from __future__ import annotations

import math

from routrel.files.csv_rows import BadCsv
from routrel.formats.events.json_lines import MOST_EVENTS, EventFile, decoded
from routrel.formats.plain.lists import read_rows
from routrel.formats.plain.reading import FORMAT
from routrel.formats.reports import FileReport
from routrel.model.events import Event, EventKind, time_of
from routrel.model.place import Place

__all__ = ["read_measures"]

_COLUMNS = ("time", "device", "interface", "name", "value", "unit")
_NEEDED = ("time", "device", "name", "value")


def read_measures(content: bytes, path: str) -> EventFile:
    """The values of a list. Lines that tell of none are named with their numbers."""
    made = EventFile(FileReport(path, FORMAT))
    report = made.report
    text = decoded(content, report)
    if text is None:
        return made
    try:
        rows = read_rows(text)
    except BadCsv as error:
        report.refuse(f"no CSV: {error}", error.line)
        return made
    header = [name.strip().lower() for name in rows[0][1]] if rows else []
    missing = [name for name in _NEEDED if name not in header]
    if missing:
        report.refuse(f"has no column {', '.join(missing)}; values have {', '.join(_COLUMNS)}", 1)
        return made
    for name in header:
        if name and name not in _COLUMNS:
            report.unknown(f"the column “{name}” is not understood", rows[0][0])
    at = {name: header.index(name) for name in _COLUMNS if name in header}
    for line, row in rows[1:]:
        if len(row) != len(header):
            report.unknown(f"{len(row)} values for {len(header)} columns", line)
            continue
        said = {name: row[place].strip() for name, place in at.items()}
        try:
            event = _event(said, Place(path, line, 1))
        except ValueError as error:
            report.unknown(str(error), line)
            continue
        if len(made.events) >= MOST_EVENTS:
            report.unknown(f"more than {MOST_EVENTS} values; the rest is left out", line)
            break
        made.events.append(event)
    report.rows = len(made.events)
    return made


def _event(said: dict[str, str], place: Place) -> Event:
    """The value of a line.

    Raises:
        ValueError: it lacks something, or its time or value is none.
    """
    for name in ("device", "name"):
        if not said[name]:
            raise ValueError(f"names no {name}")
    try:
        value = float(said["value"])
    except ValueError as error:
        raise ValueError(f"“{said['value'][:40]}” is no number") from error
    if not math.isfinite(value):
        raise ValueError(f"“{said['value'][:40]}” is no number")
    return Event(
        id=f"line {place.line}",
        time=time_of(said["time"]),
        kind=EventKind.MEASURE,
        device=said["device"],
        interface=said.get("interface", ""),
        name=said["name"],
        value=value,
        unit=said.get("unit", ""),
        place=place,
    )
