"""Connected, static and OSPF routes against hand-worked nets and a slow plain reference."""

from __future__ import annotations

import heapq
import ipaddress
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import State
from routrel.questions.routes import RouteQuestion, ask_routes
from tests.nets import device, ring, route, state, ways
from tests.told import explain_route

# --- OSPF ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["point-to-point", "broadcast"])
def test_equal_cost_paths_are_all_kept(kind):
    """Two paths of cost 20 give two next hops, however the network type models the link."""
    #  r1 -e1:10- r2 -e2:10- r4
    #  r1 -e3:10- r3 -e4:10- r4
    net = ring("r1-r2:10 r2-r4:10 r1-r3:10 r3-r4:10", kind=kind)
    found = route(net, "r1", "10.255.0.4/32")
    assert (found.metric, ways(found)) == (20, {"e1", "e3"})
    # A remote link's subnet costs the way there plus that link's own cost.
    assert route(net, "r1", "10.0.2.0/30").metric == 20


def test_the_cost_of_the_sending_side_counts():
    """Costs differ by direction: r1 pays 5 towards r2, r2 pays 50 back and so goes round."""
    net = ring("r1-r2:5/50 r2-r3:10 r3-r1:10")
    assert ways(route(net, "r1", "10.255.0.2/32")) == {"e1"}
    back = route(net, "r2", "10.255.0.1/32")
    assert (back.metric, ways(back)) == (20, {"e2"})


def test_parallel_links_of_equal_cost_share():
    """Two links between the same routers are two ways; a dearer third is none."""
    net = ring("r1-r2:10 r1-r2:10 r1-r2:11")
    assert ways(route(net, "r1", "10.255.0.2/32")) == {"e1", "e2"}


def test_maximum_paths_limits_the_set():
    """The limit is the receiving router's own."""
    base = (
        "routrel: 1\ndevice: {0}\nrole: router\nospf: {{router-id: 10.255.0.{1}{2}}}\ninterfaces:\n"
    )
    port = "  e{0}: {{addresses: [10.0.{0}.{1}/30], ospf: {{area: 0, cost: 1}}}}\n"
    lo = "  lo: {{kind: loopback, addresses: [10.255.0.{0}/32], ospf: {{area: 0}}}}\n"
    net = state(
        base.format("r1", 1, ", maximum-paths: 2") + lo.format(1) + "".join(port.format(n, 1) for n in (1, 2, 3)),
        base.format("r2", 2, "") + lo.format(2) + "".join(port.format(n, 2) for n in (1, 2, 3)),
    )  # fmt: skip
    assert len(route(net, "r1", "10.255.0.2/32").next_hops) == 2
    assert len(route(net, "r2", "10.255.0.1/32").next_hops) == 3


def shared(*settings: str) -> State:
    """Routers r1, r2, ... on one LAN 10.0.0.0/24 with the given interface settings and OSPF."""
    return state(
        *(
            device(
                f"r{number}",
                f"""
                ospf: {{router-id: 10.255.0.{number}}}
                interfaces:
                  lo: {{kind: loopback, addresses: [10.255.0.{number}/32], ospf: {{area: 0}}}}
                  lan: {{{text}}}
                """,
            )
            for number, text in enumerate(settings, start=1)
        )
    )


OK = "addresses: [10.0.0.{0}/24], ospf: {{area: 0, cost: 7}}"


def test_a_broadcast_network_costs_once():
    """Three routers on a LAN: each reaches the others for its own cost alone (RFC 2328 12.4.2)."""
    net = shared(*(OK.format(n) for n in (1, 2, 3)))
    assert route(net, "r1", "10.255.0.3/32").metric == 7
    assert net.findings == ()


@pytest.mark.parametrize(
    ("second", "code"),
    [
        ("addresses: [10.0.0.2/24], ospf: {area: 1, cost: 7}", "ospf_area_mismatch"),
        ("addresses: [10.0.0.2/24], ospf: {area: 0, hello-interval: 5 s}", "ospf_timer_mismatch"),
        ("addresses: [10.0.0.2/24], ospf: {area: 0, dead-interval: 15 s}", "ospf_timer_mismatch"),
        ("addresses: [10.0.0.2/24], mtu: 1400, ospf: {area: 0}", "ospf_mtu_mismatch"),
        ("addresses: [10.0.0.2/24], ospf: {area: 0, network: point-to-point}", "ospf_network_mismatch"),
        ("addresses: [10.0.0.2/25], ospf: {area: 0}", "ospf_subnet_mismatch"),
        ("addresses: [10.0.0.2/24], ospf: {area: 0, passive: true}", "ospf_one_sided"),
        ("addresses: [10.0.0.2/24]", "ospf_one_sided"),
        ("enabled: false, addresses: [10.0.0.2/24], ospf: {area: 0}", "one_side_down"),
    ],
)  # fmt: skip
def test_what_keeps_neighbours_apart(second, code):
    """One differing setting: no adjacency, so no route, and a finding that says which."""
    net = shared(OK.format(1), second)
    assert route(net, "r1", "10.255.0.2/32") is None
    assert code in {finding.code for finding in net.findings}


def test_the_mtu_check_can_be_switched_off_on_the_smaller_side():
    """Only the side with the smaller MTU refuses (RFC 2328 10.6)."""
    small = "addresses: [10.0.0.2/24], mtu: 1400, ospf: {area: 0, mtu-check: false}"
    assert route(shared(OK.format(1), small), "r1", "10.255.0.2/32") is not None


def test_an_odd_router_stays_off_a_shared_network_alone():
    """r3's MTU differs: r1 and r2 are adjacent all the same."""
    odd = "addresses: [10.0.0.3/24], mtu: 1400, ospf: {area: 0, priority: 0}"
    net = shared(OK.format(1), OK.format(2), odd)
    assert route(net, "r1", "10.255.0.2/32") is not None
    assert route(net, "r1", "10.255.0.3/32") is None


# --- OSPF between areas --------------------------------------------------------------------------


def kind_and_cost(net: State, name: str, target: int) -> tuple[str | None, int] | None:
    """Path type and metric of a router's route to rN's loopback."""
    found = route(net, name, f"10.255.0.{target}/32")
    return (found.path_type.id, found.metric) if found else None


def test_border_routers_pass_prefixes_through_the_backbone():
    """Area 1, backbone, area 2 in a row: costs add up, and the path type says inter-area."""
    #  r1 -10- r2 -20- r3 -30- r4      areas 1, 0, 2
    net = ring("r1-r2:10@1 r2-r3:20@0 r3-r4:30@2")
    assert kind_and_cost(net, "r1", 4) == ("inter_area", 60)
    assert kind_and_cost(net, "r4", 1) == ("inter_area", 60)
    assert kind_and_cost(net, "r2", 4) == ("inter_area", 50)
    assert kind_and_cost(net, "r2", 1) == ("intra_area", 10)
    # r1's own link is told to area 2 with its cost, 10, behind 30 and 20.
    assert route(net, "r4", "10.0.1.0/30").metric == 60
    assert net.findings == ()


def test_a_route_inside_the_area_is_preferred_whatever_it_costs():
    """r1 reaches r3 for 2 through the backbone, but takes 101 inside area 1 (RFC 2328 11)."""
    #  r1 ==100 (area 1)== r2 -1 (area 1)- r3;  r1 -1 (area 0)- r2
    net = ring("r2-r3:1@1 r1-r2:100@1 r1-r2:1@0")
    found = route(net, "r1", "10.255.0.3/32")
    assert (found.path_type.id, found.metric, ways(found)) == ("intra_area", 101, {"e2"})


def test_a_border_router_looks_at_backbone_summaries_alone():
    """r1, cut off from the backbone, must not leave it through area 1; r4, inside, may."""
    #  r5 -1@0- r1 -1@1- r2 -1@0- r3;  r1 -1@1- r4
    net = ring("r5-r1:1@0 r1-r2:1@1 r2-r3:1@0 r4-r1:1@1")
    assert kind_and_cost(net, "r1", 3) is None
    assert kind_and_cost(net, "r4", 3) == ("inter_area", 3)
    assert kind_and_cost(net, "r5", 3) is None  # and so r1 has nothing to tell r5


def test_equal_border_routers_share():
    """Two ways over two border routers of equal cost are two next hops."""
    net = ring("r1-r2:10@1 r1-r3:10@1 r2-r4:10@0 r3-r4:10@0")
    found = route(net, "r1", "10.255.0.4/32")
    assert (found.path_type.id, found.metric, ways(found)) == ("inter_area", 20, {"e1", "e2"})


def plain_areas(
    links: list[tuple[int, int, int, int, int]],
) -> dict[tuple[int, int], tuple[str, int]]:
    """Path type and metric from every router to every loopback, by the RFC's sentences."""
    areas = sorted({link[4] for link in links})
    members = {a: {end for link in links if link[4] == a for end in link[:2]} for a in areas}
    home: dict[int, int] = {}
    for link in links:
        for end in link[:2]:
            home.setdefault(end, link[4])
    inside = {
        (a, root): plain_routes(
            [link[:4] if link[4] == a else (0, 0, 0, 0) for link in links], root
        )[0]
        for a in areas
        for root in members[a]
    }
    borders = {r for r in home if sum(r in members[a] for a in areas) > 1}
    known: dict[tuple[int, int], tuple[str, int]] = {}
    for target, area in home.items():
        for root in members[area]:
            if target in inside[area, root]:
                known[root, target] = ("intra_area", inside[area, root][target])

    def hear(area: int, may_tell: dict[tuple[int, int], int], listeners: set[int]) -> None:
        for (border, target), cost in may_tell.items():
            for root in listeners - {border}:
                there = inside[area, root].get(border)
                old = known.get((root, target))
                if there is not None and (
                    old is None or (old[0] == "inter_area" and there + cost < old[1])
                ):
                    known[root, target] = ("inter_area", there + cost)

    if 0 in areas:
        told = {
            (b, t): cost
            for (b, t), (kind, cost) in known.items()
            if b in borders and b in members[0] and home[t] != 0
        }
        hear(0, told, members[0])
    for area in areas:
        if area != 0:
            told = {
                (b, t): cost
                for (b, t), (kind, cost) in known.items()
                if b in borders and b in members[area] and (kind == "inter_area" or home[t] != area)
            }
            hear(area, told, members[area] - borders)
    return {pair: value for pair, value in known.items() if pair[0] != pair[1]}


AREA_LINKS = st.lists(
    st.tuples(
        st.integers(1, 7), st.integers(1, 7), st.integers(1, 4), st.integers(1, 4), st.sampled_from([0, 0, 1, 2])
    ).filter(lambda link: link[0] != link[1]),
    min_size=3,
    max_size=12,
)  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(links=AREA_LINKS)
def test_routes_between_areas_agree_with_a_plain_reference(links):
    """Random nets of three areas: path type and metric of every router to every loopback."""
    net = ring(" ".join(f"r{a}-r{b}:{out}/{back}@{area}" for a, b, out, back, area in links))
    routers = {end for link in links for end in link[:2]}
    expected = plain_areas(links)
    for root in routers:
        for target in routers - {root}:
            assert kind_and_cost(net, f"r{root}", target) == expected.get((root, target)), (
                root,
                target,
            )


def plain_routes(links, root):
    """Metric and first links from a root to every router, by textbook Dijkstra over paths."""
    best = {root: 0}
    first = {root: set()}
    queue = [(0, root)]
    edges = {}
    for number, (left, right, out, back) in enumerate(links, start=1):
        if left == right:
            continue  # stands for a link of another area
        edges.setdefault(left, []).append((right, out, f"e{number}"))
        edges.setdefault(right, []).append((left, back, f"e{number}"))
    done = []
    while queue:
        cost, here = heapq.heappop(queue)
        if here in done:
            continue
        done.append(here)
        for there, step, port in edges.get(here, []):
            total = cost + step
            through = {port} if here == root else first[here]
            if total < best.get(there, math.inf):
                best[there], first[there] = total, set(through)
                heapq.heappush(queue, (total, there))
            elif total == best[there] and there not in done:
                first[there] |= through
    return best, first


LINKS = st.lists(
    st.tuples(st.integers(1, 7), st.integers(1, 7), st.integers(1, 4), st.integers(1, 4)).filter(
        lambda link: link[0] != link[1]
    ),
    min_size=1,
    max_size=14,
)


@settings(max_examples=120, deadline=None)
@given(links=LINKS, kind=st.sampled_from(["point-to-point", "broadcast"]))
def test_ospf_agrees_with_a_plain_reference(links, kind):
    """Random nets with cheap, unequal, parallel links: same metrics, same sets of first links."""
    net = ring(" ".join(f"r{a}-r{b}:{out}/{back}" for a, b, out, back in links), kind=kind)
    routers = {end for link in links for end in link[:2]}
    for root in routers:
        best, first = plain_routes(links, root)
        for target in routers - {root}:
            found = route(net, f"r{root}", f"10.255.0.{target}/32")
            if target not in best:
                assert found is None
            else:
                assert (found.metric, ways(found)) == (best[target], first[target])


# --- static routes and selection -----------------------------------------------------------------

BASE = """
interfaces:
  e1: {addresses: [10.0.1.1/24]}
  e2: {addresses: [10.0.2.1/24, 2001:db8:2::1/64]}
static:
"""


def static(*lines: str) -> State:
    return state(device("r1", BASE + "".join(f"  - {{{line}}}\n" for line in lines)))


def test_static_routes_resolve_recursively():
    """A next hop reached through another static route takes that one's interface and neighbour."""
    net = static("to: 172.16.0.0/16, via: 192.0.2.9", "to: 192.0.2.0/24, via: 10.0.2.5")
    hop = route(net, "r1", "172.16.0.0/16").next_hops[0]
    assert (hop.interface, str(hop.address), str(hop.via)) == ("e2", "10.0.2.5", "192.0.2.9")


def test_a_floating_route_waits_behind_a_better_one():
    """Distance decides; the loser stands among the candidates with the rung it lost on."""
    net = static("to: 10.9.0.0/16, via: 10.0.1.9, distance: 200", "to: 10.9.0.0/16, via: 10.0.2.9")
    assert ways(route(net, "r1", "10.9.0.0/16")) == {"e2"}
    question = RouteQuestion(device="r1", prefix=ipaddress.ip_network("10.9.0.0/16"))
    candidates = explain_route(net, question)[0]["candidates"]
    assert [(c["values"]["distance"], c["lost_on"]) for c in candidates] == [
        (1, None),
        (200, "distance"),
    ]


def test_next_hops_that_resolve_to_one_neighbour_are_one_way():
    """Written directly and through another route: the neighbour gets one share, not two."""
    net = static(
        "to: 10.9.0.0/16, via: 10.0.1.9",
        "to: 10.9.0.0/16, via: 10.0.2.9",
        "to: 10.9.0.0/16, via: 192.0.2.1",
        "to: 192.0.2.0/24, via: 10.0.2.9",
    )
    hops = route(net, "r1", "10.9.0.0/16").next_hops
    assert [(h.interface, str(h.address)) for h in hops] == [("e1", "10.0.1.9"), ("e2", "10.0.2.9")]


def test_several_next_hops_of_one_distance_share():
    """Two routes to one prefix at one distance are one route with two next hops."""
    net = static("to: 10.9.0.0/16, via: 10.0.1.9", "to: 10.9.0.0/16, via: 10.0.2.9")
    assert ways(route(net, "r1", "10.9.0.0/16")) == {"e1", "e2"}


@pytest.mark.parametrize(
    ("lines", "prefix", "problem"),
    [
        (["to: 10.9.0.0/16, via: 192.0.2.1"], "10.9.0.0/16", "no route to its next hop"),
        (["to: 10.9.0.0/16, via: 10.9.1.1"], "10.9.0.0/16", "no route to its next hop"),
        (
            ["to: 0.0.0.0/0, via: 10.0.1.9", "to: 10.9.0.0/16, via: 192.0.2.1"],
            "10.9.0.0/16",
            "only the default route",
        ),
        (
            ["to: 10.0.0.0/8, via: 10.0.1.9", "to: 10.9.0.0/16, via: 10.9.1.1"],
            "10.9.0.0/16",
            "resolves through the route itself",
        ),
        (
            [
                "to: 10.0.0.0/8, via: 10.0.1.9",
                "to: 10.8.0.0/16, via: 10.9.1.1",
                "to: 10.9.0.0/16, via: 10.8.1.1",
            ],
            "10.8.0.0/16",
            "resolves through the route itself",
        ),
        (
            ["to: 192.0.2.0/24, discard: true", "to: 10.9.0.0/16, via: 192.0.2.1"],
            "10.9.0.0/16",
            "discard route",
        ),
        (["to: 10.9.0.0/16, via: 10.0.1.1"], "10.9.0.0/16", "own address"),
    ],
    ids=[
        "nowhere",
        "itself alone",
        "default only",
        "itself",
        "each other",
        "into a discard",
        "own address",
    ],
)
def test_unusable_static_routes_say_why(lines, prefix, problem):
    """Not in the table; among the candidates as unusable, with the reason; resolution settles."""
    net = static(*lines)
    assert net.converged
    assert route(net, "r1", prefix) is None
    question = RouteQuestion(device="r1", prefix=ipaddress.ip_network(prefix))
    (candidate,) = explain_route(net, question)[0]["candidates"]
    assert candidate["lost_on"] == "usable"
    assert problem in candidate["values"]["problem"]


def test_routes_of_a_down_link_leave_the_table():
    """The far end shut: connected and interface static go; the floating one takes over."""
    net = state(
        device("r1", BASE + "  - {to: 10.9.0.0/16, interface: e1}\n"
               "  - {to: 10.9.0.0/16, via: 10.0.2.9, distance: 5}\n"),
        device("r2", "interfaces:\n  e1: {enabled: false, addresses: [10.0.1.2/24]}"),
    )  # fmt: skip
    assert route(net, "r1", "10.0.1.0/24") is None
    assert ways(route(net, "r1", "10.9.0.0/16")) == {"e2"}


def test_ospf_beats_a_worse_static_and_loses_to_a_better_one():
    """110 against 1 and 250 (distances between protocols)."""
    for distance, winner in ((1, "static"), (250, "ospf")):
        more = f"static:\n  - {{to: 10.255.0.2/32, via: 10.0.1.2, distance: {distance}}}\n"
        net = ring("r1-r2:10", extra={"r1": more})
        assert route(net, "r1", "10.255.0.2/32").protocol.id == winner


def test_vrfs_are_tables_of_their_own():
    """The same prefix in two VRFs leads two ways, and neither sees the other's routes."""
    net = state(
        device(
            "r1",
            """
            interfaces:
              e1: {addresses: [10.0.1.1/24]}
              e2: {vrf: blue, addresses: [10.0.2.1/24]}
            static:
              - {to: 10.9.0.0/16, via: 10.0.1.9}
            vrfs:
              blue:
                static:
                  - {to: 10.9.0.0/16, via: 10.0.2.9}
                  - {to: 10.8.0.0/16, via: 10.0.1.9}
            """,
        )
    )
    assert ways(route(net, "r1", "10.9.0.0/16")) == {"e1"}
    assert ways(route(net, "r1", "10.9.0.0/16", "blue")) == {"e2"}
    assert route(net, "r1", "10.8.0.0/16", "blue") is None


def test_the_longest_match_wins_and_the_shorter_ones_stand_behind_it():
    """For an address: what matched, and what would be followed without it."""
    net = static(
        "to: 0.0.0.0/0, via: 10.0.1.9",
        "to: 10.9.0.0/16, via: 10.0.1.9",
        "to: 10.9.8.0/24, discard: true",
    )
    question = RouteQuestion(device="r1", address=ipaddress.ip_address("10.9.8.7"))
    assert [str(r.prefix) for r in ask_routes(net, question)] == ["10.9.8.0/24"]
    (why,) = explain_route(net, question)
    assert why["matched"] == "10.9.8.0/24"
    assert [r["prefix"] for r in why["behind"]] == ["10.9.0.0/16", "0.0.0.0/0"]


@settings(max_examples=60, deadline=None)
@given(
    numbers=st.lists(
        st.tuples(st.integers(0, 2**32 - 1), st.integers(0, 32)), min_size=1, max_size=30
    ),
    address=st.integers(0, 2**32 - 1),
)
def test_look_up_agrees_with_trying_every_prefix(numbers, address):
    """The longest prefix that holds an address, found by looking at each in turn."""
    prefixes = {ipaddress.ip_network((n >> (32 - l) << (32 - l), l)) for n, l in numbers}  # noqa: E741
    net = static(*(f"to: {prefix}, discard: true" for prefix in sorted(prefixes)))
    target = ipaddress.ip_address(address)
    connected = [ipaddress.ip_network(p) for p in ("10.0.1.0/24", "10.0.2.0/24")]
    local = [ipaddress.ip_network(p) for p in ("10.0.1.1/32", "10.0.2.1/32")]
    holding = [p for p in [*prefixes, *connected, *local] if target in p]
    found = net.rib.lookup(0, target)
    assert (found.prefix if found else None) == max(
        holding, key=lambda p: p.prefixlen, default=None
    )
