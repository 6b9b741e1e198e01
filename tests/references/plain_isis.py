"""Slow, plain IS-IS with both levels (ISO 10589, RFC 1195, RFC 5302, RFC 5130), system by system.

Written apart from the engine: every system asks who announces a loopback on a level and how far it
is, and takes the best by the order of RFC 5302 3.2.
"""

from __future__ import annotations

from dataclasses import dataclass, field

__all__ = ["PlainIsis"]

#: What a system tells on a level of a loopback: metric and tag.
Told = dict[str, tuple[int, int]]


@dataclass
class PlainIsis:
    """Systems r1, r2, ... whose ids rise with their numbers, on point-to-point links."""

    links: list[tuple[str, str, int, int]]  #: left, right, cost of each way
    kinds: dict[str, int]  #: 1 or 2 for a level alone, 3 for both
    areas: dict[str, str]
    tags: dict[str, int] = field(default_factory=dict)  #: of a system's loopback
    leaks: frozenset[str] = frozenset()  #: who lets level 2 down into level 1

    def distances(self, start: str, level: int) -> dict[str, int]:
        """The costs to the systems that a level joins to one, by trying all links again and again."""
        found = {start: 0}
        for _ in self.kinds:
            for left, right, there, back in self.links:
                if not self._joins(left, right, level):
                    continue
                for a, b, cost in ((left, right, there), (right, left, back)):
                    if a in found:
                        found[b] = min(found.get(b, 10**9), found[a] + cost)
        return found

    def _joins(self, left: str, right: str, level: int) -> bool:
        if not (self.kinds[left] & self.kinds[right] & level):
            return False
        return level == 2 or self.areas[left] == self.areas[right]

    def _heard(self, told: dict[str, Told], level: int) -> dict[str, Told]:
        """By system of a level, the best it hears of each loopback; its own word counts too."""
        result = {}
        for name, kind in self.kinds.items():
            if not kind & level:
                continue
            ways = self.distances(name, level)
            mine: dict[str, tuple[int, int, int, int, str]] = {}
            for other, far in ways.items():
                for target, (metric, tag) in told.get(other, {}).items():
                    offer = (far + metric, int(other[1:]), metric, tag, other)
                    mine[target] = min(mine.get(target, offer), offer)
            result[name] = {target: (best[0], best[3]) for target, best in mine.items()}
        return result

    def routes(self) -> dict[str, dict[str, tuple[str, int, int]]]:
        """By system and system whose loopback it is: class, metric and tag."""
        own = {name: {name: (0, self.tags.get(name, 0))} for name in self.kinds}
        first = self._heard({n: own[n] for n in self.kinds if self.kinds[n] & 1}, 1)
        second = self._heard(
            {
                n: (first[n] if self.kinds[n] == 3 else own[n])
                for n in self.kinds
                if self.kinds[n] & 2
            },
            2,
        )
        down = self._heard(
            {
                name: {t: w for t, w in second[name].items() if t not in first[name]}
                for name in self.leaks
                if self.kinds[name] == 3
            },
            1,
        )
        result: dict[str, dict[str, tuple[str, int, int]]] = {}
        for name in self.kinds:
            mine = result[name] = {}
            for word, level in (("level_1", first), ("level_2", second), ("level_1_down", down)):
                for target, way in level.get(name, {}).items():
                    if target != name:
                        mine.setdefault(target, (word, *way))
        return result

    def defaults(self) -> dict[str, int]:
        """By system the metric of its way towards the nearest attached system (7.2.9.2)."""
        attached = {
            name
            for name, kind in self.kinds.items()
            if kind == 3
            and any(self.areas[other] != self.areas[name] for other in self.distances(name, 2))
        }
        found = {}
        for name, kind in self.kinds.items():
            if kind & 1 and name not in attached:
                ways = [far for other, far in self.distances(name, 1).items() if other in attached]
                if ways:
                    found[name] = min(ways)
        return found
