"""Promises that hold today and that somebody may want to hold for ever: each to be taken or left.

Only what was checked is suggested: every sentence is kept in the state at hand, by the same check
that will be made of it later, and none says what a promise that is there says already.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations
from typing import TypeAlias

from routrel.convergence.converge import State
from routrel.files.promise_sentences import BadSentence, promise_of
from routrel.model.filters import Action, Match
from routrel.model.network import InterfaceKind, Role
from routrel.model.place import Place
from routrel.model.promises import Promise
from routrel.model.traffic import PORT_PROTOCOLS, protocol_name
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion, WaysAlone, arrives, ask_flow
from routrel.questions.moves import KeptFlows
from routrel.questions.processes import Pool
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.sets import Sets
from routrel.questions.promises.surviving import Endured, survive

__all__ = ["Suggested", "SuggestedKind", "suggestions"]

#: Hosts that reach a service before it counts as one that many reach.
_MANY = 3
#: Ports of one rule that are taken for services, each by itself; a rule of more opens a range.
_FEW_PORTS = 4
#: Ranges that are held against the world outside: nobody there has a way back to them (RFC 1918,
#: RFC 4193).
_INSIDE = ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7")
#: What the names of a pair have different: a number or a letter at the end.
_LAST = re.compile(r"^(.*?)[-_.]?(\d+|[a-z])$")


#: What came of failing things, by promise; and what finds it of promises in a state.
Found: TypeAlias = dict[str, Endured]
Enduring: TypeAlias = Callable[[Checker, Sequence[Promise], Mapping[str, Checked]], Found]


class SuggestedKind(StrEnum):
    """What about today's behaviour suggests a promise."""

    SERVICE = "service"  #: many reach it
    TWO_EXITS = "two_exits"  #: a site with two ways out loses none of it by one link
    SEPARATE = "separate"  #: a pair shares nothing
    SHUT = "shut"  #: a rule denies it, and nothing lets it pass
    DEFAULT = "default"  #: every device of a site has a default route
    HIDDEN = "hidden"  #: nobody outside hears of it


@dataclass(frozen=True, slots=True, kw_only=True)
class Suggested:
    """Promises to be taken together, each kept today, with what suggests them."""

    kind: SuggestedKind
    promises: tuple[Promise, ...]
    subject: str  #: the service, the site, the pair, the rule or the range
    count: int = 0  #: hosts that reach a service, links that were failed, ways out of a site
    place: Place | None = None  #: the line that says so, where one does


def suggestions(
    state: State,
    promises: Sequence[Promise],
    kept: KeptFlows,
    on_case: Callable[[int, int], None] | None = None,
    make_pool: Pool | None = None,
    workers: int = 1,
) -> tuple[Suggested, ...]:
    """What might be promised of a network as it behaves.

    Args:
        promises: Those that there are.
        on_case: Called with the failures tried and those in all.
        make_pool: Makes processes for the failures; None: they are tried here.
        workers: How many it has.
    """

    def enduring(checker: Checker, asked: Sequence[Promise], known: Mapping[str, Checked]) -> Found:
        return survive(checker, asked, known, kept, on_case, make_pool, workers)

    return tuple(_Suggester(state, promises, kept, enduring).run())


@dataclass(frozen=True, slots=True)
class _Service:
    """Traffic to a host that something permits by name, or that a kept question is about."""

    host: str
    traffic: str
    place: Place | None


class _Suggester:
    """Looks for what holds, and keeps what nobody has promised yet."""

    def __init__(
        self, state: State, promises: Sequence[Promise], kept: KeptFlows, enduring: Enduring
    ) -> None:
        self._enduring = enduring
        self.state, self.network, self._kept = state, state.network, kept
        self._promises = tuple(promises)
        self._checker = Checker(state, promises, kept)
        self._sets, self._ways = Sets(state), WaysAlone()
        self._hosts = [one for one in self.network.devices if one.role is Role.HOST]
        self._names = {one.name for one in promises}
        self._said = {one.name: self._pairs_of(one) for one in promises if one.flows}
        self._delivered: dict[FlowQuestion, bool] = {}

    def run(self) -> Iterator[Suggested]:
        """All suggestions, by kind."""
        reached = {one: self._reaching(one) for one in self._services()}
        services = {one: names for one, names in reached.items() if len(names) >= _MANY}
        yield from self._of_services(services)
        yield from self._surviving(services)
        yield from self._separate(reached)
        yield from self._shut()
        yield from self._defaults()
        yield from self._hidden()

    # --- what holds -----------------------------------------------------------------------------

    def _kept_today(
        self, name: str, sentence: str, *others: Promise, families: bool = False
    ) -> Promise | None:
        """The promise of a sentence, if it is kept and new; with `families`, else of one family."""
        for family in ("", " over ipv4", " over ipv6") if families else ("",):
            try:
                made = promise_of(name, sentence.replace(" must ", f"{family} must ", 1))
            except BadSentence:
                return None
            if self._is_said(made):
                return None
            checker = self._checker
            if others:
                checker = Checker(self.state, (*self._promises, *others), self._kept)
            if checker.check(made).kept:
                return made
        return None

    def _named(self, *words: str) -> str:
        """A name that no promise has yet."""
        base = re.sub(r"[^A-Za-z0-9]+", "-", "-".join(words)).strip("-").lower()[:60]
        name, number = base, 1
        while name in self._names:
            number += 1
            name = f"{base}-{number}"
        return name

    def _taken(self, promise: Promise) -> Promise:
        self._names.add(promise.name)
        return promise

    def _is_said(self, made: Promise) -> bool:
        """Whether a promise that is there says as much."""
        for one in self._promises:
            clauses = set(made.clauses) <= set(one.clauses)
            if made.claim is not None:
                if one.claim == made.claim and clauses:
                    return True
            elif (
                made.flows
                and one.flows
                and clauses
                and one.flows.traffic == made.flows.traffic
                and self._pairs_of(made) <= self._said[one.name]
            ):
                return True
        return False

    def _pairs_of(self, promise: Promise) -> frozenset[object]:
        """The pairs of ends that a promise is about, each by its addresses."""
        if promise.flows is None or promise.flows.question:
            return frozenset()
        try:
            pairs = self._sets.pairs(promise.flows, blocked=promise.is_blocked)
        except QuestionError:
            return frozenset()
        return frozenset((one.address, other.address) for one, other in pairs)

    def _arrives(self, source: str, destination: str, traffic: str) -> bool:
        """Whether a flow arrives, and its answers do, in every outcome."""
        asked = FlowQuestion(source=source, destination=destination, traffic=traffic, both=True)
        if asked not in self._delivered:
            try:
                answer = ask_flow(self.state, asked, self._ways)
            except QuestionError:
                self._delivered[asked] = False
            else:
                self._delivered[asked] = all(map(arrives, answer.each))
        return self._delivered[asked]

    # --- services that many reach ---------------------------------------------------------------

    def _services(self) -> list[_Service]:
        """What rules permit to hosts by port, and what kept questions are about."""
        found: dict[tuple[str, str], _Service] = {}
        for question in self._kept.values():
            if question.destination in self.state.topology.devices and question.traffic:
                key = question.destination, question.traffic
                found.setdefault(key, _Service(*key, None))
        for device in self.network.devices:
            for one in device.filters:
                for rule in one.rules:
                    if rule.action is not Action.PERMIT:
                        continue
                    for host in self._hosts_in(rule.match):
                        for traffic in _service_traffic(rule.match):
                            found.setdefault((host, traffic), _Service(host, traffic, rule.place))
        return list(found.values())

    def _hosts_in(self, match: Match) -> list[str]:
        """The hosts that a rule names as destinations, by prefixes that are not everything."""
        prefixes = [one for one in match.destinations if one.prefixlen]
        return [
            host.name
            for host in self._hosts
            if any(
                own.ip.version == prefix.version and own.ip in prefix
                for port in host.interfaces
                for own in port.addresses
                for prefix in prefixes
            )
        ]

    def _reaching(self, service: _Service) -> list[str]:
        """The hosts that reach a service, in order of the network."""
        return [
            one.name
            for one in self._hosts
            if one.name != service.host and self._arrives(one.name, service.host, service.traffic)
        ]

    def _of_services(self, services: Mapping[_Service, list[str]]) -> Iterator[Suggested]:
        for service, reaching in services.items():
            ends = ", ".join(self._words_for(reaching))
            made = self._kept_today(
                self._named(service.host, service.traffic),
                f"{ends} to {service.host} as {service.traffic} must be delivered",
                families=True,
            )
            if made is not None:
                yield Suggested(
                    kind=SuggestedKind.SERVICE,
                    promises=(self._taken(made),),
                    subject=f"{service.host} as {service.traffic}",
                    count=len(reaching),
                    place=service.place,
                )

    def _words_for(self, hosts: Iterable[str]) -> list[str]:
        """Few words for some hosts: groups and sites of which all are among them, then names."""
        left = dict.fromkeys(hosts)
        among = set(left)
        sets = [
            *((group.name, frozenset(group.members)) for group in self.network.groups),
            *(
                (site.name, frozenset(one.name for one in self.network.ends_of_site(site.name)))
                for site in self.network.sites
            ),
        ]
        words = []
        for name, members in sorted(sets, key=lambda one: -len(one[1])):
            if len(members) > 1 and members <= among and not members.isdisjoint(left):
                words.append(name)
                for member in members:
                    left.pop(member, None)
        return [*words, *left]

    # --- sites with two ways out ----------------------------------------------------------------

    def _surviving(self, services: Mapping[_Service, list[str]]) -> Iterator[Suggested]:
        """What sites with two ways out do not lose by one link; each link is failed."""
        exits = {name: ways for name, ways in self._ways_out().items() if ways > 1}
        asked: list[tuple[str, Promise]] = []
        for site in exits:
            here = {one.name for one in self.network.ends_of_site(site)}
            for service, reaching in services.items():
                ends = ", ".join(self._words_for(name for name in reaching if name in here))
                if not ends or service.host in here:
                    continue
                made = self._kept_today(
                    self._named(site, service.host, service.traffic, "survives"),
                    f"{ends} to {service.host} as {service.traffic} "
                    "must be delivered and survive any link",
                    families=True,
                )
                asked += [(site, self._taken(made))] if made else []
            made = self._kept_today(
                self._named(site, "default-survives"),
                f"every device of {site} must hold a default and survive any link",
            )
            asked += [(site, self._taken(made))] if made else []
        candidates = [promise for _, promise in asked]
        known: dict[str, Checked] = {one.name: self._checker.check(one) for one in candidates}
        found = self._enduring(self._checker, candidates, known)
        for site, promise in asked:
            told = found.get(promise.name)
            if told is not None and not told.broken_by:
                yield Suggested(
                    kind=SuggestedKind.TWO_EXITS,
                    promises=(promise,),
                    subject=site,
                    count=exits[site],
                )

    def _ways_out(self) -> dict[str, int]:
        """By site: the links that lead from its devices to others, and to outside networks."""
        found = {site.name: 0 for site in self.network.sites}
        for segment in self.state.topology.segments:
            sites = {end.device.site or "" for end in segment.ends}
            for site in sites & found.keys():
                found[site] += len(sites) > 1 or bool(segment.outside)
        return found

    # --- pairs ----------------------------------------------------------------------------------

    def _separate(self, reached: Mapping[_Service, list[str]]) -> Iterator[Suggested]:
        """Hosts that are named as a pair and share nothing on their ways to a service."""
        for service, reaching in reached.items():
            for one, other in combinations(reaching, 2):
                if not _are_a_pair(one, other):
                    continue
                sentence = "{} to {} as {} must be delivered"
                first = self._first_of_pair(
                    one, service, sentence.format(one, service.host, service.traffic)
                )
                if first is None:
                    continue
                second = self._kept_today(
                    self._named(other, service.host, "separate"),
                    f"{sentence.format(other, service.host, service.traffic)} "
                    f"and stay separate from {first.name}",
                    first,
                )
                if second is None:
                    continue
                new = () if first.name in {p.name for p in self._promises} else (first,)
                yield Suggested(
                    kind=SuggestedKind.SEPARATE,
                    promises=tuple(map(self._taken, (*new, second))),
                    subject=f"{one} and {other}",
                )

    def _first_of_pair(self, host: str, service: _Service, sentence: str) -> Promise | None:
        """The promise of one flow of a pair: one that is there, or a new one."""
        made = promise_of(self._named(host, service.host, service.traffic), sentence)
        for one in self._promises:
            if one.sentence.startswith(sentence) and one.flows == made.flows:
                return one
        return made if self._checker.check(made).kept else None

    # --- what is shut, defaults, and what nobody hears ------------------------------------------

    def _shut(self) -> Iterator[Suggested]:
        """What a rule denies between two ends that it names, and nothing else lets pass."""
        told: set[str] = set()
        for device in self.network.devices:
            for one in device.filters:
                for rule in one.rules:
                    match = rule.match
                    if rule.action is not Action.DENY or not _names_both_ends(match):
                        continue
                    traffic = _denied_traffic(match)
                    ends = (", ".join(map(str, of)) for of in (match.sources, match.destinations))
                    sentence = f"{' to '.join(ends)} as {traffic} must be blocked"
                    if traffic is None or sentence in told:
                        continue
                    told.add(sentence)
                    words = (device.name, one.name, str(rule.id))
                    made = self._kept_today(self._named(*words), sentence)
                    if made is not None:
                        yield Suggested(
                            kind=SuggestedKind.SHUT,
                            promises=(self._taken(made),),
                            subject=f"rule {rule.id} of {one.name} at {device.name}",
                            place=rule.place,
                        )

    def _defaults(self) -> Iterator[Suggested]:
        for site, ways in self._ways_out().items():
            made = self._kept_today(
                self._named(site, "default"), f"every device of {site} must hold a default"
            )
            if made is not None and not self._is_promised_stronger(made):
                yield Suggested(
                    kind=SuggestedKind.DEFAULT,
                    promises=(self._taken(made),),
                    subject=site,
                    count=ways,
                )

    def _is_promised_stronger(self, made: Promise) -> bool:
        """Whether the same of routes is said already, with what it survives."""
        return any(one.claim == made.claim for one in self._promises)

    def _hidden(self) -> Iterator[Suggested]:
        if not self.network.outside:
            return
        for text in _INSIDE:
            inside = ipaddress.ip_network(text)
            held = sum(
                own.ip in inside
                for device in self.network.devices
                for port in device.interfaces
                if port.kind is not InterfaceKind.LOOPBACK
                for own in port.addresses
                if own.ip.version == inside.version
            )
            if not held:
                continue
            made = self._kept_today(
                self._named("nobody-hears", text), f"nobody outside must hear {text}"
            )
            if made is not None:
                yield Suggested(
                    kind=SuggestedKind.HIDDEN,
                    promises=(self._taken(made),),
                    subject=text,
                    count=held,
                )


def _service_traffic(match: Match) -> list[str]:
    """The traffic of each port that a rule permits by itself."""
    if match.protocol not in PORT_PROTOCOLS or match.flags_set or match.flags_clear:
        return []
    single = [ports.first for ports in match.destination_ports if ports.first == ports.last]
    if not single or len(match.destination_ports) > _FEW_PORTS:
        return []
    return [f"{protocol_name(match.protocol)} {port}" for port in single]


def _names_both_ends(match: Match) -> bool:
    return all(
        ends and all(one.prefixlen for one in ends) for ends in (match.sources, match.destinations)
    )


def _denied_traffic(match: Match) -> str | None:
    """What a rule denies, as a sentence says it; None where no sentence says as much."""
    narrower = (
        match.source_ports, match.icmp_types, match.icmp_codes, match.dscps, match.flags_set,
        match.flags_clear, match.fragments, match.connection_states, match.in_interfaces,
        match.out_interfaces, match.marks,
    )  # fmt: skip
    if any(narrower):
        return None
    if match.protocol is None:
        return "any"
    name = protocol_name(match.protocol)
    if not match.destination_ports:
        return name
    return ", ".join(f"{name} {ports}" for ports in match.destination_ports)


def _are_a_pair(one: str, other: str) -> bool:
    """Whether two names differ in what stands last alone, as radar-1 and radar-2 do."""
    first, second = _LAST.match(one), _LAST.match(other)
    return bool(first and second and first[1] and first[1] == second[1])
