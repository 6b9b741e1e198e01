"""Changes that people work on: make, say otherwise, undo, redo, drop, and what a lens has of them.

Whatever is done to a change says which version it was done to. Where somebody else was quicker it
is refused, and nothing is lost of either.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import timedelta
from itertools import count
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone
from django.utils.text import slugify

from server.networks.models import Change, ChangeStep, Network, Revision

__all__ = [
    "MOST_EDITS",
    "ChangeRefused",
    "Outdated",
    "UnknownChange",
    "drop_change",
    "make_change",
    "named_change",
    "say",
    "step_to",
    "take_back",
    "written_changes",
]

#: Edits of one change, changes of one lens, and steps of one change that can be gone back.
MOST_EDITS = 500
_MOST_IN_LENS = 16
_MOST_STEPS = 200
#: How long a change that was dropped can be taken back.
_TAKEN_BACK_WITHIN = timedelta(days=1)


class UnknownChange(Exception):
    """There is no change of that name; the message says so."""


class ChangeRefused(Exception):
    """What is wanted of a change cannot be; the message says why."""


class Outdated(Exception):
    """Somebody else has changed the change meanwhile."""

    def __init__(self, change: Change) -> None:
        self.change = change
        super().__init__(f"{change.name} was edited meanwhile")


def named_change(network: Network, name: str) -> Change:
    """A change by its name, dropped ones left out.

    Raises:
        UnknownChange: there is none.
    """
    found = network.changes.filter(name=name, dropped=None).first() if "\0" not in name else None
    if found is None:
        raise UnknownChange(f"there is no change {name[:100]}")
    return found


def written_changes(network: Network, names: Iterable[str]) -> list[dict[str, Any]]:
    """What a lens has of changes, in its order; what a change stands on comes before it.

    Raises:
        UnknownChange: one of them is not there.
        ChangeRefused: they are too many.
    """
    found: dict[str, Change] = {}
    for name in names:
        if name in found:
            continue
        for change in _with_below(named_change(network, name)):
            found.setdefault(change.name, change)
        if len(found) > _MOST_IN_LENS:
            raise ChangeRefused(f"a lens has at most {_MOST_IN_LENS} changes")
    return [
        {"name": change.name, "purpose": change.said.purpose, "edits": change.said.edits}
        for change in found.values()
    ]


def _with_below(change: Change) -> list[Change]:
    """A change and all that it stands on and is not accepted yet, the lowest first."""
    chain = [change]
    while (below := chain[0].below) is not None and below.became_id is None:
        if below in chain or below.dropped is not None:
            break
        chain.insert(0, below)
    return chain


def make_change(
    network: Network,
    author_id: int,
    revision: Revision,
    *,
    name: str = "",
    like: str = "",
    purpose: str = "",
    edits: Sequence[Any] = (),
    below: Change | None = None,
    text: str = "begun",
) -> Change:
    """A new change; without a name it is named after its purpose.

    Args:
        name: What it has to be called; a dropped change that has the name is called otherwise.
        like: A name to begin with; a number is added where it is taken.
    Raises:
        ChangeRefused: the name is taken.
    """
    base = name or like or slugify(purpose)[:60].strip("-_") or "change"
    if name:
        for dropped in network.changes.filter(name=name).exclude(dropped=None):
            _call_otherwise(dropped)
    number = 1
    while True:
        called = base if number == 1 else f"{base}-{number}"
        try:
            with transaction.atomic():
                change = Change.objects.create(
                    network=network,
                    name=called,
                    author_id=author_id,
                    written_on=revision,
                    below=below,
                )
                ChangeStep.objects.create(
                    change=change,
                    number=1,
                    purpose=purpose,
                    edits=list(edits),
                    text=text,
                    author_id=author_id,
                )
        except IntegrityError as error:
            if name:
                raise ChangeRefused(f"there is a change {name} already") from error
            number += 1
        else:
            return change


def say(
    change: Change,
    version: int,
    author_id: int,
    *,
    purpose: str,
    edits: Sequence[Any],
    text: str,
    revision: Revision,
) -> Change:
    """Let a change say something else from now on; what was undone before is forgotten.

    Args:
        revision: Whose files the edits replace.
    Raises:
        Outdated: the version is not the one there is.
        ChangeRefused: it is accepted.
    """
    with transaction.atomic():
        held = _held(change, version)
        held.steps.filter(number__gt=held.step).delete()
        ChangeStep.objects.create(
            change=held,
            number=held.step + 1,
            purpose=purpose,
            edits=list(edits),
            text=text,
            author_id=author_id,
        )
        held.steps.filter(number__lte=held.step + 1 - _MOST_STEPS).delete()
        held.step += 1
        held.written_on = revision
        return _kept(held)


def step_to(change: Change, version: int, onward: int) -> Change:
    """Undo (-1) or redo (1) what was done to a change.

    Raises:
        Outdated: the version is not the one there is.
        ChangeRefused: it is accepted, or there is nothing to go to.
    """
    with transaction.atomic():
        held = _held(change, version)
        if not held.steps.filter(number=held.step + onward).exists():
            raise ChangeRefused(f"there is nothing to {'undo' if onward < 0 else 'redo'}")
        held.step += onward
        return _kept(held)


def drop_change(change: Change, version: int) -> None:
    """Drop a change; for a day it can be taken back.

    Raises:
        Outdated: the version is not the one there is.
        ChangeRefused: it is accepted, or another one stands on it.
    """
    with transaction.atomic():
        held = _held(change, version)
        above = held.above.filter(dropped=None, became=None).first()
        if above is not None:
            raise ChangeRefused(f"{above.name} stands on it; drop that one first")
        now = timezone.now()
        change.network.changes.filter(dropped__lt=now - _TAKEN_BACK_WITHIN).delete()
        held.dropped = now
        _kept(held)


def take_back(network: Network, name: str) -> Change:
    """Take back that a change was dropped.

    Raises:
        UnknownChange: none of that name was, within a day.
    """
    limit = timezone.now() - _TAKEN_BACK_WITHIN
    change = network.changes.filter(name=name, dropped__gte=limit).first()
    if change is None:
        raise UnknownChange(f"no change {name[:100]} was dropped within the last day")
    change.dropped = None
    return _kept(change)


def _call_otherwise(dropped: Change) -> None:
    """Let go of a dropped change's name; by its new one it can still be taken back."""
    taken = set(dropped.network.changes.values_list("name", flat=True))
    number = next(n for n in count(2) if f"{dropped.name}-{n}" not in taken)
    dropped.name = f"{dropped.name}-{number}"
    dropped.save(update_fields=["name"])


def _held(change: Change, version: int) -> Change:
    """The change as it is now, locked, if it is still as whoever asks knows it."""
    held = Change.objects.select_for_update().get(pk=change.pk)
    if held.became_id is not None:
        raise ChangeRefused("it is accepted; make a new change on top of it")
    if held.version != version or held.dropped is not None:
        raise Outdated(held)
    return held


def _kept(change: Change) -> Change:
    change.version += 1
    change.save()
    return change
