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


def small(mark: str) -> list[tuple[str, tuple[str | None, bytes]]]:
    """Two routers, of which one does not know the way to the other's loopback."""
    text = (
        "routrel: 1\ndevice: r{0}  # {1}\nrole: router\ninterfaces:\n"
        "  e1: {{addresses: [10.9.0.{0}/24]}}\n"
        "  lo: {{kind: loopback, addresses: [10.255.0.{0}/32]}}\n"
    )
    files = {f"r{number}.yaml": text.format(number, mark).encode() for number in (1, 2)}
    return [
        part
        for name, data in files.items()
        for part in (("files", (name, data)), ("paths", (None, name.encode())))
    ]


def begin(person: Person, base: str, kind: str, mark: str) -> str:
    """Start a job of a kind; its address. Each mark makes another question of it."""
    demo_net = base == BASE
    flow = KIOSK if demo_net else {"from": "r1", "to": "10.255.0.2"}
    route = {"q": f"192.0.2.{64 + int(mark) % 64}", "device": "cor-edge-1" if demo_net else "r1"}
    made = {
        "imports": lambda: person.post(
            f"{base}/imports", files=demo(mark) if demo_net else small(mark)
        ),
        "remedies": lambda: person.post(f"{base}/remedies", json={**flow, "as": f"tcp {mark}"}),
        "would-take": lambda: person.post(f"{base}/would-take", json=route),
        "question-runs": lambda: person.post(f"{base}/questions/run"),
    }[kind]()
    assert made.status_code == 202, made.text
    return f"/api/{kind}/{made.json()['id']}"


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
    person = site.person("olaf")
    slug = person.post("/api/networks", json={"title": f"Small {SEED}"}).json()["slug"]
    other = f"/api/networks/{slug}"
    assert person.ended(begin(person, other, "imports", "0"))["status"] == "done"
    for base, flow in ((BASE, KIOSK), (other, {"from": "r1", "to": "10.255.0.2"})):
        saved = person.post(f"{base}/questions", json={"name": f"kept {SEED}", "question": flow})
        assert saved.status_code == 201, saved.text
    kinds = ["imports", "remedies", "imports", "would-take", "question-runs"]
    victims = ["child", "web", "executor", "child", "database", "child", "executor", "start",
               "web", "child", "ctrl-c"]  # fmt: skip
    for number in range(ROUNDS):
        kind, victim = kinds[number % len(kinds)], victims[number % len(victims)]
        base = BASE if number % 7 == 0 else other
        what = f"round {number} (seed {SEED}): {victim} killed during {kind} in {base}"
        before = len(person.get(f"{base}/revisions").json())
        address = begin(person, base, kind, f"{2000 + SEED * 1000 + number}")
        time.sleep(chance.choice([0, 0.1, 0.4, 1.2]) * chance.random())
        kill(site, victim, chance)
        try:
            job = person.ended(address)
        except AssertionError as error:
            raise AssertionError(f"{what}: {error}\n{site.last_lines()}") from error
        assert job["status"] == "done", (what, job)
        assert job["answer"] is not None, what
        listed = eventually("revisions", lambda base=base: _ok(person.get(f"{base}/revisions")))
        assert len(listed) - before == (1 if kind == "imports" else 0), what
        if kind == "imports":
            assert job["revision"] == listed[0]["number"], what
    answer = eventually("an answer", lambda: _ok(person.get(f"{BASE}/flow", params=KIOSK)))
    assert answer["forward"]["verdict"] == "filtered"
    assert len(site.pids("executor")) == 1


def _ok(answer: requests.Response) -> Any:
    return answer.json() if answer.status_code == 200 else None
