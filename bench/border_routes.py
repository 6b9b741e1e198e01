"""BGP tables of a large AS, against one sort of their rows by the decision's keys.

200 routers, two reflectors, 10 borders that each learn the same 20,000 prefixes of 1,000 AS.
Baseline: one `np.lexsort` by the keys of the decision over as many rows as there are BGP routes.
Measured: from the settled interior to the selected tables of all routers. Also printed: the peak
of memory, and how many prefixes a change of one policy statement computes anew. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/border_routes.py
"""

from __future__ import annotations

import resource
import time

import numpy as np

from bench.networks import reflected_borders
from routrel.convergence.converge import converge
from routrel.files.reader import read_texts
from routrel.protocols.bgp.domain import BgpDomain
from routrel.protocols.contract import Inputs
from routrel.protocols.register import bgp_of

ROUTERS, BORDERS, PREFIXES, ORIGINS = 200, 10, 20_000, 1_000
POLICY = """\
sets: {{prefixes: {{few: 172.16.0.0/20 or longer}}}}
policies:
  from-outside:
    statements:
      - {{name: few, match: {{prefixes: few}}, set: {{local-preference: {0}}}, then: accept}}
    default: accept
"""
#: table, prefix, weight, local preference, origin, path length, MED, external, cost, router id.
KEYS = 10


def main() -> None:
    texts = [
        reflected_borders(ROUTERS, BORDERS, PREFIXES, ORIGINS, policy=POLICY.format(preference))
        for preference in (120, 130)
    ]
    network, changed = (read_texts(each).network for each in texts)
    began = time.perf_counter()
    state = converge(network)
    print(f"the whole network converges in {time.perf_counter() - began:.1f} s")
    domain = BgpDomain(state.topology, state.rib.interning)
    began = time.perf_counter()
    inputs = Inputs(view=state.rib)
    result = domain.compute(inputs, domain.asked(inputs), None)
    tables = time.perf_counter() - began
    rows = np.concatenate([block for blocks in result.by_table.values() for block in blocks])
    print(f"{len(rows):,} rows of BGP, {len(result.classes.all):,} classes of prefixes")
    random = np.random.default_rng(1)
    keys = [rows["prefix"].copy(), rows["table"].copy()]
    keys = [random.integers(0, 5, len(rows)) for _ in range(KEYS - len(keys))] + keys
    order = random.permutation(len(rows))
    keys = [key[order] for key in keys]
    began = time.perf_counter()
    np.lexsort(keys)
    sort = time.perf_counter() - began
    print(f"all tables {tables:.2f} s, one sort by {KEYS} keys of as many rows {sort:.2f} s")
    print(f"ratio {tables / sort:.2f} (wanted: at most 2)")
    began = time.perf_counter()
    after = converge(changed, since=state)
    seconds = time.perf_counter() - began
    classes = bgp_of(after.results).classes
    print(
        f"one statement changed: {len(classes.anew):,} of {len(classes.announced):,} prefixes "
        f"anew, {seconds:.1f} s"
    )
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    print(f"peak of memory {peak:.2f} GB (wanted: below 3)")


if __name__ == "__main__":
    main()
