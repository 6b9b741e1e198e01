"""The change sheet: what is done, in which order, what moves for it, and how to go back."""

from __future__ import annotations

from collections.abc import Mapping

from routrel.answers.base import Answer, LinesData
from routrel.answers.changes import SeenEditData, seen_change
from routrel.answers.comparison import ComparisonData
from routrel.model.changes import Change
from routrel.questions.steps import Steps
from routrel.wording.steps import order_words

__all__ = ["ChangeSheetData", "SheetStepData", "change_sheet_data"]


class SheetStepData(Answer):
    """One step. `breaks` names kept flows that do not arrive until a later one is made."""

    place: str
    lines: list[LinesData]
    breaks: list[str]
    problem: str


class ChangeSheetData(Answer):
    """A change as those need it who make it, and those who answer for it.

    `order` says in a sentence what the order of the steps keeps; `back` are the steps that lead
    back, the last one first.
    """

    name: str
    purpose: str
    summary: str
    order: str
    keeps_all: bool
    steps: list[SheetStepData]
    back: list[SheetStepData]
    moves: ComparisonData


def change_sheet_data(
    texts: Mapping[str, str], change: Change, steps: Steps, moves: ComparisonData
) -> ChangeSheetData:
    """The sheet of a change of some files.

    Args:
        texts: The files before the change.
        steps: An order of its edits.
        moves: What is not the same afterwards.
    """
    ordered = Change(
        name=change.name,
        purpose=change.purpose,
        edits=tuple(change.edits[step.edit] for step in steps.steps),
    )
    edits = seen_change(texts, ordered).edits
    return ChangeSheetData(
        name=change.name,
        purpose=change.purpose,
        summary=moves.summary,
        order=order_words(steps),
        keeps_all=steps.keeps_all,
        steps=[
            SheetStepData(
                place=edit.place,
                lines=edit.lines,
                breaks=list(step.breaks),
                problem=step.problem,
            )
            for edit, step in zip(edits, steps.steps, strict=True)
        ],
        back=[_back(edit) for edit in reversed(edits)],
        moves=moves,
    )


def _back(edit: SeenEditData) -> SheetStepData:
    """The step that takes an edit back."""
    lines = [
        LinesData(file=run.file, line=run.line, before=run.after, after=run.before)
        for run in edit.lines
    ]
    return SheetStepData(place=edit.place, lines=lines, breaks=[], problem="")
