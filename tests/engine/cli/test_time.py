"""A day of the demo's events on the command line: complaints, and what they come to."""

from __future__ import annotations

import json
import runpy
from itertools import pairwise
from pathlib import Path

import pytest
from typer.testing import CliRunner

from routrel.cli.app import app
from routrel.formats.events.json_lines import read_events
from routrel.model.events import time_of
from tests.nets import wired_texts

TARGET = Path("demo/events/day.jsonl")
EVENTS = ("--events", str(TARGET))
MORNING = "2026-01-05T06:50:00Z/2026-01-05T07:00:00Z"


def run(*arguments, code=0):
    result = CliRunner().invoke(app, [str(argument) for argument in arguments])
    assert result.exit_code == code, result.output
    return result


def eras(source, destination, span, traffic="tcp 443"):
    asked = ("--from", source, "--to", destination, "--as", traffic, "--span", span)
    return json.loads(run("eras", "demo", *EVENTS, *asked, "--json").stdout)["eras"]


def test_the_day_that_ships_is_the_one_that_is_made():
    day = runpy.run_path("tools/demo_events.py")["day"]()
    assert [json.loads(line) for line in TARGET.read_text().splitlines()] == day
    made = read_events(TARGET.read_bytes(), "day.jsonl")
    assert not made.report.messages
    assert [event.time for event in made.events] == sorted(event.time for event in made.events)


def test_every_event_of_the_day_changes_something_or_is_a_value():
    listed = json.loads(run("events", "demo", "--file", TARGET, "--json").stdout)
    assert {event["effect"] for event in listed["events"]} == {"changes", "measured"}
    assert not listed["unread"]


def test_from_a_complaint_to_the_ageing_line_and_why_the_neighbour_never_complains():
    """Farholm hangs on one line to Corvane; Corvane's own cranes do not use it."""
    found = eras("kiosk-far", "booking-web", MORNING)
    assert [era["verdict"] for era in found] == [
        "delivered", "no_route", "delivered", "no_route",
    ]  # fmt: skip
    assert [cause["text"] for era in found[1::2] for cause in era["causes"]] == [
        "cor-edge-1:port2 went down"
    ] * 2
    crossed = {pair for era in found[::2] for path in era["path_set"] for pair in pairwise(path)}
    assert ("far-edge-1", "cor-edge-1") in crossed
    asked = ("--from", "kiosk-far", "--to", "booking-web", "--as", "tcp 443", "--span", MORNING)
    told = json.loads(
        run("eras", "demo", *EVENTS, *asked, "--beside", "crane-cor", "--json").stdout
    )
    (beside,) = told["beside"]
    assert [era["verdict"] for era in beside["eras"]] == ["delivered"]
    assert beside["text"] == (
        "crane-cor arrived throughout all 2 outages: its way does not rest on cor-edge-1:port2"
    )
    worst = json.loads(run("health", "demo", *EVENTS, "--json").stdout)["unwell"]
    assert [(one["kind"], one["trend"]) for one in worst[:2]] == [("adjacency", "shrinks"), ("link", "shrinks")]  # fmt: skip
    assert worst[1]["devices"] == ["cor-edge-1", "far-edge-1"]
    assert "gaps between outages shrink: 40 min" in worst[1]["remarks"][0]


def test_a_prefix_that_fell_back_to_the_default_is_an_outage():
    found = eras("kiosk-gul", "booking-db", "2026-01-05T09:00:00Z/2026-01-05T10:00:00Z")
    assert [(era["verdict"], era["arrives"]) for era in found] == [
        ("delivered", True), ("leaves_network", False), ("delivered", True),
    ]  # fmt: skip
    assert [era["cause"] for era in found] == [[], ["d209"], ["d212"]]
    assert found[1]["path_set"][0][-1] == "isle-telecom"
    assert time_of(found[1]["end"]) - time_of(found[1]["start"]) == pytest.approx(
        12 * 60e6, rel=0.1
    )


def test_every_command_looks_at_a_moment():
    """At 06:54:20 the line is away: no session, route or flow over it, and the address says when."""
    moment = (*EVENTS, "--at", "2026-01-05T06:54:20Z")
    flow = (
        "flow",
        "demo",
        "--from",
        "kiosk-far",
        "--to",
        "booking-web",
        "--as",
        "tcp 443",
        "--json",
    )
    asked = run(*flow, *moment)
    assert json.loads(asked.stdout)["forward"]["verdict"] == "no_route"
    assert "at 2026-01-05T06:54:20.000000Z" in asked.stderr
    assert json.loads(run(*flow, *EVENTS).stdout)["forward"]["verdict"] == "delivered"
    held = json.loads(run("routes", "demo", "--device", "far-edge-1", "--json", *moment).stdout)
    assert not any(row["protocol"].startswith("ospf") and row["prefix"] == "10.80.2.0/24" for row in held["routes"])  # fmt: skip


def test_two_moments_compare_and_promises_say_when_they_were_broken():
    """Between 14:19 and 14:21 a provider announced what it should not have."""
    between = ("--since", "2026-01-05T14:19:00Z", "--at", "2026-01-05T14:21:00Z")
    moved = json.loads(run("compare", "demo", *EVENTS, *between, "--json").stdout)
    assert "198.51.100.0/25" in {row["prefix"] for row in moved["routes"]["added"]}
    assert not moved["sessions"]["down"]
    span = ("--span", "2026-01-05T14:00:00Z/2026-01-05T15:00:00Z")
    promise = ("--promise", "bookings-leave-by-aldersund")
    told = run("kept", "demo", *EVENTS, *promise, *span, "--json", code=1)
    (one,) = json.loads(told.stdout)["promises"]
    assert [(each["kept"], each["cause"]) for each in one["spans"]] == [
        (True, []), (False, ["d279"]), (True, ["d282"]),
    ]  # fmt: skip
    assert "it leaves by skerry-net" in one["spans"][1]["why"]
    assert (
        "there is no promise “x”" in run("kept", "demo", *EVENTS, "--promise", "x", code=2).output
    )


@pytest.mark.parametrize("workers_know", [True, False])
def test_a_sweep_is_of_the_moment_also_where_a_process_computes_it_anew(
    tmp_path, monkeypatch, workers_know
):
    """r1 has lost its link to r3, so the way by r2 is all that is left: both its links are fatal."""
    texts = wired_texts(
        "r1-r2 r1-r3 r2-r3", port="ospf: {area: 0, network: point-to-point}", top="ospf: {}"
    )
    for number, text in enumerate(texts):
        (tmp_path / f"{number}.yaml").write_text(text)
    promise = "promises: {far: r1 to 10.255.0.3 must be delivered}"
    (tmp_path / "network.yaml").write_text(f"routrel: 1\nnetwork: x\n{promise}\n")
    (tmp_path / "e.jsonl").write_text(
        '{"id":"e1","time":"2026-01-05T00:00:00Z","kind":"interface","device":"r1","interface":"e2","state":"down"}\n'
    )
    if not workers_know:
        monkeypatch.setattr("routrel.cli.sweep.keep", lambda job, base: None)
    swept = ("sweep", tmp_path, "--kind", "link", "--workers", 2, "--json")
    by_r2 = {"link:10.0.1.0/30", "link:10.0.3.0/30"}
    for more, broken in (((), set()), (("--events", tmp_path / "e.jsonl"), by_r2)):
        cases = json.loads(run(*swept, *more).stdout)["cases"]
        assert {one["failed"][0] for one in cases if one["broken"]} == broken


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("--at", "noon"), "a moment needs events"),
        ((*EVENTS, "--at", "noon"), "“noon” is no time as 2026-01-05T02:11:07.140382Z"),
        (("--events", "nowhere.jsonl"), "nowhere.jsonl cannot be read"),
    ],
)
def test_moments_that_are_none_are_refused(options, said):
    refused = run("check", "demo", *options, code=2)
    assert said in " ".join(refused.output.split())


def test_a_span_that_is_none_is_refused():
    for span, said in (("noon", "is no span"), ("2026-01-05T02:00:00Z/2026-01-05T01:00:00Z", "ends before it begins")):  # fmt: skip
        refused = run("health", "demo", *EVENTS, "--span", span, code=2)
        assert said in " ".join(refused.output.split())
