"""Slow, plain protocols: tables by passing messages one at a time, written apart from the engine.

Each takes links as (left, right, cost outward of left, cost outward of right) and what every router
announces, and returns {router: {prefix: metric}}. They share no code with the engine.
"""

from __future__ import annotations

import heapq
import random
from collections import defaultdict
from dataclasses import dataclass, field

Links = list[tuple[str, str, int, int]]

__all__ = ["PlainRip", "plain_eigrp", "plain_externals", "plain_rip"]


@dataclass(frozen=True)
class PlainRip:
    """What RIP routers are set to; links are point-to-point, at most one between two routers."""

    links: Links  #: the left cost is what the right end adds to what it hears, and so on
    own: dict[str, set[str]]  #: networks of their own, announced with metric 1
    statics: dict[tuple[str, str], int] = field(default_factory=dict)  #: (router, prefix): distance
    takes: frozenset[str] = frozenset()  #: who announces its static routes, with metric 1
    #: By router, neighbour and "export" or "import": "set" a metric, or "drop" what has one.
    rules: dict[tuple[str, str, str], tuple[str, int]] = field(default_factory=dict)


def plain_rip(net: PlainRip, seed: int) -> dict[str, dict[str, int]] | None:
    """Distance vectors in a random order of messages until nobody believes anything new.

    Each message replaces all that its sender said before. What is active in a table is passed on,
    but not to who it was learned from (RFC 2453 3.4.3); RIP ranks at 120 among static routes. None
    where messages never come to rest.
    """
    order = random.Random(seed)
    costs = {}
    for left, right, left_cost, right_cost in net.links:
        costs[left, right], costs[right, left] = left_cost, right_cost
    heard: dict[tuple[str, str], dict[str, int]] = defaultdict(dict)  # (receiver, sender)

    def learned(router: str) -> dict[str, tuple[int, set[str]]]:
        found: dict[str, tuple[int, set[str]]] = {}
        for (receiver, sender), offers in heard.items():
            for prefix, metric in offers.items() if receiver == router else ():
                least, senders = found.get(prefix, (16, set()))
                if metric < least:
                    found[prefix] = (metric, {sender})
                elif metric == least < 16:
                    senders.add(sender)
        return found

    def active(router: str) -> dict[str, tuple[int, set[str]]]:
        """Metric and senders of the RIP routes that no better one stands before."""
        return {
            prefix: found
            for prefix, found in learned(router).items()
            if prefix not in net.own[router] and net.statics.get((router, prefix), 255) > 120
        }

    def told(router: str, to: str) -> dict[str, int]:
        routes = active(router)
        offers = {p: m for p, (m, senders) in routes.items() if to not in senders}
        for holder, prefix in net.statics:
            if holder == router and router in net.takes and prefix not in routes:
                offers[prefix] = 1
        offers |= dict.fromkeys(net.own[router], 1)
        # RFC 2453 3.9.2: the receiver adds its cost to what was sent, and holds that.
        sent = ruled(offers, (router, to, "export"))
        arrived = {p: min(16, m + costs[router, to]) for p, m in sent.items()}
        return ruled(arrived, (to, router, "import"))

    def ruled(offers: dict[str, int], where: tuple[str, str, str]) -> dict[str, int]:
        kind, number = net.rules.get(where, ("drop", 0))
        if kind == "set":
            return {p: 16 if m >= 16 else number for p, m in offers.items()}
        return {p: m for p, m in offers.items() if m != number}

    pending = list(costs)
    for _ in range(200):
        order.shuffle(pending)
        moved = False
        for sender, to in pending:
            offers = told(sender, to)
            if heard[to, sender] != offers:
                heard[to, sender] = offers
                moved = True
        if not moved:
            return {router: {p: m for p, (m, _) in active(router).items()} for router in net.own}
    return None


def plain_eigrp(
    links: list[tuple[str, str, int, int]], own: dict[str, set[str]]
) -> dict[str, dict[str, int]]:
    """Classic distances, settled router by router from the nearest (no two paths below it).

    Links are (left, right, kb/s, tens of microseconds), the same at both ends; what a router
    announces is on a loopback of 1 Gb/s and 10 us.
    """
    near = defaultdict(list)
    for left, right, kbps, delay in links:
        near[left].append((right, kbps, delay))
        near[right].append((left, kbps, delay))

    def distance(kbps: int, delay: int) -> int:
        return 256 * (10**7 // kbps + delay)

    tables: dict[str, dict[str, int]] = {router: {} for router in own}
    for origin, prefixes in own.items():
        settled: dict[str, int] = {}
        queue = [(distance(10**6, 1), origin, 10**6, 1)]
        while queue:
            metric, router, kbps, delay = heapq.heappop(queue)
            if router in settled:
                continue
            settled[router] = metric
            for other, link_kbps, link_delay in near[router]:
                narrow, late = min(kbps, link_kbps), delay + link_delay
                heapq.heappush(queue, (distance(narrow, late), other, narrow, late))
        for router, metric in settled.items():
            if router != origin:
                tables[router].update(dict.fromkeys(prefixes, metric))
    return tables


def _distances(links: Links, start: str) -> dict[str, int]:
    near = defaultdict(list)
    for left, right, left_cost, right_cost in links:
        near[left].append((right, left_cost))
        near[right].append((left, right_cost))
    found: dict[str, int] = {}
    queue = [(0, start)]
    while queue:
        cost, router = heapq.heappop(queue)
        if router not in found:
            found[router] = cost
            for other, step in near[router]:
                heapq.heappush(queue, (cost + step, other))
    return found


def plain_externals(
    links: Links, announced: list[tuple[str, int, int]], router: str
) -> tuple[int, int] | None:
    """The (type, metric) of a router's best external route: (origin, type, metric) announced.

    Type 1 before type 2; among type 1 the whole cost, among type 2 the metric alone.
    """
    ways = _distances(links, router)
    offers = [
        (kind, metric + (ways[origin] if kind == 1 else 0))
        for origin, kind, metric in announced
        if origin != router and origin in ways
    ]
    return min(offers, default=None)
