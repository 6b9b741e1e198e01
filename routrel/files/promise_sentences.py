"""The sentences in which promises are written, read and written.

    kiosks to booking-db as tcp 5432 must be delivered and pass eas-fw-1 and survive any link
    everybody to 10.20.0.0/24 as any must be blocked
    dru-core-1 must hold 10.66.0.0/16 by ospf
    nobody outside must hear 10.0.0.0/8
    every device of gullspit must hold a default
    there must be no finding duplicate_address

What a name means is for the network to say; here names are words.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from routrel.files.shapes import closest
from routrel.model.addresses import Prefix
from routrel.model.filters import PortRange
from routrel.model.promises import (
    Avoids,
    Blocked,
    Branches,
    Carries,
    Clause,
    Delivered,
    FlowSet,
    HasDefault,
    Holds,
    LeavesBy,
    NobodyHears,
    NoFinding,
    Passes,
    Promise,
    ReturnsSameWay,
    RouteClaim,
    Separate,
    Sharing,
    Survives,
    TakesAtMost,
    Thing,
    ThingKind,
    Traffic,
)
from routrel.model.traffic import (
    ICMP,
    ICMP_TYPES,
    ICMPV6,
    ICMPV6_TYPES,
    PORT_PROTOCOLS,
    PROTOCOL_NUMBERS,
    TCP,
    TCP_FLAGS,
    icmp_type_name,
    protocol_name,
)

__all__ = ["BadSentence", "Said", "promise_of", "read_sentence", "write_sentence"]

_Value = TypeVar("_Value")
_SHARED = {
    "link": Sharing.LINK, "device": Sharing.DEVICE, "risk-group": Sharing.GROUP,
    "group": Sharing.GROUP,
}  # fmt: skip
_KINDS = {**{kind.value: kind for kind in ThingKind}, "risk-group": ThingKind.GROUP}
#: What a survived failure may be of.
_FAILING = {
    name + ending: kind
    for name, kind in (
        ("link", ThingKind.LINK), ("device", ThingKind.DEVICE), ("site", ThingKind.SITE),
        ("risk-group", ThingKind.GROUP), ("group", ThingKind.GROUP),
    )
    for ending in ("", "s")
}  # fmt: skip
_NUMBERS = {"one": 1, "two": 2, "three": 3}
_BEGINNINGS = (
    "be delivered", "be blocked", "pass", "avoid", "leave by", "take at most", "have at least",
    "carry", "return the same way", "survive any", "stay separate from",
)  # fmt: skip


class BadSentence(Exception):
    """A sentence that says nothing that can be checked: why, and what to write."""

    def __init__(self, text: str, suggestion: str = "") -> None:
        self.text, self.suggestion = text, suggestion
        super().__init__(f"{text}; {suggestion}" if suggestion else text)


@dataclass(frozen=True, slots=True)
class Said:
    """What a sentence says; either flows with clauses, or a claim about routes."""

    flows: FlowSet | None
    clauses: tuple[Clause, ...]
    claim: RouteClaim | None = None


def read_sentence(text: str) -> Said:
    """Read a sentence.

    Raises:
        BadSentence: it has not the form of one.
    """
    words = _Words(re.findall(r",|[^\s,]+", text.strip().rstrip(".")))
    if words.take("there", "must", "be", "no", "finding"):
        return _claimed(words, NoFinding(code=words.next("a kind of finding")))
    if words.take("nobody", "outside", "must", "hear"):
        return _claimed(words, NobodyHears(prefix=_prefix(words.next("a prefix"))))
    if words.take("every", "device", "of"):
        return _claimed(words, _site_default(words))
    if words.has_at(1, "must", "hold"):
        return _claimed(words, _holding(words))
    flows = _flows(words)
    if not words.take("must"):
        raise words.unexpected("must, and what must hold")
    clauses = [_clause(words)]
    while words.take("and"):
        clauses.append(_clause(words))
    words.end()
    _agree(clauses)
    return Said(flows, tuple(clauses))


def promise_of(name: str, sentence: str, **more: Any) -> Promise:
    """The promise that a sentence makes.

    Args:
        more: Its severity, owner, folder, note and place.
    Raises:
        BadSentence: as `read_sentence`.
    """
    said = read_sentence(sentence)
    return Promise(
        name=name,
        sentence=sentence,
        flows=said.flows,
        clauses=said.clauses,
        claim=said.claim,
        **more,
    )


def write_sentence(said: Said) -> str:
    """The sentence that says something, in its one form: reading it gives the same again."""
    clauses = " and ".join(map(_clause_words, said.clauses))
    if said.claim is not None:
        return _claim_words(said.claim) + (f" and {clauses}" if clauses else "")
    if said.flows is None:
        raise ValueError("a sentence is about flows or routes")
    return f"{_flow_words(said.flows)} must {clauses}"


def _agree(clauses: Sequence[Clause]) -> None:
    """Refuse clauses that cannot go together."""
    kinds = [type(clause) for clause in clauses]
    if Blocked in kinds and set(kinds) - {Blocked, Survives}:
        raise BadSentence(
            "what must be blocked takes no way", "leave the other clauses out, or write another"
        )
    for kind in (Delivered, Blocked, Carries, TakesAtMost, ReturnsSameWay):
        if kinds.count(kind) > 1:
            raise BadSentence("one thing is said twice", "say it once")
    if all(kind is Survives for kind in kinds):
        raise BadSentence("it does not say what must survive", "add be delivered, for one")


# --- words --------------------------------------------------------------------------------------


class _Words:
    """The words of a sentence, read from the left."""

    def __init__(self, words: list[str]) -> None:
        self._words, self._at = words, 0

    def take(self, *expected: str) -> bool:
        """Whether these come next; then they are passed."""
        if self.has_at(0, *expected):
            self._at += len(expected)
            return True
        return False

    def has_at(self, ahead: int, *expected: str) -> bool:
        """Whether these come next but so many."""
        begin = self._at + ahead
        return [word.lower() for word in self._words[begin : begin + len(expected)]] == list(
            expected
        )

    def next(self, what: str) -> str:
        """The next word, which is a name, a number or the like."""
        if self._at >= len(self._words) or self._words[self._at] == ",":
            raise self.unexpected(what)
        self._at += 1
        return self._words[self._at - 1]

    def peek(self) -> str:
        """The next word in small letters; empty: there is none."""
        return self._words[self._at].lower() if self._at < len(self._words) else ""

    def end(self) -> None:
        """Refuse whatever is left."""
        if self.peek():
            raise self.unexpected("the end, or “and” with a further clause")

    def unexpected(self, wanted: str) -> BadSentence:
        """What to say where something else stands than what is wanted."""
        if not self.peek():
            return BadSentence(f"the sentence ends where {wanted} should follow")
        return BadSentence(f"“{self._words[self._at]}” stands where {wanted} should")

    def number(self, what: str, least: int, most: int) -> int:
        """The next word, a number within bounds."""
        word = self.next(what)
        number = _NUMBERS.get(word.lower())
        if number is None and re.fullmatch(r"[0-9]{1,7}", word):
            number = int(word)
        if number is None or not least <= number <= most:
            raise BadSentence(f"“{word}” is not {what} from {least} to {most}")
        return number

    def listed(self, what: str, one: Callable[[str], _Value]) -> tuple[_Value, ...]:
        """Values with commas between them."""
        found = [one(self.next(what))]
        while self.take(","):
            found.append(one(self.next(what)))
        return tuple(found)


def _choice(word: str, known: dict[str, _Value], what: str) -> _Value:
    if word.lower() not in known:
        raise BadSentence(f"“{word}” is not {what}", closest(word.lower(), known))
    return known[word.lower()]


def _prefix(word: str) -> Prefix:
    try:
        return ipaddress.ip_network(word)
    except ValueError:
        raise BadSentence(
            f"“{word}” is not a prefix", "write 10.1.0.0/16, without host bits"
        ) from None


# --- what it is about ---------------------------------------------------------------------------


def _flows(words: _Words) -> FlowSet:
    if words.take("question"):
        return FlowSet(sources=(), destinations=(), question=words.next("the name of a question"))
    sources = words.listed("a source", str)
    if not words.take("to"):
        raise words.unexpected("to, and the destinations")
    destinations = words.listed("a destination", str)
    traffic: tuple[Traffic, ...] = ()
    source_ports = version = None
    if words.take("as"):
        traffic = _traffic(words)
    if words.take("from", "port"):
        source_ports = _ports(words.next("a source port"))
    if words.take("over"):
        version = _choice(words.next("ipv4 or ipv6"), {"ipv4": 4, "ipv6": 6}, "ipv4 or ipv6")
    return FlowSet(
        sources=sources, destinations=destinations, traffic=traffic, source_ports=source_ports,
        version=version,
    )  # fmt: skip


def _traffic(words: _Words) -> tuple[Traffic, ...]:
    found = [*_one_traffic(words)]
    while words.take(","):
        protocol = found[-1].protocol
        if re.fullmatch(r"[0-9]+(-[0-9]+)?", words.peek()) and protocol in PORT_PROTOCOLS:
            ports = _ports(words.next("a port"))  # tcp 80, 443
            found.append(Traffic(protocol=protocol, ports=ports, flags=found[-1].flags))
        else:
            found += _one_traffic(words)
    return tuple(found)


def _one_traffic(words: _Words) -> list[Traffic]:
    word = words.next("a protocol, or any").lower()
    if word == "any":
        return [Traffic()]
    if word == "protocol":
        word = words.next("the number of a protocol")
    number = PROTOCOL_NUMBERS.get(word)
    if number is None and re.fullmatch(r"[0-9]{1,3}", word) and int(word) < 256:
        number = int(word)
    if number is None:
        hint = closest(word, [*PROTOCOL_NUMBERS, "any"])
        raise BadSentence(f"“{word}” is not a protocol", hint)
    following = words.peek()
    if number in PORT_PROTOCOLS:
        ports = None
        if re.fullmatch(r"[0-9]+(-[0-9]+)?", following):
            ports = _ports(words.next("a port"))
        flags = _flags(words) if number == TCP else None
        return [Traffic(protocol=number, ports=ports, flags=flags)]
    if number in (ICMP, ICMPV6):
        names = ICMP_TYPES if number == ICMP else ICMPV6_TYPES
        if following in names:
            return [Traffic(protocol=number, icmp_type=names[words.next("a type")])]
        if re.fullmatch(r"[0-9]{1,3}", following) and int(following) < 256:
            return [Traffic(protocol=number, icmp_type=int(words.next("a type")))]
    return [Traffic(protocol=number)]


def _flags(words: _Words) -> frozenset[str] | None:
    if words.take("without", "flags"):
        return frozenset()
    found = set()
    while words.peek() in TCP_FLAGS:
        found.add(words.next("a flag").lower())
    return frozenset(found) if found else None


def _ports(word: str) -> PortRange:
    first, dash, last = word.partition("-")
    ends = (first, last if dash else first)
    if not all(re.fullmatch(r"[0-9]{1,5}", end) and int(end) < 65536 for end in ends):
        raise BadSentence(f"“{word}” is not a port, nor a range of them", "write 443, or 8000-8099")
    if int(ends[0]) > int(ends[1]):
        raise BadSentence(f"“{word}” ends before it begins")
    return PortRange(int(ends[0]), int(ends[1]))


def _site_default(words: _Words) -> HasDefault:
    site = words.next("a site")
    if not words.take("must", "hold"):
        raise words.unexpected("must hold a default")
    for beginning, version in ((("a",), 4), (("an", "ipv4"), 4), (("an", "ipv6"), 6)):
        if words.take(*beginning, "default"):
            return HasDefault(site=site, version=version)
    raise words.unexpected("a default, or an IPv6 default")


def _holding(words: _Words) -> Holds:
    device = words.next("a device")
    words.take("must", "hold")
    prefix = _prefix(words.next("a prefix"))
    said: dict[str, object] = {}
    while words.peek() and words.peek() != "and":
        if words.take("in"):
            name, value = "vrf", words.next("a VRF")
        elif words.take("by"):
            name, value = "protocol", words.next("a protocol").lower()
        elif words.take("from"):
            name, value = "neighbour", words.next("who announces it")
        elif words.take("via"):
            word = words.next("a next hop")
            try:
                said["next_hop"] = ipaddress.ip_address(word)
            except ValueError:
                raise BadSentence(f"“{word}” is not an address") from None
            continue
        elif words.take("leaving", "by"):
            said["exit"] = _thing(words)
            continue
        else:
            raise words.unexpected("in, by, from, via or leaving by")
        said[name] = value
    return Holds(device=device, prefix=prefix, **said)  # type: ignore[arg-type]


def _claimed(words: _Words, claim: RouteClaim) -> Said:
    clauses = []
    while words.take("and"):
        clause = _clause(words)
        if not isinstance(clause, Survives):
            raise BadSentence("of routes one can say besides that it survives", "survive any link")
        clauses.append(clause)
    words.end()
    return Said(None, tuple(clauses), claim)


# --- clauses ------------------------------------------------------------------------------------


def _clause(words: _Words) -> Clause:
    if words.take("be", "delivered"):
        return Delivered()
    if words.take("be", "blocked"):
        return Blocked()
    if words.take("pass"):
        things, any_of = _things(words)
        return Passes(things, any_of, words.take("both", "ways"))
    if words.take("avoid"):
        things, _ = _things(words)
        return Avoids(things, words.take("both", "ways"))
    if words.take("leave", "by"):
        things, _ = _things(words)
        return LeavesBy(things)
    if words.take("take", "at", "most"):
        hops = words.number("a number of hops", 1, 255)
        if not (words.take("hops") or words.take("hop")):
            raise words.unexpected("hops")
        return TakesAtMost(hops)
    if words.take("have", "at", "least"):
        count = words.number("a number of branches", 2, 64)
        if not words.take("branches", "that", "share", "no"):
            raise words.unexpected("branches that share no link, device or risk group")
        return Branches(count, _shared(words))
    if words.take("carry"):
        size = words.number("a number of bytes", 20, 65535)
        if not words.take("bytes"):
            raise words.unexpected("bytes")
        return Carries(size)
    if words.take("return", "the", "same", "way"):
        return ReturnsSameWay()
    if words.take("survive", "any"):
        return _survives(words)
    if words.take("stay", "separate", "from"):
        name = words.next("the name of a promise")
        if not words.take("by"):
            return Separate(name)
        found = [_shared(words)]
        while words.take(","):
            found.append(_shared(words))
        return Separate(name, tuple(found))
    raise BadSentence(str(words.unexpected("a clause")), f"clauses begin: {', '.join(_BEGINNINGS)}")


def _survives(words: _Words) -> Survives:
    count = words.number("a number", 1, 3) if words.peek() in (*_NUMBERS, "2", "3") else 1
    kinds = [_failing(words)]
    while words.take(",") or words.take("or"):
        kinds.append(_failing(words))
    return Survives(tuple(dict.fromkeys(kinds)), count)


def _failing(words: _Words) -> ThingKind:
    if words.take("risk", "group") or words.take("risk", "groups"):
        return ThingKind.GROUP
    return _choice(words.next("link, device, site or risk group"), _FAILING, "a kind of failure")


def _shared(words: _Words) -> Sharing:
    if words.take("risk", "group"):
        return Sharing.GROUP
    return _choice(words.next("link, device or risk group"), _SHARED, "something to share")


def _things(words: _Words) -> tuple[tuple[Thing, ...], bool]:
    """Things with commas, all of which count, or with “or”."""
    found = [_thing(words)]
    joints = set()
    while words.peek() in (",", "or"):
        joints.add(words.peek())
        words.take(words.peek())
        found.append(_thing(words))
    if len(joints) > 1:
        raise BadSentence("commas and “or” do not mix", "write two clauses")
    return tuple(found), "or" in joints


def _thing(words: _Words) -> Thing:
    if words.take("risk", "group"):
        return Thing(words.next("the name of a risk group"), ThingKind.GROUP)
    word = words.next("a device, site, link, network or risk group")
    following = words.peek()
    if word.lower() in _KINDS and following not in ("", ",", "or", "and", "both"):
        return Thing(words.next("a name"), _KINDS[word.lower()])
    return Thing(word)


# --- writing ------------------------------------------------------------------------------------


def _flow_words(flows: FlowSet) -> str:
    if flows.question:
        return f"question {flows.question}"
    text = f"{', '.join(flows.sources)} to {', '.join(flows.destinations)}"
    if flows.traffic:
        text += f" as {', '.join(map(_traffic_words, flows.traffic))}"
    if flows.source_ports is not None:
        text += f" from port {flows.source_ports}"
    return text + (f" over ipv{flows.version}" if flows.version else "")


def _traffic_words(traffic: Traffic) -> str:
    if traffic.protocol is None:
        return "any"
    words = [protocol_name(traffic.protocol)]
    if traffic.ports is not None:
        words.append(str(traffic.ports))
    if traffic.icmp_type is not None:
        name = icmp_type_name(traffic.protocol, traffic.icmp_type)
        words.append(name.removeprefix("type "))
    if traffic.flags is not None:
        words += [flag for flag in TCP_FLAGS if flag in traffic.flags] or ["without", "flags"]
    return " ".join(words)


def _claim_words(claim: RouteClaim) -> str:
    match claim:
        case NoFinding(code=code):
            return f"there must be no finding {code}"
        case NobodyHears(prefix=prefix):
            return f"nobody outside must hear {prefix}"
        case HasDefault(site=site, version=version):
            return f"every device of {site} must hold a{'n ipv6' if version == 6 else ''} default"
        case Holds():
            parts = (
                ("in", claim.vrf), ("by", claim.protocol), ("from", claim.neighbour),
                ("via", claim.next_hop),
                ("leaving by", _thing_words(claim.exit) if claim.exit else None),
            )  # fmt: skip
            words = "".join(f" {word} {value}" for word, value in parts if value is not None)
            return f"{claim.device} must hold {claim.prefix}{words}"


def _clause_words(clause: Clause) -> str:
    match clause:
        case Delivered():
            return "be delivered"
        case Blocked():
            return "be blocked"
        case Passes(things=things, any_of=any_of, both_ways=both):
            return f"pass {_thing_list(things, any_of=any_of)}{' both ways' * both}"
        case Avoids(things=things, both_ways=both):
            return f"avoid {_thing_list(things)}{' both ways' * both}"
        case LeavesBy(things=things):
            return f"leave by {_thing_list(things, any_of=True)}"
        case TakesAtMost(hops=hops):
            return f"take at most {hops} hop{'s' * (hops != 1)}"
        case Branches(count=count, sharing=sharing):
            return f"have at least {count} branches that share no {sharing}"
        case Carries(size=size):
            return f"carry {size} bytes"
        case ReturnsSameWay():
            return "return the same way"
        case Survives(kinds=kinds, count=count):
            names = ["risk group" if kind is ThingKind.GROUP else kind.value for kind in kinds]
            if count == 1:
                return f"survive any {' or '.join(names)}"
            many = next(word for word, number in _NUMBERS.items() if number == count)
            return f"survive any {many} {' or '.join(f'{name}s' for name in names)}"
        case Separate(promise=promise, sharing=sharing):
            words = f"stay separate from {promise}"
            return words if sharing == Separate("").sharing else f"{words} by {', '.join(sharing)}"


def _thing_list(things: Sequence[Thing], *, any_of: bool = False) -> str:
    return (" or " if any_of else ", ").join(map(_thing_words, things))


def _thing_words(thing: Thing) -> str:
    if thing.kind is None:
        return thing.name
    kind = "risk group" if thing.kind is ThingKind.GROUP else thing.kind.value
    return f"{kind} {thing.name}"
