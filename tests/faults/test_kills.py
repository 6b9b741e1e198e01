"""Any process may die at any moment: every job ends, once, and the rest goes on.

`ROUTREL_KILLS=300 ROUTREL_KILL_SEED=7 pytest tests/faults/test_kills.py` takes more rounds of others.
"""

from __future__ import annotations

import os
import random
import signal
import time
from typing import Any

import requests

from tests.faults.site import ROOT, LiveSite, Person, eventually

ROUNDS = int(os.environ.get("ROUTREL_KILLS", "30"))
SEED = int(os.environ.get("ROUTREL_KILL_SEED", "1"))
BASE = "/api/networks/marram"
KIOSK = {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}


def demo(mark: str) -> list[tuple[str, tuple[str, bytes]]]:
    """The demo's files as an upload, with a line of its own so that nothing is known of it."""
    folder = ROOT / "demo"
    found = []
    for path in sorted(folder.rglob("*.yaml")):
        name = path.relative_to(folder).as_posix()
        more = f"# {mark}\n".encode() if name == "network.yaml" else b""
        found += [
            ("files", (path.name, path.read_bytes() + more)),
            ("paths", (None, name.encode())),
        ]
    return found


def begin(person: Person, kind: str, mark: str) -> str:
    """Start a job of a kind; its address."""
    made = {
        "import": lambda: person.post(f"{BASE}/imports", files=demo(mark)),
        "remedies": lambda: person.post(f"{BASE}/remedies", json={**KIOSK, "as": f"tcp {mark}"}),
        "would-take": lambda: person.post(
            f"{BASE}/would-take",
            json={"q": f"192.0.2.{64 + int(mark) % 64}", "device": "cor-edge-1"},
        ),
        "question-runs": lambda: person.post(f"{BASE}/questions/run"),
    }[kind]()
    assert made.status_code == 202, made.text
    return f"/api/{'imports' if kind == 'import' else kind}/{made.json()['id']}"


def kill(site: LiveSite, victim: str, chance: random.Random) -> None:
    """End a process of a kind without warning; ./start is started anew, the rest by ./start."""
    if victim == "start":
        os.kill(site.process.pid, signal.SIGKILL)
        site.process.wait()
        eventually("the end of its children", lambda: not site.pids("web") + site.pids("executor"))
        site.start()
    elif victim == "ctrl-c":
        site.stop()
        site.start()
    else:
        pids = site.pids(victim)
        if pids:
            os.kill(chance.choice(pids), signal.SIGKILL)


def test_killed_processes_leave_no_job_without_an_end(site: LiveSite) -> None:
    """Each round: a job of some kind, a kill at some stage, and then the job ends as it should."""
    chance = random.Random(SEED)
    person = site.person()
    saved = person.post(f"{BASE}/questions", json={"name": "kiosk", "question": KIOSK})
    assert saved.status_code in (201, 400), saved.text
    kinds = ["import", "import", "remedies", "would-take", "question-runs"]
    victims = ["child", "child", "executor", "web", "database", "start", "ctrl-c"]
    for number in range(ROUNDS):
        kind, victim = kinds[number % len(kinds)], victims[number % len(victims)]
        what = f"round {number} (seed {SEED}): {victim} killed during {kind}"
        before = len(person.get(f"{BASE}/revisions").json())
        address = begin(person, kind, f"{2000 + SEED * 1000 + number}")
        time.sleep(chance.choice([0, 0.1, 0.5, 1.5]) * chance.random())
        kill(site, victim, chance)
        job = person.ended(address)
        assert job["status"] == "done", (what, job)
        assert (job["ended"], job["answer"] is not None) != (None, False), what
        listed = person.get(f"{BASE}/revisions").json()
        assert len(listed) - before == (1 if kind == "import" else 0), what
        if kind == "import":
            assert job["revision"] == listed[0]["number"], what
        answer = eventually(
            "an answer", lambda: _ok(person.get(f"{BASE}/flow", params=KIOSK, timeout=60))
        )
        assert answer["forward"]["verdict"] == "filtered", what
    assert len(site.pids("web")) == len(site.pids("executor")) == 1


def _ok(answer: requests.Response) -> Any:
    return answer.json() if answer.status_code == 200 else None
