"""JSON of YANG models: what is read of it, what is named, and that what is written reads the same."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pytest
from yangson.enumerations import ContentType

from routrel.files.reader import load_texts, read_texts
from routrel.formats.importing import import_files
from routrel.formats.reports import Verdict
from routrel.formats.yang.validating import models, violations
from routrel.formats.yang.writing import device_json, lost_of, network_json
from routrel.model.network import Role
from tests.engine.formats.breaking import broken
from tests.engine.formats.bundles import line, state_of
from tests.nets import device

V4 = "ietf-ipv4-unicast-routing"


def port(name, *addresses, forwarding=True, **more):
    return {
        "name": name, "type": "iana-if-type:ethernetCsmacd",
        "ietf-ip:ipv4": {"forwarding": forwarding, "address": [
            {"ip": a.split("/")[0], "prefix-length": int(a.split("/")[1])} for a in addresses]},
        **more,
    }  # fmt: skip


def interfaces(*ports):
    return {"ietf-interfaces:interfaces": {"interface": list(ports)}}


def statics(*routes):
    listed = {
        "type": "ietf-routing:static",
        "name": "s",
        "static-routes": {f"{V4}:ipv4": {"route": list(routes)}},
    }
    return {
        "ietf-routing:routing": {"control-plane-protocols": {"control-plane-protocol": [listed]}}
    }


def rib(*routes, **more):
    table = {
        "name": "main",
        "address-family": f"{V4}:ipv4-unicast",
        "routes": {"route": list(routes)},
        **more,
    }
    return {"ietf-routing:routing": {"ribs": {"rib": [table]}}}


def entry(prefix, hop, source="ietf-routing:static", *, active=True, **more):
    return {f"{V4}:destination-prefix": prefix, "next-hop": hop, "source-protocol": source,
            **({"active": [None]} if active else {}), **more}  # fmt: skip


def read(data, path="r1.json", **others):
    contents = {path: data if isinstance(data, bytes) else json.dumps(data).encode()}
    return import_files(
        {**contents, **{name: json.dumps(v).encode() for name, v in others.items()}}
    )


def told(made):
    return [message.text for message in made.report.messages]


ONE = port("eth0", "10.0.0.1/24")

#: Data, and lines of the device file that come of them.
READ = {
    "wrapped by RESTCONF": ({"ietf-restconf:data": interfaces(ONE)}, ["eth0: {addresses: [10.0.0.1/24]}"]),
    "wrapped as a file": ({"ietf-yang-instance-data:instance-data-set": {"name": "x", "content-data": interfaces(ONE)}},
                          ["eth0: {addresses: [10.0.0.1/24]}"]),
    "a netmask": (interfaces({"name": "e", "type": "x:ethernetCsmacd", "ietf-ip:ipv4": {
        "address": [{"ip": "10.0.0.1", "netmask": "255.255.252.0"}]}}), ["e: {addresses: [10.0.0.1/22]}", "role: host"]),
    "a speed of 64 bits is a string": (interfaces({**ONE, "speed": "10000000000"}), ['bandwidth: "10 Gb/s"']),
    "forwarding is false where it is not written": (interfaces(port("e", "10.0.0.1/24", forwarding=False)), ["role: host"]),
    "shut, and without carrier": (interfaces({**ONE, "enabled": False}, {**port("b", "10.1.0.1/24"), "oper-status": "down"}),
                                  ["enabled: false", "carrier: false"]),
    "a static route with host bits": ({**interfaces(ONE), **statics(
        {"destination-prefix": "10.9.0.7/16", "next-hop": {"next-hop-address": "10.0.0.2"}})}, ["- {to: 10.9.0.0/16, via: 10.0.0.2}"]),
    "several next hops, named either way": ({**interfaces(ONE), **statics({"destination-prefix": "10.9.0.0/16", "next-hop": {
        "next-hop-list": {"next-hop": [{"index": "1", "next-hop-address": "10.0.0.2"},
                                       {"index": "2", f"{V4}:address": "10.0.0.3", "outgoing-interface": "eth0"}]}}})},
        ["via: 10.0.0.2}", "via: 10.0.0.3, interface: eth0}"]),
    "dropped": ({**interfaces(ONE), **statics({"destination-prefix": "10.9.0.0/16", "next-hop": {"special-next-hop": "prohibit"}})},
                ["reject: prohibited"]),
    "a filter": ({**interfaces(ONE), "ietf-access-control-list:acls": {
        "acl": [{"name": "in", "type": "ipv4-acl-type", "aces": {"ace": [{"name": "a", "matches": {
            "ipv4": {"source-ipv4-network": "10.0.0.0/8"}, "tcp": {"destination-port": {"operator": "gte", "port": 1024}}},
            "actions": {"forwarding": "ietf-access-control-list:accept"}}]}}],
        "attachment-points": {"interface": [{"interface-id": "eth0", "egress": {"acl-sets": {"acl-set": [{"name": "in"}]}}}]}}},
        ["filters: {out: in}", "permit: tcp, from: 10.0.0.0/8, to-port: 1024-65535", "default: deny"]),
    "OSPF with dotted areas": ({**interfaces(ONE), "ietf-routing:routing": {"router-id": "10.255.0.1", "control-plane-protocols": {
        "control-plane-protocol": [{"type": "ietf-ospf:ospfv2", "name": "1", "ietf-ospf:ospf": {"areas": {"area": [
            {"area-id": "0.0.0.4", "area-type": "ietf-ospf:stub-area", "summary": False, "interfaces": {"interface": [
                {"name": "eth0", "cost": 7, "interface-type": "point-to-point"}]}}]}}}]}}},
        ["ospf: {area: 0.0.0.4, network: point-to-point, cost: 7}", "type: totally-stub", "router-id: 10.255.0.1"]),
    "IS-IS": ({**interfaces(ONE), "ietf-routing:routing": {"control-plane-protocols": {"control-plane-protocol": [
        {"type": "ietf-isis:isis", "name": "1", "ietf-isis:isis": {"system-id": "1921.6800.1001", "area-address": ["49.0001"],
         "level-type": "level-2", "interfaces": {"interface": [{"name": "eth0", "metric": {"value": 30}}]}}}]}}},
        ["net: 49.0001.1921.6800.1001.00", "isis: {metric: 30}"]),
    "a VRF with what is mounted there": ({
        "ietf-interfaces:interfaces": {"interface": [{**ONE, "ietf-network-instance:bind-ni-name": "red"}]},
        "ietf-network-instance:network-instances": {"network-instance": [{"name": "red", "vrf-root": statics(
            {"destination-prefix": "10.9.0.0/16", "next-hop": {"next-hop-address": "10.0.0.2"}})}]}},
        ["vrf: red", "static:", "- {to: 10.9.0.0/16, via: 10.0.0.2}"]),
}  # fmt: skip


@pytest.mark.parametrize("name", READ)
def test_what_is_read(name):
    data, lines = READ[name]
    made = read(data)
    text = made.texts["r1.yaml"]
    for each in lines:
        assert each in text, text
    state_of(made)  # and it computes


def test_a_table_is_what_was_read_and_inactive_routes_are_not_used():
    """10.9/16 is used; 10.8/16 is known and not used; what is for the device itself is none."""
    made = read({**interfaces(ONE), **rib(
        entry("10.9.0.0/16", {f"{V4}:next-hop-address": "10.0.0.2"}, **{"route-preference": 5}),
        entry("10.8.0.0/16", {"outgoing-interface": "eth0"}, active=False),
        entry("10.0.0.1/32", {"special-next-hop": "receive"}, "direct"),
        entry("10.7.0.0/16", {"next-hop-list": {"next-hop": [
            {f"{V4}:address": "10.0.0.2"}, {f"{V4}:address": "10.0.0.3", "outgoing-interface": "eth0"}]}}, "ietf-ospf:ospfv2"),
    )})  # fmt: skip
    assert made.texts["r1-tables.csv"].splitlines()[1:] == [
        "r1,,10.9.0.0/16,static,10.0.0.2,,,,5,,,,rfc7951",
        "r1,,10.8.0.0/16,static,,eth0,,,,,false,,rfc7951",
        "r1,,10.7.0.0/16,ospf,10.0.0.2,,,,,,,,rfc7951",
        "r1,,10.7.0.0/16,ospf,10.0.0.3,eth0,,,,,,,rfc7951",
    ]
    assert line(made, "r1.yaml", "tables:").startswith("tables: known"), "nothing is configured"


def test_a_table_may_stand_in_another_file_of_the_folder():
    made = import_files({
        "r1/ports.json": json.dumps(interfaces(ONE)).encode(),
        "r1/ribs.json": json.dumps(rib(entry("10.9.0.0/16", {"outgoing-interface": "eth0"}))).encode(),
    })  # fmt: skip
    assert sorted(made.texts) == ["r1-tables.csv", "r1.yaml"]
    assert {one.device for one in made.report.files} == {"r1"}


#: Data, and what is said of them; nothing of it vanishes.
NAMED = {
    "a module that is not read": ({**interfaces(ONE), "example:thing": {"a": 1}}, "/example:thing is not understood"),
    "a member inside": (interfaces({**ONE, "example:colour": "red"}), "/ietf-interfaces:interfaces/interface[name='eth0']/example:colour is not"),
    "a protocol": ({**interfaces(ONE), "ietf-routing:routing": {"control-plane-protocols": {"control-plane-protocol": [
        {"type": "ietf-bgp:bgp", "name": "b", "ietf-bgp:bgp": {"global": {}}}]}}}, "a protocol of type bgp is not modelled"),
    "a number that is none": (interfaces({**ONE, "speed": "fast"}), "speed is no whole number"),
    "an interface that is not there": ({**interfaces(ONE), "ietf-access-control-list:acls": {"acl": [], "attachment-points": {"interface": [
        {"interface-id": "eth9", "ingress": {"acl-sets": {"acl-set": [{"name": "x"}]}}}]}}}, "eth9 is no interface here"),
    "a default that RFC 8519 leaves open": ({**interfaces(ONE), "ietf-access-control-list:acls": {"acl": [{"name": "x", "aces": {}}]}},
                                            "left to the device"),
}  # fmt: skip


@pytest.mark.parametrize("name", NAMED)
def test_what_is_not_understood_is_named_by_its_path(name):
    data, said = NAMED[name]
    assert any(said in text for text in told(read(data))), told(read(data))


HOSTILE = {
    "a member twice": (b'{"ietf-interfaces:interfaces": {}, "ietf-interfaces:interfaces": {}}', "given twice"),
    "no number": (b'{"ietf-interfaces:interfaces": NaN}', "NaN is no number"),
    "20,000 levels": (b'{"a:b":' * 20_000 + b"1" + b"}" * 20_000, "levels deep"),
    "a list": (b"[1]", "no data of a YANG model"),
    "no module": (b'{"interfaces": {}}', "no member names its module"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_refused_in_a_sentence(name):
    content, said = HOSTILE[name]
    (one,) = read(content).report.files
    assert one.verdict.value == "refused"
    assert said in one.messages[0].text


def test_links_of_a_topology_lead_both_ways_and_may_lead_nowhere():
    def end(word, node, point):
        return {f"{word}-node": node, f"{word}-tp": point}

    links = [
        {
            "link-id": "ab",
            "source": end("source", "a", "eth0"),
            "destination": end("dest", "b", "eth0"),
        },
        {
            "link-id": "ba",
            "source": end("source", "b", "eth0"),
            "destination": end("dest", "a", "eth0"),
        },
        {
            "link-id": "ac",
            "source": end("source", "a", "eth0"),
            "destination": end("dest", "c", "eth0"),
        },
    ]
    topology = {"ietf-network:networks": {"network": [{"network-id": "n", "node": [{"node-id": "a"}, {"node-id": "b"}],
                "ietf-network-topology:link": links}]}}  # fmt: skip
    made = read(
        interfaces(ONE),
        "a.json",
        **{"b.json": interfaces(port("eth0", "10.7.0.1/24")), "t.json": topology},
    )
    assert [line for line in made.texts["network.yaml"].splitlines() if "between" in line] == [
        '  ab: {between: ["a:eth0", "b:eth0"]}  # t.json:1'
    ]
    assert "leads to c, which is no node" in " ".join(told(made))


#: What no device can be made of, and what is said of it; the rest of the device is there.
LEFT_OUT = {
    "an address twice": (
        interfaces({"name": "e", "type": "x:ethernetCsmacd", "ietf-ip:ipv4": {"address": [
            {"ip": "10.0.0.1", "prefix-length": 24}, {"ip": "10.0.0.1", "prefix-length": 25}]}}),
        "10.0.0.1 is there already; the first counts"),
    "two names that are one in a file": (interfaces(ONE, port("eth0 ", "10.1.0.1/24")), "cannot be told from eth0"),
    "a static route by an interface that is not there": ({**interfaces(ONE), **statics({
        "destination-prefix": "10.9.0.0/16", "next-hop": {"outgoing-interface": "eth9"}})}, "a static route by eth9"),
    "a static route twice": ({**interfaces(ONE), **statics(
        *[{"destination-prefix": "10.9.0.0/16", "next-hop": {"next-hop-address": "10.0.0.2"}}] * 2)}, "the same route is there"),
    "a filter that is not there": ({**interfaces(ONE), "ietf-access-control-list:acls": {"attachment-points": {
        "interface": [{"interface-id": "eth0", "ingress": {"acl-sets": {"acl-set": [{"name": "none"}]}}}]}}},
        "eth0 names the filter none; there is none"),
    "a backbone that is a stub": ({**interfaces(ONE), "ietf-routing:routing": {"control-plane-protocols": {
        "control-plane-protocol": [{"type": "ietf-ospf:ospfv2", "name": "1", "ietf-ospf:ospf": {"areas": {"area": [
            {"area-id": "0", "area-type": "ietf-ospf:stub-area", "interfaces": {"interface": [{"name": "eth0"}]}}]}}}]}}},
        "the backbone is a normal area"),
    "an area without an id": ({**interfaces(ONE), "ietf-routing:routing": {"control-plane-protocols": {
        "control-plane-protocol": [{"type": "ietf-ospf:ospfv2", "name": "1", "ietf-ospf:ospf": {"areas": {"area": [
            {"interfaces": {"interface": [{"name": "eth0"}]}}]}}}]}}}, "an area without an area-id"),
    "a system-id that is none": ({**interfaces(ONE), "ietf-routing:routing": {"control-plane-protocols": {
        "control-plane-protocol": [{"type": "ietf-isis:isis", "name": "1", "ietf-isis:isis": {
            "system-id": "r1", "area-address": ["49.0001"], "interfaces": {"interface": [{"name": "eth0"}]}}}]}}},
        "a system-id or an area-address that is none"),
}  # fmt: skip


@pytest.mark.parametrize("name", LEFT_OUT)
def test_what_no_device_can_be_made_of_is_left_out_by_name(name):
    data, words = LEFT_OUT[name]
    made = read(data)
    assert any(words in text for text in told(made)), told(made)
    assert [one.verdict.value for one in made.report.files] == ["partly"]
    (device_read,) = state_of(made).network.devices
    assert device_read.interfaces
    assert device_read.unknown


@pytest.mark.parametrize("seed", range(12))
def test_whatever_is_wrong_in_data_a_device_is_made_or_it_is_said_why_not(seed):
    dice = random.Random(seed)
    sound = [data for data, _ in READ.values() if isinstance(data, dict)]
    for _ in range(60):
        data = broken(dice.choice(sound), dice)
        made = read(json.dumps(data).encode())
        problems = read_texts(made.texts).problems if made.texts else ()
        assert not problems, (problems[0].place, problems[0].text, data)
        assert made.texts or made.report.files[0].refused


# --- held against the modules ---------------------------------------------------------------------

IP = "ietf-ip:ipv4"
PORTS, STATIC = "interface.0", "control-plane-protocols.control-plane-protocol.0.static-routes"
#: Data, where they are not as their module has it (without the outermost member), and what is wrong.
INVALID = {
    "a type that is missing": (interfaces({"name": "eth0"}), PORTS, "lacks type"),
    "a number out of range": (
        interfaces({**ONE, IP: {"mtu": 60}}), f"{PORTS}.{IP}.mtu", "is no uint16: 60 (not in range)",
    ),
    "state of a kind that there is not": (
        interfaces({**ONE, "oper-status": "sideways"}), f"{PORTS}.oper-status", "is no enumeration: 'sideways'",
    ),
    "an address without a length": (
        interfaces({**ONE, IP: {"address": [{"ip": "10.0.0.1"}]}}),
        f"{PORTS}.{IP}.address.0", "has none of netmask, prefix-length",
    ),
    "a key twice": (interfaces(ONE, ONE), "interface", "has the key of another item"),
    "a filter that is not there": (
        {**interfaces(ONE), "ietf-access-control-list:acls": {"attachment-points": {"interface": [
            {"interface-id": "eth0", "ingress": {"acl-sets": {"acl-set": [{"name": "none"}]}}}]}}},
        "attachment-points.interface.0.ingress.acl-sets.acl-set.0.name", "refers to what is not there",
    ),
    "a static route to nowhere": (
        statics({"destination-prefix": "10.9.0.0/16", "next-hop": {}}),
        f"{STATIC}.{V4}:ipv4.route.0.next-hop",
        "has none of next-hop-address, next-hop-list, outgoing-interface, special-next-hop",
    ),
    "what is mounted in a VRF": (
        {**interfaces(ONE), "ietf-network-instance:network-instances": {"network-instance": [
            {"name": "red", "vrf-root": statics({"destination-prefix": "10.9.0.0/16"})}]}},
        f"network-instance.0.vrf-root.ietf-routing:routing.{STATIC}.{V4}:ipv4.route.0", "lacks next-hop",
    ),
}  # fmt: skip


@pytest.mark.parametrize(("data", "where", "said"), INVALID.values(), ids=INVALID)
def test_what_is_not_as_its_module_has_it_is_told_once(data, where, said):
    (one,) = violations(data, whole=True)
    assert ".".join(map(str, one.at[1:])) == where
    assert said in one.text


def test_it_is_told_with_its_line_unless_something_else_is_told_of_that():
    data = {
        **interfaces({**ONE, "description": 5}, {**port("e1"), "oper-status": "sideways"}),
        "a:b": 1,
    }
    content = json.dumps(data, indent=1).encode()
    made, unlooked = (import_files({"r1.json": content}, validate=look) for look in (True, False))
    assert made.texts == unlooked.texts
    more = [one for one in made.report.messages if one not in [*unlooked.report.messages]]
    lines = content.decode().splitlines()
    assert [
        (lines[one.line - 1].strip().split('"')[1], one.text.split(": ")[1]) for one in more
    ] == [("oper-status", "not valid by its module")]
    assert made.report.files[0].verdict is unlooked.report.files[0].verdict is Verdict.PARTLY


def test_what_refers_to_other_files_of_its_device_is_no_violation():
    ribs = {"ietf-routing:routing": {"ribs": {"rib": [{"name": "x"}]}}, **statics(
        {"destination-prefix": "10.9.0.0/16", "next-hop": {"outgoing-interface": "eth0"}})}  # fmt: skip
    for alone in (False, True):
        files = {"r1/routing.json": ribs, **({} if alone else {"r1/ports.json": interfaces(ONE)})}
        made = import_files({name: json.dumps(data).encode() for name, data in files.items()})
        assert any("refers to" in text for text in told(made)) is alone


# --- writing --------------------------------------------------------------------------------------

PLAIN = device("r1", """
    ospf: {router-id: 10.255.0.1}
    isis: {net: 49.0001.1921.6800.1001.00, level: 2}
    interfaces:
      lo0: {kind: loopback, addresses: [10.255.0.1/32], ospf: {area: 0.0.0.0, passive: true}}
      e1: {description: to the east, addresses: [10.0.0.1/24, "fd00::1/64"], mtu: 1400, filters: {in: web},
           ospf: {area: 0.0.0.4, cost: 7, network: point-to-point}, isis: {metric: 30}}
      e2: {enabled: false, addresses: [10.0.1.1/24], vrf: red}
    static:
      - {to: 10.9.0.0/16, via: 10.0.0.2}
      - {to: 10.9.0.0/16, via: 10.0.0.3}
      - {to: 10.8.0.0/16, discard: true}
      - {to: "fd01::/64", via: "fd00::2"}
    vrfs:
      red: {static: [{to: 10.7.0.0/16, reject: unreachable}]}
    filters:
      web:
        rules:
          - {id: 10, permit: tcp, from: 10.0.0.0/8, to-port: [80, 443]}
          - {id: 20, deny: udp, to: 10.3.0.0/16}
        default: deny
    """)  # fmt: skip


def validated(text):
    """Validate the configuration of data, without what no module that ships describes."""
    data = json.loads(text)
    protocols = (
        data.get("ietf-routing:routing", {})
        .get("control-plane-protocols", {})
        .get("control-plane-protocol", [])
    )
    protocols[:] = [one for one in protocols if one["type"] == "ietf-routing:static"]
    for instance in data.get("ietf-network-instance:network-instances", {}).get(
        "network-instance", ()
    ):
        instance["vrf-root"] = {}  # the validator does not follow the mount
    for one in data.get("ietf-interfaces:interfaces", {}).get("interface", ()):
        for state in ("speed", "oper-status"):
            one.pop(state, None)
    models().from_raw(data).validate(ctype=ContentType.config)


def test_what_is_written_is_valid_by_the_modules_and_reads_the_same():
    (before,) = read_texts({"r1.yaml": PLAIN}).network.devices
    text = device_json(before)
    validated(text)
    lost = set(lost_of(before, text))
    # Two ports of one rule become two entries, which read as two rules.
    assert lost == {"r1 filters web rules", "r1 router-id"} - {"r1 router-id"}
    links = network_json({"ab": (("a", "e0"), ("b", "e0"))})
    validated(links)


def test_an_export_of_the_demo_is_valid_and_names_what_it_loses():
    network = read_texts(load_texts(Path("demo"))[0]).network
    for each in network.devices:
        text = device_json(each)
        validated(text)
        lost = " ".join(lost_of(each, text))
        bgp = any(vrf.bgp for vrf in each.vrfs)
        assert ("bgp" in lost) is bgp, f"{each.name}: {lost}"
        again = import_files({f"{each.name}.json": text.encode()})
        (read_back,) = read_texts(again.texts).network.devices
        assert [p.addresses for p in read_back.interfaces] == [p.addresses for p in each.interfaces]
        assert (read_back.role is Role.HOST) == (each.role is Role.HOST)
