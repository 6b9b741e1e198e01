"""Slow, plain OSPF with areas (RFC 2328 16), router by router, written apart from the engine.

Links are point-to-point; nothing is a stub, a range or a virtual link. Every router works out its own
table from what the border routers tell, area by area, as the RFC's steps have it.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable
from dataclasses import dataclass

__all__ = ["Answer", "PlainOspf"]

INFINITE = float("inf")
INTRA, INTER = 0, 1

#: A way to a destination: kind, cost, area it goes through.
Way = tuple[int, float, int]


@dataclass(frozen=True)
class Answer:
    """A route to an external prefix: type, metric, cost to the exit, and the exits that are used."""

    kind: int
    metric: int
    cost: int
    exits: frozenset[str]


@dataclass
class PlainOspf:
    """One routing domain."""

    links: list[tuple[str, str, int, int, int]]  #: left, right, cost of each way, area
    homes: dict[str, int]  #: by router: the area of its loopback
    announced: list[tuple[str, str, int, int]]  #: router, prefix, metric, type
    by_cost_alone: bool = True  #: RFC1583Compatibility

    def __post_init__(self) -> None:
        self.areas = {name: {area} for name, area in self.homes.items()}
        for left, right, _, _, area in self.links:
            self.areas[left].add(area)
            self.areas[right].add(area)
        self.numbers = sorted({area for areas in self.areas.values() for area in areas})
        self.near = {
            (name, area): self._dijkstra(name, area)
            for name, areas in self.areas.items()
            for area in areas
        }

    def is_border(self, name: str) -> bool:
        return len(self.areas[name]) > 1

    def _dijkstra(self, start: str, area: int) -> dict[str, float]:
        distance: dict[str, float] = {}
        heap = [(0.0, start)]
        while heap:
            far, here = heapq.heappop(heap)
            if here in distance:
                continue
            distance[here] = far
            for left, right, there, back, inside in self.links:
                if inside == area:
                    for a, b, cost in ((left, right, there), (right, left, back)):
                        if a == here and b not in distance:
                            heapq.heappush(heap, (far + cost, b))
        return distance

    # --- inside the domain ---------------------------------------------------------------------

    def internal(self) -> dict[str, dict[str, tuple[int, int]]]:
        """By router, and router whose loopback it is: kind and cost."""
        found: dict[str, dict[str, tuple[int, int]]] = {name: {} for name in self.areas}
        for target, home in self.homes.items():
            ways = self._ways({home: target}, min, per_area=False)
            for name, mine in ways.items():
                if name != target and mine:
                    kind, cost, _ = min(mine)
                    found[name][target] = (kind, int(cost))
        return found

    def _ways(
        self, at: dict[int, str], prefer: Callable[[list[Way]], Way], *, per_area: bool
    ) -> dict[str, list[Way]]:
        """By router its entries for a destination.

        Args:
            at: The areas that the destination itself announces it in, with who does.
            prefer: Which of a router's entries counts when it tells other areas.
            per_area: Whether there is an entry for each area, as for boundary routers (11).
        """
        entries: dict[str, list[Way]] = {name: [] for name in self.areas}
        for area, target in at.items():
            for name in self.areas:
                cost = self.near.get((name, area), {}).get(target, INFINITE)
                if cost < INFINITE:
                    entries[name].append((INTRA, cost, area))
        # 12.4.3: what a border router reaches inside other areas it tells the backbone ...
        told = {
            name: way[1]
            for name, mine in entries.items()
            if self.is_border(name) and 0 in self.areas[name] and mine
            for way in [prefer(mine)]
            if way[2] != 0
        }
        for name, mine in entries.items():
            known = any(way[2] == 0 for way in mine) if per_area else bool(mine)
            if 0 in self.areas[name] and not known:
                cost = self._by(name, 0, told)
                if cost < INFINITE:
                    mine.append((INTER, cost, 0))
        # ... and each other area what it reaches elsewhere; only who is no border router listens.
        for area in self.numbers:
            if area == 0:
                continue
            told = {
                name: way[1]
                for name, mine in entries.items()
                if self.is_border(name) and area in self.areas[name] and mine
                for way in [prefer(mine)]
                if way[2] != area
            }
            for name, mine in entries.items():
                if area in self.areas[name] and not self.is_border(name) and not mine:
                    cost = self._by(name, area, told)
                    if cost < INFINITE:
                        mine.append((INTER, cost, area))
        return entries

    def _by(self, name: str, area: int, told: dict[str, float]) -> float:
        near = self.near[name, area]
        return min(
            (near[other] + cost for other, cost in told.items() if other in near and other != name),
            default=INFINITE,
        )

    # --- external routes -----------------------------------------------------------------------

    def external(self, prefix: str) -> dict[str, Answer]:
        """By router its route to an external prefix of others (16.4)."""

        def rank(way: Way) -> int:
            inside = way[0] == INTRA and way[2] != 0
            return 0 if self.by_cost_alone or inside else 1

        def prefer(ways: list[Way]) -> Way:
            return min(ways, key=lambda way: (rank(way), way[1], -way[2]))

        offers: dict[str, list[tuple[tuple[float, ...], int, int, float, str]]] = {}
        for router, held, metric, kind in self.announced:
            if held != prefix:
                continue
            at = dict.fromkeys(self.areas[router], router)
            for name, ways in self._ways(at, prefer, per_area=True).items():
                if name == router or not ways:
                    continue
                way = prefer(ways)
                # (b) type, then the metric of type 2; (c) 16.4.1; (d) the sum or the distance.
                sum_ = metric + way[1] if kind == 1 else way[1]
                order = (kind, 0 if kind == 1 else metric, rank(way), sum_)
                shown = metric + way[1] if kind == 1 else metric
                offers.setdefault(name, []).append((order, kind, int(shown), way[1], router))
        found = {}
        for name, mine in offers.items():
            best = min(offer[0] for offer in mine)
            used = [offer for offer in mine if offer[0] == best]
            found[name] = Answer(
                used[0][1], used[0][2], int(used[0][3]), frozenset(offer[4] for offer in used)
            )
        return found
