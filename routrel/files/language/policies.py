"""Policies and their sets, redistribution, default routes and distances."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import DESCRIPTION, DISTANCE, NAME, POLICY_USE, TAG
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Boolean,
    Choice,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    PlacedChoice,
    Record,
    Shape,
    Values,
)
from routrel.files.values import AddressValue, PrefixRangeValue, PrefixValue
from routrel.model.place import Place
from routrel.model.policy import (
    Actions,
    Conditions,
    Policy,
    PolicyResult,
    PrefixSet,
    RouteType,
    Statement,
    TagSet,
)
from routrel.model.redistribution import (
    DefaultRoute,
    DistanceRule,
    Redistribution,
    RouteSource,
)

__all__ = [
    "ACTIONS",
    "CONDITIONS",
    "DISTANCE_RULE",
    "POLICY",
    "SETS",
    "STATEMENT",
    "default_route",
    "redistribution",
]

_SOURCES = Choice(RouteSource, reserved=("bgp",))


class _Source(Shape):
    """A protocol by name, kept as its identifier."""

    expects = _SOURCES.expects

    def read(self, node: Any, report: Report) -> Any:
        value = _SOURCES.read(node, report)
        return value.value if isinstance(value, RouteSource) else BAD

    def schema(self) -> dict[str, Any]:
        return _SOURCES.schema()


class _SetItems(Shape):
    """The values of a named set, read into an object that knows its name's place."""

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


SETS = Record(
    cls=dict,
    what="the sets of a device",
    fields=(
        Field(
            "prefixes",
            NamedMap(NAME, _SetItems(PrefixSet, "ranges", PrefixRangeValue())),
            "named sets of prefixes",
            "prefix_sets",
            default=(),
        ),
        Field(
            "tags",
            NamedMap(NAME, _SetItems(TagSet, "tags", TAG)),
            "named sets of route tags",
            "tag_sets",
            default=(),
        ),
    ),
    reserved=("as-paths", "communities", "neighbours"),
    build=lambda values, place, report: (values["prefix_sets"], values["tag_sets"]),
    unbuild=lambda pair: {"prefix_sets": pair[0], "tag_sets": pair[1]},
)
CONDITIONS = Record(
    cls=Conditions,
    what="the conditions of a statement",
    fields=(
        Field("prefixes", OneOrMany(NAME), "names of prefix sets, one of which holds the prefix",
              "prefix_sets", default=()),
        Field("tags", OneOrMany(NAME), "names of tag sets, one of which has the tag",
              "tag_sets", default=()),
        Field("protocol", OneOrMany(_Source()), "what it is active under", "protocols",
              default=()),
        Field("route-type", OneOrMany(Choice(RouteType)), "what kind its protocol says it is",
              "route_types", default=()),
        Field("metric", OneOrMany(Integer(0, 2**32 - 1)), "its metric", "metrics", default=()),
        Field("next-hop", OneOrMany(PrefixValue()), "holds one of its next hops", "next_hops",
              default=()),
        Field("neighbour", OneOrMany(AddressValue()), "who advertised it", "neighbours",
              default=()),
    ),
    reserved=("as-path", "communities", "local-preference", "origin"),
    strict=True,
)  # fmt: skip


def _build_actions(values: Values, place: Place, report: Report) -> Any:
    if values["metric"] is not None and values["metric_add"] is not None:
        report.error(place, "bad_actions", "metric is both set and added to", "keep one")
        return BAD
    return Actions(**values)


ACTIONS = Record(
    cls=Actions,
    what="the actions of a statement",
    fields=(
        Field("metric", Integer(0, 2**32 - 1), "replaces the metric"),
        Field("metric-add", Integer(1, 2**24), "is added to the metric"),
        Field("metric-type", Integer(1, 2), "OSPF external type"),
        Field("tag", TAG, "replaces the tag"),
    ),
    reserved=("med", "local-preference", "weight", "origin", "next-hop", "prepend", "communities"),
    strict=True,
    build=_build_actions,
)
STATEMENT = Record(
    cls=Statement,
    what="a statement of a policy",
    fields=(
        Field("name", NAME, "its name, for answers to cite", required=True),
        Field("match", CONDITIONS, "all that must hold; left out: any route", "conditions",
              default=Conditions()),
        Field("set", ACTIONS, "what changes", "actions", default=Actions()),
        Field("then", Choice(PolicyResult, reserved=("next-policy",)),
              "accept or reject; left out: the next statement is tried"),
        DESCRIPTION,
    ),
    reserved=("call",),
    strict=True,
)  # fmt: skip


def _build_policy(values: Values, place: Place, report: Report) -> Any:
    default, default_place = values.pop("default")
    names = [statement.name for statement in values["statements"]]
    for index, statement in enumerate(values["statements"]):
        if statement.name in names[:index]:
            report.error(
                statement.place,
                "duplicate_statement",
                f"policy {values['name']} has two statements named {statement.name}",
                "give each its own name",
            )
            return BAD
    return Policy(**values, default=default, default_place=default_place, place=place)


POLICY = Record(
    cls=Policy,
    what="a policy",
    fields=(
        DESCRIPTION,
        Field("statements", ListOf(STATEMENT), "tried from the top", default=()),
        Field("default", PlacedChoice(PolicyResult),
              "what becomes of routes no statement accepts or rejects", required=True),
    ),
    strict=True,
    build=_build_policy,
    unbuild=lambda policy: {
        "name": policy.name, "description": policy.description, "statements": policy.statements,
        "default": (policy.default, policy.default_place),
    },
)  # fmt: skip


def redistribution(*fields: Field, tagged: bool = True) -> ListOf:
    """A list of redistributions with the metric keys of the protocol that takes them in.

    Args:
        tagged: Whether the protocol carries route tags.
    """
    tag = (Field("tag", TAG, "left out: the route's own"),) if tagged else ()
    return ListOf(
        Record(
            cls=Redistribution,
            what="a redistribution",
            fields=(
                Field("from", _SOURCES, "the protocol whose active routes are taken", "source",
                      required=True),
                *fields,
                *tag,
                Field("policy", POLICY_USE, "which of them, and how changed; left out: all"),
                Field("with-connected", Boolean(), "also the connected networks that the source "
                      "protocol runs on", default=False),
                Field("with-default", Boolean(), "also the default route", default=False),
            ),
            reserved=() if tagged else ("tag",),
            strict=True,
        )
    )  # fmt: skip


def default_route(*fields: Field) -> Record:
    """The origination of a default route, with the metric keys of its protocol."""
    return Record(
        cls=DefaultRoute,
        what="the origination of a default route",
        fields=(
            Field("always", Boolean(), "false: only while another protocol's default is active",
                  default=False),
            *fields,
        ),
        bare_ok=True,
        strict=True,
    )  # fmt: skip


DISTANCE_RULE = Record(
    cls=DistanceRule,
    what="a distance rule",
    fields=(
        Field("protocol", _SOURCES, "whose routes", required=True),
        Field("distance", DISTANCE, "their distance", required=True),
        Field("prefixes", OneOrMany(PrefixRangeValue()), "left out: any", default=()),
        Field("from", OneOrMany(PrefixValue()), "who advertises them: a neighbour's address, for "
              "OSPF a router id; left out: anybody", "advertisers", default=()),
    ),
    strict=True,
)  # fmt: skip
