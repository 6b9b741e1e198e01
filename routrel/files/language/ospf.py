"""OSPF, versions 2 and 3."""

from __future__ import annotations

from typing import Any

from routrel.files.language.common import (
    AUTHENTICATION,
    BANDWIDTH,
    DESCRIPTION,
    DISTANCE,
    MAXIMUM_PATHS,
    POLICY_USE,
    SECONDS,
    TAG,
)
from routrel.files.language.policies import default_route, redistribution
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
    Record,
    Values,
)
from routrel.files.values import AddressValue, AreaValue, PrefixValue, format_area
from routrel.model.ospf import (
    BorderRule,
    OspfArea,
    OspfAreaType,
    OspfExternalRange,
    OspfInstance,
    OspfInterface,
    OspfNetworkType,
    OspfRange,
    TranslatorRole,
    VirtualLink,
)
from routrel.model.place import Place

__all__ = [
    "OSPF",
    "OSPF_AREA",
    "OSPF_EXTERNAL_RANGE",
    "OSPF_INTERFACE",
    "OSPF_RANGE",
    "VIRTUAL_LINK",
]


def _build_interface(values: Values, place: Place, report: Report) -> Any:
    settings = OspfInterface(**values, place=place)
    if settings.neighbours and settings.network_type is not OspfNetworkType.NON_BROADCAST:
        report.error(
            place,
            "bad_ospf",
            "neighbours are stated on non-broadcast networks alone; elsewhere hellos find them",
            "add network: non-broadcast, or remove them",
        )
        return BAD
    return settings


OSPF_INTERFACE = Record(
    cls=OspfInterface,
    what="OSPF on an interface",
    fields=(
        Field("area", AreaValue(), "the area of this interface", required=True),
        Field(
            "cost",
            Integer(1, 65535),
            "output cost; left out: reference bandwidth divided by "
            "the interface's, at least 1; 0 on a loopback",
        ),
        Field("passive", Boolean(), "announce the subnets, form no adjacency", default=False),
        Field(
            "network",
            Choice(OspfNetworkType),
            "left out: by the interface's kind",
            "network_type",
        ),
        Field("hello-interval", SECONDS, "between hellos; left out: 10 s", "hello_interval_s"),
        Field(
            "dead-interval",
            SECONDS,
            "until a silent neighbour is dead; left out: four hello intervals",
            "dead_interval_s",
        ),
        Field("priority", Integer(0, 255), "for the designated router election", default=1),
        Field(
            "neighbours",
            OneOrMany(AddressValue()),
            "of a non-broadcast network: whom this router greets, if its priority is not 0",
            default=(),
        ),
        Field("mtu-check", Boolean(), "whether differing MTUs stop the adjacency", default=True),
        AUTHENTICATION,
    ),
    build=_build_interface,
)
OSPF_RANGE = Record(
    cls=OspfRange,
    what="a range",
    fields=(
        Field("prefix", PrefixValue(), "announced in place of what it holds", required=True),
        Field("advertise", Boolean(), "false: hide what it holds", default=True),
        Field("cost", Integer(0, 2**24 - 2), "left out: the largest cost of what it holds"),
    ),
    strict=True,
)
OSPF_EXTERNAL_RANGE = Record(
    cls=OspfExternalRange,
    what="an external range",
    fields=(
        Field("prefix", PrefixValue(), "announced in place of what it holds", required=True),
        Field("advertise", Boolean(), "false: hide what it holds", default=True),
        Field("tag", TAG, "of the route that is announced", default=0),
    ),
    strict=True,
)
VIRTUAL_LINK = Record(
    cls=VirtualLink,
    what="a virtual link",
    fields=(Field("to", AddressValue(version=4), "the router id at its other end", required=True),),
    strict=True,
)


def _build_area(values: Values, place: Place, report: Report) -> Any:
    area = OspfArea(**values, place=place)
    problem = ""
    if area.id == 0 and area.type is not OspfAreaType.NORMAL:
        problem = f"the backbone cannot be of type {area.type.value}"
    elif area.virtual_links and (area.id == 0 or area.type is not OspfAreaType.NORMAL):
        problem = "a virtual link passes through a normal area that is not the backbone"
    elif area.external_ranges and not area.type.is_nssa:
        problem = "external-ranges belong to an NSSA"
    elif area.default_route and not area.type.is_nssa:
        problem = "default-route belongs to an NSSA; a stub area has its default anyway"
    if problem:
        where = f"area {format_area(area.id)}"
        report.error(place, "bad_area", f"{where}: {problem}", "RFC 2328 3.6, RFC 3101")
        return BAD
    return area


OSPF_AREA = Record(
    cls=OspfArea,
    what="an OSPF area",
    fields=(
        Field("type", Choice(OspfAreaType), "what it lets in; all its routers must agree on "
              "stub and nssa", default=OspfAreaType.NORMAL),
        Field("default-cost", Integer(0, 2**24 - 2), "of the default route told to a stub area "
              "or NSSA", default=1),
        Field("default-route", Boolean(), "NSSA: originate a default route of type 7",
              default=False),
        Field("default-metric-type", Integer(1, 2), "of that default route", default=2),
        Field("translate", Choice(TranslatorRole), "NSSA: whether its routes are translated here",
              default=TranslatorRole.CANDIDATE),
        Field("ranges", ListOf(OSPF_RANGE), "prefixes condensed for other areas", default=()),
        Field("external-ranges", ListOf(OSPF_EXTERNAL_RANGE), "NSSA: its external routes condensed "
              "where they are translated", default=()),
        Field("virtual-links", ListOf(VIRTUAL_LINK), "to other border routers of this area",
              default=()),
        DESCRIPTION,
    ),
    build=_build_area,
    bare_ok=True,
)  # fmt: skip
_METRIC = Field("metric", Integer(0, 2**24 - 2), "left out: 20")
_METRIC_TYPE = Field("metric-type", Integer(1, 2), "1 adds the way there, 2 does not; left out: 2")
OSPF = Record(
    cls=OspfInstance,
    what="OSPF",
    fields=(
        Field(
            "router-id",
            AddressValue(version=4),
            "left out: the highest loopback address, else the highest address",
        ),
        Field(
            "reference-bandwidth",
            BANDWIDTH,
            "divided by an interface's bandwidth it gives the cost; left out: 100 Mb/s",
            "reference_bandwidth_bps",
        ),
        Field("distance", DISTANCE, "left out: 110"),
        Field("external-distance", DISTANCE, "of external routes; left out: as distance"),
        MAXIMUM_PATHS,
        Field("max-metric", Boolean(), "stay reachable, carry nothing through", default=False),
        Field(
            "border",
            Choice(BorderRule),
            "rfc2328: a border router has several areas; rfc3509: one must be the backbone",
            default=BorderRule.RFC2328,
        ),
        Field(
            "rfc1583-compatibility",
            Boolean(),
            "true: among ways to an exit, cost alone counts; false: ways inside one area that is "
            "not the backbone come first (RFC 2328 16.4.1); all routers should agree",
            "rfc1583",
            default=True,
        ),
        Field(
            "areas", NamedMap(AreaValue(), OSPF_AREA, name="id"), "settings of areas", default=()
        ),
        Field(
            "redistribute",
            redistribution(_METRIC, _METRIC_TYPE),
            "what is announced as external",
            default=(),
        ),
        Field(
            "default-route",
            default_route(Field("metric", Integer(0, 2**24 - 2), "left out: 1"), _METRIC_TYPE),
            "announces a default route",
        ),
        Field("import", POLICY_USE, "which routes enter the table; left out: all", "import_policy"),
    ),
    bare_ok=True,
)
