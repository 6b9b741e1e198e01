"""The language of change files."""

from __future__ import annotations

import shlex
from dataclasses import dataclass
from typing import Any

from routrel.files.canonical import canonical
from routrel.files.language.common import NAME, VERSION
from routrel.files.nodes import Node
from routrel.files.report import Report
from routrel.files.shapes import BAD, Boolean, Field, Integer, ListOf, Record, Shape, Text, Values
from routrel.files.written import Lines, Verbatim
from routrel.model.changes import Change, Edit, Operation, PlaceEdit, TextEdit
from routrel.model.place import Place

__all__ = ["CHANGE_EDIT", "CHANGE_FILE"]


@dataclass(frozen=True)
class _Value(Shape):
    """Anything that a file can hold, as flow-style YAML."""

    expects = "a value, a list, or keys with values"

    def read(self, node: Node, report: Report) -> str:
        return canonical(node)

    def write(self, value: str) -> Any:
        return Verbatim(value)

    def schema(self) -> dict[str, Any]:
        return {}


@dataclass(frozen=True)
class _Lines(Shape):
    """Lines of a file, which may be none."""

    expects = "lines of a file"

    def read(self, node: Node, report: Report) -> Any:
        text = getattr(node, "text", None)
        return self.scalar(node, report) if text is None else text

    def write(self, value: str) -> Any:
        return Lines(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string"}


@dataclass(frozen=True)
class _Steps(Shape):
    """A place: a device and keys, parted by blanks; in quotes what holds a blank."""

    expects = "a device and the keys below it, as r1 interfaces port1 ospf cost"

    def read(self, node: Node, report: Report) -> Any:
        text = self.scalar(node, report)
        if not isinstance(text, str):
            return BAD
        try:
            steps = tuple(shlex.split(text))
        except ValueError:
            return self.wrong(node, report, text, "close the quotes")
        return steps or self.wrong(node, report, text)

    def write(self, value: tuple[str, ...]) -> str:
        return shlex.join(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string"}


_OPERATIONS = tuple(operation.value for operation in Operation)


def _build_edit(values: Values, place: Place, report: Report) -> Any:
    said = [name for name in _OPERATIONS if values[name] is not None and values[name] is not False]
    of_place = values["at"] is not None

    def refused(text: str, hint: str) -> Any:
        report.error(place, "bad_edit", text, hint)
        return BAD

    if not of_place:
        if said or values["before"] is not None:
            return refused("an edit of lines has no place", "add at:, or leave lines alone")
        if not values["file"] or (values["lines"] is None and values["text"] is None):
            return refused("an edit says where it is", "write at: a place, or file: with lines")
        if (values["line"] is None) != (values["lines"] is None or values["text"] is None):
            return refused("a span of lines says where it begins", "write line:, lines: and text:")
        return TextEdit(
            file=values["file"],
            was=values["lines"],
            text=values["text"],
            line=values["line"],
            off=values["off"],
            place=place,
        )
    if len(said) != 1:
        return refused(
            "an edit of a place does one thing", f"write one of {', '.join(_OPERATIONS)}"
        )
    operation = Operation(said[0])
    if any(values[name] is not None for name in ("text", "line", "lines")):
        return refused("an edit of a place has no lines", "leave out line:, lines: and text:")
    if values["before"] is not None and operation not in (Operation.ADD, Operation.MOVE):
        return refused("only an item comes before another", "leave out before:")
    if values["was"] is None and operation is Operation.REMOVE:
        return refused("what is removed is told", "write was: with what stands there")
    return PlaceEdit(
        at=values["at"],
        operation=operation,
        file=values["file"],
        was=values["was"],
        value=values[said[0]] if isinstance(values[said[0]], str) else "",
        before=values["before"],
        off=values["off"],
        place=place,
    )


def _unbuild_edit(edit: Edit) -> Values:
    values: Values = {field.target: field.default for field in CHANGE_EDIT.fields}
    if isinstance(edit, TextEdit):
        given = {"file": edit.file, "lines": edit.was, "text": edit.text, "line": edit.line}
        return {**values, **given, "off": edit.off}
    given = {name: getattr(edit, name) for name in ("at", "file", "was", "before", "off")}
    has_value = edit.operation in (Operation.SET, Operation.ADD)
    return {**values, **given, edit.operation.value: edit.value if has_value else True}


CHANGE_EDIT = Record(
    cls=PlaceEdit,
    what="an edit",
    fields=(
        Field("at", _Steps(), "the place: a device and the keys below it; an item of a list by its "
              "id, name, to or prefix, else as #3"),
        Field("file", Text(), "the file, where the place is not a device's, or for lines",
              default=""),
        Field("was", _Value(), "what it replaces; left out: nothing stood there"),
        Field("set", _Value(), "the value from now on"),
        Field("add", _Value(), "an item for the list at the place"),
        Field("remove", Boolean(), "true: what stands there goes", default=False),
        Field("move", Boolean(), "true: the item goes elsewhere in its list", default=False),
        Field("before", Text(), "the item in front of which it comes; left out: the last"),
        Field("line", Integer(1, 10_000_000), "the number of the first line replaced"),
        Field("lines", _Lines(), "the lines replaced; left out: the file is new"),
        Field("text", _Lines(), "the lines from now on; left out: the file goes"),
        Field("skip", Boolean(), "true: the edit is kept, and not made", "off", default=False),
    ),
    build=_build_edit,
    unbuild=_unbuild_edit,
    strict=True,
)  # fmt: skip


def _build_change(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    return Change(**values, place=place)


CHANGE_FILE = Record(
    cls=Change,
    what="a change file",
    fields=(
        VERSION,
        Field("change", NAME, "the change's name", "name", required=True),
        Field("purpose", Text(), "what it is for", default=""),
        Field("edits", ListOf(CHANGE_EDIT, minimum=1), "what it does, one after the other",
              required=True),
    ),
    build=_build_change,
    strict=True,
    unbuild=lambda change: {
        "routrel": 1, "name": change.name, "purpose": change.purpose, "edits": change.edits,
    },
)  # fmt: skip
