"""Whether promises are kept in one state, decided for every header that they are about."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.network import InterfaceKind
from routrel.model.promises import (
    Avoids,
    Blocked,
    Carries,
    Clause,
    Delivered,
    FlowSet,
    Holds,
    LeavesBy,
    Passes,
    Promise,
    Separate,
    Sharing,
    Survives,
    Thing,
    ThingKind,
)
from routrel.questions.errors import (
    HasFailed,
    QuestionError,
    TooManyClasses,
    UnknownEndpoint,
    UnknownName,
)
from routrel.questions.flow import FlowAnswer, FlowQuestion, WaysAlone, ask_flow
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.breaches import Breach, breach_of, longest_way
from routrel.questions.promises.claims import wrong_claim
from routrel.questions.promises.sets import AskedFlow, PromiseEnd, Sets
from routrel.questions.promises.usage import Things, Usage

__all__ = ["Checked", "Checker", "Counterexample"]

#: Classes of headers of one promise; more are refused.
MOST_CLASSES = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Counterexample:
    """One flow for which a promise does not hold, and why."""

    question: FlowQuestion
    source: str
    destination: str
    breach: Breach


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked:
    """What came of checking a promise in one state."""

    promise: Promise
    kept: bool
    problem: str = ""  #: why it cannot be checked, or what is wrong with routes; else empty
    suggestion: str = ""  #: what to do where it cannot be checked
    counterexample: Counterexample | None = None
    usage: Usage = field(default_factory=Usage)
    classes: int = 0  #: classes of headers that were asked about
    longest: int = 0  #: links that the longest way of it crosses
    course: bytes = b""  #: equal where every flow of it takes the same ways to the same end


class Checker:
    """Checks promises against one state; what several of them need is found once.

    Args:
        kept: The questions that promises may name.
        survives: Whether it is asked after a failure that a promise must survive: then flows whose
            ends are off themselves do not count.
    """

    def __init__(
        self,
        state: State,
        promises: Iterable[Promise],
        kept: KeptFlows | None = None,
        *,
        survives: bool = False,
    ) -> None:
        self.state, self._kept, self._survives = state, kept or {}, survives
        self._promises: Mapping[str, Promise] = {promise.name: promise for promise in promises}
        self._sets, self.things, self._ways = Sets(state), Things(state), WaysAlone()
        self._shared: dict[tuple[str, Sharing], frozenset[str]] = {}

    def check(self, promise: Promise) -> Checked:
        """Whether a promise is kept, leaving out what it must survive."""
        usage = Usage()
        try:
            if promise.claim is not None:
                return self._claimed(promise, usage)
            return self._of_flows(promise, usage)
        except QuestionError as error:
            return Checked(
                promise=promise,
                kept=False,
                problem=error.text,
                suggestion=error.suggestion,
                usage=usage,
            )

    def _claimed(self, promise: Promise, usage: Usage) -> Checked:
        claim = promise.claim
        if claim is None:
            raise ValueError("it is about flows")
        if isinstance(claim, Holds) and claim.exit is not None:
            claim = replace(claim, exit=self._resolved(claim.exit))
        wrong = wrong_claim(self.things, claim, usage)
        course = hashlib.sha256(repr(wrong).encode()).digest()
        return Checked(
            promise=promise, kept=wrong is None, problem=wrong or "", usage=usage, course=course
        )

    def _of_flows(self, promise: Promise, usage: Usage) -> Checked:
        clauses = [
            self._with_kinds(clause)
            for clause in promise.clauses
            if not isinstance(clause, Survives)
        ]
        first: Counterexample | None = None
        courses, count, longest = hashlib.sha256(), 0, 0
        for one, answer in self._answers(promise, clauses):
            count += 1
            if answer is not None:
                usage.add(self.state, answer)
                courses.update(repr(_course(answer)).encode())
                longest = max(longest, longest_way(answer))
            breach = self._breach(clauses, one, answer) if first is None else None
            if breach is not None:
                first = Counterexample(
                    question=one.question,
                    source=one.source.text,
                    destination=one.destination.text,
                    breach=breach,
                )
        return Checked(
            promise=promise,
            kept=first is None,
            counterexample=first,
            usage=usage,
            classes=count,
            longest=longest,
            course=courses.digest(),
        )

    def _answers(
        self, promise: Promise, clauses: Sequence[Clause]
    ) -> Iterator[tuple[AskedFlow, FlowAnswer | None]]:
        """Every class of a promise's headers with what becomes of it; None: it cannot start.

        Classes are made as fine as the rules of the devices that any of them meets demand.
        """
        flows = promise.flows
        if flows is None:
            raise ValueError("it is about routes")
        size = next((c.size for c in clauses if isinstance(c, Carries)), None)
        if flows.question:
            one = self._kept_question(flows, size)
            yield one, self._ask(one)
            return
        blocked, count = promise.is_blocked, 0
        for pair in self._sets.pairs(flows, blocked=blocked):
            if self._survives and any(map(self._is_off, pair)):
                continue
            met: set[str] = set()
            answers: dict[FlowQuestion, FlowAnswer | None] = {}
            while True:
                asked = self._sets.questions(flows, pair, met, blocked=blocked, size=size)
                before = len(met)
                for one in asked:
                    if one.question not in answers:
                        answer = answers[one.question] = self._ask(one)
                        met.update(_devices(answer) if answer else ())
                if len(met) == before:
                    break
            count += len(asked)
            if count > MOST_CLASSES:
                raise TooManyClasses(
                    f"it falls into more than {MOST_CLASSES} classes that may be treated "
                    "differently",
                    "promise less at once",
                )
            yield from ((one, answers[one.question]) for one in asked)

    def _ask(self, one: AskedFlow) -> FlowAnswer | None:
        """What becomes of a class; None: nothing can be sent from there."""
        try:
            return ask_flow(self.state, one.question, self._ways)
        except (HasFailed, UnknownEndpoint):
            return None

    def _kept_question(self, flows: FlowSet, size: int | None) -> AskedFlow:
        question = self._kept.get(flows.question)
        if question is None:
            raise UnknownName(
                f"there is no question “{flows.question}”", closest(flows.question, self._kept)
            )
        ends = [self._sets.one_end(text) for text in (question.source, question.destination)]
        asked = replace(question, size=size or question.size, both=True)
        return AskedFlow(question=asked, source=ends[0], destination=ends[1])

    def _breach(
        self, clauses: Sequence[Clause], one: AskedFlow, answer: FlowAnswer | None
    ) -> Breach | None:
        """What is wrong with one class."""
        if answer is None:
            # Nothing can be sent from there, so nothing arrives and nothing goes astray.
            wanted = next((c for c in clauses if isinstance(c, Delivered | Carries)), None)
            if wanted is None:
                return None
            return Breach(clause=wanted, code="cannot_start", subject=one.source.text)
        for clause in clauses:
            if isinstance(clause, Separate):
                breach = self._not_separate(clause, answer)
            else:
                breach = breach_of(self.things, clause, one, answer)
            if breach is not None:
                return breach
        return None

    def _is_off(self, end: PromiseEnd) -> bool:
        """Whether a failure took an end itself off the network."""
        topology = self.state.topology
        owners = topology.owners.get(end.address, ())
        if owners:
            device = owners[0].device
            wires = (i for i in device.interfaces if i.kind is not InterfaceKind.LOOPBACK)
            return not any(topology.is_up(device.name, one.name) for one in wires)
        try:
            return not self._ways.endpoint(self.state, end.asked).starts
        except QuestionError:
            return True

    # --- what clauses name ------------------------------------------------------------------

    def _with_kinds(self, clause: Clause) -> Clause:
        """A clause whose things are known by their kinds.

        Raises:
            UnknownName: a name is of nothing, or of several things of different kinds.
        """
        if isinstance(clause, Passes | Avoids | LeavesBy):
            return replace(clause, things=tuple(map(self._resolved, clause.things)))
        return clause

    def _resolved(self, thing: Thing) -> Thing:
        kinds = [thing.kind] if thing.kind else list(ThingKind)
        found = [kind for kind in kinds if thing.name in self.things.known(kind)]
        if len(found) == 1:
            return Thing(thing.name, found[0])
        if not found:
            known = [name for kind in kinds for name in self.things.known(kind)]
            what = thing.kind.value if thing.kind else "device, site, link, network or risk group"
            raise UnknownName(f"there is no {what} “{thing.name}”", closest(thing.name, known))
        names = " and ".join(kind.value for kind in found)
        raise UnknownName(
            f"“{thing.name}” is the name of a {names}", f"write {found[0].value} {thing.name}"
        )

    def _not_separate(self, clause: Separate, answer: FlowAnswer) -> Breach | None:
        outcomes = [one.answer for one in answer.outcomes] or [answer]
        for sharing in clause.sharing:
            theirs = self._shared_of(clause.promise, sharing)
            for each in outcomes:
                for way in (each.forward, each.back):
                    for branch in way.branches if way else ():
                        both = self.things.shared(branch, sharing) & theirs
                        if both:
                            return Breach(
                                clause=clause,
                                code="shares",
                                subject=f"{sharing} {min(both)}",
                                back=way is each.back,
                            )
        return None

    def _shared_of(self, name: str, sharing: Sharing) -> frozenset[str]:
        """The links, devices or risk groups that another promise's flows use."""
        key = (name, sharing)
        if key not in self._shared:
            other = self._promises.get(name)
            if other is None or other.flows is None:
                raise UnknownName(
                    f"there is no promise of flows “{name}”", closest(name, self._promises)
                )
            clauses = [c for c in other.clauses if isinstance(c, Blocked | Carries)]
            found: set[str] = set()
            for _, answer in self._answers(other, clauses):
                outcomes = [o.answer for o in answer.outcomes] or [answer] if answer else []
                for each in outcomes:
                    for way in (each.forward, each.back):
                        for branch in way.branches if way else ():
                            found |= self.things.shared(branch, sharing)
            self._shared[key] = frozenset(found)
        return self._shared[key]


def _devices(answer: FlowAnswer) -> Iterator[str]:
    """The devices that a flow or its answers meet, in any outcome of routing."""
    for each in [one.answer for one in answer.outcomes] or [answer]:
        for way in (each.forward, each.back):
            for branch in way.branches if way else ():
                yield from (hop.device for hop in branch.hops)


def _course(answer: FlowAnswer) -> object:
    """The ways of a flow, their shares and ends, in every outcome."""
    return [
        sorted(
            (
                branch.entry or "",
                str(branch.share),
                branch.verdict.value,
                [(hop.device, hop.vrf, hop.interface_out or "") for hop in branch.hops],
            )
            for branch in way.branches
        )
        if way
        else None
        for each in ([one.answer for one in answer.outcomes] or [answer])
        for way in (each.forward, each.back)
    ]
