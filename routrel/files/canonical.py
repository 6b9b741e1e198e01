"""Values of files in one written form, so that equal values have equal texts.

The form is flow-style YAML on one line. Quotes stand where a plain text would be read otherwise:
as a number, true or false, nothing, or as more than one value.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable

import yaml

from routrel.files.nodes import Mapping, Node, Scalar

__all__ = ["NOTHING", "canonical", "canonical_yaml"]

#: A key with nothing behind it.
NOTHING = "null"

#: What a quoted value is not read as, and a plain one is.
_OTHERWISE = re.compile(r"-?(0|[1-9][0-9]*)|true|false|")
#: A plain value that stands for itself in brackets too (YAML 1.2.2, 7.3.3).
_PLAIN = re.compile(r"[A-Za-z0-9_./+<>=~^$()][^,\[\]{}:#\n\r\t\"'\\]*|-[0-9A-Za-z.]*")


def canonical(node: Node) -> str:
    """The text of a value that was read with its places."""
    if isinstance(node, Scalar):
        return _scalar(node.text, node.quoted)
    if isinstance(node, Mapping):
        return _mapping((key, canonical(value)) for key, (_, value) in node.pairs.items())
    return _sequence(map(canonical, node.items))


def canonical_yaml(node: yaml.Node) -> str:
    """The text of a value as PyYAML composes it."""
    if isinstance(node, yaml.MappingNode):
        return _mapping((key.value, canonical_yaml(value)) for key, value in node.value)
    if isinstance(node, yaml.SequenceNode):
        return _sequence(map(canonical_yaml, node.value))
    return _scalar(node.value, bool(getattr(node, "style", None)))


def _scalar(text: str, quoted: bool) -> str:
    if quoted and _OTHERWISE.fullmatch(text):
        return json.dumps(text)
    if not text and not quoted:
        return NOTHING
    if _PLAIN.fullmatch(text) and text == text.strip():
        return text
    return json.dumps(text, ensure_ascii=False)


def _mapping(pairs: Iterable[tuple[str, str]]) -> str:
    return "{" + ", ".join(f"{_scalar(key, False)}: {value}" for key, value in pairs) + "}"


def _sequence(items: Iterable[str]) -> str:
    return "[" + ", ".join(items) + "]"
