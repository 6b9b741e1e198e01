"""Real answers have the published shape: every field declared, nothing else, of every question."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import jsonschema
import pytest
from django.test import Client
from typer.testing import CliRunner

from routrel.answers.schema import answers_schema
from routrel.cli.app import app
from routrel.questions.flow import FlowQuestion
from server.networks.models import Job
from server.networks.states import view_of
from tests.engine.forwarding.test_stages import ROWS, A, B
from tests.nets import state
from tests.server.test_api import client, imported
from tests.server.test_changes import QUAYS
from tests.told import answer_flow

ROOT = Path(__file__).resolve().parents[3]
PUBLISHED = json.loads((ROOT / "web" / "openapi.json").read_text())
COMMANDS = json.loads((ROOT / "docs" / "answers.schema.json").read_text())

pytestmark = pytest.mark.django_db


def closed(schema: Any) -> Any:
    """A schema of the description that allows no field it does not name."""
    if isinstance(schema, list):
        return [closed(item) for item in schema]
    if not isinstance(schema, dict):
        return schema
    made = {key: closed(value) for key, value in schema.items()}
    if isinstance(schema.get("properties"), dict) and "additionalProperties" not in schema:
        made["additionalProperties"] = False
    return made


COMPONENTS = closed(PUBLISHED["components"]["schemas"])


def check(answer: Any, schema: Any, what: str) -> None:
    """Fail with the first field that is not as published."""
    whole = {**closed(schema), "components": {"schemas": COMPONENTS}}
    errors = sorted(jsonschema.Draft202012Validator(whole).iter_errors(answer), key=str)
    told = [f"{'/'.join(map(str, e.absolute_path))}: {e.message[:200]}" for e in errors[:3]]
    assert not errors, (what, told)


def component(name: str) -> dict[str, str]:
    return {"$ref": f"#/components/schemas/{name}"}


def published(method: str, path: str, status: int) -> Any:
    """The schema of an answer; None where it has no body."""
    content = PUBLISHED["paths"][path][method]["responses"][str(status)].get("content", {})
    return content.get("application/json", {}).get("schema")


KIOSK = {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}
QUESTIONS = [
    ("", {}),
    ("/members", {}),
    ("/revisions", {}),
    ("/cases", {}),
    ("/jobs", {}),
    ("/chart", {}),
    ("/findings", {}),
    ("/files", {}),
    ("/files/{path}", {"path": "network.yaml"}),
    ("/find", {"q": "booking"}),
    ("/find", {"q": "10.64.9.1"}),
    *(("/devices/{device}", {"device": name}) for name in ("eas-fw-1", "gul-edge-1", "kiosk-gul")),
    ("/flow", KIOSK),
    ("/flow", {"from": "kiosks", "to": "10.80.0.0/16", "as": "tcp 443"}),
    ("/flow", {"from": "har-yard-2", "to": "10.64.10.9"}),
    ("/flow/compare", {**KIOSK, "other_from": "kiosk-ald", "other_to": "booking-db", "other_as": "tcp 5432"}),
    ("/holders", {"q": "10.64.10.0/24"}),
    ("/holders", {"q": "198.51.100.7"}),
    *(("/why", {"q": q, "device": d, "vrf": "default"}) for q, d in (
        ("10.64.10.0/24", "har-yard-1"), ("198.51.100.0/24", "ald-edge-1"), ("10.64.9.0/24", "gul-edge-1"),
        ("203.0.113.1", "eas-fw-1"))),
    ("/table", {"device": "gul-edge-1", "vrf": "default"}),
    ("/table", {"device": "gul-edge-1", "vrf": "default", "other": "ald-core-1"}),
    ("/sessions", {}),
    ("/lists", {}),
    ("/agreement", {}),
    ("/sessions/bounce", {"device": "ald-core-1", "vrf": "default", "neighbour": "10.255.0.3"}),
    ("/policies", {}),
    ("/changes", {}),
    ("/changes/{name}", {"name": "c"}),
    ("/changes/{name}/seen", {"name": "c"}),
    ("/place", {"device": "gul-edge-1", "at": "interfaces"}),
    ("/place", {"device": "gul-edge-1"}),
    ("/chart/places", {}),
    ("/findings/notes", {}),
    ("/names", {}),
    ("/flows-over", {"ends": "eas-fw-1:port1"}),
    ("/questions", {}),
    ("/promises", {}),
    ("/promises/impact", {"device": "eas-fw-1"}),
    ("/promises/{name}/history", {"name": "kiosks-sell"}),
    ("/audit", {}),
]  # fmt: skip


def asked(person: Client, path: str, values: dict[str, str]) -> Any:
    """The answer to a question, held against its shape."""
    pattern = "/api/networks/{slug}" + path
    parts = {key: value for key, value in values.items() if f"{{{key}}}" in path}
    query = urlencode({key: value for key, value in values.items() if key not in parts})
    answer = person.get(f"{pattern.format(slug='demo', **parts)}?{query}")
    assert answer.status_code == 200, (pattern, answer.content[:300])
    check(answer.json(), published("get", pattern, 200), f"{pattern} {values}")
    return answer.json()


def test_answers_have_the_published_shape(network):
    """Every question of the API; the person is an owner, who sees all there is."""
    person = client("owner")
    place = {"device": "gul-edge-1", "at": ["description"], "value": "x"}
    edits = person.post("/api/networks/demo/edits/places", {"places": [place]}, "application/json")
    made = {"name": "c", "edits": edits.json()}
    assert person.post("/api/networks/demo/changes", made, "application/json").status_code == 201
    for path, values in QUESTIONS:
        asked(person, path, values)
    check(person.get("/api/networks").json(), published("get", "/api/networks", 200), "networks")
    check(person.get("/api/session").json(), published("get", "/api/session", 200), "session")
    known = {"/api/networks/{slug}" + path for path, _ in QUESTIONS}
    others = {"/api/schema", "/api/example", "/api/session", "/api/networks", "/api/imports/{id}",
              "/api/imports/{id}/files/{path}", "/api/remedies/{id}", "/api/would-take/{id}", "/api/mending/{id}",
              "/api/question-runs/{id}", "/api/jobs/{id}", "/api/comparisons/{id}",
              "/api/sheets/{id}", "/api/accepted/{id}", "/api/promise-checks/{id}",
              "/api/sweeps/{id}", "/api/networks/{slug}/promises/file", "/api/tokens",
              "/api/promise-suggestions/{id}", "/api/networks/{slug}/audit/table",
              "/api/networks/{slug}/changes/{name}/file"}  # fmt: skip
    read = {path for path, methods in PUBLISHED["paths"].items() if "get" in methods}
    assert read <= known | others, "an endpoint that no question here asks"


#: Where jobs of a kind are found, if not under its name.
FOLDERS = {
    "import": "imports", "questions": "question-runs", "compare": "comparisons",
    "sheet": "sheets", "accept": "accepted", "promises": "promise-checks", "sweep": "sweeps",
    "suggest": "promise-suggestions", "mend": "mending",
}  # fmt: skip


def test_what_is_posted_is_answered_in_the_published_shape(network, work_off):
    """Imports, remedies, saved questions, changes, comparisons and policy trials."""
    person = client("owner")
    job = imported("owner", {"x/network.yaml": b"routrel: 1\nnetwork: {}\n"})
    check(job, published("get", "/api/imports/{id}", 200), "import")
    base = "/api/networks/demo"
    trial = {"device": "ald-edge-1", "policy": "from-isle",
             "route": {"prefix": "198.51.100.0/24", "as-path": "64510 64496"}}  # fmt: skip
    place = {"device": "gul-edge-1", "at": ["description"], "value": "x"}
    edit = person.post(f"{base}/edits/places", {"places": [place]}, "application/json").json()
    told = {"file": "network.yaml", "text": "network: x"}
    patch = {"kind": "set_key", "path": [], "key": "description", "value": "y"}
    proposal = {"changes": [{"file": "devices/gul-edge-1.yaml", "patch": patch}]}
    for path, body in (
        ("/policies/try", trial),
        ("/edits/places", {"places": [place]}),
        ("/edits/proposal", proposal),
        ("/edits/text", told),
        ("/patch", proposal),
        ("/problems", told),
        ("/changes", {"name": "c", "edits": edit}),
        ("/changes/{name}/sheets", {}),
        ("/changes/{name}/accept", {"version": 1}),
        ("/comparisons", {}),
        ("/questions", {"name": "kiosk", "question": KIOSK}),
        ("/remedies", KIOSK),
        ("/would-take", {"q": "198.51.100.0/24", "device": "ald-edge-1"}),
        ("/mending", {}),
        ("/questions/run", {}),
        ("/promises", {"name": "p", "sentence": "kiosk-gul to booking-web must be delivered"}),
        ("/promises/file", {"text": "routrel: 1\npromises: {q: r1 to r2 must be delivered}\n"}),
        ("/promises/checks", {}),
        ("/promises/suggestions", {}),
        ("/sweeps", {"kinds": ["group"]}),
    ):
        address = base + path.format(name="c")
        answer = person.post(address, body, "application/json")
        assert answer.status_code in (200, 201, 202), (path, answer.content[:300])
        pattern = "/api/networks/{slug}" + path
        check(answer.json(), published("post", pattern, answer.status_code), pattern)
    work_off()
    for held in Job.objects.all():
        folder = FOLDERS.get(held.kind, held.kind)
        ended = person.get(f"/api/{folder}/{held.pk}").json()
        assert ended["status"] in ("done", "refused"), ended
        check(ended, published("get", f"/api/{folder}/{{id}}", 200), folder)
        one = person.get(f"/api/jobs/{held.pk}").json()
        check(one, published("get", "/api/jobs/{id}", 200), "job")
    assert {job.kind for job in Job.objects.all()} == set(Job.Kind.values)


def test_errors_have_the_published_shape(network):
    """What is refused, not there or not allowed, and an address that nobody has."""
    person = client("viewer")
    for method, path, status in (
        ("get", "/api/networks/demo/flow?from=nobody&to=booking-db", 400),
        ("get", "/api/networks/demo/flow", 400),
        ("get", "/api/networks/demo/devices/none", 404),
        ("get", "/api/networks/none", 404),
        ("get", "/api/networks/demo/files/a%00b", 404),
        ("get", "/api/nothing/at/all", 404),
        ("delete", "/api/networks/demo", 403),
        ("post", "/api/networks/demo/chart", 405),
    ):
        answer = getattr(person, method)(path)
        assert answer.status_code == status, path
        check(answer.json(), {"$ref": "#/components/schemas/ErrorShape"}, path)
        assert answer["X-Request-Id"] == answer.json()["request"]
        assert answer["Cache-Control"] == "no-store"


def test_every_flow_of_the_demo_has_the_published_shape(network):
    """All kept flows, whatever stages and obstacles they meet."""
    demo = view_of(network.revisions.first())
    flows = [case.question for case in demo.cases if case.question]
    assert len(flows) > 20
    for one in flows:
        question = FlowQuestion(
            source=one.source, destination=one.destination, traffic=one.traffic, size=one.size
        )
        check(answer_flow(demo.state, question), component("FlowData"), f"{one}")


def test_every_kind_of_stage_has_the_published_shape():
    """The nets of the packet tests, which between them meet every stage and every cause."""
    kinds = set()
    for name, texts, more, _ in ROWS:
        asked = {"source": "a", "destination": "b", "traffic": "tcp 80", "both": True, **more}
        answer = answer_flow(state(A, B, *texts.split("---\n")), FlowQuestion(**asked))
        check(answer, component("FlowData"), name)
        for branch in (answer["return"] or answer["forward"])["branches"]:
            stages = [stage for hop in branch["hops"] for stage in hop["stages"]]
            kinds |= {stage["evidence"]["kind"] for stage in stages if stage["evidence"]}
    assert {"answer", "filter", "translation", "steering", "route", "receive"} <= kinds


EVENTS = ROOT / "demo" / "events" / "day.jsonl"
PRINTED = [
    (["check"], "check"),
    (["routes", "--device", "gul-edge-1"], "routes"),
    (["routes", "--address", "198.51.100.7", "--why"], "routes"),
    (["routes", "--address", "198.51.100.7", "--device", "ald-edge-1", "--why"], "routes"),
    (["sessions"], "sessions"),
    (["agreement"], "agreement"),
    (["compare", "--fail", "device:gul-edge-1"], "compare"),
    (["sessions", "--device", "ald-core-1", "--bounce", "10.255.0.3"], "sessions --bounce"),
    (["flow", "--from", "har-yard-2", "--to", "10.64.10.9", "--both"], "flow"),
    (["flow", "--from", "kiosk-gul", "--to", "booking-db", "--as", "tcp 5432", "--remedies"], "flow"),
    (["flow", "--from", "kiosks", "--to", "10.80.0.0/16", "--as", "tcp 443"], "flow"),
    (["promises", "--no-failures"], "promises"),
    (["sweep", "--kind", "group"], "sweep"),
    (["suggest"], "suggest"),
    (["events", "--file", str(EVENTS)], "events"),
    (["eras", "--events", str(EVENTS), "--from", "kiosk-gul", "--to", "booking-db", "--both",
      "--span", "2026-01-05T09:00:00Z/2026-01-05T09:40:00Z"], "eras"),
    (["health", "--events", str(EVENTS)], "health"),
    (["kept", "--events", str(EVENTS), "--promise", "kiosks-by-firewall",
      "--span", "2026-01-05T09:00:00Z/2026-01-05T09:40:00Z"], "kept"),
    (["policy", "--device", "ald-edge-1", "--policy", "from-isle", "--route",
      '{"prefix": "198.51.100.0/24", "as-path": "64510 64496"}'], "policy"),
]  # fmt: skip


@pytest.mark.parametrize(("words", "name"), PRINTED, ids=[" ".join(p[0])[:60] for p in PRINTED])
def test_commands_print_the_published_shape(words, name, tmp_path):
    folder = ROOT / "demo"
    if name == "suggest":  # which fails every link of a network
        folder = tmp_path
        for path, text in QUAYS.items():
            (folder / path).write_text(text)
    done = CliRunner().invoke(app, [words[0], str(folder), *words[1:], "--json"])
    schema = {**COMMANDS["properties"][name], "$defs": COMMANDS["$defs"]}
    errors = sorted(
        jsonschema.Draft202012Validator(schema).iter_errors(json.loads(done.stdout)), key=str
    )
    told = [f"{'/'.join(map(str, e.absolute_path))}: {e.message[:200]}" for e in errors[:3]]
    assert not errors, told


def test_the_published_schema_of_commands_is_the_codes():
    assert json.loads(json.dumps(answers_schema())) == COMMANDS
    assert set(COMMANDS["properties"]) == {name for _, name in PRINTED}
