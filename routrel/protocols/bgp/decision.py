"""The decision among paths to one prefix, rung by rung (RFC 4271 9.1.2.2 with its extensions).

Each rung keeps the best of what is left. All rungs but MED compare plain numbers, lower first, so
they fall into two keys, one before MED and one behind it. MED alone compares only paths of the same
neighbouring AS.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice, permutations
from typing import TypeAlias

from routrel.model.bgp import BgpDecision, BgpMultipath, MedGrouping, MissingMed
from routrel.policy.as_paths import neighbouring_as, path_length
from routrel.protocols.bgp.paths import OwnKind, Path, PathSource

__all__ = ["BGP_RUNGS", "Choice", "Contender", "Decision", "contender"]

#: The rungs in order, by their stable identifiers.
BGP_RUNGS = (
    "usable", "weight", "local_preference", "originated", "as_path_length", "origin", "med",
    "ebgp", "igp_cost", "oldest", "router_id", "cluster_list", "neighbour_address",
)  # fmt: skip
_BEFORE_MED = ("weight", "local_preference", "originated", "as_path_length", "origin")
#: Behind these stands the next hop, for paths that are equal in all else.
_BEHIND_MED = ("ebgp", "igp_cost", "oldest", "router_id", "cluster_list", "neighbour_address")
_WORST_MED = 2**32 - 1
#: Orders of arrival that are tried: all of up to four paths.
_MOST_ARRIVALS = 24
_OWN_ORDER = list(OwnKind)

Key: TypeAlias = tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Contender:
    """A usable path as the decision sees it; every number is better when it is lower."""

    number: int  #: of the path
    before: Key  #: values of `_BEFORE_MED`
    group: int  #: the neighbouring AS whose paths share a MED; 0 where all do or it is one's own
    med: int
    behind: Key  #: values of `_BEHIND_MED`; the first two are the same for equal paths
    age_s: int | None
    fresh: bool  #: whether it came last of all, whatever ages are known
    order: int  #: of its session among all, for paths of unknown age
    as_path: object  #: for multipath


@dataclass(frozen=True, slots=True)
class Choice:
    """What is chosen: the best path, those used beside it, and where every other one lost."""

    best: int | None
    used: tuple[int, ...]  #: the best first
    lost_on: dict[int, str]  #: by path number


def contender(
    number: int,
    path: Path,
    options: BgpDecision,
    *,
    igp_cost: int,
    router_id: int,
    neighbour: int,
    order: int,
    fresh: bool = False,
) -> Contender:
    """A usable path made ready to compare.

    Args:
        igp_cost: The interior cost to its next hop.
        router_id: The neighbour's router id, or the originator's of a reflected path (RFC 4456 9).
        neighbour: The neighbour's address as a number; 0 for an own path.
        order: Of the session it came by, among all.
        fresh: Whether that session has just come up.
    """
    own = path.source is PathSource.OWN
    missing = _WORST_MED if options.missing_med is MissingMed.WORST else 0
    group = 0
    if not options.compare_med_always:
        group = neighbouring_as(path.as_path) or 0
    return Contender(
        number=number,
        before=(
            -path.weight,
            -path.local_preference,
            0 if own else 1,
            0 if options.ignore_as_path_length else path_length(path.as_path),
            path.origin,
        ),
        group=group,
        med=missing if path.med is None else path.med,
        behind=(
            1 if path.source.is_inside else 0,
            0 if options.ignore_interior_cost else igp_cost,
            0,
            _OWN_ORDER.index(path.own) if path.own else router_id,
            len(path.cluster_list),
            neighbour,
            # Several paths from one neighbour (RFC 7911) may differ in nothing but their next hop.
            int(path.next_hop) if path.next_hop else 0,
        ),
        order=order,
        age_s=0 if fresh else path.age_s if path.source is PathSource.EXTERNAL else None,
        fresh=fresh and path.source is PathSource.EXTERNAL,
        as_path=path.as_path,
    )


class Decision:
    """How one router chooses."""

    def __init__(self, options: BgpDecision, multipath: BgpMultipath) -> None:
        self.options, self.multipath = options, multipath
        self.by_arrival = options.med_grouping is MedGrouping.BY_ARRIVAL
        self.newest: tuple[int, ...] = ()  #: sessions by number, whose paths count as newest

    def best(self, contenders: Sequence[Contender]) -> int | None:
        """The number of the best path; None where there is no usable one."""
        if not contenders:
            return None
        if len(contenders) == 1:
            return contenders[0].number
        if self.by_arrival or self.options.prefer_oldest:
            return self.choose(contenders).best
        first = min(item.before for item in contenders)
        left = [item for item in contenders if item.before == first]
        if len(left) > 1:
            left = _least_med(left)
        return min(left, key=_behind).number

    def choose(self, contenders: Sequence[Contender]) -> Choice:
        """The whole decision, with the rung where each path lost."""
        if not contenders:
            return Choice(None, (), {})
        lost: dict[int, str] = {}
        if self.by_arrival:
            return self._choose_by_arrival(contenders)
        left = list(contenders)
        for rung in BGP_RUNGS[1:]:
            kept = self._kept(rung, left)
            for item in left:
                if item not in kept:
                    lost[item.number] = rung
            left = kept
        best = min(left, key=_behind)
        for item in left:
            if item is not best:
                lost[item.number] = BGP_RUNGS[-1]
        return self._with_multipath(contenders, best, lost)

    def ranked(self, contenders: Sequence[Contender], count: int) -> list[int]:
        """The best paths in order, each the best of what the ones before leave (RFC 7911)."""
        left, found = list(contenders), list[int]()
        while left and len(found) < count:
            best = self.best(left)
            if best is None:
                break
            found.append(best)
            left = [item for item in left if item.number != best]
        return found

    def _kept(self, rung: str, left: list[Contender]) -> list[Contender]:
        """What a rung leaves."""
        if len(left) == 1:
            return left
        if rung == "med":
            return _least_med(left)
        if rung == "oldest":
            return self._oldest(left)
        value = _value_of(rung)
        least = min(value(item) for item in left)
        return [item for item in left if value(item) == least]

    def _oldest(self, left: list[Contender]) -> list[Contender]:
        """The external path heard first, if that is asked for and all ages are known.

        What has just come is younger than all others, even those of unknown age.
        """
        if not self.options.prefer_oldest:
            return left
        left = [item for item in left if not item.fresh] or left
        if any(item.age_s is None for item in left):
            return left
        most = max(item.age_s or 0 for item in left)
        return [item for item in left if item.age_s == most]

    def _choose_by_arrival(self, contenders: Sequence[Contender]) -> Choice:
        """The classic way: the newest path against the next older one, the winner against the
        next, and so on; MED counts only when the two at hand share their neighbouring AS.

        Paths of unknown age come behind those of known age, in the order of their sessions.
        """
        place = {order: number for number, order in enumerate(self.newest)}

        def arrival(item: Contender) -> tuple[bool, int, int, int]:
            unknown = place.get(item.order, len(place))
            return item.age_s is None, item.age_s or 0, unknown, item.order

        newest = sorted(contenders, key=arrival)
        plain = Decision(BgpDecision(prefer_oldest=self.options.prefer_oldest), BgpMultipath())
        lost: dict[int, str] = {}
        best = newest[0]
        for item in newest[1:]:
            choice = plain.choose([best, item])
            lost.update(choice.lost_on)
            best = best if choice.best == best.number else item
        lost.pop(best.number, None)
        return self._with_multipath(contenders, best, lost)

    def other_arrivals(self, contenders: Sequence[Contender]) -> Iterator[Decision]:
        """The same decision with other orders of the paths of unknown age."""
        unknown = sorted({item.order for item in contenders if item.age_s is None})
        for order in islice(permutations(unknown), _MOST_ARRIVALS):
            yield self.arrived(tuple(order))

    def arrived(self, newest: tuple[int, ...]) -> Decision:
        """The same decision with paths of unknown age in an order of arrival, the newest first."""
        other = Decision(self.options, self.multipath)
        other.newest = newest
        return other

    def _with_multipath(
        self, contenders: Iterable[Contender], best: Contender, lost: dict[int, str]
    ) -> Choice:
        """The best path and those that equal it up to the interior cost."""
        inside = bool(best.behind[0])
        maximum = self.multipath.internal if inside else self.multipath.external
        used = [best.number]
        if maximum > 1 and best.number >= 0:
            equal = [
                item
                for item in contenders
                if item is not best
                and lost.get(item.number) in _LATE_RUNGS
                and (self.multipath.any_as_path or item.as_path == best.as_path)
            ]
            for item in sorted(equal, key=_behind)[: maximum - 1]:
                used.append(item.number)
                lost.pop(item.number, None)
        return Choice(best.number, tuple(used), lost)


#: Rungs that do not tell one path to be better, only choose among equals.
_LATE_RUNGS = frozenset({"oldest", "router_id", "cluster_list", "neighbour_address"})


def _behind(item: Contender) -> Key:
    return item.behind


def _least_med(left: list[Contender]) -> list[Contender]:
    """Without those whose MED is above that of another path of their group."""
    least: dict[int, int] = {}
    for item in left:
        if item.med < least.get(item.group, _WORST_MED + 1):
            least[item.group] = item.med
    return [item for item in left if item.med == least[item.group]]


def _value_of(rung: str) -> Callable[[Contender], int]:
    if rung in _BEFORE_MED:
        place = _BEFORE_MED.index(rung)
        return lambda item: item.before[place]
    place = _BEHIND_MED.index(rung)
    return lambda item: item.behind[place]
