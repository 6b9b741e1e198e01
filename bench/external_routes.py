"""Whole tables with many external prefixes, against one sort of as many rows.

500 routers, 20,000 prefixes announced by two of them. Baseline: one two-key `np.lexsort` over as
many rows as there are candidates. Measured: from the databases to the selected tables of all
routers. Also printed: the bytes a stored entry takes, and what asking one `why` allocates. From
the checkout:

    PYTHONPATH=. .venv/bin/python bench/external_routes.py
"""

from __future__ import annotations

import ipaddress
import time
import tracemalloc

import numpy as np

from bench.networks import star_of_rings
from routrel.convergence.converge import converge
from routrel.convergence.protocols import Protocols
from routrel.files.reader import read_texts
from routrel.questions.candidates import candidates
from routrel.rib.candidates import ROW, Interning, Protocol
from routrel.rib.table import Rib
from routrel.topology.segments import build_topology

ROUTERS, PREFIXES = 500, 20_000


def main() -> None:
    network = read_texts(star_of_rings(ROUTERS, PREFIXES)).network
    interning = Interning(network)
    protocols = Protocols(build_topology(network), interning)
    # What is announced is known after two looks; measured is what follows from it.
    look = protocols.look(protocols.look(protocols.begin()))
    domain, inputs = protocols.domains[Protocol.OSPF], look.results[Protocol.OSPF].inputs
    others = [
        block
        for protocol, result in look.results.items()
        if protocol is not Protocol.OSPF
        for blocks in result.by_table.values()
        for block in blocks
    ]
    began = time.perf_counter()
    found = domain.compute(inputs, domain.asked(inputs), None)
    routes = [block for blocks in found.by_table.values() for block in blocks]
    rib = Rib.of_rows(interning, np.concatenate([*others, *routes]))
    for table in rib.tables:
        table.active  # noqa: B018 - tables are put in order when somebody looks
    tables = time.perf_counter() - began
    first, second = rib.candidates["table"].copy(), rib.candidates["prefix"].copy()
    shuffled = np.random.default_rng(1).permutation(len(first))
    first, second = first[shuffled], second[shuffled]
    began = time.perf_counter()
    np.lexsort((second, first))
    sort = time.perf_counter() - began
    print(f"{len(rib.candidates):,} candidate rows of {ROW.itemsize} bytes each")
    print(f"whole tables {tables:.2f} s, one two-key sort of as many rows {sort:.2f} s")
    print(f"ratio {tables / sort:.2f} (wanted: at most 1)")

    state = converge(network)
    table = state.rib.interning.table_numbers["r7", "default"]
    prefix = state.rib.interning.prefixes.number(ipaddress.ip_network("172.16.9.16/28"))
    candidates(state, table, prefix or 0)
    tracemalloc.start()
    candidates(state, table, prefix or 0)
    _, peak = tracemalloc.get_traced_memory()
    print(f"one why allocates at most {peak:,} bytes, with {len(state.rib.active):,} entries held")


if __name__ == "__main__":
    main()
