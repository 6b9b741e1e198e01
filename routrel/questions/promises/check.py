"""Whether promises are kept in one state, decided for every header that they are about."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from functools import cached_property, partial

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.forwarding.evidence import Branch
from routrel.model.addresses import Prefix, is_within
from routrel.model.network import InterfaceKind
from routrel.model.promises import (
    Avoids,
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
from routrel.questions.comparison.routes import RowChanges
from routrel.questions.errors import (
    HasFailed,
    QuestionError,
    TooManyClasses,
    UnknownEndpoint,
    UnknownName,
)
from routrel.questions.flow import FlowAnswer, FlowQuestion, ask_flow
from routrel.questions.moves import KeptFlows
from routrel.questions.promises.breaches import Breach, breach_of, longest_way
from routrel.questions.promises.claims import wrong_claim
from routrel.questions.promises.rests import RecordedWays, Rests
from routrel.questions.promises.sets import AskedFlow, PromiseEnd, Sets
from routrel.questions.promises.usage import Things, Usage
from routrel.questions.traffic import EPHEMERAL_PORT, parse_traffic
from routrel.rib.candidates import Table

__all__ = ["Checked", "Checker", "Counterexample", "Since"]

#: Classes of headers of one promise; more are refused.
MOST_CLASSES = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Counterexample:
    """The smallest header for which a promise does not hold, and why.

    Headers are in order of family, source, destination, protocol and destination port, or type and
    code; of source ports the one that clients usually have comes first, then the lowest.
    """

    question: FlowQuestion
    source: str
    destination: str
    breach: Breach
    place: tuple[int, ...] = ()  #: in that order


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """What came of checking a promise between two ends, each standing for all treated alike."""

    ends: tuple[PromiseEnd, PromiseEnd]
    counterexample: Counterexample | None
    usage: Usage
    classes: int
    longest: int
    course: bytes  #: equal where every flow takes the same ways to the same end
    rests: Rests | None  #: None: something cannot be sent, so it is asked again in any state


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
    parts: Mapping[object, Part] = field(default_factory=dict, repr=False)  #: by their ends' keys
    rerouted: bool = False  #: whether some flow takes another way than in the state before
    asked: int = 0  #: pairs of ends that were asked about, and not taken from the state before

    @property
    def was_asked(self) -> bool:
        """Whether anything of it was found in this state itself."""
        return bool(self.asked or self.problem or self.promise.claim)


@dataclass(frozen=True, kw_only=True)
class Since:
    """Another state of the same network, and what of it is otherwise in this one."""

    checker: Checker
    #: The devices that may be otherwise in more than their tables; None: any, and ends too.
    touched: frozenset[str] | None
    moved: RowChanges  #: the active routes that are others

    @cached_property
    def prefixes(self) -> dict[Table, list[Prefix]]:
        """The prefixes of those, by table."""
        return self.moved.by_table()


class Checker:
    """Checks promises against one state; what several of them need is found once.

    Args:
        kept: The questions that promises may name.
        survives: Whether it is asked after a failure that a promise must survive: then flows whose
            ends are off themselves do not count.
        since: What was checked before; then only what rests on what is otherwise is asked again.
            What is found is the same.
    """

    def __init__(
        self,
        state: State,
        promises: Iterable[Promise],
        kept: KeptFlows | None = None,
        *,
        survives: bool = False,
        since: Since | None = None,
    ) -> None:
        self.state, self._kept, self._survives = state, kept or {}, survives
        self._promises: Mapping[str, Promise] = {promise.name: promise for promise in promises}
        # Where anything may be otherwise, nothing is taken from before.
        self._since = since if since is not None and since.touched is not None else None
        self._sets: Sets = Sets(state, self._since.checker._sets if self._since else None)
        self.things, self._ways = Things(state), RecordedWays(state)
        self._shared: dict[tuple[str, Sharing], frozenset[str]] = {}
        self._branches: dict[str, list[Branch]] = {}

    def check(self, promise: Promise, known: Checked | None = None) -> Checked:
        """Whether a promise is kept, leaving out what it must survive.

        Args:
            known: What came of it in the state before.
        """
        usage = Usage()
        try:
            if promise.claim is not None:
                return self._claimed(promise, usage)
            return self._of_flows(promise, usage, known)
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
        return Checked(promise=promise, kept=wrong is None, problem=wrong or "", usage=usage)

    def _of_flows(self, promise: Promise, usage: Usage, known: Checked | None) -> Checked:
        clauses = [
            self._with_kinds(clause)
            for clause in promise.clauses
            if not isinstance(clause, Survives)
        ]
        others = [clause.promise for clause in clauses if isinstance(clause, Separate)]
        before = known.parts if known and self._asks_as_before(promise) and not others else {}
        if known is not None and before and self._is_as_it_was(promise, known):
            return replace(known, rerouted=False, asked=0)
        parts: dict[object, Part] = {}
        rerouted, count, fresh = False, 0, 0
        told: dict[object, list[Part]] = {}  #: by what may stand for other sources
        for pair in sorted(self._pairs(promise), key=_ends_place):
            alike = pair[0].source_key, pair[1].key
            if promise.is_blocked and self._is_told(told.get(alike, ()), pair[0]):
                continue
            key = tuple(end.key for end in pair)
            then = before.get(key)
            if then is None or not self._holds_still(then, pair):
                made, fresh = self._part(promise, clauses, pair), fresh + 1
                rerouted |= then is not None and made.course != then.course
            else:
                made = then
            while key in parts:
                key = (*key, pair)  # told apart since, alike before
            parts[key] = made
            told.setdefault(alike, []).append(made)
            usage.merge(made.usage)
            count += made.classes
            if count > MOST_CLASSES:
                raise TooManyClasses(
                    f"it falls into more than {MOST_CLASSES} classes that may be treated "
                    "differently",
                    "promise less at once",
                )
        for other in others:
            usage.merge(self._usage_of(other))
        found = (part.counterexample for part in parts.values())
        broken = [one for one in found if one is not None]
        first = min(broken, key=lambda one: one.place, default=None)
        return Checked(
            promise=promise,
            kept=first is None,
            counterexample=first,
            usage=usage,
            classes=count,
            longest=max((part.longest for part in parts.values()), default=0),
            parts=parts,
            rerouted=rerouted,
            asked=fresh,
        )

    def _asks_as_before(self, promise: Promise) -> bool:
        """Whether there was a state before, in which a kept question of its was the same."""
        if self._since is None:
            return False
        name = promise.flows.question if promise.flows else ""
        return not name or self._kept.get(name) == self._since.checker._kept.get(name)

    def _is_as_it_was(self, promise: Promise, known: Checked) -> bool:
        """Whether a promise stands as in the state before, whatever class an address is of now.

        It does where each class does for the address that stands for it, and no route that moved on
        the way is for a part of what an end names: then no two of its addresses part.
        """
        since, flows = self._since, promise.flows
        if since is None or flows is None or known.problem:
            return False
        if since.checker.state.network is not self.state.network:
            return False
        to, of = (self._sets.prefixes(names) for names in (flows.destinations, flows.sources))
        if (to or of) and not self._is_moved_apart_from(promise, known, to, of):
            return False
        return all(self._holds_still(part, part.ends) for part in known.parts.values())

    def _is_moved_apart_from(
        self, promise: Promise, known: Checked, to: Set[Prefix], of: Set[Prefix]
    ) -> bool:
        """Whether no route that moved on the way is for a part of what an end names."""
        if self._since is None:
            return False
        met = known.usage.devices
        tables = self.state.rib.interning.tables
        looking = {
            tables[number]
            for part in known.parts.values()
            for number in (_source_tables(part) if promise.is_blocked else ())
        }
        for table, prefixes in self._since.prefixes.items():
            asked_to = to if table[0] in met else ()
            looked = table in looking if promise.is_blocked else table[0] in met
            asked = (*asked_to, *(of if looked else ()))
            if asked and any(_overlap(one, end) for one in prefixes for end in asked):
                return False
        return True

    def _is_told(self, parts: Iterable[Part], source: PromiseEnd) -> bool:
        """Whether what a part found of its source holds for another one that nobody answers.

        It does where all tables that were asked for the one say the same of the other.
        """
        return any(
            part.rests is not None
            and self._ways.says_alike(part.rests, part.ends[0].address, source.address)
            for part in parts
        )

    def _holds_still(self, part: Part, pair: tuple[PromiseEnd, PromiseEnd]) -> bool:
        """Whether a part is as it was: all that it rests on says what it said."""
        touched = self._since.touched if self._since else None
        begins = partial(self._begin_at, pair)
        return self._ways.still_holds(part.rests, touched, begins)

    def _begin_at(self, pair: tuple[PromiseEnd, PromiseEnd]) -> tuple[object, ...]:
        return tuple(map(self._begins, pair))

    def _begins(self, end: PromiseEnd) -> object:
        """Where packets of an end begin, if that may change without it being touched."""
        if end.owned:
            return None
        try:
            return self._ways.endpoint(self.state, end.asked).starts
        except QuestionError:
            return ()

    def _pairs(self, promise: Promise) -> Iterator[tuple[PromiseEnd, PromiseEnd]]:
        """The pairs of ends of a promise, those left out that a failure took off."""
        flows = promise.flows
        if flows is None:
            raise UnknownName(f"{promise.name} is about no flows", "name a promise of flows")
        if flows.question:
            question = self._kept_question(flows)
            ends = (question.source, question.destination)
            pairs = [(self._sets.one_end(ends[0]), self._sets.one_end(ends[1]))]
        else:
            pairs = self._sets.pairs(flows, blocked=promise.is_blocked)
        for pair in pairs:
            if not (self._survives and any(map(self._is_off, pair))):
                yield pair

    def _part(
        self, promise: Promise, clauses: Sequence[Clause], pair: tuple[PromiseEnd, PromiseEnd]
    ) -> Part:
        """Check a promise between two ends."""
        usage, first, longest, starts = Usage(), None, 0, True
        courses: set[str] = set()
        self._ways.begin()
        answers = self._answers(promise, clauses, pair)
        begins = self._begin_at(pair)
        for place, one, answer in sorted(
            ((_place_of(one), one, answer) for one, answer in answers), key=lambda asked: asked[0]
        ):
            if answer is not None:
                usage.add(self.state, answer)
                courses.add(repr([way.course for way in answer.directions]))
                longest = max(longest, longest_way(answer))
            else:
                starts = False
            breach = self._breach(clauses, one, answer) if first is None else None
            if breach is not None:
                first = Counterexample(
                    question=one.question,
                    source=one.source.text,
                    destination=one.destination.text,
                    breach=breach,
                    place=place,
                )
        return Part(
            ends=pair,
            counterexample=first,
            usage=usage,
            classes=len(answers),
            longest=longest,
            course=hashlib.sha256("".join(sorted(courses)).encode()).digest(),
            rests=self._ways.rests(usage.devices.keys(), begins) if starts else None,
        )

    def _answers(
        self, promise: Promise, clauses: Sequence[Clause], pair: tuple[PromiseEnd, PromiseEnd]
    ) -> list[tuple[AskedFlow, FlowAnswer | None]]:
        """Every class of headers between two ends with what becomes of it; None: it cannot start.

        Classes are made as fine as the rules of the devices that any of them meets demand.
        """
        flows = promise.flows
        if flows is None:
            raise ValueError("it is about routes")
        size = next((c.size for c in clauses if isinstance(c, Carries)), None)
        if flows.question:
            question = self._kept_question(flows)
            question = replace(question, size=size or question.size, both=True)
            one = AskedFlow(question=question, source=pair[0], destination=pair[1])
            return [(one, self._ask(one))]
        blocked = promise.is_blocked
        met: set[str] = set()
        answers: dict[FlowQuestion, FlowAnswer | None] = {}
        while True:
            asked = self._sets.questions(flows, pair, met, blocked=blocked, size=size)
            before = len(met)
            for one in asked:
                if one.question not in answers:
                    answer = answers[one.question] = self._ask(one)
                    met.update(answer.devices if answer else ())
            if len(met) == before:
                return [(one, answers[one.question]) for one in asked]
            if len(asked) > MOST_CLASSES:
                raise TooManyClasses(
                    f"it falls into more than {MOST_CLASSES} classes of headers",
                    "promise less at once",
                )

    def _ask(self, one: AskedFlow) -> FlowAnswer | None:
        """What becomes of a class; None: nothing can be sent from there."""
        try:
            return ask_flow(self.state, one.question, self._ways)
        except (HasFailed, UnknownEndpoint):
            return None

    def _kept_question(self, flows: FlowSet) -> FlowQuestion:
        question = self._kept.get(flows.question)
        if question is None:
            raise UnknownName(
                f"there is no question “{flows.question}”", closest(flows.question, self._kept)
            )
        return question

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
        """Whether what failed is an end itself: its device, all links of its own, or its line."""
        topology = self.state.topology
        owners = topology.owners.get(end.address, ())
        if not owners:
            if end.outside:
                return all(name in topology.failed.lines for name in end.outside)
            return self._begins(end) == ()
        device = owners[0].device
        if topology.has_failed(device.name):
            return True
        wires = [i for i in device.interfaces if i.enabled and i.kind is not InterfaceKind.LOOPBACK]
        failed = topology.failed
        return bool(wires) and all(
            (device.name, one.name) in failed.interfaces
            or (
                (segment := topology.segment_of.get((device.name, one.name))) is not None
                and segment.id in failed.segments
            )
            for one in wires
        )

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
        forward = [one.forward for one in answer.each]
        for sharing in clause.sharing:
            theirs = self._shared_of(clause.promise, sharing)
            for way in answer.directions:
                for branch in way.branches:
                    both = self.things.shared(branch, sharing) & theirs
                    if both:
                        return Breach(
                            clause=clause,
                            code="shares",
                            subject=f"{sharing} {min(both)}",
                            back=not any(way is one for one in forward),
                        )
        return None

    def _shared_of(self, name: str, sharing: Sharing) -> frozenset[str]:
        """The links, devices or risk groups that another promise's flows use."""
        key = (name, sharing)
        if key not in self._shared:
            self._shared[key] = frozenset(
                thing
                for branch in self._branches_of(name)
                for thing in self.things.shared(branch, sharing)
            )
        return self._shared[key]

    def _usage_of(self, name: str) -> Usage:
        """All that another promise's flows meet."""
        usage = Usage()
        for branch in self._branches_of(name):
            usage.add_hops(self.state, branch.hops)
        return usage

    def _branches_of(self, name: str) -> list[Branch]:
        """All ways of another promise's flows, both directions, in every outcome."""
        if name not in self._branches:
            other = self._promises.get(name)
            if other is None or other.flows is None:
                raise UnknownName(
                    f"there is no promise of flows “{name}”", closest(name, self._promises)
                )
            self._branches[name] = [
                branch
                for pair in self._pairs(other)
                for _, answer in self._answers(other, other.clauses, pair)
                for way in (answer.directions if answer else ())
                for branch in way.branches
            ]
        return self._branches[name]


def _place_of(one: AskedFlow) -> tuple[int, ...]:
    """Where the headers of a class stand among all others, by the one that is asked about."""
    asked = one.question
    traffic = parse_traffic(asked.traffic, asked.source_port)
    port = asked.source_port or 0
    return (
        *_ends_place((one.source, one.destination)), traffic.protocol or 0, traffic.port or 0,
        traffic.icmp_type or 0, traffic.icmp_code or 0, port != EPHEMERAL_PORT, port, asked.dscp,
    )  # fmt: skip


def _ends_place(pair: tuple[PromiseEnd, PromiseEnd]) -> tuple[int, ...]:
    source, destination = (end.address for end in pair)
    return source.version, int(source), int(destination)


def _source_tables(part: Part) -> set[int]:
    """The tables that were asked for the source of a part."""
    looked_up = part.rests.looked_up if part.rests else ()
    source = part.ends[0].address
    return {table for asked in looked_up for table, address in asked if address == source}


def _overlap(one: Prefix, other: Prefix) -> bool:
    return is_within(one, other) or is_within(other, one)
