"""Whether promises survive the failures that they say they do."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from routrel.convergence.converge import State
from routrel.model.failures import Failure, FailureKind
from routrel.model.network import Network
from routrel.model.promises import Promise, Survives, ThingKind
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.following import since, without
from routrel.topology.segments import Topology

__all__ = ["Endured", "survive", "things_that_fail"]

_KINDS = {
    ThingKind.LINK: FailureKind.LINK,
    ThingKind.DEVICE: FailureKind.DEVICE,
    ThingKind.SITE: FailureKind.SITE,
    ThingKind.GROUP: FailureKind.GROUP,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Endured:
    """What came of failing things one after another: how many, and what broke it first."""

    tried: int
    asked: int  #: of them those after which the promise was asked again: it rests on what moved
    broken_by: tuple[Failure, ...] = ()  #: empty: nothing did
    checked: Checked | None = None  #: how it was broken then


def things_that_fail(topology: Topology, kind: FailureKind) -> list[Failure]:
    """All things of a kind that can fail, in order of the network; a link has two ends or more."""
    return [Failure(kind, name) for name in _names(topology, kind)]


def _names(topology: Topology, kind: FailureKind) -> list[str]:
    network = topology.network
    match kind:
        case FailureKind.LINK:
            joined = (s for s in topology.segments if len(s.ends) + len(s.outside) > 1)
            return [segment.name for segment in joined]
        case FailureKind.DEVICE:
            return [device.name for device in network.devices]
        case FailureKind.SITE:
            return [site.name for site in network.sites]
        case FailureKind.GROUP:
            return [group.name for group in network.risk_groups]
        case FailureKind.LINE:
            return [outside.name for outside in network.outside]
        case FailureKind.SESSION:
            return [*_sessions(network)]
        case FailureKind.INTERFACE | FailureKind.DIRECTION:
            return [
                f"{end.device.name}:{end.interface.name}"
                for segment in topology.segments
                if len(segment.ends) + len(segment.outside) > 1
                for end in segment.ends
            ]


def _sessions(network: Network) -> Iterator[str]:
    """Every configured session once: of two ends of ours by the one that comes first."""
    owners = {
        own.ip: device.name
        for device in network.devices
        for interface in device.interfaces
        for own in interface.addresses
    }
    told: set[frozenset[str]] = set()
    for device in network.devices:
        for vrf in device.vrfs:
            for neighbour in vrf.bgp.neighbours if vrf.bgp else ():
                other = owners.get(neighbour.address)
                pair = frozenset((device.name, other)) if other else frozenset()
                if pair and pair in told:
                    continue
                told.add(pair)
                yield f"{device.name}:{neighbour.address}"


def survive(
    checker: Checker,
    promises: Sequence[Promise],
    known: Mapping[str, Checked],
    kept: KeptFlows,
    on_case: Callable[[int, int], None] | None = None,
) -> dict[str, Endured]:
    """What breaks the promises that say that they survive something, by their names.

    Promises that are broken without it are left out. Failures come on top of those of the state.

    Args:
        checker: Of the state in which things fail.
        promises: All of the network; some may name others.
        known: How they stand in the state.
        on_case: Called with the cases done and those in all.
    """
    state = checker.state
    wanted = {
        promise.name: {case for clause in promise.survives for case in _cases(state, clause)}
        for promise in promises
        if promise.survives and known[promise.name].kept
    }
    cases = list(dict.fromkeys(case for name in wanted for case in sorted(wanted[name])))
    found = {name: Endured(tried=0, asked=0) for name in wanted}
    by_name = {promise.name: promise for promise in promises}
    for number, case in enumerate(cases):
        if on_case:
            on_case(number, len(cases))
        open_names = [
            name for name, told in found.items() if not told.broken_by and case in wanted[name]
        ]
        if open_names:
            _fail(checker, case, [by_name[n] for n in open_names], promises, known, kept, found)
    return found


def _fail(
    before: Checker,
    case: tuple[Failure, ...],
    asked: Iterable[Promise],
    promises: Sequence[Promise],
    known: Mapping[str, Checked],
    kept: KeptFlows,
    found: dict[str, Endured],
) -> None:
    """Take some promises through one failure."""
    after = without(before.state, case)
    checker = Checker(after, promises, kept, survives=True, since=since(before, after))
    for promise in asked:
        told = found[promise.name]
        now = checker.check(promise, known[promise.name])
        found[promise.name] = Endured(
            tried=told.tried + 1,
            asked=told.asked + now.was_asked,
            broken_by=() if now.kept else case,
            checked=None if now.kept else now,
        )


def _cases(state: State, clause: Survives) -> Iterator[tuple[Failure, ...]]:
    things = [
        thing for kind in clause.kinds for thing in things_that_fail(state.topology, _KINDS[kind])
    ]
    yield from combinations(things, clause.count)
