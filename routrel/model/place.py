"""Where in which file something was written."""

from __future__ import annotations

from dataclasses import dataclass, field

__all__ = ["NOWHERE", "Place", "placed"]


@dataclass(frozen=True, slots=True, order=True)
class Place:
    """A position in a device file; lines and columns count from 1."""

    file: str  #: path relative to the network's folder, with forward slashes
    line: int
    column: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}:{self.column}"


#: The place of values that were made by a program and never stood in a file.
NOWHERE = Place(file="", line=0, column=0)


def placed() -> Place:
    """A dataclass field for a place; two values are equal wherever they were written."""
    result: Place = field(default=NOWHERE, compare=False, repr=False)
    return result
