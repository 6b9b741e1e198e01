"""The change sheet as Markdown, for those who keep changes with their papers."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.answers.change_sheet import ChangeSheetData, SheetStepData
from routrel.answers.comparison import flow_lines

__all__ = ["sheet_markdown"]

#: Flows and routes that are named; of more the rest is counted.
_NAMED = 40


def sheet_markdown(sheet: ChangeSheetData) -> str:
    """The same as the sheet says, in CommonMark."""
    moves = sheet.moves
    lines = [f"# {sheet.name}", "", sheet.purpose or "No purpose is given.", "", sheet.summary, ""]
    if moves.warnings:
        lines += ["## Warnings", ""]
        for warning in moves.warnings:
            lines.append(f"- **{warning.code}**: {warning.text}")
            lines += [
                f"    - {one.text}" + (f" (`{one.file}:{one.line}`)" if one.file else "")
                for one in warning.evidence
            ]
        lines.append("")
    lines += ["## Steps", "", sheet.order, "", *_steps(sheet.steps)]
    lines += ["## The way back", "", *_steps(sheet.back)]
    sessions = [
        f"{session.device} with {session.neighbour} is {word}"
        for word, found in (("down", moves.sessions.down), ("up", moves.sessions.up))
        for session in found
    ]
    findings = [
        f"{word}: {finding.text}"
        for word, found in (("new", moves.findings.new), ("gone", moves.findings.gone))
        for finding in found
    ]
    for title, told in (
        ("Flows that move", flow_lines(moves.flows)),
        ("Routes that move", [f"{group.text}; {group.reason}" for group in moves.routes.groups]),
        ("Sessions", sessions),
        ("Findings", findings),
    ):
        lines += [f"## {title}", "", *_listed(told), ""]
    return "\n".join(lines)


def _steps(steps: list[SheetStepData]) -> Iterator[str]:
    for number, step in enumerate(steps, start=1):
        yield f"{number}. `{step.place}`"
        for run in step.lines:
            yield ""
            yield f"    {run.file}, line {run.line}:"
            yield ""
            yield "    ```diff"
            for sign, text in (("-", run.before), ("+", run.after)):
                for line in text.splitlines():
                    yield f"    {sign} {line}"
            yield "    ```"
        if step.breaks:
            yield ""
            yield f"    Until a later step these do not arrive: {', '.join(step.breaks)}."
        if step.problem:
            yield ""
            yield f"    Until a later step nothing can be computed: {step.problem}."
        yield ""


def _listed(lines: list[str]) -> list[str]:
    if not lines:
        return ["None."]
    shown = [f"- {line}" for line in lines[:_NAMED]]
    return [*shown, f"- and {len(lines) - _NAMED} more"] if len(lines) > _NAMED else shown
