"""Where the entries of a table that was read stand, without an object for each."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping

import numpy as np

from routrel.model.place import NOWHERE, Place

__all__ = ["Written"]


class Written:
    """The lines of a table's entries in their file, by number of the prefix."""

    def __init__(self, file: str, lines: Mapping[int, int]) -> None:
        """
        Args:
            lines: By prefix number; they count from 1.
        """
        self.file = file
        order = sorted(lines)
        self._prefixes = np.array(order, dtype=np.int32)
        self._lines = np.array([lines[prefix] for prefix in order], dtype=np.int32)

    def place(self, prefix: int) -> Place:
        """Where the entry to a prefix stands."""
        at = bisect_left(self._prefixes, prefix)
        if at == len(self._prefixes) or self._prefixes[at] != prefix:
            return NOWHERE
        return Place(self.file, int(self._lines[at]), 1)
