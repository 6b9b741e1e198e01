"""BGP as routers do it, one message at a time: slow, plain, and written apart from the engine.

Routers hold what each neighbour last told them, choose, and tell their neighbours what changed.
Which message arrives next is up to chance; messages of one session keep their order.
"""

from __future__ import annotations

import heapq
import random
from collections import deque
from dataclasses import dataclass, field, replace

__all__ = ["PlainNet", "PlainRouter", "PlainSession", "Told"]

WORST = 2**32 - 1


@dataclass(frozen=True)
class Told:
    """A route as one router holds it."""

    path: tuple[int, ...] = ()
    next_hop: str = ""  #: an address; empty: one's own
    preference: int = 100
    med: int | None = None
    weight: int = 0
    communities: frozenset[str] = frozenset()
    originator: int | None = None
    clusters: tuple[int, ...] = ()
    source: str = "own"  #: own, external or internal
    peer: str = ""  #: the neighbour's address
    peer_id: int = 0


@dataclass
class PlainRouter:
    """One router: number N has the router id 10.255.0.N."""

    number: int
    system: int  #: its AS
    originates: bool = False
    always_med: bool = False
    missing_worst: bool = False
    sessions: list[PlainSession] = field(default_factory=list)


@dataclass
class PlainSession:
    """One end of a session, with what this end does to routes."""

    peer: int
    local: str  #: addresses of the two ends
    remote: str
    internal: bool
    client: bool = False  #: the peer is this router's reflector client
    next_hop_self: bool = False
    import_set: dict[str, int] = field(default_factory=dict)  #: preference, med or weight
    export_set: dict[str, object] = field(default_factory=dict)  #: med, prepend or community
    held: Told | None = None


class PlainNet:
    """Routers with the interior cost from each to every address it can reach."""

    def __init__(self, routers: list[PlainRouter], costs: dict[int, dict[str, int]]) -> None:
        self.routers = {router.number: router for router in routers}
        self.costs = costs

    def run(self, seed: int, limit: int = 4000) -> dict[int, Told | None] | None:
        """What every router chooses in the end; None where no end comes."""
        chance = random.Random(seed)
        queues: dict[tuple[int, str, str], deque[Told | None]] = {}
        last: dict[tuple[int, str, str], Told | None] = {}
        chosen: dict[int, Told | None] = dict.fromkeys(self.routers)
        for router in self.routers.values():
            for session in router.sessions:
                session.held = None

        def choose(router: PlainRouter) -> None:
            chosen[router.number] = best = self.best(router)
            for session in router.sessions:
                key = (session.peer, session.remote, session.local)
                sent = self.export(router, session, best)
                if sent != last.get(key):
                    last[key] = sent
                    queues.setdefault(key, deque()).append(sent)

        started = list(self.routers.values())
        chance.shuffle(started)
        for router in started:
            if router.originates:
                choose(router)
        for _ in range(limit):
            waiting = sorted(key for key, queue in queues.items() if queue)
            if not waiting:
                return chosen
            number, local, remote = key = chance.choice(waiting)
            message = queues[key].popleft()
            router = self.routers[number]
            session = next(s for s in router.sessions if (s.local, s.remote) == (local, remote))
            session.held = None if message is None else self.take(router, session, message)
            choose(router)
        return None

    def best(self, router: PlainRouter) -> Told | None:
        """RFC 4271 9.1.2.2, each step throwing out what is worse than something left."""
        left = [s.held for s in router.sessions if s.held is not None]
        costs = self.costs[router.number]
        left = [told for told in left if told.next_hop in costs]
        if router.originates:
            left.append(Told(weight=32768))

        def med(told: Told) -> int:
            return (WORST if router.missing_worst else 0) if told.med is None else told.med

        def group(told: Told) -> int:
            return 0 if router.always_med or not told.path else told.path[0]

        def keep(value) -> None:
            least = min(map(value, left))
            left[:] = [told for told in left if value(told) == least]

        if not left:
            return None
        keep(lambda told: -told.weight)
        keep(lambda told: -told.preference)
        keep(lambda told: told.source != "own")
        keep(lambda told: len(told.path))
        left[:] = [
            told
            for told in left
            if not any(group(o) == group(told) and med(o) < med(told) for o in left)
        ]
        keep(lambda told: told.source == "internal")
        keep(lambda told: costs.get(told.next_hop, 0))
        keep(lambda told: told.originator or told.peer_id)
        keep(lambda told: len(told.clusters))
        keep(lambda told: tuple(map(int, told.peer.split("."))) if told.peer else ())
        return left[0]

    def export(self, router: PlainRouter, session: PlainSession, told: Told | None) -> Told | None:
        """What a router tells a neighbour of its choice."""
        if told is None or told.peer == session.remote:
            return None
        clusters, originator = told.clusters, told.originator
        if session.internal and told.source == "internal":
            came = next(s for s in router.sessions if s.remote == told.peer)
            if not came.client and not session.client:
                return None
            clusters = (router.number, *clusters)
            originator = originator or told.peer_id
        if "no-export" in told.communities and not session.internal:
            return None
        next_hop = told.next_hop
        own = told.source == "own"
        if own or not session.internal or (session.next_hop_self and told.source != "internal"):
            next_hop = session.local
        path, med = told.path, told.med
        if not session.internal and not own:
            med = None
        made = session.export_set
        if "prepend" in made:
            path = (router.system,) * int(str(made["prepend"])) + path
        if "med" in made:
            med = int(str(made["med"]))
        communities = told.communities
        if "community" in made:
            communities |= {str(made["community"])}
        if not session.internal:
            path, clusters, originator = (router.system, *path), (), None
        return replace(
            told, path=path, next_hop=next_hop, med=0 if own and med is None else med, weight=0,
            communities=communities, originator=originator, clusters=clusters,
        )  # fmt: skip

    def take(self, router: PlainRouter, session: PlainSession, sent: Told) -> Told | None:
        """What a router makes of what it is told."""
        if router.system in sent.path:
            return None
        if sent.originator == router.number or router.number in sent.clusters:
            return None
        if sent.next_hop == session.local:
            return None
        told = replace(
            sent,
            source="internal" if session.internal else "external",
            peer=session.remote,
            peer_id=session.peer,
            preference=sent.preference if session.internal else 100,
        )
        return replace(told, **session.import_set)


def interior_costs(links: list[tuple[int, int, int]], start: int) -> dict[int, int]:
    """The cost from one router to every other over interior links (left, right, cost)."""
    found: dict[int, int] = {}
    heap = [(0, start)]
    while heap:
        cost, here = heapq.heappop(heap)
        if here in found:
            continue
        found[here] = cost
        for left, right, more in links:
            if here in (left, right):
                heapq.heappush(heap, (cost + more, right if here == left else left))
    return found
