"""Values and keys that several records of the language share."""

from __future__ import annotations

from routrel.files.shapes import Field, Integer, Text, Word
from routrel.files.values import QuantityValue, ReferenceValue
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
