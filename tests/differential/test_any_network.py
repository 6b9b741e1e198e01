"""Random mixtures of protocols: every table settles or says that it does not, and explains itself."""

from __future__ import annotations

import ipaddress

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.questions.routes import RouteQuestion
from tests.nets import wired
from tests.told import explain_route, holders_data

POLICIES = """
sets: {prefixes: {some: [10.255.0.0/30 or longer, 10.99.0.0/16], odd: 10.0.0.0/16 up to /30}, tags: {t: 7}}
policies:
  some: {statements: [{name: a, match: {prefixes: some}, set: {tag: 7}, then: accept}], default: reject}
  untagged: {statements: [{name: b, match: {tags: t}, then: reject}], default: accept}
"""
PORTS = {
    "rip": [
        *("rip: {}", "rip: {passive: true}", "rip: {offset-out: 3}", "rip: {import: some}"),
        "rip: {export: untagged, cost: 2}",
    ],
    "eigrp": [
        *("eigrp: {}", "eigrp: {passive: true}", "eigrp: {summaries: 10.255.0.0/16}"),
        *("eigrp: {import: some}", "eigrp: {export: untagged}"),
    ],
    "ospf": [
        *("ospf: {area: 0}", "ospf: {area: 1}", "ospf: {area: 1, network: point-to-point}"),
        "ospf: {area: 0, network: non-broadcast, neighbours: [10.0.1.2, 10.0.2.1]}",
    ],
    "isis": [
        *("isis: {}", "isis: {level: 1}", "isis: {metric: 3, network: point-to-point}"),
        "isis: {tag: 7}",
    ],
}
SEED = ", metric: {bandwidth: 1 Gb/s, delay: 10 us}"
TOPS = {
    "rip": [
        *("rip: {}", "rip: {distance: 80}", "rip: {default-route: {always: true}}"),
        "rip: {import: untagged}",
    ],
    "eigrp": [
        *("eigrp: {as: 1}", "eigrp: {as: 1, variance: 8}", "eigrp: {as: 1, stub: connected}"),
        "eigrp: {as: 1, import: untagged}",
    ],
    "ospf": [
        "ospf: {}",
        "ospf: {areas: {1: {type: stub}}}",
        "ospf: {areas: {1: {type: nssa, ranges: [{prefix: 10.255.0.0/24}]}}}",
        "ospf: {areas: {1: {type: nssa, external-ranges: [{prefix: 10.0.0.0/8}]}}}",
        "ospf: {rfc1583-compatibility: false}",
        "ospf: {default-route: {}, import: untagged}",
    ],
    "isis": ["net: 49.000{area}.0000.0000.{n:04}.00{more}"],
}
STATICS = [
    "",
    "static: [{to: 10.99.0.0/16, discard: true, tag: 7}]",
    "static: [{to: 0.0.0.0/0, via: 10.0.1.1, distance: 200}]",
    "static: [{to: 10.255.0.2/32, via: 10.255.0.1}]",
]
RED = "vrfs: {red: {static: [{to: 10.99.0.0/16, discard: true, tag: 7}], "
LEAKS = [
    *("", ""),
    RED + "leak: [{from: default, policy: some}]}}\nleak: [{from: red, protocol: static}]",
    RED + "export-tags: out}}\nimport-tags: out\ndistances: [{protocol: leaked, distance: 60}]",
    RED + "import-tags: in}}\nexport-tags: in\nleak: [{from: red, policy: untagged}]",
]
KEYS = sorted(PORTS)


@st.composite
def border_gateway(draw, number, pairs, speaks, runs):
    """BGP of one router with its neighbours on links, internal or external as their AS have it."""
    neighbours = []
    for at, pair in enumerate(pairs, start=1):
        other = sum(pair) - number
        if number in pair and speaks[other]:
            host = 1 + (pair[1] == other)
            more = draw(
                st.sampled_from(
                    [
                        *("", ", next-hop: self", ", import: some", ", weight: 5", ", age: 60 s"),
                        *(", default-route: {}", ", default-route: {unless: 10.99.0.0/16}"),
                        ", conditional: [{prefixes: 10.0.0.0/8 or longer, while: 10.99.0.0/16}]",
                    ]
                )
            )
            neighbours.append(f"10.0.{at}.{host}: {{as: {speaks[other]}{more}}}")
    sources = draw(
        st.lists(st.sampled_from([*runs, "static", "connected"]), unique=True, max_size=2)
    )
    taking = ", ".join(f"{{from: {source}}}" for source in sources)
    more = draw(
        st.sampled_from(
            ["", "aggregates: [{prefix: 10.255.0.0/24, summary-only: true}], ",
             "networks: [{prefix: 10.99.0.0/16}], ", "announce-active-only: true, "]
        )
    )  # fmt: skip
    return (
        f"bgp: {{as: {speaks[number]}, {more}redistribute: [{taking}], "
        f"neighbours: {{{', '.join(neighbours)}}}}}"
    )


@st.composite
def mixtures(draw):
    """Up to five routers; each runs some protocols, each port some of those, and some exchange."""
    size = draw(st.integers(2, 5))
    pairs = [(draw(st.integers(1, n - 1)), n) for n in range(2, size + 1)]
    pairs += [(1, size)] if draw(st.booleans()) else []
    tops, ports = {}, {}
    speaks = {n: draw(st.sampled_from([0, 65001, 65001, 65002])) for n in range(1, size + 1)}
    for number in range(1, size + 1):
        runs = draw(st.lists(st.sampled_from(KEYS), unique=True, min_size=1, max_size=3))
        leaks = draw(st.sampled_from(LEAKS))
        said = [leaks]
        for key in runs:
            others = [other for other in (*runs, "static", "connected") if other != key]
            others += ["bgp"] if speaks[number] else []
            others += ["leaked"] if "leaked" not in leaks and leaks else []
            taking = ""
            if draw(st.booleans()):
                policy = draw(st.sampled_from(["", ", policy: some", ", policy: untagged"]))
                source = draw(st.sampled_from(others))
                seed = SEED if key == "eigrp" else ""
                taking = f"redistribute: [{{from: {source}{policy}{seed}}}]"
            text = draw(st.sampled_from(TOPS[key]))
            if key == "isis":
                more = draw(
                    st.sampled_from(
                        ["", ", level: 1", ", level: 2", ", overload: true", ", import: some"]
                    )
                )
                net = text.format(area=draw(st.integers(1, 2)), n=number, more=more)
                text = f"isis: {{{net}}}"
            if taking:
                text = text[:-1] + (", " if not text.endswith("{}") else "") + taking + "}"
            said.append(text)
        said += [draw(st.sampled_from(STATICS)), POLICIES]
        if speaks[number]:
            said.append(draw(border_gateway(number, pairs, speaks, runs)))
            runs = [*runs, "bgp"]
        if draw(st.booleans()) and "distances" not in leaks:
            distance = draw(st.sampled_from([60, 60, 255]))
            rule = f"protocol: {draw(st.sampled_from(runs))}, distance: {distance}"
            said.append(f"distances: [{{{rule}}}]")
        tops[f"r{number}"] = "\n".join(said)
        joined = [at for at, pair in enumerate(pairs, start=1) if number in pair]
        for port in ["lo", *(f"e{at}" for at in joined)]:
            chosen = [key for key in runs if key in PORTS and draw(st.integers(0, 4))]
            words = [draw(st.sampled_from(PORTS[key])) for key in chosen]
            if draw(st.integers(0, 9)) == 0:
                words.append("enabled: false")
            ports[f"r{number}:{port}"] = ", ".join(words)
    return " ".join(f"r{a}-r{b}" for a, b in pairs), tops, ports


@settings(max_examples=200, deadline=None, derandomize=True)
@given(mixtures())
def test_every_question_has_an_answer(mixture):
    """Winners in the explanation are the table's; losers name a rung; what is absent says why."""
    links, tops, ports = mixture
    net = wired(links, port="", top=tops, ports=ports)
    assert net.converged == (not net.oscillating)
    for finding in net.findings:
        assert finding.text
        assert finding.place.line
    wanted = [ipaddress.ip_network(p) for p in ("10.255.0.1/32", "10.99.0.0/16", "0.0.0.0/0")]
    for prefix in wanted:
        assert holders_data(net, prefix)["sentence"]
        for answer in explain_route(net, RouteQuestion(prefix=prefix)):
            table = net.rib.interning.table_numbers[answer["device"], answer["vrf"]]
            active = net.rib.active_route(table, prefix)
            used = [c for c in answer["candidates"] if c["lost_on"] is None]
            assert {c["protocol"] for c in used} == ({active.protocol.id} if active else set())
            assert all(
                c["values"]["metric"] == active.metric or c["protocol"] == "eigrp" for c in used
            )
            assert (answer["absent"] is None) == (active is not None)
            if answer["absent"] and answer["absent"]["originators"]:
                assert answer["absent"]["reason"] not in (None, "unknown"), answer["absent"]
    for answer in explain_route(net, RouteQuestion(address=ipaddress.ip_address("10.255.0.2"))):
        assert answer["sentence"]
