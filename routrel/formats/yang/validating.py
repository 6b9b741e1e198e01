"""YANG data held against the modules that describe them (RFC 7950 8, RFC 7951).

The modules are those of the IETF and IANA that come with a package of them; a library parses and
applies them. Configuration is checked in whole: types, mandatory nodes, keys, `when`, `must`,
references. Of state only the values are checked, since a file rarely holds all that is mandatory
of it. What no module that ships describes is left to those who read it by name.
What is mounted under a VRF (RFC 8528) is checked as data of its own.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import metadata
from pathlib import Path
from threading import Lock
from typing import Any

from yangson import DataModel
from yangson.datatype import DataType, IdentityrefType
from yangson.enumerations import ContentType
from yangson.exceptions import ValidationError, YangTypeError
from yangson.schemanode import (
    CaseNode,
    ChoiceNode,
    DataNode,
    InternalNode,
    LeafNode,
    ListNode,
    SequenceNode,
    TerminalNode,
)

from routrel.formats.yang.quick_patterns import remember_patterns

__all__ = ["IMPLEMENTED", "Violation", "models", "violations"]

#: The modules whose data are checked.
IMPLEMENTED = (
    *("ietf-interfaces", "iana-if-type", "ietf-ip", "ietf-routing"),
    *("ietf-ipv4-unicast-routing", "ietf-ipv6-unicast-routing", "ietf-access-control-list"),
    *("ietf-network-instance", "ietf-network", "ietf-network-topology"),
    "ietf-l3-unicast-topology",
)
#: Those that they take types and groupings from.
_IMPORTED = (
    *("ietf-yang-types", "ietf-inet-types", "ietf-packet-fields", "ietf-ethertypes"),
    *("ietf-yang-schema-mount", "ietf-routing-types"),
)
#: Where other data are mounted: the label of the mount point is that of the node (RFC 8529 3.2).
_MOUNTS = ("vrf-root", "vsi-root", "vv-root")

#: The library keeps what it is at in the model.
_ONE_AT_A_TIME = Lock()
#: Violations that are told of one file.
_MOST = 20

_Steps = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Violation:
    """Where data are not as their module has it."""

    at: _Steps  #: names and positions from the outermost member inward
    text: str


@cache
def models() -> DataModel:
    """The data model of the modules that ship.

    Raises:
        ModuleNotFoundError: the package of modules is not there whole.
    """
    shipped = {
        path.name: Path(str(path.locate()))
        for path in metadata.files("pyang") or ()
        if path.suffix == ".yang"
    }
    listed = []
    for name in (*IMPLEMENTED, *_IMPORTED):
        if f"{name}.yang" not in shipped:
            raise ModuleNotFoundError(f"the YANG module {name} is not installed")
        text = shipped[f"{name}.yang"].read_text(encoding="utf-8")
        listed.append(
            {
                "name": name,
                "revision": _first(r"^\s*revision\s+\"?([0-9-]{10})", text),
                "namespace": _first(r'^\s*namespace\s+"([^"]+)"', text),
                "conformance-type": "implement" if name in IMPLEMENTED else "import",
                "feature": re.findall(r"^\s*feature\s+([\w-]+)", text, re.MULTILINE),
            }
        )
    library = {"ietf-yang-library:modules-state": {"module-set-id": "all", "module": listed}}
    folders = sorted({str(shipped[f"{name}.yang"].parent) for name in (*IMPLEMENTED, *_IMPORTED)})
    made = DataModel(json.dumps(library), tuple(folders))
    remember_patterns(made)
    return made


def _first(pattern: str, text: str) -> str:
    found = re.search(pattern, text, re.MULTILINE)
    return found[1] if found else ""


def violations(data: dict[str, Any], *, whole: bool) -> list[Violation]:
    """What in data is not as the modules have it, in the order in which it is found.

    Args:
        data: The top-level members, by names with their modules.
        whole: Whether everything is there that they may refer to. Otherwise a reference to what
            is not there is none.
    """
    found: list[Violation] = []
    waiting: list[tuple[_Steps, dict[str, Any], bool]] = [((), data, whole)]
    for at, tree, complete in waiting:
        taken = _Configuration(tree, at)
        found.extend(taken.mistyped)
        found.extend(taken.violations(complete))
        waiting.extend((steps, mounted, False) for steps, mounted in taken.mounts)
    return found[:_MOST]


class _Configuration:
    """A copy of the configuration in data, without what no module describes or is mistyped.

    Args:
        at: Where the data stand in their file.
    """

    def __init__(self, data: dict[str, Any], at: _Steps) -> None:
        self.mounts: list[tuple[_Steps, dict[str, Any]]] = []
        self.mistyped: list[Violation] = []
        #: By identity of a list of the copy: where its items stand in the list of the data.
        self._positions: dict[int, list[int]] = {}
        self._at = at
        self.copied = self._object(data, models().schema, "", at) or {}

    def _object(
        self, data: dict[str, Any], schema: InternalNode, module: str, at: _Steps
    ) -> dict[str, Any] | None:
        """The copy of an object; None where it is not to be copied."""
        made: dict[str, Any] = {}
        for key, value in data.items():
            node, own, config = _member(schema, key, module)
            if node is None:
                continue  # of no module that ships, or to be named by those who read it
            taken = self._value(value, node, own, (*at, key))
            if taken is not None and config:
                made[key] = taken
        for choice in _mandatory_choices(schema):
            if not any(_bare(key) in choice for key in data):
                self._wrong(at, f"has none of {', '.join(sorted(choice))}")
                return None
            if not any(_bare(key) in choice for key in made):
                return None  # what was there is told already
        return made

    def _value(self, value: Any, node: DataNode, module: str, at: _Steps) -> Any:
        """What is to be copied of a member's value; None: nothing."""
        if isinstance(node, LeafNode):
            return self._scalar(value, node, module, at)
        if isinstance(node, SequenceNode) and isinstance(value, list):
            return self._list(value, node, module, at)
        if isinstance(node, SequenceNode) or not isinstance(value, dict):
            self._wrong(at, f"is no {'list' if isinstance(node, SequenceNode) else 'object'}")
            return None
        if node.name in _MOUNTS:
            self.mounts.append((at, value))
            return {}
        return self._object(value, node, module, at)

    def _scalar(self, value: Any, leaf: TerminalNode, module: str, at: _Steps) -> Any:
        if _of_strange_module(leaf, value, module):
            return None
        cooked = leaf.type.from_raw(value)
        if cooked is None or (not leaf.config and cooked not in leaf.type):
            self._wrong(at, _no_such(leaf.type, value))
            return None
        return value

    def _list(self, items: list[Any], node: SequenceNode, module: str, at: _Steps) -> list[Any]:
        made: list[Any] = []
        positions = []
        keys = {name for name, _ in node.keys} if isinstance(node, ListNode) else set()
        for position, item in enumerate(items):
            inside = (*at, position)
            if isinstance(node, TerminalNode):
                taken = self._scalar(item, node, module, inside)
            elif isinstance(item, dict):
                taken = self._object(item, node, module, inside)
                lost = {_bare(key) for key in item if key not in (taken or {})}
                if keys & lost:
                    taken = None  # of a kind that no module that ships knows, or told already
            else:
                taken = None
                self._wrong(inside, "is no object")
            if taken is not None:
                made.append(taken)
                positions.append(position)
        self._positions[id(made)] = positions
        return made

    def _wrong(self, at: _Steps, text: str) -> None:
        self.mistyped.append(Violation(at, text))

    def violations(self, whole: bool) -> Iterator[Violation]:
        """What breaks a rule, each taken out of the copy before the next is looked for.

        Args:
            whole: Whether references to what is not there count.
        """
        told = {one.at for one in self.mistyped}
        for _ in range(_MOST * 3):
            error = self._error()
            if error is None:
                return
            steps, text = self._steps(error.instance.path), _words(error)
            if error.tag and error.tag.endswith("member-not-allowed"):
                steps, text = (*steps, str(error.message)), "may not stand here as things are"
            at = self._origin(steps)
            elsewhere = error.tag == "instance-required" and not whole
            if not elsewhere and not _taken_out(error, at, told):
                yield Violation(at, text)
            told.add(at)
            if isinstance(error.instance.value, dict):
                whole = False  # what others refer to is taken out with it
            if not self._remove(_with_its_choice(error, steps)):
                return

    def _error(self) -> ValidationError | None:
        """The first rule that the copy breaks."""
        try:
            with _ONE_AT_A_TIME:
                models().from_raw(self.copied).validate(ctype=ContentType.config)
        except ValidationError as error:
            return error
        return None

    def _steps(self, names: Iterable[str | int]) -> _Steps:
        """The steps to an instance, as the copy writes its members."""
        found: list[str | int] = []
        value: Any = self.copied
        for name in names:
            step = name
            if isinstance(value, dict) and isinstance(name, str) and name not in value:
                step = next((key for key in value if _bare(key) == _bare(name)), name)
            found.append(step)
            value = value[step]
        return tuple(found)

    def _origin(self, steps: _Steps) -> _Steps:
        """Where what stands at a place of the copy stands in the file."""
        value: Any = self.copied
        found: _Steps = self._at
        for step in steps:
            positions = self._positions.get(id(value))
            found = (*found, step if positions is None else positions[int(step)])
            value = value[step] if positions is not None else value.get(step)
        return found

    def _remove(self, steps: _Steps) -> bool:
        """Take away what stands at a place of the copy; False: there is nothing to take."""
        holder: Any = self.copied
        for step in steps[:-1]:
            holder = holder[step]
        if not steps or (isinstance(holder, dict) and steps[-1] not in holder):
            return False
        del holder[steps[-1]]
        if id(holder) in self._positions:
            del self._positions[id(holder)][int(steps[-1])]
        return True


@lru_cache(maxsize=10_000)  # names come from files
def _member(schema: InternalNode, key: str, module: str) -> tuple[DataNode | None, str, bool]:
    """A member by its name as written: its node, its module, and whether it is configuration."""
    written, _, name = key.rpartition(":")
    own = written or module
    node = None if key.startswith("@") else schema.get_data_child(name, own)
    return node, own, node is not None and node.config


@cache
def _mandatory_choices(schema: InternalNode) -> tuple[frozenset[str], ...]:
    """Of which nodes, by the choices of which one has to be made, one has to be there."""
    return tuple(
        frozenset(node.name for node in choice.data_children())
        for choice in schema.children
        if isinstance(choice, ChoiceNode) and choice.mandatory and choice.config
    )


def _taken_out(error: ValidationError, at: _Steps, told: Iterable[_Steps]) -> bool:
    """Whether what is missing is missing because of what was told of it."""
    if error.tag not in ("missing-data", "list-key-missing"):
        return False
    missing = {_bare(name) for name in re.findall(r"[\w.:-]+", error.message or "")}
    return any(
        one[: len(at)] == at and _bare(one[len(at)]) in missing
        for one in told
        if len(one) > len(at)
    )


def _with_its_choice(error: ValidationError, steps: _Steps) -> _Steps:
    """The steps to what has to go with an instance: what it was the choice of."""
    node = error.instance.schema_node
    while steps and isinstance(steps[-1], str) and isinstance(node.parent, CaseNode | ChoiceNode):
        steps, node = steps[:-1], node.data_parent()
    return steps


def _bare(step: str | int) -> str:
    """A member's name without its module."""
    return str(step).rpartition(":")[2]


def _of_strange_module(leaf: TerminalNode, value: Any, module: str) -> bool:
    """Whether a value is an identity of a module that does not ship (RFC 7951 6.8)."""
    if not isinstance(leaf.type, IdentityrefType) or not isinstance(value, str):
        return False
    named = value.rpartition(":")[0] or module
    return named not in (*IMPLEMENTED, *_IMPORTED)


#: What the tags of errors mean (RFC 7950 15), where the library's words do not say it.
_WORDS = {
    "instance-required": "refers to what is not there",
    "list-key-missing": "lacks a key",
    "non-unique-key": "has the key of another item",
    "too-few-elements": "has too few items",
    "too-many-elements": "has too many items",
    "repeated-leaf-list-value": "repeats a value",
}


def _words(error: ValidationError) -> str:
    """What an error says."""
    message = error.message or ""
    if isinstance(error, YangTypeError):
        return _no_such(error.instance.schema_node.type, error.instance.value)
    if error.tag == "missing-data":
        return message.replace("expected", "lacks").replace("'", "")
    said = _WORDS.get(error.tag or "", "")
    if error.tag == "must-violation" or not said:
        return f"breaks a rule of its module: {message or error.tag}"
    return f"{said}: {message}" if message and error.tag == "list-key-missing" else said


def _no_such(kind: DataType[Any, Any], value: Any) -> str:
    """That a value is not of a type, which has just said so."""
    message = str(kind.error_message or "")
    limit = f" ({message})" if message.startswith(("not in", "invalid")) else ""
    return f"is no {kind.name or kind.yang_type()}: {value!r}{limit}"
