"""Promises, sweeps, tokens and the audit trail on the server."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

import pytest
import yaml
from django.contrib.auth import get_user_model
from django.db import DatabaseError, transaction
from django.test import Client
from django.utils import timezone

from server.networks.imports import add_revision
from server.networks.models import (
    ApiToken,
    AuditEntry,
    Job,
    Membership,
    Network,
    PromiseVerdict,
    SweptCase,
)
from tests.engine.questions.test_suggestions import yard_texts
from tests.server.test_api import client
from tests.server.test_changes import QUAYS

pytestmark = pytest.mark.django_db

PATH = "/api/networks/quays"
THERE = "north to south must be delivered"
FILES = {
    **QUAYS,
    "promises.yaml": f"routrel: 1\npromises:\n  there: {THERE} and survive any link\n",
}


@pytest.fixture
def quays() -> Network:
    made = Network.objects.create(slug="quays", title="Quays")
    for name in ("viewer", "editor", "owner"):
        user = get_user_model().objects.create_user(name, password="x")
        Membership.objects.create(network=made, user=user, role=name)
    add_revision(made, FILES, author=None)
    return made


def sent(person: Client, method: str, path: str, body: Any = None) -> Any:
    answer = getattr(person, method)(PATH + path, body, "application/json")
    assert answer.status_code < 300, answer.content
    return answer.json() if answer.content else None


def checked(person: Client, work_off, query: str = "", **asked: Any) -> Any:
    job = sent(person, "post", f"/promises/checks{query}", asked)
    work_off()
    ended = person.get(f"/api/promise-checks/{job['id']}").json()
    assert ended["status"] == "done", ended
    return ended["answer"]


def test_promises_of_files_and_those_kept_here_are_checked_through_any_lens(quays, work_off):
    editor = client("editor")
    sent(editor, "post", "/promises", {"name": "short", "sentence": f"{THERE} and take at most 3 hops"})  # fmt: skip
    found = {one["id"]: one for one in checked(editor, work_off)["promises"]}
    assert {name: (one["kept"], one["open"]) for name, one in found.items()} == {
        "there": (True, True), "short": (True, False),
    }  # fmt: skip
    assert (found["there"]["file"], found["there"]["line"]) == ("promises.yaml", 3)
    assert found["short"]["rests_on"]["devices"] == ["north", "a", "b", "south"]
    failures = checked(editor, work_off, failures=True)["promises"][0]
    assert (failures["open"], failures["survives"]["tried"]) == (False, 4)
    # Both links of the quays are off: nothing gets there, and a way that is none is not long.
    off = "?fail=link:10.0.1.0/31&fail=link:10.0.2.0/31"
    found = {one["id"]: one for one in checked(editor, work_off, off)["promises"]}
    assert (found["there"]["kept"], found["short"]["kept"]) == (False, False)
    assert found["there"]["counterexample"]["device"] == "a"
    told = editor.get(f"{PATH}/promises/there/history").json()
    assert [(one["revision"], one["kept"], one["failed"]) for one in told] == [
        (1, True, []), (1, False, ["link:10.0.1.0/31", "link:10.0.2.0/31"]),
    ]  # fmt: skip


def test_a_sentence_that_says_nothing_is_refused_with_what_to_write(quays):
    editor = client("editor")
    answer = editor.post(f"{PATH}/promises", {"name": "x", "sentence": "north to south must shine"}, "application/json")  # fmt: skip
    assert answer.status_code == 400
    assert answer.json()["message"] == "“shine” stands where a clause should"
    assert answer.json()["suggestion"].startswith("clauses begin: be delivered")
    sent(editor, "post", "/promises", {"name": "x", "sentence": THERE})
    again = editor.post(f"{PATH}/promises", {"name": "x", "sentence": THERE}, "application/json")
    assert (again.status_code, again.json()["code"]) == (409, "name_taken")


def test_promises_are_exported_and_imported_as_a_file(quays):
    editor = client("editor")
    text = "routrel: 1\npromises:\n  =a: {promise: north to south must be blocked}\n"
    answer = editor.post(f"{PATH}/promises/file", {"text": text}, "application/json")
    assert answer.json()["message"].startswith("line 3: ")
    sent(editor, "post", "/promises/file", {"text": f"routrel: 1\npromises:\n  a: {{promise: {THERE}, owner: =nora, severity: note}}\n"})  # fmt: skip
    told = yaml.safe_load(editor.get(f"{PATH}/promises/file").content)
    assert told["promises"] == {"a": {"promise": THERE, "severity": "note", "owner": "=nora"}}
    rows = editor.get(f"{PATH}/promises/file?as=csv").content.decode().splitlines()
    assert rows[1] == f"a,{THERE},note,'=nora,,"
    sent(editor, "put", "/promises/a", {"name": "b", "sentence": THERE})
    sent(editor, "delete", "/promises/b")
    assert editor.get(f"{PATH}/promises").json() == []


def test_an_import_checks_promises_and_what_broke_is_in_the_history(quays, work_off):
    broken = {**FILES, "b.yaml": FILES["b.yaml"].replace("passive: true", "passive: true, cost: 1") + "static: [{to: 10.1.0.0/24, discard: true}]\n"}  # fmt: skip
    revision = add_revision(quays, broken, author=get_user_model().objects.get(username="editor"))
    assert revision.number == 2
    editor = client("editor")
    checked(editor, work_off, "?revision=1")
    checked(editor, work_off)
    told = editor.get(f"{PATH}/promises/there/history").json()
    assert [(one["revision"], one["kept"]) for one in told] == [(2, False), (1, True)]
    assert PromiseVerdict.objects.get(revision=revision).why.startswith("north to south as icmp")


def test_impact_tells_the_promises_that_use_a_thing(quays):
    viewer = client("viewer")
    for query, names in (
        ("device=a", ["there"]), ("device=a&interface=port1", ["there"]),
        ("device=a&interface=port2", []), ("link=10.0.1.0/31", ["there"]), ("prefix=10.2.0.0/24", ["there"]),
        ("file=a.yaml&line=6", ["there"]), ("file=a.yaml&line=7", []), ("file=a.yaml&line=1", ["there"]),
    ):  # fmt: skip
        found = viewer.get(f"{PATH}/promises/impact?{query}").json()
        assert [one["id"] for one in found["promises"]] == names, query
    for wrong in ("", "?file=a.yaml", "?file=a.yaml&line=1&device=a", "?file=none.yaml&line=1", "?device=a&neighbour=10.0.0.1"):  # fmt: skip
        assert viewer.get(f"{PATH}/promises/impact{wrong}").status_code == 400, wrong
    assert viewer.get(f"{PATH}/promises/impact?device=zz").json()["code"] == "unknown_name"


def test_a_sweep_is_kept_case_by_case_and_goes_on_where_it_was(quays, work_off, monkeypatch):
    viewer = client("viewer")
    first = sent(viewer, "post", "/sweeps", {"kinds": ["device"]})
    work_off()
    answer = viewer.get(f"/api/sweeps/{first['id']}").json()["answer"]
    assert {tuple(c["failed"]): c["broken"] for c in answer["cases"]} == {
        (f"device:{name}",): ["there"] for name in ("a", "b", "north", "south")
    }
    assert SweptCase.objects.count() == 4
    # With links besides, the devices are known; nothing is computed of them again.
    asked = []
    monkeypatch.setattr("server.networks.sweeps.local_pool", lambda: _Counting(asked))
    second = sent(viewer, "post", "/sweeps", {"kinds": ["device", "link"]})
    work_off()
    answer = viewer.get(f"/api/sweeps/{second['id']}").json()["answer"]
    assert len(answer["cases"]) == 8
    assert sorted(asked) == sorted(f"link:{name}" for name in ("10.0.1.0/31", "10.0.2.0/31", "10.1.0.0/24", "10.2.0.0/24"))  # fmt: skip
    assert answer["breaking_sets"]["there"][0] == ["device:a"]


class _Counting:
    """An executor that works in its own thread, and writes down what it is asked."""

    def __init__(self, asked: list[str]) -> None:
        from concurrent.futures import ThreadPoolExecutor

        self._inner, self._asked = ThreadPoolExecutor(1), asked

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self._inner.shutdown()

    def submit(self, function, name, job, case):
        if job is None:
            self._asked += [str(one) for one in case]
        return self._inner.submit(function, name, job, case)


def test_the_smallest_sets_of_a_promise_and_what_a_change_shifts_are_swept(quays, work_off):
    viewer = client("viewer")

    def swept(query: str = "", **asked: Any) -> Any:
        body = {"kinds": ["link"], **asked}
        job = sent(viewer, "post", f"/sweeps{query}", body)
        work_off()
        return viewer.get(f"/api/sweeps/{job['id']}").json()

    found = swept(promise="there", size=2)["answer"]
    assert ["link:10.0.1.0/31", "link:10.0.2.0/31"] in found["breaking_sets"]["there"]
    assert found["sets"]["tried"] + found["sets"]["not_minimal"] == 4 + 6
    assert swept(promise="their")["status"] == "refused"
    edit = {"at": ["a", "interfaces", "port2", "enabled"], "operation": "set", "file": "", "was": None,
            "value": "false", "before": None, "line": None, "off": False}  # fmt: skip
    sent(client("editor"), "post", "/changes", {"name": "one-way", "purpose": "p", "edits": [edit]})
    shift = swept("?change=one-way", before=True)["answer"]["shift"]
    assert [(one["failed"], one["breaks_now"]) for one in shift["fatal"]] == [
        (["link:10.0.1.0/31"], ["there"])
    ]
    refused = viewer.post(f"{PATH}/sweeps", {"kinds": ["link"], "before": True}, "application/json")
    assert refused.json()["code"] == "no_change"


def test_what_is_suggested_is_taken_or_left(work_off):
    yard = Network.objects.create(slug="quays", title="Yard")
    user = get_user_model().objects.create_user("editor", password="x")
    Membership.objects.create(network=yard, user=user, role="editor")
    add_revision(yard, {f"{n}.yaml": text for n, text in enumerate(yard_texts())}, author=None)
    editor = client("editor")
    job = sent(editor, "post", "/promises/suggestions")
    work_off()

    def told() -> list[list[dict[str, str]]]:
        answer = editor.get(f"/api/promise-suggestions/{job['id']}").json()["answer"]
        return [one["promises"] for one in answer["suggestions"]]

    first, second, *others = told()
    for one in first:
        sent(editor, "post", "/promises", {"name": one["id"], "sentence": one["text"]})
    sent(editor, "post", "/promises/left", {"sentence": second[-1]["text"]})
    assert told() == others
    found = checked(editor, work_off)
    assert (found["broken"], found["kept"]) == (0, len(first))
    sent(editor, "delete", "/promises/left")
    assert told() == [second, *others]


def test_going_back_checks_the_promises_too(quays, work_off):
    editor = client("editor")
    sent(editor, "post", "/promises", {"name": "short", "sentence": THERE})
    add_revision(quays, {**FILES, "a.yaml": FILES["a.yaml"] + "# otherwise\n"}, author=None)
    sent(editor, "post", "/revisions/1/back", {})
    work_off()
    told = editor.get(f"{PATH}/promises/short/history").json()
    assert [(one["revision"], one["kept"]) for one in told] == [(3, True)]


# --- tokens -------------------------------------------------------------------------------------


def token(scope: str, **more: Any) -> tuple[str, int]:
    body = {"name": scope, "scope": scope, "networks": ["quays"], **more}
    answer = client("owner").post("/api/tokens", body, "application/json")
    assert answer.status_code == 201, answer.content
    return answer.json()["secret"], answer.json()["id"]


def shown(secret: str, method: str, path: str, body: Any = None) -> int:
    program = Client(headers={"Authorization": f"Bearer {secret}"}, enforce_csrf_checks=True)
    return getattr(program, method)(path, body, "application/json").status_code


def test_a_token_reaches_what_its_scope_says_and_its_networks_alone(quays):
    other = Network.objects.create(slug="other", title="Other")
    Membership.objects.create(network=other, user=get_user_model().objects.get(username="owner"), role="owner")  # fmt: skip
    add_revision(other, FILES, author=None)
    secrets = {scope: token(scope)[0] for scope in ("read", "import", "change")}
    promise = {"name": "p", "sentence": THERE}
    for method, path, body, statuses in (
        ("get", f"{PATH}/files", None, (200, 200, 200)),
        ("post", f"{PATH}/promises/checks", {}, (202, 202, 202)),
        ("post", f"{PATH}/imports", None, (403, 415, 415)),  # let in, and no files sent
        ("post", f"{PATH}/promises", promise, (403, 403, 201)),
        ("get", f"{PATH}/audit", None, (403, 403, 403)),
        ("get", "/api/networks/other/files", None, (404, 404, 404)),
        ("get", "/api/networks/other/revisions", None, (404, 404, 404)),
        ("get", "/api/tokens", None, (403, 403, 403)),
        ("post", "/api/networks", {"title": "new"}, (403, 403, 403)),
        ("delete", PATH, None, (403, 403, 403)),
    ):  # fmt: skip
        found = tuple(shown(secrets[scope], method, path, body) for scope in secrets)
        assert found == statuses, (method, path)
    told = (
        Client(headers={"Authorization": f"Bearer {secrets['read']}"}).get("/api/networks").json()
    )
    assert [one["slug"] for one in told] == ["quays"]


def test_a_token_ends(quays):
    secret, number = token("read")
    kept = ApiToken.objects.get(pk=number)
    assert secret not in json.dumps([kept.hashed, kept.name])
    assert shown(secret, "get", f"{PATH}/files") == 200
    kept.refresh_from_db()
    assert kept.last_used is not None
    assert client("editor").delete(f"/api/tokens/{number}").status_code == 404  # another's
    assert client("owner").delete(f"/api/tokens/{number}").status_code == 204
    assert shown(secret, "get", f"{PATH}/files") == 403
    late, number = token("read")
    ApiToken.objects.filter(pk=number).update(expires=timezone.now() - timedelta(seconds=1))
    assert shown(late, "get", f"{PATH}/files") == 403
    assert shown("routrel_guess", "get", f"{PATH}/files") == 403


# --- who did what ---------------------------------------------------------------------------------


def test_the_trail_tells_who_did_what_and_stays(quays):
    editor = client("editor")
    sent(editor, "post", "/promises", {"name": "p", "sentence": THERE})
    secret, _ = token("change")
    shown(secret, "delete", f"{PATH}/promises/p")
    owner = client("owner")
    rows = owner.get(f"{PATH}/audit").json()
    assert [(row["who"], row["token"], row["action"], row["text"]) for row in rows] == [
        ("owner", "change", "promises", "dropped the promise p"),
        ("owner", "", "token", "made the token change to change"),
        ("editor", "", "promises", f"promised p: {THERE}"),
    ]
    assert rows[0]["address"] == "127.0.0.1"
    assert [r["text"] for r in owner.get(f"{PATH}/audit?who=editor").json()] == [f"promised p: {THERE}"]  # fmt: skip
    lines = owner.get(f"{PATH}/audit/table?action=token").content.decode().splitlines()
    assert lines[0].startswith("id,created,who,token")
    assert len(lines) == 2
    for change in (lambda all_: all_.update(who="nobody"), lambda all_: all_.delete()):
        with pytest.raises(DatabaseError), transaction.atomic():
            change(AuditEntry.objects.all())
    assert AuditEntry.objects.count() == 3
    # What is run is told once, however often it is asked, and so are members' logins.
    for _ in range(2):
        sent(editor, "post", "/promises/checks", {})
    Client().post("/api/session", {"username": "viewer", "password": "x"}, "application/json")
    told = [(r["who"], r["action"], r["text"]) for r in owner.get(f"{PATH}/audit").json()[:2]]
    job = Job.objects.get()
    assert told == [
        ("viewer", "login", "logged in"),
        ("editor", "run", f"checked the promises in revision 1: job {job.pk}"),
    ]
