"""What spreads over sessions agrees with routers that pass single messages in random orders."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, replace
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.convergence.converge import State
from routrel.policy.as_paths import AsPath, SegmentKind
from routrel.protocols.bgp.explaining import chosen_path
from routrel.protocols.bgp.paths import PathSource
from routrel.protocols.register import bgp_of
from tests.nets import state
from tests.references.plain_bgp import (
    Hop,
    PlainNet,
    PlainRouter,
    PlainSession,
    Told,
    aggregate,
    interior_costs,
)

CONFEDERATION = 65000
PARTS = tuple(ipaddress.ip_network(part) for part in ("198.51.100.0/25", "198.51.100.128/25"))
WHOLE = ipaddress.ip_network("198.51.100.0/24")
#: What a router announces of its table.
NETWORK = Told(weight=32768, med=0)
IMPORTS = [{}, {}, {}, {"preference": 50}, {"preference": 200}, {"med": 7}, {"weight": 10}]
EXPORTS = [{}, {}, {"med": 5}, {"med": 30}, {"prepend": 2}, {"community": "no-export"}, {"hop": ""}]
WORDS = {
    "preference": "local-preference",
    "med": "med",
    "weight": "weight",
    "hop": "next-hop",
}


@dataclass
class Drawn:
    """Routers of the plain kind, the same as device files, and who announces what."""

    net: PlainNet
    texts: list[str]
    origins: tuple[set[int], ...]  #: of each part
    aggregators: set[int]


@st.composite
def nets(draw):
    """Up to six routers in up to three AS.

    The first two AS may be members of one confederation. One or two prefixes are announced, and
    their aggregate.
    """
    size = draw(st.integers(2, 6))
    system = [65001 + draw(st.integers(0, 2)) for _ in range(size)]
    routers = [PlainRouter(number=n + 1, system=system[n]) for n in range(size)]
    confederated = draw(st.booleans())
    for router in routers:
        router.confederation = CONFEDERATION if confederated and router.system < 65003 else None
        router.always_med = draw(st.integers(0, 5)) == 0
        router.missing_worst = draw(st.integers(0, 5)) == 0
        router.by_arrival = draw(st.integers(0, 9)) == 0
    some = st.sets(st.integers(1, size), max_size=2)
    origins = draw(st.sets(st.integers(1, size), min_size=1, max_size=2)), draw(some)
    aggregators = draw(st.sets(st.integers(1, size), min_size=1, max_size=3))
    interior, ports = [], {n: [] for n in range(1, size + 1)}
    link = 0
    for number in sorted(set(system)):
        members = [r for r in routers if r.system == number]
        pairs = list(pairwise(members))
        if len(members) > 2 and draw(st.booleans()):
            pairs.append((members[0], members[-1]))
        for left, right in pairs:
            link, cost = link + 1, draw(st.integers(1, 4))
            interior.append((left.number, right.number, cost))
            for end, host in ((left, 1), (right, 2)):
                said = f"ospf: {{area: 0, cost: {cost}, network: point-to-point}}"
                ports[end.number].append((f"e{link}", f"10.0.{link}.{host}/30", said))
        reflects = draw(st.booleans())
        for left in members:
            for right in members:
                hub = members[0]
                if left is right or (reflects and hub not in (left, right)):
                    continue
                left.sessions.append(
                    PlainSession(
                        peer=right.number, local=f"10.255.0.{left.number}",
                        remote=f"10.255.0.{right.number}", internal=True,
                        client=reflects and left is hub,
                        next_hop_self=draw(st.integers(0, 3)) > 0,
                    )
                )  # fmt: skip
    known = {n: {} for n in ports}  # external subnets an AS's interior protocol knows
    foreign = [(a, b) for a in routers for b in routers
               if a.number < b.number and a.system != b.system]  # fmt: skip
    if foreign:
        drawn = draw(st.lists(st.sampled_from(range(len(foreign))), min_size=1, max_size=7))
        for left, right in (foreign[n] for n in drawn):
            link += 1
            told = draw(st.booleans())
            said = "ospf: {area: 0, passive: true, cost: 1}" if told else ""
            for here, there, host in ((left, right, 1), (right, left, 2)):
                ports[here.number].append((f"e{link}", f"10.0.{link}.{host}/30", said))
                known[here.number][link] = told
                inside = bool(here.confederation and there.confederation)
                here.sessions.append(
                    PlainSession(
                        peer=there.number, local=f"10.0.{link}.{host}",
                        remote=f"10.0.{link}.{3 - host}", internal=False, inside=inside,
                        next_hop_self=inside and draw(st.integers(0, 3)) > 0,
                        import_set=dict(draw(st.sampled_from(IMPORTS))),
                        export_set=dict(draw(st.sampled_from(EXPORTS))),
                    )
                )  # fmt: skip
    costs = {}
    for router in routers:
        costs[router.number] = found = {"": 0}
        for there, cost in interior_costs(interior, router.number).items():
            found[f"10.255.0.{there}"] = cost
            for number, told in known[there].items():
                if there == router.number or told:
                    for host in (1, 2):
                        address = f"10.0.{number}.{host}"
                        here = 0 if there == router.number else cost + 1
                        found[address] = min(found.get(address, 2**32), here)
    addresses = {
        number: {f"10.255.0.{number}", *(address.split("/")[0] for _, address, _ in ports[number])}
        for number in ports
    }
    # Of links inside an AS the plain routers know no cost.
    inner = {f"10.0.{n}.{host}" for n in range(1, len(interior) + 1) for host in (1, 2)}
    for router in routers:
        for session in router.sessions:
            if "hop" in session.export_set:
                of_peer = draw(st.booleans())
                named = addresses[session.peer] if of_peer else set().union(*addresses.values())
                session.export_set["hop"] = draw(st.sampled_from(sorted(named - inner)))
    net = PlainNet(routers, costs, addresses)
    made = Drawn(net, [], origins, aggregators)
    made.texts = with_numbers([device_file(router, ports, made) for router in routers], net)
    return made


def device_file(router: PlainRouter, ports, made: Drawn) -> str:
    """The same router in the words of a device file."""
    number = router.number
    held = [part for part, at in zip(PARTS, made.origins, strict=True) if number in at]
    policies, neighbours = [], []
    for place, session in enumerate(router.sessions):
        said = f"as: {router.system if session.internal else 65000}"
        for key, sets in (("import", session.import_set), ("export", session.export_set)):
            actions = [f"{WORDS[name]}: {sets[name]}" for name in sets if name in WORDS]
            if "prepend" in sets:
                shown_as = router.confederation or router.system
                actions.append(f"prepend: {[shown_as] * sets['prepend']}")
            if "community" in sets:
                actions.append(f"communities: {{add: {sets['community']}}}")
            if actions:
                name = f"{key}-{place}"
                policies.append(
                    f"  {name}: {{statements: [{{name: s, set: {{{', '.join(actions)}}}}}], "
                    "default: accept}"
                )
                said += f", {key}: {name}"
        said += ", source: lo" if session.internal else ""
        said += ", reflector-client: true" if session.client else ""
        said += ", next-hop: self" if session.next_hop_self else ""
        neighbours.append((session, said))
    lines = [
        f"routrel: 1\ndevice: r{number}\nrole: router",
        f"ospf: {{router-id: 10.255.0.{number}}}",
        "bgp:",
        f"  as: {router.system}",
        f"  router-id: 10.255.0.{number}",
        f"  decision: {{compare-med-always: {str(router.always_med).lower()}, "
        f"missing-med: {'worst' if router.missing_worst else 'zero'}, "
        f"med-grouping: {'by-arrival' if router.by_arrival else 'independent'}}}",
        f"  confederation: {{identifier: {CONFEDERATION}, members: [65001, 65002]}}"
        if router.confederation
        else "",
        "  neighbours:" if neighbours else "",
        *(f"    {session.remote}: {{{said}}}" for session, said in neighbours),
        f"  networks: [{', '.join(f'{{prefix: {part}}}' for part in PARTS)}]",
        f"  aggregates: [{{prefix: {WHOLE}, as-set: true}}]" if number in made.aggregators else "",
        f"static: [{', '.join(f'{{to: {part}, discard: true}}' for part in held)}]" if held else "",
        "policies:" if policies else "",
        *policies,
        "interfaces:",
        f"  lo: {{kind: loopback, addresses: [10.255.0.{number}/32], "
        "ospf: {area: 0, passive: true}}",
        *(
            f"  {name}: {{addresses: [{address}]{', ' * bool(said)}{said}}}"
            for name, address, said in ports[number]
        ),
    ]
    return "\n".join(line for line in lines if line) + "\n"


def with_numbers(texts: list[str], net: PlainNet) -> list[str]:
    """The neighbours' AS numbers filled in, which a router alone does not know."""
    found = []
    for text, router in zip(texts, net.routers.values(), strict=True):
        for session in router.sessions:
            peer = net.routers[session.peer]
            there = peer.system
            if not session.internal and not session.inside:
                there = peer.confederation or peer.system
            text = text.replace(
                f"{session.remote}: {{as: 65000", f"{session.remote}: {{as: {there}"
            )
        found.append(text)
    return found


def outcomes(made: State, net: PlainNet, prefix) -> list[dict[int, Told | None]]:
    """All outcomes that the engine knows, in the plain words, the shown one first."""
    domain, shown_one = bgp_of(made.results), {n: chosen(made, n, prefix) for n in net.routers}
    _, result = domain.class_with(made.rib.interning.prefixes.number(prefix))
    found = [shown_one]
    for other in result.outcome.others:
        each = {}
        for router in net.routers:
            held = other.chosen[domain.index_of[f"r{router}", "default"]]
            each[router] = plain(made, domain.path(held[0])) if held else None
        found.append(each)
    return found


def chosen(made: State, number: int, prefix) -> Told | None:
    """What the engine lets a router announce on, in the plain words."""
    domain = bgp_of(made.results)
    index = domain.index_of[f"r{number}", "default"]
    path = chosen_path(domain, index, made.rib.interning.prefixes.number(prefix))
    return None if path is None else plain(made, path)


def plain(made: State, path) -> Told:
    own = path.source is PathSource.OWN
    return Told(
        path=hops(path.as_path, confederation=False),
        next_hop="" if own else str(path.next_hop),
        preference=path.local_preference,
        med=path.med,
        weight=path.weight,
        communities=path.communities,
        originator=int(path.originator) & 255 if path.originator else None,
        clusters=tuple(int(c) & 255 for c in path.cluster_list),
        members=hops(path.as_path, confederation=True),
        source=path.source.name.lower(),
    )


def hops(path: AsPath, *, confederation: bool) -> tuple[Hop, ...]:
    """The confederation's segments of a path, or all others, as the plain routers write them."""
    found: list[Hop] = []
    for kind, numbers in path:
        if kind.is_confederation == confederation:
            ordered = kind in (SegmentKind.SEQUENCE, SegmentKind.CONFED_SEQUENCE)
            found += numbers if ordered else [frozenset(numbers)]
    return tuple(found)


def shown(told: Told | None) -> Told | None:
    """A plain route without what the engine's path does not carry itself."""
    return None if told is None else replace(told, peer="", peer_id=0)


@settings(max_examples=150, deadline=None, derandomize=True)
@given(nets())
def test_routers_that_pass_messages_come_to_the_same(made):
    """Every order of messages leads to an outcome that is known; where there is none, to no end.

    Where there are several, messages may also happen to cross for as long as anybody watches. An
    aggregate is looked at where its parts leave nothing open.
    """
    engine = state(*made.texts)
    assert all(s.state.value == "up" for s in bgp_of(engine.results).sessions)
    parts = []
    for prefix, origins in zip(PARTS, made.origins, strict=True):
        if origins:
            parts.append(agreed(engine, made.net, prefix, dict.fromkeys(origins, NETWORK)))
    if any(part is None for part in parts):
        return
    own = {}
    for number in made.aggregators:
        held = [part[number] for part in parts if part[number] is not None]
        if held:
            own[number] = aggregate(held)
    if own:
        agreed(engine, made.net, WHOLE, own)


def agreed(engine: State, net: PlainNet, prefix, own) -> dict[int, Told | None] | None:
    """What all choose for a prefix once both kinds agree; None if that is open."""
    known = outcomes(engine, net, prefix)
    settled = all(route.prefix != prefix for route in engine.oscillating)
    for seed in range(6):
        found = net.run(own, seed)
        if found is None:
            assert len(known) > 1 or not settled, (prefix, seed)
        else:
            assert settled, (prefix, seed)
            assert {n: shown(told) for n, told in found.items()} in known, (prefix, seed)
    return found if len(known) == 1 and settled else None
