"""The job that finds out what it would take for candidates that lost to win."""

from __future__ import annotations

from routrel.answers.base import data
from routrel.answers.what_it_would_take import what_it_would_take
from routrel.questions.errors import QuestionError, UnknownName
from server.networks.asking import destination
from server.networks.jobs import Work
from server.networks.lenses import computed
from server.networks.models import Job
from server.networks.questions import kept_with

__all__ = ["find_what_it_takes"]


def find_what_it_takes(work: Work) -> None:
    """Try changes for each candidate that lost."""
    work.report(step="computing")
    asked = work.job.question
    try:
        view, state = computed(work.revision, asked.get("lens", {}))
        if (asked["device"], asked["vrf"]) not in state.rib.interning.table_numbers:
            raise UnknownName(f"there is no table {asked['vrf']} of a device “{asked['device']}”")
        work.report(step="trying")
        found = what_it_would_take(
            state,
            view.texts,
            asked["device"],
            asked["vrf"],
            destination(asked["q"]),
            kept_with(work.job.network, view),
        )
    except QuestionError as error:
        work.end(Job.Status.REFUSED, error.text)
        return
    work.end(Job.Status.DONE, answer=data(found))
