"""The device file: interfaces, VRFs, static routes and what belongs to the whole device."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from routrel.files.language.bgp import BGP
from routrel.files.language.common import (
    BANDWIDTH,
    DELAY,
    DESCRIPTION,
    DISTANCE,
    INTERFACE_NAME,
    NAME,
    TAG,
    VERSION,
)
from routrel.files.language.eigrp import EIGRP, EIGRP_INTERFACE
from routrel.files.language.filters import FILTER, FILTER_USES, in_order
from routrel.files.language.forwarding import (
    ARRIVING_TRAFFIC,
    OWN_TRAFFIC,
    STEERING,
    STEERING_NAME,
    THROUGH_TRAFFIC,
    TRANSLATION_RULE,
    VIRTUAL_ROUTER,
    ZONE,
)
from routrel.files.language.isis import ISIS, ISIS_INTERFACE
from routrel.files.language.ospf import OSPF, OSPF_INTERFACE
from routrel.files.language.policies import DISTANCE_RULE, LEAK, POLICY, SET_ATTRIBUTES, SETS
from routrel.files.language.rip import RIP, RIP_INTERFACE
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Bad,
    Boolean,
    Choice,
    Field,
    Integer,
    ListOf,
    NamedMap,
    OneOrMany,
    PlacedInteger,
    Record,
    Text,
    Values,
)
from routrel.files.values import (
    AddressValue,
    GatewayValue,
    InterfaceAddressValue,
    PrefixValue,
)
from routrel.model.addresses import Family
from routrel.model.filters import Filter
from routrel.model.network import (
    DEFAULT_MTU,
    DEFAULT_VRF,
    Device,
    Interface,
    InterfaceKind,
    Processing,
    ReversePathCheck,
    Role,
    StaticRoute,
    TrafficRules,
    Vrf,
)
from routrel.model.observed import TableSource
from routrel.model.place import Place
from routrel.model.reject import Reject

__all__ = ["DEVICE_FILE", "INTERFACE", "STATIC", "VRF"]


def _build_static(values: Values, place: Place, report: Report) -> Any:
    route = StaticRoute(**values, place=place)
    problem = hint = ""
    if route.drops and (route.via or route.interface):
        problem, hint = "discards and also names a next hop", "keep one of the two"
    elif route.discard + (route.reject is not None) + route.pass_on > 1:
        problem, hint = "discards, rejects or passes on, all at once", "keep one of them"
    elif not route.drops and route.via is None and route.interface is None:
        problem, hint = "leads nowhere", "add via: an address, interface: a name, or discard: true"
    elif route.next_vrf is not None and route.via is None and route.interface is None:
        problem, hint = (
            "has a next-vrf without an address to look up or an interface there",
            "add via: an address, or interface: one of that VRF",
        )
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
        Field("discard", Boolean(), "drop what matches, in silence", default=False),
        Field(
            "reject",
            Choice(Reject),
            "drop what matches and tell its sender: unreachable or prohibited",
        ),
        Field(
            "pass-on",
            Boolean(),
            "true: this table says nothing about what matches, so steering that asked it goes on "
            "with its next rule; in the packet's own table it is as no route",
            default=False,
        ),
        Field(
            "weight",
            Integer(1, 256),
            "the share of the load among the routes to one prefix",
            default=1,
        ),
        Field(
            "next-vrf", NAME, "the VRF whose table resolves the next hop, or whose interface it is"
        ),
        Field(
            "distance",
            DISTANCE,
            "1 is preferred to all but connected; a high one floats below other routes",
            default=1,
        ),
        Field("tag", TAG, "a number carried along", default=0),
        DESCRIPTION,
    ),
    strict=True,
    build=_build_static,
)
VRF_FIELDS = (
    Field("ospf", OSPF, "OSPF version 2, for IPv4"),
    Field("ospfv3", OSPF, "OSPF version 3, for IPv6"),
    Field("rip", RIP, "RIP version 2, for IPv4"),
    Field("ripng", RIP, "RIPng, for IPv6"),
    Field("eigrp", EIGRP, "EIGRP, for both families"),
    Field("isis", ISIS, "IS-IS, for both families"),
    Field("bgp", BGP, "BGP, for both families"),
    Field(
        "static", ListOf(STATIC), "static routes; several to one prefix share the load", default=()
    ),
    Field(
        "distances",
        ListOf(DISTANCE_RULE),
        "distances for some routes; the first rule that matches counts",
        default=(),
    ),
    Field(
        "import-tags",
        OneOrMany(NAME),
        "takes in what the device's other VRFs export under one of these",
        default=(),
    ),
    Field("export-tags", OneOrMany(NAME), "offers its routes under these", default=()),
    Field(
        "leak",
        ListOf(LEAK),
        "what it takes from other VRFs besides, by protocol or policy",
        "leaks",
        default=(),
    ),
    Field(
        "maximum-paths",
        Integer(1, 256),
        "equal-cost next hops each protocol keeps",
        default=16,
    ),
)
VRF = Record(
    cls=Vrf,
    what="a VRF",
    fields=(
        DESCRIPTION,
        *VRF_FIELDS,
    ),
    reserved=("label",),
    bare_ok=True,
)  # fmt: skip


def _build_interface(values: Values, place: Place, report: Report) -> Any:
    values.update(values.pop("filters") or {})
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
    mtu, mtu_place = values.pop("mtu") or (DEFAULT_MTU, place)
    return Interface(**values, mtu=mtu, mtu_place=mtu_place, place=place)


def _unbuild_interface(value: Interface) -> Values:
    values = {
        field.target: getattr(value, field.target)
        for field in INTERFACE.fields
        if field.key != "filters"
    }
    values["mtu"] = None if value.mtu == DEFAULT_MTU else (value.mtu, value.mtu_place)
    bound = {"filters_in": value.filters_in, "filters_out": value.filters_out}
    values["filters"] = bound if any(bound.values()) else None
    return values


INTERFACE = Record(
    cls=Interface,
    what="an interface",
    fields=(
        Field("kind", Choice(InterfaceKind, reserved=("bond", "vlan", "tunnel", "bridge")),
              "ethernet, point-to-point or loopback", default=InterfaceKind.ETHERNET),
        DESCRIPTION,
        Field("enabled", Boolean(), "false: shut", default=True),
        Field("carrier", Boolean(), "false: enabled, and nothing is heard of the other end",
              default=True),
        Field("vrf", NAME, "the VRF whose table it uses", default=DEFAULT_VRF),
        Field("addresses", ListOf(InterfaceAddressValue()), "addresses with prefix length; the "
              "first of each family is the primary", default=()),
        Field("mtu", PlacedInteger(68, 65535), "the largest IP packet in bytes; left out: 1500"),
        Field("bandwidth", BANDWIDTH, "left out: 1 Gb/s", "bandwidth_bps"),
        Field("delay", DELAY, "for EIGRP; left out: 10 us at 1 Gb/s, in proportion at other "
              "bandwidths", "delay_us"),
        Field("unnumbered", INTERFACE_NAME, "the interface whose addresses it borrows"),
        Field("ospf", OSPF_INTERFACE, "OSPF version 2 on this interface"),
        Field("ospfv3", OSPF_INTERFACE, "OSPF version 3 on this interface"),
        Field("rip", RIP_INTERFACE, "RIP version 2 on this interface"),
        Field("ripng", RIP_INTERFACE, "RIPng on this interface"),
        Field("eigrp", EIGRP_INTERFACE, "EIGRP on this interface"),
        Field("isis", ISIS_INTERFACE, "IS-IS on this interface"),
        Field("filters", FILTER_USES, "packet filters bound here"),
        Field("steering", STEERING_NAME, "steering of what arrives here"),
        Field("zone", NAME, "the zone it belongs to"),
        Field("reverse-path-check", Choice(ReversePathCheck), "strict: what arrives here must come "
              "from where the device would send its answer; loose: there must be a way back"),
        Field("accept-own-source", Boolean(), "with Linux processing: whether packets from the "
              "device's own addresses may arrive here", default=False),
        Field("vrrp", ListOf(VIRTUAL_ROUTER), "virtual routers here", "virtual_routers",
              default=()),
    ),
    reserved=("vlans", "vlan", "members", "tunnel", "labels"),
    build=_build_interface,
    unbuild=_unbuild_interface,
    bare_ok=True,
)  # fmt: skip


# --- the file -------------------------------------------------------------------------------------


def _build_device(values: Values, place: Place, report: Report) -> Any:
    values.pop("routrel")
    named = values.pop("vrfs")
    for vrf in named:
        if vrf.name == DEFAULT_VRF:
            report.error(
                vrf.place,
                "bad_vrf",
                "the default VRF is the file's top level",
                "move its keys to the top level",
            )
            return BAD
    routing = {field.target: values.pop(field.target) for field in VRF_FIELDS}
    default = Vrf(name=DEFAULT_VRF, **routing, place=place)
    values.update(values.pop("sets") or {})
    if not in_order(values["translation"], "translation", report):
        return BAD
    filters = _with_asked(values.pop("filters"), report)
    if isinstance(filters, Bad):
        return BAD
    device = Device(**values, filters=filters, vrfs=(default, *named), place=place)
    families = [gateway.address.version for gateway in device.gateways]
    if device.forwards_only and not device.role.forwards:
        report.error(place, "bad_role", "a host forwards nothing", "remove forwards")
        return BAD
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


def _with_asked(filters: tuple[Filter, ...], report: Report) -> tuple[Filter, ...] | Bad:
    """Filters with those that their rules ask; names of none are left for the check of names."""
    names = {item.name: item for item in filters}
    made: dict[str, Filter] = {}

    def make(item: Filter, within: tuple[str, ...]) -> Filter | None:
        if item.name in made:
            return made[item.name]
        asked: list[Filter] = []
        for rule in item.rules:
            if rule.asks is None or rule.asks not in names or rule.asks in [a.name for a in asked]:
                continue
            if rule.asks in (*within, item.name):
                report.error(
                    rule.place,
                    "filter_loop",
                    f"filter {item.name} asks {rule.asks}, by way of which it was asked",
                    "let no filter come back to itself",
                )
                return None
            found = make(names[rule.asks], (*within, item.name))
            if found is None:
                return None
            asked.append(found)
        made[item.name] = replace(item, asked=tuple(asked))
        return made[item.name]

    for item in filters:
        if make(item, ()) is None:
            return BAD
    return tuple(made[item.name] for item in filters)


def _unbuild_device(device: Device) -> Values:
    default, *named = device.vrfs
    sets = {name: getattr(device, name) for name in SET_ATTRIBUTES}
    return {
        "routrel": 1, "name": device.name, "site": device.site, "role": device.role,
        "description": device.description, "gateways": device.gateways,
        "interfaces": device.interfaces, "vrfs": tuple(named), "filters": device.filters,
        "processing": device.processing, "forwards_only": device.forwards_only,
        "tables": device.tables, "unknown": device.unknown,
        "ignore_dead_links": device.ignore_dead_links,
        "local_traffic": device.local_traffic, "transit_traffic": device.transit_traffic,
        "arriving_traffic": device.arriving_traffic,
        "zones": device.zones, "translation": device.translation, "steerings": device.steerings,
        "policies": device.policies,
        "sets": sets if any(sets.values()) else None,
        **{field.target: getattr(default, field.target) for field in VRF_FIELDS},
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
        Field("processing", Choice(Processing), "the order in which packets are treated: router, "
              "or linux as its kernel does", default=Processing.ROUTER),
        Field("tables", Choice(TableSource), "what it forwards by: computed, its configuration; "
              "known, the tables that were read from it, where there are any; observed, those "
              "alone",
              default=TableSource.COMPUTED),
        Field("unknown", ListOf(Text()), "what of the device is not known or not modelled; answers "
              "about what passes it say so", default=()),
        Field("forwards", OneOrMany(Choice(Family)), "the families of others' packets that it "
              "forwards; left out: both, a host none", "forwards_only", default=()),
        Field("ignore-dead-links", Boolean(), "with Linux processing: whether routes go when only "
              "the far end of their link is down", default=False),
        Field("own-traffic", OWN_TRAFFIC, "filters and steering for what comes to the device or is "
              "sent by it", "local_traffic", default=TrafficRules()),
        Field("through-traffic", THROUGH_TRAFFIC, "filters and steering for what it forwards",
              "transit_traffic", default=TrafficRules()),
        Field("arriving-traffic", ARRIVING_TRAFFIC, "filters for whatever arrives, before its "
              "destination is translated and looked up", default=TrafficRules()),
        Field("zones", NamedMap(NAME, ZONE), "zones of a stateful firewall", default=()),
        Field("translation", ListOf(TRANSLATION_RULE), "translation rules; the first that matches "
              "decides for its side", default=()),
        Field("steering", NamedMap(NAME, STEERING), "steering (policy-based routing), bound at "
              "interfaces or for all traffic", "steerings", default=()),
        Field("filters", NamedMap(NAME, FILTER), "packet filters, bound at interfaces or for all "
              "traffic", default=()),
        Field("policies", NamedMap(NAME, POLICY), "routing policies", default=()),
        Field("sets", SETS, "named sets that policies match"),
    ),
    reserved=(
        "vlans", "bonds", "labels", "tunnels", "overlays",
    ),
    build=_build_device,
    unbuild=_unbuild_device,
)  # fmt: skip
