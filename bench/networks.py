"""Networks for benchmarks: link-state graphs and device files, made from a fixed seed."""

from __future__ import annotations

import numpy as np

from routrel.protocols.shared.shortest_paths import Graph, build_graph

__all__ = ["random_graph", "reflected_borders", "sites_with_trunks", "star_of_rings"]


def random_graph(routers: int, links: int, seed: int = 1) -> Graph:
    """A connected graph of point-to-point links with costs from 1 to 99 in each direction."""
    random = np.random.default_rng(seed)
    joined = {(node, int(random.integers(0, node))) for node in range(1, routers)}
    while len(joined) < links:
        left, right = map(int, random.integers(0, routers, 2))
        if left != right and (right, left) not in joined:
            joined.add((left, right))
    ways = sorted(
        (tail, head, float(random.integers(1, 100)))
        for left, right in sorted(joined)
        for tail, head in ((left, right), (right, left))
    )
    return build_graph(routers, routers, ways, ways)


def _subnet(number: int) -> str:
    return f"172.{16 + (number >> 12)}.{number >> 4 & 255}.{(number & 15) << 4}/28"


def star_of_rings(routers: int, statics: int) -> dict[str, str]:
    """Device files of routers in a ring with chords; two announce the same static routes."""
    random = np.random.default_rng(2)
    ports: dict[int, list[str]] = {number: [] for number in range(routers)}
    joins = [(n, (n + 1) % routers) for n in range(routers)]
    joins += [(n, int((n + random.integers(2, routers - 1)) % routers)) for n in range(routers)]
    for number, (left, right) in enumerate(joins):
        cost = int(random.integers(1, 20))
        for end, host in ((left, 0), (right, 1)):
            address = f"10.{number >> 15}.{number >> 7 & 255}.{(number << 1 & 255) + host}"
            ports[end].append(
                f"  p{number}: {{addresses: [{address}/31], ospf: "
                f"{{area: 0, cost: {cost}, network: point-to-point}}}}\n"
            )
    texts = {}
    for number, lines in ports.items():
        takes = number in (0, routers // 2)
        routes = (
            "static:\n"
            + "".join(f"  - {{to: {_subnet(k)}, discard: true}}\n" for k in range(statics))
            if takes
            else ""
        )
        ospf = "{redistribute: [{from: static}]}" if takes else "{}"
        texts[f"r{number}.yaml"] = (
            f"routrel: 1\ndevice: r{number}\nrole: router\nospf: {ospf}\n{routes}interfaces:\n"
            f"  lo: {{kind: loopback, addresses: [192.168.{number >> 8}.{number & 255}/32], "
            "ospf: {area: 0}}\n" + "".join(lines)
        )
    return texts


def reflected_borders(
    routers: int, borders: int, prefixes: int, origins: int, *, policy: str = ""
) -> dict[str, str]:
    """An AS with two reflectors, whose border routers all learn the same prefixes from outside.

    Args:
        origins: How many AS the prefixes belong to; each border has its own path to each of them.
        policy: Statements of the policy by which the first border takes prefixes in, as YAML.
    """
    random = np.random.default_rng(3)
    ports: dict[int, list[str]] = {number: [] for number in range(routers)}
    joins = [(n, (n + 1) % routers) for n in range(routers)]
    joins += [(n, int((n + random.integers(2, routers - 1)) % routers)) for n in range(routers)]
    for number, (left, right) in enumerate(joins):
        cost = int(random.integers(1, 20))
        for end, host in ((left, 0), (right, 1)):
            address = f"10.{number >> 15}.{number >> 7 & 255}.{(number << 1 & 255) + host}"
            ports[end].append(
                f"  p{number}: {{addresses: [{address}/31], ospf: "
                f"{{area: 0, cost: {cost}, network: point-to-point}}}}\n"
            )
    loopback = [f"192.168.{number >> 8}.{number & 255}" for number in range(routers)]
    texts = {}
    for number, lines in ports.items():
        if number < 2:
            peers = [n for n in range(routers) if n != number]
            said = ", reflector-client: true"
        else:
            peers, said = [0, 1], ""
        border = 2 <= number < 2 + borders
        own = ", next-hop: self" if border else ""
        sessions = "".join(
            f"    {loopback[peer]}: {{as: 64500, source: lo{said if peer > 1 else ''}{own}}}\n"
            for peer in peers
        )
        if border:
            taken = ", import: from-outside" if number == 2 else ""
            sessions += f"    100.64.{number}.1: {{as: {64510 + number}{taken}}}\n"
            lines = [*lines, f"  out: {{addresses: [100.64.{number}.2/30]}}\n"]
        texts[f"r{number}.yaml"] = (
            f"routrel: 1\ndevice: r{number}\nrole: router\nospf: {{}}\n"
            f"bgp:\n  as: 64500\n  neighbours:\n{sessions}"
            + (policy if number == 2 else "")
            + f"interfaces:\n  lo: {{kind: loopback, addresses: [{loopback[number]}/32], "
            "ospf: {area: 0}}\n" + "".join(lines)
        )
        if border:
            texts[f"o{number}.yaml"] = (
                f"routrel: 1\noutside: o{number}\nas: {64510 + number}\n"
                f"addresses: [100.64.{number}.1/30]\nannounces:\n"
            ) + "".join(
                f"  - {{prefixes: [{', '.join(map(_subnet, range(origin, prefixes, origins)))}], "
                f"as-path: {' '.join(['64700'] * int(random.integers(1, 4)))} {70000 + origin}}}\n"
                for origin in range(origins)
            )
    return texts


def sites_with_trunks(devices: int, links: int, sites: int) -> dict[str, str]:
    """Files of a network to look at: devices in sites, rings in them and trunks between them."""
    random = np.random.default_rng(3)
    size = devices // sites
    joined: dict[tuple[int, int], None] = {}
    for number in range(devices):
        site, place = divmod(number, size)
        joined[number, site * size + (place + 1) % size] = None
    while len(joined) < links:
        left = int(random.integers(0, devices))
        # Most links stay in their site, the others lead to one of the next.
        next_door = 0 if random.random() < 0.85 else int(random.integers(1, 4))
        first = (left // size + next_door) % sites * size
        right = int(random.integers(first, first + size))
        if left != right and (right, left) not in joined:
            joined[left, right] = None
    ports: dict[int, list[str]] = {number: [] for number in range(devices)}
    for number, (left, right) in enumerate(joined):
        for end, host in ((left, 0), (right, 1)):
            address = f"10.{number >> 15}.{number >> 7 & 255}.{(number & 127) * 2 + host}/31"
            ports[end].append(f"  p{len(ports[end])}: {{addresses: [{address}]}}\n")
    names = "".join(f"  s{number}: {{title: Site {number}}}\n" for number in range(sites))
    files = {"network.yaml": f"routrel: 1\nnetwork: a large one\nsites:\n{names}"}
    for number, lines in ports.items():
        head = (
            f"routrel: 1\ndevice: r{number}\nrole: router\nsite: s{number // size}\ninterfaces:\n"
        )
        files[f"r{number}.yaml"] = head + "".join(lines)
    return files
