"""Promises and sweeps on the command line: fixed fields, exit codes, and a JUnit report."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from junitparser import JUnitXml

from tests.engine.cli.test_commands import run
from tests.engine.questions.test_suggestions import yard_texts
from tests.server.test_changes import QUAYS

FILES = {
    **QUAYS,
    "promises.yaml": "routrel: 1\npromises:\n  there: north to south must be delivered and survive any link\n"
    "  shut: {promise: north to south as tcp 22 must be blocked, severity: warning, folder: doors}\n",
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in FILES.items():
        (tmp_path / name).write_text(text)
    return tmp_path


def test_promises_are_told_with_their_counterexample_and_what_they_rest_on(folder):
    code, printed = run("promises", folder, "--json")
    assert code == 1
    there, shut = json.loads(printed)["promises"]
    assert (there["id"], there["kept"], there["severity"], there["counterexample"]) == ("there", True, "error", None)  # fmt: skip
    assert there["text"] == "north to south must be delivered and survive any link"
    assert there["survives"] == {"tried": 4, "asked": 2, "broken_by": []}
    assert set(there["rests_on"]["devices"]) == {"north", "a", "b", "south"}
    assert there["rests_on"]["links"] == ["10.1.0.0/24", "10.0.1.0/31", "10.2.0.0/24"]
    assert shut["kept"] is False
    assert {key: shut["counterexample"][key] for key in ("from", "to", "as")} == {
        "from": "north", "to": "south", "as": "tcp 22",
    }  # fmt: skip


def test_the_exit_code_says_whether_all_are_kept(folder):
    (folder / "promises.yaml").write_text("routrel: 1\npromises: {there: north to south must be delivered}\n")  # fmt: skip
    assert run("promises", folder)[0] == 0
    assert run("promises", folder, "--fail", "device:a")[0] == 1
    (folder / "a.yaml").write_text("routrel: 1\ndevice: a\nrole: nothing\n")
    assert run("promises", folder)[0] == 2


def test_a_junit_report_reads_as_one(folder):
    report = folder / "out.xml"
    assert run("promises", folder, "--junit", report)[0] == 1
    (suite,) = JUnitXml.fromfile(str(report))
    assert (suite.tests, suite.failures, suite.errors) == (2, 1, 0)
    kept, broken = suite
    assert (kept.classname, kept.result) == ("promises", [])
    assert broken.classname == "doors"
    assert broken.name == "shut: north to south as tcp 22 must be blocked"
    (failure,) = broken.result
    assert failure.type == "warning"
    assert "it arrives at south" in failure.message


def test_a_sweep_tells_what_every_failure_does(folder):
    code, printed = run("sweep", folder, "--kind", "device", "--kind", "link", "--workers", "1", "--json")  # fmt: skip
    assert code == 0
    answer = json.loads(printed)
    cases = {case["failed"][0]: case for case in answer["cases"]}
    assert len(cases) == 8
    assert cases["device:a"]["broken"] == ["there"]
    assert cases["device:a"]["cut_off"] == [["north"]]
    # The short link carries all; without it the way is over the other one.
    assert (cases["link:10.0.1.0/31"]["broken"], cases["link:10.0.1.0/31"]["rerouted"]) == ([], ["there", "shut"][:1])  # fmt: skip
    assert ["device:a"] in answer["breaking_sets"]["there"]
    assert run("sweep", folder, "--kind", "cable")[0] == 2


def test_pairs_break_what_no_single_failure_does(folder):
    _, printed = run("sweep", folder, "--kind", "link", "--pairs", "--json")
    answer = json.loads(printed)
    assert ["link:10.0.1.0/31", "link:10.0.2.0/31"] in answer["breaking_sets"]["there"]
    assert ["link:10.0.1.0/31"] not in answer["breaking_sets"]["there"]


CHANGE = """\
routrel: 1
change: one-way
purpose: the second link is given up
edits:
  - {at: a interfaces port2 enabled, set: false}
"""


def test_the_smallest_sets_of_one_promise_are_searched_for(folder):
    _, printed = run("sweep", folder, "--kind", "link", "--kind", "device", "--sets", "there", "--size", "2", "--json")  # fmt: skip
    answer = json.loads(printed)
    assert ["link:10.0.1.0/31", "link:10.0.2.0/31"] in answer["breaking_sets"]["there"]
    sets = answer["sets"]
    assert (sets["promise"], sets["most"]) == ("there", 2)
    # Eight things alone and 28 pairs of them: each was tried, or is left out for a reason.
    assert sets["tried"] + sets["not_minimal"] + sets["no_effect"] == 8 + 28
    assert run("sweep", folder, "--kind", "link", "--sets", "their")[0] == 2


def test_what_a_change_does_to_what_is_survived(folder):
    change = folder.parent / "one-way.yaml"
    change.write_text(CHANGE)
    _, printed = run("sweep", folder, "--kind", "link", "--change", change, "--before", "--json")
    shift = json.loads(printed)["shift"]
    assert shift["summary"] == "This change makes 1 failure fatal."
    assert [(one["failed"], one["breaks_now"]) for one in shift["fatal"]] == [(["link:10.0.1.0/31"], ["there"])]  # fmt: skip
    assert run("sweep", folder, "--kind", "link", "--before")[0] == 2


def test_suggestions_are_a_file_of_promises_that_are_kept(tmp_path):
    for number, text in enumerate(yard_texts()):
        (tmp_path / f"{number}.yaml").write_text(text)
    code, printed = run("suggest", tmp_path)
    assert code == 0
    assert "# yard has 2 ways out; each link was failed, and it holds" in printed
    (tmp_path / "promises.yaml").write_text(printed)
    assert run("promises", tmp_path)[0] == 0
    assert run("suggest", tmp_path) == (0, "")
