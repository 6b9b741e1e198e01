"""Whether promises survive the failures that they say they do."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import combinations
from typing import TypeAlias

from routrel.convergence.converge import State
from routrel.model.failures import Failure, FailureKind
from routrel.model.network import Network
from routrel.model.promises import Promise, Survives, ThingKind
from routrel.questions.moves import KeptFlows
from routrel.questions.processes import Pool, in_turns
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.following import since, without
from routrel.topology.segments import Topology

#: What fails together.
Case: TypeAlias = tuple[Failure, ...]

__all__ = ["Case", "Endured", "survive", "things_that_fail"]

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
    make_pool: Pool | None = None,
    workers: int = 1,
) -> dict[str, Endured]:
    """What breaks the promises that say that they survive something, by their names.

    Promises that are broken without it are left out. Failures come on top of those of the state.
    However many processes there are, each promise is tried up to the first failure that breaks it.

    Args:
        checker: Of the state in which things fail.
        promises: All of the network; some may name others.
        known: How they stand in the state.
        on_case: Called with the cases done and those in all.
        make_pool: Makes processes for the cases; None: they are tried here.
        workers: How many it has.
    """
    wanted = {
        promise.name: {
            case for clause in promise.survives for case in _cases(checker.state, clause)
        }
        for promise in promises
        if promise.survives and known[promise.name].kept
    }
    cases = list(dict.fromkeys(case for name in wanted for case in sorted(wanted[name])))
    trial = _Trial(checker, {one.name: one for one in promises}, known, kept)
    found: dict[int, dict[str, tuple[bool, bool]]] = {}
    first: dict[str, int] = {}  #: by promise: the first of the cases done that breaks it

    def asked_in(number: int) -> tuple[Case, list[str]] | None:
        """What is to be tried in a case, by what is known when its turn comes."""
        case = cases[number]
        names = [name for name in wanted if name not in first and case in wanted[name]]
        return (case, names) if names else None

    pieces = ((number, partial(asked_in, number)) for number in range(len(cases)))
    for number, told in in_turns(trial.outcomes, pieces, make_pool, workers):
        found[number] = told
        for name, (holds, _) in told.items():
            if not holds:
                first[name] = min(number, first.get(name, number))
        if on_case:
            on_case(len(found), len(cases))
    return {name: _endured(name, cases, found, first.get(name), trial) for name in wanted}


def _endured(
    name: str,
    cases: Sequence[Case],
    found: Mapping[int, Mapping[str, tuple[bool, bool]]],
    broken: int | None,
    trial: _Trial,
) -> Endured:
    """What came of the cases of one promise, up to the first that breaks it."""
    tried = [
        told[name]
        for number, told in found.items()
        if name in told and (broken is None or number <= broken)
    ]
    return Endured(
        tried=len(tried),
        asked=sum(was_asked for _, was_asked in tried),
        broken_by=() if broken is None else cases[broken],
        checked=None if broken is None else trial.broken(cases[broken], name),
    )


class _Trial:
    """Takes promises through failures of one state."""

    def __init__(
        self,
        before: Checker,
        promises: Mapping[str, Promise],
        known: Mapping[str, Checked],
        kept: KeptFlows,
    ) -> None:
        self._before, self._promises, self._known, self._kept = before, promises, known, kept
        self._broken: dict[tuple[Case, str], Checked] = {}  #: those that were tried here

    def outcomes(self, asked: tuple[Case, list[str]]) -> dict[str, tuple[bool, bool]]:
        """By promise whether it holds in a case, and whether anything of it had to be asked."""
        case, names = asked
        found = self._checked(case, names)
        self._broken.update({(case, name): now for name, now in found.items() if not now.kept})
        return {name: (now.kept, now.was_asked) for name, now in found.items()}

    def broken(self, case: Case, name: str) -> Checked:
        """How a promise stands in a case that breaks it, which may have been tried elsewhere."""
        return self._broken.get((case, name)) or self._checked(case, [name])[name]

    def _checked(self, case: Case, names: Iterable[str]) -> dict[str, Checked]:
        """How promises stand in a case."""
        after = without(self._before.state, case)
        checker = Checker(
            after, self._promises.values(), self._kept,
            survives=True, since=since(self._before, after),
        )  # fmt: skip
        return {name: checker.check(self._promises[name], self._known[name]) for name in names}


def _cases(state: State, clause: Survives) -> Iterator[tuple[Failure, ...]]:
    things = [
        thing for kind in clause.kinds for thing in things_that_fail(state.topology, _KINDS[kind])
    ]
    yield from combinations(things, clause.count)
