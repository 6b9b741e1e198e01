"""Finding anything: against looking at everything, whole questions, names that are nearly right."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import parse_qs

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.answers.find.catalogue import ENDPOINT_KINDS
from routrel.answers.find.index import FindIndex
from routrel.lens.look import look_at_folder

DEMO = Path(__file__).resolve().parents[3] / "demo"
VIEW = look_at_folder(DEMO)
assert VIEW.state is not None
INDEX = FindIndex(VIEW.state, VIEW.texts)


@pytest.mark.parametrize(
    ("words", "kind", "value"),
    [
        ("gul-edge-1", "device", "gul-edge-1"),
        ("gul-edge-1:lan7", "interface", "gul-edge-1:lan7"),
        ("10.64.7.21", "address", "10.64.7.21"),
        ("10.64.7.0/24", "prefix", "10.64.7.0/24"),
        ("wan-in rule 30", "rule", "30"),
        ("from-isle", "policy", "from-isle"),
        ("gullspit", "site", "gullspit"),
        ("kiosks", "group", "kiosks"),
        ("session 203.0.113.1", "session", "203.0.113.1"),
        ("deny tcp 5000-6000", "rule", "30"),
    ],
)
def test_the_best_match_comes_first(words, kind, value):
    best = INDEX.find(words)[0]
    assert (best.kind, best.value) == (kind, value)


WORDS = st.lists(
    st.sampled_from(["gul", "rule", "30", "10.6", "tcp", "isle", "edge-1", "permit", "port1", "zz", "a"]),
    min_size=1,
    max_size=3,
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(WORDS, st.booleans())
def test_all_that_holds_every_word_is_found_and_nothing_else(words, ends):
    """Against looking at each thing; equal and beginning titles first, then titles, then the rest."""

    def rank(item) -> int:
        title = item.title.lower()
        whole = " ".join(words)
        if title == whole:
            return 0
        if title.startswith(whole):
            return 1
        return 2 if all(word in title for word in words) else 3

    plain = {
        (item.kind, item.title, item.device)
        for item in INDEX.things
        if all(word in f"{item.title}\t{item.detail}".lower() for word in words)
        and (not ends or item.kind in ENDPOINT_KINDS)
    }
    found = [
        item
        for item in INDEX.find(" ".join(words), endpoints_only=ends, limit=100_000)
        if item.kind not in ("line", "flow", "route")
    ]
    assert {(item.kind, item.title, item.device) for item in found} == plain
    assert [rank(item) for item in found] == sorted(rank(item) for item in found)


def test_file_text_is_found_with_its_line_and_limits_hold():
    texts = {"x.yaml": "one\n# the old quay\n" + "the old quay\n" * 50, "y.yaml": "old\nquay\n"}
    index = FindIndex(VIEW.state, texts)
    found = index.find("OLD quay", limit=5)
    assert [(f.kind, f.place.line) for f in found] == [("line", n) for n in range(2, 7)]
    assert index.find("old quay", endpoints_only=True) == []
    [last] = index.find("one", limit=50)[-1:]
    assert (last.value, last.place.line, last.title) == ("x.yaml", 1, "one")


QUESTIONS = [
    ("kiosk-gul booking-db tcp 5432", "flow", {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}),
    ("from kiosk-gul to booking-db as tcp/5432", "flow", {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 5432"}),
    ("kiosk-gul -> 10.80.3.12", "flow", {"from": "kiosk-gul", "to": "10.80.3.12"}),
    ("kisk-gul bookng-db tcp 443", "flow", {"from": "kiosk-gul", "to": "booking-db", "as": "tcp 443"}),
    ("kiosks booking tcp 443", "flow", {"from": "kiosks", "to": "booking", "as": "tcp 443"}),
    ("why 10.80.3.12 at gul-edge-1", "route", {"q": "10.80.3.12", "device": "gul-edge-1"}),
    ("gul-edge-1 at 10.80.3.0/24", "route", {"q": "10.80.3.0/24", "device": "gul-edge-1"}),
    ("why 10.80.3.0/24", "route", {"q": "10.80.3.0/24"}),
    ("10.99.1.0/24", "route", {"q": "10.99.1.0/24"}),
]  # fmt: skip


@pytest.mark.parametrize(("words", "kind", "query"), QUESTIONS, ids=[q[0] for q in QUESTIONS])
def test_a_whole_question_opens_its_answer(words, kind, query):
    best = INDEX.find(words)[0]
    assert (best.kind, {key: values[0] for key, values in parse_qs(best.value).items()}) == (
        kind,
        query,
    )


@pytest.mark.parametrize(
    "words", ["kiosk-gul", "rule 30", "booking db tcp 99999", "tcp 5432", "zz yy"]
)
def test_what_asks_nothing_is_no_question(words):
    assert not [item for item in INDEX.find(words) if item.kind in ("flow", "route")]


def test_what_was_taken_for_a_name_is_said():
    best = INDEX.find("kisk-gul booking-db")[0]
    assert best.detail == "Flows, taking kisk-gul for kiosk-gul"
