"""Changes of a network's files, as values: what answers propose and try, and what people keep.

They are msgspec structs, so that a change has one written form in JSON: `{"file": "...", "patch":
{"kind": "set_key", "path": ["bgp", "decision"], "key": "compare-med-always", "value": "true"}}`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeAlias, dataclass_transform

import msgspec
import yaml

from routrel.files.patching import (
    Path,
    copy_item,
    copy_key,
    insert_item,
    is_yaml,
    remove,
    set_key,
    set_value,
)

__all__ = [
    "LAST",
    "CopyItem",
    "CopyKey",
    "DoesNotApply",
    "FileEdit",
    "Insert",
    "Patch",
    "Remove",
    "SetKey",
    "SetValue",
    "edited",
]


class DoesNotApply(Exception):
    """A change whose file or place is not there."""


#: A position behind every item of a list.
LAST = 1_000_000
#: Lists and mappings in one value; YAML's parser knows no bound of its own.
_MOST_BRACKETS = 200


@dataclass_transform(frozen_default=True)
class _Patch(msgspec.Struct, frozen=True, forbid_unknown_fields=True, tag_field="kind"):
    """What is done at a path of a file. It raises KeyError where its place is not there."""


class Insert(_Patch, frozen=True, tag="insert"):
    """An item more in a list, in front of the one at a position."""

    path: Path
    position: int
    value: str

    def __call__(self, text: str) -> str:
        return insert_item(text, self.path, self.position, self.value)


class SetKey(_Patch, frozen=True, tag="set_key"):
    """A key of a mapping, new or with another value."""

    path: Path
    key: str
    value: str

    def __call__(self, text: str) -> str:
        return set_key(text, self.path, self.key, self.value)


class SetValue(_Patch, frozen=True, tag="set_value"):
    """Another value where one stands."""

    path: Path
    value: str

    def __call__(self, text: str) -> str:
        return set_value(text, self.path, self.value)


class CopyKey(_Patch, frozen=True, tag="copy_key"):
    """What stands under a key once more, under another one behind the others."""

    path: Path
    key: str

    def __call__(self, text: str) -> str:
        return copy_key(text, self.path, self.key)


class CopyItem(_Patch, frozen=True, tag="copy_item"):
    """An item of a list once more, in front of itself."""

    path: Path

    def __call__(self, text: str) -> str:
        return copy_item(text, self.path)


class Remove(_Patch, frozen=True, tag="remove"):
    """A key or an item goes."""

    path: Path

    def __call__(self, text: str) -> str:
        return remove(text, self.path)


Patch: TypeAlias = Insert | SetKey | SetValue | CopyKey | CopyItem | Remove


class FileEdit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A patch of one file."""

    file: str
    patch: Patch


def edited(texts: Mapping[str, str], changes: Sequence[FileEdit]) -> dict[str, str]:
    """The files after some changes, one after the other.

    Raises:
        DoesNotApply: a file or place of a change is not there.
    """
    made = dict(texts)
    for change in changes:
        if change.file not in made:
            raise DoesNotApply(f"there is no file {change.file}")
        value = getattr(change.patch, "value", "")
        if "\n" in value or value.count("[") + value.count("{") > _MOST_BRACKETS:
            raise DoesNotApply(f"{change.file}: a value is written on one line, and not too deep")
        try:
            made[change.file] = change.patch(made[change.file])
        except KeyError as error:
            raise DoesNotApply(f"{change.file}: {error.args[0]}") from error
        except yaml.YAMLError as error:
            raise DoesNotApply(f"{change.file}: what it makes is not YAML") from error
    for file in {change.file for change in changes}:
        if not is_yaml(made[file]):
            raise DoesNotApply(f"{file}: what it makes is not YAML")
    return made
