"""`routrel check`: everything wrong or suspicious in the files and the model."""

from __future__ import annotations

import typer

from routrel.answers.commands import CheckData
from routrel.answers.findings import findings_data
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
    look,
    out,
    print_finding,
    print_json,
)
from routrel.model.findings import Severity

__all__ = ["check"]


def check(
    folder: Folder,
    change: ChangeFiles = None,
    fail: Fail = None,
    tables: Tables = None,
    events: EventFiles = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Read all files and report everything wrong or suspicious.

    Exit code 0: no errors; 1: errors found; 2: there is nothing to read.
    """
    view = look(folder, Through.of(change, fail, tables, events, at))
    findings = view.findings
    more = view.reading.problem_count - len(view.reading.problems)
    shown = sum(1 for finding in findings if finding.severity is Severity.ERROR)
    errors = shown + more
    if as_json:
        told = findings_data(findings, view.reading.network)
        print_json(CheckData(findings=told, problem_count=view.reading.problem_count))
    else:
        for finding in findings:
            print_finding(finding, out)
        if more:
            out.print(f"and {more} more problems in the files")
        devices = len(view.reading.network.devices)
        others = len(findings) - shown
        out.print(f"{devices} devices read: {errors} errors, {others} warnings and notes")
    raise typer.Exit(ERRORS_FOUND if errors else 0)
