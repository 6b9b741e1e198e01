"""The change that leads from one state of a network's files to another."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping
from dataclasses import replace

import yaml

from routrel.files.canonical import canonical_yaml
from routrel.files.places import item_name
from routrel.lens.changes import device_files, with_change
from routrel.model.changes import Change, Edit, Operation, PlaceEdit, TextEdit

__all__ = ["change_between"]

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


def change_between(
    before: Mapping[str, str], after: Mapping[str, str], name: str, purpose: str = ""
) -> Change | None:
    """A change that makes the files of `before` those of `after`, to the letter; None: none does.

    A file's difference is told by places where that gives its very text, else by lines.
    """
    edits: list[Edit] = []
    names = {path: device for device, path in device_files(before).items()}
    for file in sorted({*before, *after}):
        old, new = before.get(file), after.get(file)
        if old == new:
            continue
        if old is None or new is None:
            edits.append(TextEdit(file=file, was=old, text=new))
            continue
        edits += _by_places(file, names.get(file), old, new) or _by_lines(file, old, new)
    return Change(name=name, purpose=purpose, edits=tuple(edits)) if edits else None


def _by_places(file: str, device: str | None, old: str, new: str) -> list[Edit]:
    """Edits of places; empty where they do not give the text."""
    try:
        roots = [yaml.compose(text, Loader=_LOADER) for text in (old, new)]
    except yaml.YAMLError:
        return []
    was, now = roots
    if not isinstance(was, yaml.MappingNode) or not isinstance(now, yaml.MappingNode):
        return []
    if device is not None and device_files({file: new}) != {device: file}:
        return []  # a place begins with the device's name, which is another now
    edits: list[Edit] = [
        edit if device else replace(edit, file=file)
        for edit in _differences(was, now, (device,) if device else ())
    ]
    trial = Change(name="trial", edits=tuple(edits))
    made = with_change({file: old}, trial)
    return edits if not made.conflicts and made.texts[file] == new else []


def _differences(old: yaml.Node, new: yaml.Node, at: tuple[str, ...]) -> Iterator[PlaceEdit]:
    """What differs between two values, as edits, deepest first."""
    if canonical_yaml(old) == canonical_yaml(new):
        return
    if isinstance(old, yaml.MappingNode) and isinstance(new, yaml.MappingNode):
        here = {key.value: value for key, value in old.value}
        there = {key.value: value for key, value in new.value}
        for key, value in here.items():
            if key not in there:
                was = canonical_yaml(value)
                yield PlaceEdit(at=(*at, key), operation=Operation.REMOVE, was=was)
            else:
                yield from _differences(value, there[key], (*at, key))
        for key, value in there.items():
            if key not in here:
                set_to = canonical_yaml(value)
                yield PlaceEdit(at=(*at, key), operation=Operation.SET, value=set_to)
        return
    if isinstance(old, yaml.SequenceNode) and isinstance(new, yaml.SequenceNode):
        here, there = (_named(node) for node in (old, new))
        numbered = any(name.startswith("#") for name in (*here, *there))
        if not numbered or list(here) == list(there):
            yield from _item_differences(here, there, at)
            return
    yield PlaceEdit(
        at=at, operation=Operation.SET, was=canonical_yaml(old), value=canonical_yaml(new)
    )


def _named(node: yaml.SequenceNode) -> dict[str, yaml.Node]:
    """The items of a list by name, those that have none of their own by their number."""
    names = [item_name(item) for item in node.value]
    return {
        name if name and names.count(name) == 1 else f"#{number}": item
        for number, (name, item) in enumerate(zip(names, node.value, strict=True), start=1)
    }


def _item_differences(
    here: Mapping[str, yaml.Node], there: Mapping[str, yaml.Node], at: tuple[str, ...]
) -> Iterator[PlaceEdit]:
    """What differs between two lists, whose items have names."""
    for name, item in here.items():
        if name not in there:
            was = canonical_yaml(item)
            yield PlaceEdit(at=(*at, name), operation=Operation.REMOVE, was=was)
    order = [name for name in here if name in there]
    wanted = [name for name in there if name in here]
    for place, name in enumerate(wanted):
        if order[place] != name:
            # What stands where it belongs is the first that comes behind it.
            before = order[place]
            order.remove(name)
            order.insert(place, name)
            yield PlaceEdit(at=(*at, name), operation=Operation.MOVE, before=before)
    for name in wanted:
        yield from _differences(here[name], there[name], (*at, name))
    following: str | None = None
    additions = []
    for name in reversed(list(there)):
        if name not in here:
            value = canonical_yaml(there[name])
            additions.append(
                PlaceEdit(at=at, operation=Operation.ADD, value=value, before=following)
            )
        following = name
    yield from additions


def _by_lines(file: str, old: str, new: str) -> Iterator[Edit]:
    """Edits of lines, from the last to the first, each with enough around it to be found."""
    before, after = old.splitlines(keepends=True), new.splitlines(keepends=True)
    matcher = difflib.SequenceMatcher(a=before, b=after, autojunk=False)
    spans = [codes[1:] for codes in matcher.get_opcodes() if codes[0] != "equal"]
    for first, end, new_first, new_end in reversed(spans):
        lead = min(1, first, new_first)
        trail = min(1, len(before) - end, len(after) - new_end)
        yield TextEdit(
            file=file,
            was="".join(before[first - lead : end + trail]),
            text="".join(after[new_first - lead : new_end + trail]),
            line=first - lead + 1,
        )
