"""The lens: what a network is looked at through, and the computed state it gives.

A lens is a revision, that is the texts of a network's files, with changes of them, with things that
have failed, and with what was told of the running network up to a moment. It is the only way from
files to a state: the same lens gives the same state.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from routrel.convergence.converge import State, converge
from routrel.files.reader import Reading, UnusableInput, read_again, read_texts
from routrel.files.report import Report
from routrel.files.shapes import closest
from routrel.formats.folders import mixed_texts
from routrel.formats.reports import ImportReport
from routrel.lens.changes import with_changes
from routrel.lens.failures import unknown_failure
from routrel.lens.moments import Timeline
from routrel.model.cases import Case
from routrel.model.changes import Change
from routrel.model.events import Event
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.findings import Finding, finding_order
from routrel.model.observed import AS_FILES_SAY, TableChoice
from routrel.topology.failed import UnknownThing

__all__ = [
    "Lens",
    "View",
    "content_hash",
    "look",
    "look_at_folder",
    "look_through",
    "network_hash",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class Lens:
    """What a network is looked at through."""

    texts: Mapping[str, str]  #: a revision's files, by path
    changes: tuple[Change, ...] = ()  #: made to them in this order
    failures: Failures = NOTHING_FAILED
    tables: TableChoice = AS_FILES_SAY  #: what devices are taken to forward by
    events: tuple[Event, ...] = ()  #: what was told of the network, in the order of arrival
    at: int | None = None  #: the moment, in microseconds; None: after all events


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """What a lens shows. Files with problems are not computed from: then `state` is None."""

    reading: Reading
    state: State | None
    texts: Mapping[str, str]  #: the files, by path, as the lens has changed them
    imported: ImportReport | None = None  #: what became of files of other formats beside ours
    timeline: Timeline | None = None  #: of the lens's events; None: it has none

    @property
    def cases(self) -> tuple[Case, ...]:
        """The cases that lie beside the network."""
        return self.reading.cases

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


def network_hash(texts: Mapping[str, str], reading: Reading) -> str:
    """The name of a network's content: all files but those of cases, changes and promises.

    Revisions with one name have equal states, places included.
    """
    beside = {case.place.file for case in reading.cases}
    beside |= {change.place.file for change in reading.changes}
    beside |= {promise.place.file for promise in reading.promises}
    beside.discard(reading.network.place.file)
    return content_hash({path: text for path, text in texts.items() if path not in beside})


def _computed(name: str, compute: Callable[[], State]) -> State:
    """Compute a state, whatever its network's name."""
    return compute()


def look_through(
    lens: Lens,
    report: Report | None = None,
    on_file: Callable[[int], None] | None = None,
    state_of: Callable[[str, Callable[[], State]], State] = _computed,
    since: View | None = None,
) -> View:
    """Read, change and converge a network; `report` and `on_file` are those of `read_texts`.

    Args:
        since: What another lens on much the same files shows. What is the same is taken from it;
            the view is the same as without.
        state_of: Given the name of a network in which nothing has failed and what computes its
            state, gives the state: whoever knows it already need not compute it.
    Raises:
        Conflicts: a place is not as it was when an edit of it was written.
        UnknownFailure: something is said to have failed that is not in the network.
    """
    texts = with_changes(lens.texts, lens.changes) if lens.changes else lens.texts
    reading = None
    if since is not None and not (report and report.count):
        reading = _read_since(since, texts)
    if reading is None:
        reading = read_texts(texts, report, on_file)
    if lens.tables:
        _check_choice(lens.tables, reading)
        network = replace(reading.network, tables=lens.tables)
        reading = replace(reading, network=network)
    known = since.state if since else None
    state = timeline = None
    if reading.good:
        failures = lens.failures
        if lens.events:
            timeline = Timeline(reading.network, lens.events)
            latest = max(event.time for event in lens.events)
            situation = timeline.at(latest if lens.at is None else lens.at)
            failures = replace(failures, events=situation.events)
        if failures:
            try:
                state = converge(reading.network, known, failures=failures)
            except UnknownThing as error:
                raise unknown_failure(error) from error
        elif lens.tables:
            state = converge(reading.network, known)
        else:
            name = network_hash(texts, reading)
            state = state_of(name, lambda: converge(reading.network, known))
    return View(reading=reading, state=state, texts=texts, timeline=timeline)


def _check_choice(choice: TableChoice, reading: Reading) -> None:
    """That the devices of a choice are there."""
    names = {device.name for device in reading.network.devices}
    for name, _ in choice.devices:
        if reading.good and name not in names:
            hint = closest(name, names)
            raise UnusableInput(f"there is no device “{name}” to choose tables for. {hint}".strip())


def _read_since(since: View, texts: Mapping[str, str]) -> Reading | None:
    """The files with only those read that are others; None where that is not possible."""
    if not since.reading.good or since.texts.keys() != texts.keys():
        return None
    changed = {path for path, text in texts.items() if since.texts[path] != text}
    return read_again(since.reading, texts, changed) if changed else since.reading


def look(
    texts: Mapping[str, str],
    report: Report | None = None,
    on_file: Callable[[int], None] | None = None,
    state_of: Callable[[str, Callable[[], State]], State] = _computed,
    since: View | None = None,
) -> View:
    """Look at a revision as it is; the arguments are those of `look_through`."""
    return look_through(Lens(texts=texts), report, on_file, state_of, since)


def look_at_folder(
    folder: Path,
    failures: Failures = NOTHING_FAILED,
    changes: tuple[Change, ...] = (),
    since: View | None = None,
    tables: TableChoice = AS_FILES_SAY,
    events: tuple[Event, ...] = (),
    at: int | None = None,
) -> View:
    """Look at the files in a folder, as changes have made them and with some things failed.

    Args:
        events: What was told of it; `at` says which moment is meant, as in a lens.
        since: As of `look_through`.
    Raises:
        UnusableInput: there is no such folder, nothing to read in it, or no such device.
        Conflicts: a place is not as it was when an edit of it was written.
        UnknownFailure: something is said to have failed that is not in the network.
    """
    texts, report, imported = mixed_texts(folder)
    lens = Lens(
        texts=texts, changes=changes, failures=failures, tables=tables, events=events, at=at
    )
    return replace(look_through(lens, report, since=since), imported=imported)
