"""What a failure does: the small record that is kept of each case of a sweep."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from routrel.convergence.converge import State
from routrel.model.network import InterfaceKind
from routrel.model.promises import Promise
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.following import since, without
from routrel.questions.sweep.cases import Case, written
from routrel.questions.sweep.ways import KeptWay, kept_ways
from routrel.topology.segments import Topology

__all__ = ["Base", "Record", "parts_of", "record"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """What one case does. Names only: it is small, whatever the network."""

    failed: tuple[str, ...]
    broken: tuple[str, ...]  #: promises that it breaks
    rerouted: tuple[str, ...]  #: promises that are kept another way
    mended: tuple[str, ...]  #: promises that are broken without it, and kept with it
    asked: int  #: promises that were asked again, since they rest on what moved
    cut_off: tuple[tuple[str, ...], ...]  #: parts without a wire to the largest one, by device
    routes_lost: int  #: prefixes that some table holds no more, over all tables that are left
    routes_moved: int  #: routes that are others
    flows_lost: tuple[str, ...]  #: kept questions that were answered and are not any more
    flows_moved: tuple[str, ...]
    longest_detour: int  #: links that the way of a kept promise is longer by, at most
    findings: tuple[str, ...]  #: new ones, in words


class Base:
    """The state that things fail in, and how promises and kept questions stand in it."""

    def __init__(self, state: State, promises: Sequence[Promise], kept: KeptFlows) -> None:
        self.state, self.promises, self.kept = state, tuple(promises), kept

    def prepare(self) -> None:
        """Work out all that every case is held against, as before this process is forked."""
        _ = self.known, self.ways, self.parts, self.finding_texts

    @cached_property
    def known(self) -> Mapping[str, Checked]:
        """By name: how promises stand without any failure."""
        return {promise.name: self.checker.check(promise) for promise in self.promises}

    @cached_property
    def checker(self) -> Checker:
        """What checks promises without any failure."""
        return Checker(self.state, self.promises, self.kept)

    @cached_property
    def ways(self) -> Mapping[str, KeptWay]:
        """By name: what becomes of kept questions."""
        return kept_ways(self.state, self.kept)

    @cached_property
    def finding_texts(self) -> frozenset[str]:
        """All that is found without any failure, in words."""
        return frozenset(finding.text for finding in self.state.findings)

    @cached_property
    def parts(self) -> list[tuple[str, ...]]:
        """What hangs together by wires."""
        return parts_of(self.state.topology)


def record(base: Base, case: Case) -> Record:
    """Fail things, and hold what comes of it against what was."""
    before = base.state
    after = without(before, case)
    otherwise = since(base.checker, after)
    checker = Checker(after, base.promises, base.kept, since=otherwise)
    broken, rerouted, mended, asked, detour = [], [], [], 0, 0
    for promise in base.promises:
        then = base.known[promise.name]
        now = checker.check(promise, then)
        asked += now.was_asked
        if then.kept and not now.kept:
            broken.append(promise.name)
        elif now.kept and not then.kept:
            mended.append(promise.name)
        elif now.kept and now.rerouted:
            rerouted.append(promise.name)
            detour = max(detour, now.longest - then.longest)
    off = after.topology.failed.devices
    moved, lost = len(otherwise.moved), len(otherwise.moved.gone)
    moved_off, lost_off = otherwise.moved.count_off(off)
    ways = kept_ways(after, base.kept, base.ways, otherwise.touched)
    return Record(
        failed=written(case),
        broken=tuple(broken),
        rerouted=tuple(rerouted),
        mended=tuple(mended),
        asked=asked,
        cut_off=_cut_off(base.parts, after.topology),
        routes_lost=lost - lost_off,
        routes_moved=moved - moved_off,
        flows_lost=tuple(n for n in ways if base.ways[n].way.arrives and not ways[n].way.arrives),
        flows_moved=tuple(n for n in ways if base.ways[n].way != ways[n].way),
        longest_detour=detour,
        findings=tuple(f.text for f in after.findings if f.text not in base.finding_texts),
    )


def parts_of(topology: Topology) -> list[tuple[str, ...]]:
    """The devices that hang together by wires that carry packets, the largest part first.

    What failed itself is in none. Outside networks join nothing: nobody knows what is behind them.
    """
    part: dict[str, list[str]] = {
        device.name: [device.name]
        for device in topology.network.devices
        if not topology.has_failed(device.name)
    }
    for segment in topology.segments:
        ends = [
            end.device.name
            for end in segment.ends
            if end.interface.kind is not InterfaceKind.LOOPBACK and topology.is_up(*end.key)
        ]
        for name in ends[1:]:
            one, other = part[ends[0]], part[name]
            if one is not other:
                small, large = sorted((one, other), key=len)
                large += small
                part.update(dict.fromkeys(small, large))
    found = {id(members): tuple(sorted(members)) for members in part.values()}
    return sorted(found.values(), key=lambda members: (-len(members), members))


def _cut_off(before: list[tuple[str, ...]], topology: Topology) -> tuple[tuple[str, ...], ...]:
    """The parts that are cut off by a failure: all but the largest of what hung together."""
    together = {name: number for number, members in enumerate(before) for name in members}
    found = []
    whole: set[int] = set()
    for members in parts_of(topology):
        number = together[members[0]]
        if number in whole:
            found.append(members)
        whole.add(number)
    return tuple(found)
