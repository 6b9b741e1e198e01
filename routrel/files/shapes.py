"""Shapes: one description of a value from which reading, writing and the JSON Schema follow.

A shape reads a node into a model value (or `BAD`, after reporting why), writes a model value as
plain YAML data, and says its JSON Schema. The language is made of shapes in `language.py`.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import Enum
from typing import Any, Final

from routrel.files.nodes import Mapping, Node, Scalar, Sequence
from routrel.files.report import Report
from routrel.model.place import Place

__all__ = [
    "BAD",
    "Bad",
    "Boolean",
    "Choice",
    "Field",
    "Integer",
    "ListOf",
    "NamedMap",
    "OneOrMany",
    "PlacedChoice",
    "PlacedInteger",
    "Record",
    "Shape",
    "Text",
    "Word",
    "closest",
]


class Bad:
    """The type of `BAD`, which stands for a value that could not be read and was reported."""


BAD: Final = Bad()


class Shape:
    """What every shape can do."""

    #: What is expected, for error messages: "expected a whole number".
    expects: str = "a value"

    def read(self, node: Node, report: Report) -> Any:
        """The value at a node, or `BAD` once what is wrong with it was reported."""
        raise NotImplementedError

    def write(self, value: Any) -> Any:
        """What `read` makes the value of, in the types of YAML."""
        return value

    def schema(self) -> dict[str, Any]:
        """The JSON Schema of what `read` takes."""
        raise NotImplementedError

    def scalar(self, node: Node, report: Report) -> str | Bad:
        """The text of a scalar node; anything else is reported as a wrong type."""
        if isinstance(node, Scalar):
            if node.text or node.quoted:
                return node.text
            report.error(
                node.place,
                "empty",
                f"nothing stands here; expected {self.expects}",
                "write a value, or remove the key",
            )
            return BAD
        kind = "a list" if isinstance(node, Sequence) else "keys with values"
        report.error(node.place, "wrong_type", f"expected {self.expects}, not {kind}")
        return BAD

    def wrong(self, node: Node, report: Report, text: str, suggestion: str = "") -> Bad:
        """Report that a text is not what is expected."""
        where = f"{report.key}: " if report.key else ""
        report.error(node.place, "bad_value", f"{where}“{text}” is not {self.expects}", suggestion)
        return BAD


def closest(word: str, known: Iterable[str]) -> str:
    """A suggestion that names the nearest known word, or lists a few of them."""
    names = sorted(known)
    near = difflib.get_close_matches(word, names, n=1, cutoff=0.6)
    if near:
        return f"did you mean “{near[0]}”?"
    return "known here: " + ", ".join(names) if 0 < len(names) <= 20 else ""


@dataclass(frozen=True)
class Text(Shape):
    """Free text."""

    expects = "text"

    def read(self, node: Node, report: Report) -> str | Bad:
        return self.scalar(node, report)

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number"]}


@dataclass(frozen=True)
class Word(Shape):
    """A name: no spaces, so that commands and addresses in the browser can carry it."""

    expects: str = "a name (letters, digits, and . _ / - inside)"
    pattern: str = r"[A-Za-z0-9](?:[A-Za-z0-9._/-]*[A-Za-z0-9])?"

    def read(self, node: Node, report: Report) -> str | Bad:
        text = self.scalar(node, report)
        if isinstance(text, str) and not re.fullmatch(self.pattern, text):
            return self.wrong(node, report, text)
        return text

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number"], "pattern": f"^{self.pattern}$"}


@dataclass(frozen=True)
class Integer(Shape):
    """A whole number within bounds, both included."""

    minimum: int
    maximum: int

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"a whole number from {self.minimum} to {self.maximum}"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        quoted = isinstance(node, Scalar) and node.quoted
        if quoted or not re.fullmatch(r"-?(0|[1-9][0-9]{0,18})", text):
            hint = "write it without quotes" if quoted and text.isdecimal() else ""
            return self.wrong(node, report, text, hint)
        number = int(text)
        if not self.minimum <= number <= self.maximum:
            return self.wrong(node, report, text)
        return number

    def schema(self) -> dict[str, Any]:
        return {"type": "integer", "minimum": self.minimum, "maximum": self.maximum}


@dataclass(frozen=True)
class Boolean(Shape):
    """true or false, and no other spelling of them."""

    expects = "true or false"

    def read(self, node: Node, report: Report) -> bool | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text not in ("true", "false") or (isinstance(node, Scalar) and node.quoted):
            alike = {"yes": "true", "on": "true", "no": "false", "off": "false"}.get(text.lower())
            return self.wrong(
                node,
                report,
                text,
                f"write {alike or text.lower()}"
                if alike or text.lower() in ("true", "false")
                else "",
            )
        return text == "true"

    def schema(self) -> dict[str, Any]:
        return {"type": "boolean"}


@dataclass(frozen=True)
class Choice(Shape):
    """One of an enum's values."""

    options: type[Enum]
    reserved: tuple[str, ...] = ()  #: words of the language that are not computed yet

    @property
    def expects(self) -> str:  # type: ignore[override]
        return "one of " + ", ".join(str(option.value) for option in self.options)

    def read(self, node: Node, report: Report) -> Any:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text in self.reserved:
            report.error(
                node.place,
                "not_computed",
                f"“{text}” belongs to the language, but this version does not compute it",
                f"use {self.expects}",
            )
            return BAD
        for option in self.options:
            if option.value == text:
                return option
        near = "" if report.full else closest(text, (o.value for o in self.options))
        return self.wrong(node, report, text, near)

    def write(self, value: Enum) -> Any:
        return _as_yaml(value.value)

    def schema(self) -> dict[str, Any]:
        return {"enum": [_as_yaml(option.value) for option in self.options]}


def _as_yaml(word: str) -> str | int:
    """A word as YAML gives it: one of digits alone is a number."""
    return int(word) if word.isdecimal() else word


class PlacedChoice(Choice):
    """A choice read with its place: an answer may cite the line it stands on."""

    def read(self, node: Node, report: Report) -> Any:
        value = super().read(node, report)
        return BAD if value is BAD else (value, node.place)

    def write(self, value: Any) -> Any:
        return super().write(value[0])


@dataclass(frozen=True)
class PlacedInteger(Integer):
    """A number read with its place: an answer may cite the line it stands on."""

    def read(self, node: Node, report: Report) -> Any:
        value = super().read(node, report)
        return BAD if value is BAD else (value, node.place)

    def write(self, value: Any) -> Any:
        return super().write(value[0])


@dataclass(frozen=True)
class ListOf(Shape):
    """A list; read as a tuple. Values that could not be read are reported and left out."""

    item: Shape
    minimum: int = 0

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"a list, each {self.item.expects}"

    def read(self, node: Node, report: Report) -> tuple[Any, ...] | Bad:
        if not isinstance(node, Sequence):
            report.error(
                node.place,
                "wrong_type",
                f"expected {self.expects}",
                "write [one, two], or one a line after dashes",
            )
            return BAD
        if len(node.items) < self.minimum:
            report.error(node.place, "too_few", f"expected at least {self.minimum} entries")
            return BAD
        values = (self.item.read(item, report) for item in node.items)
        return tuple(value for value in values if value is not BAD)

    def write(self, value: tuple[Any, ...]) -> Any:
        return [self.item.write(item) for item in value]

    def schema(self) -> dict[str, Any]:
        return {"type": "array", "items": self.item.schema(), "minItems": self.minimum}


@dataclass(frozen=True)
class OneOrMany(Shape):
    """One value or a list of them; read as a tuple, written as short as it goes."""

    item: Shape

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"{self.item.expects}, or a list of them"

    def read(self, node: Node, report: Report) -> tuple[Any, ...] | Bad:
        if isinstance(node, Sequence):
            return ListOf(self.item, minimum=1).read(node, report)
        value = self.item.read(node, report)
        return BAD if value is BAD else (value,)

    def write(self, value: tuple[Any, ...]) -> Any:
        written = [self.item.write(item) for item in value]
        return written[0] if len(written) == 1 else written

    def schema(self) -> dict[str, Any]:
        one = self.item.schema()
        return {"anyOf": [one, {"type": "array", "items": one, "minItems": 1}]}


@dataclass(frozen=True)
class NamedMap(Shape):
    """A mapping from names to records; each record takes its name from its key."""

    key: Shape
    record: Any  #: a `Record`, or another shape with `read_as`
    name: str = "name"  #: the attribute that takes the key

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"names, each with {self.record.expects}"

    def read(self, node: Node, report: Report) -> tuple[Any, ...] | Bad:
        if not isinstance(node, Mapping):
            report.error(
                node.place,
                "wrong_type",
                f"expected {self.expects}",
                "write “name:” and its keys below, indented",
            )
            return BAD
        values = []
        for key_node, value_node in node.pairs.values():
            report.key = ""
            key = self.key.read(key_node, report)
            value = self.record.read_as(value_node, report, {self.name: key}, key_node.place)
            if key is not BAD and value is not BAD:
                values.append(value)
        return tuple(values)

    def write(self, value: tuple[Any, ...]) -> Any:
        return {self.key.write(getattr(item, self.name)): self.record.write(item) for item in value}

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "additionalProperties": self.record.schema()}


@dataclass(frozen=True)
class Field:
    """One key of a record."""

    key: str
    shape: Shape
    help: str
    attribute: str = ""  #: the model's attribute; empty: the key with _ for -
    required: bool = False
    default: Any = None  #: what a missing key means; not written back

    @property
    def target(self) -> str:
        return self.attribute or self.key.replace("-", "_")


Values = dict[str, Any]


@dataclass(frozen=True)
class Record(Shape):
    """Keys with values, read into one model object that knows its place.

    `build` turns the read values into the object and may report and return `BAD`; `unbuild` is its
    inverse. Without them the attributes go to `cls` as they are.
    """

    cls: type[Any]
    fields: tuple[Field, ...]
    what: str  #: "an interface", for messages and the schema's title
    reserved: tuple[str, ...] = ()  #: keys of the language that are not computed yet
    build: Callable[[Values, Place, Report], Any] | None = None
    unbuild: Callable[[Any], Values] | None = None
    bare_ok: bool = False  #: whether a key with nothing behind it means all defaults
    #: Whether one bad value spoils the whole record. Otherwise a bad optional value is reported
    #: and its default stands in, so that the rest is still checked.
    strict: bool = False

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"the keys of {self.what}"

    def read(self, node: Node, report: Report) -> Any:
        return self.read_as(node, report, {}, node.place)

    def read_as(self, node: Node, report: Report, given: Values, place: Place) -> Any:
        """Read with some attributes already known (the name from the key, say)."""
        if self.bare_ok and isinstance(node, Scalar) and not node.text and not node.quoted:
            node = Mapping(node.place)
        if not isinstance(node, Mapping):
            report.error(
                node.place,
                "wrong_type",
                f"expected {self.expects}",
                f"known here: {', '.join(f.key for f in self.fields)}",
            )
            return BAD
        values: Values = {field.target: field.default for field in self.fields}
        values.update(given)
        good = self._read_keys(node, report, values)
        for field in self.fields:
            if field.required and field.key not in node.pairs:
                report.error(
                    place,
                    "missing_key",
                    f"{self.what} needs the key “{field.key}”",
                    f"add it: {field.help}",
                )
                good = False
        if not good or any(value is BAD for value in given.values()):
            return BAD
        if self.build:
            return self.build(values, place, report)
        return self.cls(**values, place=place)

    def _read_keys(self, node: Mapping, report: Report, values: Values) -> bool:
        known = {field.key: field for field in self.fields}
        good = True
        for key, (key_node, value_node) in node.pairs.items():
            field = known.get(key)
            if field is not None:
                report.key = key
                value = field.shape.read(value_node, report)
                report.key = ""
                if value is not BAD:
                    values[field.target] = value
                elif self.strict or field.required:
                    good = False
            elif key in self.reserved:
                report.error(
                    key_node.place,
                    "not_computed",
                    f"“{key}” belongs to the language, but this version does not compute it",
                    "remove it; answers would otherwise leave it out",
                )
            else:
                report.error(
                    key_node.place,
                    "unknown_key",
                    f"{self.what} has no key “{key}”",
                    "" if report.full else closest(key, known),
                )
        return good

    def write(self, value: Any) -> Any:
        values = self.unbuild(value) if self.unbuild else None
        written = {}
        for field in self.fields:
            item = values[field.target] if values is not None else getattr(value, field.target)
            if field.required or item != field.default:
                written[field.key] = field.shape.write(item)
        return written

    def schema(self) -> dict[str, Any]:
        properties = {
            field.key: {**field.shape.schema(), "description": field.help} for field in self.fields
        }
        result: dict[str, Any] = {
            "title": self.what,
            "type": ["object", "null"] if self.bare_ok else "object",
            "properties": properties,
            "additionalProperties": False,
        }
        if required := [field.key for field in self.fields if field.required]:
            result["required"] = required
        return result
