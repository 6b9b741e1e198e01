"""Who may do what, for every operation of the description: a new one without a row here fails."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.db import transaction
from django.test import Client
from django.utils import timezone

from server.networks import jobs
from server.networks.models import (
    ApiToken,
    Change,
    ChangeStep,
    Job,
    SavedQuestion,
    StoredPromise,
    UploadedFile,
)

ROOT = Path(__file__).resolve().parents[3]
PUBLISHED = json.loads((ROOT / "web" / "openapi.json").read_text())
KIOSK = {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}
SENTENCE = "kiosk-gul to booking-web as tcp 443 must be delivered"
PEOPLE = ("nobody", "stranger", "viewer", "editor", "owner")

COST = {"file": "devices/gul-edge-1.yaml",
        "patch": {"kind": "set_key", "path": [], "key": "description", "value": "x"}}  # fmt: skip

EDIT = {"at": ["gul-edge-1", "description"], "operation": "set", "file": "", "was": "x", "value": "y",
        "before": None, "line": None, "off": False}  # fmt: skip

#: Operation: the least that it takes ("anybody" needs no login, "user" no membership), and its body.
ROWS: dict[str, tuple[str, Any]] = {
    "session_get": ("anybody", None),
    "session_login": ("anybody", {"username": "viewer", "password": "x"}),
    "session_logout": ("anybody", None),
    "example": ("user", None),
    "networks_list": ("user", None),
    "networks_create": ("user", {"title": "New"}),
    "networks_get": ("viewer", None),
    "networks_delete": ("owner", None),
    "members_list": ("viewer", None),
    "members_set": ("owner", {"username": "stranger", "role": "viewer"}),
    "revisions_list": ("viewer", None),
    "revisions_delete": ("owner", None),
    "imports_start": ("editor", None),
    "imports_get": ("viewer", None),
    "imports_again": ("editor", {}),
    "lists_kinds": ("viewer", None),
    "lists_remember": ("editor", {"header": ["a"], "kind": "tables", "taken": {}}),
    "imports_file": ("viewer", None),
    "jobs_list": ("viewer", None),
    "jobs_get": ("viewer", None),
    # The job in question is an import that the owner began; a viewer's own is below.
    "jobs_cancel": ("editor", None),
    "jobs_drop": ("editor", None),
    "search_remedies": ("viewer", KIOSK),
    "remedy_search": ("viewer", None),
    "search_would_take": ("viewer", {"q": "10.64.9.0/24", "device": "gul-edge-1"}),
    "would_take": ("viewer", None),
    "search_mending": ("viewer", None),
    "mending": ("viewer", None),
    "saved_questions": ("viewer", None),
    "save_question": ("editor", {"name": "kiosk", "question": KIOSK}),
    "drop_question": ("editor", None),
    "run_questions": ("editor", None),
    "question_run": ("viewer", None),
    "chart_places": ("viewer", None),
    "keep_chart_places": ("editor", {"places": {"device gul-edge-1": [10, 20.5]}}),
    "drop_chart_places": ("editor", None),
    "finding_notes": ("viewer", None),
    "mute_finding": ("editor", {"reason": "meant so"}),
    "unmute_finding": ("editor", None),
    "revisions_back": ("editor", {}),
    "revisions_describe": ("editor", {"name": "n", "note": ""}),
    "compare_lenses": ("viewer", {}),
    "comparison": ("viewer", None),
    "changes": ("viewer", None),
    "make_change": ("editor", {"purpose": "p"}),
    "change": ("viewer", None),
    "edit_change": ("editor", {"version": 1, "purpose": "p", "edits": [EDIT], "text": "t"}),
    "drop_change": ("editor", None),
    "take_change_back": ("editor", None),
    "step_change": ("editor", {"version": 1}),
    "change_seen": ("viewer", None),
    "import_change": ("editor", {"text": "routrel: 1"}),
    "change_file": ("viewer", None),
    "make_sheet": ("viewer", {}),
    "change_sheet": ("viewer", None),
    "accept_change": ("editor", {"version": 1}),
    "accepted_change": ("viewer", None),
    "stored_promises": ("viewer", None),
    "make_promise": ("editor", {"name": "q", "sentence": SENTENCE}),
    "edit_promise": ("editor", {"name": "p", "sentence": SENTENCE}),
    "drop_promise": ("editor", None),
    "promise_file": ("viewer", None),
    "import_promises": ("editor", {"text": f"routrel: 1\npromises: {{r: {SENTENCE}}}\n"}),
    "check_promises": ("viewer", {}),
    "promise_check": ("viewer", None),
    "promise_history": ("viewer", None),
    "impact": ("viewer", None),
    "suggest_promises": ("viewer", {}),
    "suggested_promises": ("viewer", None),
    "leave_suggestion": ("editor", {"sentence": SENTENCE}),
    "suggest_again": ("editor", None),
    "sweep_failures": ("viewer", {"kinds": ["group"]}),
    "sweep": ("viewer", None),
    "tokens_list": ("user", None),
    "tokens_make": ("viewer", {"name": "t", "scope": "read", "networks": ["demo"]}),
    "tokens_revoke": ("its maker", None),  # the owner
    "audit_trail": ("owner", None),
    "audit_table": ("owner", None),
    "edits_of_places": ("viewer", {"places": [{"device": "gul-edge-1", "at": ["description"], "value": "x"}]}),
    "edits_of_proposal": ("viewer", {"changes": [COST]}),
    "edits_of_text": ("viewer", {"file": "network.yaml", "text": "network: x"}),
    "problems_of_text": ("viewer", {"file": "network.yaml", "text": "network: x"}),
    "patch": ("viewer", {"changes": [COST]}),
    "try_policy": ("viewer", {"device": "ald-edge-1", "policy": "from-isle",
                              "route": {"prefix": "198.51.100.0/24"}}),
    **dict.fromkeys(
        ("flow", "compare_flows", "place", "holders", "why", "table", "agreement", "sessions", "bounce", "policies",
         "chart", "device", "findings", "cases", "names", "flows_over", "files", "file", "find"), ("viewer", None)),
}  # fmt: skip
QUERIES = {
    "flows_over": {"ends": "eas-fw-1:port1"},
    "flow": KIOSK, "compare_flows": {**KIOSK, "other_from": "kiosk-gul", "other_to": "booking-web"},
    "impact": {"device": "eas-fw-1"},
    "holders": {"q": "10.64.9.0/24"}, "why": {"q": "10.64.9.0/24", "device": "gul-edge-1"},
    "table": {"device": "gul-edge-1"}, "place": {"device": "gul-edge-1"}, "drop_change": {"version": 1},
    "bounce": {"device": "ald-core-1", "neighbour": "10.255.0.3"},
}  # fmt: skip
#: What keeps anybody out: not there, or not allowed.
SHUT = (403, 404)


def operations() -> list[tuple[str, str, str]]:
    return [
        (described["operationId"], method, path)
        for path, methods in PUBLISHED["paths"].items()
        for method, described in methods.items()
    ]


def test_every_operation_has_a_row():
    assert {name for name, _, _ in operations()} == set(ROWS)


@pytest.mark.django_db
def test_everybody_may_do_what_their_role_says_and_nothing_else(network):
    """Without login 403; strangers 404, as if the network did not exist; members by their role."""
    revision = network.revisions.first()
    owner = get_user_model().objects.get(username="owner")
    kinds = {kind: Job.objects.create(kind=kind, network=network, revision=revision, author=owner)
             for kind in Job.Kind.values}  # fmt: skip
    UploadedFile.objects.create(job=kinds["import"], path="a.yaml", content=b"x")
    question = SavedQuestion.objects.create(network=network, name="q", question=KIOSK)
    StoredPromise.objects.create(network=network, name="p", sentence=SENTENCE)
    token = ApiToken.objects.create(user=owner, name="t", hashed="x", expires=timezone.now())
    Change.objects.create(network=network, name="c", written_on=revision)
    dropped = timezone.now()
    Change.objects.create(network=network, name="gone", written_on=revision, dropped=dropped)
    for made in network.changes.all():
        ChangeStep.objects.create(change=made, number=1, edits=[EDIT], text="begun")
    numbers = {
        "drop_question": question.pk, "imports_get": kinds["import"].pk, "imports_again": kinds["import"].pk,
        "imports_file": kinds["import"].pk, "remedy_search": kinds["remedies"].pk,
        "would_take": kinds["would-take"].pk, "mending": kinds["mend"].pk, "question_run": kinds["questions"].pk,
        "comparison": kinds["compare"].pk, "change_sheet": kinds["sheet"].pk,
        "accepted_change": kinds["accept"].pk, "promise_check": kinds["promises"].pk,
        "sweep": kinds["sweep"].pk, "suggested_promises": kinds["suggest"].pk, "tokens_revoke": token.pk,
    }  # fmt: skip
    wrong = []
    for name, method, path in operations():
        least, body = ROWS[name]
        address = path.format(
            slug="demo", number=1, device="gul-edge-1", id=numbers.get(name, kinds["import"].pk),
            path="a.yaml" if name == "imports_file" else "network.yaml", key="0123456789abcdef",
            name="gone" if name == "take_change_back" else "p" if "promise" in name else "c",
            way="undo",
        )  # fmt: skip
        for person in PEOPLE:
            status = asked(person, method, address, body, QUERIES.get(name))
            if status != expected(person, least, status):
                wrong.append((name, person, status, f"takes {least}"))
    assert wrong == []


def expected(person: str, least: str, status: int) -> int | None:
    """The status that is right; the one there is where any but a refusal is."""
    if least == "anybody":
        return status
    if person == "nobody":
        return 403
    if least == "user":
        return status if status not in SHUT else None
    if person == "stranger" or (least == "its maker" and person != "owner"):
        return 404
    least = "owner" if least == "its maker" else least
    if PEOPLE.index(person) < PEOPLE.index(least):
        return 403
    return status if status not in SHUT and status < 500 else None


def asked(person: str, method: str, address: str, body: Any, query: Any) -> int:
    """The status of one request, whose effects are taken back."""
    browser = Client()
    if person != "nobody":
        browser.force_login(get_user_model().objects.get(username=person))
    point = transaction.savepoint()
    try:
        if method == "post" and address.endswith("/imports"):
            return browser.post(address).status_code
        if body is not None:
            return getattr(browser, method)(address, body, "application/json").status_code
        return getattr(browser, method)(address, query or {}).status_code
    finally:
        transaction.savepoint_rollback(point)


@pytest.mark.django_db
def test_a_viewer_cancels_only_what_they_began(network):
    """Their own search; neither another's search nor another's import."""
    people = {name: get_user_model().objects.get(username=name) for name in ("viewer", "editor")}
    revision = network.revisions.first()
    browser = Client()
    browser.force_login(people["viewer"])
    for who, kind, status in (
        ("viewer", Job.Kind.REMEDIES, 200), ("editor", Job.Kind.REMEDIES, 403),
        ("editor", Job.Kind.IMPORT, 403),
    ):  # fmt: skip
        job = jobs.start_job(kind, network, people[who].pk, revision=revision, question={"n": who})
        assert browser.post(f"/api/jobs/{job.pk}/cancel").status_code == status
        assert browser.delete(f"/api/jobs/{job.pk}").status_code == (204 if status == 200 else 403)
