"""The command line: its fixed fields, its exit codes, and the demo's cases."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from typer.testing import CliRunner

from routrel.cli.app import app
from routrel.files.writer import write_change
from routrel.formats.folders import mixed_texts
from routrel.lens.look import look_at_folder
from routrel.model.cases import Case

DEMO = Path(__file__).resolve().parents[3] / "demo"
#: The cases of both demos, each with the folder of its network; the second has files of others.
CASES = [
    (folder, case)
    for folder in (DEMO, DEMO.with_name("demo-formats"))
    for case in look_at_folder(folder).cases
]


def run(*arguments: str) -> tuple[int, str]:
    """Exit code and standard output of `routrel ARGUMENTS`."""
    result = CliRunner().invoke(app, [str(argument) for argument in arguments])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result.exit_code, result.stdout


ROUTE = "policy demo --device ald-edge-1 --policy from-isle --route"
ODD = [
    ("check " + "a" * 5000, "", 2, "cannot be read: File name too long"),
    ("demo " + "a" * 5000, "", 2, "cannot be written: File name too long"),
    (f"{ROUTE} " + "[" * 100_000, "", 2, "the route is no JSON"),
    ("check demo", ">/dev/full", 2, "the output cannot be written: No space left on device"),
    ("schema", ">/dev/full", 2, "the output cannot be written: No space left on device"),
    ("routes demo --json", "| head -c 1", 0, ""),
    ("check demo", ">&-", 1, ""),
]


@pytest.mark.parametrize(("words", "end", "code", "part"), ODD, ids=[o[0][:12] + o[1] for o in ODD])
def test_what_cannot_be_read_or_written_is_told_in_a_sentence(words, end, code, part):
    """Names and routes that are far too long, a full disk, a pipe that closes, no output at all."""
    done = subprocess.run(
        ["sh", "-c", f"{sys.executable} -m routrel {words} {end}"],
        cwd=DEMO.parent, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == code
    assert part in done.stderr
    assert "Traceback" not in done.stderr + done.stdout
    assert len(done.stderr.splitlines()) == (1 if part else 0)


def asked(*arguments: str) -> dict:
    code, out = run(*arguments, "--json")
    assert code == 0, out
    return json.loads(out)


def test_check_exits_by_what_it_finds(tmp_path):
    """0 without errors, 1 with errors, 2 where there is nothing to read."""
    (tmp_path / "r.yaml").write_text("routrel: 1\ndevice: r\nrole: router\n")
    assert run("check", tmp_path)[0] == 0
    assert run("check", DEMO)[0] == 1  # two of its cases are adjacencies that do not form
    (tmp_path / "r.yaml").write_text("routrel: 1\ndevice: r\nrole: ruoter\n")
    code, out = run("check", tmp_path, "--json")
    assert code == 1
    (finding,) = json.loads(out)["findings"]
    assert (finding["file"], finding["line"], finding["column"]) == ("r.yaml", 3, 7)
    assert "r.yaml:3:7" in run("check", tmp_path)[1]
    assert run("check", tmp_path / "none")[0] == 2
    assert run("routes", tmp_path)[0] == 2


def test_routes_have_the_fixed_fields():
    """One route of one device, by prefix and by address, with its candidates."""
    answer = asked("routes", DEMO, "--device", "gul-edge-1", "--address", "10.80.3.12", "--why")
    assert answer["converged"] is True
    (route,) = answer["routes"]
    expected = {
        "device": "gul-edge-1", "vrf": "default", "prefix": "10.80.3.0/24", "protocol": "ospf",
        "path_type": "inter_area", "distance": 110, "metric": 40, "tag": 0, "discard": False,
    }  # fmt: skip
    assert {key: route[key] for key in expected} == expected
    assert [(h["device"], h["weight"]) for h in route["next_hops"]] == [
        ("brk-core-1", 1),
        ("cor-core-1", 1),
    ]
    assert answer["matched"] == "10.80.3.0/24"
    assert [c["lost_on"] for c in answer["candidates"]] == [None, None, "metric"]
    assert [r["prefix"] for r in answer["behind"]] == ["0.0.0.0/0"]
    assert run("routes", DEMO, "--device", "nobody")[0] == 2


def through(case: Case, folder: Path) -> list[str]:
    """The options that say what has failed and what is edited when a case is asked."""
    options = [word for name in case.fail for word in ("--fail", name)]
    options += [word for name in case.tables for word in ("--tables", name)]
    if case.change is not None:
        file = folder / "change.yaml"
        file.write_text(write_change(case.change))
        options += ["--change", str(file)]
    return options


def line_of(folder: Path, file: str, line: int) -> str:
    """A line of a file as it is read; those of other formats as our own language has them."""
    texts, _, _ = mixed_texts(folder)
    return texts[file].splitlines()[line - 1]


FLOWS = [(folder, case) for folder, case in CASES if case.question]
ROUTES = [(folder, case) for folder, case in CASES if case.route]


@pytest.mark.parametrize(("demo", "case"), ROUTES, ids=[case.name for _, case in ROUTES])
def test_each_route_case_of_the_demos_has_its_answer_and_evidence(
    demo: Path, case: Case, tmp_path: Path
):
    """The protocol that won and who announced it, or the reason why there is none."""
    how = "--prefix" if "/" in case.route.to else "--address"
    asks = ["routes", demo, "--why", "--device", case.route.at, how, case.route.to]
    answer = asked(*asks, *through(case, tmp_path))
    best = next((c for c in answer["candidates"] if c["lost_on"] is None), None)
    assert (best["protocol"] if best else None) == case.protocol
    absent = answer["absent"]
    assert (absent["reason"] if absent else None) == case.reason
    if case.rung:
        lost = {c["advertiser"]: c["lost_on"] for c in answer["candidates"]}
        assert lost[case.loser] == case.rung
    cited = next(s for s in absent["steps"] if s["kind"] == case.reason) if absent else best
    if case.reason:
        assert cited["device"] == case.device
    elif case.device:
        # Who stands at the other end, or whose line the route comes from.
        assert case.device in {cited["advertiser"], *(h["device"] for h in cited["next_hops"])} or (
            cited["file"] == f"devices/{case.device}.yaml"
        )
    if case.file:
        assert cited["file"] == case.file
        assert case.evidence in line_of(demo, case.file, cited["line"])


@pytest.mark.parametrize(("demo", "case"), FLOWS, ids=[case.name for _, case in FLOWS])
def test_each_case_of_the_demos_has_its_verdict_and_evidence(
    demo: Path, case: Case, tmp_path: Path
):
    """The story's question gives the known verdicts, and the cited line holds the evidence."""
    size = ["--size", case.question.size] if case.question.size else []
    more = [*through(case, tmp_path), *size]
    question = ["--from", case.question.source, "--to", case.question.destination]
    answer = asked("flow", demo, *question, "--as", case.question.traffic, "--both", *more)
    assert answer["forward"]["verdict"] == case.forward
    if case.back:
        assert answer["return"]["verdict"] == case.back
    cause = answer["forward"]["cause"] or (answer["return"] or {}).get("cause")
    if case.device:
        assert cause["device"] == case.device
    if case.file:
        assert cause["file"] == case.file
        assert case.evidence in line_of(demo, case.file, cause["line"])
    for way in filter(None, (answer["forward"], answer["return"])):
        shares: dict[str | None, float] = {}
        for branch in way["branches"]:
            shares[branch["entry"]] = shares.get(branch["entry"], 0) + branch["share"]
        assert list(shares.values()) == pytest.approx([1] * len(shares))


def test_demo_and_schema_are_written(tmp_path):
    """The demo goes to a new folder only; what it writes can be asked."""
    assert run("demo", tmp_path / "new")[0] == 0
    assert run("routes", tmp_path / "new", "--device", "gul-edge-1")[0] == 0
    assert run("demo", tmp_path / "new")[0] == 2
    assert json.loads(run("schema")[1])["$schema"].startswith("https://json-schema.org/")


def test_the_human_output_names_the_line():
    """What a person reads has the sentence, the rule and the file's line."""
    out = run("flow", DEMO, "--from", "kiosk-gul", "--to", "booking-db", "--as", "tcp 5432")[1]
    assert "Blocked at eas-fw-1: filter wan-in drops it on arrival by rule 30" in out
    assert "devices/eas-fw-1.yaml:99" in out


def test_what_failed_is_said_and_followed():
    """ter-edge-1 has its line to ter-edge-2 by “fast”: with it, no route for the archive is left."""
    flow = ("flow", str(DEMO), "--from", "ter-radar-1", "--to", "ter-arch-1", "--as", "udp 6001")
    assert asked(*flow)["forward"]["verdict"] == "delivered"
    assert asked(*flow, "--fail", "interface:ter-edge-2:fast")["forward"]["verdict"] == "no_route"
    result = CliRunner().invoke(app, [*flow, "--fail", "device:ter-edge-2"])
    assert "with device:ter-edge-2 failed" in result.stderr
    result = CliRunner().invoke(app, [*flow, "--fail", "device:ter-edge-9"])
    assert (result.exit_code, "no device “ter-edge-9”" in result.stderr) == (2, True)
