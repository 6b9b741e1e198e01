"""Messages of RFC 5424: what of them is read, what is refused, and what they mean by a mapping."""

from __future__ import annotations

import json
import re
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from routrel.cli.app import app
from routrel.formats.events.mapping import BadMapping, read_mapping
from routrel.formats.events.syslog import BadMessage, frames, read_message
from routrel.model.events import time_words

HEAD = b"<165>1 2026-01-05T22:14:15.003Z r1.example.net evntslog 77 ID47 "


def test_all_fields_of_a_message_are_read():
    """165 is local4 (20) and notice (5); the value has an escaped quote, bracket and backslash, and
    a backslash that escapes nothing (RFC 5424 6.3.3)."""
    made = read_message(
        HEAD + b'[a@32473 iut="3" x="\\"q\\" \\] \\\\ \\n"][b@32473 y=""] \xef\xbb\xbfgr\xc3\xbcn\n'
    )
    assert (made.facility, made.severity, time_words(made.time)) == (
        20,
        5,
        "2026-01-05T22:14:15.003000Z",
    )
    assert (made.host, made.app, made.process, made.kind) == (
        "r1.example.net",
        "evntslog",
        "77",
        "ID47",
    )
    assert made.data == {"a@32473": {"iut": "3", "x": '"q" ] \\ \\n'}, "b@32473": {"y": ""}}
    assert made.text == "gr\u00fcn\n"


def test_what_is_not_told_is_empty():
    made = read_message(b"<0>1 - - - - - -")
    assert (made.time, made.host, made.app, made.data, made.text) == (None, "", "", {}, "")
    assert read_message(b"<13>1 2026-01-05T01:02:03+02:00 - - - - - gr\xfcn").text == "gr\u00fcn"


#: Octets that are no message, and what is said.
REFUSED = {
    "no priority": (b"1 - - - - - -", "priority"),
    "a priority of 192": (b"<192>1 - - - - - -", "priority"),
    "a priority with a zero before it": (b"<013>1 - - - - - -", "priority"),
    "an older form": (b"<34>Oct 11 22:14:15 r1 su: failed", "priority"),
    "another version": (b"<34>2 - - - - - -", "version 2"),
    "a second 60": (HEAD.replace(b":15.003Z", b":60Z") + b"-", "TIMESTAMP"),
    "a seventh digit": (HEAD.replace(b".003Z", b".0030001Z") + b"-", "TIMESTAMP"),
    "a small t": (HEAD.replace(b"T22", b"t22") + b"-", "TIMESTAMP"),
    "no offset": (HEAD.replace(b".003Z", b".003") + b"-", "TIMESTAMP"),
    "a day that is none": (HEAD.replace(b"01-05", b"02-30") + b"-", "no time"),
    "too long an APP-NAME": (HEAD.replace(b"evntslog", b"e" * 49) + b"-", "APP-NAME"),
    "two spaces": (HEAD.replace(b" 77 ", b"  77 ") + b"-", "PROCID"),
    "an element twice": (HEAD + b'[a x="1"][a x="2"]', "the element a is there twice"),
    "an element that does not end": (HEAD + b'[a x="1"', "does not end"),
    "a bare bracket in a value": (HEAD + b'[a x="]"]', "without a backslash"),
    "a value without an end": (HEAD + b'[a x="1', "does not end"),
    "a value that is not UTF-8": (HEAD + b'[a x="\xff"]', "not UTF-8"),
    "a name with a quote": (HEAD + b'[a" x="1"]', "does not end"),
    "no structured data": (HEAD + b"text", "neither elements nor -"),
    "no space behind them": (HEAD + b"-text", "no space"),
    "a text that begins as UTF-8 and is not": (HEAD + b"- \xef\xbb\xbf\xff", "begins as UTF-8"),
}  # fmt: skip


@pytest.mark.parametrize(("octets", "said"), REFUSED.values(), ids=REFUSED)
def test_what_is_no_message_is_refused(octets, said):
    with pytest.raises(BadMessage, match=re.escape(said)):
        read_message(octets)


def test_frames_are_counted_or_lines():
    """A counted frame may hold line feeds; the line of each is where it begins."""
    told = list(frames(b"<1>1 one\r\n12 <2>1 a\nb\nc d<3>1 two\n\n3 end"))
    assert [(one.octets, one.line) for one in told] == [
        (b"<1>1 one", 1), (b"<2>1 a\nb\nc d", 2), (b"<3>1 two", 4), (b"end", 6),
    ]  # fmt: skip
    assert [one.problem for one in frames(b"9 short")] == ["a frame of 9 octets ends after 5"]
    assert "none, or too large" in next(frames(b"99999999 x")).problem


@given(st.binary(max_size=200))
def test_no_octets_make_it_fail(data):
    for frame in frames(b"<34>1 2026-01-05T22:14:15Z r1 a b c " + data):
        with suppress(BadMessage):
            read_message(frame.octets)


def example():
    """The mapping of the documentation."""
    return re.search(r"```yaml\n(.*?)```", Path("docs/events.md").read_text(), re.S)[1].encode()


def test_the_documented_mapping_makes_events(tmp_path):
    log, mapping, out = tmp_path / "log", tmp_path / "map.yaml", tmp_path / "out.jsonl"
    mapping.write_bytes(example())
    log.write_bytes(
        HEAD.replace(b"evntslog", b"portd") + b"- port e1 is now offline\n"
        + HEAD + b"- port e1 is now offline\n"
        + HEAD + b"- neighbour r2 on e1 is full\nnonsense\n"
    )  # fmt: skip
    run = CliRunner().invoke(
        app, ["messages", str(log), "--mapping", str(mapping), "--out", str(out)]
    )
    assert run.exit_code == 1
    assert "2 events; 1 messages mean nothing by the mapping, 1 cannot be read" in " ".join(
        run.output.split()
    )
    assert [json.loads(line) for line in out.read_text().splitlines()] == [
        {"id": "log 1", "time": "2026-01-05T22:14:15.003000Z", "kind": "interface", "device": "r1.example.net", "interface": "e1", "state": "down"},
        {"id": "log 3", "time": "2026-01-05T22:14:15.003000Z", "kind": "adjacency", "protocol": "ospf", "device": "r1.example.net", "interface": "e1", "neighbour": "r2", "state": "up"},
    ]  # fmt: skip
    tried = CliRunner().invoke(app, ["messages", "--mapping", str(mapping), "--test"])
    assert (tried.exit_code, tried.output.strip()) == (0, "3 of 3 tests hold")


def test_tests_that_do_not_hold_are_told():
    wrong = example().replace(b"gives: nothing", b"gives: {interface: x}").replace(b"state: down}}\n      - {mess", b"state: up}}\n      - {mess")  # fmt: skip
    assert list(read_mapping(wrong).failed_tests()) == [
        "a port, test 1: gives {'state': 'down'}",
        "a port, test 2: gives nothing",
    ]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("messages: []", "does not begin with routrel: 1"),
        ("routrel: 1", "no list of messages"),
        ("routrel: 1\nmessages: [{name: x, match: '(', event: {kind: cost}}]", "x: match is no regular expression"),
        ("routrel: 1\nmessages: [{event: {kind: cost}}]", "message 1: match is missing"),
        ("routrel: 1\nmessages: [{match: x}]", "event has no kind"),
        ("routrel: 1\nmessages: [{match: x, event: {kind: cost}, colour: red}]", "the key colour is not known"),
        ("{", "no YAML"),
    ],
)  # fmt: skip
def test_a_mapping_that_is_none_is_refused(text, said):
    with pytest.raises(BadMapping, match=re.escape(said)):
        read_mapping(text.encode())


def test_a_message_without_a_time_places_nothing():
    mapping = read_mapping(example())
    with pytest.raises(BadMapping, match="does not say when"):
        mapping.line(read_message(b"<1>1 - r1 portd - - - port e1 is now online"), "x")
