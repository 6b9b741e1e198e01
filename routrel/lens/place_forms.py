"""Places of a configuration as forms: what may stand there, what stands there, and edits of it.

A place is a device, or a file, and keys below it. What may stand there is what the language says,
so a form needs no words of its own, and every key of the language has one.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import yaml

from routrel.files.canonical import canonical, canonical_yaml
from routrel.files.language import FILE_KINDS
from routrel.files.nodes import Mapping as Keys
from routrel.files.nodes import Node, Scalar, parse
from routrel.files.places import item_name
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Boolean,
    Choice,
    Field,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Shape,
    Text,
    Values,
)
from routrel.files.yaml_tree import LOADER, child
from routrel.lens.changes import device_files
from routrel.model.changes import Operation, PlaceEdit
from routrel.model.place import Place

__all__ = [
    "Entry",
    "FieldSeen",
    "NoSuchPlace",
    "PlaceKind",
    "PlaceSeen",
    "WrongValue",
    "place_edit",
    "place_seen",
]


class NoSuchPlace(Exception):
    """The language knows no such place, or the files have no such device or item."""


class WrongValue(Exception):
    """A value is not what may stand at its place; the message says what may."""


class PlaceKind(StrEnum):
    """How a place is filled in."""

    KEYS = "keys"  #: keys with values of their own
    NAMES = "names"  #: names, each with keys
    ITEMS = "items"  #: a list of items with keys, in an order that may count
    VALUE = "value"  #: one value, or a list of plain ones


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldSeen:
    """A key that may stand at a place."""

    key: str
    help: str
    expects: str
    kind: PlaceKind
    required: bool
    options: tuple[str, ...]  #: of a switch and a choice
    default: str  #: what it means that nothing stands here, where that is a value
    value: str | None  #: as it stands, in flow-style YAML; None: it does not
    fields: tuple[FieldSeen, ...]  #: of keys with keys of their own


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """A name or an item at a place."""

    name: str  #: by which a place names it: #3 where it has no name of its own
    value: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceSeen:
    """A place with all that stands there and may stand there."""

    file: str
    at: tuple[str, ...]
    what: str  #: “an interface”, “names, each with the keys of a filter”
    kind: PlaceKind
    value: str | None  #: None: nothing stands there
    fields: tuple[FieldSeen, ...]  #: of KEYS; else those of one entry
    entries: tuple[Entry, ...]  #: of NAMES and ITEMS


@dataclass(frozen=True)
class _Named(Shape):
    """What stands behind a name."""

    record: Any  #: as that of a map of names
    given: Values  #: the name, by the attribute that takes it

    @property
    def expects(self) -> str:  # type: ignore[override]
        return str(self.record.expects)

    def read(self, node: Node, report: Report) -> Any:
        return self.record.read_as(node, report, self.given, node.place)


def place_seen(
    texts: Mapping[str, str], device: str, at: Sequence[str], file: str = ""
) -> PlaceSeen:
    """A place of a device's file, or of another file.

    Raises:
        NoSuchPlace: there is none.
    """
    path, shape, node = _found(texts, device, at, file)
    kind = _kind(shape)
    record: Shape = shape
    if isinstance(shape, NamedMap | _Named):
        record = shape.record
    elif isinstance(shape, ListOf | OneOrMany):
        record = shape.item
    keyed = node if kind is PlaceKind.KEYS else None
    return PlaceSeen(
        file=path,
        at=tuple(at),
        what=record.what if isinstance(record, Record) else shape.expects,
        kind=kind,
        value=None if node is None else canonical_yaml(node),
        fields=_fields(record, keyed),
        entries=tuple(_entries(kind, node)),
    )


def place_edit(
    texts: Mapping[str, str],
    device: str,
    at: Sequence[str],
    value: str | None,
    *,
    operation: Operation = Operation.SET,
    before: str | None = None,
    file: str = "",
) -> PlaceEdit | None:
    """The edit that lets a value stand at a place, and remembers what stands there; None: it does.

    Args:
        value: As one writes it in a file, on one line; None takes away what stands there.
        operation: ADD puts the value into the list at the place; MOVE leaves it as it is.
        before: Of ADD and MOVE: the item in front of which it comes; None: the last.
    Raises:
        NoSuchPlace: there is none.
        WrongValue: such a value may not stand there.
    """
    _, shape, node = _found(texts, device, at, file)
    stands = _text(node)
    edit = PlaceEdit(
        at=tuple(at) if file else (device, *at), file=file, operation=operation, was=stands
    )
    if operation is Operation.MOVE:
        return replace(edit, before=before)
    if value is None or not value.strip():
        return replace(edit, operation=Operation.REMOVE) if stands is not None else None
    if operation is Operation.ADD:
        if not isinstance(shape, ListOf | OneOrMany):
            raise NoSuchPlace("no list stands there")
        return replace(edit, was=None, value=_checked(shape.item, value), before=before)
    wanted = _checked(shape, value)
    return replace(edit, value=wanted) if wanted != stands else None


def _fields(shape: Shape, node: yaml.Node | None) -> tuple[FieldSeen, ...]:
    """The keys that may stand at a node, with those below them."""
    if not isinstance(shape, Record):
        return ()
    seen = []
    for field in shape.fields:
        below = child(node, field.key) if node is not None else None
        seen.append(
            FieldSeen(
                key=field.key,
                help=field.help,
                expects=field.shape.expects,
                kind=_kind(field.shape),
                required=field.required,
                options=_options(field.shape),
                default=_default(field),
                value=_text(below),
                fields=_fields(field.shape, below),
            )
        )
    return tuple(seen)


def _found(
    texts: Mapping[str, str], device: str, at: Sequence[str], file: str
) -> tuple[str, Shape, yaml.Node | None]:
    """The file of a place, what may stand there, and what does."""
    path = file or device_files(texts).get(device, "")
    if path not in texts:
        raise NoSuchPlace(f"there is no file {file}" if file else f"there is no device {device}")
    try:
        node = yaml.compose(texts[path], Loader=LOADER)
    except yaml.YAMLError as error:
        raise NoSuchPlace(f"{path} is not YAML; edit its text") from error
    shape: Shape | None = None
    if isinstance(node, yaml.MappingNode):
        keys = {key.value for key, _ in node.value}
        shape = next((record for key, record in FILE_KINDS.items() if key in keys), None)
    if shape is None:
        raise NoSuchPlace(f"{path} is no file of the language; edit its text")
    found: yaml.Node | None = node
    for step in at:
        shape, found = _below(shape, found, step)
    return path, shape, found


def _below(shape: Shape, node: yaml.Node | None, step: str) -> tuple[Shape, yaml.Node | None]:
    """What may stand, and stands, one step below a place."""
    if isinstance(shape, _Named):
        shape = shape.record
    if isinstance(shape, Record):
        field = next((field for field in shape.fields if field.key == step), None)
        if field is None:
            raise NoSuchPlace(f"{shape.what} has no key “{step}”")
        return field.shape, None if node is None else child(node, step)
    if isinstance(shape, NamedMap):
        report = Report()
        key = shape.key.read(Scalar(step, False, Place("", 1, 1)), report)
        if key is BAD or report.problems:
            raise NoSuchPlace(f"“{step}” is not {shape.key.expects}")
        named = _Named(shape.record, {shape.name: key})
        return named, None if node is None else child(node, step)
    if isinstance(shape, ListOf | OneOrMany) and isinstance(node, yaml.SequenceNode):
        for entry, item in zip(_entries(PlaceKind.ITEMS, node), node.value, strict=True):
            if entry.name == step:
                return shape.item, item
    raise NoSuchPlace(f"there is no “{step}”")


def _kind(shape: Shape) -> PlaceKind:
    if isinstance(shape, _Named):
        return _kind(shape.record)
    if isinstance(shape, Record):
        return PlaceKind.KEYS
    if isinstance(shape, NamedMap) and isinstance(shape.record, Record):
        return PlaceKind.NAMES
    if isinstance(shape, ListOf | OneOrMany) and isinstance(shape.item, Record):
        return PlaceKind.ITEMS
    return PlaceKind.VALUE


def _options(shape: Shape) -> tuple[str, ...]:
    if isinstance(shape, Boolean):
        return ("true", "false")
    if isinstance(shape, Choice):
        return tuple(str(option.value) for option in shape.options)
    return ()


def _default(field: Field) -> str:
    if (
        field.default is None
        or field.default in ((), "")
        or _kind(field.shape) is not (PlaceKind.VALUE)
    ):
        return ""
    written = field.shape.write(field.default)
    return str(written).lower() if isinstance(written, bool) else str(written)


def _entries(kind: PlaceKind, node: yaml.Node | None) -> list[Entry]:
    if kind is PlaceKind.NAMES and isinstance(node, yaml.MappingNode):
        return [Entry(name=key.value, value=canonical_yaml(value)) for key, value in node.value]
    if kind is PlaceKind.ITEMS and node is not None:
        items = node.value if isinstance(node, yaml.SequenceNode) else [node]
        names = [item_name(item) for item in items]
        return [
            Entry(
                name=name if name and names.count(name) == 1 else f"#{number}",
                value=canonical_yaml(item),
            )
            for number, (name, item) in enumerate(zip(names, items, strict=True), start=1)
        ]
    return []


def _text(node: yaml.Node | None) -> str | None:
    return None if node is None else canonical_yaml(node)


def _checked(shape: Shape, value: str) -> str:
    """A value in its one written form, once its shape takes it, in quotes where it needs them.

    Raises:
        WrongValue: it does not.
    """
    if "\n" in value.strip():
        raise WrongValue("a value is written on one line")
    quoted = json.dumps(value.strip(), ensure_ascii=False)
    is_free = isinstance(shape, Text) and value.strip()[:1] not in ('"', "'")
    for text in (quoted,) if is_free else (value, quoted):
        report = Report()
        root = parse(f"value: {text}", "", report)
        node = root.pairs["value"][1] if isinstance(root, Keys) else None
        if node is None or report.problems:
            continue
        if shape.read(node, report) is not BAD and not report.problems:
            return canonical(node)
        break
    problem = report.sorted()[0] if report.problems else None
    told = problem.text if problem else f"“{value}” is not {shape.expects}"
    hint = f"; {problem.suggestion}" if problem and problem.suggestion else ""
    raise WrongValue(f"{told}{hint}")
