"""Things that happen at the same moment, on a live site: constraints and locks hold, nobody starves."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import pytest

from tests.faults.site import LiveSite, Person
from tests.faults.test_kills import BASE, KIOSK, demo

Value = TypeVar("Value")
SMALL = [
    ("files", ("r1.yaml", b"routrel: 1\ndevice: r1\nrole: router\n")),
    ("paths", (None, b"r1.yaml")),
]


def at_once(works: Sequence[Callable[[], Value]]) -> list[Value]:
    """What each gives; all begin at the same moment."""
    gate = threading.Barrier(len(works))

    def run(work: Callable[[], Value]) -> Value:
        gate.wait()
        return work()

    with ThreadPoolExecutor(len(works)) as pool:
        return list(pool.map(run, works))


@pytest.fixture(scope="module")
def people(site: LiveSite) -> dict[str, Person]:
    return {name: site.person(name) for name in ("olaf", "nora", "vita")}


def member(person: Person, slug: str, name: str, role: str | None) -> int:
    body = {"username": name, "role": role}
    return person.put(f"/api/networks/{slug}/members", json=body).status_code


def test_two_owners_who_demote_each_other_leave_one(people):
    """One of them wins; the other is no owner any more, and is told so."""
    olaf, nora = people["olaf"], people["nora"]
    for _ in range(8):
        slug = olaf.post("/api/networks", json={"title": "Two owners"}).json()["slug"]
        assert member(olaf, slug, "nora", "owner") == 200
        done = at_once([
            lambda slug=slug: member(olaf, slug, "nora", "viewer"),
            lambda slug=slug: member(nora, slug, "olaf", "viewer"),
        ])  # fmt: skip
        assert sorted(done) == [200, 403]
        roles = [m["role"] for m in nora.get(f"/api/networks/{slug}/members").json()]
        assert sorted(roles) == ["owner", "viewer"]


def test_names_taken_at_the_same_moment(people):
    """Networks of one title get addresses of their own; of two questions of one name one stays."""
    made = at_once([
        lambda p=p: p.post("/api/networks", json={"title": "Same title"})
        for p in [*people.values()] * 3
    ])  # fmt: skip
    assert {answer.status_code for answer in made} == {201}
    assert len({answer.json()["slug"] for answer in made}) == len(made)
    body = {"name": "at once", "question": KIOSK}
    editors = [people["olaf"], people["nora"]]
    codes = at_once([
        lambda p=p: p.post(f"{BASE}/questions", json=body).status_code for p in editors * 2
    ])  # fmt: skip
    assert sorted(codes) == [201, 400, 400, 400]


def test_a_question_dropped_while_all_are_run_stays_away(people):
    nora = people["nora"]
    ids = [
        nora.post(f"{BASE}/questions", json={"name": f"dropped {n}", "question": KIOSK}).json()[
            "id"
        ]
        for n in range(4)
    ]
    started = nora.post(f"{BASE}/questions/run").json()["id"]
    for one in ids:
        assert nora.delete(f"{BASE}/questions/{one}").status_code == 204
    assert nora.ended(f"/api/question-runs/{started}")["status"] == "done"
    assert not set(ids) & {q["id"] for q in nora.get(f"{BASE}/questions").json()}


def test_a_cancelled_import_leaves_no_revision(people):
    """At any moment: it is cancelled and leaves nothing, or done and leaves one."""
    olaf = people["olaf"]
    slug = olaf.post("/api/networks", json={"title": "Cancelled"}).json()["slug"]
    chance = random.Random(3)
    made = 0
    for _ in range(15):
        job = olaf.post(f"/api/networks/{slug}/imports", files=SMALL).json()["id"]
        time.sleep(chance.random() * 0.6)
        olaf.post(f"/api/jobs/{job}/cancel")
        ended = olaf.ended(f"/api/imports/{job}")
        assert ended["status"] in ("cancelled", "done")
        made += ended["status"] == "done"
        assert (ended["revision"] is not None) == (ended["status"] == "done")
        assert len(olaf.get(f"/api/networks/{slug}/revisions").json()) == made


def test_many_searches_of_one_delay_nobody_else(people):
    """One more than may wait is refused; another's import is served next but one."""
    vita, nora = people["vita"], people["nora"]
    answers = [
        vita.post(f"{BASE}/remedies", json={**KIOSK, "as": f"tcp {port}"})
        for port in range(5100, 5125)
    ]
    codes = [answer.status_code for answer in answers]
    assert codes[:20] == [202] * 20
    assert codes[-1] == 429
    assert answers[-1].json()["code"] == "too_many_jobs"
    job = nora.post(f"{BASE}/imports", files=demo("not starved")).json()["id"]
    ended = nora.ended(f"/api/imports/{job}")
    assert ended["status"] == "done"
    searches = [a.json()["id"] for a in answers if a.status_code == 202]
    done = [vita.get(f"/api/remedies/{one}").json()["status"] for one in searches].count("done")
    assert done <= 4
    for one in searches:
        vita.post(f"/api/jobs/{one}/cancel")
