"""Shapes of BGP's values: AS numbers and paths, communities, adjustments, next hops."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass
from typing import Any

from routrel.files.nodes import Node
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Shape, closest
from routrel.model.addresses import Address
from routrel.model.communities import WELL_KNOWN, canonical_community
from routrel.model.policy import NEXT_HOP_DISCARD, NEXT_HOP_SELF, Adjustment, AsPathPattern

__all__ = [
    "AdjustmentValue",
    "AsNumberValue",
    "AsPathPatternValue",
    "AsPathValue",
    "CommunityValue",
    "NextHopValue",
    "as_number",
]

_LARGEST_AS = 2**32 - 2
_NUMBER = r"[0-9]{1,10}"


def as_number(text: str) -> int | None:
    """An AS number, written plainly or as two halves (RFC 5396); None where it is none."""
    high, dot, low = text.partition(".")
    if dot:
        halves = re.fullmatch(r"[0-9]{1,5}\.[0-9]{1,5}", text) is not None
        if not halves or int(high) > 65535 or int(low) > 65535:
            return None
        number = int(high) << 16 | int(low)
    elif re.fullmatch(_NUMBER, text):
        number = int(text)
    else:
        return None
    # 0, 65535 and 2^32 - 1 are nobody's (RFC 7607, RFC 7300).
    return number if 0 < number <= _LARGEST_AS and number != 65535 else None


@dataclass(frozen=True)
class AsNumberValue(Shape):
    """An AS number of two or four bytes (RFC 6793)."""

    expects = "an AS number from 1 to 4294967294, as 64500 or 1.10"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        number = as_number(text)
        return self.wrong(node, report, text) if number is None else number

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [
                {"type": "integer", "minimum": 1, "maximum": _LARGEST_AS},
                {"type": "string", "pattern": r"^[0-9]{1,5}\.[0-9]{1,5}$"},
                {"type": "number"},
            ]
        }


@dataclass(frozen=True)
class AsPathValue(Shape):
    """AS numbers one behind another, the nearest first."""

    expects = "AS numbers with spaces between, the nearest first, as 64496 64499"

    def read(self, node: Node, report: Report) -> tuple[int, ...] | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        numbers = [as_number(part) for part in text.split()]
        if not numbers or None in numbers:
            return self.wrong(node, report, text)
        return tuple(number for number in numbers if number is not None)

    def write(self, value: tuple[int, ...]) -> int | str:
        return value[0] if len(value) == 1 else " ".join(map(str, value))

    def schema(self) -> dict[str, Any]:
        return {"anyOf": [{"type": "number"}, {"type": "string", "pattern": "^[0-9. ]+$"}]}


@dataclass(frozen=True)
class AsPathPatternValue(Shape):
    """A pattern of AS paths in words."""

    expects = (
        "a pattern of AS paths: “begins 64510”, “passes 64510 64511”, “ends 64496”, “only 64510”, "
        "“empty”, or “length 3”, “length 2 to 5”, “length up to 3”, “length from 4”"
    )

    def read(self, node: Node, report: Report) -> AsPathPattern | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        kind, _, rest = text.partition(" ")
        if text == "empty":
            return AsPathPattern("only")
        if kind == "length":
            found = re.fullmatch(
                rf"(?:up to ({_NUMBER})|from ({_NUMBER})|({_NUMBER})(?: to ({_NUMBER}))?)", rest
            )
            if not found:
                return self.wrong(node, report, text)
            shortest = int(found[2] or found[3] or 0)
            longest = 2**16 if found[2] else int(found[1] or found[4] or found[3])
            if shortest > longest:
                return self.wrong(node, report, text, "the first number is the smaller one")
            return AsPathPattern("length", (), shortest, longest)
        numbers = [as_number(part) for part in rest.split()]
        if kind not in ("begins", "passes", "ends", "only") or not numbers or None in numbers:
            return self.wrong(node, report, text)
        return AsPathPattern(kind, tuple(n for n in numbers if n is not None))

    def write(self, value: AsPathPattern) -> str:
        if value.kind != "length":
            numbers = " ".join(map(str, value.numbers))
            return f"{value.kind} {numbers}" if numbers else "empty"
        if value.longest == 2**16:
            return f"length from {value.shortest}"
        if value.shortest == value.longest:
            return f"length {value.shortest}"
        if value.shortest == 0:
            return f"length up to {value.longest}"
        return f"length {value.shortest} to {value.longest}"

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": "^(empty|(begins|passes|ends|only|length) .+)$"}


@dataclass(frozen=True)
class CommunityValue(Shape):
    """A community in its canonical text; a pattern may have * for a part."""

    pattern: bool = False

    @property
    def expects(self) -> str:  # type: ignore[override]
        more = "; a part may be *" if self.pattern else ""
        return (
            "a community: 64500:100, 64500:1:2 (large), “target 64500:100” or “origin 64500:100” "
            f"(extended), or one of {', '.join(WELL_KNOWN.values())}{more}"
        )

    def read(self, node: Node, report: Report) -> str | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = canonical_community(text, pattern=self.pattern)
        if found is None:
            return self.wrong(node, report, text, closest(text, WELL_KNOWN.values()))
        return found

    def schema(self) -> dict[str, Any]:
        return {"type": "string"}


@dataclass(frozen=True)
class AdjustmentValue(Shape):
    """A number to set, or with a sign to add or subtract."""

    expects = "a whole number to set, or +N to add or -N to subtract"

    def read(self, node: Node, report: Report) -> Adjustment | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = re.fullmatch(rf"([+-]?)({_NUMBER})", text)
        if not found or int(found[2]) >= 2**32:
            return self.wrong(node, report, text)
        return Adjustment({"+": "add", "-": "subtract", "": "set"}[found[1]], int(found[2]))

    def write(self, value: Adjustment) -> int | str:
        if value.kind == "set":
            return value.amount
        return f"{'+' if value.kind == 'add' else '-'}{value.amount}"

    def schema(self) -> dict[str, Any]:
        return {"anyOf": [{"type": "integer"}, {"type": "string", "pattern": "^[+-]?[0-9]+$"}]}


@dataclass(frozen=True)
class NextHopValue(Shape):
    """A next hop to name: an address, the device itself, or none at all."""

    expects = "an address, self or discard"

    def read(self, node: Node, report: Report) -> Address | str | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text in (NEXT_HOP_SELF, NEXT_HOP_DISCARD):
            return text
        try:
            return ipaddress.ip_address(text)
        except ValueError:
            return self.wrong(node, report, text)

    def write(self, value: Address | str) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string"}
