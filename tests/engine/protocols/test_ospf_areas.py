"""OSPF area types, ranges, virtual links and external routes; hand-worked, with the RFC's section.

Most nets are one line of routers: r1 -- r2 -- r3 -- r4 with link K between rK and r(K+1) called eK
at both ends, each interface of cost 10.
"""

from __future__ import annotations

from ipaddress import ip_network

import pytest

from routrel.forwarding.evidence import Verdict
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.routes import RouteQuestion
from routrel.rib.candidates import Protocol
from tests.nets import device, route, state, told, wired
from tests.told import explain_route, flow_data


def line(areas: str, tops: dict[str, str] | None = None, **more):
    """Routers in a line; `areas` gives each link's area, and a loopback is in its router's first."""
    numbers = areas.split()
    links = " ".join(f"r{n}-r{n + 1}" for n in range(1, len(numbers) + 1))
    ports = {}
    for number, area in enumerate(numbers, start=1):
        port = f"{more.get('key', 'ospf')}: {{area: {area}, cost: 10, network: point-to-point}}"
        ports[f"r{number}:e{number}"] = ports[f"r{number + 1}:e{number}"] = port
        ports.setdefault(f"r{number}:lo", f"{more.get('key', 'ospf')}: {{area: {area}}}")
        ports[f"r{number + 1}:lo"] = f"{more.get('key', 'ospf')}: {{area: {area}}}"
    ports.update(more.get("ports", {}))
    tops = tops or {}
    return wired(
        links,
        port="",
        top={"": f"{more.get('key', 'ospf')}: {{}}", **tops},
        ports=ports,
        interfaces=more.get("interfaces"),
        version=more.get("version", 4),
    )


STATIC = "static: [{to: 10.99.0.0/16, discard: true, tag: 7}]"


def inject(more: str = "", ospf: str = "") -> str:
    """A router that takes its static route into OSPF."""
    return f"ospf: {{redistribute: [{{from: static{more}}}]{ospf}}}\n{STATIC}"


def test_ospfv3_computes_as_ospfv2_does():
    """The same line in IPv6 (RFC 5340): metric 20 over two links, inter-area behind r2."""
    tops = {f"r{n}": f"ospfv3: {{router-id: 10.255.0.{n}}}" for n in (1, 2, 3)}
    net = line("0 1", tops, key="ospfv3", version=6)
    assert told(net, "r1", "2001:db8:255::3/128") == ("ospfv3", "inter_area", 20, "e1")


def test_a_prefix_that_only_a_lan_neighbour_has_is_on_link_for_the_others():
    """r2 and r3 are on 2001:db8:1::/64, r2 alone has 2001:db8:2::/64 there, too. The network's
    intra-area-prefix-LSA carries both (RFC 5340 4.4.3.9): r3 reaches the second on the link itself
    at the cost of its interface, r1 behind r3 through r3."""
    port = "ospfv3: {{area: 0, cost: {cost}}}"

    def lan(number, more="", rest=""):
        body = f"ospfv3: {{router-id: 10.255.0.{number}}}\ninterfaces:\n"
        body += f"  lan: {{addresses: ['2001:db8:1::{number}/64'{more}], {port.format(cost=7)}}}\n"
        return device(f"r{number}", body + rest)

    link = "  e: {{addresses: ['2001:db8:9::{0}/64'], {1}}}\n"
    wide = "network: point-to-point, "
    first = "ospfv3: {router-id: 10.255.0.1}\ninterfaces:\n"
    single = port.format(cost=3).replace("{area", "{" + wide + "area")
    net = state(
        device("r1", first + link.format(1, single)),
        lan(2, more=", '2001:db8:2::2/64'"),
        lan(3, rest=link.format(3, single)),
    )
    assert told(net, "r3", "2001:db8:2::/64") == ("ospfv3", "intra_area", 7, "lan")
    assert [hop.address for hop in route(net, "r3", "2001:db8:2::/64").next_hops] == [None]
    assert told(net, "r1", "2001:db8:2::/64") == ("ospfv3", "intra_area", 10, "e")
    assert route(net, "r2", "2001:db8:2::/64").protocol.id == "connected"
    answer = ask_flow(net, FlowQuestion(source="r1", destination="2001:db8:2::2"))
    assert answer.forward.verdict is Verdict.DELIVERED
    (why,) = explain_route(net, RouteQuestion(device="r3", prefix=ip_network("2001:db8:2::/64")))
    assert why["candidates"][0]["lost_on"] is None


def test_a_hidden_range_drops_what_its_parts_do_not_hold():
    """r2 hides 10.0.0.0/8 of area 4 from the backbone, and still may not send what it holds of it
    to a default (RFC 2328 11.1, 12.4.3)."""
    hide = "ospf: {areas: {4: {ranges: [{prefix: 10.255.0.0/28, advertise: false}]}}}"
    net = line("0 4", {"r2": hide})
    assert route(net, "r1", "10.255.0.3/32") is None
    found = route(net, "r2", "10.255.0.0/28")
    assert (found.discard, found.path_type.id) == (True, "summary")


@pytest.mark.parametrize(
    ("kind", "held", "default"),
    [
        ("stub", True, ("ospf", "inter_area", 15, "e2")),
        ("totally-stub", False, ("ospf", "inter_area", 15, "e2")),
        ("nssa", True, None),
        ("totally-nssa", False, ("ospf", "inter_area", 15, "e2")),
    ],
)
def test_what_a_closed_area_hears(kind, held, default):
    """r1 -0- r2 -4- r3; r1 takes in 10.99/16. r3 hears no external route; a total area no summary
    but the default, which costs 5 at r2 and 10 to get there (RFC 2328 12.4.3.1, RFC 3101 2.7)."""
    area = f"areas: {{4: {{type: {kind}, default-cost: 5}}}}"
    net = line(
        "0 4", {"r1": inject(), "r2": f"ospf: {{{area}}}", "r3": f"ospf: {{areas: {{4: {{type: {kind}}}}}}}"}
    )  # fmt: skip
    assert route(net, "r2", "10.99.0.0/16") is not None
    assert route(net, "r3", "10.99.0.0/16") is None
    assert (route(net, "r3", "10.255.0.1/32") is not None) == held
    assert told(net, "r3", "0.0.0.0/0") == default


def test_neighbours_must_agree_that_an_area_is_a_stub():
    """Hellos with different E-bits are ignored (RFC 2328 10.5)."""
    net = line("0 4", {"r2": "ospf: {areas: {4: {type: stub}}}"})
    assert route(net, "r3", "10.255.0.2/32") is None
    assert "ospf_area_type_mismatch" in {finding.code for finding in net.findings}


def test_external_metrics_of_both_types():
    """r3 takes in 10.99/16 with 30. As E1 it costs r1 30 + 20; as E2 30 wherever one stands."""
    first = line("0 0", {"r3": inject(", metric: 30, metric-type: 1")})
    assert told(first, "r1", "10.99.0.0/16") == ("ospf", "external_1", 50, "e1")
    second = line("0 0", {"r3": inject(", metric: 30")})
    assert told(second, "r1", "10.99.0.0/16") == ("ospf", "external_2", 30, "e1")
    assert route(second, "r1", "10.99.0.0/16").tag == 7


def test_type_1_before_type_2_then_the_nearer_exit():
    """r1 and r4 announce with equal type 2 metrics: r2 leaves by r1, r3 by r4 (RFC 2328 16.4).
    With type 1 at r4 alone everybody leaves there, whatever it costs."""
    net = line("0 0 0", {"r1": inject(), "r4": inject()})
    assert told(net, "r2", "10.99.0.0/16") == ("ospf", "external_2", 20, "e1")
    assert told(net, "r3", "10.99.0.0/16") == ("ospf", "external_2", 20, "e3")
    net = line("0 0 0", {"r1": inject(), "r4": inject(", metric: 5000, metric-type: 1")})
    assert told(net, "r2", "10.99.0.0/16") == ("ospf", "external_1", 5020, "e2")


def test_an_external_route_points_at_the_forwarding_address():
    """r1's static next hop .9 lies on the LAN that r1 and r2 share, so r2 sends there itself
    (RFC 2328 12.4.4.1), and r3 behind r2 does not care about r1: cost 5 + 10."""
    lan = "  lan: {{addresses: [192.0.2.{}/24], ospf: {{area: 0, cost: 10}}}}\n"
    net = state(
        "routrel: 1\ndevice: r1\nrole: router\nospf: {router-id: 1.1.1.1, "
        "redistribute: [{from: static, metric: 5, metric-type: 1}]}\n"
        "static: [{to: 10.99.0.0/16, via: 192.0.2.9}]\ninterfaces:\n" + lan.format(1),
        "routrel: 1\ndevice: r2\nrole: router\nospf: {router-id: 2.2.2.2}\ninterfaces:\n"
        + lan.format(2)
        + "  e2: {addresses: [10.0.2.1/30], ospf: {area: 0, cost: 1, network: point-to-point}}\n",
        "routrel: 1\ndevice: r3\nrole: router\nospf: {router-id: 3.3.3.3}\ninterfaces:\n"
        "  e2: {addresses: [10.0.2.2/30], ospf: {area: 0, cost: 7, network: point-to-point}}\n",
        device("x9", "interfaces: {lan: {addresses: [192.0.2.9/24]}}"),
    )
    found = route(net, "r2", "10.99.0.0/16")
    assert [str(hop.address) for hop in found.next_hops] == ["192.0.2.9"]
    assert route(net, "r3", "10.99.0.0/16").metric == 5 + 10 + 7


def test_an_nssa_announces_its_own_routes_and_one_border_translates():
    """r4 in NSSA 6 takes in 10.99/16. Inside it is N2 with the P-bit; r3, the only border router,
    translates it (RFC 3101 3.2), so r1 in the backbone holds it as E2 towards r4's loopback."""
    nssa = "areas: {6: {type: nssa}}"
    net = line("0 0 6", {"r3": f"ospf: {{{nssa}}}", "r4": inject(ospf=", " + nssa)})
    assert told(net, "r3", "10.99.0.0/16") == ("ospf", "nssa_2", 20, "e3")
    assert told(net, "r1", "10.99.0.0/16") == ("ospf", "external_2", 20, "e1")
    lsa = next(lsa for lsa in net.results[Protocol.OSPF].flooded.lsas if lsa.translated_from == 6)
    assert str(lsa.forward) == "10.255.0.4"


def test_the_highest_router_id_translates_unless_another_always_does():
    """r1 and r3 both join the backbone (r1-r2-r3) and NSSA 6 (r1-r4-r3)."""

    def build(r1_role):
        ospf = "ospf: {{router-id: {}, areas: {{6: {{type: nssa{}}}}}{}}}\n"
        ports = {}
        for number, area in ((1, 0), (2, 0), (3, 6), (4, 6)):
            for name in ("r1", "r2", "r3", "r4"):
                ports[f"{name}:e{number}"] = f"ospf: {{area: {area}, network: point-to-point}}"
        return wired(
            "r1-r2 r2-r3 r1-r4 r4-r3",
            port="ospf: {area: 0}",
            ports={**ports, "r4:lo": "ospf: {area: 6}"},
            top={
                "r1": ospf.format("1.1.1.1", r1_role, ""),
                "r2": "ospf: {router-id: 2.2.2.2}",
                "r3": ospf.format("3.3.3.3", "", ""),
                "r4": ospf.format("4.4.4.4", "", ", redistribute: [{from: static}]") + STATIC,
            },
        )

    def who(net):
        domain = net.results[Protocol.OSPF]
        return [domain.routers[x.router].table[0] for x in domain.flooded.lsas if x.translated_from]

    assert who(build("")) == ["r3"]
    assert who(build(", translate: always")) == ["r1"]


def star(*neighbours: str, priorities: str = "1 0 0"):
    """Three routers on one non-broadcast network 10.0.1/24; each names those after the colon."""
    named = dict(text.split(":") for text in neighbours)
    devices = []
    for number, priority in zip((1, 2, 3), priorities.split(), strict=True):
        others = ", ".join(f"10.0.1.{n}" for n in named.get(str(number), "").split())
        others = f", neighbours: [{others}]" if others else ""
        devices.append(
            device(
                f"r{number}",
                f"ospf: {{router-id: {number}.{number}.{number}.{number}}}\ninterfaces:\n"
                f"  e: {{addresses: [10.0.1.{number}/24], ospf: {{area: 0, cost: 10, network: non-broadcast, "
                f"priority: {priority}{others}}}}}\n"
                f"  lo: {{kind: loopback, addresses: [10.255.0.{number}/32], ospf: {{area: 0}}}}",
            )
        )  # fmt: skip
    return state(*devices)


#: RFC 2328 9.5.1: who greets whom; which of the three reach each other; what is found.
NON_BROADCAST = [
    (("1:2 3",), "1 0 0", "1-2 1-3 2-3", []),  # the one that may be elected names all
    (("1:2",), "1 0 0", "1-2", ["ospf_not_greeted"]),
    (("2:1", "3:1"), "1 0 0", "", ["ospf_not_greeted"] * 2),  # of priority 0 none is greeted first
    (("2:1", "3:1"), "1 1 1", "1-3", ["ospf_not_greeted"]),  # 3 is elected; 2 never hears of it
    (("1:2 3", "2:3"), "2 1 1", "1-2 1-3 2-3", []),
]


@pytest.mark.parametrize(("named", "priorities", "joined", "codes"), NON_BROADCAST)
def test_a_non_broadcast_network_joins_those_who_greet(named, priorities, joined, codes):
    net = star(*named, priorities=priorities)
    found = [
        f"{a}-{b}"
        for a, b in ((1, 2), (1, 3), (2, 3))
        if told(net, f"r{a}", f"10.255.0.{b}/32") is not None
    ]
    assert " ".join(found) == joined
    assert [f.code for f in net.findings if f.code.startswith("ospf")] == codes


#: Of what two parts of 10.70/16 an external range is made: its type and metric, and those of the whole.
CONDENSED = [
    ("metric: 30, metric-type: 1", "metric: 7, metric-type: 1", "external_1", 30 + 20),
    ("metric: 30", "metric: 7", "external_2", 31),
    ("metric: 30, metric-type: 1", "metric: 7", "external_2", 8),
]


@pytest.mark.parametrize(("first", "second", "kind", "metric"), CONDENSED)
def test_external_ranges_stand_for_the_routes_of_an_nssa(first, second, kind, metric):
    """r4 takes in two /24 of 10.70/16; r3 translates them as the range (RFC 3101 3.2): type 2 if
    one is, the highest metric of that type, and one more for type 2. r1 pays 20 to r3 for type 1.
    The range keeps 9 as its tag, r3 drops what nobody has (RFC 4632 5.1), and hidden nothing is
    told. A range of nothing but its own prefix leaves it its forwarding address."""
    policies = (
        "\nsets: {prefixes: {one: 10.70.1.0/24, two: 10.70.2.0/24}}\npolicies: {"
        + ", ".join(
            f"{n}: {{statements: [{{name: a, match: {{prefixes: {n}}}, then: accept}}], default: reject}}"
            for n in ("one", "two")
        )
        + "}\nstatic: [{to: 10.70.1.0/24, discard: true}, {to: 10.70.2.0/24, discard: true}]\n"
    )
    taken = f"redistribute: [{{from: static, policy: one, {first}}}, {{from: static, policy: two, {second}}}]"
    far = f"ospf: {{areas: {{6: {{type: nssa}}}}, {taken}}}{policies}"

    def net(prefix: str, more: str = ""):
        ranges = f"external-ranges: [{{prefix: {prefix}, tag: 9{more}}}]"
        return line("0 0 6", {"r3": f"ospf: {{areas: {{6: {{type: nssa, {ranges}}}}}}}", "r4": far})

    whole = net("10.70.0.0/16")
    assert told(whole, "r1", "10.70.0.0/16") == ("ospf", kind, metric, "e1")
    assert route(whole, "r1", "10.70.0.0/16").tag == 9
    assert route(whole, "r1", "10.70.1.0/24") is None
    assert route(whole, "r3", "10.70.0.0/16").discard
    assert told(whole, "r3", "10.70.1.0/24") is not None
    answer = explain_route(whole, RouteQuestion(device="r2", prefix=ip_network("10.70.1.0/24")))
    assert answer[0]["absent"]["reason"] == "hidden_by_summary"
    hidden = net("10.70.0.0/16", ", advertise: false")
    assert route(hidden, "r1", "10.70.0.0/16") is route(hidden, "r1", "10.70.1.0/24") is None
    assert route(hidden, "r3", "10.70.0.0/16") is None
    alone = net("10.70.1.0/24")
    own = next(x for x in alone.results[Protocol.OSPF].flooded.lsas if x.translated_from == 6)
    assert str(own.forward) == "10.255.0.4"
    assert route(alone, "r1", "10.70.2.0/24") is not None


@pytest.mark.parametrize(
    ("compatible", "border", "inside"),
    [("true", ("e1", 6), ("e4", 11)), ("false", ("e3", 100), ("e5", 50))],
)
def test_what_counts_on_the_way_to_an_exit(compatible, border, inside):
    """r1 and r2 border on area 1, 5 apart in the backbone; r3 inside takes in 10.99/16, 1 from r2 and
    100 from r1. By cost alone (RFC 2328 16.4 (3)) r1 leaves by the backbone at 5 + 1; by 16.4.1
    inside area 1 at 100. r4 in area 1 hears of 10.98/16 from r5 inside at 50 and, by r1 at 1, from
    r6 in the backbone at 10 more; metrics are equal, so the exits decide (16.4 (6) c, d)."""
    area = "ospf: {{area: {}, network: point-to-point, cost: {}}}"
    costs = {1: (0, 5), 2: (1, 1), 3: (1, 100), 4: (1, 1), 5: (1, 50), 6: (0, 10)}
    links = "r1-r2 r2-r3 r1-r3 r1-r4 r4-r5 r1-r6"
    ports = {
        f"{name}:e{number}": area.format(*costs[number])
        for number, link in enumerate(links.split(), start=1)
        for name in link.split("-")
    }
    takes = "redistribute: [{{from: static}}]}}\nstatic: [{{to: {}, discard: true}}]"
    option = f"ospf: {{rfc1583-compatibility: {compatible}, "
    tops = {"": option[:-2] + "}", "r3": option + takes.format("10.99.0.0/16")}
    tops |= {name: option + takes.format("10.98.0.0/16") for name in ("r5", "r6")}
    net = wired(links, port="", top=tops, ports=ports)

    def exit_of(name: str, prefix: str) -> tuple[str, int]:
        answer = explain_route(net, RouteQuestion(device=name, prefix=ip_network(prefix)))[0]
        used = next(c for c in answer["candidates"] if c["lost_on"] is None)
        return used["next_hops"][0]["interface"], used["values"]["forward_metric"]

    assert exit_of("r1", "10.99.0.0/16") == border
    assert exit_of("r4", "10.98.0.0/16") == inside


def test_a_range_is_announced_at_its_largest_cost_with_a_discard_route():
    """r3 (border, area 4) condenses 10.70/16: parts at 5 and at 10 + 5. r1 pays 20 + 15
    (RFC 2328 12.4.3); `advertise: false` hides the parts and announces nothing."""
    more = {
        "r3": "  l1: {kind: loopback, addresses: [10.70.1.1/24], ospf: {area: 4, cost: 5}}\n",
        "r4": "  l2: {kind: loopback, addresses: [10.70.2.1/24], ospf: {area: 4, cost: 5}}\n",
    }
    top = "ospf: {{areas: {{4: {{ranges: [{{prefix: 10.70.0.0/16{}}}]}}}}}}"
    net = line("0 0 4", {"r3": top.format("")}, interfaces=more)
    assert told(net, "r1", "10.70.0.0/16") == ("ospf", "inter_area", 35, "e1")
    assert route(net, "r1", "10.70.1.0/24") is None
    assert route(net, "r4", "10.70.1.0/24").metric == 15
    assert route(net, "r3", "10.70.0.0/16").discard
    hidden = line("0 0 4", {"r3": top.format(", advertise: false")}, interfaces=more)
    assert route(hidden, "r1", "10.70.0.0/16") is route(hidden, "r1", "10.70.1.0/24") is None
    stated = line("0 0 4", {"r3": top.format(", cost: 3")}, interfaces=more)
    assert route(stated, "r1", "10.70.0.0/16").metric == 23


def test_a_virtual_link_joins_a_distant_area_to_the_backbone():
    """r1 -0- r2 -1- r3 -2- r4: r3 has no backbone interface. Without the virtual link over area 1
    r4 hears of nothing beyond area 2 (RFC 2328 15, 16.2); with it of everything."""

    def build(both):
        link = "router-id: {}, areas: {{1: {{virtual-links: [{{to: {}}}]}}}}"
        tops = {"r3": f"ospf: {{{link.format('3.3.3.3', '2.2.2.2')}}}"}
        if both:
            tops["r2"] = f"ospf: {{{link.format('2.2.2.2', '3.3.3.3')}}}"
        return line("0 1 2", tops)

    assert route(build(False), "r4", "10.255.0.1/32") is None
    net = build(True)
    assert told(net, "r4", "10.255.0.1/32") == ("ospf", "inter_area", 30, "e3")
    assert told(net, "r3", "10.255.0.1/32") == ("ospf", "intra_area", 20, "e2")
    assert told(net, "r1", "10.255.0.4/32") == ("ospf", "inter_area", 30, "e1")


@pytest.mark.parametrize(("rule", "seen"), [("rfc2328", False), ("rfc3509", True)])
def test_what_makes_a_border_router(rule, seen):
    """r2 has areas 1 and 2, but no backbone. By RFC 2328 it is a border router and so ignores the
    summaries of r3 in area 2; by RFC 3509 it is none and uses them."""
    net = line("1 2 0", {"r2": f"ospf: {{border: {rule}}}"})
    assert (route(net, "r2", "10.255.0.4/32") is not None) == seen
    assert route(net, "r1", "10.255.0.4/32") is None


def test_a_router_of_maximum_metric_is_a_last_resort():
    """r2 asks for nothing to pass (RFC 6987 2): r1 goes the dear way round, but reaches r2 itself;
    without the way round it goes through r2 after all."""

    def build(links):
        return wired(
            links, port="ospf: {area: 0, cost: 10, network: point-to-point}",
            top={"r2": "ospf: {max-metric: true}", "": "ospf: {}"},
        )  # fmt: skip

    net = build("r1-r2 r2-r3 r1-r4 r4-r3")
    assert told(net, "r1", "10.255.0.3/32") == ("ospf", "intra_area", 30, "e3")
    assert route(net, "r1", "10.255.0.2/32").metric == 20
    assert told(build("r1-r2 r2-r3"), "r1", "10.255.0.3/32")[2] == 10 + 65535 + 10


@pytest.mark.parametrize(
    ("text", "static", "expected"),
    [
        ("{}", "", None),
        ("{}", "static: [{to: 0.0.0.0/0, discard: true}]", ("ospf", "external_2", 1, "e1")),
        ("{always: true, metric: 7, metric-type: 1}", "", ("ospf", "external_1", 17, "e1")),
    ],
)
def test_a_default_is_originated_while_there_is_one_or_always(text, static, expected):
    net = line("0", {"r2": f"ospf: {{default-route: {text}}}\n{static}"})
    assert told(net, "r1", "0.0.0.0/0") == expected


def test_an_nssa_default_of_type_7():
    """r2 gives its NSSA a default that r3 follows and r2 itself does not (RFC 3101 2.7)."""
    area = "areas: {6: {type: nssa, default-route: true, default-cost: 8}}"
    net = line("0 6", {"r2": f"ospf: {{{area}}}", "r3": "ospf: {areas: {6: {type: nssa}}}"})
    assert told(net, "r3", "0.0.0.0/0") == ("ospf", "nssa_2", 8, "e2")
    assert route(net, "r2", "0.0.0.0/0") is None


def test_an_inbound_policy_keeps_a_route_from_the_table_alone():
    """r2 refuses r3's loopback for itself; r1 behind it holds the route all the same."""
    policy = """
        ospf: {import: no-three}
        sets: {prefixes: {three: 10.255.0.3/32}}
        policies:
          no-three:
            statements: [{name: it, match: {prefixes: three}, then: reject}]
            default: accept
        """
    net = line("0 0", {"r2": policy})
    assert route(net, "r2", "10.255.0.3/32") is None
    assert route(net, "r1", "10.255.0.3/32") is not None


def test_multipoint_announces_host_routes():
    """Three routers on one multipoint segment: no subnet route, each address at the cost there
    (RFC 2328 12.4.1.4)."""
    lan = "interfaces: {{lan: {{addresses: [10.0.0.{}/24], ospf: {{area: 0, cost: 7, network: multipoint}}}}}}"
    net = state(*(device(f"r{n}", f"ospf: {{}}\n{lan.format(n)}") for n in (1, 2, 3)))
    assert told(net, "r1", "10.0.0.3/32") == ("ospf", "intra_area", 7, "lan")
    assert route(net, "r1", "10.0.0.0/24").protocol.id == "connected"


def test_an_unnumbered_link_borrows_an_address():
    """r1 and r2 know each other by their loopbacks; nothing is announced for the link itself."""
    text = """
        ospf: {{}}
        interfaces:
          lo: {{kind: loopback, addresses: [10.255.0.{0}/32], ospf: {{area: 0}}}}
          e1: {{unnumbered: lo, ospf: {{area: 0, cost: 10}}}}
        """
    wire = "routrel: 1\nnetwork: n\nlinks: {w: {between: ['r1:e1', 'r2:e1']}}\n"
    net = state(wire, device("r1", text.format(1)), device("r2", text.format(2)))
    found = route(net, "r1", "10.255.0.2/32")
    assert (found.metric, str(found.next_hops[0].address)) == (10, "10.255.0.2")
    answer = flow_data(net, ask_flow(net, FlowQuestion(source="r1", destination="r2", both=True)))
    assert answer["forward"]["verdict"] == answer["return"]["verdict"] == "delivered"


def test_a_border_router_takes_the_shorter_way_through_a_transit_area():
    """r1 -0- r2, and area 1 joins r2, r3 and r4; r2 and r3 hold a virtual link, r4 joins area 2.

    r3's backbone way to r1's loopback follows the virtual link: 100 (r3-r2) + 10. But r5, also a
    border router of area 1, tells area 1 of it at 10, and is only 20 away: 16.3 takes that.
    """
    ports = {
        "r1:e1": 0, "r2:e1": 0, "r2:e2": 1, "r3:e2": 1, "r3:e3": 2, "r4:e3": 2,
        "r1:e4": 0, "r5:e4": 0, "r5:e5": 1, "r3:e5": 1,
    }  # fmt: skip
    costs = {"r3:e2": 100, "r2:e2": 100, "r3:e5": 20, "r5:e5": 20}
    said = {
        name: f"ospf: {{area: {area}, cost: {costs.get(name, 10)}, network: point-to-point}}"
        for name, area in ports.items()
    }
    said |= {f"r{n}:lo": f"ospf: {{area: {area}}}" for n, area in enumerate((0, 0, 1, 2, 0), 1)}
    link = (
        "ospf: {{router-id: 10.255.0.{}, areas: {{1: {{virtual-links: [{{to: 10.255.0.{}}}]}}}}}}"
    )
    net = wired(
        "r1-r2 r2-r3 r3-r4 r1-r5 r5-r3", port="", ports=said,
        top={"r2": link.format(2, 3), "r3": link.format(3, 2), "": "ospf: {}"},
    )  # fmt: skip
    assert told(net, "r3", "10.255.0.1/32") == ("ospf", "intra_area", 30, "e5")
    assert told(net, "r4", "10.255.0.1/32") == ("ospf", "inter_area", 40, "e3")


def test_a_forwarding_address_that_nobody_knows_inside_makes_a_route_useless():
    """The NSSA router's own address is hidden by a range, so the translated route leads nowhere
    (RFC 2328 16.4 (3)); inside the NSSA it works."""
    nssa = "areas: {6: {type: nssa, ranges: [{prefix: 10.255.0.4/32, advertise: false}]}}"
    net = line(
        "0 0 6",
        {"r3": f"ospf: {{{nssa}}}", "r4": inject(ospf=", areas: {6: {type: nssa}}")},
    )
    assert told(net, "r3", "10.99.0.0/16")[1] == "nssa_2"
    assert route(net, "r1", "10.99.0.0/16") is None


def test_a_router_of_stub_areas_alone_cannot_announce():
    """What it takes in goes nowhere, and check says so."""
    net = line("4", {"r1": inject(ospf=", areas: {4: {type: stub}}"),
                     "r2": "ospf: {areas: {4: {type: stub}}}"})  # fmt: skip
    assert route(net, "r2", "10.99.0.0/16") is None
    assert "redistribution_in_stub" in {finding.code for finding in net.findings}


def test_one_router_id_at_both_ends_forms_no_adjacency():
    net = line("0", {"": "ospf: {router-id: 9.9.9.9}"})
    assert route(net, "r1", "10.255.0.2/32") is None
    assert "ospf_duplicate_router_id" in {finding.code for finding in net.findings}


def test_intra_area_before_inter_area_before_external_whatever_they_cost():
    """r2 has 10.99/16 as its own static (E2 at 1), r4 has it in area 0 at cost 60000."""
    far = "  far: {kind: loopback, addresses: [10.99.0.1/16], ospf: {area: 0, cost: 60000}}\n"
    net = line("0 0 0", {"r2": inject(", metric: 1")}, interfaces={"r4": far})
    assert told(net, "r1", "10.99.0.0/16") == ("ospf", "intra_area", 60030, "e1")


def test_an_interface_without_an_address_of_the_family_is_told():
    """OSPFv3 needs an IPv6 address to speak from, if only a link-local one."""
    body = "ospfv3: {{router-id: 1.1.1.{0}}}\ninterfaces: {{e: {{addresses: [10.0.0.{0}/30{1}], ospfv3: {{area: 0}}}}}}"
    net = state(*(device(f"r{n}", body.format(n, "")) for n in (1, 2)))
    assert "ospfv3_no_address" in {finding.code for finding in net.findings}
    local = [device(f"r{n}", body.format(n, f", fe80::{n}/64")) for n in (1, 2)]
    assert state(*local).findings == ()
