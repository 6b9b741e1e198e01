"""YAML text to a small tree of nodes that know their place, safely.

The tree is built from parser events, without recursion: aliases, tags, deep nesting and oversized
files are refused before they can cost anything, and nothing in a file can name code.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TypeAlias

import yaml

from routrel.files.report import Report
from routrel.model.place import Place

__all__ = [
    "MAXIMUM_BYTES",
    "MAXIMUM_DEPTH",
    "MAXIMUM_NODES",
    "Mapping",
    "Node",
    "Scalar",
    "Sequence",
    "parse",
]

MAXIMUM_BYTES = 16 * 1024 * 1024  #: of one file
MAXIMUM_DEPTH = 24  #: nested lists and mappings; the language itself needs nine
MAXIMUM_NODES = 2_000_000  #: values in one file

#: How YAML spells quoted and block text; a plain value has another style or none.
QUOTED_STYLES = ("'", '"', "|", ">")
#: Control characters that YAML (5.1) does not allow in a file, and halves of surrogate pairs. A
#: quoted value could still spell them.
_UNPRINTABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


@dataclass(slots=True)
class Scalar:
    """One written value, still text. `quoted` values are never numbers, booleans or empty."""

    text: str
    quoted: bool
    place: Place


@dataclass(slots=True)
class Sequence:
    """A list of values."""

    place: Place
    items: list[Node] = field(default_factory=list)


@dataclass(slots=True)
class Mapping:
    """Keys with values, in the order written; duplicates are already reported and left out."""

    place: Place
    pairs: dict[str, tuple[Scalar, Node]] = field(default_factory=dict)


Node: TypeAlias = Scalar | Sequence | Mapping


def parse(text: str, file: str, report: Report) -> Node | None:
    """The tree of one file's text.

    Args:
        text: The whole file.
        file: Its name in places.
        report: Takes every problem; syntax errors end the file, the others do not.
    Returns:
        The root, or None where the file is empty or could not be read (then it is reported).
    """
    if len(text.encode("utf-8", "surrogatepass")) > MAXIMUM_BYTES:
        limit = MAXIMUM_BYTES // (1024 * 1024)
        report.error(
            Place(file, 1, 1), "too_large", f"the file is larger than {limit} MiB", "split it"
        )
        return None
    if odd := _UNPRINTABLE.search(text):
        line = text.count("\n", 0, odd.start()) + 1
        column = odd.start() - (text.rfind("\n", 0, odd.start()) + 1) + 1
        report.error(
            Place(file, line, column),
            "not_text",
            f"the file holds the control character U+{ord(odd.group()):04X}",
            "save it as plain UTF-8 text",
        )
        return None
    try:
        return _Builder(file, report).build(yaml.parse(text, Loader=yaml.CSafeLoader))
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        place = Place(file, mark.line + 1, mark.column + 1) if mark else Place(file, 1, 1)
        lines = text.splitlines()
        if place.line > len(lines) > 0:  # what is missing at the end is told at the last line
            place = Place(file, len(lines), len(lines[-1]) + 1)
        problem = " ".join(filter(None, (error.context, error.problem)))
        report.error(
            place, "yaml_syntax", f"not YAML: {problem}", "check indentation, quotes and brackets"
        )
    except _Refused:
        pass
    return None


class _Refused(Exception):
    """The file was refused and reported; there is nothing more to read in it."""


class _Builder:
    def __init__(self, file: str, report: Report) -> None:
        self.file = file
        self.report = report

    def build(self, events: Iterator[yaml.Event]) -> Node | None:
        root: Node | None = None
        open_nodes: list[Sequence | Mapping] = []
        keys: list[Scalar | None] = []  # the key that waits for its value, for each open node
        count = documents = 0
        for event in events:
            if isinstance(event, yaml.DocumentStartEvent):
                documents += 1
                if documents > 1:
                    self._refuse(
                        event,
                        "several_documents",
                        "a second document begins here",
                        "put one document in a file",
                    )
                continue
            if isinstance(event, yaml.CollectionEndEvent):
                open_nodes.pop()
                keys.pop()
                continue
            if not isinstance(event, yaml.NodeEvent):
                continue
            self._check(event)
            count += 1
            if count > MAXIMUM_NODES:
                self._refuse(
                    event, "too_many_values", f"more than {MAXIMUM_NODES} values", "split the file"
                )
            node = self._node(event)
            if not open_nodes:
                root = node
            else:
                self._attach(open_nodes[-1], node, keys)
            if not isinstance(node, Scalar):
                open_nodes.append(node)
                keys.append(None)
                if len(open_nodes) > MAXIMUM_DEPTH:
                    self._refuse(
                        event,
                        "too_deep",
                        f"nested deeper than {MAXIMUM_DEPTH} levels",
                        "check the brackets and the indentation",
                    )
        if isinstance(root, Scalar) and not root.text and not root.quoted:
            return None
        return root

    def _node(self, event: yaml.NodeEvent) -> Node:
        place = self._place(event)
        if isinstance(event, yaml.ScalarEvent):
            text = event.value
            # What stands in the file was looked at; only double quotes can spell something else.
            if event.style == '"' and (odd := _UNPRINTABLE.search(text)):
                self.report.error(
                    place,
                    "not_text",
                    f"the value spells the control character U+{ord(odd.group()):04X}",
                    "write it without",
                )
                text = _UNPRINTABLE.sub("\ufffd", text)
            return Scalar(text, quoted=event.style in QUOTED_STYLES, place=place)
        return Sequence(place) if isinstance(event, yaml.SequenceStartEvent) else Mapping(place)

    def _attach(self, parent: Sequence | Mapping, node: Node, keys: list[Scalar | None]) -> None:
        if isinstance(parent, Sequence):
            parent.items.append(node)
            return
        key = keys[-1]
        if key is None:
            if not isinstance(node, Scalar):
                self.report.error(
                    node.place,
                    "bad_key",
                    "a key must be a plain word",
                    "check the brackets and the indentation",
                )
                raise _Refused
            keys[-1] = node
            return
        keys[-1] = None
        if key.text in parent.pairs:
            first = parent.pairs[key.text][0].place
            self.report.error(
                key.place,
                "duplicate_key",
                f"“{key.text}” was already given in line {first.line}",
                "remove one of the two",
            )
            return
        parent.pairs[key.text] = (key, node)

    def _check(self, event: yaml.NodeEvent) -> None:
        if isinstance(event, yaml.AliasEvent) or event.anchor:
            self._refuse(
                event,
                "alias",
                "anchors and aliases (& and *) are not part of the language",
                "write the value out, or quote the text",
            )
        if tag := getattr(event, "tag", None):
            self._refuse(
                event,
                "tag",
                f"the tag “{tag}” is not part of the language",
                "remove it, or quote the text",
            )

    def _refuse(self, event: yaml.Event, code: str, text: str, suggestion: str) -> None:
        self.report.error(self._place(event), code, text, suggestion)
        raise _Refused

    def _place(self, event: yaml.Event) -> Place:
        mark = event.start_mark
        if mark is None:
            return Place(self.file, 1, 1)
        return Place(self.file, mark.line + 1, mark.column + 1)
