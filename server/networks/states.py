"""Computed states by content: in memory and on disk, both bounded in bytes.

Only the executor's processes compute. However many ask, in whatever process, one of them computes a
state and the others wait for what it leaves on disk.
"""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial
from pathlib import Path
from weakref import WeakValueDictionary

from django.conf import settings

import routrel
from routrel.convergence.converge import State, converge
from routrel.files.report import Report
from routrel.lens.changes import with_changes
from routrel.lens.failures import unknown_failure
from routrel.lens.look import View, content_hash, look, network_hash
from routrel.lens.tables import tables_words
from routrel.model.changes import Change
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.network import Network
from routrel.model.observed import AS_FILES_SAY, TableChoice
from routrel.topology.failed import UnknownThing
from server.executor.store import ByteBounded, StateStore
from server.networks.models import Revision

__all__ = ["engine_hash", "forget_memory", "look_anew", "remember", "texts_of", "view_of"]


@dataclass(frozen=True)
class _Kept:
    """A view without its state, which views of other revisions may share."""

    view: View
    state: str | None  #: the name of the state; None: nothing is computed from the files


@dataclass(frozen=True)
class _Files:
    """Files that may be looked at, by the name of their content; read where that is not known."""

    content_hash: str
    texts: Callable[[], Mapping[str, str]]


def view_of(
    revision: Revision,
    failures: Failures = NOTHING_FAILED,
    changes: Sequence[Change] = (),
    tables: TableChoice = AS_FILES_SAY,
) -> View:
    """What a lens shows; an equal network is computed once, whatever its cases.

    Args:
        failures: Things that have failed; what they leave is kept as the whole is.
        changes: Made to the revision's files, in this order.
        tables: What devices are taken to forward by.
    Raises:
        UnknownFailure: one of the things is not in the network.
        Conflicts: an edit's place is not as it was when the edit was written.
    """
    base = None
    if changes:
        base = partial(_whole_view, _files(revision, ()))
    files = _files(revision, changes)
    if failures or tables:
        return _other_view(files, failures, tables, base)
    return _whole_view(files, base)


def texts_of(revision: Revision, changes: Sequence[Change] = ()) -> Mapping[str, str]:
    """The files of a revision as changes have made them; raises as `view_of` does."""
    return with_changes(revision.texts(), changes)


#: The content that changes of a revision make, by theirs: what is looked at is asked many times.
_MADE: OrderedDict[tuple[str, str], str] = OrderedDict()
_MOST_MADE = 256


def _files(revision: Revision, changes: Sequence[Change]) -> _Files:
    if not changes:
        return _Files(revision.content_hash, revision.texts)
    written = hashlib.sha256(repr(changes).encode()).hexdigest()
    key = (revision.content_hash, written)
    made = _MADE.get(key)
    if made is None:
        texts = texts_of(revision, changes)
        made = _MADE[key] = content_hash(texts)
        while len(_MADE) > _MOST_MADE:
            _MADE.popitem(last=False)
        return _Files(made, lambda: texts)
    return _Files(made, lambda: texts_of(revision, changes))


def _whole_view(files: _Files, base: Callable[[], View] | None = None) -> View:
    """What files show.

    Args:
        base: What much the same files show, which is asked for where these are not known.
    """
    name = _name(files.content_hash)
    view = _memory().get(name) or _stored(name)
    if view is not None:
        return view
    since = base() if base else None
    with _store().turn(name):
        view = _stored(name)
        if view is None:
            view = look_anew(files.texts(), since=since)
            remember(files.content_hash, view)
    return view


def _other_view(
    files: _Files,
    failures: Failures,
    tables: TableChoice,
    base: Callable[[], View] | None = None,
) -> View:
    """Files in whose network some things have failed, or devices forward by other tables.

    `base` is that of `_whole_view`.
    """
    whole = _whole_view(files, base)
    if whole.state is None:
        return whole
    name = _other_name(files.content_hash, failures, tables)
    view = _memory().get(name)
    if view is not None:
        return view
    with _store().turn(name):
        state = _known_state(name)
        if state is None:
            try:
                network = replace(whole.state.network, tables=tables)
                state = converge(network, since=whole.state, failures=failures)
            except UnknownThing as error:
                raise unknown_failure(error) from error
            _store().put(name, state)
            _alive()[name] = state
    view = replace(whole, state=state)
    _memory().put(name, view, _store().size(name))
    return view


def look_anew(
    texts: Mapping[str, str],
    report: Report | None = None,
    on_file: Callable[[int], None] | None = None,
    since: View | None = None,
) -> View:
    """Look at files, as `look` does, with the state of an equal network where there is one."""
    return look(texts, report, on_file, _state_of, since)


def remember(content_hash: str, view: View) -> None:
    """Keep what was just seen of a revision."""
    name, state, bare, size = _name(content_hash), None, view, 0
    if view.state is not None:
        state = _state_name(network_hash(view.texts, view.reading))
        size = _store().size(state) or _store().put(state, view.state)
        nothing = Network(name=view.reading.network.name)
        bare = replace(view, state=None, reading=replace(view.reading, network=nothing))
    _memory().put(name, view, size + _store().put(name, _Kept(bare, state)))


def forget_memory() -> None:
    """Let go of what this process holds, and of the settings it began with."""
    for kept in (_memory, _store, _disk_key, _alive):
        kept.cache_clear()


def _stored(name: str) -> View | None:
    """A view that is on disk, state and all."""
    found = _store().get(name)
    if found is None or not isinstance(found[0], _Kept):
        return None
    kept, size = found[0], found[1]
    view = kept.view
    if kept.state is not None:
        state = _known_state(kept.state)
        if state is None:
            return None
        reading = replace(view.reading, network=state.network)
        view, size = replace(view, state=state, reading=reading), size + _store().size(kept.state)
    _memory().put(name, view, size)
    return view


def _state_of(network: str, compute: Callable[[], State]) -> State:
    """The state of a network's content, computed by one of all who ask."""
    name = _state_name(network)
    with _store().turn(name):
        state = _known_state(name)
        if state is None:
            state = compute()
            _store().put(name, state)
            _alive()[name] = state
    return state


def _known_state(name: str) -> State | None:
    """A state that some view in memory has, or that is on disk."""
    state = _alive().get(name)
    if state is None:
        found = _store().get(name)
        if found is None or not isinstance(found[0], State):
            return None
        state = _alive()[name] = found[0]
    return state


@cache
def _alive() -> WeakValueDictionary[str, State]:
    return WeakValueDictionary()


@cache
def _memory() -> ByteBounded[View]:
    return ByteBounded(settings.STATE_MEMORY_BYTES)


@cache
def _store() -> StateStore:
    return StateStore(Path(settings.STATE_CACHE), _disk_key(), settings.STATE_CACHE_BYTES)


@cache
def _disk_key() -> bytes:
    return hashlib.sha256(b"states " + settings.SECRET_KEY.encode()).digest()


def _name(content_hash: str) -> str:
    return f"{engine_hash()}-{content_hash}"


def _other_name(content_hash: str, failures: Failures, tables: TableChoice) -> str:
    names = "\0".join((*map(str, failures.things), *(f"={word}" for word in tables_words(tables))))
    return f"{_name(content_hash)}-{hashlib.sha256(names.encode()).hexdigest()[:32]}"


def _state_name(network: str) -> str:
    """Never that of a view, though a network without cases has the hash of its revision."""
    return f"{_name(network)}-state"


@cache
def engine_hash() -> str:
    """A state, and an answer, is only good for the engine that computed it."""
    digest = hashlib.sha256()
    folder = Path(routrel.__file__).parent
    for path in sorted(folder.rglob("*.py")):
        digest.update(path.relative_to(folder).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:16]
