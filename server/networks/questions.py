"""Saved questions: run them, and tell what changed since they last worked."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from routrel.questions.answers import flow_data
from routrel.questions.errors import QuestionError
from routrel.questions.flow import DirectionAnswer, ask_flow
from routrel.questions.remedies.search import arrives
from server.networks.models import Revision, SavedQuestion
from server.networks.remedies import stored_question
from server.networks.states import view_of

__all__ = ["changes_since_good", "run_question"]


def run_question(saved: SavedQuestion, revision: Revision) -> None:
    """Ask a saved question of a revision, and keep the answer in short."""
    answer = _short_answer(saved, revision)
    now = timezone.now()
    if saved.answer is not None and _essence(saved.answer) != _essence(answer):
        saved.changed = now
    saved.answer, saved.revision, saved.ran = answer, revision, now
    if answer["works"]:
        saved.good_answer, saved.good_revision = answer, revision
    saved.save()


def _essence(answer: dict[str, Any]) -> object:
    return answer["verdict"], answer["return_verdict"], answer["forward"], answer["back"]


def _short_answer(saved: SavedQuestion, revision: Revision) -> dict[str, Any]:
    view = view_of(revision)
    if view.state is None:
        return _unanswered("The files of this revision have problems.")
    try:
        answer = ask_flow(view.state, stored_question(saved.question))
    except QuestionError as error:
        return _unanswered(error.text)
    return {
        "works": arrives(answer),
        "sentence": flow_data(view.state, answer)["sentence"],
        "verdict": answer.forward.verdict.value,
        "return_verdict": answer.back.verdict.value if answer.back else None,
        "forward": _ways(answer.forward),
        "back": _ways(answer.back),
    }


def _unanswered(sentence: str) -> dict[str, Any]:
    return {
        "works": False,
        "sentence": sentence,
        "verdict": None,
        "return_verdict": None,
        "forward": [],
        "back": [],
    }


def _ways(direction: DirectionAnswer | None) -> list[list[str]]:
    if direction is None:
        return []
    return [[hop.device for hop in branch.hops] for branch in direction.branches]


def changes_since_good(saved: SavedQuestion) -> str:
    """What is not the same as when a broken question last worked, in a sentence or two."""
    answer, good = saved.answer, saved.good_answer
    if answer is None or answer["works"]:
        return ""
    if good is None or saved.good_revision is None or saved.revision is None:
        return "It has not worked since it was saved."
    words = []
    for name, title in (("forward", "forward"), ("back", "back")):
        if good[name] != answer[name]:
            was = " or ".join(" → ".join(way) for way in good[name]) or "nowhere"
            words.append(f"The way {title} was {was}.")
    if saved.good_revision.pk == saved.revision.pk:
        words.append("The files are the same.")
    else:
        old, new = saved.good_revision.texts(), saved.revision.texts()
        files = sorted(f for f in old.keys() | new.keys() if old.get(f) != new.get(f))
        shown = ", ".join(files[:5]) + (f" and {len(files) - 5} more" if len(files) > 5 else "")
        words.append(f"Since revision {saved.good_revision.number} these files changed: {shown}.")
    return " ".join(words)
