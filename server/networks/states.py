"""Computed states by content: kept in memory and, bounded, on disk. The engine computes them."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from functools import cache
from pathlib import Path

import diskcache
from django.conf import settings

import routrel
from routrel.lens import View, look
from server.networks.models import Revision

__all__ = ["remember", "view_of"]

_IN_MEMORY = 8
_memory: OrderedDict[str, View] = OrderedDict()
_lock = threading.Lock()
_computing: dict[str, threading.Lock] = {}


def view_of(revision: Revision) -> View:
    """The computed network of a revision; equal content is computed once.

    A page asks several questions at a time. While one of them computes a state, the others wait
    for it instead of computing it too.
    """
    name = revision.content_hash
    view = _remembered(name)
    if view is not None:
        return view
    with _lock:
        turn = _computing.setdefault(name, threading.Lock())
    with turn:
        view = _remembered(name)
        if view is None:
            view = _disk().get(_key(name))
            if view is None:
                view = look(revision.texts())
                remember(name, view)
            else:
                _keep(name, view)
    with _lock:
        _computing.pop(name, None)
    return view


def _remembered(content_hash: str) -> View | None:
    with _lock:
        if content_hash in _memory:
            _memory.move_to_end(content_hash)
        return _memory.get(content_hash)


def remember(content_hash: str, view: View) -> None:
    """Keep a state that was just computed."""
    _disk().set(_key(content_hash), view)
    _keep(content_hash, view)


def _keep(content_hash: str, view: View) -> None:
    with _lock:
        _memory[content_hash] = view
        _memory.move_to_end(content_hash)
        while len(_memory) > _IN_MEMORY:
            _memory.popitem(last=False)


@cache
def _disk() -> diskcache.Cache:
    return diskcache.Cache(str(settings.STATE_CACHE), size_limit=settings.STATE_CACHE_BYTES)


def _key(content_hash: str) -> str:
    return f"{_engine_hash()}:{content_hash}"


@cache
def _engine_hash() -> str:
    """A state is only good for the engine that computed it."""
    digest = hashlib.sha256()
    folder = Path(routrel.__file__).parent
    for path in sorted(folder.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]
