"""The API on the real PostgreSQL: sessions, roles, imports, and answers through a lens."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client

from routrel.files.reader import load_texts
from routrel.lens.look import look
from server.executor.work import do_job
from server.networks import jobs
from server.networks.models import Job, Network, PromiseVerdict, UploadedFile
from tests.engine.formats.bundles import addr, bundle

ROOT = Path(__file__).resolve().parents[2]
DEMO = ROOT / "demo"
PASSWORD = "quay-side-lantern"

pytestmark = pytest.mark.django_db


def client(name: str, *, csrf: bool = False) -> Client:
    made = Client(enforce_csrf_checks=csrf)
    made.force_login(get_user_model().objects.get(username=name))
    return made


def upload(name: str, files: dict[str, bytes], slug: str = "demo", **more: str):
    return client(name).post(
        f"/api/networks/{slug}/imports",
        {
            **more,
            "files": [SimpleUploadedFile(Path(path).name, data) for path, data in files.items()],
            "paths": list(files),
        },
    )


def imported(name: str, files: dict[str, bytes], **more: str) -> dict:
    """Upload, run the job as the executor would, and read how it ended."""
    return _ended(name, upload(name, files, **more))


def _ended(name: str, answer) -> dict:
    assert answer.status_code == 202, answer.content
    while (job := jobs.claim()) is not None:  # an import has promises checked too
        assert do_job(job.owner)
    return client(name).get(f"/api/imports/{answer.json()['id']}").json()


def post(name: str, path: str, body: object = None):
    return client(name).post(path, {} if body is None else body, content_type="application/json")


# --- sessions ------------------------------------------------------------------------------------


def test_logging_in_needs_the_csrf_token_and_is_throttled(network):
    """No token: refused. Wrong password: a sentence. After some failures: wait, but not others."""
    visitor = Client(enforce_csrf_checks=True)
    body = {"username": "viewer", "password": PASSWORD}
    assert visitor.post("/api/session", body, "application/json").status_code == 403
    visitor.get("/api/session")
    token = {"HTTP_X_CSRFTOKEN": visitor.cookies["csrftoken"].value}
    wrong = visitor.post("/api/session", {**body, "password": "x"}, "application/json", **token)
    assert (wrong.status_code, wrong.json()["message"]) == (403, "name or password is wrong")
    good = visitor.post("/api/session", body, "application/json", **token)
    assert good.json() == {"username": "viewer"}
    token = {"HTTP_X_CSRFTOKEN": visitor.cookies["csrftoken"].value}
    assert visitor.get("/api/networks").status_code == 200
    assert visitor.delete("/api/session").status_code == 403  # logging out changes state too
    assert visitor.delete("/api/session", **token).status_code == 204
    assert visitor.get("/api/networks").status_code == 403
    visitor.get("/api/session")
    token = {"HTTP_X_CSRFTOKEN": visitor.cookies["csrftoken"].value}
    codes = [
        visitor.post("/api/session", {**body, "password": "x"}, "application/json", **token)
        for _ in range(8)
    ]
    # This browser logged in before: it is counted by its own cookie, and others by the address.
    assert [code.status_code for code in codes] == [403] * 5 + [429] * 3
    assert "wait" in codes[-1].json()["suggestion"]
    for who, status in (("viewer", 200), ("owner", 200)):
        other = Client()
        answer = other.post(
            "/api/session", {"username": who, "password": PASSWORD}, "application/json"
        )
        assert answer.status_code == status


def test_guessing_is_slow_and_locks_nobody_else_out(network):
    """Forged addresses count as the one they came from; the account stays open to its browser."""
    browser, guesser = Client(), Client()
    body = {"username": "viewer", "password": PASSWORD}
    assert browser.post("/api/session", body, "application/json").status_code == 200
    browser.delete("/api/session")
    guesses = [
        guesser.post(
            "/api/session", {**body, "password": "x"}, "application/json",
            headers={"x-forwarded-for": f"192.0.2.{n}"},
        ).status_code
        for n in range(20)
    ]  # fmt: skip
    assert guesses == [403] * 5 + [429] * 15
    assert guesser.post("/api/session", body, "application/json").status_code == 429
    assert browser.post("/api/session", body, "application/json").status_code == 200
    elsewhere = Client(REMOTE_ADDR="192.0.2.9")
    assert elsewhere.post("/api/session", body, "application/json").status_code == 200
    tried = [
        guesser.post(
            "/api/session", {"username": f"n{n}", "password": "x"}, "application/json"
        ).status_code
        for n in range(60)
    ]
    assert 429 in tried
    assert tried[:30] == [403] * 30


def test_a_name_that_nobody_has_costs_a_hash_too(network, monkeypatch):
    """A failed login hashes one password, whoever it is for."""
    hashed = []
    hasher = "django.contrib.auth.hashers.MD5PasswordHasher.encode"
    monkeypatch.setattr(hasher, lambda self, password, salt: hashed.append(password) or "md5$a$b")
    for name in ("viewer", "nobody"):
        Client().post("/api/session", {"username": name, "password": "x"}, "application/json")
    assert hashed == ["x", "x"]


# --- roles ---------------------------------------------------------------------------------------

ACCESS = [
    ("GET", "/api/networks/demo", {"stranger": 404, "viewer": 200, "editor": 200, "owner": 200}),
    ("GET", "/api/networks/demo/chart", {"stranger": 404, "viewer": 200}),
    ("GET", "/api/networks/demo/files/network.yaml", {"stranger": 404, "viewer": 200}),
    ("GET", "/api/networks/demo/find?q=booking", {"stranger": 404, "viewer": 200}),
    ("POST", "/api/networks/demo/imports", {"stranger": 404, "viewer": 403, "editor": 400, "owner": 400}),
    ("PUT", "/api/networks/demo/members", {"stranger": 404, "viewer": 403, "editor": 403, "owner": 400}),
]  # fmt: skip


@pytest.mark.parametrize(("method", "path", "expected"), ACCESS, ids=[a[0] + a[1] for a in ACCESS])
def test_who_may_do_what(network, method, path, expected):
    """Strangers cannot tell a network from none; viewers read; owners manage members."""
    for name, status in expected.items():
        types = {"PUT": "application/json", "POST": "multipart/form-data; boundary=x"}
        content = {"content_type": types[method]} if method in types else {}
        assert client(name).generic(method, path, **content).status_code == status, name


def test_owners_manage_members_and_one_always_stays(network):
    """Add, change, remove; the last owner cannot go."""
    owner = client("owner")

    def put(username: str, role: str | None):
        body = json.dumps({"username": username, "role": role})
        return owner.put("/api/networks/demo/members", body, "application/json")

    assert {"username": "stranger", "role": "viewer"} in put("stranger", "viewer").json()
    assert client("stranger").get("/api/networks/demo").json()["role"] == "viewer"
    assert "stranger" not in str(put("stranger", None).json())
    assert put("owner", None).status_code == 400
    assert put("owner", "viewer").status_code == 400
    assert client("owner").get("/api/networks/demo").json()["role"] == "owner"


# --- imports -------------------------------------------------------------------------------------


def demo_files() -> dict[str, bytes]:
    return {path: text.encode() for path, text in load_texts(DEMO)[0].items()}


def zipped(files: dict[str, bytes], top: str = "net/") -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in files.items():
            archive.writestr(top + path, data)
    return buffer.getvalue()


def test_an_import_becomes_the_next_revision(network):
    """A folder inside a zip gives the same content as the files alone; other files are named."""
    files = {**demo_files(), "notes.txt": b"x"}
    job = imported("editor", {"net.zip": zipped(files)})
    assert (job["status"], job["revision"], job["answer"]["skipped"]) == ("done", 2, ["notes.txt"])
    assert (job["done"], job["total"]) == (len(demo_files()), len(demo_files()))
    first, second = network.revisions.order_by("number")
    assert first.content_hash == second.content_hash
    listed = client("viewer").get("/api/networks/demo/revisions").json()
    assert [(r["number"], r["author"]) for r in listed] == [(2, "editor"), (1, None)]


def test_the_example_of_the_language_can_be_imported(network):
    archive = client("viewer").get("/api/example")
    assert archive["Content-Disposition"] == 'attachment; filename="example.zip"'
    job = imported("editor", {"example.zip": archive.content})
    assert (job["status"], job["revision"]) == ("done", 2), job
    paths = set(network.revisions.get(number=2).files.values_list("path", flat=True))
    assert {"network.yaml", "devices/north-1.yaml", "cases/kiosk-books.yaml"} <= paths


def test_a_broken_import_tells_the_line_and_keeps_nothing(network):
    """The problem cites file and line; the uploaded file can be read in place."""
    files = demo_files()
    broken = files["devices/gul-edge-1.yaml"].replace(b"mtu: 1500", b"mtuu: 1500", 1)
    job = imported("editor", {**files, "devices/gul-edge-1.yaml": broken})
    assert (job["status"], job["revision"], network.revisions.count()) == ("refused", None, 1)
    (problem,) = job["answer"]["problems"]
    assert job["answer"]["problem_count"] == 1
    line = broken.decode().splitlines()[problem["line"] - 1]
    assert (problem["code"], "mtuu" in line) == ("unknown_key", True)
    text = client("viewer").get(f"/api/imports/{job['id']}/files/{problem['file']}").json()["text"]
    assert text == broken.decode()


def test_what_an_import_would_change_is_looked_at_before_it_is_kept(network):
    """One file changed, one new, one gone; nothing is kept until somebody says so."""
    files = demo_files()
    was = files["devices/gul-edge-1.yaml"]
    files["devices/gul-edge-1.yaml"] = was + b"# looked at\n"
    files["devices/far-new-1.yaml"] = b"routrel: 1\ndevice: far-new-1\nrole: router\n"
    del files["observed/tables.csv"]
    for path in [path for path in files if b"\ntables:" in files[path]]:
        del files[path]  # complaints about tables that were read
    looked = imported("editor", files, preview="true")
    assert (looked["status"], looked["revision"], network.revisions.count()) == ("done", None, 1)
    told = looked["answer"]["difference"]
    assert told["revision"] == 1
    by_path = {one["path"]: one for one in told["files"]}
    changed = by_path["devices/gul-edge-1.yaml"]
    assert (changed["what"], changed["device"], changed["lines_added"]) == (
        "changed",
        "gul-edge-1",
        1,
    )
    assert changed["edits"][0]["after"] == "# looked at"
    assert by_path["devices/far-new-1.yaml"]["what"] == "added"
    assert by_path["observed/tables.csv"]["what"] == "removed"
    again = f"/api/imports/{looked['id']}/again"
    assert post("viewer", again, {"after": 1}).status_code == 403
    kept = _ended("editor", post("editor", again, {"after": 1}))
    assert (kept["status"], kept["revision"]) == ("done", 2)
    assert network.revisions.first().texts()["devices/gul-edge-1.yaml"].endswith("# looked at\n")
    assert post("editor", again).status_code == 400  # its files are the revision's now


def test_what_was_looked_at_is_not_kept_over_a_newer_revision(network):
    looked = imported("editor", demo_files(), preview="true")
    assert looked["answer"]["difference"]["files"] == []
    imported("owner", {**demo_files(), "more.hosts": b"10.0.0.1 quay\n"})
    late = _ended("editor", post("editor", f"/api/imports/{looked['id']}/again", {"after": 1}))
    assert (late["status"], network.revisions.count()) == ("refused", 2)
    assert late["message"] == "Revision 2 came meanwhile; look at the difference again."
    anew = _ended("editor", post("editor", f"/api/imports/{late['id']}/again", {"preview": True}))
    network.revisions.get(number=2).delete()  # numbers are never given twice; 1 is the newest again
    again = f"/api/imports/{anew['id']}/again"
    assert _ended("editor", post("editor", again, {"after": 1}))["revision"] == 3
    assert [one["what"] for one in anew["answer"]["difference"]["files"]] == ["removed"]


def test_what_a_lists_columns_are_is_told_once_and_remembered(network):
    """Nobody can guess these columns; told what they are, this import and later ones read them."""
    list_ = b"kit,where to,thru\ndru-core-1,10.99.0.0/16,10.66.24.1\n"
    files = {**demo_files(), "held.csv": list_}
    first = imported("editor", files, preview="true")
    (told,) = [one for one in first["answer"]["files"] if one["path"] == "held.csv"]
    header = ["kit", "where to", "thru"]
    assert (told["verdict"], told["columns"]) == (
        "refused",
        {"header": header, "kind": None, "taken": {}},
    )
    say = {"header": header, "kind": "tables", "taken": {"device": "kit", "prefix": "where to"}}
    remember = "/api/networks/demo/lists"
    for wrong, word in (
        ({**say, "kind": None}, "choose what"),
        ({**say, "taken": {"device": "kit"}}, "say which column is the prefix"),
        ({**say, "taken": {**say["taken"], "colour": "thru"}}, "no column “colour”"),
    ):
        answer = post("editor", remember, wrong)
        assert (answer.status_code, word in answer.json()["message"]) == (400, True), answer.json()
    said = {**say, "taken": {**say["taken"], "next-hop": "thru"}}
    assert post("editor", remember, said).status_code == 200
    again = _ended("editor", post("editor", f"/api/imports/{first['id']}/again", {"preview": True}))
    (told,) = [one for one in again["answer"]["files"] if one["path"] == "held.csv"]
    assert told["columns"]["taken"] == said["taken"]
    assert imported("editor", files)["revision"] == 2
    assert "dru-core-1,,10.99.0.0/16,,10.66.24.1" in network.revisions.first().texts()["held.csv"]


@pytest.mark.parametrize(
    ("files", "part"),
    [
        ({"x.zip": b"PK not really"}, "not readable as zip"),
        ({"../x.yaml": b"routrel: 1"}, "leads out"),
        ({"readme.txt": b"x"}, "no device file"),
        ({"a.zip": zipped({"../../x.yaml": b"x"}, top="")}, "leads out"),
        ({"a.yaml": b"x", "b.zip": zipped({"a.yaml": b"y"}, top="")}, "twice"),
    ],
)
def test_uploads_that_cannot_be_taken_say_why(network, files, part):
    """Broken archives, paths that escape, nothing to read: refused before any job."""
    answer = upload("editor", files)
    assert (answer.status_code, answer.json()["code"]) == (400, "upload_refused")
    assert part in answer.json()["message"]
    assert not Job.objects.exists()


def test_an_import_can_be_cancelled(network, monkeypatch):
    """Before it runs, and while it reads; nothing is kept, and doing it then does nothing."""
    waiting = upload("editor", demo_files()).json()["id"]
    assert client("viewer").post(f"/api/jobs/{waiting}/cancel").status_code == 403
    assert client("editor").post(f"/api/jobs/{waiting}/cancel").json()["status"] == "cancelled"
    assert jobs.claim() is None
    upload("editor", demo_files())
    running = jobs.claim()
    monkeypatch.setattr(
        "server.networks.states.look",
        lambda *a, **k: jobs.cancel_job(running.pk) and look(*a, **k),
    )
    assert not do_job(running.owner)
    running.refresh_from_db()
    assert (running.status, network.revisions.count()) == ("cancelled", 1)
    assert client("editor").post(f"/api/jobs/{running.pk}/cancel").json()["status"] == "cancelled"
    assert client("editor").delete(f"/api/jobs/{running.pk}").status_code == 204
    assert client("editor").get(f"/api/imports/{running.pk}").status_code == 404


def test_files_of_other_formats_become_a_revision_and_tell_what_was_not_understood(network):
    """A router as JSON of YANG models, and one by its kernel's captures, of which a daemon's route
    and a rule that is not covered stay beside what is configured."""
    yang = {"ietf-interfaces:interfaces": {"interface": [
        {"name": "e0", "type": "iana-if-type:ethernetCsmacd", "x:y": 1, "ietf-ip:ipv4": {
            "forwarding": True, "address": [{"ip": "10.0.0.1", "prefix-length": 24}]}}]}}  # fmt: skip
    learnt = {"type": "unicast", "dst": "10.9.0.0/16", "gateway": "10.0.0.1", "dev": "e0",
              "protocol": "bgp", "flags": []}  # fmt: skip
    files = {
        "lab/r1.json": json.dumps(yang).encode(),
        "lab/notes.txt": b"not of the network",
        **{f"lab/{path}": content for path, content in
           bundle("r2", [addr("e0", "10.0.0.2/24")], [learnt]).items()},
    }  # fmt: skip
    job = imported("editor", files)
    assert (job["status"], job["message"][:10]) == ("done", "2 devices "), job
    verdicts = {one["path"]: (one["device"], one["verdict"]) for one in job["answer"]["files"]}
    assert verdicts["r1.json"] == ("r1", "partly")
    assert verdicts["r2/addr.json"] == ("r2", "read")
    (told,) = (one for one in job["answer"]["files"] if one["path"] == "r1.json")
    assert "x:y is not understood" in told["messages"][0]["text"]
    assert job["answer"]["skipped"] == ["notes.txt"]
    ask = client("viewer").get
    found = ask("/api/networks/demo/agreement").json()
    assert [(one["device"], one["equal"], len(one["differences"])) for one in found["devices"]] == [
        ("r2", 1, 1)
    ]
    table = ask("/api/networks/demo/table?device=r2").json()
    assert {row["left"]["protocol"] for row in table["rows"]} == {"connected", "bgp"}, (
        "as its file says"
    )
    computed = ask("/api/networks/demo/table?device=r2&tables=computed")
    assert {row["left"]["protocol"] for row in computed.json()["rows"]} == {"connected", "local"}
    assert "tables=computed" in computed.headers["Routrel-Lens"]
    wrong = ask("/api/networks/demo/table?device=r2&tables=seen").json()
    assert wrong["code"] == "unknown_tables"


def test_an_upload_of_which_nothing_can_be_read_is_refused(network):
    job = imported("editor", {"x.json": b"[1, 2]"})
    assert (job["status"], job["message"]) == (
        "refused",
        "Nothing could be read of any file; nothing was kept.",
    )
    assert job["answer"]["files"][0]["verdict"] == "refused"


def test_uploads_that_became_nothing_are_kept_within_limits(network, work_off, monkeypatch):
    """The files of the newest two refused imports stay; more than a person may hold is refused."""
    monkeypatch.setattr("server.networks.imports._KEPT_UPLOADS", 2)
    ids = [imported("editor", {"r.yaml": b"x: 1\n" * (n + 1)})["id"] for n in range(4)]
    kept = set(UploadedFile.objects.values_list("job", flat=True))
    assert kept == set(ids[1:])  # the oldest goes as the next one comes
    monkeypatch.setattr("server.networks.imports._MOST_HELD_BYTES", 10)
    refused = upload("editor", {"r.yaml": b"x: 1\n"})
    assert (refused.status_code, refused.json()["code"]) == (429, "too_many_jobs")
    assert set(UploadedFile.objects.values_list("job", flat=True)) == set(ids[2:])
    monkeypatch.undo()
    waiting = upload("editor", {"r.yaml": b"x: 1\n"}).json()["id"]
    client("editor").post(f"/api/jobs/{waiting}/cancel")
    assert not UploadedFile.objects.filter(job=waiting).exists()


def test_owners_delete_what_is_theirs(network):
    """A revision, whose number is not given again, and then the network with all in it."""
    assert imported("editor", demo_files())["revision"] == 2
    for path in ("/api/networks/demo/revisions/2", "/api/networks/demo"):
        assert client("editor").delete(path).status_code == 403
    assert client("owner").delete("/api/networks/demo/revisions/2").status_code == 204
    assert client("owner").delete("/api/networks/demo/revisions/2").status_code == 404
    assert imported("editor", demo_files())["revision"] == 3
    assert client("owner").delete("/api/networks/demo").status_code == 204
    assert client("owner").get("/api/networks/demo").status_code == 404
    assert not Job.objects.exists()


# --- answers -------------------------------------------------------------------------------------


def test_answers_are_a_function_of_the_lens(network):
    """The same question through revision 1 is blocked, through 2, with the rule gone, delivered."""
    files = demo_files()
    path = "devices/eas-fw-1.yaml"
    text = files[path].decode()
    rule = next(line for line in text.splitlines() if "id: 30" in line)
    assert (
        imported("editor", {**files, path: text.replace(rule + "\n", "").encode()})["status"]
        == "done"
    )
    question = "/api/networks/demo/flow?from=kiosk-gul&to=booking-db&as=tcp%205432"
    old = client("viewer").get(question + "&revision=1").json()
    new = client("viewer").get(question).json()
    assert (old["forward"]["verdict"], old["forward"]["cause"]["rule"]) == ("filtered", 30)
    assert (new["forward"]["verdict"], new["return"]["verdict"]) == ("delivered", "delivered")


def test_what_fails_in_a_lens_is_honoured_by_every_question(network, work_off):
    """kiosk-gul has gul-edge-1 alone; the revision as it is stays as it was, findings included."""
    viewer = client("viewer")
    question = "/api/networks/demo/flow?from=kiosk-ald&to=kiosk-gul"
    assert viewer.get(question).json()["forward"]["verdict"] == "delivered"
    answer = viewer.get(question + "&fail=device:gul-edge-1&fail=device:gul-edge-1")
    assert answer.headers["Routrel-Lens"] == "revision=1&fail=device%3Agul-edge-1"
    off = answer.json()
    assert off["forward"]["verdict"] != "delivered"
    for again in range(2):  # the second is known
        chart = viewer.get("/api/networks/demo/chart?fail=device:gul-edge-1").json()
        ends = [end for segment in chart["segments"] for end in segment["ends"]]
        assert not any(end["up"] for end in ends if end["device"] == "gul-edge-1"), again
    groups = {s["name"]: [g["name"] for g in s["risk_groups"]] for s in chart["segments"]}
    assert [name for name, of in groups.items() if of] == ["10.66.22.0/31", "10.66.23.0/31"]
    duct = viewer.get("/api/networks/demo/chart?fail=group:quay-duct").json()
    down = {s["name"] for s in duct["segments"] if not any(end["up"] for end in s["ends"])}
    assert down >= {"10.66.22.0/31", "10.66.23.0/31"}
    found = viewer.get("/api/networks/demo/findings?fail=link:10.66.22.0/31").json()
    assert {f["key"] for f in found} != {
        f["key"] for f in viewer.get("/api/networks/demo/findings").json()
    }
    assert viewer.get("/api/networks/demo/findings/notes").status_code == 200
    both = f"{question}&fail=device:gul-edge-1&fail=device:har-yard-1"
    assert viewer.get(both).json()["forward"]["verdict"] == off["forward"]["verdict"]
    for name, says in (
        ("device:gul-edge-9", "there is no device “gul-edge-9” that could fail"),
        ("gul-edge-1", "“gul-edge-1” does not say what has failed"),
    ):
        answer = viewer.get(f"{question}&fail={name}")
        assert (answer.status_code, answer.json()["code"]) == (400, "unknown_failure")
        assert says in answer.json()["message"]
    many = "".join(f"&fail=device:r{number}" for number in range(40))
    assert viewer.get(question + many).json()["code"] == "too_many_failures"
    body = {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}
    path = "/api/networks/demo/remedies"
    plain = post("viewer", path, body).json()["id"]
    failed = post("viewer", f"{path}?fail=interface:gul-edge-1:port1", body).json()["id"]
    assert failed != plain
    assert post("viewer", f"{path}?fail=interface:gul-edge-1:port1", body).json()["id"] == failed


def test_two_lenses_are_compared(network, work_off):
    def compared(query: str) -> dict:
        job = post("viewer", f"/api/networks/demo/comparisons{query}").json()
        work_off()
        return client("viewer").get(f"/api/comparisons/{job['id']}").json()["answer"]

    same = compared("")
    assert (same["flows"], same["routes"]["groups"], same["warnings"]) == ([], [], [])
    told = compared("?fail=interface:gul-edge-1:port1")
    assert {a["neighbour"] for a in told["adjacencies"]["down"]} == {"gul-edge-1"}
    back = compared("?base_revision=1&base_fail=interface:gul-edge-1:port1")
    assert back["adjacencies"]["up"] == told["adjacencies"]["down"]
    assert len(back["flows"]) == len(told["flows"])
    for query, code in (
        ("base_revision=7", "invalid"), ("base_revision=x", "invalid"),
        ("base_fail=link:x:y:z", None), ("base_fail=x", "unknown_failure"),
        ("base_change=none", "not_found"),
    ):  # fmt: skip
        answer = post("viewer", f"/api/networks/demo/comparisons?{query}").json()
        assert answer.get("code") == code, query


def test_wrong_questions_get_a_code_and_a_suggestion(network):
    """Misuse is 400 with a stable code; what is not there is 404."""
    viewer = client("viewer")
    answer = viewer.get("/api/networks/demo/flow?from=kiosk-gull&to=booking-db&as=tcp%201")
    assert (answer.status_code, answer.json()["code"]) == (400, "unknown_endpoint")
    assert "kiosk-gul" in answer.json()["suggestion"]
    assert viewer.get("/api/networks/demo/flow?from=kiosk-gul").json()["code"] == "invalid"
    for revision in ("99", "x", ""):
        assert viewer.get(f"/api/networks/demo/chart?revision={revision}").status_code == 404
    assert viewer.get("/api/networks/demo/table?device=none").json()["code"] == "unknown_name"
    assert viewer.get("/api/networks/demo/holders?q=slip").json()["code"] == "not_a_destination"
    assert viewer.get("/api/networks/demo/why?q=10.64.7.1&device=none").json()["code"] == (
        "unknown_name"
    )


def test_routes_are_grouped_by_exit_explained_and_paged(network):
    """Who holds a prefix; why one device does; and its table, filtered on the server by pages."""
    viewer = client("viewer")
    held = viewer.get("/api/networks/demo/holders", {"q": "10.64.13.0/24"}).json()
    first = held["groups"][0]
    assert (held["matched"], first["exit"]) == ("10.64.13.0/24", "arrives at har-slip-1")
    assert {route["device"] for route in first["routes"]} >= {"har-yard-1", "har-mast-1"}
    assert all(group["falls_back"] for group in held["groups"][1:])
    # A default is a route to itself, and then nobody falls back.
    default = viewer.get("/api/networks/demo/holders", {"q": "0.0.0.0/0"}).json()
    assert not any(group["falls_back"] for group in default["groups"])
    why = {"q": "10.64.13.0/24", "device": "har-yard-2"}
    answer = viewer.get("/api/networks/demo/why", why).json()
    assert [c["lost_on"] for c in answer["candidates"]] == [None, "distance"]
    question = {"device": "gul-edge-1", "contains": "10.66 inter-area", "limit": 5}
    page = viewer.get("/api/networks/demo/table", question).json()
    assert len(page["rows"]) == 5 < page["matching"] < page["total"]
    rest = viewer.get("/api/networks/demo/table", {**question, "offset": 5}).json()["rows"]
    assert rest[0]["prefix"] not in {row["prefix"] for row in page["rows"]}
    both = {"device": "brk-core-1", "other": "cor-core-1"}
    whole = viewer.get("/api/networks/demo/table", both).json()
    differing = viewer.get("/api/networks/demo/table", {**both, "differing": "true"}).json()
    assert 0 < differing["matching"] < whole["matching"]


def test_find_ranks_names_before_text(network):
    """An equal name first; addresses and rules are found; file text last, with its line."""
    viewer = client("viewer")

    def found(words: str, **more):
        return viewer.get("/api/networks/demo/find", {"q": words, **more}).json()

    assert found("booking-db")[0]["value"] == "booking-db"
    assert found("10.64.7.21")[0]["kind"] == "address"
    assert found("wan-in rule 30")[0]["file"] == "devices/eas-fw-1.yaml"
    assert found("closed in spring")[0]["kind"] == "line"
    assert {item["kind"] for item in found("eas", endpoints="true")} == {
        "site", "device", "interface",
    }  # fmt: skip


def test_the_published_description_is_current(tmp_path):
    """web/openapi.json, from which the typed client is made, is what the code says."""
    target = tmp_path / "openapi.json"
    call_command("spectacular", "--format", "openapi-json", "--file", str(target))
    published = (ROOT / "web" / "openapi.json").read_text()
    assert json.loads(target.read_text()) == json.loads(published), "run bin/update-published"
    assert Client().get("/api/schema").status_code == 200


def test_loading_the_demo_twice_changes_nothing(tmp_path, work_off):
    """Three users; of one network two revisions, and the work between them broke two promises; of
    the other, whose files are of other formats, one."""
    password = tmp_path / "password"
    password.write_text(PASSWORD)
    for _ in range(2):
        call_command("load_demo", "--password-file", str(password))
    counts = {
        one.slug: (one.revisions.count(), one.memberships.count()) for one in Network.objects.all()
    }
    assert counts == {"marram": (2, 3), "reedfold": (1, 3)}
    work_off()
    broken: dict[int, set[str]] = {1: set(), 2: set()}
    for found in PromiseVerdict.objects.filter(kept=False).select_related("revision"):
        broken[found.revision.number].add(found.name)
    assert broken == {
        1: {"kiosks-sell-by-ipv6"}, 2: {"kiosks-sell-by-ipv6", "crane-control", "radar-large"},
    }  # fmt: skip


# --- sessions and policies -------------------------------------------------------------------


def test_questions_about_bgp(network, work_off):
    """Sessions with their reasons, a policy tried, and what it would take; refused in words."""
    viewer = client("viewer")
    sessions = viewer.get("/api/networks/demo/sessions").json()
    down = [s for s in sessions["sessions"] if s["state"] != "up"]
    assert [(s["device"], s["state"], s["file"]) for s in down] == [
        ("ald-edge-1", "unreachable", "devices/ald-edge-1.yaml")
    ]
    policies = viewer.get("/api/networks/demo/policies").json()
    assert any("import from Isle Telecom" in p["bound"] for p in policies)

    def tried(route: dict) -> Any:
        body = {"device": "ald-edge-1", "policy": "from-isle", "route": route}
        return viewer.post("/api/networks/demo/policies/try", body, content_type="application/json")

    answer = tried({"prefix": "198.51.100.0/24", "as-path": "64510 64496"}).json()
    assert (answer["result"], answer["statement"]) == ("accept", "customers")
    assert answer["route"]["local-preference"] == 150
    assert tried({"as-path": "64510"}).json()["code"] == "bad_route"
    path = "/api/networks/demo/would-take"

    def searched(q: str, device: str) -> dict:
        started = post("viewer", path, {"q": q, "device": device})
        work_off()
        return viewer.get(f"/api/would-take/{started.json()['id']}").json()

    answers = searched("192.0.2.64/26", "cor-edge-1")["answer"]
    assert {a["lost_on"] for a in answers} == {"weight"}
    assert answers[0]["changes"][0]["moves"]["flows_asked"] > 5
    assert searched("192.0.2.70", "cor-edge-1")["answer"] == answers
    refused = searched("192.0.2.64/26", "x")
    assert (refused["status"], refused["message"]) == (
        "refused", "there is no table default of a device “x”",
    )  # fmt: skip
    assert post("viewer", path, {"q": "slip", "device": "x"}).json()["code"] == "not_a_destination"


def test_places_of_the_chart_are_kept_together(network):
    """Each keeps what the other moved; null lets one go, a reset all; nonsense changes nothing."""
    path = "/api/networks/demo/chart/places"

    def keep(who: str, places: dict) -> int:
        answer = client(who).patch(path, {"places": places}, content_type="application/json")
        return answer.status_code

    assert client("viewer").get(path).json() == {"places": {}}
    assert keep("viewer", {"device a": [1, 2]}) == 403
    assert keep("editor", {"device a": [1, 2], "device b": [3.5, -4]}) == 200
    assert keep("owner", {"device a": [7, 8], "hub 3": [0, 0]}) == 200
    assert keep("editor", {"hub 3": None}) == 200
    kept = {"device a": [7.0, 8.0], "device b": [3.5, -4.0]}
    assert client("viewer").get(path).json() == {"places": kept}
    for wrong in ({"a": [1]}, {"a": [1, 2, 3]}, {"a": [1, 1e9]}, {"a": "b"}, {"x" * 301: [1, 2]}):
        assert keep("editor", wrong) == 400, wrong
    assert client("viewer").get(path).json() == {"places": kept}
    assert client("viewer").delete(path).status_code == 403
    assert client("editor").delete(path).status_code == 204
    assert client("viewer").get(path).json() == {"places": {}}


MASKS = {
    n: f"routrel: 1\ndevice: {n}\nrole: router\ninterfaces: {{e: {{addresses: [10.0.0.{k}/24]}}}}\n"
    for k, n in enumerate(("a", "b", "c"), start=1)
}


def test_findings_tell_since_when_they_are_there_and_are_muted_for_a_reason(network):
    """One wrong mask makes two findings of one cause; it comes, stays, goes, and comes again."""
    wrong = {**MASKS, "c": MASKS["c"].replace("/24", "/16")}
    numbers = []
    for texts in (MASKS, wrong, wrong, MASKS, wrong):
        files = {f"{name}.yaml": text.encode() for name, text in texts.items()}
        numbers.append(imported("editor", files)["revision"])
    viewer, path = client("viewer"), "/api/networks/demo/findings"

    def about_masks(number: int) -> list[dict]:
        found = viewer.get(path, {"revision": number}).json()
        return [finding for finding in found if finding["code"] == "mask_mismatch"]

    first, second = about_masks(numbers[1])
    assert first["group"] == second["group"] == first["key"] != second["key"]
    assert (first["cause"]["file"], set(first["devices"])) == ("c.yaml", {"a", "c"})

    def since(number: int) -> tuple[int | None, int]:
        notes = viewer.get(f"{path}/notes", {"revision": number}).json()
        return notes["since"].get(first["key"]), notes["known_from"]

    # The demo, revision 1, was put there without anybody looking for findings.
    assert [since(number) for number in numbers] == [
        (None, numbers[0]), (numbers[1], numbers[0]), (numbers[1], numbers[0]),
        (None, numbers[0]), (numbers[4], numbers[0]),
    ]  # fmt: skip
    viewer.get(path, {"revision": 1})
    assert since(numbers[2]) == (numbers[1], 1)

    def mute(who: str, reason: str) -> int:
        body = {"reason": reason}
        put = client(who).put(f"{path}/muted/{first['key']}", body, content_type="application/json")
        return put.status_code

    assert [mute("viewer", "no"), mute("editor", ""), mute("editor", "old"), mute("owner", "meant so")] == [
        403, 400, 200, 200,
    ]  # fmt: skip
    [muted] = viewer.get(f"{path}/notes").json()["muted"]
    assert (muted["key"], muted["reason"], muted["author"]) == (first["key"], "meant so", "owner")
    assert client("editor").delete(f"{path}/muted/{first['key']}").status_code == 204
    assert viewer.get(f"{path}/notes").json()["muted"] == []


# --- remedies, comparisons, saved questions ------------------------------------------------------

KIOSK = {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}


def test_remedies_are_searched_by_a_job_that_can_be_cancelled(network, work_off):
    """A viewer may search; strangers see nothing of it; equal questions share one search."""
    path = "/api/networks/demo/remedies"
    assert post("stranger", path, KIOSK).status_code == 404
    started = post("viewer", path, KIOSK).json()
    assert (started["status"], started["answer"]) == ("queued", None)
    assert post("viewer", path, KIOSK).json()["id"] == started["id"]
    work_off()
    assert client("stranger").get(f"/api/remedies/{started['id']}").status_code == 404
    done = client("viewer").get(f"/api/remedies/{started['id']}").json()
    best = done["answer"]["remedies"][0]
    assert (done["status"], best["opens"]) == ("done", 65536)
    assert best["edits"][0]["file"] == "devices/eas-fw-1.yaml"
    assert "permit: tcp" in best["edits"][0]["after"]
    assert post("editor", path, KIOSK).json()["answer"] == done["answer"]
    waiting = post("owner", path, {**KIOSK, "as": "tcp 5433"}).json()["id"]
    assert client("viewer").post(f"/api/jobs/{waiting}/cancel").status_code == 403
    assert client("owner").post(f"/api/jobs/{waiting}/cancel").json()["status"] == "cancelled"


def test_two_flows_are_compared(network):
    query = "from=kiosk-gul&to=booking-db&as=tcp%205432&other_from=kiosk-gul&other_to=booking-web&other_as=tcp%20443"
    answer = client("viewer").get(f"/api/networks/demo/flow/compare?{query}").json()
    assert (answer["direction"], answer["device"]) == ("forward", "eas-fw-1")
    assert answer["other"]["forward"]["verdict"] == "delivered"


def test_a_saved_question_tells_what_changed_since_it_worked(network, work_off):
    """It is blocked; a revision mends it; the next one breaks it again, and the file is named."""
    path = "/api/networks/demo/questions"
    body = {"name": "kiosk books", "folder": "ticketing", "question": KIOSK}
    assert client("viewer").post(path, body, content_type="application/json").status_code == 403
    saved = client("editor").post(path, body, content_type="application/json").json()
    assert (saved["answer"]["works"], saved["since_then"]) == (
        False,
        "It has not worked since it was saved.",
    )
    assert client("editor").post(path, body, content_type="application/json").status_code == 400
    files = demo_files()
    name = "devices/eas-fw-1.yaml"
    rule = next(line for line in files[name].decode().splitlines() if "id: 30" in line)
    mended = {**files, name: files[name].decode().replace(rule + "\n", "").encode()}
    assert imported("editor", mended)["status"] == "done"

    def run(query: str = "") -> dict:
        started = post("editor", f"{path}/run{query}").json()
        work_off()
        assert (
            client("editor").get(f"/api/question-runs/{started['id']}").json()["status"] == "done"
        )
        return client("editor").get(path).json()[0]

    good = run()
    assert (good["answer"]["works"], good["revision"], bool(good["changed"])) == (True, 2, True)
    assert (saved["moved"], good["moved_from"]) == ([], 1)
    forward = next(way for way in good["moved"] if way["direction"] == "forward")
    assert all(way.endswith("→ eas-fw-1: filtered") for way in forward["gone"])
    assert all(way.endswith("→ booking-db") for way in forward["new"])
    assert imported("editor", files)["status"] == "done"
    bad = run(f"?id={saved['id']}")
    assert (bad["answer"]["works"], bad["worked_in"]) == (False, 2)
    assert "Since revision 2 these files changed: devices/eas-fw-1.yaml." in bad["since_then"]
    assert "The way forward was kiosk-gul" in bad["since_then"]
    assert client("viewer").post(f"{path}/run").status_code == 403
    assert client("editor").delete(f"{path}/{saved['id']}").status_code == 204
    assert client("viewer").get(path).json() == []


def test_a_group_is_answered_by_cause_and_class(network):
    query = "from=kiosks&to=10.80.3.0/24&as=tcp%205432"
    answer = client("viewer").get(f"/api/networks/demo/flow?{query}").json()
    assert answer["sentence"].startswith("16 pairs of kiosks and 10.80.3.0/24: blocked by rule 30")
    assert [cause["pair_count"] for cause in answer["causes"]] == [16]
    assert sum(len(one["pairs"]) for one in answer["classes"]) == 16


# --- bodies made to break something --------------------------------------------------------------

TRIAL = {"device": "ald-edge-1", "policy": "from-isle", "route": {"prefix": None}}
CHANGE = {"purpose": "p", "edits": [{}]}
BODIES = [
    ("/changes", json.dumps({**CHANGE, "purpose": "a\0b"}), "parse_error"),
    ("/changes", json.dumps({**CHANGE, "edits": [{"value": "a\0b"}]}), "parse_error"),
    ("/changes", json.dumps({**CHANGE, "edits": [{"\0": 1}]}), "parse_error"),
    ("/changes", json.dumps({**CHANGE, "edits": [{"value": "\ud800"}]}), "parse_error"),
    ("/changes", json.dumps({**CHANGE, "edits": None}), "invalid"),
    ("/changes", '{"a":' * 200_000, "parse_error"),
    ("/changes", "[" * 100_000 + "]" * 100_000, "parse_error"),
    ("/changes", '{"a":' * 40 + "1" + "}" * 40, "parse_error"),
    ("/changes", b"\xff\xfe", "parse_error"),
    ("/changes", "[1]", "invalid"),
    ("/changes", '{"text": NaN}', "parse_error"),
    ("/policies/try", json.dumps(TRIAL), "bad_route"),
    ("/policies/try", json.dumps({**TRIAL, "route": {"prefix": {"a": []}}}), "bad_route"),
    ("/policies/try", json.dumps({**TRIAL, "route": {"as-path": [None]}}), "bad_route"),
    ("/policies/try", json.dumps({**TRIAL, "route": 7}), "invalid"),
    ("/questions", json.dumps({"name": "\ud800", "question": KIOSK}), "parse_error"),
]


@pytest.mark.parametrize(("path", "body", "code"), BODIES, ids=range(len(BODIES)))
def test_bodies_that_cannot_be_kept_are_refused_in_words(network, path, body, code):
    answer = client("editor").post(
        f"/api/networks/demo{path}", body, content_type="application/json"
    )
    assert (answer.status_code, answer.json()["code"]) == (400, code), answer.content[:300]
    assert answer.json()["message"]
