"""Remedies as answers, with their words."""

from __future__ import annotations

from routrel.answers.base import Answer, LinesData, Placed, position
from routrel.answers.moves import MovesData, moves_data
from routrel.lens.file_edits import FileEdit
from routrel.questions.remedies.search import NearMiss, Remedies, Remedy
from routrel.wording.flows import answer_sentence, obstacle_sentence
from routrel.wording.opened import opened_words

__all__ = ["NearMissData", "RemediesData", "remedies_data"]


class RemedyData(Answer):
    """Edits that were tried and let the flow arrive, and all that they do besides.

    `take` says why to take this one; empty for all but the first.
    """

    text: str
    take: str
    changes: list[FileEdit]
    edits: list[LinesData]
    opens: float  #: headers that filters permit then and did not before; may be many
    opens_text: str
    moves: MovesData
    then: str


class NearMissData(Placed):
    """The edits that came farthest, and what is in the way then, with its line.

    `text` is empty where nothing that was tried leaves less in the way.
    """

    text: str
    left: str
    changes: list[FileEdit]
    edits: list[LinesData]


class RemediesData(Answer):
    """What a search for remedies came to; `missed` where it found none and knows what is left."""

    remedies: list[RemedyData]
    remedies_sentence: str
    tried: int
    given_up: bool
    missed: NearMissData | None


def remedies_data(found: Remedies) -> RemediesData:
    """What a search for remedies came to."""
    return RemediesData(
        remedies=[_remedy_data(found, remedy) for remedy in found.found],
        remedies_sentence=_sentence(found),
        tried=found.tried,
        given_up=found.given_up,
        missed=_missed_data(found.missed) if found.missed else None,
    )


def _remedy_data(found: Remedies, remedy: Remedy) -> RemedyData:
    opens = _opens_words(remedy)
    return RemedyData(
        text=remedy.text,
        take=_take_words(found, remedy, opens),
        changes=list(remedy.changes),
        edits=[LinesData.of(patch) for patch in remedy.patches],
        opens=float(remedy.opens),
        opens_text=opens,
        moves=moves_data(remedy.moves),
        then=answer_sentence(remedy.after),
    )


def _missed_data(missed: NearMiss) -> NearMissData:
    return NearMissData(
        text=missed.text,
        left=obstacle_sentence(missed.left),
        changes=list(missed.changes),
        edits=[LinesData.of(patch) for patch in missed.patches],
        **position(missed.left.cause.place),
    )


def _sentence(found: Remedies) -> str:
    edits = "one edit" if found.tried == 1 else f"{found.tried} edits"
    if not found.needed:
        return "Nothing to remedy: it arrives, and so do its answers."
    if found.found:
        count = len(found.found)
        best = "One remedy" if count == 1 else f"{count} remedies"
        return f"{best} found by trying {edits}; the smallest first."
    if not found.tried:
        return "No edit is known that could help here."
    if found.given_up:
        return f"No remedy found in the time given; {edits} tried."
    if found.missed and not found.missed.text:
        return f"None of the {edits} tried leaves less in the way."
    return f"None of the {edits} tried makes both directions arrive."


def _opens_words(remedy: Remedy) -> str:
    answer = remedy.after
    asked = [answer.forward.header, *([answer.back.header] if answer.back else [])]
    ends = (answer.forward.source, answer.forward.destination)
    names = {str(address): end.name for end in ends for address in end.addresses}
    return opened_words(remedy.opened, asked, names)


def _take_words(found: Remedies, remedy: Remedy, opens: str) -> str:
    """Why to take the first remedy; empty for the others."""
    if remedy is not found.found[0]:
        return ""
    others = found.found[1:]
    reasons = []
    if all(other.size > remedy.size for other in others):
        reasons.append("it changes the fewest lines")
    if opens.startswith("opens nothing"):
        reasons.append(f"it {opens}")
    elif others and all(other.opens > remedy.opens for other in others):
        reasons.append("it opens least")
    if not remedy.moves.breaks and not remedy.moves.prefixes:
        reasons.append("it changes no route")
    return ", ".join(reasons)
