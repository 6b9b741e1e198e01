"""Policies: conditions, actions and results, and what the files may say of them."""

from __future__ import annotations

import ipaddress

import pytest

from routrel.files.reader import read_texts
from routrel.files.writer import write_network
from routrel.model.policy import PolicyResult, PrefixRange, RouteType
from routrel.policy.evaluate import PolicyRoute, evaluate
from tests.nets import device, network

SETS = """
sets:
  prefixes:
    exact: [10.1.0.0/16, 2001:db8::/32]
    parts: 10.2.0.0/16 up to /24
    deep: 10.3.0.0/16 from /20 to /22
    all: 10.4.0.0/16 or longer
  tags: {seven: 7, few: [8, 9]}
"""

ROUTE = PolicyRoute(
    prefix=ipaddress.ip_network("10.2.3.0/24"),
    protocol="ospf",
    route_types=frozenset({RouteType.EXTERNAL, RouteType.EXTERNAL_2}),
    metric=20,
    tag=8,
    next_hops=(ipaddress.ip_address("192.0.2.9"),),
    neighbour=ipaddress.ip_address("192.0.2.9"),
)


def passed(statements: str, route: PolicyRoute = ROUTE, default: str = "reject"):
    """What a policy of these statements makes of a route."""
    text = f"{SETS}\npolicies:\n  p:\n    statements: {statements}\n    default: {default}\n"
    (made,) = network(device("r1", text)).devices
    return evaluate(made, made.policies[0], route)


@pytest.mark.parametrize(
    ("match", "holds"),
    [
        ("{}", True),
        ("{prefixes: parts}", True),
        ("{prefixes: exact}", False),
        ("{prefixes: [exact, parts]}", True),
        ("{tags: few}", True),
        ("{tags: seven}", False),
        ("{protocol: ospf}", True),
        ("{protocol: [rip, eigrp]}", False),
        ("{route-type: external}", True),
        ("{route-type: external-1}", False),
        ("{metric: [10, 20]}", True),
        ("{metric: 21}", False),
        ("{next-hop: 192.0.2.0/24}", True),
        ("{next-hop: 198.51.100.0/24}", False),
        ("{neighbour: 192.0.2.9}", True),
        ("{neighbour: 192.0.2.8}", False),
        ("{prefixes: parts, tags: seven}", False),  # every condition must hold
    ],
)
def test_each_condition(match, holds):
    result = passed(f"[{{name: one, match: {match}, then: accept}}]")
    assert (result.route is not None) == holds
    assert result.steps[0].matched == holds


@pytest.mark.parametrize(
    ("set_name", "prefix", "holds"),
    [
        ("exact", "10.1.0.0/16", True),
        ("exact", "10.1.0.0/17", False),
        ("exact", "2001:db8::/32", True),
        ("exact", "2001:db8::/48", False),
        ("parts", "10.2.0.0/16", True),
        ("parts", "10.2.255.0/24", True),
        ("parts", "10.2.255.0/25", False),
        ("parts", "10.3.0.0/24", False),
        ("deep", "10.3.0.0/16", False),
        ("deep", "10.3.16.0/20", True),
        ("deep", "10.3.4.0/23", False),
        ("all", "10.4.1.1/32", True),
        ("all", "10.0.0.0/8", False),
    ],
)
def test_lengths_of_prefix_sets(set_name, prefix, holds):
    """A set holds exactly its prefixes unless lengths are written (RFC 9067 4.2)."""
    made = network(device("r1", SETS)).devices[0]
    found = next(item for item in made.prefix_sets if item.name == set_name)
    assert any(held.holds(ipaddress.ip_network(prefix)) for held in found.ranges) == holds


def test_statements_go_on_until_one_decides():
    """Without a result a statement changes the route and passes it on; then the first decides."""
    result = passed(
        """
      - {name: mark, set: {tag: 99, metric: 5}}
      - {name: other, match: {tags: few}, then: reject}
      - {name: add, match: {metric: 5}, set: {metric-add: 2, metric-type: 1}, then: accept}
      - {name: never, then: reject}"""
    )
    assert (result.route.tag, result.route.metric, result.route.metric_type) == (99, 7, 1)
    assert [(s.statement, s.matched, s.result) for s in result.steps] == [
        ("mark", True, None),
        ("other", False, None),  # the tag is 99 by now
        ("add", True, PolicyResult.ACCEPT),
    ]


@pytest.mark.parametrize(("default", "kept"), [("accept", True), ("reject", False)])
def test_the_default_decides_what_no_statement_did(default, kept):
    """Its line is the evidence."""
    result = passed("[{name: one, match: {metric: 1}, then: reject}]", default=default)
    assert (result.route is not None) == kept
    assert result.steps[0].matched is False
    assert result.place.line == 15


@pytest.mark.parametrize(
    ("body", "code", "part"),
    [
        ("rip: {redistribute: [{from: static, policy: nix}]}", "unknown_policy", "“nix”"),
        ("policies: {p: {statements: [{name: a, match: {prefixes: x}}], default: accept}}",
         "unknown_set", "“x”"),
        ("policies: {p: {statements: [{name: a}, {name: a}], default: accept}}",
         "duplicate_statement", "two statements"),
        ("policies: {p: {statements: []}}", "missing_key", "default"),
        ("policies: {p: {statements: [{name: a, set: {metric: 1, metric-add: 1}}], default: accept}}",
         "bad_actions", "both"),
        ("policies: {p: {statements: [{name: a, call: p, then: accept}], default: accept}}",
         "policy_calls_itself", "p calls p"),
        ("rip: {redistribute: [{from: rip}]}", "bad_redistribution", "from itself"),
        ("rip: {redistribute: [{from: ospfv3}]}", "bad_redistribution", "address families"),
        ("ospf: {areas: {4: {external-ranges: [{prefix: 10.0.0.0/8}]}}}", "bad_area", "NSSA"),
        ("leak: [{from: default}]", "bad_leak", "itself"),
        ("bgp: {as: 1, neighbours: {10.0.0.2: {as: 2, conditional: [{prefixes: 10.0.0.0/8}]}}}",
         "bad_conditional", "condition"),
        ("eigrp: {as: 1, k-values: [1, 0, 1, 0, 0, 1]}", "bad_eigrp", "K6"),
        ("isis: {net: 49.0001.00}", "bad_value", "49.0001.00"),
        ("eigrp: {as: 1, k-values: [0, 0, 0, 1]}", "bad_eigrp", "K1"),
        ("eigrp: {as: 1, stub: [nothing, static]}", "bad_eigrp", "nothing"),
        ("ospf: {areas: {0: {type: stub}}}", "bad_area", "backbone"),
        ("ospf: {areas: {4: {type: stub, virtual-links: [{to: 1.1.1.1}]}}}", "bad_area", "virtual"),
        ("ospf: {areas: {4: {default-route: true}}}", "bad_area", "NSSA"),
        ("interfaces: {e: {addresses: [10.0.0.1/24], rip: {}}}", "rip_missing", "“rip:”"),
        ("interfaces: {e: {unnumbered: lo}}", "bad_unnumbered", "“lo”"),
        ("interfaces: {e: {unnumbered: e}}", "bad_unnumbered", "no address"),
        ("static: [{to: 10.0.0.0/8, via: 10.9.0.1, next-vrf: none}]", "unknown_vrf", "“none”"),
        ("static: [{to: 10.0.0.0/8, discard: true, next-vrf: default}]", "bad_static", "next-vrf"),
        ("sets: {prefixes: {a: 10.0.0.0/16 up to /8}}", "bad_value", "up to /8"),
        ("sets: {prefixes: {a: 10.0.0.1/16}}", "bad_value", "10.0.0.1/16"),
    ],
)  # fmt: skip
def test_mistakes_are_refused_by_name_and_line(body, code, part):
    reading = read_texts({"r.yaml": device("r1", body)})
    found = [(p.code, p.text) for p in reading.problems]
    assert any(c == code and part in text for c, text in found), found
    assert all(p.place.file == "r.yaml" and p.place.line >= 4 for p in reading.problems)


EVERYTHING = """
maximum-paths: 4
distances: [{protocol: ospf, distance: 90, prefixes: 10.0.0.0/8 or longer, from: 10.255.0.1}]
rip: {distance: 99, redistribute: [{from: static, metric: 3, tag: 5, with-default: true}]}
ripng: {default-route: {always: true, metric: 2}}
eigrp:
  as: 65
  metric: wide
  k-values: [1, 0, 1, 0, 0, 0]
  variance: 4
  stub: [connected, summary]
  redistribute: [{from: rip, metric: {bandwidth: 10 Mb/s, delay: 2 ms, load: 9}, with-connected: true}]
ospf:
  border: rfc3509
  max-metric: true
  external-distance: 150
  default-route: {metric: 9, metric-type: 1}
  areas:
    1: {ranges: [{prefix: 10.1.0.0/16, cost: 7}], virtual-links: [{to: 10.255.0.9}]}
    6: {type: totally-nssa, translate: always, default-cost: 3}
ospfv3: {router-id: 10.255.0.1}
isis: {net: 49.0001.0000.0000.0001.00, level: 1, overload: true, attached-bit: never}
vrfs:
  yard: {import-tags: [a, b], export-tags: c, static: [{to: 10.0.0.0/8, via: 10.9.0.1, next-vrf: default}]}
policies:
  p:
    statements: [{name: a, match: {prefixes: s, tags: t}, set: {metric-add: 4}, then: reject}]
    default: accept
sets: {prefixes: {s: [10.0.0.0/8 from /9 to /10, 10.1.0.0/16]}, tags: {t: [1, 2]}}
interfaces:
  lo: {kind: loopback, addresses: [10.255.0.1/32], isis: {metric: 5, level: 1}}
  e1:
    addresses: [10.9.0.2/24]
    delay: 30 us
    rip: {cost: 2, offset-in: 1, import: p, authentication: sea}
    eigrp: {summaries: [10.0.0.0/8], export: p}
    ospf: {area: 6, network: multipoint, authentication: sea}
    isis: {level: 1, level-1-metric: 7, network: broadcast, priority: 9}
  e2: {unnumbered: lo, kind: point-to-point, ripng: {}, ospfv3: {area: 0}}
"""


def test_everything_is_written_back_as_it_was_read():
    """Reading what was written gives the same network, and each setting where it belongs."""
    first = network(device("r1", EVERYTHING))
    assert network(*write_network(first).values()) == first
    (made,) = first.devices
    (vrf, yard) = made.vrfs
    assert vrf.distances[0].prefixes == (PrefixRange(ipaddress.ip_network("10.0.0.0/8"), 8, 32),)
    assert (vrf.eigrp.redistribute[0].seed.delay_us, vrf.eigrp.redistribute[0].seed.load) == (
        2000,
        9,
    )
    assert (str(vrf.isis.net), yard.import_tags) == ("49.0001.0000.0000.0001.00", ("a", "b"))
