"""Policies and their sets, redistribution, default routes and distances."""

from __future__ import annotations

from typing import Any

from routrel.files.bgp_values import (
    AdjustmentValue,
    AsNumberValue,
    AsPathPatternValue,
    CommunityValue,
    NextHopValue,
)
from routrel.files.language.common import (
    DESCRIPTION,
    DISTANCE,
    NAME,
    POLICY_USE,
    TAG,
    NamedValues,
)
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
    AsPathSet,
    CommunityActions,
    CommunitySet,
    Conditions,
    NeighbourSet,
    Origin,
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
    Leak,
    Redistribution,
    RouteSource,
)

__all__ = [
    "ACTIONS",
    "COMMUNITY_ACTIONS",
    "CONDITIONS",
    "DISTANCE_RULE",
    "LEAK",
    "POLICY",
    "SETS",
    "SET_ATTRIBUTES",
    "STATEMENT",
    "default_route",
    "redistribution",
]

_SOURCES = Choice(RouteSource)


class _Source(Shape):
    """A protocol by name, kept as its identifier."""

    expects = _SOURCES.expects

    def read(self, node: Any, report: Report) -> Any:
        value = _SOURCES.read(node, report)
        return value.value if isinstance(value, RouteSource) else BAD

    def schema(self) -> dict[str, Any]:
        return _SOURCES.schema()


_SET_KINDS = (
    ("prefixes", PrefixSet, "ranges", PrefixRangeValue(), "prefixes"),
    ("tags", TagSet, "tags", TAG, "route tags"),
    ("as-paths", AsPathSet, "patterns", AsPathPatternValue(), "AS path patterns"),
    ("communities", CommunitySet, "communities", CommunityValue(pattern=True), "communities; a "
     "part may be *"),
    ("neighbours", NeighbourSet, "neighbours", PrefixValue(), "neighbours, by addresses or "
     "prefixes that hold them"),
)  # fmt: skip
#: The attributes of a device that hold its sets.
SET_ATTRIBUTES = (
    "prefix_sets", "tag_sets", "as_path_sets", "community_sets", "neighbour_sets",
)  # fmt: skip
SETS = Record(
    cls=dict,
    what="the sets of a device",
    fields=tuple(
        Field(
            key,
            NamedMap(NAME, NamedValues(cls, attribute, item)),
            f"named sets of {words}",
            target,
            default=(),
        )
        for (key, cls, attribute, item, words), target in zip(
            _SET_KINDS, SET_ATTRIBUTES, strict=True
        )
    ),
    build=lambda values, place, report: values,
    unbuild=lambda values: values,
)
_NUMBER = Integer(0, 2**32 - 1)
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
        Field("metric", OneOrMany(_NUMBER), "its metric", "metrics", default=()),
        Field("next-hop", OneOrMany(PrefixValue()), "holds one of its next hops", "next_hops",
              default=()),
        Field("neighbour", OneOrMany(AddressValue()), "who advertised it", "neighbours",
              default=()),
        Field("neighbours", OneOrMany(NAME), "names of neighbour sets, one of which holds who "
              "advertised it or, on export, will hear it", "neighbour_sets", default=()),
        Field("as-path", OneOrMany(AsPathPatternValue()), "patterns, one of which fits the AS path",
              "as_paths", default=()),
        Field("as-paths", OneOrMany(NAME), "names of AS path sets, one of which fits",
              "as_path_sets", default=()),
        Field("communities", OneOrMany(NAME), "names of community sets, a member of which is "
              "there", "community_sets", default=()),
        Field("all-communities", OneOrMany(NAME), "names of community sets, every member of "
              "which is there", "all_community_sets", default=()),
        Field("local-preference", OneOrMany(_NUMBER), "its local preference",
              "local_preferences", default=()),
        Field("med", OneOrMany(_NUMBER), "its MED", "meds", default=()),
        Field("origin", OneOrMany(Choice(Origin)), "how it came into BGP", "origins",
              default=()),
    ),
    strict=True,
)  # fmt: skip


def _build_actions(values: Values, place: Place, report: Report) -> Any:
    if values["metric"] is not None and values["metric_add"] is not None:
        report.error(place, "bad_actions", "metric is both set and added to", "keep one")
        return BAD
    return Actions(**values)


COMMUNITY_ACTIONS = Record(
    cls=CommunityActions,
    what="what happens to communities",
    fields=(
        Field("replace", ListOf(CommunityValue()), "these take the place of all; [] removes all"),
        Field("remove", OneOrMany(CommunityValue(pattern=True)), "these go; a part may be *",
              default=()),
        Field("remove-sets", OneOrMany(NAME), "names of community sets whose members go",
              default=()),
        Field("add", OneOrMany(CommunityValue()), "these come", default=()),
    ),
    strict=True,
    build=lambda values, place, report: CommunityActions(**values),
)  # fmt: skip
ACTIONS = Record(
    cls=Actions,
    what="the actions of a statement",
    fields=(
        Field("metric", Integer(0, 2**32 - 1), "replaces the metric"),
        Field("metric-add", Integer(1, 2**24), "is added to the metric"),
        Field("metric-type", Integer(1, 2), "OSPF external type"),
        Field("tag", TAG, "replaces the tag"),
        Field("med", AdjustmentValue(), "sets, adds to or subtracts from the MED"),
        Field("local-preference", AdjustmentValue(), "the same for the local preference"),
        Field("weight", Integer(0, 65535), "preference on this device alone"),
        Field("origin", Choice(Origin), "replaces the origin"),
        Field(
            "next-hop",
            NextHopValue(),
            "an address; self; or discard, at an import of BGP: what matches is dropped",
        ),
        Field(
            "prepend",
            OneOrMany(AsNumberValue()),
            "AS numbers put in front of the path, as they are to stand there",
            default=(),
        ),
        Field("communities", COMMUNITY_ACTIONS, "adds, removes or replaces communities"),
    ),
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
        Field("call", NAME, "another policy, which must accept the route; what it changed stays"),
        Field("then", Choice(PolicyResult),
              "accept, reject or next-policy; left out: the next statement is tried"),
        DESCRIPTION,
    ),
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


def redistribution(*fields: Field) -> ListOf:
    """A list of redistributions with the metric keys of the protocol that takes them in."""
    return ListOf(
        Record(
            cls=Redistribution,
            what="a redistribution",
            fields=(
                Field("from", _SOURCES, "the protocol whose active routes are taken", "source",
                      required=True),
                *fields,
                Field("tag", TAG, "left out: the route's own"),
                Field("policy", POLICY_USE, "which of them, and how changed; left out: all"),
                Field("with-connected", Boolean(), "also the connected networks that the source "
                      "protocol runs on", default=False),
                Field("with-default", Boolean(), "also the default route", default=False),
            ),
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


LEAK = Record(
    cls=Leak,
    what="a leak",
    fields=(
        Field("from", NAME, "the VRF whose active routes are taken", "source", required=True),
        Field("protocol", OneOrMany(_SOURCES), "only those of these protocols; left out: any",
              "protocols", default=()),
        Field("policy", POLICY_USE, "which of them, and how changed; left out: all"),
    ),
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
              "BGP that of its session, for OSPF a router id; left out: anybody", "advertisers",
              default=()),
    ),
    strict=True,
)  # fmt: skip
