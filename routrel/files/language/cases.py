"""The language of case files."""

from __future__ import annotations

from typing import Any

from routrel.files.language.changes import CHANGE_EDIT
from routrel.files.language.common import NAME, VERSION
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Field,
    Integer,
    ListOf,
    OneOrMany,
    Record,
    Text,
    Values,
    Word,
)
from routrel.model.cases import Case, CaseQuestion, CaseRoute
from routrel.model.place import Place

__all__ = ["CASE_FILE", "CASE_ROUTE", "QUESTION"]

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
    Field("loser", Word(), "route: who announces the candidate that lost"),
    Field("rung", Word(), "route: the identifier of the rung where that one lost"),
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
        Field("fail", OneOrMany(Text()), "what has failed when it is asked, as link:harbour; left "
              "out: nothing", default=()),
        Field("tables", OneOrMany(Text()), "what devices are taken to forward by when it is asked: "
              "computed, observed or known, or DEVICE=one of them; left out: as their files say",
              default=()),
        Field("edits", ListOf(CHANGE_EDIT), "edits that are made when it is asked, as those of a "
              "change; left out: none", default=()),
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
        **{name: getattr(case, name) for name in (
            "name", "title", "story", "question", "route", "fail", "tables", "edits")},
        "expect": {field.target: getattr(case, field.target) for field in _EXPECT_FIELDS},
    },
)  # fmt: skip
