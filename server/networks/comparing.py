"""The jobs that compare: two lenses, and a change with what it is made to, for its sheet."""

from __future__ import annotations

from typing import Any

from routrel.answers.base import data
from routrel.answers.change_sheet import change_sheet_data
from routrel.answers.comparison import ComparisonData, comparison_data
from routrel.answers.sheet_markdown import sheet_markdown
from routrel.lens.look import View
from routrel.model.changes import Change
from routrel.questions.errors import QuestionError
from routrel.questions.steps import order_of_steps
from server.networks.jobs import Work
from server.networks.lenses import changes_in, computed
from server.networks.models import Job, Revision
from server.networks.questions import kept_with

__all__ = ["compare_lenses", "make_sheet"]

#: Seconds that the search for an order of steps may take.
_PATIENCE_S = 120


def compare_lenses(work: Work) -> None:
    """Compare the lens of the question with its base, a lens of the same network."""
    asked = work.job.question
    try:
        base, lens = _base_of(work, asked["base"]), asked["lens"]
        work.report(step="computing")
        before, _ = computed(base, asked["base"]["lens"])
        after, _ = computed(work.revision, lens)
        work.report(step="comparing")
        found = _compared(work, before, after, _changes_between(asked["base"]["lens"], lens))
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    work.end(Job.Status.DONE, answer=data(found))


def make_sheet(work: Work) -> None:
    """The sheet of the last change of a lens: what moves, and an order that breaks nothing."""
    asked = work.job.question["lens"]
    *below, last = asked["changes"]
    lens = {**asked, "changes": below}
    try:
        work.report(step="computing")
        before, _ = computed(work.revision, lens)
        after, state = computed(work.revision, asked)
        (change,) = changes_in({"changes": [last]})
        work.report(step="comparing")
        moves = _compared(work, before, after, (change,))
        work.report(step="ordering")
        steps = order_of_steps(
            before,
            change,
            state,
            kept_with(work.job.network, before),
            patience_s=_PATIENCE_S,
            on_progress=lambda tried: work.progress(done=tried),
        )
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    sheet = change_sheet_data(before.texts, change, steps, moves)
    work.end(Job.Status.DONE, answer={"sheet": data(sheet), "markdown": sheet_markdown(sheet)})


def _base_of(work: Work, base: dict[str, Any]) -> Revision:
    found = work.job.network.revisions.filter(number=base["revision"]).first()
    if found is None:
        raise QuestionError(f"there is no revision {base['revision']} any more")
    return found


def _compared(work: Work, before: View, after: View, changes: tuple[Change, ...]) -> ComparisonData:
    kept = {**kept_with(work.job.network, before), **kept_with(work.job.network, after)}
    if before.state is None or after.state is None:
        raise QuestionError("the files have problems, and nothing is computed from them")
    told = ((before.state, before.findings), (after.state, after.findings))
    return comparison_data(*told, kept, changes)


def _changes_between(base: dict[str, Any], lens: dict[str, Any]) -> tuple[Change, ...]:
    """The changes of a lens that its base does not have."""
    known = base.get("changes", ())
    return changes_in({"changes": [one for one in lens.get("changes", ()) if one not in known]})
