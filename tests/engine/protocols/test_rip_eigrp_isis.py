"""RIP, EIGRP and IS-IS against hand-worked nets; each derivation stands with its test."""

from __future__ import annotations

import ipaddress

import pytest

from tests.nets import route, told, wired

# --- RIP (RFC 2453, RFC 2080) --------------------------------------------------------------------


@pytest.mark.parametrize(("key", "version"), [("rip", 4), ("ripng", 6)])
def test_rip_counts_from_one_at_the_connected_network(key, version):
    """r3 announces its loopback with 1; r2 holds it at 2 and r1 at 3."""
    net = wired("r1-r2 r2-r3", port=f"{key}: {{}}", top=f"{key}: {{}}", version=version)
    far = "10.255.0.3/32" if version == 4 else "2001:db8:255::3/128"
    assert told(net, "r2", far) == (key, None, 2, "e2")
    assert told(net, "r1", far) == (key, None, 3, "e1")
    assert route(net, "r1", far).distance == 120


def test_rip_reaches_fifteen_and_no_further():
    """At 16 a prefix is out of reach (RFC 2453 3.4): r15 is 15 away from r1's view, r16 is not."""
    links = " ".join(f"r{n}-r{n + 1}" for n in range(1, 17))
    net = wired(links, port="rip: {}", top="rip: {}")
    assert route(net, "r1", "10.255.0.15/32").metric == 15
    assert route(net, "r1", "10.255.0.16/32") is None


def test_rip_costs_and_offsets_add_up():
    """r1 hears r2's loopback at 1, plus cost 2 and offset 3 here and offset 4 at r2: 10."""
    ports = {"r1:e1": "rip: {cost: 2, offset-in: 3}", "r2:e1": "rip: {offset-out: 4}"}
    net = wired("r1-r2", port="rip: {}", top="rip: {}", ports=ports)
    assert route(net, "r1", "10.255.0.2/32").metric == 10
    # The other way only the plain cost of 1 is added.
    assert route(net, "r2", "10.255.0.1/32").metric == 2


def test_a_passive_rip_interface_listens_but_does_not_speak():
    net = wired("r1-r2", port="rip: {}", top="rip: {}", ports={"r1:e1": "rip: {passive: true}"})
    assert route(net, "r1", "10.255.0.2/32") is not None
    assert route(net, "r2", "10.255.0.1/32") is None


def test_rip_passes_on_only_what_is_active():
    """r2 prefers its static route to r3's loopback, so r1 hears of it from nobody."""
    static = "rip: {}\nstatic: [{to: 10.255.0.3/32, discard: true}]"
    net = wired("r1-r2 r2-r3", port="rip: {}", top={"r2": static, "": "rip: {}"})
    assert told(net, "r2", "10.255.0.3/32")[0] == "static"
    assert route(net, "r1", "10.255.0.3/32") is None


def test_a_rip_default_is_conditional_unless_always():
    for text, expected in (("{}", None), ("{always: true, metric: 3}", 4)):
        top = {"r2": f"rip: {{default-route: {text}}}", "": "rip: {}"}
        found = route(wired("r1-r2", port="rip: {}", top=top), "r1", "0.0.0.0/0")
        assert (found.metric if found else None) == expected
    top = {
        "r2": "rip: {default-route: {}}\nstatic: [{to: 0.0.0.0/0, discard: true}]",
        "": "rip: {}",
    }
    assert route(wired("r1-r2", port="rip: {}", top=top), "r1", "0.0.0.0/0").metric == 2


# --- EIGRP (RFC 7868) ----------------------------------------------------------------------------

EIGRP = "eigrp: {as: 65}"
SLOW = "bandwidth: 10 Mb/s, delay: 1 ms, eigrp: {}"


def test_classic_distance_is_worked_from_bandwidth_and_delay():
    """r3's loopback over a 10 Mb/s link and two of 1 Gb/s.

    Narrowest 10,000 kb/s: 10^7 / 10^4 = 1000. Delays 10 us (loopback), 1000 us, 10 us: 102 tens.
    256 * (1000 + 102) = 282112.
    """
    ports = {"r1:e1": SLOW, "r2:e1": SLOW}
    net = wired("r1-r2 r2-r3", port="eigrp: {}", top=EIGRP, ports=ports)
    assert told(net, "r1", "10.255.0.3/32") == ("eigrp", "internal", 282112, "e1")
    assert route(net, "r1", "10.255.0.3/32").distance == 90


def test_k6_weighs_jitter_and_energy():
    """RFC 7868 5.6.2: r1's loopback over one link. Wide at 1 Gb/s: 10^7 * 65536 / 10^6 = 655360 for
    bandwidth; 10 us each for link and loopback: 20 * 65536 = 1310720. K6 = 2 adds 2 * (5 + 3 + 1) of
    the link and 2 * 100 of the loopback: 218, so 1966298, and /128 = 15361 instead of 15360."""
    top = "eigrp: {as: 1, metric: wide, k-values: [1, 0, 1, 0, 0, 2]}"
    ports = {
        "r1:lo": "eigrp: {jitter: 100 us}",
        "r2:e1": "eigrp: {jitter: 5 us, energy: 3, idle-energy: 1}",
    }
    net = wired("r1-r2", port="eigrp: {}", top=top, ports=ports)
    assert told(net, "r2", "10.255.0.1/32") == ("eigrp", "internal", 1966298 // 128, "e1")
    plain = wired("r1-r2", port="eigrp: {}", top=top)
    assert told(plain, "r2", "10.255.0.1/32")[2] == 1966080 // 128


def test_wide_distance_keeps_what_classic_rounds_away():
    """10 Gb/s: 65536 * 10^7 / 10^7 kb/s = 65536; delay 1 us a link by default, two links and lo 10.

    Latency 65536 * 12 us = 786432; together 851968, over 128: 6656.
    """
    net = wired(
        "r1-r2 r2-r3", port="bandwidth: 10 Gb/s, eigrp: {}", top="eigrp: {as: 1, metric: wide}",
        ports={"r3:lo": "eigrp: {}"},
    )  # fmt: skip
    # The loopback of 1 Gb/s narrows the path: throughput 655360; (655360 + 786432) / 128 = 11264.
    assert route(net, "r1", "10.255.0.3/32").metric == 11264


def test_variance_takes_feasible_paths_only():
    """r1 reaches r4 over r2 (all fast), r3 (a slow link here) and r5 (a slow link behind it).

    Fast: 256 * (10 + 3) = 3328 (delays lo, r2-r4, r1-r2 of 10 us). Over r3: the slow link counts
    256 * (1000 + 102) = 282112, while r3 itself reports 256 * (10 + 2) = 3072 < 3328: feasible.
    r5 reports 256 * (1000 + 101) = 281856 > 3328: not feasible, whatever the variance.
    """
    ports = {"r1:e3": SLOW, "r5:e6": SLOW}
    top = {"r1": "eigrp: {as: 65, variance: 100}", "": EIGRP}
    net = wired("r1-r2 r2-r4 r1-r3 r3-r4 r1-r5 r5-r4", port="eigrp: {}", top=top, ports=ports)
    found = route(net, "r1", "10.255.0.4/32")
    assert found.metric == 3328
    shares = {hop.interface: hop.weight for hop in found.next_hops}
    assert shares == {"e1": 282112 // 3328, "e3": 1}
    plain = wired("r1-r2 r2-r4 r1-r3 r3-r4 r1-r5 r5-r4", port="eigrp: {}", top=EIGRP, ports=ports)
    assert told(plain, "r1", "10.255.0.4/32")[3] == "e1"


def test_a_summary_stands_for_its_parts():
    """r2 sends r1 the sum of r3's loopbacks with the metric of the nearest, and drops the rest."""
    more = {
        "r3": "  l1: {kind: loopback, addresses: [10.70.1.1/24], eigrp: {}}\n"
        "  l2: {kind: loopback, addresses: [10.70.2.1/24], delay: 5 ms, eigrp: {}}\n"
    }
    ports = {"r2:e1": "eigrp: {summaries: [10.70.0.0/16]}"}
    net = wired("r1-r2 r2-r3", port="eigrp: {}", top=EIGRP, ports=ports, interfaces=more)
    assert route(net, "r1", "10.70.1.0/24") is None
    # 256 * (10 + 3): loopback, r2-r3, r1-r2.
    assert told(net, "r1", "10.70.0.0/16") == ("eigrp", "internal", 3328, "e1")
    discard = route(net, "r2", "10.70.0.0/16")
    assert (discard.discard, discard.distance, discard.place.line > 0) == (True, 5, True)
    assert route(net, "r2", "10.70.2.0/24").metric == 256 * (10 + 500 + 1)


def test_a_stub_router_passes_nothing_on():
    """r2 is a stub: r1 hears of r2's own networks, not of r3 behind it."""
    top = {"r2": "eigrp: {as: 65, stub: [connected]}", "": EIGRP}
    net = wired("r1-r2 r2-r3", port="eigrp: {}", top=top)
    assert route(net, "r1", "10.255.0.2/32") is not None
    assert route(net, "r1", "10.255.0.3/32") is None
    assert route(net, "r2", "10.255.0.3/32") is not None


@pytest.mark.parametrize(
    ("second", "code"),
    [("{as: 66}", "eigrp_as_mismatch"), ("{as: 65, k-values: [1, 1, 1]}", "eigrp_k_mismatch")],
)
def test_what_keeps_eigrp_neighbours_apart(second, code):
    net = wired("r1-r2", port="eigrp: {}", top={"r2": f"eigrp: {second}", "": EIGRP})
    assert route(net, "r1", "10.255.0.2/32") is None
    assert code in {finding.code for finding in net.findings}


# --- IS-IS (ISO 10589, RFC 1195, RFC 5302, RFC 5305) ---------------------------------------------


def isis(number: int, area: int = 1, more: str = "") -> str:
    return f"isis: {{net: 49.{area:04}.0000.0000.{number:04}.00{more}}}"


@pytest.mark.parametrize("network", ["point-to-point", "broadcast"])
@pytest.mark.parametrize("version", [4, 6])
def test_isis_adds_metrics_outward(network, version):
    """Metric 10 a link by default, a loopback 0: r1 pays 20 to r3's loopback."""
    tops = {f"r{n}": isis(n) for n in (1, 2, 3)}
    net = wired("r1-r2 r2-r3", port=f"isis: {{network: {network}}}", top=tops, version=version)
    far = "10.255.0.3/32" if version == 4 else "2001:db8:255::3/128"
    # Every system is in both levels; level 1 is preferred.
    assert told(net, "r1", far) == ("isis", "level_1", 20, "e1")
    assert route(net, "r1", far).distance == 115


def test_isis_carries_tags_from_level_to_level():
    """RFC 5130: r1's loopback bears 7 up to level 2; r3 lets down what bears it, marked 8 there.

    r4 takes into RIP what bears 8, so r5 hears r1's loopback and nothing else by RIP. A static
    route that r1 takes in keeps its own tag.
    """
    policies = (
        "sets: {tags: {seven: 7, eight: 8}}\npolicies:\n"
        "  down: {statements: [{name: a, match: {tags: seven}, set: {tag: 8}, then: accept}], default: reject}\n"
        "  eight: {statements: [{name: a, match: {tags: eight}, then: accept}], default: reject}\n"
    )  # fmt: skip
    tops = {
        "r1": "static: [{to: 10.99.0.0/16, discard: true, tag: 5}]\n"
        + isis(1, 1, ", redistribute: [{from: static}]"),
        "r2": isis(2, 1),
        "r3": isis(3, 2, ", leak-down: down") + "\n" + policies,
        "r4": isis(4, 2, ", level: 1")
        + "\nrip: {redistribute: [{from: isis, policy: eight}]}\n"
        + policies,
        "r5": "rip: {}",
    }
    ports = {"r4:e4": "rip: {}", "r5:e4": "rip: {}", "r5:lo": "", "r1:lo": "isis: {tag: 7}"}
    net = wired("r1-r2 r2-r3 r3-r4 r4-r5", port="isis: {}", top=tops, ports=ports)
    prefix = ipaddress.ip_network("10.255.0.1/32")

    def tag(router: str, to: ipaddress.IPv4Network = prefix) -> int:
        route = net.rib.active_route(net.rib.interning.table_numbers[router, "default"], to)
        return route.tag if route else -1

    assert [tag(f"r{n}") for n in (2, 3, 4, 5)] == [7, 7, 8, 8]
    assert tag("r3", ipaddress.ip_network("10.99.0.0/16")) == 5
    heard = [p for p in ("10.255.0.2/32", "10.255.0.3/32") if told(net, "r5", p)]
    assert told(net, "r5", "10.255.0.1/32") is not None
    assert not heard


def test_isis_levels():
    """r1 (level 1) - r2 (both) = r3 (both, another area) - r4 (level 1 there).

    r2 tells level 2 of r1, so r3 holds r1 at 20. r4 knows its own area only and follows the
    attached bit of r3; so does r1 with r2. r3 lets r1's loopback down by policy: then r4 holds it
    at 30, and r3 does not tell it up again.
    """
    down = """
        leak-down: far}
        sets: {prefixes: {far: 10.255.0.1/32}}
        policies:
          far: {statements: [{name: it, match: {prefixes: far}, then: accept}], default: reject}
        """.replace("        ", "")
    tops = {
        "r1": isis(1, 1, ", level: 1"),
        "r2": isis(2, 1),
        "r3": isis(3, 2, ", LEAK").replace(", LEAK}", ", ") + down.strip(),
        "r4": isis(4, 2, ", level: 1"),
    }
    net = wired("r1-r2 r2-r3 r3-r4", port="isis: {network: point-to-point}", top=tops)
    assert told(net, "r3", "10.255.0.1/32") == ("isis", "level_2", 20, "e2")
    assert told(net, "r4", "10.255.0.1/32") == ("isis", "level_1_down", 30, "e3")
    assert route(net, "r4", "10.255.0.2/32") is None
    assert told(net, "r4", "0.0.0.0/0") == ("isis", "attached", 10, "e3")
    assert told(net, "r1", "0.0.0.0/0") == ("isis", "attached", 10, "e1")
    assert route(net, "r2", "0.0.0.0/0") is None


def test_a_system_of_both_levels_without_a_way_out_follows_one_that_has():
    """r1 - r2 - r3, r1 and r2 in one area, r3 in another; the link r1 - r2 carries level 1 only.

    r1 is of both levels, but reaches no other area at level 2, so it takes the nearest attached
    system of level 1 for its exit (ISO 10589 7.2.9.2), as a level 1 system does; unless it says no.
    """
    ports = {"r1:e1": "isis: {level: 1}", "r2:e1": "isis: {level: 1}"}
    for more, expected in (
        ("", ("isis", "attached", 10, "e1")),
        (", use-attached: false", None),
    ):
        top = {"r1": isis(1, 1, more), "r2": isis(2, 1), "r3": isis(3, 2)}
        net = wired("r1-r2 r2-r3", port="isis: {}", ports=ports, top=top)
        assert told(net, "r1", "0.0.0.0/0") == expected
        # r2 reaches r3 itself and follows nobody.
        assert route(net, "r2", "0.0.0.0/0") is None


def test_nothing_goes_through_an_overloaded_system():
    """r1 reaches r3 by the long way round r4, r5; r2 itself stays reachable, and sends through."""
    tops = {f"r{n}": isis(n) for n in (1, 3, 4, 5)} | {"r2": isis(2, 1, ", overload: true")}
    net = wired("r1-r2 r2-r3 r1-r4 r4-r5 r5-r3", port="isis: {network: point-to-point}", top=tops)
    assert told(net, "r1", "10.255.0.3/32") == ("isis", "level_1", 30, "e3")
    assert told(net, "r1", "10.255.0.2/32") == ("isis", "level_1", 10, "e1")
    assert told(net, "r2", "10.255.0.4/32") == ("isis", "level_1", 20, "e1")


@pytest.mark.parametrize(
    ("second", "port", "code"),
    [
        (isis(2, 1, ", level: 2"), "isis: {level: 1}", "isis_level_mismatch"),
        (isis(2, 9, ", level: 1"), "isis: {level: 1}", "isis_area_mismatch"),
        (isis(2), "mtu: 1400, isis: {}", "isis_mtu_mismatch"),
        (isis(2), "isis: {authentication: other}", "isis_authentication_mismatch"),
        (isis(2), "isis: {network: point-to-point}", "isis_network_mismatch"),
        (isis(1), "isis: {}", "isis_duplicate_system_id"),
    ],
)
def test_what_keeps_isis_systems_apart(second, port, code):
    level = ", level: 1" if "level: 1" in port else ""
    tops = {"r1": isis(1, 1, level), "r2": second}
    net = wired("r1-r2", port="isis: {}", top=tops, ports={"r2:e1": port})
    assert route(net, "r1", "10.255.0.2/32") is None
    assert code in {finding.code for finding in net.findings}


def test_k_values_weigh_reliability_and_load():
    """K5 = 200, K4 = 45 (RFC 7868 5.6.1.1): (10 + 2) * 200 // (45 + 255) = 8, times 256. With
    K2 = 1 alone the load of 1 of 255 counts."""
    top = "eigrp: {as: 65, k-values: [1, 0, 1, 45, 200]}"
    assert route(wired("r1-r2", port="eigrp: {}", top=top), "r1", "10.255.0.2/32").metric == 2048
    slow = {"r1:e1": "bandwidth: 1 Mb/s, eigrp: {}"}
    top = "eigrp: {as: 65, k-values: [0, 1, 0]}"
    net = wired("r1-r2", port="eigrp: {}", top=top, ports=slow)
    # 10^7 / 1000 kb/s = 10000; over 256 - 1: 39.
    assert route(net, "r1", "10.255.0.2/32").metric == 256 * 39


def test_an_external_route_never_returns_to_who_brought_it_in():
    """r1 and r2 share a router id, so r2 takes r1's external route for its own and ignores it."""
    static = "static: [{to: 10.99.0.0/16, discard: true}]"
    taking = "redistribute: [{from: static, metric: {bandwidth: 1 Gb/s, delay: 10 us}}]"
    top = {"r1": f"eigrp: {{as: 1, router-id: 9.9.9.9, {taking}}}\n{static}",
           "r2": "eigrp: {as: 1, router-id: 9.9.9.9}"}  # fmt: skip
    net = wired("r1-r2", port="eigrp: {}", top=top)
    assert route(net, "r2", "10.99.0.0/16") is None
    assert route(net, "r2", "10.255.0.1/32") is not None
    assert "eigrp_duplicate_router_id" in {finding.code for finding in net.findings}


def test_internal_before_external_in_eigrp():
    """r2 hears 10.99/16 from r1 as external and near, from r3 as internal and slow: internal."""
    taking = "redistribute: [{from: static, metric: {bandwidth: 1 Gb/s, delay: 10 us}}]"
    top = {"r1": f"eigrp: {{as: 1, {taking}}}\nstatic: [{{to: 10.99.0.0/16, discard: true}}]",
           "": "eigrp: {as: 1}"}  # fmt: skip
    more = {"r3": "  lan: {kind: loopback, addresses: [10.99.0.1/16], delay: 90 ms, eigrp: {}}\n"}
    net = wired("r1-r2 r2-r3", port="eigrp: {}", top=top, interfaces=more)
    assert told(net, "r2", "10.99.0.0/16")[1:4:2] == ("internal", "e2")


def test_rip_policies_filter_and_price_on_one_link():
    """r2 raises what r1 announces; r1 refuses r3's loopback from r2."""
    policies = """
        rip: {}
        sets: {prefixes: {three: 10.255.0.3/32, one: 10.255.0.1/32}}
        policies:
          keep: {statements: [{name: no, match: {prefixes: three}, then: reject}], default: accept}
          dear:
            statements: [{name: up, match: {prefixes: one}, set: {metric-add: 5, tag: 3}, then: accept}]
            default: accept
        """
    ports = {"r1:e1": "rip: {import: keep}", "r2:e1": "rip: {import: dear}"}
    net = wired("r1-r2 r2-r3", port="rip: {}", top={"": policies}, ports=ports)
    assert route(net, "r1", "10.255.0.3/32") is None
    found = route(net, "r3", "10.255.0.1/32")
    assert (found.metric, found.tag) == (2 + 5 + 1, 3)


def test_rip_ignores_who_has_another_key():
    net = wired("r1-r2", port="rip: {}", top="rip: {}", ports={"r1:e1": "rip: {authentication: a}"})
    assert route(net, "r1", "10.255.0.2/32") is route(net, "r2", "10.255.0.1/32") is None
    assert "rip_authentication_mismatch" in {finding.code for finding in net.findings}


def test_isis_takes_routes_in_at_the_level_written():
    """r2 (both levels) takes its static route into level 1; r1 (level 1) holds it at 4 + 10."""
    static = "static: [{to: 10.99.0.0/16, discard: true}]"
    for level, expected in (("1", ("isis", "level_1", 14, "e1")), ("2", None)):
        taking = f", redistribute: [{{from: static, metric: 4, level: {level}}}]"
        top = {"r1": isis(1, 1, ", level: 1"), "r2": isis(2, 1, taking) + f"\n{static}"}
        net = wired("r1-r2", port="isis: {network: point-to-point}", top=top)
        assert told(net, "r1", "10.99.0.0/16") == expected


def test_isis_level_1_metric_and_policy_upward():
    """r1's link counts 10 at level 2, but 3 at level 1; r2 tells level 2 nothing of r1."""
    quiet = """
        leak-up: none}
        policies: {none: {default: reject}}
        """.replace("        ", "").strip()
    top = {
        "r1": isis(1, 1, ", level: 1"),
        "r2": isis(2, 1, ", x").replace(", x}", ", ") + quiet,
        "r3": isis(3, 2, ", level: 2"),
    }
    port = "isis: {network: point-to-point, level-1-metric: 3}"
    net = wired("r1-r2 r2-r3", port=port, top=top)
    assert route(net, "r1", "10.255.0.2/32").metric == 3 + 3
    assert route(net, "r3", "10.255.0.2/32") is not None
    assert route(net, "r3", "10.255.0.1/32") is None


def test_an_attached_system_is_followed_only_while_it_is_attached():
    """r2 reaches no other area at level 2; then `attached-bit: never` and `use-attached: false`."""
    links, port = "r1-r2 r2-r3", "isis: {network: point-to-point}"
    for second, third, first, expected in (
        ("", isis(3, 1, ", level: 2"), "", None),
        ("", isis(3, 2, ", level: 2"), "", 10),
        (", attached-bit: never", isis(3, 2, ", level: 2"), "", None),
        ("", isis(3, 2, ", level: 2"), ", use-attached: false", None),
    ):
        top = {"r1": isis(1, 1, f", level: 1{first}"), "r2": isis(2, 1, second), "r3": third}
        found = route(wired(links, port=port, top=top), "r1", "0.0.0.0/0")
        assert (found.metric if found else None) == expected
