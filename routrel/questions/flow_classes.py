"""A flow question about many ends: a prefix, a group or a site. One answer for each class.

A class is what the network treats alike: every prefix that a table, a filter, steering or
translation names, and every address of an interface, may tell two addresses apart, nothing else
does. So one address of each piece between those marks stands for the whole piece, and pieces whose
packets meet the same are told together.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch
from routrel.model.addresses import Prefix, address_of, is_within, range_words
from routrel.model.filters import Match
from routrel.model.network import Device
from routrel.questions.endpoints import is_held
from routrel.questions.errors import QuestionError, TooManyClasses
from routrel.questions.flow import DirectionAnswer, FlowAnswer, FlowQuestion, ask_flow

__all__ = [
    "ClassAnswer",
    "Pair",
    "Piece",
    "ask_classes",
    "is_about_many",
    "pieces_of_prefix",
    "prefixes_of_rules",
]

#: Pairs of pieces that are asked about at most.
MAXIMUM_PAIRS = 2048


@dataclass(frozen=True, slots=True)
class Piece:
    """Addresses treated alike, or one named end; `asked` stands for all of them."""

    text: str
    asked: str
    held: bool = True  #: whether somebody has them: a device, or the world outside


@dataclass(frozen=True, slots=True)
class Pair:
    """A source and a destination, each a name, an address, a prefix or a range."""

    source: str
    destination: str
    held: bool = True  #: whether somebody has both ends


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassAnswer:
    """What becomes of all traffic of one class. `answer` is None where it cannot be asked."""

    pairs: tuple[Pair, ...]
    answer: FlowAnswer | None
    problem: str = ""

    @property
    def is_of_nobody(self) -> bool:
        """Whether of each pair an end is an address that nobody has."""
        return not any(pair.held for pair in self.pairs)


def is_about_many(state: State, question: FlowQuestion) -> bool:
    """Whether one of the ends stands for several addresses."""
    return any(_is_many(state, text) for text in (question.source, question.destination))


def ask_classes(state: State, question: FlowQuestion) -> tuple[ClassAnswer, ...]:
    """Answer for every class: those whose traffic does not arrive first, those of nobody last.

    Raises:
        QuestionError: an end names nothing, or there are too many classes.
    """
    sources = list(_pieces(state, question.source))
    destinations = list(_pieces(state, question.destination))
    if len(sources) * len(destinations) > MAXIMUM_PAIRS:
        raise TooManyClasses(
            f"{question.source} to {question.destination} falls into "
            f"{len(sources) * len(destinations)} pairs that may be treated differently",
            "ask about narrower prefixes",
        )
    found: dict[object, list[tuple[Pair, FlowAnswer | None, str]]] = {}
    for source in sources:
        for destination in destinations:
            if source.asked == destination.asked:
                continue
            asked = replace(question, source=source.asked, destination=destination.asked)
            pair = Pair(source.text, destination.text, source.held and destination.held)
            try:
                answer = ask_flow(state, asked)
            except QuestionError as error:
                found.setdefault(error.code, []).append((pair, None, error.text))
            else:
                found.setdefault(_treatment(answer), []).append((pair, answer, ""))
    classes = [
        ClassAnswer(
            pairs=tuple(pair for pair, _, _ in members), answer=members[0][1], problem=members[0][2]
        )
        for members in found.values()
    ]
    return tuple(sorted(classes, key=_worst_first))


def _worst_first(one: ClassAnswer) -> tuple[int, int]:
    if one.answer is None:
        return 3, 0
    if one.is_of_nobody:
        return 2, -len(one.pairs)
    directions = (one.answer.forward, one.answer.back)
    arrives = all(d is None or not d.obstacles for d in directions)
    return int(arrives), -len(one.pairs)


def _treatment(answer: FlowAnswer) -> object:
    """What packets met on both ways, in every outcome; equal for pairs of one class."""
    here = tuple(
        None if direction is None else (direction.verdict, *_ways(direction))
        for direction in (answer.forward, answer.back)
    )
    return here, tuple(_treatment(one.answer) for one in answer.outcomes)


def _ways(direction: DirectionAnswer) -> Iterator[object]:
    for branch in direction.branches:
        yield branch.share, branch.verdict, branch.cause, tuple(_hops(branch))


def _hops(branch: Branch) -> Iterator[object]:
    # The ends differ by name; the devices between them tell the way.
    inner = branch.hops[1:-1] if len(branch.hops) > 2 else ()
    for hop in inner:
        yield hop.device, hop.interface_in, hop.interface_out


# --- what an end stands for -----------------------------------------------------------------------


def _is_many(state: State, text: str) -> bool:
    word = text.strip()
    if word in state.topology.devices:
        return False
    network = state.network
    names = {group.name for group in network.groups} | {site.name for site in network.sites}
    return word in names or _prefix(word) is not None


def _prefix(word: str) -> Prefix | None:
    """The prefix a word names; None where it names none, or one address."""
    if "/" not in word:
        return None
    try:
        prefix = ipaddress.ip_network(word, strict=False)
    except ValueError:
        return None
    return prefix if prefix.num_addresses > 1 else None


def _pieces(state: State, text: str) -> Iterator[Piece]:
    word = text.strip()
    network = state.network
    if not _is_many(state, word):
        yield Piece(word, word.split("/")[0] if "/" in word and ":" not in word else word)
        return
    prefix = _prefix(word)
    group = next((g for g in network.groups if g.name == word), None)
    if prefix is not None:
        yield from pieces_of_prefix([state], prefix)
    elif group is not None:
        for member in group.members:
            yield from _pieces(state, member)
    else:
        for device in network.ends_of_site(word):
            yield Piece(device.name, device.name)


def pieces_of_prefix(states: Sequence[State], prefix: Prefix) -> Iterator[Piece]:
    """A prefix in pieces, each of which every state treats alike, wherever it is named.

    An address of a piece is held where it is in one of the states.
    """
    first, last = int(prefix.network_address), int(prefix.broadcast_address)
    marks = {first, last + 1}
    version = prefix.version
    reserved: set[int] = set()
    for state in states:
        for other in _named_prefixes(state):
            if is_within(other, prefix):
                marks |= {int(other.network_address), int(other.broadcast_address) + 1}
        if version == 4:
            reserved |= _unusable(state)
    for begin, end in pairwise(sorted(marks)):
        usable = next((n for n in range(begin, min(end, begin + 4)) if n not in reserved), None)
        if usable is not None:
            words = range_words(address_of(version, begin), address_of(version, end - 1))
            address = address_of(version, usable)
            held = any(is_held(state, address) for state in states)
            yield Piece(words, str(address), held)


def _unusable(state: State) -> set[int]:
    """The addresses of subnets themselves and their broadcast addresses (RFC 1122 3.2.1.3)."""
    subnets = {
        own.network
        for segment in state.topology.segments
        for end in segment.ends
        for own in end.interface.addresses
        if own.version == 4 and own.network.prefixlen < 31
    }
    return {
        int(address)
        for subnet in subnets
        for address in (subnet.network_address, subnet.broadcast_address)
    }


def _named_prefixes(state: State) -> Iterator[Prefix]:
    """Every prefix that something in the network may tell addresses apart by."""
    yield from state.rib.interning.prefixes.prefixes
    for device in state.network.devices:
        for interface in device.interfaces:
            for own in interface.addresses:
                yield ipaddress.ip_network(own.ip)
            for router in interface.virtual_routers:
                yield from map(ipaddress.ip_network, router.addresses)
        yield from (prefix for rule in device.translation for prefix in rule.pool)
        yield from prefixes_of_rules(device)
    for outside in state.network.outside:
        yield from outside.prefixes
        for own in outside.addresses:
            yield ipaddress.ip_network(own.ip)


def prefixes_of_rules(device: Device) -> Iterator[Prefix]:
    """What the rules of a device tell addresses apart by."""
    for match in [
        *(rule.match for f in device.filters for rule in f.rules),
        *(rule.match for s in device.steerings for rule in s.rules),
        *(rule.match for rule in device.translation),
    ]:
        yield from _of_match(match)


def _of_match(match: Match) -> Iterator[Prefix]:
    yield from match.sources
    yield from match.destinations
