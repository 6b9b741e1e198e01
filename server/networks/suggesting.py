"""The job that finds what might be promised of a network as it behaves."""

from __future__ import annotations

from typing import Any

from routrel.answers.base import data
from routrel.answers.suggestions import suggestions_data
from routrel.questions.errors import QuestionError
from routrel.questions.promises.suggesting import suggestions
from routrel.wording.suggestions import suggestions_words
from server.networks.jobs import Work
from server.networks.lenses import computed
from server.networks.models import Job, Network
from server.networks.promises import promised
from server.networks.questions import kept_with
from server.networks.workers import local_pool, workers

__all__ = ["still_open", "suggest_promises"]


def suggest_promises(work: Work) -> None:
    """Look what holds in a lens and is not promised yet."""
    asked = work.job.question
    try:
        work.report(step="computing")
        view, state = computed(work.revision, asked["lens"])
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    work.report(step="looking")
    found = suggestions(
        state,
        promised(view, asked["stored"]),
        kept_with(work.job.network, view),
        on_case=lambda done, total: work.progress(step="failing", done=done, total=total),
        make_pool=local_pool,
        workers=workers(),
    )
    answer = suggestions_data(found)
    work.end(Job.Status.DONE, answer.summary, answer=data(answer), found=len(found))


def still_open(network: Network, answer: dict[str, Any] | None) -> dict[str, Any] | None:
    """An answer of that job without what was taken or left since."""
    if answer is None:
        return None
    gone = {
        *network.promises.values_list("sentence", flat=True),
        *network.left_suggestions.values_list("sentence", flat=True),
    }
    left = [one for one in answer["suggestions"] if one["promises"][-1]["text"] not in gone]
    count = sum(len(one["promises"]) for one in left)
    return {"summary": suggestions_words(count), "suggestions": left}
