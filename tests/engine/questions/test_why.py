"""Why this route, and why none: rungs, fall-backs and the chain to what stopped a route."""

from __future__ import annotations

import ipaddress
import textwrap

import pytest

from routrel.answers.tables import TableQuestion
from routrel.questions.errors import UnknownName
from routrel.questions.routes import RouteQuestion
from tests.engine.policy.test_redistribute import PLAIN, TAKES, YARD, two_borders
from tests.engine.protocols.test_ospf_areas import inject, line
from tests.engine.protocols.test_rip_eigrp_isis import isis
from tests.nets import LAST_TEXTS, device, state, wired
from tests.told import explain_route, holders_data, table_data


def why(net, name, what):
    """The explanation for a prefix or an address at one device."""
    slash = "/" in what
    question = RouteQuestion(
        device=name,
        prefix=ipaddress.ip_network(what) if slash else None,
        address=None if slash else ipaddress.ip_address(what),
    )
    (answer,) = explain_route(net, question)
    return answer


#: Whose default route another router has, while r1 has none, and why that is so.
DEFAULTS = [
    # r1 is the attached system itself (ISO 10589 7.2.9.2): r2's default leads to it.
    ({"r1": isis(1, 1), "r2": isis(2, 1, ", level: 1"), "r3": isis(3, 2)}, "isis: {}", "attached_default", "r2"),
    # r2's static route leads to r1, so it is announced with r1's own address to send to (12.4.4.1).
    ({"r1": "ospf: {}", "r2": "ospf: {default-route: {}}\nstatic: [{to: 0.0.0.0/0, via: 10.0.1.1}]", "r3": ""},
     "ospf: {area: 0}", "forwarding_address", "r2"),
]  # fmt: skip


@pytest.mark.parametrize(("tops", "port", "reason", "device"), DEFAULTS)
def test_why_no_default_where_a_neighbour_has_one(tops, port, reason, device):
    bare = {} if tops["r3"] else {"r3:e2": "", "r3:lo": ""}
    net = wired("r1-r2 r1-r3", port=port, top=tops, ports=bare)
    absent = why(net, "r1", "0.0.0.0/0")["absent"]
    assert (absent["reason"], absent["steps"][-1]["device"]) == (reason, device)
    assert absent["steps"][-1]["line"]


def rungs(answer):
    """Each candidate in short: protocol, who announces it, where it lost."""
    return [(c["protocol"], c["advertiser"], c["lost_on"]) for c in answer["candidates"]]


def test_distance_comes_first_then_the_protocols_own_order():
    """r2 holds 10.70/16 from OSPF; RIP from r3 loses on distance whatever its metric."""
    answer = why(two_borders(TAKES, PLAIN), "r2", YARD)
    assert rungs(answer) == [("ospf", "r1", None), ("rip", "r3", "distance")]
    assert answer["candidates"][0]["values"]["forward_metric"] == 10
    assert answer["candidates"][0]["file"] is not None  # the redistribution at r1
    assert "its distance 110 is below the 120 of RIP from r3" in answer["sentence"]


def test_ospf_losers_show_their_rung():
    """r2 hears 10.99/16 as E1 from r4, and as E2 from r1 and r3: the kind of route decides."""
    tops = {"r1": inject(), "r3": inject(), "r4": inject(", metric: 900, metric-type: 1")}
    answer = why(line("0 0 0", tops), "r2", "10.99.0.0/16")
    assert rungs(answer)[0] == ("ospf", "r4", None)
    assert {lost for *_, lost in rungs(answer)[1:]} == {"path_type"}
    # Without r4 both exits cost 10: a tie that shares, so neither lost.
    tops.pop("r4")
    answer = why(line("0 0 0", tops), "r2", "10.99.0.0/16")
    assert rungs(answer) == [("ospf", "r1", None), ("ospf", "r3", None)]
    # From r1's side, the farther exit r4 loses on the way there.
    answer = why(line("0 0 0", {"r1": inject(), "r4": inject()}), "r2", "10.99.0.0/16")
    assert rungs(answer)[1] == ("ospf", "r4", "forward_metric")


def test_ties_beyond_the_limit_are_out_on_it():
    """Three equal ways to r5 and a limit of two: the third shares nothing, and says why."""
    links = "r1-r2 r1-r3 r1-r4 r2-r5 r3-r5 r4-r5"
    top = {"r1": "rip: {maximum-paths: 2}", "": "rip: {}"}
    net = wired(links, port="rip: {}", top=top)
    answer = why(net, "r1", "10.255.0.5/32")
    assert rungs(answer) == [
        ("rip", "r2", None), ("rip", "r3", None), ("rip", "r4", "maximum_paths"),
    ]  # fmt: skip


def test_eigrp_losers_show_feasibility():
    """Within the variance, but reported from no nearer: out on the feasibility condition.

    r5 reports its own slow way, 256 * (1000 + 101); r1's best is 256 * (10 + 3).
    """
    slow = "bandwidth: 10 Mb/s, delay: 1 ms, eigrp: {}"
    net = wired(
        "r1-r2 r2-r4 r1-r5 r5-r4", port="eigrp: {}", ports={"r5:e3": slow, "r5:e4": slow},
        top={"r1": "eigrp: {as: 65, variance: 128}", "": "eigrp: {as: 65}"},
    )  # fmt: skip
    answer = why(net, "r1", "10.255.0.4/32")
    assert rungs(answer) == [("eigrp", "r2", None), ("eigrp", "r5", "feasible")]
    assert answer["candidates"][1]["values"]["reported_distance"] == 256 * (1000 + 101)


def test_an_address_shows_what_stands_behind_its_match():
    static = "static: [{to: 10.9.0.0/16, discard: true}, {to: 0.0.0.0/0, discard: true}]"
    net = wired("r1-r2", port="", top={"r1": static})
    answer = why(net, "r1", "10.9.1.1")
    assert answer["matched"] == "10.9.0.0/16"
    assert [route["prefix"] for route in answer["behind"]] == ["0.0.0.0/0"]
    answer = why(net, "r1", "10.8.1.1")
    assert "uses its static default route" in answer["sentence"]
    assert answer["absent"]["sentence"].endswith("no device has one.")


def _net(**settings):
    return settings


def _rip(**settings):
    return {"port": "rip: {}", **settings}


POLICY = textwrap.dedent(
    """
    rip: {}
    sets: {prefixes: {three: 10.255.0.3/32}}
    policies:
      keep: {statements: [{name: three, match: {prefixes: three}, then: reject}], default: accept}
    """
)
FAR = "10.255.0.3/32"

#: How r1 comes to lack r3's loopback in r1 - r2 - r3: net, reason, where it stopped, cited text.
ABSENCES = {
    "passive": (
        _rip(top="rip: {}", ports={"r2:e1": "rip: {passive: true}"}),
        "passive", ("r2", "r1"), "passive: true",
    ),
    "not running": (
        _rip(top="rip: {}", ports={"r1:e1": ""}), "not_running", ("r2", "r1"), "e1:",
    ),
    "filter": (
        _rip(top={"r1": POLICY, "": "rip: {}"}, ports={"r1:e1": "rip: {import: keep}"}),
        "filtered", ("r2", "r1"), "name: three",
    ),
    "infinity": (
        _rip(top="rip: {}", ports={"r2:e1": "rip: {offset-out: 16}"}),
        "infinity", ("r2", "r1"), "e1:",
    ),
    "not redistributed": (
        _rip(top={"r1": "ospf: {}", "r2": "rip: {}\nospf: {}", "r3": "rip: {}"},
             ports={"r1:e1": "ospf: {area: 0}", "r2:e1": "ospf: {area: 0}",
                    "r1:lo": "ospf: {area: 0}"}),
        "not_redistributed", ("r2", "r1"), "ospf: {}",
    ),
    "no adjacency": (
        _net(port="ospf: {area: 0}", top="ospf: {}", ports={"r1:e1": "ospf: {area: 9}"}),
        "no_adjacency", ("r2", "r1"), "area: 9",
    ),
    "summary": (
        _net(port="eigrp: {}", top="eigrp: {as: 1}",
             ports={"r2:e1": "eigrp: {summaries: 10.255.0.0/24}"}),
        "hidden_by_summary", ("r2", "r1"), "summaries",
    ),
    "stub router": (
        _net(port="eigrp: {}", top={"r2": "eigrp: {as: 1, stub: connected}", "": "eigrp: {as: 1}"}),
        "stub_router", ("r2", "r1"), "stub: connected",
    ),
    "not leaked": (
        _net(port="isis: {network: point-to-point}",
             top={"r1": isis(1, 1, ", level: 1"), "r2": isis(2, 1), "r3": isis(3, 2)}),
        "not_leaked", ("r2", "r1"), "net: 49.0001.0000.0000.0002",
    ),
    "interface down": (
        _rip(top="rip: {}", ports={"r2:e1": "enabled: false, rip: {}"}),
        "interface_down", ("r2", "r1"), "e1:",
    ),
    "no protocol": (
        _rip(top={"r1": "", "": "rip: {}"}, ports={"r1:e1": "", "r1:lo": ""}),
        "no_common_protocol", ("r2", "r1"), "routrel: 1",
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", ABSENCES)
def test_why_none(case):
    """The chain names where the route begins, who has it last, and cites what stopped it."""
    settings, reason, between, cited = ABSENCES[case]
    net = wired("r1-r2 r2-r3", **settings)
    absent = why(net, "r1", FAR)["absent"]
    assert absent["reason"] == reason
    assert tuple(absent["stopped_between"]) == between
    assert "r3" in absent["originators"]
    assert absent["reached"][-1] == "r2"
    step = next(step for step in absent["steps"] if step["kind"] == reason)
    device = next(d for d in net.network.devices if d.name == step["device"])
    assert step["file"] == device.place.file
    assert cited in source_line(step)


def source_line(step):
    """The text of the line a step cites, from the files the net was made of."""
    return LAST_TEXTS[int(step["file"].partition(".")[0])].splitlines()[step["line"] - 1]


def test_external_routes_stop_at_a_stub_area():
    net = line("0 4", {"r1": inject(), "r2": "ospf: {areas: {4: {type: stub}}}",
                       "r3": "ospf: {areas: {4: {type: stub}}}"})  # fmt: skip
    absent = why(net, "r3", "10.99.0.0/16")["absent"]
    assert (absent["reason"], absent["originators"]) == ("stub_area", ["r1"])


def test_nobody_has_it_because_an_interface_is_down():
    net = wired("r1-r2", port="rip: {}", top="rip: {}", ports={"r2:lo": "enabled: false"})
    absent = why(net, "r1", "10.255.0.2/32")["absent"]
    assert absent["reason"] == "interface_down"
    assert absent["originators"] == []


def test_a_router_that_prefers_another_protocol_passes_nothing_on():
    """r2 hears r3's loopback in RIP and has it by static route: r1 hears nothing of it."""
    static = "static: [{to: 10.255.0.3/32, via: 10.0.2.2}]"
    net = wired("r1-r2 r2-r3", port="rip: {}", top={"r2": f"rip: {{}}\n{static}", "": "rip: {}"})
    absent = why(net, "r1", FAR)["absent"]
    assert absent["reason"] == "not_active"
    assert "static route wins" in absent["sentence"]


def test_a_border_router_without_backbone_believes_no_summary():
    net = line("1 2 0", {})
    absent = why(net, "r2", "10.255.0.4/32")["absent"]
    assert (absent["reason"], absent["steps"][-1]["device"]) == ("no_backbone", "r2")


def test_an_overloaded_system_is_named():
    two = ", level: 2"
    tops = {
        "r1": isis(1, 1, two),
        "r2": isis(2, 1, f"{two}, overload: true"),
        "r3": isis(3, 1, two),
    }
    net = wired("r1-r2 r2-r3", port="isis: {network: point-to-point}", top=tops)
    absent = why(net, "r1", FAR)["absent"]
    assert (absent["reason"], tuple(absent["stopped_between"])) == ("overload", ("r2", "r1"))


def test_a_default_that_is_not_taken_along_is_named():
    """r2 takes static routes into RIP, but not its default."""
    top = {"r2": "rip: {redistribute: [{from: static}]}\nstatic: [{to: 0.0.0.0/0, discard: true}]",
           "": "rip: {}"}  # fmt: skip
    net = wired("r1-r2", port="rip: {}", top=top)
    absent = why(net, "r1", "0.0.0.0/0")["absent"]
    assert absent["reason"] == "not_redistributed"
    assert "without its default route" in absent["sentence"]


def test_where_traffic_leaves_along_every_branch():
    """r1 shares over r2 and r3: r2 leads outside, r3 discards; r4 knows nothing."""
    outside = (
        "routrel: 1\nnetwork: n\noutside:\n"
        "  isle: {addresses: [203.0.113.1/30], prefixes: [198.51.100.0/24]}\n"
    )
    wide = "static: [{to: 198.51.100.0/24, via: 10.0.1.2}, {to: 198.51.100.0/24, via: 10.0.2.2}]"
    port = "  e{0}: {{addresses: [10.0.{0}.{1}/30]}}\n"
    net = state(
        outside,
        device("r1", f"{wide}\ninterfaces:\n{port.format(1, 1)}{port.format(2, 1)}"),
        device("r2", "static: [{to: 198.51.100.0/24, via: 203.0.113.1}]\ninterfaces:\n"
               f"{port.format(1, 2)}  up: {{addresses: [203.0.113.2/30]}}\n"),
        device("r3", f"static: [{{to: 198.51.100.0/24, discard: true}}]\ninterfaces:\n{port.format(2, 2)}"),
        device("r4"),
    )  # fmt: skip
    held = holders_data(net, ipaddress.ip_address("198.51.100.7"))
    exits = {
        group["exit"]: [route["device"] for route in group["routes"]] for group in held["groups"]
    }
    assert exits == {
        "discarded at r3 or exits to isle at r2": ["r1"],
        "exits to isle at r2": ["r2"],
        "discarded at r3": ["r3"],
    }
    assert held["lacking"] == [{"device": "r4", "vrf": "default"}]
    assert held["sentence"].startswith("3 devices have a route to 198.51.100.7, with 3 different")


def test_tables_are_paged_filtered_and_compared():
    """Rows by prefix; filters look at prefix, protocol and next hops; two tables side by side."""
    net = wired("r1-r2 r2-r3", port="rip: {}", top="rip: {}")
    whole = table_data(net, TableQuestion(device="r1"))
    order = [ipaddress.ip_network(row["prefix"]) for row in whole["rows"]]
    assert order == sorted(order)
    assert whole["total"] == len(order) == 6  # both links, r1's own address, three loopbacks
    found = table_data(net, TableQuestion(device="r1", contains="RIP 10.255"))
    assert [row["prefix"] for row in found["rows"]] == ["10.255.0.2/32", "10.255.0.3/32"]
    second = table_data(net, TableQuestion(device="r1", contains="rip", offset=1, limit=1))
    assert (second["matching"], len(second["rows"])) == (3, 1)
    beside = table_data(net, TableQuestion(device="r1", other="r3", differing=True))
    sides = {row["prefix"]: (bool(row["left"]), bool(row["right"])) for row in beside["rows"]}
    assert sides["10.0.1.1/32"] == (True, False)
    assert "10.255.0.2/32" not in sides  # RIP with metric 2 in both
    with pytest.raises(UnknownName):
        table_data(net, TableQuestion(device="r1", vrf="none"))
