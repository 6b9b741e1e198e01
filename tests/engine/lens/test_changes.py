"""Changes as values: one written form, made in order, refused where they do not apply."""

from __future__ import annotations

import json

import msgspec
import pytest

from routrel.lens.changes import (
    LAST,
    Change,
    CopyItem,
    CopyKey,
    DoesNotApply,
    Insert,
    Patch,
    Remove,
    SetKey,
    SetValue,
    changed,
)
from routrel.lens.look import Lens, look_through
from tests.nets import device

TEXTS = {
    "r.yaml": device("r", "static: [{to: 10.0.0.0/8, discard: true}]\ninterfaces:\n  e1: {addresses: [10.1.0.1/24]}\n"),
    "s.yaml": device("s"),
}  # fmt: skip

#: What each kind of patch is called, and what it does to r.
PATCHES: list[tuple[str, Patch, str]] = [
    ("insert", Insert(("static",), LAST, "{to: 10.9.0.0/16, discard: true}"), "10.9.0.0/16"),
    ("set_key", SetKey(("interfaces", "e1"), "mtu", "1400"), "mtu: 1400"),
    ("set_value", SetValue(("role",), "host"), "role: host"),
    ("copy_key", CopyKey(("interfaces", "e1"), "e2"), "  e2: {addresses: [10.1.0.1/24]}"),
    ("copy_item", CopyItem(("static", 0)), "[{to: 10.0.0.0/8, discard: true}, {to: 10.0.0.0/8"),
    ("remove", Remove(("static", 0)), "static: []"),
]


@pytest.mark.parametrize(("kind", "patch", "then"), PATCHES)
def test_a_change_has_one_written_form(kind, patch, then):
    """It is read from what it is written as, and does the same."""
    change = Change("r.yaml", patch)
    written = json.loads(msgspec.json.encode(change))
    assert (written["file"], written["patch"]["kind"]) == ("r.yaml", kind)
    read = msgspec.convert(written, Change)
    assert read == change
    after = changed(TEXTS, [read])
    assert then in after["r.yaml"]
    assert after["s.yaml"] == TEXTS["s.yaml"]


def test_changes_are_made_one_after_the_other():
    """The second stands on what the first has made; the texts given stay as they are."""
    before = dict(TEXTS)
    after = changed(
        TEXTS,
        [
            Change("r.yaml", CopyKey(("interfaces", "e1"), "e2")),
            Change("r.yaml", SetValue(("interfaces", "e2", "addresses", 0), "10.2.0.1/24")),
        ],
    )
    assert "e2: {addresses: [10.2.0.1/24]}" in after["r.yaml"]
    assert before == TEXTS
    assert changed(TEXTS, []) == TEXTS


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (Change("t.yaml", Remove(("role",))), "there is no file t.yaml"),
        (Change("r.yaml", Remove(("rip",))), "r.yaml: nothing stands at rip"),
        (Change("r.yaml", SetValue(("interfaces",), "{}")), "a block of lines is no single value"),
        (Change("r.yaml", SetKey(("role", "x"), "y", "z")), "needs keys around it"),
        (Change("r.yaml", CopyKey(("interfaces", "e1"), "e1")), "stands there already"),
        (Change("r.yaml", SetKey((), "site", "a\nrole: host")), "written on one line"),
        (Change("r.yaml", SetKey((), "site", "[" * 201)), "not too deep"),
        (Change("r.yaml", SetKey((), "site", "}")), "not YAML"),
        (Change("r.yaml", SetKey(("interfaces", "e1"), "site", "a}, b: {")), "not YAML"),
    ],
)
def test_what_does_not_apply_is_said(change, words):
    with pytest.raises(DoesNotApply, match=words):
        changed(TEXTS, [change])


@pytest.mark.parametrize(
    "written",
    [
        {"file": "r.yaml", "patch": {"kind": "rewrite", "path": []}},
        {"file": "r.yaml", "patch": {"kind": "remove"}},
        {"file": "r.yaml", "patch": {"kind": "remove", "path": [1.5]}},
        {"file": "r.yaml", "patch": {"kind": "remove", "path": [], "more": 1}},
        {"patch": {"kind": "remove", "path": []}},
    ],
)
def test_other_written_forms_are_refused(written):
    with pytest.raises(msgspec.ValidationError):
        msgspec.convert(written, Change)


def test_a_lens_shows_what_its_changes_make():
    """What the state holds and where it stands follow the changed texts; a problem leaves none."""
    change = Change("r.yaml", Insert(("static",), 0, "{to: 10.9.0.0/16, discard: true}"))
    view = look_through(Lens(texts=TEXTS, changes=(change,)))
    assert [str(route.to) for route in view.reading.network.devices[0].vrfs[0].static] == [
        "10.9.0.0/16",
        "10.0.0.0/8",
    ]
    assert view.texts == changed(TEXTS, [change])
    broken = Change("r.yaml", SetValue(("role",), "toaster"))
    view = look_through(Lens(texts=TEXTS, changes=(broken,)))
    assert view.state is None
    assert [problem.place.line for problem in view.reading.problems] == [3]
