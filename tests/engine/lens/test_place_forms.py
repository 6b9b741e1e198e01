"""Every place of the language as a form: what may stand there, and edits of what does."""

from __future__ import annotations

import pytest

from routrel.lens.changes import with_change
from routrel.lens.place_forms import NoSuchPlace, PlaceKind, WrongValue, place_edit, place_seen
from routrel.model.changes import Change, Operation
from tests.engine.lens.test_changes import NET


def test_keys_are_those_of_the_language_with_what_stands_there():
    seen = place_seen(NET, "r1", ("interfaces", "e1"))
    assert (seen.kind, seen.what, seen.file) == (PlaceKind.KEYS, "an interface", "devices/r1.yaml")
    by_key = {field.key: field for field in seen.fields}
    assert by_key["mtu"].value == "1500"
    assert by_key["mtu"].expects.startswith("a whole number from 68")
    assert by_key["enabled"].options == ("true", "false")
    assert by_key["enabled"].default == "true"
    assert by_key["ospf"].value is None
    assert {"area", "cost"} <= {field.key for field in by_key["ospf"].fields}


def test_names_and_items_are_called_as_places_call_them():
    names = place_seen(NET, "r1", ("interfaces",))
    assert (names.kind, [entry.name for entry in names.entries]) == (PlaceKind.NAMES, ["e1", "e2"])
    rules = place_seen(NET, "r1", ("filters", "quay-in", "rules"))
    assert (rules.kind, [e.name for e in rules.entries]) == (PlaceKind.ITEMS, ["10", "20", "30"])
    routes = place_seen(NET, "r1", ("static",))
    assert [entry.name for entry in routes.entries] == ["10.9.0.0/16", "10.8.0.0/16"]


@pytest.mark.parametrize(
    ("at", "value", "how", "line"),
    [
        (("interfaces", "e1", "mtu"), "9000", {}, "  e1: {addresses: [10.0.0.1/31], mtu: 9000}"),
        (("interfaces", "e1", "ospf", "cost"), "7", {}, None),  # no area: only the reader refuses
        (("interfaces", "e1", "mtu"), None, {}, "  e1: {addresses: [10.0.0.1/31]}"),
        (("interfaces", "e1", "description"), "to: the quay", {}, None),
        (("static",), "{to: 10.7.0.0/16, discard: true}", {"operation": Operation.ADD},
         "  - {to: 10.7.0.0/16, discard: true}"),
        (("filters", "quay-in", "rules"), "{id: 15, deny: icmp}",
         {"operation": Operation.ADD, "before": "20"}, "      - {id: 15, deny: icmp}"),
    ],
)  # fmt: skip
def test_an_edit_of_a_place_writes_what_was_said(at, value, how, line):
    edit = place_edit(NET, "r1", at, value, **how)
    assert edit is not None
    made = with_change(NET, Change(name="c", edits=(edit,)))
    assert made.conflicts == ()
    if line is not None:
        assert line in made.texts["devices/r1.yaml"].splitlines()
    again = place_seen(made.texts, "r1", at)
    if how:
        assert any(entry.value == edit.value for entry in again.entries)
    else:
        assert again.value == (None if value is None else edit.value)


def test_what_stands_there_already_is_no_edit():
    assert place_edit(NET, "r1", ("interfaces", "e1", "mtu"), "1500") is None
    assert place_edit(NET, "r1", ("interfaces", "e1", "bandwidth"), None) is None


@pytest.mark.parametrize(
    ("at", "value", "how", "error", "says"),
    [
        (("interfaces", "e1", "mtu"), "12", {}, WrongValue, "a whole number from 68"),
        (("interfaces", "e1", "mtu"), "1\n2", {}, WrongValue, "on one line"),
        (("interfaces", "e1", "mut"), "12", {}, NoSuchPlace, "an interface has no key “mut”"),
        (("static", "10.6.0.0/16"), "x", {}, NoSuchPlace, "there is no “10.6.0.0/16”"),
        (("interfaces", "e1", "mtu"), "9", {"operation": Operation.ADD}, NoSuchPlace, "no list"),
    ],
)
def test_what_may_not_stand_there_is_refused_in_words(at, value, how, error, says):
    with pytest.raises(error, match=says):
        place_edit(NET, "r1", at, value, **how)


def test_a_device_that_is_not_there_has_no_places():
    with pytest.raises(NoSuchPlace, match="there is no device r9"):
        place_seen(NET, "r9", ())
