"""Changes of a network's files, as values: what remedies try and people make by hand."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Protocol

from routrel.files.patching import Path, insert_item, remove, set_key, set_value

__all__ = [
    "LAST",
    "Change",
    "DoesNotApply",
    "Insert",
    "Patch",
    "Remove",
    "SetKey",
    "SetValue",
    "changed",
]


class DoesNotApply(Exception):
    """A change whose file or place is not there."""


#: A position behind every item of a list.
LAST = 1_000_000


class Patch(Protocol):
    """A change of a text. It raises KeyError where its place is not there."""

    def __call__(self, text: str) -> str: ...


@dataclass(frozen=True, slots=True)
class Insert:
    """An item more in a list, in front of the one at a position."""

    path: Path
    position: int
    value: str

    def __call__(self, text: str) -> str:
        return insert_item(text, self.path, self.position, self.value)


@dataclass(frozen=True, slots=True)
class SetKey:
    """A key of a mapping, new or with another value."""

    path: Path
    key: str
    value: str

    def __call__(self, text: str) -> str:
        return set_key(text, self.path, self.key, self.value)


@dataclass(frozen=True, slots=True)
class SetValue:
    """Another value where one stands."""

    path: Path
    value: str

    def __call__(self, text: str) -> str:
        return set_value(text, self.path, self.value)


@dataclass(frozen=True, slots=True)
class Remove:
    """A key or an item goes."""

    path: Path

    def __call__(self, text: str) -> str:
        return remove(text, self.path)


@dataclass(frozen=True, slots=True)
class Change:
    """A patch of one file."""

    file: str
    patch: Patch


def changed(texts: Mapping[str, str], changes: Iterable[Change]) -> dict[str, str]:
    """The files after some changes, one after the other.

    Raises:
        DoesNotApply: a file or place of a change is not there.
    """
    made = dict(texts)
    for change in changes:
        if change.file not in made:
            raise DoesNotApply(f"there is no file {change.file}")
        try:
            made[change.file] = change.patch(made[change.file])
        except KeyError as error:
            raise DoesNotApply(f"{change.file}: {error.args[0]}") from error
    return made
