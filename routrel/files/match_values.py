"""Values that only matches and what follows them have: code points, TCP flags, new addresses."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass
from typing import Any

from routrel.files.nodes import Node
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Shape, closest
from routrel.files.values import PrefixValue
from routrel.model.addresses import AddressRange
from routrel.model.traffic import DSCP_NAMES, TCP_FLAGS

__all__ = ["DscpValue", "NewAddressValue", "TcpFlagValue"]


@dataclass(frozen=True)
class DscpValue(Shape):
    """A differentiated services code point: a number, or a name as ef, af41, cs3."""

    expects = "a code point: a number from 0 to 63, or a name as ef, af41 or cs3"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text in DSCP_NAMES:
            return DSCP_NAMES[text]
        if re.fullmatch(r"[0-9]{1,2}", text) and int(text) < 64:
            return int(text)
        return self.wrong(node, report, text, closest(text, DSCP_NAMES))

    def write(self, value: int) -> int | str:
        return next((name for name, number in DSCP_NAMES.items() if number == value), value)

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [{"enum": list(DSCP_NAMES)}, {"type": "integer", "minimum": 0, "maximum": 63}]
        }


@dataclass(frozen=True)
class TcpFlagValue(Shape):
    """A TCP flag and whether it must be set: syn, or not ack."""

    expects = "a TCP flag, as syn, or as not ack"

    def read(self, node: Node, report: Report) -> tuple[str, bool] | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        flag = text.removeprefix("not ")
        if flag not in TCP_FLAGS:
            return self.wrong(node, report, text, closest(flag, TCP_FLAGS))
        return flag, flag == text

    def write(self, value: tuple[str, bool]) -> str:
        return value[0] if value[1] else f"not {value[0]}"

    def schema(self) -> dict[str, Any]:
        return {"enum": [*TCP_FLAGS, *(f"not {flag}" for flag in TCP_FLAGS)]}


@dataclass(frozen=True)
class NewAddressValue(Shape):
    """What an end of a packet becomes: addresses, or the word `interface`.

    Read as a range of addresses, or as that word.
    """

    expects = "an address, a prefix, a range as 192.0.2.5-192.0.2.9, or “interface”"
    _WORD = "interface"

    def read(self, node: Node, report: Report) -> AddressRange | str | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text == self._WORD:
            return text
        first, dash, last = text.partition("-")
        try:
            ends = tuple(ipaddress.ip_address(end.strip()) for end in (first, last) if end or dash)
        except ValueError:
            prefix = PrefixValue().read(node, report)
            return BAD if isinstance(prefix, Bad) else AddressRange.of(prefix)
        if ends[0].version != ends[-1].version:
            return self.wrong(node, report, text, "use one family")
        if int(ends[0]) > int(ends[-1]):
            return self.wrong(node, report, text, f"did you mean {ends[1]}-{ends[0]}?")
        return AddressRange(ends[0], ends[-1])

    def write(self, value: AddressRange | str) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {
            "type": "string",
            "pattern": r"^(interface|[0-9A-Fa-f:.]+(/[0-9]{1,3}|-[0-9A-Fa-f:.]+)?)$",
        }
