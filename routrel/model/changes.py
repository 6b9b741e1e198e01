"""Changes: named lists of edits of a network's files, which remember what they replace."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TypeAlias

from routrel.model.place import Place, placed

__all__ = ["Change", "Edit", "Operation", "PlaceEdit", "TextEdit"]


class Operation(StrEnum):
    """What is done at a place."""

    SET = "set"  #: a value, in the place of another or where nothing stood
    ADD = "add"  #: an item, to the list at the place
    REMOVE = "remove"
    MOVE = "move"  #: an item, within its list


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceEdit:
    """An edit at a place of a configuration, as `gul-edge-1 interfaces port3 ospf cost`.

    Values are flow-style YAML, as `canonical` of `files/patching.py` writes it.
    """

    at: tuple[str, ...]  #: a device and keys below it; of another file its keys alone
    operation: Operation
    file: str = ""  #: of what is no device; empty: the device's
    was: str | None = None  #: what it replaces; None: nothing stood there
    value: str = ""  #: what comes: of SET and ADD
    before: str | None = None  #: of ADD and MOVE, the item it comes in front of; None: last
    off: bool = False  #: it is kept, and not made
    place: Place = placed()

    def __str__(self) -> str:
        where = " ".join(self.at)
        return f"{self.file} {where}" if self.file else where


@dataclass(frozen=True, slots=True, kw_only=True)
class TextEdit:
    """A span of whole lines of a file that is replaced.

    Without `was` the file is new, without `text` it goes.
    """

    file: str
    was: str | None
    text: str | None
    line: int | None = None  #: where the span began, from 1; of a whole file None
    off: bool = False  #: it is kept, and not made
    place: Place = placed()

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


Edit: TypeAlias = PlaceEdit | TextEdit


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """A named list of edits, made one after the other, with what they are for."""

    name: str
    purpose: str = ""
    edits: tuple[Edit, ...]
    place: Place = placed()
