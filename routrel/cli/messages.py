"""`routrel messages`: syslog messages as events, by a mapping that says what they mean."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer
from rich.markup import escape

from routrel.cli.common import ERRORS_FOUND, err, out, refuse, write_file
from routrel.formats.events.mapping import BadMapping, MessageMapping, read_mapping
from routrel.formats.events.syslog import BadMessage, frames, read_message

__all__ = ["messages"]

#: Messages that could not be read of which the reason is told.
_SHOWN = 20


def messages(
    mapping: Annotated[Path, typer.Option(help="the file that says what messages mean")],
    files: Annotated[
        list[Path] | None,
        typer.Argument(help="messages of RFC 5424, by lines or octet counting", show_default=False),
    ] = None,
    to: Annotated[
        Path | None, typer.Option("--out", help="the file to write; else standard output")
    ] = None,
    test: Annotated[
        bool, typer.Option("--test", help="try the tests of the mapping alone")
    ] = False,
) -> None:
    """Make events of syslog messages, as JSON lines for --events.

    Exit code 1 where a message cannot be read, or a test fails.
    """
    try:
        known = read_mapping(mapping.read_bytes())
    except OSError as error:
        refuse(f"{mapping} cannot be read: {error.strerror}", "name a mapping")
    except BadMapping as error:
        refuse(f"{mapping}: {error}", "correct it")
    failed = list(known.failed_tests())
    for one in failed:
        err.print(f"[red]{escape(one)}[/]")
    if test:
        count = sum(len(kind.tests) for kind in known.kinds)
        out.print(f"{count - len(failed)} of {count} tests hold")
        raise typer.Exit(ERRORS_FOUND if failed else 0)
    if not files:
        refuse("no file of messages is named", "name some, or --test")
    lines: list[str] = []
    bad = sum(_taken(file, known, lines) for file in files)
    text = "".join(f"{line}\n" for line in lines)
    if to is None:
        sys.stdout.write(text)
    else:
        write_file(to, text.encode())
    if bad or failed:
        raise typer.Exit(ERRORS_FOUND)


def _taken(file: Path, known: MessageMapping, lines: list[str]) -> int:
    """Add the events of a file; how many of its messages could not be read."""
    try:
        content = file.read_bytes()
    except OSError as error:
        refuse(f"{file} cannot be read: {error.strerror}", "name a file of messages")
    bad = silent = made = 0
    for number, frame in enumerate(frames(content), start=1):
        try:
            if frame.problem:
                raise BadMessage(frame.problem)
            line = known.line(read_message(frame.octets), f"{file.name} {number}")
        except (BadMessage, BadMapping) as error:
            bad += 1
            if bad <= _SHOWN:
                err.print(f"[yellow]{escape(str(file))}:{frame.line}[/]: {escape(str(error))}")
            continue
        silent += line is None
        if line is not None:
            made += 1
            lines.append(line)
    err.print(
        f"{escape(str(file))}: {made} events; {silent} messages mean nothing by the mapping, {bad} "
        "cannot be read"
    )
    return bad
