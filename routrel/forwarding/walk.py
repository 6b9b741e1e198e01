"""One packet through the network, along every equal-cost branch.

At each device the stages follow the device's order (`orders.py`). A walk can also go on beyond what
stops the packet, as if it did not: a filter that permits, a table that leads to the nearest device
from which the packet would arrive. So it lists everything that stands in the way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, fields, replace
from fractions import Fraction
from itertools import islice
from operator import attrgetter
from typing import Any

from routrel.forwarding.causes import cause_of
from routrel.forwarding.detours import Detours
from routrel.forwarding.filters import Meeting, evaluate, later_fragment
from routrel.forwarding.hops import (
    AnswerEvidence,
    Branch,
    Direction,
    Evidence,
    FilterEvidence,
    Hop,
    LoopEvidence,
    MtuEvidence,
    NeighbourEvidence,
    Obstacle,
    PiecesEvidence,
    ReceiveEvidence,
    Result,
    ReversePathEvidence,
    RouteEvidence,
    Stage,
    StageName,
    SteeringEvidence,
    TranslationEvidence,
    TtlEvidence,
    Verdict,
    ZoneEvidence,
)
from routrel.forwarding.lookup import Lookup
from routrel.forwarding.orders import LOCAL, ORDERS, Step
from routrel.forwarding.sessions import Session, session_of, with_addresses
from routrel.forwarding.translation import free_port, translate
from routrel.model.filters import FilterUse, SessionState
from routrel.model.network import Device, Interface, Processing
from routrel.model.traffic import Fragment, Header
from routrel.model.translation import Side
from routrel.rib.candidates import NextHop
from routrel.rib.table import Rib
from routrel.topology.segments import Attachment, Topology

__all__ = ["MAXIMUM_BRANCHES", "MAXIMUM_OBSTACLES", "Start", "Walk", "walk"]

#: Branches followed before the rest is left out, and said to be.
MAXIMUM_BRANCHES = 512

#: Rounds of a packet that differ in a port that a translator chose, before that counts as a loop.
_PORT_ROUNDS = 3

#: Obstacles of one branch beyond which nothing more is looked for.
MAXIMUM_OBSTACLES = 12


@dataclass(frozen=True, slots=True)
class Start:
    """Where a packet begins: at its source device, or arriving at an interface from elsewhere."""

    device: str
    vrf: str
    interface_in: str | None = None  #: None: the device itself sends it
    outside: str | None = None  #: the outside neighbour it comes from


@dataclass(frozen=True, slots=True)
class Walk:
    """All branches of one direction. `unfollowed` is the share that was left out as too many."""

    branches: tuple[Branch, ...]
    unfollowed: Fraction


@dataclass(frozen=True, slots=True)
class _Here:
    """A packet at a device, and what has been decided about it so far."""

    device: Device
    vrf: str
    interface_in: str | None
    header: Header  #: as it is now
    share: Fraction
    hops: tuple[Hop, ...] = ()
    path_mtu: int | None = None
    entry: str | None = None
    sessions: tuple[Session, ...] = ()
    obstacles: tuple[Obstacle, ...] = ()
    # Of this hop:
    came: Header | None = None  #: as it came
    stages: tuple[Stage, ...] = ()
    state: SessionState | None = None
    answered: Session | None = None  #: the session whose packets it answers
    steered: tuple[NextHop, ...] = ()
    table: str = ""  #: the VRF steering names
    way: NextHop | None = None
    out: Interface | None = None
    mark: int = 0
    later_mark: int = 0  #: of the later fragments
    cut_to: int | None = None  #: bytes of the pieces it is sent in, which filters do not see yet
    own_translated: bool = False  #: whether translation of what the device sends has been asked

    @property
    def meeting(self) -> Meeting:
        out = self.out.name if self.out else None
        return Meeting(self.interface_in, out, self.state, self.mark, self.later_mark)

    def noting(self, name: StageName, result: Result, evidence: Evidence | None = None) -> _Here:
        stage = Stage(name=name, result=result, evidence=evidence)
        return self.but(stages=(*self.stages, stage))

    def but(self, **changes: Any) -> _Here:
        """A copy with some values changed; as `dataclasses.replace`, which looks at each anew."""
        values = list(_VALUES(self))
        for name, value in changes.items():
            values[_PLACES[name]] = value
        return _Here(*values)


_PLACES = {each.name: place for place, each in enumerate(fields(_Here))}
_VALUES = attrgetter(*_PLACES)

_Outcome = _Here | Branch


def walk(
    topology: Topology,
    rib: Rib,
    header: Header,
    starts: tuple[Start, ...],
    *,
    known: tuple[Session, ...] = (),
    asked: Header | None = None,
    filters: bool = True,
    beyond: bool = False,
) -> Walk:
    """Follow a packet from each start along all branches.

    Args:
        header: The packet as the source sends it.
        starts: Where it may begin, each with an equal share. Must not be empty.
        known: What devices remember of a packet that this one answers.
        asked: That packet as it was sent; who sent it takes no answer from elsewhere.
        filters: False looks at routing alone, as if every filter permitted.
        beyond: Whether to go on behind obstacles; branches then carry them.
    """
    walker = _Walker(topology, rib, known, asked, filters, beyond)
    branches = tuple(islice(walker.branches(header, starts), MAXIMUM_BRANCHES))
    unfollowed = sum((outcome.share for outcome in walker.pending), Fraction(0))
    return Walk(branches, unfollowed)


class _Walker:
    def __init__(
        self,
        topology: Topology,
        rib: Rib,
        known: tuple[Session, ...],
        asked: Header | None,
        filters: bool,
        beyond: bool,
    ) -> None:
        self.topology, self.known, self.asked = topology, known, asked
        self.filters, self.beyond = filters, beyond
        self.lookup = Lookup(topology, rib)
        self.detours = Detours(topology, self._arrives) if beyond else None
        self.rib = rib
        self.pending: list[_Outcome] = []  #: what is not followed yet
        self._stages: dict[StageName, Callable[[_Here], Iterator[_Outcome]]] = {
            StageName.ARRIVAL: self._arrival,
            StageName.FILTER_IN: self._filter_in,
            StageName.FILTER_ARRIVING: self._filter_arriving,
            StageName.REVERSE_PATH: self._reverse_path,
            StageName.TRANSLATION: self._translation,
            StageName.STEERING: self._steering,
            StageName.ROUTE: self._route,
            StageName.FILTER_OWN: self._filter_own,
            StageName.TTL: self._time_to_live,
            StageName.FILTER_THROUGH: self._filter_through,
            StageName.SOURCE_TRANSLATION: self._source_translation,
            StageName.FILTER_OUT: self._filter_out,
            StageName.MTU: self._mtu,
            StageName.NEIGHBOUR: self._neighbour,
        }

    def branches(self, header: Header, starts: tuple[Start, ...]) -> Iterator[Branch]:
        """The branches of a packet, each once it is asked for."""
        # Depth first, so that branches come in the order of their ways.
        self.pending = [
            self.begin(start, header, Fraction(1, len(starts))) for start in reversed(starts)
        ]
        while self.pending:
            outcome = self.pending.pop()
            if isinstance(outcome, Branch):
                yield outcome
            else:
                self.pending += reversed(list(self.pass_device(outcome)))

    def begin(self, start: Start, header: Header, share: Fraction) -> _Here:
        """A packet at one of its starts."""
        hops: tuple[Hop, ...] = ()
        entry = None
        if start.outside is not None:
            hops = (_outside_hop(start.outside, header),)
            entry = f"{start.outside} at {start.device}:{start.interface_in}"
        device = self.topology.devices[start.device]
        return _Here(device, start.vrf, start.interface_in, header, share, hops, entry=entry)

    def pass_device(self, here: _Here) -> Iterator[_Outcome]:
        """What becomes of a packet at one device: branches that end, or where it goes next."""
        here = here.but(came=here.header)
        if here.device.remembers_sessions:
            state, answered = session_of(self.known, here.device.name, here.header)
            here = here.but(state=state, answered=answered)
        if (looped := self._loop(here)) is not None:
            if isinstance(looped, Branch):
                yield looped
            else:
                yield from self._through(looped, self._after(looped, StageName.ROUTE))
            return
        yield from self._through(here, _steps(here))

    def _after(self, here: _Here, name: StageName) -> tuple[Step, ...]:
        """The stages of a device behind one of them."""
        steps = _steps(here)
        return steps[steps.index(name) + 1 :]

    def _through(self, here: _Here, steps: tuple[Step, ...]) -> Iterator[_Outcome]:
        """A packet through some stages; it comes out as a branch that ended or at the next hop."""
        if not steps:
            yield here
            return
        step, rest = steps[0], steps[1:]
        if step is LOCAL:
            yield from self._turn_aside(here, rest)
            return
        if not isinstance(step, StageName):
            raise TypeError(step)
        for outcome in self._stages[step](here):
            if isinstance(outcome, Branch) or outcome.came is None:
                yield outcome  # it ended, or it is at the next device
            else:
                yield from self._through(outcome, rest)

    def _turn_aside(self, here: _Here, rest: tuple[Step, ...]) -> Iterator[_Outcome]:
        """A packet for the device itself is received; a host takes no others."""
        destination = here.header.destination
        owned = self.topology.has_address(here.device, here.vrf, destination)
        translates = StageName.TRANSLATION in rest and not here.own_translated
        if owned is not None and here.interface_in is None and translates:
            # Translation behind the look-up may lead elsewhere yet.
            for after in self._translation(here):
                if isinstance(after, Branch):
                    yield after
                elif _same_packet(after.header, here.header):
                    yield from self._turn_aside(after, rest)
                else:
                    yield from self._through(after, self._after(after, StageName.TRANSLATION))
            return
        if owned is not None:
            received = ReceiveEvidence(interface=owned, address=destination)
            here = here.noting(StageName.ROUTE, Result.PASSED, received)
            if here.interface_in is None:
                yield from self._to_itself(here)
                return
            for outcome in self._through(here, ORDERS[here.device.processing].received):
                if isinstance(outcome, Branch):
                    yield outcome
                else:
                    yield from self._deliver(outcome)
            return
        arrived, router = here.interface_in is not None, Processing.ROUTER
        if arrived and not here.device.role.forwards and here.device.processing is router:
            yield from self._refuse_to_forward(here)
            return
        yield from self._through(here, rest)

    def _to_itself(self, here: _Here) -> Iterator[_Outcome]:
        """What a device sends to an address of its own: own traffic out, then in.

        With Linux processing it arrives too, from the device itself.
        """
        own, name = here.device.own_traffic, StageName.FILTER_OWN
        bound = [(name, own.filters_out, Direction.OUT), (name, own.filters_in, Direction.IN)]
        if here.device.processing is Processing.LINUX:
            arriving = here.device.arriving_traffic.filters
            bound.insert(1, (StageName.FILTER_ARRIVING, arriving, Direction.ARRIVING))
        passed: list[_Outcome] = [here]
        for stage, uses, direction in bound:
            passed = [
                after
                for before in passed
                for after in (
                    [before]
                    if isinstance(before, Branch)
                    else self._filtered(before, stage, uses, direction, None)
                )
            ]
        for taken in passed:
            if isinstance(taken, Branch):
                yield taken
                continue
            for back in self._source_translation(taken):
                yield from (back,) if isinstance(back, Branch) else self._deliver(back)

    def _refuse_to_forward(self, here: _Here) -> Iterator[_Outcome]:
        evidence = ReceiveEvidence(interface=None, address=here.header.destination)
        yield from self._stop(here, StageName.ROUTE, evidence, Verdict.DISCARDED)

    # --- stages, in the order of a router ------------------------------------------------------

    def _arrival(self, here: _Here) -> Iterator[_Outcome]:
        """An interface takes no packet that is larger than it could send.

        A device that puts fragments together has nothing of those whose others went another way.
        """
        if here.device.remembers_sessions and here.header.fragment in _APART:
            evidence = PiecesEvidence(place=here.device.place)
            yield from self._stop(here, StageName.ARRIVAL, evidence, Verdict.DISCARDED)
            return
        interface = here.device.interface(here.interface_in or "")
        size = here.header.size
        if interface is not None and here.path_mtu is not None:
            here = here.but(path_mtu=min(here.path_mtu, interface.mtu))
        if interface is None or size is None or size <= interface.mtu:
            yield here
            return
        too_big = MtuEvidence(
            interface=interface.name,
            mtu=interface.mtu,
            size=size,
            place=interface.place,
            arriving=True,
        )
        yield from self._stop(here, StageName.ARRIVAL, too_big, Verdict.TOO_BIG)

    def _filter_in(self, here: _Here) -> Iterator[_Outcome]:
        interface = here.device.interface(here.interface_in or "")
        uses = interface.filters_in if interface else ()
        yield from self._filtered(
            here, StageName.FILTER_IN, uses, Direction.IN, here.interface_in, always=True
        )

    def _filter_arriving(self, here: _Here) -> Iterator[_Outcome]:
        name = StageName.FILTER_ARRIVING
        uses = here.device.arriving_traffic.filters
        yield from self._filtered(here, name, uses, Direction.ARRIVING, None)

    def _filter_out(self, here: _Here) -> Iterator[_Outcome]:
        if here.out is None:
            raise ValueError("filter out comes before the route")
        uses = here.out.filters_out
        yield from self._filtered(
            here, StageName.FILTER_OUT, uses, Direction.OUT, here.out.name, always=True
        )

    def _filter_own(self, here: _Here) -> Iterator[_Outcome]:
        rules, sent = here.device.own_traffic, here.interface_in is None
        uses = rules.filters_out if sent else rules.filters_in
        direction = Direction.OUT if sent else Direction.IN
        yield from self._filtered(here, StageName.FILTER_OWN, uses, direction, None)

    def _filter_through(self, here: _Here) -> Iterator[_Outcome]:
        name = StageName.FILTER_THROUGH
        uses = here.device.through_traffic.filters
        for outcome in self._filtered(here, name, uses, Direction.THROUGH, None):
            if isinstance(outcome, Branch) or not here.device.zones:
                yield outcome
            else:
                yield from self._between_zones(outcome)

    def _between_zones(self, here: _Here) -> Iterator[_Outcome]:
        """From zone to zone by a filter that remembers sessions; inside a zone freely."""
        arrived = here.device.interface(here.interface_in or "")
        source, destination = (i.zone if i else None for i in (arrived, here.out))
        if source is not None and source == destination:
            yield here
            return
        if here.state is SessionState.ESTABLISHED:
            yield here
            return
        zone = here.device.zone(source or "")
        way = next((e for e in zone.exits if e.name == destination), None) if zone else None
        if way is None:
            place = zone.place if zone else here.device.place
            evidence = ZoneEvidence(source=source, destination=destination, place=place)
            yield from self._stop(here, StageName.FILTER_THROUGH, evidence, Verdict.FILTERED)
            return
        use = FilterUse(filter=way.filter, place=way.place)
        yield from self._filtered(
            here,
            StageName.FILTER_THROUGH,
            (use,),
            Direction.THROUGH,
            None,
            zones=(source or "", destination or ""),
        )

    def _filtered(
        self,
        here: _Here,
        name: StageName,
        uses: tuple[FilterUse, ...],
        direction: Direction,
        interface: str | None,
        *,
        zones: tuple[str, str] | None = None,
        always: bool = False,
    ) -> Iterator[_Outcome]:
        """A packet through filters in order; without any a stage is noted only if `always`."""
        if not uses and always:
            here = here.noting(name, Result.NONE)
        for use in uses:
            packet_filter = here.device.filter(use.filter)
            if packet_filter is None:
                raise ValueError(f"{here.device.name} has no filter {use.filter}")
            if zones and not packet_filter.sessions:
                packet_filter = replace(packet_filter, sessions=True)
            header = here.header
            if here.device.remembers_sessions and name is not StageName.FILTER_IN:
                header = replace(header, fragment=Fragment.NONE)  # it has put them together
            result = evaluate(packet_filter, header, here.meeting)
            evidence = FilterEvidence(
                interface=interface,
                direction=direction,
                result=result,
                zones=zones,
                answer=bool(self.known),
            )
            here = here.but(mark=result.mark, later_mark=result.later_mark)
            if result.permits or not self.filters:
                here = here.noting(name, Result.PASSED, evidence)
                continue
            stopped = list(self._stop(here, name, evidence, Verdict.FILTERED))
            if isinstance(stopped[0], Branch):
                yield stopped[0]
                return
            here = stopped[0]
        yield here

    def _reverse_path(self, here: _Here) -> Iterator[_Outcome]:
        """RFC 3704; with Linux processing nobody else may use the device's own addresses."""
        interface = here.device.interface(here.interface_in or "")
        if interface is None or not self.filters:
            yield here
            return
        source = here.header.source
        evidence = ReversePathEvidence(
            interface=interface.name,
            mode=interface.reverse_path_check,
            source=source,
            route=None,
            place=interface.place,
        )
        linux = here.device.processing is Processing.LINUX
        own_source = source.version == 4 and self.lookup.is_own(here.device, source)
        if linux and own_source and not interface.accept_own_source:
            visits = [n for n, hop in enumerate(here.hops) if hop.device == here.device.name]
            if visits:
                yield next(self._stop_loop(here, visits[0], StageName.REVERSE_PATH))
                return
            own = replace(evidence, own=True)
            yield from self._stop(here, StageName.REVERSE_PATH, own, Verdict.FILTERED)
            return
        if interface.reverse_path_check is None or (linux and source.version == 6):
            yield here
            return
        route = self.lookup.way_back(here.device, here.vrf, here.header, here.out)
        evidence = replace(evidence, route=route)
        if self.lookup.comes_back(route, interface):
            yield here.noting(StageName.REVERSE_PATH, Result.PASSED, evidence)
        else:
            yield from self._stop(here, StageName.REVERSE_PATH, evidence, Verdict.FILTERED)

    def _translation(self, here: _Here) -> Iterator[_Outcome]:
        """The destination, before the table is asked; of an answer, back to who asked.

        What the device sends may have been looked up before; with another destination it is again.
        """
        if here.interface_in is not None:
            yield from self._translated(here, StageName.TRANSLATION, Side.DESTINATION)
            return
        if here.own_translated:
            yield here
            return
        here = here.but(own_translated=True)
        steps = ORDERS[here.device.processing].sent
        again = steps[: steps.index(StageName.TRANSLATION)]
        for after in self._translated(here, StageName.TRANSLATION, Side.DESTINATION):
            if isinstance(after, Branch) or not again or _same_packet(after.header, here.header):
                yield after
                continue
            anew = after.but(way=None, out=None, steered=(), table="")
            yield from self._through(anew, again)

    def _source_translation(self, here: _Here) -> Iterator[_Outcome]:
        """The source, on the way out; of an answer for the device, back to whom it asked."""
        if here.out is None and here.answered is None:
            yield here
            return
        yield from self._translated(here, StageName.SOURCE_TRANSLATION, Side.SOURCE)

    def _translated(self, here: _Here, name: StageName, side: Side) -> Iterator[_Outcome]:
        before = here.header
        if here.answered is not None:
            answer = here.answered.answer()
            after = (
                with_addresses(
                    before,
                    destination=answer.destination,
                    destination_port=answer.destination_port,
                )
                if side is Side.DESTINATION
                else with_addresses(before, source=answer.source, source_port=answer.source_port)
            )
            if after != before:
                evidence = TranslationEvidence(side=side, before=before, after=after, rule=None)
                here = here.noting(name, Result.PASSED, evidence).but(header=after)
            yield here
            return
        new = here.state is SessionState.NEW
        out = None
        if here.out is not None and here.way is not None:
            out = (here.out, here.way.address or before.destination)
        own = here.interface_in is None
        found = translate(here.device, side, before, here.meeting, out, new, own=own)
        if found is None:
            yield self._with_free_port(here, name, side)
            return
        for after in found.headers:
            evidence = TranslationEvidence(
                side=side, before=before, after=after, rule=found.rule, choices=found.choices
            )
            noted = here.noting(name, Result.PASSED, evidence)
            noted = noted.but(header=after, share=here.share / len(found.headers))
            yield self._with_free_port(noted, name, side)

    def _with_free_port(self, here: _Here, name: StageName, side: Side) -> _Here:
        """A device that translates tells its sessions apart by the ports of their answers.

        Where another session has the packet's ends, as when a packet comes by a second time, the
        source port becomes another one (RFC 4787 4.2).
        """
        header = here.header
        port = header.source_port
        if side is Side.DESTINATION or port is None or here.came is None:
            return here
        if here.state is not SessionState.NEW or not here.device.translation:
            return here
        others = [
            session.went
            for session in (*self.known, *here.sessions)
            if session.device == here.device.name and not _same_packet(session.came, here.came)
        ]
        taken = {went.source_port for went in others if _same_but_port(went, header)}
        if port not in taken:
            return here
        after = replace(header, source_port=free_port(port, {p for p in taken if p is not None}))
        evidence = TranslationEvidence(side=side, before=header, after=after, rule=None, taken=True)
        return here.noting(name, Result.PASSED, evidence).but(header=after)

    def _steering(self, here: _Here) -> Iterator[_Outcome]:
        interface = here.device.interface(here.interface_in or "")
        rules = here.device.through_traffic if interface else here.device.own_traffic
        uses = [use for use in (interface.steering if interface else None, rules.steering) if use]
        yield from self._steered_by(here, [use.steering for use in uses])

    def _steered_by(self, here: _Here, names: Sequence[str]) -> Iterator[_Outcome]:
        """A packet through steering in order; fragments that are steered apart part here."""
        for number, name in enumerate(names):
            steering = here.device.steering(name)
            if steering is None:
                continue
            found = self.lookup.steered(here.device, here.vrf, steering, here.header, here.meeting)
            if here.header.fragment is Fragment.FIRST and not here.device.remembers_sessions:
                parts = self._parted(here)
                of_others = self.lookup.steered(
                    here.device, here.vrf, steering, parts[1].header, parts[1].meeting
                )
                if replace(of_others, tried=()) != replace(found, tried=()):
                    for part in parts:
                        yield from self._steered_by(part, names[number:])
                    return
            evidence = SteeringEvidence(steering=steering, rule=found.rule, tried=found.tried)
            if found.discards:
                yield from self._stop(here, StageName.STEERING, evidence, Verdict.DISCARDED)
                return
            if found.rule is not None:
                here = here.noting(StageName.STEERING, Result.PASSED, evidence)
                table = found.rule.table or ""
                yield here.but(steered=found.next_hops, table=table)
                return
            here = here.noting(StageName.STEERING, Result.NONE, evidence)
        yield here

    def _parted(self, here: _Here) -> tuple[_Here, _Here]:
        """The first fragment of a packet that was cut, and its later ones, each by itself."""
        half = here.share / 2
        return (
            here.but(header=replace(here.header, fragment=Fragment.ALONE), share=half),
            here.but(header=later_fragment(here.header), share=half, mark=here.later_mark),
        )

    def _route(self, here: _Here) -> Iterator[_Outcome]:
        """Longest match, and each of its ways; what steering named goes before."""
        destination = here.header.destination
        if here.steered:
            yield from self._ways(here, here.steered, None)
            return
        matches = self.lookup.matches(here.device.name, here.table or here.vrf, destination)
        route = matches[0] if matches else None
        evidence = RouteEvidence(
            destination=destination, route=route, shorter=matches[1:], table=here.table
        )
        if route is None:
            yield from self._stop(here, StageName.ROUTE, evidence, Verdict.NO_ROUTE)
        elif route.discard:
            verdict = Verdict.NO_ROUTE if route.pass_on else Verdict.DISCARDED
            yield from self._stop(here, StageName.ROUTE, evidence, verdict)
        elif here.interface_in is not None and not here.device.role.forwards:
            yield from self._refuse_to_forward(here)
        else:
            hops = route.next_hops
            if here.interface_in is None:
                hops = self.lookup.preferred(here.device, here.header.source, hops)
            yield from self._ways(here, hops, evidence)

    def _ways(
        self, here: _Here, hops: tuple[NextHop, ...], evidence: RouteEvidence | None
    ) -> Iterator[_Outcome]:
        total = sum(hop.weight for hop in hops)
        for hop in hops:
            out = here.device.interface(hop.interface or "")
            if out is None:
                raise ValueError(f"{here.device.name} has no interface {hop.interface}")
            share = here.share * Fraction(hop.weight, total)
            found = evidence or RouteEvidence(destination=here.header.destination, route=None)
            found = replace(found, next_hop=hop)
            noted = here.noting(StageName.ROUTE, Result.PASSED, found)
            yield noted.but(share=share, way=hop, out=out)

    def _time_to_live(self, here: _Here) -> Iterator[_Outcome]:
        """A packet that would leave with a time to live of 0 is dropped (RFC 1812 5.3.1)."""
        evidence = TtlEvidence(arrived=here.header.ttl)
        if here.header.ttl <= 1:
            yield from self._stop(here, StageName.TTL, evidence, Verdict.TTL_EXPIRED)
            return
        here = here.noting(StageName.TTL, Result.PASSED, evidence)
        yield here.but(header=replace(here.header, ttl=here.header.ttl - 1))

    def _mtu(self, here: _Here) -> Iterator[_Outcome]:
        """Whether it fits, or may be cut: of IPv4 without don't fragment (RFC 791 3.2).

        A router does not cut IPv6 (RFC 8200 5), nor does the sender here.
        """
        if here.out is None:
            raise ValueError("MTU comes before the route")
        size, mtu = here.header.size, here.out.mtu
        fits = size is None or size <= mtu
        cut = not fits and here.header.may_fragment and here.header.source.version == 4
        evidence = MtuEvidence(
            interface=here.out.name, mtu=mtu, size=size, place=here.out.place, cut=cut
        )
        here = here.but(path_mtu=min(mtu, here.path_mtu or mtu))
        if not fits and not cut:
            yield from self._stop(here, StageName.MTU, evidence, Verdict.TOO_BIG)
            return
        here = here.noting(StageName.MTU, Result.PASSED, evidence)
        yield here.but(cut_to=mtu if cut else None)

    def _neighbour(self, here: _Here) -> Iterator[_Outcome]:
        """Who answers for the next hop's address on the segment."""
        if here.cut_to is not None:
            is_whole = here.header.fragment is Fragment.NONE
            fragment = Fragment.FIRST if is_whole else here.header.fragment
            here = here.but(header=replace(here.header, size=here.cut_to, fragment=fragment))
        if here.out is None or here.way is None:
            raise ValueError("the neighbour comes before the route")
        address = here.way.address or here.header.destination
        segment = self.topology.segment_of.get((here.device.name, here.out.name))
        evidence = NeighbourEvidence(
            interface=here.out.name, segment=segment.name if segment else "", address=address
        )
        receiver = self.topology.receiver(here.device.name, here.out, address)
        if receiver is None:
            yield from self._stop(here, StageName.NEIGHBOUR, evidence, Verdict.NEXT_HOP_UNRESOLVED)
            return
        if not isinstance(receiver, Attachment):
            evidence = replace(evidence, outside=receiver.neighbour.name)
            here = self._remember(here.noting(StageName.NEIGHBOUR, Result.PASSED, evidence))
            yield from self._leave(here, receiver.neighbour.name)
            return
        evidence = replace(
            evidence,
            device=receiver.device.name,
            virtual=self.topology.virtual_router(receiver, address),
        )
        here = self._remember(here.noting(StageName.NEIGHBOUR, Result.PASSED, evidence))
        yield _Here(
            device=receiver.device,
            vrf=receiver.interface.vrf,
            interface_in=receiver.interface.name,
            header=here.header,
            share=here.share,
            hops=(*here.hops, _hop(here)),
            path_mtu=here.path_mtu,
            entry=here.entry,
            sessions=here.sessions,
            obstacles=here.obstacles,
        )

    # --- where it ends -------------------------------------------------------------------------

    def _remember(self, here: _Here) -> _Here:
        """A device that remembers sessions does so once it let the packet pass."""
        if here.came is None or here.state is not SessionState.NEW:
            return here
        rules = [
            stage.evidence.rule.place
            for stage in here.stages
            if isinstance(stage.evidence, TranslationEvidence) and stage.evidence.rule
        ]
        place = rules[-1] if rules else here.device.place
        session = Session(here.device.name, here.came, here.header, place)
        return here.but(sessions=(*here.sessions, session))

    def _deliver(self, here: _Here) -> Iterator[Branch]:
        for taken in self._taken_as_answer(self._remember(here)):
            if isinstance(taken, Branch):
                yield taken
            else:
                yield _branch(taken, Verdict.DELIVERED, (*taken.hops, _hop(taken)))

    def _leave(self, here: _Here, outside: str) -> Iterator[Branch]:
        for taken in self._taken_as_answer(here):
            yield taken if isinstance(taken, Branch) else self._left(taken, outside)

    def _taken_as_answer(self, here: _Here) -> Iterator[_Outcome]:
        """Who asked takes an answer only from whom it asked, to where it asked from."""
        asked, header = self.asked, here.header
        if asked is None or header.fragment is Fragment.LATER or _answers(header, asked):
            yield here
            return
        other = next((s for s in self.known if not _same_packet(s.came, s.went)), None)
        evidence = AnswerEvidence(
            asked=asked,
            arrived=header,
            translator=other.device if other else None,
            place=other.place if other else here.device.place,
        )
        yield from self._stop(here, StageName.ANSWER, evidence, Verdict.DISCARDED)

    def _left(self, here: _Here, outside: str) -> Branch:
        hops = (*here.hops, _hop(here), _outside_hop(outside, here.header))
        return replace(_branch(here, Verdict.LEAVES_NETWORK, hops), outside=outside)

    def _loop(self, here: _Here) -> _Outcome | None:
        """The branch ends where a packet comes to a device by the same interface again."""
        rounds = 0
        for index, hop in enumerate(here.hops):
            if hop.outside or (hop.device, hop.vrf, hop.interface_in) != (
                here.device.name,
                here.vrf,
                here.interface_in,
            ):
                continue
            if not _same_packet(hop.header, here.header):
                if not _same_but_port(hop.header, here.header):
                    continue
                # A translator gave it another port: nothing may know it by that, or a filter may.
                rounds += 1
                if rounds < _PORT_ROUNDS:
                    continue
            return next(self._stop_loop(here, index, StageName.ROUTE))
        return None

    def _stop_loop(self, here: _Here, first: int, name: StageName) -> Iterator[_Outcome]:
        """The packet is back at a device it has been at, the hop of number `first`."""
        stages = here.hops[first].stages
        routes = [s.evidence.route for s in stages if isinstance(s.evidence, RouteEvidence)]
        configured = [route.place for route in routes if route and route.place.line]
        evidence = LoopEvidence(
            devices=tuple(hop.device for hop in here.hops[first:]),
            place=configured[0] if configured else here.device.place,
        )
        return self._stop(here, name, evidence, Verdict.LOOPED)

    def _stop(
        self, here: _Here, name: StageName, evidence: Evidence, verdict: Verdict
    ) -> Iterator[_Outcome]:
        """The end of a branch; or, beyond obstacles, the packet as if nothing had stopped it."""
        here = here.noting(name, Result.STOPPED, evidence)
        cause = cause_of(here.device, here.vrf, here.interface_in, here.stages)
        if self.beyond and len(here.obstacles) < MAXIMUM_OBSTACLES:
            obstacle = Obstacle(cause=cause, verdict=verdict, hop=_hop(here), header=here.header)
            way = self._way_round(here, name, verdict)
            if way is not None:
                obstacle = replace(obstacle, onward=way.interface, next_hop=way.address)
            onward = here.but(obstacles=(*here.obstacles, obstacle))
            passed = self._onward(onward, name, verdict, way)
            if passed is not None:
                yield passed
                return
            here = onward
        stages = here.stages
        if verdict is not Verdict.LOOPED and name is not StageName.ANSWER:
            stages += tuple(self._not_reached(here))
        hop = replace(_hop(here), stages=stages)
        yield replace(_branch(here, verdict, (*here.hops, hop)), cause=cause)

    def _way_round(self, here: _Here, name: StageName, verdict: Verdict) -> NextHop | None:
        """The next hop that routing should have had; None where that is not what is wrong."""
        routing = verdict is Verdict.LOOPED or name in (StageName.ROUTE, StageName.NEIGHBOUR)
        if not routing or self.detours is None:
            return None
        passed = {hop.device for hop in here.hops}
        return self.detours.way(here.device, here.vrf, here.header, passed)

    def _onward(
        self, here: _Here, name: StageName, verdict: Verdict, way: NextHop | None
    ) -> _Here | None:
        """How a packet would go on behind an obstacle; None where nobody can say."""
        if name is StageName.TTL:
            return here.but(header=replace(here.header, ttl=64))
        if name is StageName.ARRIVAL or name is StageName.MTU:
            return here.but(header=replace(here.header, size=None))
        if verdict is not Verdict.LOOPED and name not in (StageName.ROUTE, StageName.NEIGHBOUR):
            return here
        if way is None:
            return None
        out = here.device.interface(way.interface or "")
        here = here.but(way=way, out=out)
        if name is StageName.NEIGHBOUR:
            receiver = next(iter(self._neighbour(here)))
            return receiver if isinstance(receiver, _Here) else None
        return here

    def _arrives(self, device: str, vrf: str, interface: str | None, header: Header) -> bool:
        """Whether routing alone takes a packet home from somewhere, on all branches."""
        walker = _Walker(self.topology, self.rib, (), None, filters=False, beyond=False)
        found = walker.branches(header, (Start(device, vrf, interface),))
        good = (Verdict.DELIVERED, Verdict.LEAVES_NETWORK)
        return all(branch.verdict in good for branch in islice(found, MAXIMUM_BRANCHES))

    def _not_reached(self, here: _Here) -> Iterator[Stage]:
        """The stages behind the one that stopped it, of those that every packet meets."""
        reached = {stage.name for stage in here.stages}
        for step in _steps(here):
            if isinstance(step, StageName) and step in _ALWAYS and step not in reached:
                yield Stage(name=step, result=Result.NOT_REACHED)


#: Fragments of which others went another way.
_APART = (Fragment.ALONE, Fragment.LATER)

#: The stages that every packet meets; others are shown where something is configured.
_ALWAYS = (
    StageName.FILTER_IN,
    StageName.ROUTE,
    StageName.TTL,
    StageName.FILTER_OUT,
    StageName.MTU,
    StageName.NEIGHBOUR,
)


def _steps(here: _Here) -> tuple[Step, ...]:
    """The stages of a device for what arrives at it, or for what it sends."""
    order = ORDERS[here.device.processing]
    return order.sent if here.interface_in is None else order.arriving


def _same_packet(left: Header, right: Header) -> bool:
    """Whether two headers are of one packet, however far it has come."""
    names = ("source", "destination", "source_port", "destination_port")
    return all(getattr(left, name) == getattr(right, name) for name in names)


def _answers(header: Header, asked: Header) -> bool:
    """Whether a packet has the ends of the answer to another one."""
    return _same_packet(header, asked.reply())


def _same_but_port(left: Header, right: Header) -> bool:
    """Whether two headers differ in nothing but the source port, if at all."""
    names = ("protocol", "source", "destination", "destination_port")
    return all(getattr(left, name) == getattr(right, name) for name in names)


def _branch(here: _Here, verdict: Verdict, hops: tuple[Hop, ...]) -> Branch:
    return Branch(
        share=here.share,
        verdict=verdict,
        hops=hops,
        cause=None,
        path_mtu=here.path_mtu,
        entry=here.entry,
        header=here.header,
        sessions=here.sessions,
        obstacles=here.obstacles,
    )


def _hop(here: _Here) -> Hop:
    return Hop(
        device=here.device.name,
        vrf=here.vrf,
        interface_in=here.interface_in,
        interface_out=here.out.name if here.out else None,
        header=here.came or here.header,
        stages=here.stages,
    )


def _outside_hop(name: str, header: Header) -> Hop:
    return Hop(
        device=name,
        vrf="",
        interface_in=None,
        interface_out=None,
        header=header,
        stages=(),
        outside=True,
    )
