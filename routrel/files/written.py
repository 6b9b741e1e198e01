"""Texts that are written into a file otherwise than as a plain value."""

from __future__ import annotations

__all__ = ["Lines", "Verbatim"]


class Verbatim(str):
    """Flow-style YAML, written as the value that it is."""

    __slots__ = ()


class Lines(str):
    """Whole lines, written as a block."""

    __slots__ = ()
