"""What a distance vector tells and to whom: split horizon, summaries, policies at both ends."""

from __future__ import annotations

import pytest

from tests.nets import device, route, state, told, wired

STATIC = "static: [{to: 10.99.0.0/16, discard: true, distance: 130}]"
TAKES = "redistribute: [{from: static}]"


@pytest.mark.parametrize(("key", "version"), [("rip", 4), ("ripng", 6)])
def test_a_floating_route_is_not_silenced_by_its_own_echo(key, version):
    """r1 announces a static route of distance 130, r2 hears it at 1 + 1. An answer from r2 would
    win at r1 by distance 120, end the announcement, and so on for ever; split horizon (RFC 2453
    3.4.3) forbids it: r1 keeps the static route, and everything is at rest."""
    to = "10.99.0.0/16" if version == 4 else "2001:db8:99::/48"
    static = STATIC.replace("10.99.0.0/16", f"'{to}'")
    top = {"r1": f"{key}: {{{TAKES}}}\n{static}", "r2": f"{key}: {{}}"}
    net = wired("r1-r2", port=f"{key}: {{}}", top=top, version=version)
    assert (net.converged, net.order_dependent) == (True, ())
    assert route(net, "r1", to).protocol.id == "static"
    assert told(net, "r2", to) == (key, None, 2, "e1")


def test_a_way_that_ties_may_keep_a_static_route_alive():
    """r1 hears r2's network at 1 + 3, tells it to r3 with metric 1, which holds it at 2; r6 hears that
    at 5 and gives up its static route of distance 130. But if r3 had it from r6 first, at 1 + 2, r1
    hears it from there at 4 as well: a tie, so by split horizon it tells r3 nothing (RFC 2453 3.4.3),
    and r6's static route stays."""
    announce = "rip: {redistribute: [{from: static}]}\nstatic: [{to: 10.255.0.2/32, discard: true, distance: 130}]\n"
    ports = {
        "r1:e1": "rip: {cost: 3}", "r2:e1": "rip: {cost: 2}", "r1:e2": "rip: {export: near}",
        "r3:e2": "rip: {}", "r3:e3": "rip: {cost: 2}", "r6:e3": "rip: {cost: 3}",
    }  # fmt: skip
    top = {
        "r1": "rip: {}\npolicies: {near: {statements: [{name: a, set: {metric: 1}}], default: accept}}",
        "r6": announce,
        "": "rip: {}",
    }
    net = wired("r1-r2 r1-r3 r3-r6", port="rip: {}", ports=ports, top=top)
    assert net.converged
    number = net.rib.interning.prefixes.number(route(net, "r1", "10.255.0.2/32").prefix)
    table = net.rib.interning.table_numbers["r6", "default"]
    found = [
        rib.interning.kinds.kinds[rib.candidate_rows(table, number)[0]["kind"]].protocol.id
        for rib in (net.rib, *(other.rib for other in net.others))
    ]
    assert sorted(found) == ["rip", "static"]


def test_a_default_that_is_always_announced_is_not_taken_from_others():
    """Both announce a default by RIP whatever their tables hold, and have one by BGP (distance 200).
    Each hears the other's at 2, farther than its own 1 (RFC 2453 3.9.2), so BGP's stay."""
    tops = {
        "r1": "rip: {default-route: {always: true}}\nbgp: {as: 65001, neighbours: {10.0.1.2: {as: 65001}}}",
        "r2": "rip: {default-route: {always: true}}\n"
        "bgp: {as: 65001, neighbours: {10.0.1.1: {as: 65001, default-route: {}}, 10.0.2.2: {as: 65001}}}",
        "r3": "bgp: {as: 65001, neighbours: {10.0.2.1: {as: 65001, default-route: {}}}}",
    }  # fmt: skip
    ports = {"r1:e1": "rip: {}", "r2:e1": "rip: {}"}
    net = wired("r1-r2 r2-r3", port="", top=tops, ports=ports)
    assert net.converged
    assert {route(net, name, "0.0.0.0/0").protocol.id for name in ("r1", "r2")} == {"bgp"}


def test_leaked_routes_are_not_silenced_by_their_echo():
    """hub learns 10.99/16 in VRF red from r1 at 3, leaks it to blue and announces it to r2 there.
    Leaked it ranks at RIP's 120, behind RIP: an echo from r2 would win in blue."""
    hub = """
        vrfs:
          red: {rip: {}, export-tags: t}
          blue: {rip: {redistribute: [{from: leaked, metric: 1}]}, import-tags: t}
        interfaces:
          e1: {addresses: [10.0.1.2/30], vrf: red, rip: {}}
          e2: {addresses: [10.0.2.1/30], vrf: blue, rip: {}}
        """
    end = "rip: {}\ninterfaces:\n  e: {addresses: [10.0.%s/30], rip: {}}\n"
    lan = "  lan: {kind: loopback, addresses: [10.99.0.1/16], rip: {}}\n"
    net = state(device("hub", hub), device("r1", end % "1.1" + lan), device("r2", end % "2.2"))
    assert (net.converged, net.order_dependent) == (True, ())
    assert route(net, "hub", "10.99.0.0/16", "red").metric == 2
    assert route(net, "hub", "10.99.0.0/16", "blue").protocol.id == "leaked"
    assert told(net, "r2", "10.99.0.0/16") == ("rip", None, 2, "e")


def test_a_summary_heard_back_is_not_passed_on():
    """r1 sums up 10.8.0/24 and 10.8.1/24 on e1 alone. r2 has the summary and tells r3, r3 would
    tell r1, r1 would tell r4, which is to hear of the parts only. r3 has the parts from r1 itself."""
    #  r4 -e4- r1 -e1- r2 -e2- r3 -e3- r1
    lans = "".join(
        f"  lan{n}: {{kind: loopback, addresses: [10.8.{n}.1/24], eigrp: {{}}}}\n" for n in (0, 1)
    )
    net = wired(
        "r1-r2 r2-r3 r3-r1 r1-r4",
        port="eigrp: {}",
        ports={"r1:e1": "eigrp: {summaries: 10.8.0.0/16}"},
        interfaces={"r1": lans},
        top="eigrp: {as: 1}",
    )
    assert route(net, "r4", "10.8.0.0/16") is None
    assert route(net, "r4", "10.8.1.0/24").protocol.id == "eigrp"
    assert told(net, "r3", "10.8.0.0/16")[3] == "e2"
    assert route(net, "r1", "10.8.0.0/16").discard
    # At r1 the echo is no candidate either: what r3 reports is more than the summary's own.
    table = net.rib.interning.table_numbers["r1", "default"]
    number = net.rib.interning.prefixes.number(route(net, "r3", "10.8.0.0/16").prefix)
    assert len(net.rib.candidate_rows(table, number)) == 1


#: r1 announces its loopback 10.255.0.1/32 to r2 with metric 1; r2 adds the 1 of its interface.
@pytest.mark.parametrize(
    ("export", "imported", "port", "metric"),
    [
        ("set: {metric: 5}", None, "", 6),
        ("set: {metric: 5}", None, "offset-out: 2", 8),
        ("match: {metric: 1}, set: {metric: 3}", None, "", 4),
        ("match: {metric: 2}, set: {metric: 9}", None, "", 2),
        (None, "match: {metric: 2}, set: {metric: 7}", "", 7),
        (None, "match: {metric: 1}, set: {metric: 7}", "", 2),
        ("set: {metric: 4}", "match: {metric: 5}, set: {metric: 8}", "", 8),
        ("set: {metric: 15}", None, "", None),
        # What arrives at 16 is out of reach, whatever the receiver's policy would set.
        ("set: {metric: 15}", "set: {metric: 2}", "", None),
        # A metric of 0 is none at all: such an entry is ignored (RFC 2453 3.9.2).
        ("set: {metric: 0}", None, "", None),
    ],
)
def test_rip_policies_see_the_metric_on_their_side(export, imported, port, metric):
    """Export policy, offset, then the receiver's cost, then its policy (RFC 2453 3.9.2)."""
    said = {"r1": "rip: {}", "r2": "rip: {}"}
    ports = {"r1:e1": f"rip: {{{port}}}", "r2:e1": "rip: {}"}
    for name, words, key in (("r1", export, "export"), ("r2", imported, "import")):
        if words:
            statement = f"{{name: a, {words}, then: accept}}"
            said[name] += f"\npolicies: {{p: {{statements: [{statement}], default: accept}}}}"
            ports[f"{name}:e1"] = f"rip: {{{key}: p{', ' * bool(port)}{port * (name == 'r1')}}}"
    found = told(wired("r1-r2", port="rip: {}", top=said, ports=ports), "r2", "10.255.0.1/32")
    assert found == (None if metric is None else ("rip", None, metric, "e1"))


@pytest.mark.parametrize(
    ("side", "metric", "passes"), [("export", 2816, True), ("export", 3072, False),
                                   ("import", 3072, True), ("import", 2816, False)],
)  # fmt: skip
def test_eigrp_policies_see_the_distance_on_their_side(side, metric, passes):
    """r1's loopback is 256 * (10 + 1) = 2816 to r1 itself, 256 * (10 + 2) = 3072 to r2."""
    policy = f"match: {{metric: {metric}}}, then: accept"
    top = f"eigrp: {{as: 1}}\npolicies: {{p: {{statements: [{{name: a, {policy}}}], default: reject}}}}"
    ports = {f"r{1 if side == 'export' else 2}:e1": f"eigrp: {{{side}: p}}"}
    net = wired("r1-r2", port="eigrp: {}", top=top, ports=ports)
    assert (route(net, "r2", "10.255.0.1/32") is not None) == passes
