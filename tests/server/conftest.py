"""The demo in a database of its own, and the executor's work done in the test's own process."""

from __future__ import annotations

from pathlib import Path

import pytest
from django.contrib.auth import get_user_model

from routrel.files.reader import load_texts
from server.executor.work import answer_frame, do_job
from server.networks import jobs, states
from server.networks.imports import add_revision
from server.networks.models import Membership, Network, Role

ROOT = Path(__file__).resolve().parents[2]
DEMO = ROOT / "demo"
PASSWORD = "quay-side-lantern"


@pytest.fixture(autouse=True)
def _here(settings, tmp_path, monkeypatch):
    """Computed states of one test stay in it; questions are answered without other processes."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # quick
    settings.STATE_CACHE = tmp_path / "states"
    states.forget_memory()

    def ask(person, revision, question, values, gone, request=""):
        return answer_frame({"revision": revision, "question": question, "values": values})

    monkeypatch.setattr("server.networks.api.asked.ask", ask)
    yield
    states.forget_memory()


@pytest.fixture
def network():
    """The demo as revision 1, with a member of each role."""
    made = Network.objects.create(slug="demo", title="Demo")
    for role in Role.values:
        user = get_user_model().objects.create_user(role, password=PASSWORD)
        Membership.objects.create(network=made, user=user, role=role)
    get_user_model().objects.create_user("stranger", password=PASSWORD)
    add_revision(made, load_texts(DEMO)[0], author=None)
    return made


@pytest.fixture
def work_off():
    """Does all jobs that wait, one after the other, as the executor would."""

    def run() -> int:
        done = 0
        while (job := jobs.claim()) is not None:
            do_job(job.owner)
            done += 1
        return done

    return run
