"""BGP as routers do it, one message at a time: slow, plain, and written apart from the engine.

Routers hold what each neighbour last told them, choose, and tell their neighbours what changed.
Which message arrives next is up to chance; messages of one session keep their order.
"""

from __future__ import annotations

import heapq
import random
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TypeAlias

__all__ = ["Hop", "PlainNet", "PlainRouter", "PlainSession", "Told", "aggregate", "interior_costs"]

WORST = 2**32 - 1
#: One step of an AS path: a number, or the set of those that an aggregate holds in no order.
Hop: TypeAlias = int | frozenset[int]


@dataclass(frozen=True)
class Told:
    """A route as one router holds it."""

    path: tuple[Hop, ...] = ()
    members: tuple[Hop, ...] = ()  #: the confederation's segments in front of it
    next_hop: str = ""  #: an address; empty: one's own
    preference: int = 100
    med: int | None = None
    weight: int = 0
    communities: frozenset[str] = frozenset()
    originator: int | None = None
    clusters: tuple[int, ...] = ()
    source: str = "own"  #: own, external, confederation or internal
    peer: str = ""  #: the neighbour's address
    peer_id: int = 0


@dataclass
class PlainRouter:
    """One router: number N has the router id 10.255.0.N."""

    number: int
    system: int  #: its AS; in a confederation the member AS
    confederation: int | None = None  #: the AS that others see
    by_arrival: bool = False  #: the newest route against the next older one, and so on
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
    inside: bool = False  #: the peer is of another member of the same confederation
    client: bool = False  #: the peer is this router's reflector client
    next_hop_self: bool = False
    import_set: dict[str, int] = field(default_factory=dict)  #: preference, med or weight
    #: med, prepend, community, or hop: the next hop that is named
    export_set: dict[str, object] = field(default_factory=dict)
    held: Told | None = None
    heard_at: int = 0


class PlainNet:
    """Routers with the interior cost from each to every address it can reach."""

    def __init__(
        self,
        routers: list[PlainRouter],
        costs: dict[int, dict[str, int]],
        addresses: dict[int, set[str]],
    ) -> None:
        self.routers = {router.number: router for router in routers}
        self.costs = costs
        self.addresses = addresses  #: by router, of all its interfaces

    def run(
        self, own: Mapping[int, Told], seed: int, limit: int = 4000
    ) -> dict[int, Told | None] | None:
        """What every router chooses in the end; None where no end comes.

        Args:
            own: By router what it announces of its own.
        """
        self.own = own
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
            if router.number in own:
                choose(router)
        for now in range(limit):
            waiting = sorted(key for key, queue in queues.items() if queue)
            if not waiting:
                return chosen
            number, local, remote = key = chance.choice(waiting)
            message = queues[key].popleft()
            router = self.routers[number]
            session = next(s for s in router.sessions if (s.local, s.remote) == (local, remote))
            session.held = None if message is None else self.take(router, session, message)
            session.heard_at = now
            choose(router)
        return None

    def best(self, router: PlainRouter) -> Told | None:
        """RFC 4271 9.1.2.2, each step throwing out what is worse than something left."""
        heard = sorted((s for s in router.sessions if s.held), key=lambda s: -s.heard_at)
        costs = self.costs[router.number]
        left = [s.held for s in heard if s.held and s.held.next_hop in costs]
        if router.number in self.own:
            left.append(self.own[router.number])
        if not router.by_arrival:
            return self._best_of(router, left)
        best = left[0] if left else None
        for other in left[1:]:
            best = self._best_of(router, [best, other])
        return best

    def _best_of(self, router: PlainRouter, left: list[Told]) -> Told | None:
        left = list(left)
        costs = self.costs[router.number]

        def med(told: Told) -> int:
            return (WORST if router.missing_worst else 0) if told.med is None else told.med

        def group(told: Told) -> int:
            first = told.path[0] if told.path else 0
            return 0 if router.always_med or isinstance(first, frozenset) else first

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
        keep(lambda told: told.source in ("internal", "confederation"))
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
        border = not session.internal and not session.inside
        if "no-export" in told.communities and border:
            return None
        next_hop = told.next_hop
        own = told.source == "own"
        if own or border or (session.next_hop_self and told.source != "internal"):
            next_hop = session.local
        if next_hop == session.remote:
            next_hop = session.local  # 5.1.3: not an address of the peer
        path, med = told.path, told.med
        if border and not own:
            med = None
        made = session.export_set
        if "prepend" in made:
            path = (router.confederation or router.system,) * int(str(made["prepend"])) + path
        if "med" in made:
            med = int(str(made["med"]))
        if "hop" in made:
            next_hop = str(made["hop"])
        communities = told.communities
        if "community" in made:
            communities |= {str(made["community"])}
        members = told.members
        if not session.internal:
            clusters, originator = (), None
        if session.inside:
            members = (router.system, *members)
        elif border:
            path, members = (router.confederation or router.system, *path), ()
        return replace(
            told, path=path, members=members, next_hop=next_hop, med=med, weight=0,
            communities=communities, originator=originator, clusters=clusters,
        )  # fmt: skip

    def take(self, router: PlainRouter, session: PlainSession, sent: Told) -> Told | None:
        """What a router makes of what it is told."""
        if router.system in numbers(sent.members):
            return None
        if (router.confederation or router.system) in numbers(sent.path):
            return None
        if sent.originator == router.number or router.number in sent.clusters:
            return None
        if sent.next_hop == session.local or sent.next_hop in self.addresses[router.number]:
            return None
        told = replace(
            sent,
            source="internal"
            if session.internal
            else "confederation"
            if session.inside
            else "external",
            peer=session.remote,
            peer_id=session.peer,
            preference=sent.preference if session.internal or session.inside else 100,
        )
        return replace(told, **session.import_set)


def numbers(path: Sequence[Hop]) -> set[int]:
    """All AS numbers of a path."""
    return {n for hop in path for n in (hop if isinstance(hop, frozenset) else (hop,))}


def aggregate(parts: Sequence[Told]) -> Told:
    """What stands for parts with an AS set (RFC 4271 9.2.2.2, RFC 5065 3), at its aggregator."""
    return Told(
        path=merged([part.path for part in parts]),
        members=merged([part.members for part in parts]),
        weight=32768,
        communities=frozenset().union(*(part.communities for part in parts)),
    )


def merged(paths: Sequence[Sequence[Hop]]) -> tuple[Hop, ...]:
    """What all begin with, then a set of what else they hold."""
    begin: list[Hop] = []
    for hops in zip(*paths, strict=False):
        if len(set(hops)) > 1 or isinstance(hops[0], frozenset):
            break
        begin.append(hops[0])
    rest = frozenset().union(*(numbers(path[len(begin) :]) for path in paths))
    return (*begin, rest) if rest else tuple(begin)


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
