"""Random networks: every branch of every flow as a slow plain walk finds it."""

from __future__ import annotations

import ipaddress
from collections import Counter
from fractions import Fraction
from random import Random

import yaml

from routrel.questions.flow import FlowQuestion, ask_flow
from tests.nets import state
from tests.references.plain_walk import PlainNetwork
from tests.told import flow_data

NETWORKS = 150
#: Host part of every address on a subnet: router N has .N, a host .9; nobody has .200.
PREFIXES = ["0.0.0.0/0", "0.0.0.0/0", "10.1.0.0/16", "10.2.0.0/16", "10.1.0.0/24", "10.2.0.0/24"]


def router(random: Random, number: int, ports: dict[str, str], hops: list[str]) -> dict:
    """One router with random routes to hops on its own subnets, filters, and shut ports."""
    own = [ipaddress.ip_interface(address) for address in ports.values()]
    near = [
        hop
        for hop in hops
        if any(ipaddress.ip_address(hop) in a.network and hop != str(a.ip) for a in own)
    ]
    statics = {
        (random.choice(PREFIXES), random.choice(near)) for _ in range(random.randint(1, 5)) if near
    }
    rules = [
        {
            "id": position,
            random.choice(["permit", "deny"]): random.choice(["any", "tcp", "tcp", "udp"]),
            **({"from": random.choice(PREFIXES)} if random.random() < 0.4 else {}),
            **({"to": random.choice(PREFIXES)} if random.random() < 0.4 else {}),
        }
        for position in range(1, random.randint(1, 4))
    ]
    made: dict = {
        "routrel": 1,
        "device": f"r{number}",
        "role": "router",
        "interfaces": {name: {"addresses": [address]} for name, address in ports.items()},
        "static": [{"to": to, "via": via} for to, via in sorted(statics)],
        "filters": {"f": {"rules": rules, "default": random.choice(["permit", "permit", "deny"])}},
    }
    if random.random() < 0.15:
        made["static"].append({"to": random.choice(PREFIXES), "discard": True, "distance": 9})
    for name, port in made["interfaces"].items():
        if random.random() < 0.2:
            port["filters"] = {random.choice(["in", "out"]): "f"}
        # Only links go down: a hop on a dead LAN would be looked up recursively, which the plain
        # walk does not know and other tests hold to worked answers.
        if name.startswith("l") and not name.startswith("lan") and random.random() < 0.06:
            port["enabled"] = False
    return made


def network(seed: int) -> list[str]:
    """Two LANs with a host each and three to five routers, most of them joined."""
    random = Random(seed)
    count = random.randint(3, 5)
    pairs = [(a, b) for a in range(1, count + 1) for b in range(1, a)]
    links = random.sample(pairs, min(len(pairs), random.randint(count - 1, count + 2)))
    lans = {1: random.randint(1, count), 2: random.randint(1, count)}
    ports: dict[int, dict[str, str]] = {
        n: {"spare": f"192.0.2.{n}/32"} for n in range(1, count + 1)
    }
    for number, pair in enumerate(links):
        for end in pair:
            ports[end][f"l{number}"] = f"10.9.{number}.{end}/24"
    for lan, end in lans.items():
        ports[end][f"lan{lan}"] = f"10.{lan}.0.{end}/24"
    hops = [f"10.9.{n}.{end}" for n, pair in enumerate(links) for end in pair for _ in range(8)]
    hops += [f"10.9.{n}.200" for n in range(len(links))]
    hops += [f"10.{lan}.0.{host}" for lan in lans for host in (9, 200)]
    devices = [router(random, number, ports[number], hops) for number in ports]
    devices += [
        {
            "routrel": 1,
            "device": f"h{lan}",
            "role": "host",
            "interfaces": {"e0": {"addresses": [f"10.{lan}.0.9/24"]}},
            "gateway": f"10.{lan}.0.{end}",
        }
        for lan, end in lans.items()
    ]
    return [yaml.safe_dump(device, sort_keys=False) for device in devices]


def test_every_branch_is_as_the_plain_walk_has_it():
    """The same devices passed, verdicts and shares, branch by branch, over random networks.

    The sample must show every verdict that these networks can give, or it would prove little.
    """
    seen: Counter[str] = Counter()
    for seed in range(NETWORKS):
        texts = network(seed)
        net = state(*texts)
        plain = PlainNetwork(texts)
        for source, target, ttl in (
            ("h1", "10.2.0.9", 64),
            ("h2", "10.1.0.9", 64),
            ("h1", "10.2.0.200", 3),
            ("h1", "10.3.0.1", 2),
        ):
            packet = {
                "source": ipaddress.ip_address(f"10.{source[1]}.0.9"),
                "target": ipaddress.ip_address(target),
                "protocol": "tcp",
                "port": 80,
            }
            expected = plain.follow(source, None, packet, ttl, Fraction(1), ())
            question = FlowQuestion(
                source=source, destination=target, traffic="tcp 80", ttl=ttl, both=False
            )
            answer = ask_flow(net, question)
            found = [
                (tuple(hop.device for hop in branch.hops), branch.verdict.value, branch.share)
                for branch in answer.forward.branches
            ]
            assert Counter(found) == Counter(expected), f"seed {seed}, {source} to {target}"
            verdicts = {verdict for _, verdict, _ in expected}
            overall = verdicts.pop() if len(verdicts) == 1 else "mixed"
            assert answer.forward.verdict.value == overall
            assert flow_data(net, answer)["sentence"].endswith(".")
            seen[overall] += 1
    wanted = {
        "delivered", "filtered", "no_route", "discarded", "next_hop_unresolved", "looped",
        "ttl_expired", "mixed",
    }  # fmt: skip
    assert {verdict for verdict, count in seen.items() if count >= 5} >= wanted, seen
