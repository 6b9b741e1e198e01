"""Random nets: the engine's tables against slow plain protocols, and properties of both."""

from __future__ import annotations

from dataclasses import replace
from ipaddress import ip_network
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.protocols.shared.shortest_paths import EdgeChange, ShortestPaths, build_graph
from routrel.rib.candidates import Protocol
from tests.nets import device, route, state, wired
from tests.references.plain_isis import PlainIsis
from tests.references.plain_ospf import Answer, PlainOspf
from tests.references.plain_protocols import (
    PlainRip,
    plain_eigrp,
    plain_externals,
    plain_rip,
)

SIZES = st.integers(3, 7)
SMALL = st.integers(1, 4)


@st.composite
def nets(draw, costs=SMALL):
    """Links of a connected net of 3 to 7 routers, at most one between two of them."""
    size = draw(SIZES)
    pairs = [(draw(st.integers(1, n - 1)), n) for n in range(2, size + 1)]
    more = st.tuples(st.integers(1, size), st.integers(1, size))
    pairs += [tuple(sorted(p)) for p in draw(st.lists(more, max_size=5)) if p[0] != p[1]]
    return [(f"r{a}", f"r{b}", draw(costs), draw(costs)) for a, b in dict.fromkeys(pairs)]


def text(links):
    return " ".join(f"{left}-{right}" for left, right, *_ in links)


def names(links):
    return sorted({name for link in links for name in link[:2]})


def lo(name):
    return f"10.255.0.{name[1:]}/32"


def held(net, name, protocol):
    """A router's routes of a protocol to the others' loopbacks: {router: metric}."""
    table = net.rib.interning.table_numbers[name, "default"]
    found = {}
    for entry in net.rib.table_routes(table):
        if entry.protocol.id == protocol and str(entry.prefix).startswith("10.255.0."):
            found[f"r{int(entry.prefix.network_address) & 255}"] = entry.metric
    return found


@st.composite
def area_nets(draw):
    """A random net with up to three areas, some routers of which announce two external prefixes."""
    links = [(*link, draw(st.integers(0, 2))) for link in draw(nets(st.integers(1, 6)))]
    homes = {
        name: draw(st.sampled_from([link[4] for link in links if name in link[:2]]))
        for name in names(links)
    }
    announced = [
        (name, prefix, draw(st.sampled_from([5, 20])), draw(st.integers(1, 2)))
        for prefix in ("10.98.0.0/16", "10.99.0.0/16")
        for name in names(links)
        if draw(st.integers(0, 2)) == 0
    ]
    return PlainOspf(links, homes, announced, draw(st.booleans()))


@settings(max_examples=120, deadline=None)
@given(area_nets())
def test_ospf_agrees_with_every_router_working_alone(plain):
    """Kinds and costs inside the domain; of external routes also the exits that are used."""
    ports = {}
    for number, (left, right, there, back, area) in enumerate(plain.links, start=1):
        for name, cost in ((left, there), (right, back)):
            ports[f"{name}:e{number}"] = (
                f"ospf: {{area: {area}, network: point-to-point, cost: {cost}}}"
            )
    tops = {}
    for name, area in plain.homes.items():
        ports[f"{name}:lo"] = f"ospf: {{area: {area}}}"
        taken = "".join(
            f"{{from: static, metric: {metric}, metric-type: {kind}, policy: p{prefix[3:5]}}}, "
            for router, prefix, metric, kind in plain.announced
            if router == name
        )
        statics = "".join(
            f"{{to: {p}, discard: true}}, " for r, p, *_ in plain.announced if r == name
        )
        policies = "".join(
            f"p{n}: {{statements: [{{name: a, match: {{prefixes: s{n}}}, then: accept}}], default: reject}}, "
            for n in (98, 99)
        )
        tops[name] = (
            f"ospf: {{rfc1583-compatibility: {str(plain.by_cost_alone).lower()}, redistribute: [{taken}]}}\n"
            f"static: [{statics}]\nsets: {{prefixes: {{s98: 10.98.0.0/16, s99: 10.99.0.0/16}}}}\npolicies: {{{policies}}}"
        )
    net = wired(text(plain.links), port="", top=tops, ports=ports)
    kinds = {"intra_area": 0, "inter_area": 1}
    for name, expected in plain.internal().items():
        found = {
            other: (kinds[entry.path_type.id], entry.metric)
            for other in plain.homes
            if (entry := route(net, name, lo(other))) and entry.protocol.id == "ospf"
        }
        assert found == expected, name
    domain: Any = net.results[Protocol.OSPF]
    for prefix in ("10.98.0.0/16", "10.99.0.0/16"):
        number = net.rib.interning.prefixes.number(ip_network(prefix))
        expected = plain.external(prefix)
        for index, router in enumerate(domain.routers):
            name = router.table[0]
            paths = domain.paths(index, number) if number is not None else []
            used = [path for path in paths if path.lost_on is None]
            wanted = expected.get(name)
            assert bool(used) == (wanted is not None), (name, prefix)
            if wanted is not None:
                kind = 1 if used[0].path_type.id.endswith("1") else 2
                exits = frozenset(path.advertiser_name for path in used)
                assert Answer(kind, used[0].metric, used[0].forward_metric, exits) == wanted, name
                entry = route(net, name, prefix)
                is_own = any(r == name and p == prefix for r, p, *_ in plain.announced)
                assert is_own or entry.metric == wanted.metric


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.tuples(st.sets(st.integers(1, 4)), st.integers(1, 9)), min_size=2, max_size=4
    ).filter(lambda ends: len({n for held, _ in ends for n in held}) > 0)
)
def test_prefixes_of_a_lan_are_on_link_for_all_who_are_on_it(ends):
    """RFC 5340 4.4.3.9: whatever prefixes its routers have on a LAN, each of them reaches all on the
    LAN itself at its interface's cost, and a router behind the first reaches them through it.

    Each end: the prefixes 2001:db8:N::/64 it has there, beside 2001:db8::/64, and its cost.
    """
    devices = []
    for number, (held, cost) in enumerate(ends, start=1):
        own = ", ".join(f"'2001:db8:{n:x}::{number}/64'" for n in (0, *sorted(held)))
        more = "  e: {addresses: ['2001:db8:99::1/64'], ospfv3: {area: 0, cost: 3, network: point-to-point}}\n"
        devices.append(
            device(
                f"r{number}",
                f"ospfv3: {{router-id: 10.255.0.{number}}}\ninterfaces:\n"
                f"  lan: {{addresses: [{own}], ospfv3: {{area: 0, cost: {cost}}}}}\n"
                + (more if number == 1 else ""),
            )
        )
    devices.append(
        device(
            "far",
            "ospfv3: {router-id: 10.255.0.99}\ninterfaces:\n  e: {addresses: ['2001:db8:99::2/64'], "
            "ospfv3: {area: 0, cost: 5, network: point-to-point}}\n",
        )
    )
    net = state(*devices)
    for n in sorted({0} | {n for held, _ in ends for n in held}):
        prefix = f"2001:db8:{n:x}::/64"
        for number, (held, cost) in enumerate(ends, start=1):
            found = route(net, f"r{number}", prefix)
            if n == 0 or n in held:
                assert found.protocol.id == "connected"
            else:
                assert (found.protocol.id, found.metric) == ("ospfv3", cost)
                assert [(h.interface, h.address) for h in found.next_hops] == [("lan", None)]
        assert route(net, "far", prefix).metric == 5 + ends[0][1]


def _words(kind: str, metric: int) -> str:
    """What a policy's statement says that sets a metric, or drops what has one."""
    if kind == "set":
        return f"set: {{metric: {metric}}}"
    return f"match: {{metric: {metric}}}, then: reject"


@settings(max_examples=60, deadline=None)
@given(nets(), st.data())
def test_rip_agrees_with_messages_in_any_order(links, data):
    """Also where routers hold static routes of any rank, announce them, and have policies at both
    ends of a link that set metrics, or drop what has a certain one.

    Every order of messages ends in one of the outcomes that the engine knows; where it knows none,
    no order ends.
    """
    pairs = st.tuples(st.sampled_from(names(links)), st.sampled_from(names(links)))
    ranks = st.sampled_from([1, 130, 130])
    statics = data.draw(st.dictionaries(pairs, ranks, max_size=4))
    statics = {pair: rank for pair, rank in statics.items() if pair[0] != pair[1]}
    takes = data.draw(st.frozensets(st.sampled_from(names(links))))
    ways = [
        (*way, side)
        for left, right, *_ in links
        for way in ((left, right), (right, left))
        for side in ("export", "import")
    ]
    does = st.tuples(st.sampled_from(["set", "drop"]), st.integers(1, 9))
    rules = data.draw(st.dictionaries(st.sampled_from(ways), does, max_size=3))
    ports, top = {}, {}
    for number, (left, right, left_cost, right_cost) in enumerate(links, start=1):
        # The receiver adds its own interface's cost: what the left end pays counts at the right.
        for here, there, cost in ((right, left, left_cost), (left, right, right_cost)):
            said = "".join(
                f", {side}: {side}-{there}"
                for side in ("export", "import")
                if (here, there, side) in rules
            )
            ports[f"{here}:e{number}"] = f"rip: {{cost: {cost}{said}}}"
    for name in names(links):
        held_here = [(there, rank) for (here, there), rank in statics.items() if here == name]
        routes = [
            f"{{to: {lo(there)}, discard: true, distance: {rank}}}" for there, rank in held_here
        ]
        taking = "redistribute: [{from: static}]" if name in takes else ""
        policies = "".join(
            f"\n  {side}-{to}: {{statements: [{{name: a, {_words(*rule)}}}], default: accept}}"
            for (here, to, side), rule in rules.items()
            if here == name
        )
        top[name] = (
            f"rip: {{{taking}}}\nstatic: [{', '.join(routes)}]"
            + f"\npolicies:{policies}" * bool(policies)
        )
    net = wired(text(links), port="rip: {}", ports=ports, top=top)
    own = {name: {name} for name in names(links)}
    plain = PlainRip(links, own, statics, takes, rules)
    outcomes = [net, *(replace(net, look=other.look) for other in net.others)]
    known = [{name: held(each, name, "rip") for name in own} for each in outcomes]
    assert (len(known) > 1) == bool(net.order_dependent)
    for seed in range(4):
        ended = plain_rip(plain, seed)
        assert (ended is None) == bool(net.oscillating), (seed, net.oscillating)
        for prefix in own if ended else ():
            # Prefixes are independent of each other: each may end in its own way.
            column = [ended[name].get(prefix) for name in own]
            assert column in [[each[name].get(prefix) for name in own] for each in known], prefix


@settings(max_examples=60, deadline=None)
@given(nets(st.sampled_from([1, 5, 40])))
def test_eigrp_agrees_with_settling_from_the_nearest(links):
    """Bandwidths of 10 to 1000 Mb/s and delays of 10 to 400 us, the same at both ends."""
    kbps = {1: 10**6, 5: 10**5, 40: 10**4}
    plain = [(a, b, kbps[x], y) for a, b, x, y in links]
    ports = {}
    for number, (left, right, bandwidth, delay) in enumerate(plain, start=1):
        said = f"bandwidth: {bandwidth} kb/s, delay: {delay * 10} us, eigrp: {{}}"
        ports[f"{left}:e{number}"] = ports[f"{right}:e{number}"] = said
    net = wired(text(links), port="eigrp: {}", ports=ports, top="eigrp: {as: 1}")
    expected = plain_eigrp(plain, {name: {name} for name in names(links)})
    for name in names(links):
        assert held(net, name, "eigrp") == expected[name]


def link_ports(links, key):
    ports = {}
    for number, (left, right, left_cost, right_cost) in enumerate(links, start=1):
        for name, cost in ((left, left_cost), (right, right_cost)):
            ports[f"{name}:e{number}"] = key.format(cost)
    return ports


@settings(max_examples=60, deadline=None)
@given(nets(), st.data())
def test_external_routes_agree(links, data):
    """Any routers announce one prefix, with types and metrics of their own."""
    offers = st.tuples(st.sampled_from(names(links)), st.sampled_from([1, 2]), st.integers(1, 9))
    announced = list(
        {o[0]: o for o in data.draw(st.lists(offers, min_size=1, max_size=4))}.values()
    )
    top = {"": "ospf: {}"}
    for origin, kind, metric in announced:
        taking = f"{{from: static, metric: {metric}, metric-type: {kind}}}"
        top[origin] = (
            f"ospf: {{redistribute: [{taking}]}}\nstatic: [{{to: 10.9.0.0/16, discard: true}}]"
        )
    key = "ospf: {{area: 0, cost: {}, network: point-to-point}}"
    net = wired(text(links), port="ospf: {area: 0}", ports=link_ports(links, key), top=top)
    for name in names(links):
        found = route(net, name, "10.9.0.0/16")
        if name in {origin for origin, *_ in announced}:
            assert found.protocol.id == "static"
            continue
        expected = plain_externals(links, announced, name)
        assert (int(found.path_type.id[-1]), found.metric) == expected


@settings(max_examples=120, deadline=None)
@given(nets(), st.data())
def test_isis_agrees_with_every_system_asking_alone(links, data):
    """Systems of any level in two areas, some of which let level 2 down; loopbacks bear tags."""
    draw = data.draw
    plain = PlainIsis(
        links,
        kinds={name: draw(st.sampled_from([1, 2, 3, 3])) for name in names(links)},
        areas={name: draw(st.sampled_from(["0001", "0002"])) for name in names(links)},
        tags={name: draw(st.integers(0, 2)) for name in names(links)},
        leaks=frozenset(draw(st.lists(st.sampled_from(names(links)), max_size=3))),
    )
    words = {1: "1", 2: "2", 3: "1-2"}
    policy = "policies: {all: {statements: [], default: accept}}"
    top = {
        name: f"isis: {{net: 49.{plain.areas[name]}.0000.0000.{int(name[1:]):04}.00, level: {words[kind]}"
        f"{', leak-down: all' if name in plain.leaks else ''}}}\n{policy}"
        for name, kind in plain.kinds.items()
    }
    ports = link_ports(links, "isis: {{metric: {}, network: point-to-point}}")
    ports |= {f"{name}:lo": f"isis: {{tag: {tag}}}" for name, tag in plain.tags.items()}
    net = wired(text(links), port="isis: {}", ports=ports, top=top)
    defaults = plain.defaults()
    for name, expected in plain.routes().items():
        found = {
            other: (entry.path_type.id, entry.metric, entry.tag)
            for other in names(links)
            if (entry := route(net, name, lo(other))) and entry.protocol.id == "isis"
        }
        assert found == expected, name
        entry = route(net, name, "0.0.0.0/0")
        assert (entry.metric if entry else None) == defaults.get(name), name


@settings(max_examples=40, deadline=None)
@given(st.integers(4, 14), st.integers(0, 10**6), st.integers(1, 3))
def test_following_changes_gives_what_computing_anew_gives(size, seed, count):
    """Costs raised, lowered and links cut, several at once, with networks among the vertices."""
    random = np.random.default_rng(seed)
    joined = {(n, int(random.integers(0, n))) for n in range(1, size)}
    for _ in range(size):
        a, b = sorted(map(int, random.integers(0, size, 2)), reverse=True)
        if a != b:
            joined.add((a, b))
    ways = sorted(
        (a, b, float(random.integers(1, 6))) for x, y in joined for a, b in ((x, y), (y, x))
    )
    links, edges = list(ways), list(ways)
    for network in (size, size + 1):
        pair = random.choice(size, 2, replace=False).tolist()
        if any((a, b) == tuple(pair) for a, b, _ in links):
            continue
        for here, there in (pair, pair[::-1]):
            cost = float(random.integers(1, 6))
            edges += [(here, network, cost - 0.5), (network, here, 0.5)]
            ways.append((here, there, cost))
    ways.sort()
    old = ShortestPaths(build_graph(size, size + 2, edges, ways))
    picked = random.choice(len(links), count, replace=False).tolist()
    changes = [
        EdgeChange(tail, head, float(random.choice([1, 3, 9, np.inf])))
        for tail, head, _ in (links[at] for at in picked)
    ]
    new = old.after(changes)
    to = {(c.tail, c.head): c.cost for c in changes}
    fresh = [(a, b, to.get((a, b), cost)) for a, b, cost in ways]
    changed = [(a, b, to.get((a, b), cost)) for a, b, cost in links]
    kept = edges[len(links) :] + [edge for edge in changed if np.isfinite(edge[2])]
    anew = ShortestPaths(build_graph(size, size + 2, kept, fresh))
    assert (new.dist == anew.dist).all()
    assert (new.masks == anew.masks).all()


@settings(max_examples=30, deadline=None)
@given(nets(), st.randoms(use_true_random=False))
def test_names_do_not_matter(links, random):
    """Calling the routers otherwise changes no metric."""
    old = names(links)
    new = old[:]
    random.shuffle(new)
    renamed = dict(zip(old, new, strict=True))
    again = [(renamed[a], renamed[b], x, y) for a, b, x, y in links]
    key = "ospf: {{area: 0, cost: {}, network: point-to-point}}"
    nets_of = [
        wired(text(each), port="ospf: {area: 0}", ports=link_ports(each, key), top="ospf: {}")
        for each in (links, again)
    ]
    for name in old:
        first = {renamed[other]: m for other, m in held(nets_of[0], name, "ospf").items()}
        assert first == held(nets_of[1], renamed[name], "ospf")


@settings(max_examples=30, deadline=None)
@given(nets(), st.data())
def test_a_losing_candidate_changes_nothing(links, data):
    """Static routes that rank behind RIP, anywhere, leave every active route as it was."""
    pairs = st.tuples(st.sampled_from(names(links)), st.sampled_from(names(links)))
    losers = sorted({p for p in data.draw(st.lists(pairs, max_size=4)) if p[0] != p[1]})
    top = {"": "rip: {}"}
    for name in {here for here, _ in losers}:
        statics = ", ".join(
            f"{{to: {lo(there)}, discard: true, distance: 200}}" for h, there in losers if h == name
        )
        top[name] = f"rip: {{}}\nstatic: [{statics}]"
    nets_of = [wired(text(links), port="rip: {}", top=each) for each in ("rip: {}", top)]
    for name in names(links):
        assert held(nets_of[0], name, "rip") == held(nets_of[1], name, "rip")
