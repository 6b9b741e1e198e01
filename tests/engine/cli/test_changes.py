"""`routrel change`, `routrel compare`, and the two options that every command has."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest
from typer.testing import CliRunner

from routrel.cli.app import app
from tests.nets import device

DEMO = Path(__file__).resolve().parents[3] / "demo"


def run(*arguments: object) -> tuple[int, str, str]:
    """Exit code and both outputs."""
    result = CliRunner().invoke(app, [str(argument) for argument in arguments])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result.exit_code, result.stdout, result.stderr


@pytest.fixture
def net(tmp_path: Path) -> Path:
    """r1 - r2, with a second network to compare it with in `other`."""
    folder = tmp_path / "net"
    folder.mkdir()
    for name, host in (("r1", 1), ("r2", 2)):
        body = f"""
            static: [{{to: 10.9.0.0/16, via: 10.0.0.{3 - host}}}]  # to the other
            interfaces:
              e1: {{addresses: [10.0.0.{host}/30]}}
            """
        (folder / f"{name}.yaml").write_text(device(name, body))
    (folder / "notes.txt").write_text("kept\n")
    return folder


def test_a_change_is_made_of_two_folders_and_makes_the_second(net, tmp_path):
    other, made, change = tmp_path / "other", tmp_path / "made", tmp_path / "change.yaml"
    shutil.copytree(net, other)
    text = (other / "r1.yaml").read_text()
    (other / "r1.yaml").write_text(text.replace("via: 10.0.0.2", "via: 10.0.0.2, distance: 9"))
    (other / "r3.yaml").write_text(device("r3", "interfaces: {e1: {addresses: [10.3.0.1/24]}}"))
    code, out, _ = run("change", "new", net, other, "--name", "floats", "--purpose", "for: r1")
    assert code == 0
    change.write_text(out)
    assert "{at: r1 static 10.9.0.0/16 distance, set: 9}" in out
    code, out, _ = run("change", "apply", net, change, "--out", made)
    assert (code, out) == (0, "r1.yaml\nr3.yaml\n2 files changed by floats\n")
    for path in other.iterdir():
        assert (made / path.name).read_bytes() == path.read_bytes()
    code, _, err = run("change", "apply", net, change, "--out", made)
    assert (code, "not empty" in err) == (2, True)
    assert run("change", "apply", net, change)[0] == 0  # into the folder itself
    assert (net / "r3.yaml").exists()
    code, _, err = run("change", "new", net, other)
    assert (code, "hold the same" in err) == (2, True)


def test_the_sheet_of_a_change_is_printed(net, tmp_path):
    """In words for people, in JSON with all that moves; what does not fit is refused."""
    change = tmp_path / "change.yaml"
    change.write_text(
        "routrel: 1\nchange: floats\npurpose: r1 trusts it less\nedits:\n"
        "  - {at: r1 static 10.9.0.0/16 distance, set: 9}\n"
    )
    code, out, _ = run("change", "sheet", net, change)
    assert code == 0
    for part in ("# floats", "r1 trusts it less", "r1 static 10.9.0.0/16 distance", "distance: 9"):
        assert part in out
    code, out, _ = run("change", "sheet", net, change, "--json")
    sheet = json.loads(out)
    assert (code, [step["place"] for step in sheet["steps"]]) == (
        0,
        ["r1 static 10.9.0.0/16 distance"],
    )
    assert [c["reason"] for c in sheet["moves"]["routes"]["changed"]] == [
        "the same way: distance 1 → 9"
    ]
    change.write_text(change.read_text().replace("set: 9", "was: 7, set: 9"))
    code, _, err = run("change", "sheet", net, change)
    assert (code, "does not fit" in err) == (2, True)


@pytest.mark.parametrize(
    ("edit", "code", "says"),
    [
        ("{at: r1 role, was: host, set: firewall}", 1, "change.yaml:4:5: r1 role: it replaces “host”"),
        ("{at: r1 role, was: router, set: toaster}", 1, "r1.yaml:3:7: error"),
        ("{at: r1 role, sett: router}", 2, "change.yaml:4:19: error an edit has no key “sett”"),
    ],
)  # fmt: skip
def test_a_change_that_does_not_fit_writes_nothing(net, tmp_path, edit, code, says):
    before = {path: path.read_text() for path in net.iterdir()}
    change = tmp_path / "change.yaml"
    change.write_text(f"routrel: 1\nchange: no\nedits:\n  - {edit}\n")
    done, out, err = run("change", "apply", net, change)
    assert (done, out) == (code, "")
    assert says in err.replace(str(tmp_path) + "/", "")
    assert {path: path.read_text() for path in net.iterdir()} == before


def test_every_command_looks_through_changes_and_failures(net, tmp_path):
    change = tmp_path / "change.yaml"
    change.write_text(
        "routrel: 1\nchange: off\nedits:\n  - {at: r1 interfaces e1 enabled, set: false}\n"
    )
    route = ("routes", net, "--device", "r2", "--prefix", "10.9.0.0/16", "--json")
    assert len(json.loads(run(*route)[1])["routes"]) == 1
    for option in (("--change", change), ("--fail", "device:r1"), ("--fail", "link:10.0.0.0/30")):
        code, out, err = run(*route, *option)
        assert (code, json.loads(out)["routes"]) == (0, [])
        assert str(option[1]) in err
    flow = ("flow", net, "--from", "r1", "--to", "r2", "--json", "--fail", "interface:r2:e1")
    assert json.loads(run(*flow)[1])["forward"]["verdict"] == "no_route"
    assert run("sessions", net, "--fail", "device:r1")[0] == 0
    assert run("check", net, "--change", change)[0] == 0
    code, _, err = run("check", net, "--fail", "link:nowhere")
    assert (code, "no link “nowhere” that could fail" in err) == (2, True)
    code, _, err = run("check", net, "--fail", "r1")
    assert (code, "“r1” does not say what has failed" in err) == (2, True)


def test_compare_prints_what_moved_and_as_json_all_of_it(net, tmp_path):
    code, out, _ = run("compare", net, "--fail", "device:r2", "--json")
    told = json.loads(out)
    assert code == 0
    assert told.keys() >= {"summary", "routes", "flows", "sessions", "adjacencies", "findings",
                           "warnings"}  # fmt: skip
    assert {(row["device"], row["prefix"]) for row in told["routes"]["gone"]} >= {
        ("r1", "10.9.0.0/16"), ("r1", "10.0.0.0/30"),
    }  # fmt: skip
    code, out, _ = run("compare", net, "--fail", "device:r2")
    assert told["summary"] in out
    other = tmp_path / "other"
    shutil.copytree(net, other)
    (other / "r2.yaml").unlink()
    told = json.loads(run("compare", net, other, "--json")[1])
    assert {row["device"] for row in told["routes"]["gone"]} == {"r2"}  # r1's interface is up
    assert json.loads(run("compare", net, net, "--json")[1])["warnings"] == []


def test_the_demo_s_change_of_a_filter_lets_one_service_pass_and_nothing_else():
    change = DEMO / "changes" / "bookings-for-gullspit.yaml"
    told = json.loads(run("compare", DEMO, "--change", change, "--json")[1])
    moved = {(flow["from"], flow["to"], flow["as"], flow["shift"]) for flow in told["flows"]}
    assert moved == {("kiosk-gul", "booking-db", "tcp 5432", "won")}
    assert told["warnings"] == told["routes"]["groups"] == []


def test_the_demo_s_change_of_costs_is_caught_to_move_one_direction_alone():
    """The other ends, at Brackwick and Corvane, keep their 35: nobody answers by another way."""
    change = DEMO / "changes" / "gullspit-by-drumlin.yaml"
    told = json.loads(run("compare", DEMO, "--change", change, "--json")[1])
    codes = [warning["code"] for warning in told["warnings"]]
    assert codes.count("one_direction") == 2
    assert "return_elsewhere" in codes
    (kept,) = [flow for flow in told["flows"] if flow["name"] == "kiosk-no-booking"]
    assert kept["text"].endswith("by gul-edge-1, dru-core-1 now")
