"""OSPF routes of all routers against bare distances.

Baseline: SciPy's Dijkstra for all routers over the same graph, which finds distances alone.
Measured: `area_routes`, which finds metrics and every equal-cost next hop of every router to every
prefix. The ratio is of the medians of one run. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/ospf_routes.py
"""

from __future__ import annotations

import statistics
import time

import numpy as np

from routrel.control.ospf.adjacency import find_adjacencies
from routrel.control.ospf.lsdb import build_area
from routrel.control.ospf.routes import area_routes, distances
from routrel.control.ospf.speakers import ospf_routers
from routrel.control.rib.candidates import Interning, PathType
from routrel.files.reader import read_texts
from routrel.topology.segments import build_topology

SIDE = 20  #: a torus of SIDE x SIDE routers: many equal-cost paths
RUNS = 3


def torus(side: int) -> dict[str, str]:
    """Device files of a torus with a loopback a router and random costs of 1 or 2."""
    random = np.random.default_rng(1)
    ports: dict[int, list[str]] = {number: [] for number in range(side * side)}
    subnet = 0
    for row in range(side):
        for column in range(side):
            here = row * side + column
            for there in (row * side + (column + 1) % side, (row + 1) % side * side + column):
                cost = random.integers(1, 3)
                for end, host in ((here, 0), (there, 1)):
                    address = f"10.{subnet >> 15}.{subnet >> 7 & 255}.{(subnet << 1 & 255) + host}"
                    ports[end].append(
                        f"  p{subnet}: {{addresses: [{address}/31], ospf: "
                        f"{{area: 0, cost: {cost}, network: point-to-point}}}}\n"
                    )
                subnet += 1
    return {
        f"r{n}.yaml": f"routrel: 1\ndevice: r{n}\nrole: router\nospf: {{}}\ninterfaces:\n"
        f"  lo: {{kind: loopback, addresses: [172.16.{n >> 8}.{n & 255}/32], ospf: {{area: 0}}}}\n"
        + "".join(lines)
        for n, lines in ports.items()
    }


def main() -> None:
    reading = read_texts(torus(SIDE))
    assert not reading.problems
    topology = build_topology(reading.network)
    routers = tuple(ospf_routers(topology))
    interning = Interning(reading.network)
    lsdb = build_area(0, routers, find_adjacencies(topology, routers), interning)
    bare, full = [], []
    for _ in range(RUNS):
        began = time.perf_counter()
        dist = distances(lsdb)
        middle = time.perf_counter()
        rows = area_routes(lsdb, dist, lsdb.announcements, PathType.INTRA_AREA, interning)
        bare.append(middle - began)
        full.append(time.perf_counter() - middle)
    ratio = statistics.median(full) / statistics.median(bare)
    print(f"{len(routers)} routers, {len(rows)} routes")
    print(f"bare distances {statistics.median(bare):.3f} s, routes {statistics.median(full):.3f} s")
    print(f"ratio {ratio:.1f}")


if __name__ == "__main__":
    main()
