"""What all answers are: values with declared fields, which become JSON and its description.

Every field is always there, unless its type says that it may be left out. What is not declared is
no part of an answer.
"""

from __future__ import annotations

from typing import Any, TypedDict, dataclass_transform

import msgspec

from routrel.files.patching import FilePatch
from routrel.model.place import Place

__all__ = ["Answer", "LinesData", "Placed", "Position", "PositionData", "data", "position"]


@dataclass_transform(frozen_default=True, kw_only_default=True, field_specifiers=(msgspec.field,))
class Answer(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A part of an answer."""


class Placed(Answer):
    """Something that stands, or was decided, on a line of a file; nulls: on none."""

    file: str | None
    line: int | None
    column: int | None


class PositionData(Placed):
    """A line of a file."""


class LinesData(Answer):
    """Lines of one file that change; `before` and `after` may be empty."""

    file: str
    line: int
    before: str
    after: str

    @classmethod
    def of(cls, patch: FilePatch) -> LinesData:
        """The same, as part of an answer."""
        return cls(
            file=patch.file,
            line=patch.line,
            before="\n".join(patch.before),
            after="\n".join(patch.after),
        )


class Position(TypedDict):
    """The fields of what is placed."""

    file: str | None
    line: int | None
    column: int | None


def position(place: Place | None) -> Position:
    """File, line and column; nulls where nothing was written."""
    if place is None or not place.line:
        return {"file": None, "line": None, "column": None}
    return {"file": place.file, "line": place.line, "column": place.column}


def data(answer: object) -> Any:
    """An answer, or several, in JSON's types."""
    return msgspec.to_builtins(answer)
