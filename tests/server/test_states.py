"""Computed states: one computation for all who ask at the same time, kept whole or not at all."""

from __future__ import annotations

import os
import threading
import time
from types import SimpleNamespace

from routrel.convergence.converge import converge
from routrel.lens import look as look_module
from routrel.lens.look import content_hash, look
from server.executor.store import ByteBounded, StateStore
from server.networks import states

TEXTS = {"r.yaml": "routrel: 1\ndevice: r\nrole: router\n"}


def test_many_who_ask_at_once_wait_for_one_computation(monkeypatch):
    """Six askers of a cold revision, each with a memory of its own as processes have."""
    looked = []

    def slow_look(texts, *more):
        looked.append(texts)
        time.sleep(0.2)
        return look(texts, *more)

    monkeypatch.setattr(states, "look", slow_look)
    monkeypatch.setattr(ByteBounded, "get", lambda self, name: None)
    revision = SimpleNamespace(content_hash="cold", texts=lambda: TEXTS)
    views = []
    askers = [
        threading.Thread(target=lambda: views.append(states.view_of(revision))) for _ in range(6)
    ]
    for asker in askers:
        asker.start()
    for asker in askers:
        asker.join()
    assert (len(looked), len(views)) == (1, 6)
    assert {view.reading.network.devices[0].name for view in views} == {"r"}


CASE = """\
routrel: 1
case: c
title: {}
story: they say so
route: {{at: r, to: 10.0.0.1}}
expect: {{reason: none}}
"""


def test_another_case_is_no_other_network(monkeypatch):
    """A revision in which only a case differs has its own cases, and the state of the other."""
    computed = []
    monkeypatch.setattr(
        look_module,
        "converge",
        lambda network, since=None: computed.append(network) or converge(network, since),
    )
    other = TEXTS["r.yaml"] + "description: other\n"
    views = [
        states.view_of(SimpleNamespace(content_hash=content_hash(texts), texts=lambda t=texts: t))
        for texts in (
            {**TEXTS, "case.yaml": CASE.format("one")},
            {**TEXTS, "case.yaml": CASE.format("two")},
            {"r.yaml": other, "case.yaml": CASE.format("two")},
            {"r.yaml": other},  # its hash is that of its network
        )
    ]
    assert [[case.title for case in view.cases] for view in views] == [
        ["one"],
        ["two"],
        ["two"],
        [],
    ]
    assert views[2].state is views[3].state
    assert views[0].state is views[1].state
    assert [view.reading.network.devices[0].description for view in views] == [
        "",
        "",
        "other",
        "other",
    ]
    assert len(computed) == 2
    states.forget_memory()
    again = states.view_of(SimpleNamespace(content_hash=content_hash(views[1].texts), texts=None))
    assert again.cases == views[1].cases
    assert again.reading.network == views[1].reading.network
    assert len(computed) == 2


def test_a_damaged_state_is_computed_again(tmp_path):
    """Cut short, altered in one bit, sealed by another, under another's name: never read."""
    store = StateStore(tmp_path, b"key", 10**9)
    store.put("a", {"answer": 42})
    (path,) = tmp_path.glob("*.state")
    whole = path.read_bytes()
    assert store.get("a") == ({"answer": 42}, len(whole))
    flipped = bytearray(whole)
    flipped[-5] ^= 1
    for damaged in (whole[:-1], b"", bytes(flipped)):
        path.write_bytes(damaged)
        assert store.get("a") is None
        assert not path.exists()
    path.write_bytes(whole)
    assert StateStore(tmp_path, b"other key", 10**9).get("a") is None
    path.with_name("b.state").write_bytes(whole)
    assert store.get("b") is None


def test_disk_and_memory_are_bounded_in_bytes(tmp_path):
    """The least recently used go first; what a process left half-written goes too."""
    store = StateStore(tmp_path, b"key", 25_000)
    (tmp_path / "x.999999999.new").write_bytes(b"half")
    for name, minutes_old in (("0", 3), ("1", 2)):
        store.put(name, b"x" * 10_000)
        then = time.time() - 60 * minutes_old
        os.utime(tmp_path / f"{name}.state", (then, then))
    store.get("0")
    store.put("3", b"x" * 10_000)
    assert sorted(path.name for path in tmp_path.glob("*.state")) == ["0.state", "3.state"]
    assert not list(tmp_path.glob("*.new"))
    memory: ByteBounded[str] = ByteBounded(100)
    for name, size in (("a", 60), ("b", 30), ("a", 60), ("c", 30)):
        memory.put(name, name, size)
    assert [memory.get(name) for name in "abc"] == ["a", None, "c"]
