"""What an editor of changes asks: places, edits of them, and what is wrong with a file's text."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from routrel.answers.base import data
from routrel.answers.changes import EditData, edit_data, edits_of, seen_change
from routrel.answers.findings import findings_data
from routrel.answers.places import place_data
from routrel.files.reader import read_texts
from routrel.files.unified import unified_patch
from routrel.lens.change_between import change_between
from routrel.lens.changes import Conflicts, with_changes
from routrel.lens.file_edits import DoesNotApply, FileEdit, edited
from routrel.lens.place_forms import NoSuchPlace, WrongValue, place_edit, place_seen
from routrel.model.changes import Change, Edit, Operation
from routrel.questions.errors import QuestionError
from server.networks.lenses import ChangeConflicts, changes_in

__all__ = ["EDITING"]

Texts = Mapping[str, str]


class _Refused(QuestionError):
    """An edit cannot be made of what is given."""

    def __init__(self, code: str, text: str, suggestion: str = "") -> None:
        super().__init__(text, suggestion)
        self.code = code


def _change(texts: Texts, values: Mapping[str, Any]) -> Any:
    """What a change does to the files, edit by edit, once what it stands on is made."""
    try:
        texts = with_changes(texts, changes_in({"changes": values["below"]}))
    except Conflicts as error:
        raise ChangeConflicts(error) from error
    change = Change(name=values["name"], purpose=values["purpose"], edits=edits_of(values["edits"]))
    return data(seen_change(texts, change))


def _place(texts: Texts, values: Mapping[str, Any]) -> Any:
    """A place, as a form."""
    try:
        return data(place_data(place_seen(texts, values["device"], values["at"], values["file"])))
    except NoSuchPlace as error:
        raise _Refused("no_such_place", str(error)) from error


def _edits_of_places(texts: Texts, values: Mapping[str, Any]) -> Any:
    """Edits that let values stand at places, each written as if it were the only one."""
    made = []
    for one in values["places"]:
        try:
            edit = place_edit(
                texts,
                one["device"],
                one["at"],
                one["value"],
                operation=Operation(one["operation"]),
                before=one["before"],
                file=one["file"],
            )
        except NoSuchPlace as error:
            raise _Refused("no_such_place", str(error)) from error
        except WrongValue as error:
            raise _Refused("wrong_value", f"{' '.join(one['at'])}: {error}") from error
        if edit is not None:
            made.append(edit)
    return _told(made)


def _edits_of_proposal(texts: Texts, values: Mapping[str, Any]) -> Any:
    """Edits that do what an answer proposes."""
    return _told(_between(texts, _proposed(texts, values)))


def _proposed(texts: Texts, values: Mapping[str, Any]) -> Texts:
    try:
        proposed = msgspec.convert(values["proposal"], list[FileEdit])
    except msgspec.ValidationError as error:
        raise _Refused("invalid", f"changes: {error}") from error
    try:
        return edited(texts, proposed)
    except DoesNotApply as error:
        raise _Refused(
            "does_not_apply", str(error), "ask again in this lens; the files differ"
        ) from error


def _patch(texts: Texts, values: Mapping[str, Any]) -> Any:
    """What an answer proposes, as a patch."""
    after = _proposed(texts, values)
    return {"patch": unified_patch(texts, after)}


def _edits_of_text(texts: Texts, values: Mapping[str, Any]) -> Any:
    """Edits that make a file's text another; of a file that is new, or goes, the whole text."""
    after = {path: text for path, text in texts.items() if path != values["file"]}
    if values["text"] is not None:
        after[values["file"]] = values["text"]
    return _told(_between(texts, after))


def _between(before: Texts, after: Texts) -> Sequence[Edit]:
    change = change_between(before, after, "edits")
    return change.edits if change else ()


def _told(edits: Sequence[Edit]) -> Any:
    made: list[EditData] = [edit_data(edit) for edit in edits]
    return data(made)


def _problems(texts: Texts, values: Mapping[str, Any]) -> Any:
    """What is wrong with the files if one of them had another text, that of this file first."""
    reading = read_texts({**texts, values["file"]: values["text"]})
    problems = sorted(reading.problems, key=lambda one: one.place.file != values["file"])
    return data(findings_data(problems, reading.network))


#: By the name of the question, what is answered from files alone.
EDITING = {
    "change": _change,
    "place": _place,
    "edits-of-places": _edits_of_places,
    "edits-of-proposal": _edits_of_proposal,
    "edits-of-text": _edits_of_text,
    "problems": _problems,
    "patch": _patch,
}
