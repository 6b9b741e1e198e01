"""Changes on the server: one way from the first edit to the revision that it becomes."""

from __future__ import annotations

import json
from typing import Any

import pytest
import yaml
from django.contrib.auth import get_user_model

from server.networks.imports import add_revision
from server.networks.models import Change, ChangeStep, Membership, Network
from tests.server.test_api import client, post

pytestmark = pytest.mark.django_db

PATH = "/api/networks/quays/changes"


def router(name: str, number: int, *lines: str) -> str:
    return "\n".join(
        (f"routrel: 1\ndevice: {name}\nrole: router\nospf: {{router-id: 10.255.0.{number}}}",
         "interfaces:", *(f"  {line}" for line in lines), "")
    )  # fmt: skip


def host(name: str, net: int) -> str:
    return (
        f"routrel: 1\ndevice: {name}\nrole: host\ngateway: 10.{net}.0.1\n"
        f"interfaces: {{port1: {{addresses: [10.{net}.0.9/24]}}}}\n"
    )


#: Two routers with a link of cost 10 and one of cost 20, a host behind each.
QUAYS = {
    "a.yaml": router(
        "a", 1,
        "port1: {addresses: [10.0.1.0/31], ospf: {area: 0, cost: 10}}  # the short one",
        "port2: {addresses: [10.0.2.0/31], ospf: {area: 0, cost: 20}}",
        "lan1: {addresses: [10.1.0.1/24], ospf: {area: 0, passive: true}}",
    ),
    "b.yaml": router(
        "b", 2,
        "port1: {addresses: [10.0.1.1/31], ospf: {area: 0, cost: 10}}",
        "port2: {addresses: [10.0.2.1/31], ospf: {area: 0, cost: 20}}",
        "lan1: {addresses: [10.2.0.1/24], ospf: {area: 0, passive: true}}",
    ),
    "north.yaml": host("north", 1),
    "south.yaml": host("south", 2),
    "kept.yaml": "routrel: 1\ncase: ask\ntitle: it asks\nstory: it does\nquestion: {from: north, to: south}\n"
                 "expect: {forward: delivered}\n",
}  # fmt: skip


@pytest.fixture
def quays():
    made = Network.objects.create(slug="quays", title="Quays")
    for name in ("viewer", "editor", "owner"):
        user = get_user_model().objects.create_user(name, password="x")
        Membership.objects.create(network=made, user=user, role=name)
    add_revision(made, QUAYS, author=None)
    return made


def cost(value: int, device: str = "a", was: int = 10) -> dict[str, Any]:
    return {
        "at": [device, "interfaces", "port1", "ospf", "cost"], "operation": "set", "file": "",
        "was": str(was), "value": str(value), "before": None, "line": None, "off": False,
    }  # fmt: skip


def put(name: str, path: str, body: object):
    return client(name).put(path, json.dumps(body), content_type="application/json")


def way(query: str = "") -> str:
    """By which port a packet from north leaves a."""
    answer = client("viewer").get(f"/api/networks/quays/flow?from=north&to=south{query}").json()
    hops = answer["forward"]["branches"][0]["hops"]
    return next(hop["out"] for hop in hops if hop["device"] == "a")


def test_a_change_is_a_lens_and_becomes_a_revision(quays, work_off):
    made = post("editor", PATH, {"purpose": "Use the long one", "edits": [cost(50)]}).json()
    assert (made["name"], made["version"], made["edits"]) == ("use-the-long-one", 1, 1)
    assert (way(), way("&change=use-the-long-one")) == ("port1", "port2")
    answer = client("viewer").get("/api/networks/quays/files/a.yaml?change=use-the-long-one")
    assert "cost: 50}}  # the short one" in answer.json()["text"]
    both = client("viewer").get(
        "/api/networks/quays/flow?from=north&to=south&fail=link:10.0.2.0/31&change=use-the-long-one"
    )
    assert both.headers["Routrel-Lens"] == (
        "revision=1&change=use-the-long-one&fail=link%3A10.0.2.0%2F31"
    )
    assert both.json()["forward"]["verdict"] == "delivered"
    seen = client("viewer").get(f"{PATH}/use-the-long-one/seen").json()
    assert [edit["place"] for edit in seen["edits"]] == ["a interfaces port1 ospf cost"]
    assert "-  port1" in seen["patch"]
    assert [edit["value"] for edit in seen["roll_back"]] == ["10"]

    query = "change=use-the-long-one"
    job = post("viewer", f"/api/networks/quays/comparisons?{query}").json()
    sheet = post("viewer", f"{PATH}/use-the-long-one/sheets").json()
    again = post("viewer", f"/api/networks/quays/comparisons?{query}").json()
    assert again["id"] == job["id"]
    assert work_off() == 2
    found = client("viewer").get(f"/api/comparisons/{job['id']}").json()["answer"]
    assert [warning["code"] for warning in found["warnings"]] == ["one_direction"]
    told = client("viewer").get(f"/api/sheets/{sheet['id']}").json()["answer"]
    assert told["sheet"]["order"] == "One step: 1 kept flow arrives before and after it."
    assert told["markdown"].startswith("# use-the-long-one\n\nUse the long one\n")

    body = {"version": 1, "reason": "the short one is worked on"}
    assert post("viewer", f"{PATH}/use-the-long-one/accept", body).status_code == 403
    job = post("editor", f"{PATH}/use-the-long-one/accept", body).json()
    work_off()
    ended = client("editor").get(f"/api/accepted/{job['id']}").json()
    assert (ended["status"], ended["answer"]["revision"]) == ("done", 2), ended
    assert way() == "port2"
    newest = client("viewer").get("/api/networks/quays/revisions").json()[0]
    assert (newest["number"], newest["change"], newest["note"], newest["author"]) == (
        2, "use-the-long-one", "the short one is worked on", "editor",
    )  # fmt: skip
    # What is accepted stays as it is, and stays a lens of the revision that it was made to.
    assert put("editor", f"{PATH}/use-the-long-one", says(1)).json()["code"] == "change_refused"
    assert (way("&revision=1"), way(f"&revision=1&{query}")) == ("port1", "port2")

    back = post("editor", "/api/networks/quays/revisions/1/back", {"reason": "it was too slow"})
    assert (back.json()["number"], back.json()["note"]) == (
        3, "back to revision 1: it was too slow",
    )  # fmt: skip
    assert way() == "port1"
    twice = post("editor", "/api/networks/quays/revisions/1/back")
    assert twice.json()["code"] == "change_refused"
    words = {"name": "as in spring", "note": "quiet"}
    assert put("editor", "/api/networks/quays/revisions/3", words).json()["name"] == "as in spring"


def says(version: int, *edits: Any, purpose: str = "p", text: str = "did it") -> dict[str, Any]:
    return {"version": version, "purpose": purpose, "edits": edits, "text": text}


def test_two_people_at_one_change_lose_nothing(quays):
    post("editor", PATH, {"name": "both", "edits": [cost(50)]})
    first = put("editor", f"{PATH}/both", says(1, cost(60), text="cost 60"))
    assert (first.status_code, first.json()["version"]) == (200, 2)
    late = put("owner", f"{PATH}/both", says(1, cost(70)))
    assert (late.status_code, late.json()["code"]) == (409, "edited_meanwhile")
    assert late.json()["message"] == "editor did this: cost 60, after you read the change"
    assert client("owner").delete(f"{PATH}/both?version=1").json()["code"] == "edited_meanwhile"
    assert post("owner", f"{PATH}/both/undo", {"version": 1}).json()["code"] == "edited_meanwhile"
    accept = post("owner", f"{PATH}/both/accept", {"version": 1})
    assert accept.json()["code"] == "edited_meanwhile"


def test_what_was_done_is_undone_and_redone_until_something_else_is_done(quays):
    def edits() -> list[str]:
        return [edit["value"] for edit in Change.objects.get().said.edits]

    post("editor", PATH, {"name": "c", "edits": [cost(50)]})
    put("editor", f"{PATH}/c", says(1, cost(60), text="cost 60"))
    undone = post("editor", f"{PATH}/c/undo", {"version": 2}).json()
    assert (undone["step"], [step["text"] for step in undone["steps"]]) == (1, ["begun", "cost 60"])
    assert edits() == ["50"]
    assert post("editor", f"{PATH}/c/undo", {"version": 3}).json()["code"] == "change_refused"
    assert post("editor", f"{PATH}/c/redo", {"version": 3}).json()["step"] == 2
    assert edits() == ["60"]
    post("editor", f"{PATH}/c/undo", {"version": 4})
    put("editor", f"{PATH}/c", says(5, cost(70), text="cost 70"))
    assert post("editor", f"{PATH}/c/redo", {"version": 6}).json()["code"] == "change_refused"
    assert edits() == ["70"]
    assert client("editor").delete(f"{PATH}/c?version=6").status_code == 204
    assert client("viewer").get(PATH).json() == []
    assert client("viewer").get("/api/networks/quays/chart?change=c").status_code == 404
    assert post("editor", f"{PATH}/c/back").json()["edits"] == 1
    taken = post("editor", PATH, {"name": "c"})
    assert taken.json()["code"] == "change_refused"


def test_the_name_of_a_dropped_change_is_free_and_nothing_is_lost(quays):
    post("editor", PATH, {"name": "c", "edits": [cost(50)]})
    client("editor").delete(f"{PATH}/c?version=1")
    assert post("editor", PATH, {"name": "c"}).status_code == 201
    assert post("editor", f"{PATH}/c/back").json()["code"] == "not_found"
    assert post("editor", f"{PATH}/c-2/back").json()["edits"] == 1
    assert {change["name"] for change in client("viewer").get(PATH).json()} == {"c", "c-2"}


def test_a_change_on_top_of_another_is_made_after_it(quays, work_off):
    post("editor", PATH, {"name": "low", "edits": [cost(15)]})
    post("editor", PATH, {"name": "high", "below": "low", "edits": [cost(50, was=15)]})
    assert way("&change=high") == "port2"
    assert "cost: 15" in client("viewer").get(f"{PATH}/high/seen").json()["patch"]
    dropped = client("editor").delete(f"{PATH}/low?version=1")
    assert dropped.json()["message"] == "high stands on it; drop that one first"
    early = post("editor", f"{PATH}/high/accept", {"version": 1})
    assert early.json()["message"] == "it stands on low; accept that one first"
    for name in ("low", "high"):
        post("editor", f"{PATH}/{name}/accept", {"version": 1})
        work_off()
    assert [change.became.number for change in Change.objects.order_by("pk")] == [2, 3]


def test_an_edit_whose_place_is_another_now_is_a_conflict_and_is_never_made(quays, work_off):
    post("editor", PATH, {"name": "mine", "edits": [cost(50), cost(50, "b")]})
    add_revision(quays, {**QUAYS, "a.yaml": QUAYS["a.yaml"].replace("10}", "30}")}, author=None)
    seen = client("viewer").get(f"{PATH}/mine/seen").json()
    first, second = seen["edits"]
    assert first["conflict"] == {
        "text": "a interfaces port1 ospf cost: it replaces “10”, but “30” stands there now",
        "was": "10", "now": "30", "wanted": "50",
    }  # fmt: skip
    assert (second["conflict"], len(second["lines"])) == (None, 1)
    through = client("viewer").get("/api/networks/quays/chart?change=mine")
    assert (through.status_code, through.json()["code"]) == (400, "change_conflicts")
    job = post("editor", f"{PATH}/mine/accept", {"version": 1}).json()
    work_off()
    ended = client("editor").get(f"/api/accepted/{job['id']}").json()
    assert (ended["status"], quays.revisions.count()) == ("refused", 2)
    assert ended["message"].startswith("It does not fit revision 2: a interfaces port1 ospf cost")
    put("editor", f"{PATH}/mine", says(1, cost(50, was=30), cost(50, "b"), text="carried over"))
    assert way("&change=mine") == "port2"


def test_what_cannot_be_accepted_keeps_nothing(quays, work_off):
    gone = {**cost(1), "operation": "remove", "value": None, "at": ["a", "interfaces", "lan1"],
            "was": "{addresses: [10.1.0.1/24], ospf: {area: 0, passive: true}}"}  # fmt: skip
    odd = {**cost(0), "at": ["a", "site"], "was": None, "value": "nowhere"}
    for name, edits, says_ in (
        ("odd", [gone, odd], "The files would have 1 problem; nothing was kept."),
        ("same", [cost(10)], "It changes nothing; there is no new revision to make."),
    ):
        post("editor", PATH, {"name": name, "edits": edits})
        job = post("editor", f"{PATH}/{name}/accept", {"version": 1}).json()
        work_off()
        ended = client("editor").get(f"/api/accepted/{job['id']}").json()
        assert (ended["status"], ended["message"]) == ("refused", says_)
    late = post("editor", PATH, {"name": "late", "edits": [cost(50)]}).json()
    job = post("editor", f"{PATH}/late/accept", {"version": late["version"]}).json()
    add_revision(quays, {**QUAYS, "b.yaml": QUAYS["b.yaml"] + "# more\n"}, author=None)
    work_off()
    ended = client("editor").get(f"/api/accepted/{job['id']}").json()
    assert ended["message"] == "Nothing was kept: revision 2 came meanwhile; look at it first."
    assert quays.revisions.count() == 2


def test_change_files_are_read_and_written(quays):
    post(
        "editor",
        PATH,
        {"name": "out", "purpose": "why", "edits": [cost(50), {**cost(60, "b"), "off": True}]},
    )
    text = client("viewer").get(f"{PATH}/out/file").content.decode()
    assert yaml.safe_load(text)["edits"] == [
        {"at": "a interfaces port1 ospf cost", "was": 10, "set": 50},
        {"at": "b interfaces port1 ospf cost", "was": 10, "set": 60, "skip": True},
    ]
    read = post("editor", f"{PATH}/import", {"text": text}).json()
    assert (read["name"], read["purpose"]) == ("out-2", "why")  # its own name is taken
    one, other = ChangeStep.objects.filter(change__network=quays)
    assert one.edits == other.edits
    bad = post("editor", f"{PATH}/import", {"text": text.replace("set: 50", "put: 50")}).json()
    assert bad["code"] == "change_unreadable"
    assert bad["message"].startswith("the change file:")


ODD = [
    ({"value": "["}, "bad_edit"), ({"value": "[" * 100_000}, "bad_edit"), ({"at": []}, "bad_edit"),
    ({"operation": "rewrite"}, "bad_edit"), ({"value": None}, "bad_edit"), ({"more": 1}, "bad_edit"),
    ({"operation": "lines", "file": "a.yaml"}, "bad_edit"), ({"before": "x"}, "bad_edit"),
]  # fmt: skip


@pytest.mark.parametrize(("odd", "code"), ODD, ids=range(len(ODD)))
def test_what_is_no_edit_is_refused(quays, odd, code):
    answer = post("editor", PATH, {"edits": [{**cost(50), **odd}]})
    assert (answer.status_code, answer.json()["code"]) == (400, code), answer.content
    assert "edit 1" in answer.json()["message"]


def edits_of(what: str, body: object, query: str = "") -> Any:
    answer = post("viewer", f"/api/networks/quays/edits/{what}{query}", body)
    return answer.json() if answer.status_code == 200 else answer.json()["message"]


def test_edits_are_made_of_values_at_places_of_texts_and_of_proposals(quays):
    """Each is made of what the lens shows, and says what it replaces there."""
    place = {"device": "a", "at": ["interfaces", "port1", "ospf", "cost"], "value": "50"}
    assert edits_of("places", {"places": [place]}) == [cost(50)]
    post("editor", PATH, {"name": "on", "edits": [cost(30)]})
    assert edits_of("places", {"places": [place]}, "?change=on") == [cost(50, was=30)]
    text = QUAYS["a.yaml"].replace("cost: 10", "cost: 50")
    assert edits_of("text", {"file": "a.yaml", "text": text}) == [cost(50)]
    patch = {
        "kind": "set_key",
        "path": ["interfaces", "port1", "ospf"],
        "key": "cost",
        "value": "50",
    }
    proposal = {"changes": [{"file": "a.yaml", "patch": patch}]}
    assert edits_of("proposal", proposal) == [cost(50)]
    assert "+  port1" in post("viewer", "/api/networks/quays/patch", proposal).json()["patch"]
    for wrong in (
        {**patch, "path": ["device", "x"]}, {**patch, "value": "0\nroutrel: 2"}, {**patch, "value": "}"},
    ):  # fmt: skip
        refused = post(
            "viewer", "/api/networks/quays/patch", {"changes": [{"file": "a.yaml", "patch": wrong}]}
        )
        assert refused.json()["code"] == "does_not_apply", wrong
    assert edits_of("places", {"places": [{**place, "value": "0"}]}) == (
        "interfaces port1 ospf cost: “0” is not a whole number from 1 to 65535"
    )
    assert edits_of("places", {"places": [{**place, "at": ["x"]}]}) == (
        "a device file has no key “x”"
    )
    new = edits_of("text", {"file": "new/c.yaml", "text": host("c", 3)})
    assert [(edit["operation"], edit["file"], edit["was"]) for edit in new] == [
        ("lines", "new/c.yaml", None)
    ]
    for name in ("../x.yaml/", "x.txt", "/x.yaml", ".x.yaml"):
        assert "file must end in .yaml" in edits_of("text", {"file": name, "text": ""})
    problems = post(
        "viewer", "/api/networks/quays/problems",
        {"file": "a.yaml", "text": text.replace("area: 0", "aera: 0", 1)},
    ).json()  # fmt: skip
    told = [(one["file"], one["line"], one["code"]) for one in problems]
    assert told == [("a.yaml", 6, "missing_key"), ("a.yaml", 6, "unknown_key")]
    seen = client("viewer").get("/api/networks/quays/place?device=a&at=interfaces&at=port1&at=ospf")
    fields = {field["key"]: field["value"] for field in seen.json()["fields"]}
    assert (fields["cost"], fields["area"], fields["priority"]) == ("10", "0", None)
