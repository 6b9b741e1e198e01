"""`routrel promises`: whether what must hold of a network does."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated
from xml.etree import ElementTree

import typer
from rich.markup import escape

from routrel.answers.promises import PromisesData, promises_data
from routrel.cli.common import (
    ERRORS_FOUND,
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
    err,
    kept_in,
    out,
    print_json,
    refuse,
)
from routrel.questions.processes import pool, worker_count
from routrel.questions.promises.evaluate import evaluate

__all__ = ["promises"]


def promises(
    folder: Folder,
    junit: Annotated[
        Path | None,
        typer.Option("--junit", metavar="FILE", help="write a JUnit report besides"),
    ] = None,
    failing: Annotated[
        bool,
        typer.Option(
            "--failures/--no-failures",
            help="whether to try the failures that promises must survive, which takes longest",
        ),
    ] = True,
    workers: Annotated[
        int | None,
        typer.Option(min=1, max=256, help="processes; left out: as many as there are cores"),
    ] = None,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Check the promises that lie beside a network.

    Exit code 0: all are kept; 1: one is broken; 2: the network cannot be computed.
    """
    state, view = computed_view(folder, Through.of(change, fail, tables, events, at))

    def on_case(number: int, count: int) -> None:
        if err.is_terminal:
            err.print(f"failure {number + 1} of {count}", end="\r")

    found = evaluate(
        state, view.reading.promises, kept_in(view), failing=failing, on_case=on_case,
        make_pool=lambda: pool(workers), workers=worker_count(workers),
    )  # fmt: skip
    answer = promises_data(state, found)
    if junit is not None:
        try:
            junit.write_bytes(junit_report(state.network.name, answer))
        except OSError as error:
            refuse(f"{junit} cannot be written: {error.strerror}", "name another file")
    if as_json:
        print_json(answer)
    else:
        _print(answer)
    if answer.broken:
        raise typer.Exit(ERRORS_FOUND)


def _print(answer: PromisesData) -> None:
    out.print(f"[bold]{escape(answer.summary)}[/]")
    for one in answer.promises:
        mark = "[green]✓[/]" if one.kept else "[red]✗[/]"
        out.print(f"{mark} [bold]{escape(one.id)}[/] {escape(one.text)}" + cited(one))
        if one.why:
            out.print(f"    {escape(one.why)}")
        if one.suggestion:
            out.print(f"    [dim]{escape(one.suggestion)}[/]")
        example = one.counterexample
        if example is not None and example.obstacle:
            out.print(f"    {escape(example.obstacle)}" + cited(example))


def junit_report(network: str, answer: PromisesData) -> bytes:
    """The answer as a JUnit report: each promise is a test case, a broken one failed."""
    suite = ElementTree.Element(
        "testsuite",
        name=network,
        tests=str(len(answer.promises)),
        failures=str(answer.broken),
        errors="0",
        skipped="0",
    )
    for one in answer.promises:
        case = ElementTree.SubElement(
            suite, "testcase", classname=one.folder or "promises", name=f"{one.id}: {one.text}"
        )
        if not one.kept:
            failure = ElementTree.SubElement(
                case, "failure", message=one.why, type=one.severity.value
            )
            example = one.counterexample
            told = [one.why, example.sentence if example else "", one.suggestion]
            if example is not None and example.file:
                told.append(f"{example.file}:{example.line}")
            failure.text = "\n".join(filter(None, told))
    root = ElementTree.Element("testsuites")
    root.append(suite)
    ElementTree.indent(root)
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))
