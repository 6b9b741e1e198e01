"""The device-file language, version 1: every key, its shape and its meaning.

Reading, writing, the published JSON Schema and the reference in docs/device-file.md all follow
from the records here. Keys listed as reserved belong to the language's plan; a file that uses one
is refused by name and line until the engine computes it.
"""

from __future__ import annotations

from typing import Any

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
    Text,
    Values,
    Word,
)
from routrel.files.values import (
    AddressValue,
    AreaValue,
    GatewayValue,
    IcmpTypeValue,
    InterfaceAddressValue,
    LinkEndValue,
    PortRangeValue,
    PrefixValue,
    ProtocolValue,
    QuantityValue,
    ReferenceValue,
)
from routrel.model.filters import Action, Filter, Match, Rule
from routrel.model.network import (
    DEFAULT_VRF,
    Case,
    CaseQuestion,
    Device,
    FilterUse,
    Group,
    Interface,
    InterfaceKind,
    Link,
    Network,
    OspfArea,
    OspfInstance,
    OspfInterface,
    OspfNetworkType,
    OutsideNeighbour,
    Role,
    Site,
    StaticRoute,
    Vrf,
)
from routrel.model.place import Place
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    icmp_type_name,
    protocol_name,
)

__all__ = ["CASE_FILE", "DEVICE_FILE", "NETWORK_FILE", "RECORDS"]

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
VERSION = Field(
    "routrel", Integer(1, 1), "the version of the language: 1", required=True, default=1
)
DESCRIPTION = Field("description", Text(), "free text", default="")


# --- filters -------------------------------------------------------------------------------------


def _build_rule(values: Values, place: Place, report: Report) -> Any:
    actions = [action for action in Action if values[action.value] is not None]
    if len(actions) != 1:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} needs either “permit” or “deny”",
            "write permit: tcp, deny: any, and so on",
        )
        return BAD
    action = actions[0]
    protocol = values[action.value]
    named = None if protocol == -1 else protocol
    has_ports = values["source_ports"] or values["destination_ports"]
    if has_ports and named not in PORT_PROTOCOLS:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} names ports, but its protocol has none",
            "write tcp, udp or sctp after permit or deny",
        )
        return BAD
    if (values["icmp_types"] or values["icmp_codes"]) and named not in (ICMP, ICMPV6):
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} names ICMP types, but is not for icmp or icmpv6",
            "write icmp or icmpv6 after permit or deny",
        )
        return BAD
    families = [
        {prefix.version for prefix in values[side]}
        for side in ("sources", "destinations")
        if values[side]
    ]
    if len(families) == 2 and not families[0] & families[1]:
        report.error(
            place,
            "bad_rule",
            f"rule {values['id']} can never match: “from” and “to” are of different families",
            "use IPv4 on both sides, or IPv6 on both sides",
        )
        return BAD
    names = ICMP_TYPES if named == ICMP else ICMPV6_TYPES
    icmp_types = []
    for text in values["icmp_types"]:
        if text not in names and not text.isdecimal():
            report.error(
                place,
                "bad_rule",
                f"rule {values['id']}: {protocol_name(named or 0)} has no type “{text}”",
                "known here: " + ", ".join(names),
            )
            return BAD
        icmp_types.append(names[text] if text in names else int(text))
    return Rule(
        id=values["id"],
        action=action,
        description=values["description"],
        place=place,
        match=Match(
            protocol=named,
            sources=values["sources"],
            destinations=values["destinations"],
            source_ports=values["source_ports"],
            destination_ports=values["destination_ports"],
            icmp_types=tuple(icmp_types),
            icmp_codes=values["icmp_codes"],
        ),
    )


def _unbuild_rule(rule: Rule) -> Values:
    match = rule.match
    protocol = -1 if match.protocol is None else match.protocol
    types = []
    for number in match.icmp_types:
        name = icmp_type_name(match.protocol or 0, number)
        types.append(str(number) if " " in name else name)
    return {
        "id": rule.id,
        "permit": protocol if rule.action is Action.PERMIT else None,
        "deny": protocol if rule.action is Action.DENY else None,
        "sources": match.sources,
        "source_ports": match.source_ports,
        "destinations": match.destinations,
        "destination_ports": match.destination_ports,
        "icmp_types": tuple(types),
        "icmp_codes": match.icmp_codes,
        "description": rule.description,
    }


RULE = Record(
    cls=Rule,
    what="a filter rule",
    fields=(
        Field(
            "id",
            Integer(1, 2**31 - 1),
            "the rule's number; numbers rise down the list",
            required=True,
        ),
        Field("permit", ProtocolValue(), "lets packets of this protocol pass"),
        Field("deny", ProtocolValue(), "drops packets of this protocol"),
        Field(
            "from",
            OneOrMany(PrefixValue()),
            "source prefixes; left out: any",
            "sources",
            default=(),
        ),
        Field(
            "from-port",
            OneOrMany(PortRangeValue()),
            "source ports; left out: any",
            "source_ports",
            default=(),
        ),
        Field(
            "to",
            OneOrMany(PrefixValue()),
            "destination prefixes; left out: any",
            "destinations",
            default=(),
        ),
        Field(
            "to-port",
            OneOrMany(PortRangeValue()),
            "destination ports; left out: any",
            "destination_ports",
            default=(),
        ),
        Field(
            "icmp-type",
            OneOrMany(IcmpTypeValue()),
            "ICMP types; left out: any",
            "icmp_types",
            default=(),
        ),
        Field(
            "icmp-code",
            OneOrMany(Integer(0, 255)),
            "ICMP codes; left out: any",
            "icmp_codes",
            default=(),
        ),
        DESCRIPTION,
    ),
    reserved=("dscp", "tcp-flags", "fragments", "session", "reject", "log"),
    strict=True,
    build=_build_rule,
    unbuild=_unbuild_rule,
)


class _DefaultAction(Choice):
    """Read with its place: a verdict may cite the line of the default."""

    def read(self, node: Any, report: Report) -> Any:
        value = super().read(node, report)
        return BAD if value is BAD else (value, node.place)

    def write(self, value: Any) -> Any:
        return super().write(value[0])


def _build_filter(values: Values, place: Place, report: Report) -> Any:
    action, default_place = values.pop("default")
    previous: Rule | None = None
    for rule in values["rules"]:
        if previous and rule.id <= previous.id:
            report.error(
                rule.place,
                "rule_order",
                f"rule {rule.id} of filter {values['name']} stands after rule {previous.id}",
                "number the rules so that each is higher than the one before",
            )
            return BAD
        previous = rule
    return Filter(**values, default=action, default_place=default_place, place=place)


def _unbuild_filter(value: Filter) -> Values:
    return {
        "name": value.name,
        "rules": value.rules,
        "default": (value.default, value.default_place),
        "description": value.description,
    }


FILTER = Record(
    cls=Filter,
    what="a filter",
    fields=(
        DESCRIPTION,
        Field("rules", ListOf(RULE), "the rules, tried from the top", default=()),
        Field(
            "default",
            _DefaultAction(Action),
            "what happens to packets no rule matches: permit or deny",
            required=True,
        ),
    ),
    reserved=("sessions", "kind"),
    build=_build_filter,
    unbuild=_unbuild_filter,
)
_FILTER_USE = ReferenceValue(FilterUse, "filter", "the name of a filter of this device")
FILTER_USES = Record(
    cls=dict,
    what="the filters of an interface",
    fields=(
        Field("in", _FILTER_USE, "the filter for packets that arrive here"),
        Field("out", _FILTER_USE, "the filter for packets that leave here"),
    ),
    build=lambda values, place, report: (values["in"], values["out"]),
    unbuild=lambda pair: {"in": pair[0], "out": pair[1]},
)


# --- OSPF ----------------------------------------------------------------------------------------

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
            Choice(OspfNetworkType, reserved=("multipoint", "non-broadcast")),
            "broadcast or point-to-point; left out: by the interface's kind",
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
        Field("mtu-check", Boolean(), "whether differing MTUs stop the adjacency", default=True),
    ),
    reserved=("authentication", "max-metric"),
)
OSPF_AREA = Record(
    cls=OspfArea,
    what="an OSPF area",
    fields=(DESCRIPTION,),
    reserved=("type", "default-cost", "ranges", "virtual-links", "summaries", "translate"),
    bare_ok=True,
)
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
        Field("distance", Integer(1, 255), "left out: 110"),
        Field("maximum-paths", Integer(1, 256), "equal-cost next hops kept; left out: 16"),
        Field(
            "areas", NamedMap(AreaValue(), OSPF_AREA, name="id"), "settings of areas", default=()
        ),
    ),
    reserved=("redistribute", "default-route", "max-metric", "import", "distances"),
    bare_ok=True,
)


# --- routes, VRFs, interfaces --------------------------------------------------------------------


def _build_static(values: Values, place: Place, report: Report) -> Any:
    route = StaticRoute(**values, place=place)
    problem = hint = ""
    if route.discard and (route.via or route.interface):
        problem, hint = "discards and also names a next hop", "keep one of the two"
    elif not route.discard and route.via is None and route.interface is None:
        problem, hint = "leads nowhere", "add via: an address, interface: a name, or discard: true"
    elif route.via is not None and route.via.version != route.to.version:
        problem, hint = (
            f"is IPv{route.to.version}, its next hop IPv{route.via.version}",
            ("use a next hop of the same family"),
        )
    elif route.via is not None and route.via.is_link_local and route.interface is None:
        problem, hint = "has a link-local next hop but no interface", "add interface: a name"
    if problem:
        report.error(place, "bad_static", f"the route to {route.to} {problem}", hint)
        return BAD
    return route


STATIC = Record(
    cls=StaticRoute,
    what="a static route",
    fields=(
        Field("to", PrefixValue(), "the destination prefix", required=True),
        Field("via", AddressValue(), "the next hop's address"),
        Field("interface", INTERFACE_NAME, "the outgoing interface"),
        Field("discard", Boolean(), "drop what matches", default=False),
        Field(
            "distance",
            Integer(1, 255),
            "1 is preferred to all but connected; a high one floats below other routes",
            default=1,
        ),
        Field("tag", Integer(0, 2**32 - 1), "a number carried along", default=0),
        DESCRIPTION,
    ),
    reserved=("next-vrf", "weight", "reject"),
    strict=True,
    build=_build_static,
)
VRF_FIELDS = (
    Field("ospf", OSPF, "OSPF (version 2, for IPv4)"),
    Field(
        "static", ListOf(STATIC), "static routes; several to one prefix share the load", default=()
    ),
)
ROUTING_RESERVED = (
    "bgp", "rip", "ripng", "eigrp", "isis", "ospfv3", "distances", "maximum-paths", "leak",
)  # fmt: skip
VRF = Record(
    cls=Vrf,
    what="a VRF",
    fields=(DESCRIPTION, *VRF_FIELDS),
    reserved=(*ROUTING_RESERVED, "import-tags", "export-tags", "label"),
    bare_ok=True,
)


def _build_interface(values: Values, place: Place, report: Report) -> Any:
    filter_in, filter_out = values.pop("filters") or (None, None)
    seen = set()
    for address in values["addresses"]:
        if address.ip in seen:
            report.error(
                place,
                "duplicate_address",
                f"interface {values['name']} has {address.ip} twice",
                "remove one",
            )
            return BAD
        seen.add(address.ip)
    return Interface(**values, filter_in=filter_in, filter_out=filter_out, place=place)


def _unbuild_interface(value: Interface) -> Values:
    values = {
        field.target: getattr(value, field.target)
        for field in INTERFACE.fields
        if field.key != "filters"
    }
    pair = (value.filter_in, value.filter_out)
    values["filters"] = None if pair == (None, None) else pair
    return values


INTERFACE = Record(
    cls=Interface,
    what="an interface",
    fields=(
        Field("kind", Choice(InterfaceKind, reserved=("bond", "vlan", "tunnel", "bridge")),
              "ethernet, point-to-point or loopback", default=InterfaceKind.ETHERNET),
        DESCRIPTION,
        Field("enabled", Boolean(), "false: shut", default=True),
        Field("vrf", NAME, "the VRF whose table it uses", default=DEFAULT_VRF),
        Field("addresses", ListOf(InterfaceAddressValue()), "addresses with prefix length; the "
              "first of each family is the primary", default=()),
        Field("mtu", Integer(68, 65535), "the largest IP packet in bytes", default=1500),
        Field("bandwidth", BANDWIDTH, "left out: 1 Gb/s", "bandwidth_bps"),
        Field("delay", DELAY, "left out: unknown", "delay_us"),
        Field("ospf", OSPF_INTERFACE, "OSPF on this interface"),
        Field("filters", FILTER_USES, "packet filters bound here"),
    ),
    reserved=(
        "ospfv3", "rip", "ripng", "eigrp", "isis", "steering", "translation", "zone", "vlans",
        "vlan", "members", "tunnel", "labels", "vrrp", "reverse-path-check", "unnumbered",
    ),
    build=_build_interface,
    unbuild=_unbuild_interface,
    bare_ok=True,
)  # fmt: skip


# --- the files -----------------------------------------------------------------------------------


def _build_device(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    named = values.pop("vrfs")
    for vrf in named:
        if vrf.name == DEFAULT_VRF:
            report.error(
                vrf.place,
                "bad_vrf",
                "the default VRF is the file's top level",
                "move its static and ospf keys to the top level",
            )
            return BAD
    default = Vrf(
        name=DEFAULT_VRF, static=values.pop("static"), ospf=values.pop("ospf"), place=place
    )
    device = Device(**values, vrfs=(default, *named), place=place)
    families = [gateway.address.version for gateway in device.gateways]
    if device.gateways and device.role.forwards:
        report.error(
            place,
            "bad_gateway",
            "only a host has a gateway",
            "write a static route to 0.0.0.0/0 or ::/0",
        )
        return BAD
    if len(families) != len(set(families)):
        report.error(place, "bad_gateway", "two gateways of one family", "keep one of them")
        return BAD
    return device


def _unbuild_device(device: Device) -> Values:
    default, *named = device.vrfs
    return {
        "routrel": 1, "name": device.name, "site": device.site, "role": device.role,
        "description": device.description, "gateways": device.gateways,
        "interfaces": device.interfaces, "vrfs": tuple(named), "ospf": default.ospf,
        "static": default.static, "filters": device.filters,
    }  # fmt: skip


DEVICE_FILE = Record(
    cls=Device,
    what="a device file",
    fields=(
        VERSION,
        Field("device", NAME, "the device's name", "name", required=True),
        Field("role", Choice(Role, reserved=("switch", "outside")), "router, firewall or host",
              required=True),
        Field("site", NAME, "the site it stands at"),
        DESCRIPTION,
        Field("gateway", OneOrMany(GatewayValue()), "a host's default gateway; one a family",
              "gateways", default=()),
        Field("interfaces", NamedMap(INTERFACE_NAME, INTERFACE), "its interfaces", default=()),
        Field("vrfs", NamedMap(NAME, VRF), "further routing tables", default=()),
        *VRF_FIELDS,
        Field("filters", NamedMap(NAME, FILTER), "packet filters, bound at interfaces",
              default=()),
    ),
    reserved=(
        *ROUTING_RESERVED, "policies", "sets", "steering", "translation", "zones", "sessions",
        "host-filters", "vlans", "bonds", "labels", "tunnels", "overlays", "processing",
    ),
    build=_build_device,
    unbuild=_unbuild_device,
)  # fmt: skip

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


def _build_case(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    expected = values.pop("expect")
    return Case(**values, **expected, place=place)


_EXPECT_FIELDS = (
    Field("forward", Word(), "the verdict identifier of the forward direction", required=True),
    Field("return", Word(), "the verdict identifier of the return direction", "back"),
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
        Field("question", QUESTION, "the flow to ask", required=True),
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
        **{name: getattr(case, name) for name in ("name", "title", "story", "question")},
        "expect": {field.target: getattr(case, field.target) for field in _EXPECT_FIELDS},
    },
)  # fmt: skip

#: Every record of the language with the title of its section in docs/device-file.md.
RECORDS: dict[str, Record] = {
    "The network file": NETWORK_FILE,
    "Site": SITE,
    "Link": LINK,
    "Outside neighbour": OUTSIDE,
    "Group": GROUP,
    "The device file": DEVICE_FILE,
    "Interface": INTERFACE,
    "Filters of an interface": FILTER_USES,
    "OSPF on an interface": OSPF_INTERFACE,
    "OSPF": OSPF,
    "OSPF area": OSPF_AREA,
    "Static route": STATIC,
    "VRF": VRF,
    "Filter": FILTER,
    "Filter rule": RULE,
    "The case file": CASE_FILE,
    "Question of a case": QUESTION,
}
