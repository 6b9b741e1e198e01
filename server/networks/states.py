"""Computed states by content: in memory and on disk, both bounded in bytes.

Only the executor's processes compute. However many ask, in whatever process, one of them computes a
state and the others wait for what it leaves on disk.
"""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

from django.conf import settings

import routrel
from routrel.lens.look import View, look
from server.executor.store import ByteBounded, StateStore
from server.networks.models import Revision

__all__ = ["engine_hash", "forget_memory", "remember", "view_of"]


def view_of(revision: Revision) -> View:
    """The computed network of a revision; equal content is computed once."""
    name = _name(revision.content_hash)
    view = _memory().get(name) or _stored(name)
    if view is not None:
        return view
    with _store().turn(name):
        view = _stored(name)
        if view is None:
            view = look(revision.texts())
            _keep(name, view)
    return view


def remember(content_hash: str, view: View) -> None:
    """Keep a state that was just computed."""
    _keep(_name(content_hash), view)


def forget_memory() -> None:
    """Let go of what this process holds, and of the settings it began with."""
    for kept in (_memory, _store, _disk_key):
        kept.cache_clear()


def _stored(name: str) -> View | None:
    found = _store().get(name)
    if found is None or not isinstance(found[0], View):
        return None
    _memory().put(name, found[0], found[1])
    return found[0]


def _keep(name: str, view: View) -> None:
    _memory().put(name, view, _store().put(name, view))


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


@cache
def engine_hash() -> str:
    """A state, and an answer, is only good for the engine that computed it."""
    digest = hashlib.sha256()
    folder = Path(routrel.__file__).parent
    for path in sorted(folder.rglob("*.py")):
        digest.update(path.relative_to(folder).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:16]
