"""Edits of a file's text change what they should and leave every other line as it was."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from typing import Any

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

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


# --- any text, any edit ----------------------------------------------------------------------------

KEYS = ("a", "b", "c-d", "10.0.0.1")
SCALARS = st.sampled_from(["1", "x", "10.0.0.0/8", '"2001:db8::1"', "true", "'q # no comment'"])


@st.composite
def documents(draw) -> str:
    """A mapping with lists and mappings inside, in blocks or brackets, with comments and gaps."""
    return "\n".join(draw(blocks(0, depth=3))) + "\n"


@st.composite
def flows(draw, depth: int) -> str:
    kind = draw(st.sampled_from(["scalar", "list", "map"] if depth else ["scalar"]))
    if kind == "scalar":
        return draw(SCALARS)
    if kind == "list":
        items = draw(st.lists(flows(depth=depth - 1), max_size=3))
        return f"[{', '.join(items)}]"
    keys = draw(st.lists(st.sampled_from(KEYS), max_size=3, unique=True))
    return "{" + ", ".join(f"{key}: {draw(flows(depth=depth - 1))}" for key in keys) + "}"


@st.composite
def blocks(draw, indent: int, depth: int) -> list[str]:
    """The lines of a mapping or a list."""
    space, lines = " " * indent, []
    is_list = indent > 0 and draw(st.booleans())
    heads = ["-"] * draw(st.integers(1, 3)) if is_list else [
        f"{key}:" for key in draw(st.lists(st.sampled_from(KEYS), min_size=1, max_size=3, unique=True))
    ]  # fmt: skip
    for head in heads:
        if draw(st.integers(0, 4)) == 0:
            lines.append(space + draw(st.sampled_from(["# said: [before]", "# x"])))
        note = draw(st.sampled_from(["", "", "  # why"]))
        if depth and not is_list and draw(st.booleans()):
            lines += [f"{space}{head}{note}", *draw(blocks(indent=indent + 2, depth=depth - 1))]
        else:
            lines.append(f"{space}{head} {draw(flows(depth=2))}{note}")
    if indent == 0 and draw(st.booleans()):
        lines.append("")
    return lines


def places(data: Any, path: tuple = ()) -> Iterator[tuple]:
    """Every path of a document."""
    yield path
    items = (
        data.items()
        if isinstance(data, dict)
        else enumerate(data)
        if isinstance(data, list)
        else ()
    )
    for step, value in items:
        yield from places(value, (*path, step))


def at(data: Any, path: tuple) -> Any:
    for step in path:
        data = data[step]
    return data


def plainly(data: Any, kind: str, path: tuple) -> None:
    """The same edit of plain data."""
    holder, last = at(data, path[:-1]), path[-1]
    if kind == "set":
        holder[last] = {"new": [1, 2]}
    elif kind == "key":
        at(data, path)["new"] = {"x": 1}
    elif kind == "item":
        at(data, path).insert(1, {"x": 1})
    elif kind == "copy key":
        holder["copied"] = copy.deepcopy(holder[last])
    elif kind == "copy item":
        holder.insert(last, copy.deepcopy(holder[last]))
    else:
        del holder[last]


PATCHES = {
    "set": lambda text, path: set_value(text, path, "{new: [1, 2]}"),
    "key": lambda text, path: set_key(text, path, "new", "{x: 1}"),
    "item": lambda text, path: insert_item(text, path, 1, "{x: 1}"),
    "copy key": lambda text, path: copy_key(text, path, "copied"),
    "copy item": copy_item,
    "remove": remove,
}


@settings(max_examples=300, deadline=None)
@given(documents(), st.data())
def test_any_edit_of_any_text_is_the_edit_of_its_data(text, data):
    """Every place of a text, with every edit that fits there; comments of other lines stay."""
    before = yaml.safe_load(text)
    found = [path for path in places(before) if path]
    path = data.draw(st.sampled_from(found))
    value, holder = at(before, path), at(before, path[:-1])
    kinds = ["set"]
    kinds += ["key"] if isinstance(value, dict) else []
    kinds += ["item"] if isinstance(value, list) else []
    kinds += ["copy key"] if isinstance(holder, dict) else ["copy item"]
    kinds += ["remove"] if isinstance(holder, list) or len(holder) > 1 else []
    kind = data.draw(st.sampled_from(kinds))
    try:
        after = PATCHES[kind](text, path)
    except KeyError:
        # The only thing that is refused: a value in the place of a block of lines.
        assert kind == "set"
        assert isinstance(value, dict | list)
        return
    wanted = copy.deepcopy(before)
    plainly(wanted, kind, path)
    assert yaml.safe_load(after) == wanted
    gone = set(text.splitlines()) - set(after.splitlines())
    assert len(gone) <= 1 or kind == "remove", gone
