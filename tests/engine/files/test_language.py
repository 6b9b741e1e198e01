"""Every record of the language: what is read is written so that it reads the same again."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import jsonschema
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from routrel.files.language import RECORDS
from routrel.files.language.common import NamedValues
from routrel.files.language.promises import PROMISE
from routrel.files.nodes import parse
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Boolean,
    Choice,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Shape,
    Text,
    Word,
)
from routrel.files.writer import dumped

#: Words of values that are more than numbers and choices, by the name of their shape.
WORDS = {
    "AddressValue": ["10.1.1.1", "192.0.2.9", "2001:db8::7"],
    "AdjustmentValue": [50, "+7", "-7"],
    "AreaValue": [0, 4, "0.0.1.4"],
    "AsNumberValue": [64500, 65001, "1.10"],
    "AsPathPatternValue": ["begins 64510", "passes 64510 64511", "only 64510", "empty", "length 2 to 5"],
    "AsPathValue": ["64496 64499", 64500],
    "CommunityValue": ["64500:100", "64500:1:2", "target 64500:100", "no-export"],
    "DscpValue": [0, "ef", 46],
    "GatewayValue": ["10.1.1.1"],
    "IcmpTypeValue": ["echo-request", 3],
    "InterfaceAddressValue": ["10.64.7.1/24", "2001:db8:7::1/64"],
    "LinkEndValue": ["ald-core-1:port1", "r2:e1"],
    "NetworkEntityTitleValue": ["49.0001.1921.6800.1001.00"],
    "NewAddressValue": ["10.1.1.1", "10.2.0.0/30", "10.1.1.5-10.1.1.9", "interface"],
    "NextHopValue": ["self", "discard", "10.1.1.1"],
    "PortRangeValue": [443, "5000-6000"],
    "PrefixRangeValue": ["10.64.0.0/12 up to /24", "10.0.0.0/8 or longer", "10.3.0.0/16"],
    "PrefixValue": ["10.64.0.0/12", "10.3.3.3/32", "2001:db8::/32"],
    "ProtocolValue": ["tcp", "udp", "icmp", "any", 89],
    "QuantityValue": ["10 s", "10 us", "1 Gb/s", "100 Mb/s"],
    "ReferenceValue": ["some", "other"],
    "TcpFlagValue": ["syn", "not ack"],
    "_Lines": ["  port1: {}\n", ""],
    "_Sentence": ["a to b must be delivered", "there must be no finding not_converged"],
    "_Source": ["static", "bgp", "ospf"],
    "_Steps": ["r1 interfaces e1", "sites 'a b'"],
    "_Value": [10, "x", True, ["a", {"b": 1}]],
}  # fmt: skip
#: The keys under which named records stand, where names are more than words.
KEYS = {
    "BGP neighbour": "neighbours",
    "Neighbour of an outside network": "neighbours",
    "OSPF area": "areas",
}


def values(shape: Shape, key: str = "", depth: int = 0) -> st.SearchStrategy[Any]:
    """What may stand for a shape, as YAML gives it."""
    if isinstance(shape, Record):
        return keys(shape, depth)
    if type(shape).__name__ == "_SentenceOrRecord":
        return st.sampled_from(WORDS["_Sentence"]) | keys(PROMISE, depth)
    if isinstance(shape, NamedMap):
        entries = values(shape.record, key, depth + 1)
        names = st.sampled_from([1, 4]) if key == "areas" else st.sampled_from(["a", "b-2"])
        if key in ("interfaces", "neighbours", "sites", "outside"):
            names = st.sampled_from(
                ["10.1.1.1", "10.1.1.2"] if key == "neighbours" else ["e1", "x"]
            )
        return st.dictionaries(names, entries, min_size=not depth, max_size=2)
    if isinstance(shape, OneOrMany):
        one = values(shape.item, key, depth)
        return one | st.lists(one, min_size=1, max_size=2)
    if isinstance(shape, ListOf):
        return st.lists(values(shape.item, key, depth + 1), min_size=shape.minimum, max_size=2)
    if isinstance(shape, Boolean):
        return st.booleans()
    if isinstance(shape, Choice):
        words = [option.value for option in shape.options]
        return st.sampled_from([int(word) if word.isdecimal() else word for word in words])
    if isinstance(shape, Integer):
        return st.sampled_from(
            [shape.minimum, min(shape.minimum + 3, shape.maximum), shape.maximum]
        )
    if isinstance(shape, Word):
        return st.sampled_from(["some", "other"])
    if isinstance(shape, Text):
        return st.sampled_from(["free text", "Isle Telecom"])
    if isinstance(shape, NamedValues):
        return values(shape.values, key, depth)
    return st.sampled_from(WORDS[type(shape).__name__])


@st.composite
def keys(draw, record: Record, depth: int) -> dict[str, Any]:
    """Some keys of a record; the deeper, the fewer."""
    made = {}
    for field in record.fields:
        if field.required or draw(st.integers(0, 3 + 3 * depth)) == 0:
            made[field.key] = draw(values(field.shape, field.key, depth + 1))
    return made


def named(shapes: Iterable[Shape]) -> dict[int, NamedMap]:
    """By record that takes its name from a key: the mapping that it stands in."""
    found: dict[int, NamedMap] = {}
    waiting = list(shapes)
    while waiting:
        shape = waiting.pop()
        if isinstance(shape, NamedMap):
            if id(shape.record) not in found:
                found[id(shape.record)] = shape
                if type(shape.record).__name__ == "_SentenceOrRecord":
                    found[id(PROMISE)] = shape
                waiting.append(shape.record)
        elif isinstance(shape, Record):
            waiting += [field.shape for field in shape.fields]
        elif isinstance(shape, ListOf | OneOrMany):
            waiting.append(shape.item)
    return found


NAMED = named(RECORDS.values())


def read(record: Shape, plain: Any) -> tuple[Any, Report]:
    report = Report()
    node = parse(dumped(plain), "one.yaml", report)
    assert node is not None
    return record.read(node, report), report


@pytest.mark.parametrize("title", RECORDS)
def test_what_is_written_reads_the_same(title):
    """Random keys: what the record refuses is left out; the JSON Schema takes what it reads."""
    record = NAMED.get(id(RECORDS[title]), RECORDS[title])
    validator = jsonschema.Draft202012Validator(record.schema())
    accepted = 0

    @settings(
        max_examples=25, deadline=None, derandomize=True, database=None,
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(values(record, KEYS.get(title, "")))
    def check(plain):
        nonlocal accepted
        value, report = read(record, plain)
        assume(value is not BAD and value != () and not report.problems)
        accepted += 1
        assert validator.is_valid(plain), list(validator.iter_errors(plain))[:1]
        written = record.write(value)
        again, second = read(record, written)
        assert not second.problems, (written, [p.text for p in second.problems])
        assert record.write(again) == written
        assert _without_places(again) == _without_places(value)

    check()
    assert accepted >= 2, title


def _without_places(value: Any) -> Any:
    """A value without where its parts stand."""
    if isinstance(value, tuple | list):
        return [_without_places(item) for item in value]
    if isinstance(value, dict):
        return {key: _without_places(item) for key, item in value.items()}
    fields = getattr(type(value), "__dataclass_fields__", None)
    if fields is None:
        return value
    if type(value).__name__ == "Place":
        return None
    return type(value).__name__, [_without_places(getattr(value, name)) for name in fields]
