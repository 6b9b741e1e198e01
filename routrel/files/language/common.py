"""Values and keys that several records of the language share."""

from __future__ import annotations

from typing import Any

from routrel.files.report import Report
from routrel.files.shapes import BAD, Field, Integer, OneOrMany, Shape, Text, Values, Word
from routrel.files.values import QuantityValue, ReferenceValue
from routrel.model.place import Place
from routrel.model.policy import PolicyUse

__all__ = [
    "AUTHENTICATION",
    "BANDWIDTH",
    "DELAY",
    "DESCRIPTION",
    "DISTANCE",
    "INTERFACE_NAME",
    "MAXIMUM_PATHS",
    "NAME",
    "POLICY_USE",
    "SECONDS",
    "TAG",
    "VERSION",
    "NamedValues",
]

NAME = Word()
INTERFACE_NAME = Word(
    expects="an interface name (letters, digits, and . _ / - inside)",
)
BANDWIDTH = QuantityValue(
    units=(("b/s", 1), ("kb/s", 10**3), ("Mb/s", 10**6), ("Gb/s", 10**9), ("Tb/s", 10**12)),
    example="1 Gb/s",
)
DELAY = QuantityValue(units=(("us", 1), ("ms", 1000), ("s", 10**6)), example="10 us")
SECONDS = QuantityValue(units=(("s", 1),), example="10 s")
TAG = Integer(0, 2**32 - 1)
DISTANCE = Integer(1, 255)
POLICY_USE = ReferenceValue(PolicyUse, "policy", "the name of a policy of this device")

VERSION = Field(
    "routrel", Integer(1, 1), "the version of the language: 1", required=True, default=1
)
DESCRIPTION = Field("description", Text(), "free text", default="")
AUTHENTICATION = Field("authentication", NAME, "the name of the key; both ends must name the same")
MAXIMUM_PATHS = Field(
    "maximum-paths", Integer(1, 256), "equal-cost next hops kept; left out: the VRF's"
)


class NamedValues(Shape):
    """The values behind a name, read into an object that knows its name's place."""

    def __init__(self, cls: type[Any], attribute: str, item: Shape) -> None:
        self.cls, self.attribute, self.values = cls, attribute, OneOrMany(item)
        self.expects = self.values.expects

    def read_as(self, node: Any, report: Report, given: Values, place: Place) -> Any:
        values = self.values.read(node, report)
        return BAD if values is BAD else self.cls(**given, **{self.attribute: values}, place=place)

    def write(self, value: Any) -> Any:
        return self.values.write(getattr(value, self.attribute))

    def schema(self) -> dict[str, Any]:
        return self.values.schema()
