"""The language of the network file and of outside neighbours."""

from __future__ import annotations

from typing import Any

from routrel.files.bgp_values import AsNumberValue, AsPathValue, CommunityValue
from routrel.files.language.common import DESCRIPTION, NAME, SECONDS, VERSION, NamedValues
from routrel.files.language.promises import PROMISES
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Choice,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    Record,
    Text,
    Values,
)
from routrel.files.values import (
    AddressValue,
    InterfaceAddressValue,
    LinkEndValue,
    PrefixRangeValue,
    PrefixValue,
)
from routrel.model.bgp import Announcement, OutsidePeer
from routrel.model.network import (
    Group,
    Link,
    NamedAddress,
    Network,
    OutsideNeighbour,
    RiskGroup,
    Role,
    Site,
    StatedDevice,
)
from routrel.model.place import Place
from routrel.model.policy import Origin

__all__ = [
    "ANNOUNCEMENT", "GROUP", "LINK", "NETWORK_FILE", "OUTSIDE", "OUTSIDE_FILE", "OUTSIDE_PEER",
    "RISK_GROUP", "SITE", "STATED_DEVICE",
]  # fmt: skip


def _build_site(values: Values, place: Place, report: Report) -> Any:
    if len(values.get("position", ())) > 2:
        report.error(place, "bad_position", "a position is two numbers", "write [x, y]")
        return BAD
    return Site(**values, place=place)


SITE = Record(
    cls=Site,
    what="a site",
    fields=(
        Field("title", Text(), "how people call it", default=""),
        Field(
            "position",
            ListOf(Integer(-1_000_000, 1_000_000), minimum=2),
            "where it stands on a fresh chart: x to the right and y downward, in free units",
            default=(),
        ),
        DESCRIPTION,
    ),
    build=_build_site,
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
ANNOUNCEMENT = Record(
    cls=Announcement,
    what="an announcement",
    fields=(
        Field("prefixes", OneOrMany(PrefixValue()), "what is announced", required=True),
        Field("as-path", AsPathValue(), "the AS numbers behind its own; left out: it is its own",
              default=()),
        Field("origin", Choice(Origin), "how it came into BGP", default=Origin.IGP),
        Field("med", Integer(0, 2**32 - 1), "left out: none"),
        Field("communities", OneOrMany(CommunityValue()), "carried along", default=()),
        Field("at", OneOrMany(AddressValue()), "only from these of its addresses; left out: from "
              "all", default=()),
        Field("age", SECONDS, "since when it is announced; left out: not known", "age_s"),
    ),
    strict=True,
)  # fmt: skip
OUTSIDE_PEER = Record(
    cls=OutsidePeer,
    what="a neighbour of an outside network",
    fields=(Field("as", AsNumberValue(), "the AS it expects", "autonomous_system", required=True),),
    strict=True,
)
_OUTSIDE_FIELDS = (
    Field("title", Text(), "how people call it", default=""),
    DESCRIPTION,
    Field(
        "addresses",
        ListOf(InterfaceAddressValue()),
        "its addresses on subnets it shares with our devices",
        default=(),
    ),
    Field("prefixes", ListOf(PrefixValue()), "what lies behind it", default=()),
    Field("as", AsNumberValue(), "its AS; left out: it speaks no BGP", "autonomous_system"),
    Field("router-id", AddressValue(version=4), "left out: its first IPv4 address"),
    Field("neighbours", NamedMap(AddressValue(), OUTSIDE_PEER, "address"),
          "which of our addresses it has sessions with; left out: with whoever has one with it",
          "peers"),
    Field("announces", ListOf(ANNOUNCEMENT), "what it announces to us", default=()),
    Field("accepts", ListOf(PrefixRangeValue()), "what it takes from us; left out: everything"),
)  # fmt: skip


def _build_outside(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel", None)
    outside = OutsideNeighbour(**values, place=place)
    if outside.autonomous_system is None and (
        outside.announces or outside.peers is not None or outside.accepts is not None
    ):
        text = f"{outside.name} announces or accepts routes, but has no AS"
        report.error(place, "bad_outside", text, "add as:")
        return BAD
    return outside


OUTSIDE = Record(
    cls=OutsideNeighbour,
    what="an outside neighbour",
    fields=_OUTSIDE_FIELDS,
    build=_build_outside,
)
OUTSIDE_FILE = Record(
    cls=OutsideNeighbour,
    what="an outside file",
    fields=(VERSION, Field("outside", NAME, "its name", "name", required=True), *_OUTSIDE_FIELDS),
    build=_build_outside,
    unbuild=lambda outside: {
        "routrel": 1, "name": outside.name,
        **{field.target: getattr(outside, field.target) for field in _OUTSIDE_FIELDS},
    },
)  # fmt: skip
GROUP = Record(
    cls=Group,
    what="a group",
    fields=(
        Field("members", ListOf(Text(), minimum=1), "hosts, addresses or prefixes", required=True),
        DESCRIPTION,
    ),
)


def _build_risk_group(values: Values, place: Place, report: Report) -> Any:
    if not any(values.get(key) for key in ("devices", "links", "interfaces", "lines")):
        text = f"nothing is in risk group {values['name']}"
        report.error(place, "bad_risk_group", text, "name devices, links, interfaces or lines")
        return BAD
    return RiskGroup(**values, place=place)


RISK_GROUP = Record(
    cls=RiskGroup,
    what="a risk group",
    fields=(
        Field("title", Text(), "how people call it", default=""),
        DESCRIPTION,
        Field("devices", ListOf(NAME), "devices that fail with it", default=()),
        Field("links", ListOf(Text()), "links that fail with it, by their names here, or by a "
              "subnet", default=()),
        Field("interfaces", ListOf(LinkEndValue()), "interfaces that lose their carrier with it, "
              "as device:interface", default=()),
        Field("lines", ListOf(NAME), "outside networks whose lines fail with it", default=()),
    ),
    build=_build_risk_group,
)  # fmt: skip


STATED_DEVICE = Record(
    cls=StatedDevice,
    what="what is said of a device",
    fields=(
        Field("role", Choice(Role), "router, firewall or host; left out: as its own files say"),
        Field("site", NAME, "the site it stands at"),
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
        Field("risk-groups", NamedMap(NAME, RISK_GROUP), "what fails together, as all in one duct "
              "or on one power feed", "risk_groups", default=()),
        Field("names", NamedMap(NAME, NamedValues(NamedAddress, "addresses", AddressValue())),
              "names for addresses, of this network or any other; a hosts file may hold them too",
              default=()),
        Field("devices", NamedMap(NAME, STATED_DEVICE), "what is not told by the files of devices "
              "in other formats", "stated", default=()),
        PROMISES,
    ),
    build=_build_network,
    unbuild=lambda network: {
        "routrel": 1,
        **{name: getattr(network, name) for name in (
            "name", "description", "sites", "links", "outside", "groups", "risk_groups",
            "names", "stated", "promises")},
    },
)  # fmt: skip
