"""The flows that a promise is about, as questions: one for each class that is treated alike."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.model.addresses import Address, Prefix
from routrel.model.network import OutsideNeighbour
from routrel.model.promises import EVERYBODY, FlowSet
from routrel.questions.endpoints import resolve_endpoint
from routrel.questions.errors import QuestionError, UnknownEndpoint
from routrel.questions.flow import FlowQuestion
from routrel.questions.promises.address_classes import AddressClass, AddressClasses
from routrel.questions.promises.header_classes import HeaderClasses

__all__ = ["AskedFlow", "PromiseEnd", "Sets"]

_EVERYTHING = tuple(ipaddress.ip_network(text) for text in ("0.0.0.0/0", "::/0"))


@dataclass(frozen=True, slots=True, kw_only=True)
class PromiseEnd:
    """Addresses that are treated alike, or one named thing's; `asked` is what a question names."""

    text: str
    asked: str
    address: Address
    held: bool  #: whether somebody has it
    #: Where packets to it may leave: outside networks that it lies behind; None: it is of ours.
    outside: tuple[str, ...] | None
    #: What tells it from other ends in the state that the classes go back to.
    key: object = None
    #: Equal for ends from which packets are treated alike where nobody looks for a way back.
    source_key: object = None

    @property
    def owned(self) -> bool:
        """Whether it is a device's own."""
        return self.held and self.outside is None

    @property
    def identity(self) -> tuple[str, Address]:
        return self.asked, self.address


@dataclass(frozen=True, slots=True, kw_only=True)
class AskedFlow:
    """One class of a promise's headers: the question that stands for it, and its ends."""

    question: FlowQuestion
    source: PromiseEnd
    destination: PromiseEnd


class Sets:
    """The flows of promises in one state; what several of them need is found once.

    Args:
        since: Those of another state of the same network; what was told apart there is told apart
            here too, and has the same keys.
    """

    def __init__(self, state: State, since: Sets | None = None) -> None:
        self.state = state
        self._addresses: AddressClasses = AddressClasses(state, since._addresses if since else None)
        self._keys = since._addresses if since else self._addresses
        self._headers = HeaderClasses(state.network)
        self._groups = {group.name: group for group in state.network.groups}
        self._sites = {site.name for site in state.network.sites}
        self._outside = {outside.name: outside for outside in state.network.outside}
        self._known: dict[str, tuple[PromiseEnd, ...]] = {}
        self._classes: dict[Prefix, list[AddressClass]] = {}

    def pairs(self, flows: FlowSet, *, blocked: bool) -> list[tuple[PromiseEnd, PromiseEnd]]:
        """The pairs of ends of a promise, each end standing for all that are treated alike.

        Args:
            blocked: Whether it says that nothing arrives; else only what somebody has counts as
                an end.
        Raises:
            QuestionError: an end names nothing, or no pair is left.
        """
        sources = self._ends(flows.sources)
        destinations = self._ends(flows.destinations)
        found = [
            pair
            for pair in self._pairs(sources, destinations, flows.version)
            if blocked or all(end.held for end in pair)
        ]
        if not found:
            raise UnknownEndpoint(
                "nobody has addresses of both ends in one family",
                "name devices, or prefixes in which the network has devices",
            )
        return found

    def questions(
        self,
        flows: FlowSet,
        pair: tuple[PromiseEnd, PromiseEnd],
        met: Set[str],
        *,
        blocked: bool,
        size: int | None,
    ) -> list[AskedFlow]:
        """The questions that stand for all headers of a promise between two ends.

        Args:
            met: The devices whose rules tell headers apart.
            blocked: As of `pairs`; then answers are not asked about.
            size: Bytes of the packets that are asked about; None: not asked.
        """
        source, destination = pair
        names = _names(source, destination)
        ends = (source.address, destination.address)
        return [
            AskedFlow(
                question=FlowQuestion(
                    source=names[0],
                    destination=names[1],
                    traffic=header.traffic,
                    source_port=header.source_port,
                    dscp=header.dscp,
                    size=size,
                    both=not blocked,
                ),
                source=source,
                destination=destination,
            )
            for header in self._headers.of(flows, *ends, met, blocked=blocked)
        ]

    def prefixes(self, names: Iterable[str]) -> set[Prefix]:
        """The prefixes whose addresses some names stand for as a whole; single ones are in none."""
        found: set[Prefix] = set()
        for word in names:
            if word in self._groups:
                found |= self.prefixes(m for m in self._groups[word].members if m != word)
            elif word in self._outside:
                found.update(self._outside[word].behind)
            elif word.lower() == EVERYBODY and word not in self.state.topology.devices:
                found.update(_EVERYTHING)
            elif (prefix := self._prefix(word)) is not None:
                found.add(prefix)
        return found

    def one_end(self, word: str) -> PromiseEnd:
        """The end that a question of one source and one destination names."""
        return next(self._named(word))

    def _pairs(
        self,
        sources: tuple[PromiseEnd, ...],
        destinations: tuple[PromiseEnd, ...],
        version: int | None,
    ) -> Iterator[tuple[PromiseEnd, PromiseEnd]]:
        for source in sources:
            if version not in (None, source.address.version):
                continue
            for destination in destinations:
                if source.address.version != destination.address.version:
                    continue
                # Nothing goes from an address to itself, nor between two behind one network by us.
                beyond = set(source.outside or ()) & set(destination.outside or ())
                if source.address == destination.address or beyond:
                    continue
                yield source, destination

    def _ends(self, names: tuple[str, ...]) -> tuple[PromiseEnd, ...]:
        found = {end.identity: end for name in names for end in self._end(name)}
        return tuple(found.values())

    def _end(self, word: str) -> tuple[PromiseEnd, ...]:
        """All classes that a name stands for."""
        if word not in self._known:
            self._known[word] = ()  # a group that names itself adds nothing
            self._known[word] = tuple(self._resolved(word))
        return self._known[word]

    def _resolved(self, word: str) -> Iterator[PromiseEnd]:
        network = self.state.network
        if word.lower() == EVERYBODY and word not in self.state.topology.devices:
            for prefix in _EVERYTHING:
                yield from self._of_prefix(prefix)
        elif word in self.state.topology.devices:
            yield from self._named(word)
        elif word in self._groups:
            for member in self._groups[word].members:
                yield from self._end(member)
        elif word in self._sites:
            for device in network.ends_of_site(word):
                yield from self._named(device.name)
        elif word in self._outside:
            yield from self._of_outside(self._outside[word])
        else:
            named = self._prefix(word)
            yield from self._named(word) if named is None else self._of_prefix(named)

    def _prefix(self, word: str) -> Prefix | None:
        """The prefix a word names; None where it names none, or one address."""
        if "/" not in word:
            return None
        try:
            return ipaddress.ip_network(word, strict=False)
        except ValueError:
            return None

    def _named(self, word: str) -> Iterator[PromiseEnd]:
        """The addresses, one a family, of a device, an interface, a name or an address."""
        try:
            found = resolve_endpoint(self.state, word)
        except UnknownEndpoint as error:
            names = [*self._groups, *self._sites]
            raise UnknownEndpoint(error.text, closest(word, names) or error.suggestion) from error
        for address in found.addresses:
            owner = self._addresses.owner(address)
            outside = None if owner else self._addresses.outside(address)
            yield PromiseEnd(
                text=word,
                asked=word,
                address=address,
                held=owner is not None or bool(outside),
                outside=outside or None,
                key=(word, address.version),
                source_key=(word, address.version),
            )

    def _of_prefix(self, prefix: Prefix) -> Iterator[PromiseEnd]:
        if prefix not in self._classes:
            self._classes[prefix] = list(self._addresses.of(prefix))
        for one in self._classes[prefix]:
            address = one.address
            try:
                starts = resolve_endpoint(self.state, str(address)).starts
            except QuestionError:
                continue
            if not starts and not one.held:
                continue  # nobody knows where it would be: it sends nothing and gets nothing
            more = f" and {one.ranges - 1} more ranges" if one.ranges > 1 else ""
            owner = self._plain_owner(one)
            yield PromiseEnd(
                text=owner or f"{one.words}{more}",
                asked=owner or str(address),
                address=address,
                held=one.held,
                outside=one.outside or None,
                key=self._keys.key(address),
                source_key=self._addresses.source_key(address),
            )

    def _plain_owner(self, one: AddressClass) -> str | None:
        """The device that has an address, if its name stands for this one."""
        if one.owner is None:
            return None
        try:
            named = resolve_endpoint(self.state, one.owner)
        except QuestionError:
            return None
        return one.owner if one.address in named.addresses else None

    def _of_outside(self, outside: OutsideNeighbour) -> Iterator[PromiseEnd]:
        """What lies behind an outside network, or itself where nothing is said to."""
        found = False
        for prefix in outside.behind:
            for one in self._addresses.of(prefix):
                if outside.name in one.outside:
                    found = True
                    yield PromiseEnd(
                        text=f"{one.words} behind {outside.name}",
                        asked=f"{outside.name}:{one.address}",
                        address=one.address,
                        held=True,
                        outside=one.outside,
                        key=(outside.name, self._keys.key(one.address)),
                        source_key=(outside.name, self._addresses.source_key(one.address)),
                    )
        if not found:
            for own in outside.addresses:
                yield PromiseEnd(
                    text=outside.name,
                    asked=f"{outside.name}:{own.ip}",
                    address=own.ip,
                    held=True,
                    outside=(outside.name,),
                    key=(outside.name, own.ip),
                    source_key=(outside.name, own.ip),
                )


def _names(source: PromiseEnd, destination: PromiseEnd) -> tuple[str, str]:
    """What a question has to name so that it asks about exactly these addresses."""
    if source.address.version == 4:
        return source.asked, destination.asked
    return _sixth(source), _sixth(destination)


def _sixth(end: PromiseEnd) -> str:
    """A name stands for IPv4 first where both ends have it."""
    return end.asked if end.asked.endswith(str(end.address)) else str(end.address)
