"""Values that only matches and what follows them have: code points, TCP flags, new addresses."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from routrel.files.nodes import Node
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Shape, closest
from routrel.files.values import PrefixValue
from routrel.model.addresses import Prefix
from routrel.model.traffic import DSCP_NAMES, TCP_FLAGS

__all__ = ["DscpValue", "NewSourceValue", "TcpFlagValue"]


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


class NewSourceValue(PrefixValue):
    """What a source becomes: an address, a prefix as pool, or `interface`, read as None."""

    expects = "an address, a prefix of addresses to choose from, or “interface”"
    _WORD = "interface"

    def read(self, node: Node, report: Report) -> Any:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        return self._WORD if text == self._WORD else super().read(node, report)

    def write(self, value: Prefix | str) -> str:
        if isinstance(value, str):
            return value
        return str(value.network_address) if value.num_addresses == 1 else str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": r"^(interface|[0-9A-Fa-f:.]+(/[0-9]{1,3})?)$"}
