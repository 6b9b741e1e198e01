"""Edits that make the model be what was read, as answers."""

from __future__ import annotations

from routrel.answers.base import Answer, LinesData
from routrel.lens.file_edits import FileEdit
from routrel.questions.agreement.mending import Mending, MendingStep

__all__ = ["MendingData", "MendingStepData", "mending_data"]


class MendingStepData(Answer):
    """One edit, and how many entries differ no more with it."""

    text: str
    mended: int
    changes: list[FileEdit]


class MendingData(Answer):
    """Edits that were tried; `steps` are made one on top of the other, `others` help alone too."""

    sentence: str
    differing: int  #: entries that differ as the files are
    left: int  #: entries that differ still, after all steps
    steps: list[MendingStepData]
    changes: list[FileEdit]
    edits: list[LinesData]
    others: list[MendingStepData]
    tried: int
    given_up: bool


def mending_data(found: Mending) -> MendingData:
    """What a search for edits came to."""
    before, after = (one.entries - one.equal for one in (found.before, found.after))
    return MendingData(
        sentence=_sentence(found, before, after),
        differing=before,
        left=after,
        steps=[_step(step) for step in found.steps],
        changes=list(found.changes),
        edits=[LinesData.of(patch) for patch in found.patches],
        others=[_step(step) for step in found.others],
        tried=found.tried,
        given_up=found.given_up,
    )


def _step(step: MendingStep) -> MendingStepData:
    return MendingStepData(text=step.text, mended=step.mended, changes=list(step.changes))


def _sentence(found: Mending, before: int, after: int) -> str:
    tried = "one edit" if found.tried == 1 else f"{found.tried} edits"
    in_time = "" if not found.given_up else ", and time ran out"
    if not before:
        return "Nothing to mend: every entry is as it was read."
    if not found.tried:
        return "No edit is known that could explain what differs."
    if not found.steps:
        return f"None of the {tried} tried makes more entries agree{in_time}."
    made = "One edit makes" if len(found.steps) == 1 else f"{len(found.steps)} edits make"
    if not after:
        those = "the one that differs" if before == 1 else f"the {before:,} that differ"
        return f"{made} every entry as it was read, {those} too; {tried} tried."
    return (
        f"{made} {before - after:,} of the {before:,} entries that differ as they were read; "
        f"{after:,} still differ. {tried[0].upper()}{tried[1:]} tried{in_time}."
    )
