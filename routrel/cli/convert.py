"""`routrel convert`: a network in other formats, with what they have no place for."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.cli.common import (
    At,
    EventFiles,
    Folder,
    Tables,
    Through,
    computed_view,
    err,
    out,
    refuse,
    write_file,
)
from routrel.formats.mrt.writing import LostInMrt
from routrel.questions.exporting import written_as

__all__ = ["convert"]


class Format(StrEnum):
    """What a network can be written as."""

    YAML = "yaml"
    RFC7951 = "rfc7951"
    CSV = "csv"
    GRAPHML = "graphml"
    MRT = "mrt"


def convert(
    folder: Folder,
    target: Annotated[Path, typer.Argument(metavar="OUT", help="the folder or file to write to")],
    to: Annotated[Format, typer.Option("--to", help="the format")],
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
) -> None:
    """Write a network in another format; what has no place there is named on standard error.

    yaml, rfc7951 and csv are folders, graphml and mrt are files.
    """
    state, view = computed_view(folder, Through.of(None, None, tables, events, at))
    try:
        written = written_as(to.value, state, view.texts)
    except LostInMrt as error:
        refuse(str(error), "give it an address")
    for name, content in written.files.items():
        write_file(target if written.single else target / name, content)
    for text in written.lost:
        err.print(f"[yellow]has no place there:[/] {escape(text)}")
    count = len(written.files)
    out.print(f"{count} {'file' if count == 1 else 'files'} written to {target}")
