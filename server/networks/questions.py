"""Saved questions: run them, and tell what changed since they last worked."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from django.utils import timezone

from routrel.answers.flows import flow_data
from routrel.forwarding.evidence import Verdict
from routrel.lens.look import View
from routrel.questions.errors import QuestionError
from routrel.questions.flow import DirectionAnswer, FlowQuestion, arrives, ask_flow
from routrel.questions.moves import KeptFlows, kept_flows
from server.networks.jobs import Work, storable
from server.networks.models import Job, Network, Revision, SavedQuestion
from server.networks.states import view_of

__all__ = [
    "changes_since_good",
    "keep_answer",
    "kept_with",
    "moved_ways",
    "run_questions",
    "saved_now",
    "short_answer",
    "stored_question",
    "unanswered",
]


_DIRECTIONS = ("forward", "back")


def stored_question(values: Mapping[str, Any]) -> FlowQuestion:
    """A flow question as addresses and the database have it."""
    return FlowQuestion(
        source=values["from"],
        destination=values["to"],
        traffic=values.get("as", ""),
        source_port=values.get("source_port"),
        size=values.get("size"),
        dscp=values.get("dscp", 0),
        may_fragment=values.get("may_fragment", False),
    )


def kept_with(network: Network, view: View) -> KeptFlows:
    """The flows kept with a network by name: those of its cases, and the saved questions."""
    saved = {
        f"{one.folder}/{one.name}" if one.folder else one.name: stored_question(one.question)
        for one in network.questions.all()
    }
    return {**kept_flows(view.cases), **saved}


def saved_now(network: Network) -> str:
    """A name for what the saved questions ask; an answer that tells of them is good for that."""
    asked = network.questions.order_by("pk").values_list("folder", "name", "question")
    return hashlib.sha256(json.dumps(list(asked), sort_keys=True).encode()).hexdigest()[:16]


def short_answer(view: View, question: FlowQuestion) -> dict[str, Any]:
    """The answer to a flow question as it is kept; a question that cannot be asked has none."""
    if view.state is None:
        return unanswered("The files of this revision have problems.")
    try:
        answer = ask_flow(view.state, question)
    except QuestionError as error:
        return unanswered(error.text)
    return {
        "works": arrives(answer),
        "sentence": flow_data(view.state, answer).sentence,
        "verdict": answer.forward.verdict.value,
        "return_verdict": answer.back.verdict.value if answer.back else None,
        "forward": _ways(answer.forward),
        "back": _ways(answer.back),
    }


def keep_answer(saved: SavedQuestion, revision: Revision, answer: dict[str, Any]) -> None:
    """Keep what a saved question was answered; one that was dropped meanwhile stays dropped."""
    now = timezone.now()
    if saved.answer is not None and _essence(saved.answer) != _essence(answer):
        saved.changed = now
        saved.former_answer, saved.former_revision = saved.answer, saved.revision
    saved.answer, saved.revision, saved.ran = answer, revision, now
    fields = ["answer", "revision", "ran", "changed", "former_answer", "former_revision"]
    if answer["works"]:
        saved.good_answer, saved.good_revision = answer, revision
        fields += ["good_answer", "good_revision"]
    SavedQuestion.objects.filter(pk=saved.pk).update(
        **{field: getattr(saved, field) for field in fields}
    )


def run_questions(work: Work) -> None:
    """Ask saved questions of a revision again, one after the other, and keep their answers."""
    job = work.job
    questions = list(job.network.questions.filter(pk__in=job.question["questions"]))
    work.report(step="computing", total=len(questions))
    view = view_of(work.revision)
    broken = 0
    for number, saved in enumerate(questions):
        work.report(step="asking", done=number)
        answer = storable(short_answer(view, stored_question(saved.question)))
        broken += not answer["works"]
        keep_answer(saved, work.revision, answer)
    asked = len(questions)
    work.end(
        Job.Status.DONE,
        f"{asked} question{'' if asked == 1 else 's'} asked, {broken} of them broken.",
        answer={"asked": asked, "broken": broken},
        done=asked,
    )


def _essence(answer: dict[str, Any]) -> object:
    return answer["verdict"], answer["return_verdict"], answer["forward"], answer["back"]


def unanswered(sentence: str) -> dict[str, Any]:
    """What is kept of a question without an answer."""
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


def moved_ways(saved: SavedQuestion) -> list[dict[str, Any]]:
    """What was another when the answer last changed: by direction the ways gone and those new."""
    answer, former = saved.answer, saved.former_answer
    if answer is None or former is None:
        return []
    found = []
    for name in _DIRECTIONS:
        old, new = _ways_told(former, name), _ways_told(answer, name)
        gone, come = [way for way in old if way not in new], [way for way in new if way not in old]
        if gone or come:
            found.append({"direction": name, "gone": gone, "new": come})
    return found


def _ways_told(answer: dict[str, Any], name: str) -> list[str]:
    """A direction's ways by their devices, with how they end where packets do not arrive."""
    verdict = answer["verdict" if name == "forward" else "return_verdict"]
    end = "" if verdict in (None, Verdict.DELIVERED.value) else f": {verdict.replace('_', ' ')}"
    return [" → ".join(way) + end for way in answer[name]]


def changes_since_good(saved: SavedQuestion) -> str:
    """What is not the same as when a broken question last worked, in a sentence or two."""
    answer, good = saved.answer, saved.good_answer
    if answer is None or answer["works"]:
        return ""
    if good is None or saved.good_revision is None or saved.revision is None:
        return "It has not worked since it was saved."
    words = []
    for name in _DIRECTIONS:
        if good[name] != answer[name]:
            was = " or ".join(" → ".join(way) for way in good[name]) or "nowhere"
            words.append(f"The way {name} was {was}.")
    if saved.good_revision.pk == saved.revision.pk:
        words.append("The files are the same.")
    else:
        old, new = saved.good_revision.texts(), saved.revision.texts()
        files = sorted(f for f in old.keys() | new.keys() if old.get(f) != new.get(f))
        shown = ", ".join(files[:5]) + (f" and {len(files) - 5} more" if len(files) > 5 else "")
        words.append(f"Since revision {saved.good_revision.number} these files changed: {shown}.")
    return " ".join(words)
