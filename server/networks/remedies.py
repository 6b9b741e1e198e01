"""The job that searches for remedies, with its progress in the database."""

from __future__ import annotations

from routrel.answers.base import data
from routrel.answers.remedies import remedies_data
from routrel.questions.errors import QuestionError
from routrel.questions.remedies.search import Progress, find_remedies
from server.networks.jobs import Work
from server.networks.lenses import computed
from server.networks.models import Job
from server.networks.questions import kept_with, stored_question

__all__ = ["search_remedies"]

#: Seconds that a search may take.
_PATIENCE_S = 60


def search_remedies(work: Work) -> None:
    """Search, and write the progress down."""

    def report(progress: Progress) -> None:
        work.progress(done=progress.tried, found=progress.found)

    work.report(step="computing")
    try:
        view, state = computed(work.revision, work.job.question.get("lens", {}))
        work.report(step="trying")
        found = find_remedies(
            state,
            view.texts,
            stored_question(work.job.question),
            kept_with(work.job.network, view),
            patience_s=_PATIENCE_S,
            on_progress=report,
        )
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    work.end(
        Job.Status.DONE,
        answer=data(remedies_data(found)),
        done=found.tried,
        found=len(found.found),
    )
