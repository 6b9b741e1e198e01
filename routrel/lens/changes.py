"""Making the edits of changes, and what keeps one from being made.

Every edit remembers what it replaced. Where something else stands now, somebody else has touched
the place, and the edit is a conflict: nothing is overwritten. Where what it wants stands already,
it has nothing to do.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import yaml

from routrel.files.canonical import NOTHING
from routrel.files.patching import Path, insert_item, is_yaml, move_item, put, remove, set_key
from routrel.files.places import NoSuchItem, item_count, item_name, path_of, value_at
from routrel.model.changes import Change, Edit, Operation, PlaceEdit, TextEdit

__all__ = ["Changed", "Conflict", "Conflicts", "device_files", "with_change", "with_changes"]

_DEVICE = re.compile(r"^device:[ \t]*(?:\"([^\"\n]*)\"|'([^'\n]*)'|([^\s#'\"]+))", re.MULTILINE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """An edit whose place is not as it was, with the three versions of what stands there.

    A version is a value in flow-style YAML, or lines; None where nothing stands.
    """

    change: str
    edit: Edit
    file: str  #: the file it is of; empty where there is none
    was: str | None
    now: str | None
    wanted: str | None
    text: str

    def __str__(self) -> str:
        return f"{self.edit.place}: {self.text}"


class Conflicts(Exception):
    """A change cannot be made as it is."""

    def __init__(self, conflicts: tuple[Conflict, ...]) -> None:
        self.conflicts = conflicts
        super().__init__("; ".join(map(str, conflicts)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed:
    """The files after a change, made as far as it can be."""

    texts: dict[str, str]
    conflicts: tuple[Conflict, ...]


def with_changes(texts: Mapping[str, str], changes: Iterable[Change]) -> dict[str, str]:
    """The files after some changes, one on top of the other.

    Raises:
        Conflicts: an edit's place is not as it was when the edit was written.
    """
    made = dict(texts)
    for change in changes:
        changed = with_change(made, change)
        if changed.conflicts:
            raise Conflicts(changed.conflicts)
        made = changed.texts
    return made


def with_change(texts: Mapping[str, str], change: Change) -> Changed:
    """The files after all edits of a change that can be made, and those that cannot.

    Edits that are off are left out.
    """
    made = dict(texts)
    conflicts = []
    files: dict[str, str] | None = None
    for edit in change.edits:
        if edit.off:
            continue
        try:
            if isinstance(edit, TextEdit):
                _edit_lines(made, edit)
                files = None
            else:
                if files is None:
                    files = device_files(made)
                _edit_place(made, files, edit)
        except _Conflict as found:
            conflicts.append(
                Conflict(
                    change=change.name,
                    edit=edit,
                    file=found.file,
                    was=edit.was,
                    now=found.now,
                    wanted=edit.text if isinstance(edit, TextEdit) else _wanted(edit),
                    text=f"{edit}: {found.text}",
                )
            )
    return Changed(texts=made, conflicts=tuple(conflicts))


def device_files(texts: Mapping[str, str]) -> dict[str, str]:
    """The files of devices by the device's name, as their `device:` says."""
    found: dict[str, str] = {}
    for path in sorted(texts, reverse=True):
        match = _DEVICE.search(texts[path])
        if match is not None:
            found[next(filter(None, match.groups()), "")] = path
    return found


class _Conflict(Exception):
    def __init__(self, text: str, file: str = "", now: str | None = None) -> None:
        self.text, self.file, self.now = text, file, now
        super().__init__(text)


def _wanted(edit: PlaceEdit) -> str | None:
    return edit.value if edit.operation in (Operation.SET, Operation.ADD) else None


# --- places --------------------------------------------------------------------------------------


def _edit_place(texts: dict[str, str], files: Mapping[str, str], edit: PlaceEdit) -> None:
    file, steps = (edit.file, edit.at) if edit.file else (files.get(edit.at[0], ""), edit.at[1:])
    if file not in texts:
        what = f"file {edit.file}" if edit.file else f"device {edit.at[0]}"
        raise _Conflict(f"there is no {what}")
    text = texts[file]
    try:
        made = _AT_PLACE[edit.operation](text, file, steps, edit)
    except KeyError as error:
        raise _Conflict(str(error.args[0]), file) from error
    except yaml.YAMLError as error:
        raise _Conflict("the file is not YAML", file) from error
    if made != text and not is_yaml(made):
        raise _Conflict("what it makes is not YAML", file)
    texts[file] = made


def _set(text: str, file: str, steps: tuple[str, ...], edit: PlaceEdit) -> str:
    path = path_of(text, steps)
    now = value_at(text, path)
    if now == edit.value:
        return text
    _expect(edit.was, now, file)
    if now is None:
        return set_key(text, path[:-1], str(path[-1]), edit.value)
    return put(text, path, edit.value)


def _removed(text: str, file: str, steps: tuple[str, ...], edit: PlaceEdit) -> str:
    try:
        path = path_of(text, steps)
    except NoSuchItem:
        return text  # it is gone already
    now = value_at(text, path)
    if now is None:
        return text
    _expect(edit.was, now, file)
    return remove(text, path)


def _added(text: str, file: str, steps: tuple[str, ...], edit: PlaceEdit) -> str:
    path = path_of(text, steps)
    name = item_name(yaml.compose(edit.value, Loader=yaml.SafeLoader))
    count = item_count(text, path)
    if count is None and value_at(text, path) not in (None, NOTHING):
        raise _Conflict("no list stands there", file, value_at(text, path))
    for place in range(count or 0):
        now = value_at(text, (*path, place))
        if now == edit.value:
            return text
        known = item_name(yaml.compose(now or '""', Loader=yaml.SafeLoader))
        if name is not None and known == name:
            raise _Conflict(f"{name} stands there already", file, now)
    return insert_item(text, path, _position(text, path, edit, count or 0), edit.value)


def _moved(text: str, file: str, steps: tuple[str, ...], edit: PlaceEdit) -> str:
    path = path_of(text, steps)
    if edit.was is not None:
        _expect(edit.was, value_at(text, path), file)
    count = item_count(text, path[:-1])
    return move_item(text, path, _position(text, path[:-1], edit, count or 0))


def _position(text: str, path: Path, edit: PlaceEdit, count: int) -> int:
    """Which item of a list it comes in front of."""
    if edit.before is None:
        return count
    steps = [f"#{step + 1}" if isinstance(step, int) else step for step in path]
    place = path_of(text, (*steps, edit.before))[-1]
    if not isinstance(place, int):
        raise KeyError("no list stands there")
    return place


def _expect(was: str | None, now: str | None, file: str) -> None:
    if was == now:
        return
    stood = "nothing" if was is None else f"“{_short(was)}”"
    stands = "nothing" if now is None else f"“{_short(now)}”"
    raise _Conflict(f"it replaces {stood}, but {stands} stands there now", file, now)


def _short(text: str) -> str:
    return text if len(text) <= 120 else text[:119] + "…"


_AT_PLACE = {
    Operation.SET: _set,
    Operation.REMOVE: _removed,
    Operation.ADD: _added,
    Operation.MOVE: _moved,
}


# --- lines ---------------------------------------------------------------------------------------


def _edit_lines(texts: dict[str, str], edit: TextEdit) -> None:
    now = texts.get(edit.file)
    if edit.was is None or edit.text is None:
        if now == edit.text:
            return
        if now != edit.was:
            raise _Conflict("the file is not as it was", edit.file, now)
        if edit.text is None:
            del texts[edit.file]
        else:
            texts[edit.file] = edit.text
        return
    if now is None:
        raise _Conflict("there is no such file")
    line = _found(now, edit.was, edit.line)
    if line is None:
        if _found(now, edit.text, edit.line) is not None and edit.text:
            return
        raise _Conflict("the lines are not as they were", edit.file, _lines_at(now, edit))
    lines = now.splitlines(keepends=True)
    count = len(edit.was.splitlines())
    texts[edit.file] = "".join([*lines[:line], edit.text, *lines[line + count :]])


def _found(text: str, span: str, line: int | None) -> int | None:
    """The line from 0 on which a span stands: where it stood, else the only place it stands at."""
    lines, wanted = text.splitlines(keepends=True), span.splitlines(keepends=True)

    def stands(at: int) -> bool:
        return lines[at : at + len(wanted)] == wanted

    if line is not None and stands(line - 1):
        return line - 1
    places = [at for at in range(len(lines) - len(wanted) + 1) if stands(at)] if wanted else []
    return places[0] if len(places) == 1 else None


def _lines_at(text: str, edit: TextEdit) -> str:
    """What stands where the span stood."""
    first = (edit.line or 1) - 1
    count = len((edit.was or "").splitlines())
    return "".join(text.splitlines(keepends=True)[first : first + count])
