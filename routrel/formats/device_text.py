"""Device files made from what others say, a line for each thing with where it came from."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from routrel.model.addresses import InterfaceAddress
from routrel.model.network import DEFAULT_VRF, InterfaceKind

__all__ = ["Said", "device_text", "flow", "interface_keys", "name_for"]

#: A text that is read as itself, with nothing around it.
_PLAIN = re.compile(r"[A-Za-z_./<>=~^$()][A-Za-z0-9_./+<>=~^$() -]*|[0-9][0-9A-Za-z_./+-]*")
#: What of that would be read as something else.
_OTHERWISE = re.compile(
    r"[-+]?[0-9_]*\.?[0-9_]*|[-+]?[0-9_.]+[eE][-+]?[0-9]+|0[xob][0-9a-fA-F_]+|.* "
)
_WORDS = frozenset(("true", "false", "null", "yes", "no", "on", "off", "y", "n", "~"))
#: Characters that no text of the language may have; what others break lines at is spelled.
_NO_TEXT = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff]")
_BREAKS = re.compile(r"[\x85\u2028\u2029\ufeff]")
_OUTSIDE_NAMES = re.compile(r"[^A-Za-z0-9._/-]+")


@dataclass(frozen=True, slots=True)
class Said:
    """A value that stands on one line, with a remark behind it."""

    value: Any
    remark: str = ""


def name_for(text: str) -> str:
    """A name of the language for something that others name more freely."""
    made = _OUTSIDE_NAMES.sub("-", text).strip("-./_")
    return made or "unnamed"


def interface_keys(
    *,
    kind: str,
    description: str,
    enabled: bool,
    carrier: bool,
    vrf: str,
    addresses: Iterable[InterfaceAddress],
) -> dict[str, Any]:
    """The keys of an interface that every format tells of, without those that say what is usual."""
    made: dict[str, Any] = {}
    if kind != InterfaceKind.ETHERNET.value:
        made["kind"] = kind
    if description:
        made["description"] = description
    if not enabled:
        made["enabled"] = False
    elif not carrier:
        made["carrier"] = False
    if vrf != DEFAULT_VRF:
        made["vrf"] = vrf
    if written := [str(address) for address in addresses]:
        made["addresses"] = written
    return made


def device_text(plain: Mapping[str, Any], heading: Sequence[str] = ()) -> str:
    """The text of a file of the language.

    Args:
        plain: By key: a value for one line, or names with `Said`, or a list of `Said`.
        heading: Remarks above everything.
    """
    lines = [f"# {_one_line(text)}" for text in heading]
    lines += _block(plain, "")
    return "\n".join(lines) + "\n"


def _block(plain: Mapping[str, Any], indent: str) -> Iterator[str]:
    for key, value in plain.items():
        name = flow(str(key))
        if isinstance(value, Said):
            yield f"{indent}{name}: {flow(value.value)}{_remark(value.remark)}"
        elif isinstance(value, Mapping) and value and _is_block(value.values()):
            yield f"{indent}{name}:"
            yield from _block(value, indent + "  ")
        elif isinstance(value, list) and value and _is_block(value):
            yield f"{indent}{name}:"
            for item in value:
                said = item if isinstance(item, Said) else Said(item)
                yield f"{indent}  - {flow(said.value)}{_remark(said.remark)}"
        else:
            yield f"{indent}{name}: {flow(value)}"


def _is_block(values: Any) -> bool:
    """Whether values stand on lines of their own."""
    return any(isinstance(value, Said | Mapping | list) for value in values)


def flow(value: Any) -> str:
    """A value on one line."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return str(value)
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{flow(str(k))}: {flow(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(flow, value)) + "]"
    text = _NO_TEXT.sub("\ufffd", str(value))
    if text.lower() in _WORDS or _OTHERWISE.fullmatch(text) or not _PLAIN.fullmatch(text):
        written = json.dumps(text, ensure_ascii=False)
        return _BREAKS.sub(lambda found: f"\\u{ord(found[0]):04x}", written)
    return text


def _remark(text: str) -> str:
    return f"  # {_one_line(text)}" if text else ""


def _one_line(text: str) -> str:
    return re.sub(r"[\x00-\x1f\x7f\x85\u2028\u2029]+", " ", text)
