"""How the files of an import differ from those that a network has, file by file."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from routrel.answers.base import Answer, LinesData
from routrel.files.patching import FilePatch, edited_lines
from routrel.files.reader import named_device

__all__ = ["FileDifferenceData", "FilesDifferenceData", "files_difference"]

#: Lines of a file up to which it is told where they differ, and runs of lines that are shown.
_MOST_LINES = 5_000
_MOST_RUNS = 200


class FileDifferenceData(Answer):
    """One file that is new, gone, or another one; `edits` are empty where there are too many."""

    path: str
    device: str | None
    what: str  #: added, removed or changed
    lines_added: int
    lines_removed: int
    edits: list[LinesData]


class FilesDifferenceData(Answer):
    """All files that differ, in order of path, and how many are the same."""

    sentence: str
    files: list[FileDifferenceData]
    same: int


def files_difference(before: Mapping[str, str], after: Mapping[str, str]) -> FilesDifferenceData:
    """How files differ.

    Args:
        before, after: Texts by path.
    """
    found: list[FileDifferenceData] = []
    shown = 0
    for path in sorted({*before, *after}):
        old, new = before.get(path), after.get(path)
        if old == new:
            continue
        patches: tuple[FilePatch, ...] = ()
        if old is not None and new is not None and shown < _MOST_RUNS and _is_short(old, new):
            patches = edited_lines(path, old, new)
        added, removed = _counted(old or "", new or "", patches)
        found.append(
            FileDifferenceData(
                path=path,
                device=named_device(new if new is not None else old or ""),
                what="added" if old is None else "removed" if new is None else "changed",
                lines_added=added,
                lines_removed=removed,
                edits=[LinesData.of(patch) for patch in patches[: _MOST_RUNS - shown]],
            )
        )
        shown += len(patches)
    same = sum(1 for path in after if before.get(path) == after[path])
    return FilesDifferenceData(sentence=_sentence(found, same), files=found, same=same)


def _is_short(*texts: str) -> bool:
    return all(text.count("\n") <= _MOST_LINES for text in texts)


def _counted(old: str, new: str, patches: tuple[FilePatch, ...]) -> tuple[int, int]:
    """How many lines come and go."""
    if patches:
        return sum(len(one.after) for one in patches), sum(len(one.before) for one in patches)
    had, has = Counter(old.splitlines()), Counter(new.splitlines())
    return (has - had).total(), (had - has).total()


def _sentence(files: list[FileDifferenceData], same: int) -> str:
    if not files:
        return "No file differs."
    counts = Counter(one.what for one in files)
    told = [f"{counts[what]:,} {what}" for what in ("changed", "added", "removed") if counts[what]]
    differ = "differs" if len(files) == 1 else "differ"
    return f"{_files(len(files))} {differ}: {', '.join(told)}; {same:,} the same."


def _files(count: int) -> str:
    return "One file" if count == 1 else f"{count:,} files"
