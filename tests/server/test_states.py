"""Computed states: one computation for all who ask at the same time."""

from __future__ import annotations

import threading
import time
from types import SimpleNamespace

import pytest

from routrel.lens import look
from server.networks import states


@pytest.fixture
def nothing_kept(monkeypatch):
    """No state in memory, and a disk that holds none."""
    monkeypatch.setattr(states, "_memory", type(states._memory)())
    empty = SimpleNamespace(get=lambda key: None, set=lambda key, value: None)
    monkeypatch.setattr(states, "_disk", lambda: empty)


def test_many_who_ask_at_once_wait_for_one_computation(nothing_kept, monkeypatch):
    """Six requests for a cold revision compute it once and get the same state."""
    looked = []

    def slow_look(texts):
        looked.append(texts)
        time.sleep(0.2)
        return look(texts)

    monkeypatch.setattr(states, "look", slow_look)
    texts = {"r.yaml": "routrel: 1\ndevice: r\nrole: router\n"}
    revision = SimpleNamespace(content_hash="cold", texts=lambda: texts)
    views = []
    askers = [
        threading.Thread(target=lambda: views.append(states.view_of(revision))) for _ in range(6)
    ]
    for asker in askers:
        asker.start()
    for asker in askers:
        asker.join()
    assert len(looked) == 1
    assert len(views) == 6
    assert all(view is views[0] for view in views)
