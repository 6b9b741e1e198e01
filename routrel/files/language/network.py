"""The network file and the case files."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import DESCRIPTION, NAME, VERSION
from routrel.files.report import Report
from routrel.files.shapes import BAD, Field, Integer, ListOf, NamedMap, Record, Text, Values, Word
from routrel.files.values import InterfaceAddressValue, LinkEndValue, PrefixValue
from routrel.model.network import (
    Case,
    CaseQuestion,
    CaseRoute,
    Group,
    Link,
    Network,
    OutsideNeighbour,
    Site,
)
from routrel.model.place import Place

__all__ = [
    "CASE_FILE", "CASE_ROUTE", "GROUP", "LINK", "NETWORK_FILE", "OUTSIDE", "QUESTION", "SITE",
]  # fmt: skip

SITE = Record(
    cls=Site,
    what="a site",
    fields=(Field("title", Text(), "how people call it", default=""), DESCRIPTION),
    bare_ok=True,
)
LINK = Record(
    cls=Link,
    what="a link",
    fields=(
        Field(
            "between",
            ListOf(LinkEndValue(), minimum=1),
            "the interfaces it joins, as device:interface",
            "ends",
            required=True,
        ),
        DESCRIPTION,
    ),
)
OUTSIDE = Record(
    cls=OutsideNeighbour,
    what="an outside neighbour",
    fields=(
        Field("title", Text(), "how people call it", default=""),
        DESCRIPTION,
        Field(
            "addresses",
            ListOf(InterfaceAddressValue()),
            "its addresses on subnets it shares with our devices",
            default=(),
        ),
        Field("prefixes", ListOf(PrefixValue()), "what lies behind it", default=()),
    ),
    reserved=("as", "announces", "accepts"),
)
GROUP = Record(
    cls=Group,
    what="a group",
    fields=(
        Field("members", ListOf(Text(), minimum=1), "hosts, addresses or prefixes", required=True),
        DESCRIPTION,
    ),
)


def _build_network(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    return Network(**values, place=place)


NETWORK_FILE = Record(
    cls=Network,
    what="the network file",
    fields=(
        VERSION,
        Field("network", Text(), "the network's name", "name", required=True),
        DESCRIPTION,
        Field("sites", NamedMap(NAME, SITE), "places that group devices on the chart", default=()),
        Field("links", NamedMap(NAME, LINK), "links that the addresses do not tell, or tell "
              "wrongly", default=()),
        Field("outside", NamedMap(NAME, OUTSIDE), "networks of others next to this one",
              default=()),
        Field("groups", NamedMap(NAME, GROUP), "named endpoints", default=()),
    ),
    reserved=("promises",),
    build=_build_network,
    unbuild=lambda network: {
        "routrel": 1,
        **{name: getattr(network, name) for name in (
            "name", "description", "sites", "links", "outside", "groups")},
    },
)  # fmt: skip

QUESTION = Record(
    cls=CaseQuestion,
    what="a question",
    fields=(
        Field("from", Text(), "the source", "source", required=True),
        Field("to", Text(), "the destination", "destination", required=True),
        Field(
            "as",
            Text(),
            "protocol and port, as tcp 5432; left out: an echo request",
            "traffic",
            default="",
        ),
        Field("size", Integer(20, 65535), "bytes of the IP packet; left out: not asked"),
    ),
    build=lambda values, place, report: CaseQuestion(**values),
)


CASE_ROUTE = Record(
    cls=CaseRoute,
    what="a route in question",
    fields=(
        Field("at", NAME, "the device", required=True),
        Field("to", Text(), "an address or a prefix", required=True),
    ),
    build=lambda values, place, report: CaseRoute(**values),
)


def _build_case(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    expected = values.pop("expect")
    case = Case(**values, **expected, place=place)
    if (case.question is None) == (case.route is None):
        problem = "a case asks either about a flow or about a route"
    elif case.question and case.forward is None:
        problem = "the answer to a flow needs its forward verdict"
    elif case.route and not (case.protocol or case.reason):
        problem = "the answer to a route needs its protocol, or the reason why there is none"
    else:
        return case
    report.error(place, "bad_case", problem, "add question: or route:, and what to expect")
    return BAD


_EXPECT_FIELDS = (
    Field("forward", Word(), "flow: the verdict identifier of the forward direction"),
    Field("return", Word(), "flow: the verdict identifier of the return direction", "back"),
    Field("protocol", Word(), "route: the identifier of its protocol"),
    Field("reason", Word(), "route: the identifier of why it, or a specific one, is absent"),
    Field("device", NAME, "where the evidence lies"),
    Field("file", Text(), "the file that holds the evidence"),
    Field("evidence", Text(), "text that stands on the line of the evidence"),
)
CASE_FILE = Record(
    cls=Case,
    what="a case file",
    fields=(
        VERSION,
        Field("case", NAME, "the case's name", "name", required=True),
        Field("title", Text(), "one line", required=True),
        Field("story", Text(), "what people complain about", required=True),
        Field("question", QUESTION, "the flow to ask"),
        Field("route", CASE_ROUTE, "the route to ask"),
        Field(
            "expect",
            Record(
                cls=dict, what="the expected answer", fields=_EXPECT_FIELDS,
                build=lambda values, place, report: values, unbuild=lambda values: values,
            ),
            "the known answer",
            required=True,
        ),
    ),
    build=_build_case,
    unbuild=lambda case: {
        "routrel": 1,
        **{name: getattr(case, name) for name in ("name", "title", "story", "question", "route")},
        "expect": {field.target: getattr(case, field.target) for field in _EXPECT_FIELDS},
    },
)  # fmt: skip
