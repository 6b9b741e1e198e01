"""Changes of files as a patch in the unified format (POSIX.1-2024, `diff -u`)."""

from __future__ import annotations

from collections.abc import Mapping
from difflib import unified_diff
from io import StringIO

__all__ = ["unified_patch"]

_NO_END = "\\ No newline at end of file\n"


def unified_patch(before: Mapping[str, str], after: Mapping[str, str]) -> str:
    """What makes the files of `before` those of `after`, for `patch -p1`; files in order of name.

    Args:
        before: Texts by path.
        after: Texts by the same paths; those that are left out stay as they are.
    """
    parts: list[str] = []
    for path in sorted(after):
        lines = unified_diff(_lines(before[path]), _lines(after[path]), f"a/{path}", f"b/{path}")
        parts += (line if line.endswith("\n") else f"{line}\n{_NO_END}" for line in lines)
    return "".join(parts)


def _lines(text: str) -> list[str]:
    """The lines with their ends: a line ends with a line feed alone, as `diff` has it."""
    return list(StringIO(text, newline="\n"))
