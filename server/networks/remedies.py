"""The job that searches for remedies, with its progress in the database."""

from __future__ import annotations

import time
from typing import Any

from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion
from routrel.questions.remedies.search import Progress, find_remedies
from routrel.questions.remedies.words import remedies_data
from server.networks.models import RemedySearch
from server.networks.states import view_of

__all__ = ["run_remedy_search", "stored_question"]

#: Seconds between two looks at the database, and those a search may take.
_REPORT_EVERY_S = 0.3
_PATIENCE_S = 60


class SearchCancelled(Exception):
    """Somebody asked to stop."""


def stored_question(values: dict[str, Any]) -> FlowQuestion:
    """A question as it is stored."""
    return FlowQuestion(
        source=values["from"],
        destination=values["to"],
        traffic=values.get("as", ""),
        source_port=values.get("source_port"),
        size=values.get("size"),
        dscp=values.get("dscp", 0),
        may_fragment=values.get("may_fragment", False),
    )


def run_remedy_search(search: RemedySearch) -> None:
    """Search, write the progress down, and stop where somebody asks to."""
    if search.finished:
        return
    search.status = RemedySearch.Status.RUNNING
    search.save(update_fields=["status"])
    last = 0.0

    def report(progress: Progress) -> None:
        nonlocal last
        if time.monotonic() - last < _REPORT_EVERY_S:
            return
        last = time.monotonic()
        search.refresh_from_db(fields=["cancel_requested"])
        if search.cancel_requested:
            raise SearchCancelled
        search.tried, search.found = progress.tried, progress.found
        search.save(update_fields=["tried", "found"])

    try:
        view = view_of(search.revision)
        if view.state is None:
            raise QuestionError("the files have problems; nothing is computed from them")
        question = stored_question(search.question)
        found = find_remedies(
            view.state, view.texts, question, patience_s=_PATIENCE_S, on_progress=report
        )
        search.answer = remedies_data(view.state, found)
        search.tried, search.found = found.tried, len(found.found)
        search.status = RemedySearch.Status.DONE
    except SearchCancelled:
        search.status = RemedySearch.Status.CANCELLED
    except QuestionError as error:
        search.status, search.message = RemedySearch.Status.FAILED, error.text
    except Exception:
        search.status = RemedySearch.Status.FAILED
        search.message = "The search failed through a fault of ours; the log has the details."
        search.save()
        raise
    search.save()
