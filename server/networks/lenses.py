"""Lenses as they are written, and what is seen through them.

A lens is a revision with what is written beside it: `changes`, each as `{"name", "purpose",
"edits"}` with edits in JSON's types, `fail`, the things that have failed, each as KIND:NAME, and
`tables`, what devices are taken to forward by. What is written is held by whoever asks, so that an
answer is of what was asked, whatever becomes of a change meanwhile.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from routrel.answers.changes import edits_of
from routrel.convergence.converge import State
from routrel.lens.changes import Conflicts
from routrel.lens.failures import UnknownFailure, named_failures
from routrel.lens.look import View
from routrel.lens.tables import UnknownTables, named_tables
from routrel.model.changes import Change
from routrel.model.failures import Failures
from routrel.model.observed import TableChoice
from routrel.questions.errors import QuestionError
from server.networks.models import Revision
from server.networks.states import texts_of, view_of

__all__ = [
    "BadFailure",
    "BadTables",
    "ChangeConflicts",
    "changes_in",
    "computed",
    "failures_in",
    "seen",
    "tables_in",
    "texts_seen",
]


class BadFailure(QuestionError):
    """What is said to have failed is not in the network, or no such thing can fail."""

    code = "unknown_failure"


class BadTables(QuestionError):
    """A word names no source of tables."""

    code = "unknown_tables"


class ChangeConflicts(QuestionError):
    """A change was written on top of other files than those it is looked at on."""

    code = "change_conflicts"

    def __init__(self, error: Conflicts) -> None:
        first, *more = error.conflicts
        others = f", and {len(more)} more" if more else ""
        super().__init__(
            f"the change {first.change} does not fit this revision: {first.text}{others}",
            "open the change and carry its edits over",
        )


def seen(revision: Revision, written: Mapping[str, Any]) -> View:
    """What a lens shows.

    Raises:
        BadFailure: something is said to have failed that is not in the network.
        ChangeConflicts: an edit's place is not as it was when the edit was written.
    """
    try:
        failures, tables = failures_in(written.get("fail", ())), tables_in(written)
        return view_of(revision, failures, changes_in(written), tables)
    except UnknownFailure as error:
        raise BadFailure(error.text, error.suggestion) from error
    except Conflicts as error:
        raise ChangeConflicts(error) from error


def computed(revision: Revision, written: Mapping[str, Any]) -> tuple[View, State]:
    """What a lens shows, with its state; raises as `seen` does.

    Raises:
        QuestionError: the files have problems, so there is no state.
    """
    view = seen(revision, written)
    if view.state is None:
        first = view.reading.problems[0]
        raise QuestionError(
            f"the files have problems, and nothing is computed from them: {first.place}: "
            f"{first.text}"
        )
    return view, view.state


def texts_seen(revision: Revision, written: Mapping[str, Any]) -> Mapping[str, str]:
    """The files that a lens shows; raises as `seen` does."""
    try:
        return texts_of(revision, changes_in(written))
    except Conflicts as error:
        raise ChangeConflicts(error) from error


def changes_in(written: Mapping[str, Any]) -> tuple[Change, ...]:
    """The changes of a lens, in the order in which they are made."""
    return tuple(
        Change(name=one["name"], purpose=one["purpose"], edits=edits_of(one["edits"]))
        for one in written.get("changes", ())
    )


def tables_in(written: Mapping[str, Any]) -> TableChoice:
    """What a lens takes devices to forward by.

    Raises:
        BadTables: a word names no source of tables.
    """
    try:
        return named_tables(written.get("tables", ()))
    except UnknownTables as error:
        raise BadTables(
            str(error), "write computed, observed or known, or DEVICE=one of them"
        ) from error


def failures_in(names: Iterable[str]) -> Failures:
    """What a lens says has failed.

    Raises:
        BadFailure: a name says no kind of thing that can fail.
    """
    try:
        return named_failures(names)
    except UnknownFailure as error:
        raise BadFailure(error.text, error.suggestion) from error
