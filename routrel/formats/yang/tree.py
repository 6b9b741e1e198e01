"""JSON of YANG models, read by name; what nobody asked for can be named afterwards.

A member's name carries its module where that is another one than its parent's (RFC 7951 4). A name
without one is of the parent's module. Metadata (RFC 7952) are members that begin with @.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator
from typing import Any, cast

from routrel.formats.json_text import JsonText
from routrel.formats.reports import FileReport
from routrel.model.addresses import Address, Prefix

__all__ = ["Node", "root"]

#: What names the items of lists, in paths.
_KEYS = ("name", "interface-id", "network-id", "node-id", "link-id", "tp-id", "area-id", "ip",
         "destination-prefix", "index", "interface")  # fmt: skip


class Node:
    """A container or an item of a list."""

    def __init__(
        self, value: dict[str, Any], module: str, at: tuple[str | int, ...], path: str, file: _File
    ) -> None:
        self._value, self.module, self._at, self.path, self._file = value, module, at, path, file
        self._used: set[str] = set()
        self._children: list[Node] = []

    # --- members -------------------------------------------------------------------------------

    def _find(self, name: str, module: str | None) -> str | None:
        """The member's name as it is written; None: there is none."""
        wanted = module or self.module
        for key in (f"{wanted}:{name}", *((name,) if wanted == self.module else ())):
            if key in self._value:
                self._used.add(key)
                return str(key)
        return None

    def has(self, name: str, module: str | None = None) -> bool:
        """Whether there is such a member."""
        return self._find(name, module) is not None

    def leaf(self, name: str, module: str | None = None) -> Any:
        """A member's value as it is; None: there is none."""
        key = self._find(name, module)
        return None if key is None else self._value[key]

    def child(self, name: str, module: str | None = None) -> Node | None:
        """A container; None: there is none."""
        key = self._find(name, module)
        if key is None:
            return None
        value = self._value[key]
        if not isinstance(value, dict):
            self.unknown(f"{name} is no container", name)
            return None
        return self._node(value, module, (key,), key)

    def items(self, name: str, module: str | None = None) -> Iterator[Node]:
        """The items of a list, in order."""
        key = self._find(name, module)
        value = [] if key is None else self._value[key]
        if not isinstance(value, list):
            self.unknown(f"{name} is no list", name)
            return
        for number, item in enumerate(value):
            if not isinstance(item, dict):
                self.unknown(f"item {number + 1} of {name} is no object", name)
                continue
            yield self._node(
                item, module, (key or name, number), f"{key}{_item_words(item, number)}"
            )

    def listed(self, container: str, name: str, module: str | None = None) -> Iterator[Node]:
        """The items of a list that stands in a container of its own; none where that is not."""
        holder = self.child(container, module)
        if holder is not None:
            yield from holder.items(name)

    def _node(
        self, value: dict[str, Any], module: str | None, at: tuple[str | int, ...], words: str
    ) -> Node:
        made = Node(
            value, module or self.module, (*self._at, *at), f"{self.path}/{words}", self._file
        )
        self._children.append(made)
        return made

    def ignore(self, *names: str) -> None:
        """Members that say nothing of what the model is about."""
        for name in names:
            self._find(name, None)

    def ignore_all(self) -> None:
        """Everything of it."""
        self._used.update(self._value)

    @property
    def member_names(self) -> tuple[str, ...]:
        """The names of its members as they are written."""
        return tuple(self._value)

    @property
    def content(self) -> dict[str, Any]:
        """Its members as they were read."""
        return self._value

    @property
    def all_used(self) -> bool:
        """Whether every member was asked for."""
        return all(key in self._used or key.startswith("@") for key in self._value)

    # --- values --------------------------------------------------------------------------------

    def text(self, name: str, module: str | None = None) -> str | None:
        """A text; None: there is none."""
        value = self.leaf(name, module)
        if value is None:
            return None
        if not isinstance(value, str):
            self.unknown(f"{name} is no text: {value!r}", name)
            return None
        return value

    def number(
        self, name: str, module: str | None = None, *, low: int = 0, high: int = 2**64 - 1
    ) -> int | None:
        """A whole number, one of 64 bits being a string (RFC 7951 6.1); None: there is none."""
        value = self.leaf(name, module)
        if value is None:
            return None
        number = None
        if isinstance(value, int) and not isinstance(value, bool):
            number = value
        elif isinstance(value, str) and value.lstrip("-").isascii() and value.lstrip("-").isdigit():
            number = int(value)
        if number is None or not low <= number <= high:
            self.unknown(f"{name} is no whole number from {low} to {high}: {value!r}", name)
            return None
        return number

    def flag(self, name: str, module: str | None = None, *, default: bool = False) -> bool:
        """True or false; the default where it is not there."""
        value = self.leaf(name, module)
        if value is None:
            return default
        if not isinstance(value, bool):
            self.unknown(f"{name} is neither true nor false: {value!r}", name)
            return default
        return value

    def is_there(self, name: str, module: str | None = None) -> bool:
        """A leaf without a value, written as [null] (RFC 7951 6.9)."""
        if not self.has(name, module):
            return False
        value = self.leaf(name, module)
        if value != [None]:
            self.unknown(f"{name} is there without a value, so [null] is meant: {value!r}", name)
        return True

    def identity(self, name: str, module: str | None = None) -> tuple[str, str] | None:
        """An identity with its module: the leaf's own where none is written (RFC 7951 6.8)."""
        value = self.text(name, module)
        if value is None:
            return None
        own, colon, word = value.rpartition(":")
        return (own if colon else module or self.module), word

    def address(self, name: str, module: str | None = None) -> Address | None:
        """An address; a zone behind it is taken off."""
        value = self.text(name, module)
        if value is None:
            return None
        try:
            return ipaddress.ip_address(value.partition("%")[0])
        except ValueError:
            self.unknown(f"{name} is no address: {value!r}", name)
            return None

    def prefix(self, name: str, module: str | None = None) -> Prefix | None:
        """A prefix; bits behind its length are taken off, as the type's canonical form has it."""
        value = self.text(name, module)
        if value is None:
            return None
        try:
            return ipaddress.ip_network(value, strict=False)
        except ValueError:
            self.unknown(f"{name} is no prefix: {value!r}", name)
            return None

    # --- what is said of it --------------------------------------------------------------------

    @property
    def line(self) -> int:
        """Where it stands in its file."""
        return self._file.text.line(*self._at)

    @property
    def remark(self) -> str:
        """Where it stands, in words."""
        return f"{self._file.report.path}:{self.line}"

    def unknown(self, text: str, name: str = "") -> None:
        """Name something of it that is not understood."""
        at = (*self._at, name) if name else self._at
        self._file.report.unknown(f"{self.path}: {text}", self._file.text.line(*at))

    def note(self, text: str) -> None:
        """Say how something of it was taken."""
        self._file.report.note(f"{self.path}: {text}", self.line)

    def note_inside(self, steps: tuple[str | int, ...], text: str) -> None:
        """Say something of what stands in it, by names and positions.

        Nothing is said of a line of which something was said already.
        """
        report, line = self._file.report, self._file.text.line(*self._at, *steps)
        if any(message.line == line for message in report.messages):
            return
        path, value = self.path, cast(Any, self._value)
        for step in steps:
            value = value[step] if isinstance(step, int) or step in value else {}
            path += _item_words(value, step) if isinstance(step, int) else f"/{step}"
        report.note(f"{path}: {text}", line)

    def name_leftovers(self) -> None:
        """Name every member that nobody asked for."""
        waiting = [self]
        while waiting:
            node = waiting.pop(0)
            for key in node._value:
                if key in node._used or key.startswith("@"):
                    continue
                at = (*node._at, key)
                text = f"{node.path}/{key} is not understood"
                node._file.report.unknown(text, node._file.text.line(*at))
            waiting = [*node._children, *waiting]


def _item_words(item: Any, number: int) -> str:
    """What tells an item of a list from others: its key, else its position."""
    keys = item if isinstance(item, dict) else {}
    return next((f"[{key}='{keys[key]}']" for key in _KEYS if key in keys), f"[{number + 1}]")


class _File:
    def __init__(self, text: JsonText, report: FileReport) -> None:
        self.text, self.report = text, report


#: Wrappers in which data may come: of RESTCONF (RFC 8040 3.3.1) and of a file (RFC 9195).
_WRAPPERS = (
    ("ietf-restconf:data",), ("data",),
    ("ietf-yang-instance-data:instance-data-set", "content-data"),
)  # fmt: skip


def root(text: JsonText, report: FileReport) -> Node | None:
    """The data of a file, out of their wrapper; None: there are none."""
    value: Any = text.value
    at: tuple[str | int, ...] = ()
    for wrapper in _WRAPPERS:
        inner = text.value
        for key in wrapper:
            inner = inner.get(key) if isinstance(inner, dict) else None
        if isinstance(inner, dict):
            value, at = inner, wrapper
    if not isinstance(value, dict):
        return None
    return Node(value, "", at, "", _File(text, report))
