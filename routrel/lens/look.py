"""The lens: what a network is looked at through, and the computed state it gives.

A lens will be revision + change + failures + moment. So far it is a revision alone: the texts of a
network's files, named by the hash of their content.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from routrel.convergence.converge import State, converge
from routrel.files.reader import Reading, load_texts, read_texts
from routrel.files.report import Report
from routrel.model.findings import Finding, finding_order

__all__ = ["View", "content_hash", "look", "look_at_folder"]


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """What a lens shows. Files with problems are not computed from: then `state` is None."""

    reading: Reading
    state: State | None
    texts: Mapping[str, str]  #: the files, by path

    @property
    def findings(self) -> tuple[Finding, ...]:
        """The files' problems, and what is suspicious in the model, errors first."""
        model = self.state.findings if self.state else ()
        return tuple(sorted((*self.reading.problems, *model), key=finding_order))


def content_hash(texts: Mapping[str, str]) -> str:
    """The name of a revision's content: SHA-256 over all paths and texts, in order of path."""
    digest = hashlib.sha256()
    for path in sorted(texts):
        for part in (path, texts[path]):
            data = part.encode()
            digest.update(len(data).to_bytes(8, "big"))
            digest.update(data)
    return digest.hexdigest()


def look(
    texts: Mapping[str, str],
    report: Report | None = None,
    on_file: Callable[[int], None] | None = None,
) -> View:
    """Read and converge a network; the arguments are those of `read_texts`."""
    reading = read_texts(texts, report, on_file)
    state = converge(reading.network) if reading.good else None
    return View(reading=reading, state=state, texts=texts)


def look_at_folder(folder: Path) -> View:
    """As `look`, for the files in a folder.

    Raises:
        UnusableInput: there is no such folder, or nothing to read in it.
    """
    return look(*load_texts(folder))
