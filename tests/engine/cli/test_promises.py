"""Promises and sweeps on the command line: fixed fields, exit codes, and a JUnit report."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from junitparser import JUnitXml

from tests.engine.cli.test_commands import run
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
