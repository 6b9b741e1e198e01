"""The job that searches for edits that make the model be what was read."""

from __future__ import annotations

from routrel.answers.base import data
from routrel.answers.mending import mending_data
from routrel.questions.agreement.mending import find_mending
from routrel.questions.errors import QuestionError
from server.networks.jobs import Work
from server.networks.lenses import computed
from server.networks.models import Job

__all__ = ["search_mending"]

#: Seconds that a search may take.
_PATIENCE_S = 60


def search_mending(work: Work) -> None:
    """Search, and write the progress down."""
    work.report(step="computing")
    try:
        view, state = computed(work.revision, work.job.question.get("lens", {}))
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    work.report(step="trying")
    found = find_mending(
        state,
        view.texts,
        patience_s=_PATIENCE_S,
        on_tried=lambda tried: work.progress(done=tried),
    )
    work.end(Job.Status.DONE, answer=data(mending_data(found)), done=found.tried)
