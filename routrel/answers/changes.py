"""Changes as answers: their edits in JSON's types, and what each of them does to the files."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, Literal

import msgspec
import yaml

from routrel.answers.base import Answer, LinesData
from routrel.files.canonical import canonical_yaml
from routrel.files.patching import edited_lines
from routrel.files.unified import unified_patch
from routrel.lens.change_between import change_between
from routrel.lens.changes import Conflict, with_change
from routrel.model.changes import Change, Edit, Operation, PlaceEdit, TextEdit
from routrel.questions.errors import QuestionError

__all__ = [
    "BadEdit",
    "EditData",
    "SeenChangeData",
    "SeenEditData",
    "edit_data",
    "edits_of",
    "seen_change",
]

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
#: Lists and mappings in one value; YAML's parser knows no bound of its own.
_MOST_BRACKETS = 200
_LONGEST_STEP = 400


class BadEdit(QuestionError):
    """Something is given as an edit that is none."""

    code = "bad_edit"


class EditData(Answer):
    """One edit. Values are YAML on one line; `at` is empty where lines of a file are replaced.

    At a place: `set` gives the `value` that stands there from now on, `add` an item for the list
    there, `remove` takes what stands there away, `move` puts the item elsewhere in its list;
    `before` is the item in front of which it comes, null the end. Of lines: `was` are the lines
    replaced (null: the file is new), `value` those from now on (null: the file goes), `line` the
    number of the first.
    """

    at: list[str]
    operation: Literal["set", "add", "remove", "move", "lines"]
    file: str
    was: str | None
    value: str | None
    before: str | None
    line: int | None
    off: bool


class ConflictData(Answer):
    """An edit whose place is not as it was: what stood there, stands there, and was wanted."""

    text: str
    was: str | None
    now: str | None
    wanted: str | None


class SeenEditData(Answer):
    """An edit, its place in words, the lines that it alone makes different, and what is wrong."""

    edit: EditData
    place: str
    lines: list[LinesData]
    conflict: ConflictData | None


class SeenChangeData(Answer):
    """A change made on top of some files, as far as it can be.

    `lines` are those of all files that differ in the end, `patch` the same in the unified format,
    `roll_back` the edits that lead back.
    """

    edits: list[SeenEditData]
    lines: list[LinesData]
    patch: str
    roll_back: list[EditData]


def edit_data(edit: Edit) -> EditData:
    """An edit in JSON's types."""
    if isinstance(edit, TextEdit):
        return EditData(
            at=[], operation="lines", file=edit.file, was=edit.was, value=edit.text,
            before=None, line=edit.line, off=edit.off,
        )  # fmt: skip
    has_value = edit.operation in (Operation.SET, Operation.ADD)
    return EditData(
        at=list(edit.at), operation=edit.operation.value, file=edit.file, was=edit.was,
        value=edit.value if has_value else None, before=edit.before, line=None, off=edit.off,
    )  # fmt: skip


def edits_of(given: Iterable[Any]) -> tuple[Edit, ...]:
    """The edits that are given in JSON's types.

    Raises:
        BadEdit: one is not written as an edit is.
    """
    edits = []
    for number, one in enumerate(given, start=1):
        try:
            edits.append(_edit_of(msgspec.convert(one, EditData)))
        except msgspec.ValidationError as error:
            raise BadEdit(f"edit {number} cannot be read: {error}") from error
        except BadEdit as error:
            raise BadEdit(f"edit {number}: {error.text}", error.suggestion) from error
    return tuple(edits)


def _edit_of(given: EditData) -> Edit:
    if given.operation == "lines":
        if given.at or given.before is not None or not given.file:
            raise BadEdit("an edit of lines has a file and no place", "leave at and before empty")
        if given.was is None and given.value is None:
            raise BadEdit("an edit of lines says which go or come")
        if (given.line is None) != (given.was is None or given.value is None):
            raise BadEdit("a span of lines says where it begins", "give its line")
        return TextEdit(
            file=given.file, was=given.was, text=given.value, line=given.line, off=given.off
        )
    if not given.at or given.line is not None:
        raise BadEdit("an edit of a place names its keys and no line")
    if any(len(step) > _LONGEST_STEP for step in given.at):
        raise BadEdit(f"a key has at most {_LONGEST_STEP} letters")
    operation = Operation(given.operation)
    has_value = operation in (Operation.SET, Operation.ADD)
    if has_value != (given.value is not None):
        raise BadEdit("a value is set or added, and nothing else takes one")
    if operation is Operation.REMOVE and given.was is None:
        raise BadEdit("what is removed is told", "give what stands there")
    if given.before is not None and operation not in (Operation.ADD, Operation.MOVE):
        raise BadEdit("only an item comes before another", "leave before empty")
    return PlaceEdit(
        at=tuple(given.at),
        operation=operation,
        file=given.file,
        was=None if given.was is None else _value(given.was),
        value=_value(given.value) if given.value is not None else "",
        before=given.before,
        off=given.off,
    )


def _value(text: str) -> str:
    """A value in its one written form."""
    if text.count("[") + text.count("{") > _MOST_BRACKETS:
        raise BadEdit("the value nests too deep")
    try:
        node = yaml.compose(text, Loader=_LOADER)
    except yaml.YAMLError as error:
        raise BadEdit(
            f"“{text[:80]}” is no value", "write it as it would stand in a file"
        ) from error
    return "null" if node is None else canonical_yaml(node)


def seen_change(texts: Mapping[str, str], change: Change) -> SeenChangeData:
    """What a change does to files, edit by edit and in all."""
    made = dict(texts)
    edits = []
    for edit in change.edits:
        changed = with_change(made, replace(change, edits=(edit,)))
        conflict = changed.conflicts[0] if changed.conflicts else None
        edits.append(
            SeenEditData(
                edit=edit_data(edit),
                place=str(edit),
                lines=_lines(made, changed.texts),
                conflict=_conflict_data(conflict) if conflict else None,
            )
        )
        made = changed.texts
    differ = {file for file in {*texts, *made} if texts.get(file) != made.get(file)}
    back = change_between(made, texts, f"{change.name}-back")
    return SeenChangeData(
        edits=edits,
        lines=_lines(texts, made),
        patch=unified_patch(
            {file: texts.get(file, "") for file in differ},
            {file: made.get(file, "") for file in differ},
        ),
        roll_back=[edit_data(edit) for edit in back.edits] if back else [],
    )


def _lines(before: Mapping[str, str], after: Mapping[str, str]) -> list[LinesData]:
    """The runs of lines that differ, by file and line."""
    return [
        LinesData.of(patch)
        for file in sorted({*before, *after})
        if before.get(file) != after.get(file)
        for patch in edited_lines(file, before.get(file, ""), after.get(file, ""))
    ]


def _conflict_data(conflict: Conflict) -> ConflictData:
    return ConflictData(
        text=conflict.text, was=conflict.was, now=conflict.now, wanted=conflict.wanted
    )
