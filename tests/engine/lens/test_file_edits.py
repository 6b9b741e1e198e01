"""Changes as values: one written form, made in order, refused where they do not apply."""

from __future__ import annotations

import json

import msgspec
import pytest

from routrel.lens.file_edits import (
    LAST,
    CopyItem,
    CopyKey,
    DoesNotApply,
    FileEdit,
    Insert,
    Patch,
    Remove,
    SetKey,
    SetValue,
    edited,
)
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
    change = FileEdit("r.yaml", patch)
    written = json.loads(msgspec.json.encode(change))
    assert (written["file"], written["patch"]["kind"]) == ("r.yaml", kind)
    read = msgspec.convert(written, FileEdit)
    assert read == change
    after = edited(TEXTS, [read])
    assert then in after["r.yaml"]
    assert after["s.yaml"] == TEXTS["s.yaml"]


def test_changes_are_made_one_after_the_other():
    """The second stands on what the first has made; the texts given stay as they are."""
    before = dict(TEXTS)
    after = edited(
        TEXTS,
        [
            FileEdit("r.yaml", CopyKey(("interfaces", "e1"), "e2")),
            FileEdit("r.yaml", SetValue(("interfaces", "e2", "addresses", 0), "10.2.0.1/24")),
        ],
    )
    assert "e2: {addresses: [10.2.0.1/24]}" in after["r.yaml"]
    assert before == TEXTS
    assert edited(TEXTS, []) == TEXTS


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (FileEdit("t.yaml", Remove(("role",))), "there is no file t.yaml"),
        (FileEdit("r.yaml", Remove(("rip",))), "r.yaml: nothing stands at rip"),
        (
            FileEdit("r.yaml", SetValue(("interfaces",), "{}")),
            "a block of lines is no single value",
        ),
        (FileEdit("r.yaml", SetKey(("role", "x"), "y", "z")), "needs keys around it"),
        (FileEdit("r.yaml", CopyKey(("interfaces", "e1"), "e1")), "stands there already"),
        (FileEdit("r.yaml", SetKey((), "site", "a\nrole: host")), "written on one line"),
        (FileEdit("r.yaml", SetKey((), "site", "[" * 201)), "not too deep"),
        (FileEdit("r.yaml", SetKey((), "site", "}")), "not YAML"),
        (FileEdit("r.yaml", SetKey(("interfaces", "e1"), "site", "a}, b: {")), "not YAML"),
    ],
)
def test_what_does_not_apply_is_said(change, words):
    with pytest.raises(DoesNotApply, match=words):
        edited(TEXTS, [change])


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
        msgspec.convert(written, FileEdit)
