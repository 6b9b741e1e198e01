"""Edits of a file's text change what they should and leave every other line as it was."""

from __future__ import annotations

import copy

import pytest
import yaml

from routrel.files.patching import (
    copy_item,
    copy_key,
    edited_lines,
    insert_item,
    path_at,
    remove,
    set_key,
    set_value,
)

TEXT = """\
routrel: 1  # version
interfaces:
  e1:
    addresses: [10.0.0.1/24, 10.0.1.1/24]
    mtu: 1400   # radio
  e2: {addresses: [10.0.2.1/24], enabled: false}
static:
  # by the harbour
  - {to: 10.9.0.0/16, via: 10.0.0.2}
  - to: 10.8.0.0/16
    via: 10.0.1.2

filters:
  f:
    rules:
      - {id: 10, permit: tcp, to-port: 443}
    default: deny
"""


def edited(change):
    """TEXT as data, changed by a plain function."""
    data = yaml.safe_load(TEXT)
    change(data)
    return data


EDITS = [
    (lambda t: set_value(t, ("interfaces", "e1", "mtu"), "1500"),
     lambda d: d["interfaces"]["e1"].update(mtu=1500), 1),
    (lambda t: set_key(t, ("interfaces", "e1"), "enabled", "false"),
     lambda d: d["interfaces"]["e1"].update(enabled=False), 1),
    (lambda t: set_key(t, ("interfaces", "e2"), "mtu", "9000"),
     lambda d: d["interfaces"]["e2"].update(mtu=9000), 1),
    (lambda t: set_key(t, ("vrfs", "blue"), "export-tags", "x"),
     lambda d: d.update(vrfs={"blue": {"export-tags": "x"}}), 1),
    (lambda t: insert_item(t, ("static",), 99, "{to: 10.7.0.0/16, discard: true}"),
     lambda d: d["static"].append({"to": "10.7.0.0/16", "discard": True}), 1),
    (lambda t: insert_item(t, ("static",), 1, "{to: 10.7.0.0/16, discard: true}"),
     lambda d: d["static"].insert(1, {"to": "10.7.0.0/16", "discard": True}), 1),
    (lambda t: insert_item(t, ("filters", "f", "rules", 0, "to-port"), 99, "80"),
     lambda d: d["filters"]["f"]["rules"][0].update({"to-port": [443, 80]}), 1),
    (lambda t: insert_item(t, ("interfaces", "e1", "addresses"), 1, "10.0.3.1/24"),
     lambda d: d["interfaces"]["e1"]["addresses"].insert(1, "10.0.3.1/24"), 1),
    (lambda t: insert_item(t, ("translation",), 0, "{id: 10}"),
     lambda d: d.update(translation=[{"id": 10}]), 1),
    (lambda t: remove(t, ("static", 1)), lambda d: d["static"].pop(1), 2),
    (lambda t: remove(t, ("interfaces", "e2", "enabled")),
     lambda d: d["interfaces"]["e2"].pop("enabled"), 1),
    (lambda t: remove(t, ("interfaces", "e1", "addresses", 0)),
     lambda d: d["interfaces"]["e1"]["addresses"].pop(0), 1),
    (lambda t: remove(t, ("filters", "f", "rules", 0)), lambda d: d["filters"]["f"].update(rules=[]), 2),
]  # fmt: skip


@pytest.mark.parametrize(("patch", "change", "lines"), EDITS)
def test_an_edit_changes_one_thing(patch, change, lines):
    after = patch(TEXT)
    expected = copy.deepcopy(edited(change))
    assert yaml.safe_load(after) == expected
    (one,) = edited_lines("f.yaml", TEXT, after)
    assert max(len(one.before), len(one.after)) == lines
    old = TEXT.splitlines()
    assert tuple(old[one.line - 1 : one.line - 1 + len(one.before)]) == one.before
    old[one.line - 1 : one.line - 1 + len(one.before)] = one.after
    assert old == after.splitlines()


def test_places_lead_to_paths():
    """A block begins where its first key does; the caller says which of the two is meant."""
    assert path_at(TEXT, 3, 3, named=True) == ("interfaces", "e1")
    assert path_at(TEXT, 9, 5) == ("static", 0)
    assert path_at(TEXT, 10, 5) == ("static", 1)
    assert path_at(TEXT, 10, 5, named=True) == ("static", 1, "to")
    with pytest.raises(KeyError):
        path_at(TEXT, 8, 1)
    with pytest.raises(KeyError):
        set_value(TEXT, ("interfaces", "e9"), "{}")
    with pytest.raises(KeyError):
        copy_key(TEXT, ("filters", "f"), "f")
    with pytest.raises(KeyError):
        copy_item(TEXT, ("filters", "f"))


def test_a_copy_takes_its_comments_along_and_each_stays_in_its_lines():
    """What is copied stands behind the others under its own name, comments and order as they were."""
    text = "policies:\n  a:\n    # ours\n    default: accept  # all\n\nsets: {}\n"
    assert copy_key(text, ("policies", "a"), "a-2") == (
        "policies:\n  a:\n    # ours\n    default: accept  # all\n"
        "  a-2:\n    # ours\n    default: accept  # all\n\nsets: {}\n"
    )
