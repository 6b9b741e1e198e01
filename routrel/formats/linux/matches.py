"""What one rule of a ruleset asks of packets, as conditions of the language.

A match becomes alternatives: conditions of which any suffices. What cannot be said so is excepted:
conditions of which none may hold.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

from routrel.model.addresses import Prefix
from routrel.model.traffic import (
    DSCP_NAMES,
    ICMP,
    ICMPV6,
    PORT_PROTOCOLS,
    PROTOCOL_NUMBERS,
    TCP,
    TCP_FLAGS,
)

__all__ = [
    "ANYTHING",
    "MALFORMED",
    "Condition",
    "Known",
    "NotCovered",
    "asks_for",
    "both",
    "condition_of",
    "written",
]

PortRange = tuple[int, int]
_ALL_PORTS: PortRange = (0, 65535)
_STATES = ("new", "established", "invalid")
_NAMED_STATES: Mapping[str, tuple[str, ...]] = {
    "new": ("new",), "established": ("established",), "invalid": ("invalid",),
    # Errors about a session are not asked about; packets that are not tracked there are none.
    "related": (), "untracked": (),
}  # fmt: skip
_ICMP_TYPES = {
    "echo-reply": 0, "destination-unreachable": 3, "source-quench": 4, "redirect": 5,
    "echo-request": 8, "router-advertisement": 9, "router-solicitation": 10, "time-exceeded": 11,
    "parameter-problem": 12, "timestamp-request": 13, "timestamp-reply": 14, "info-request": 15,
    "info-reply": 16, "address-mask-request": 17, "address-mask-reply": 18,
}  # fmt: skip
_ICMPV6_TYPES = {
    "destination-unreachable": 1, "packet-too-big": 2, "time-exceeded": 3, "parameter-problem": 4,
    "echo-request": 128, "echo-reply": 129, "mld-listener-query": 130, "mld-listener-report": 131,
    "mld-listener-done": 132, "mld-listener-reduction": 132, "nd-router-solicit": 133,
    "nd-router-advert": 134, "nd-neighbor-solicit": 135, "nd-neighbor-advert": 136,
    "nd-redirect": 137, "router-renumbering": 138, "ind-neighbor-solicit": 141,
    "ind-neighbor-advert": 142, "mld2-listener-report": 143,
}  # fmt: skip
_ICMP_CODES = {
    "net-unreachable": 0, "host-unreachable": 1, "prot-unreachable": 2, "port-unreachable": 3,
    "frag-needed": 4, "net-prohibited": 9, "host-prohibited": 10, "admin-prohibited": 13,
}  # fmt: skip
_ICMPV6_CODES = {
    "no-route": 0, "admin-prohibited": 1, "addr-unreachable": 3, "port-unreachable": 4,
    "policy-fail": 5, "reject-route": 6,
}  # fmt: skip
_PROTOCOL_WORDS = {**PROTOCOL_NUMBERS, "ipv6-icmp": ICMPV6, "udplite": 136, "dccp": 33, "comp": 108}
_SERVICES = {"ip": 4, "ip6": 6, "ipv4": 4, "ipv6": 6}


#: What goes wrong where the JSON of a rule is not as the command prints it.
MALFORMED = (AttributeError, KeyError, TypeError, ValueError)


class NotCovered(Exception):
    """A match asks for something that the model does not know."""


def asks_for(error: Exception) -> str:
    """Why a rule is not covered, in words."""
    if isinstance(error, NotCovered):
        return f"asks for {error}"
    return "is not written as the command prints it"


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """What a packet must have; None: whatever. An empty tuple can never be."""

    family: int | None = None
    protocol: int | None = None
    sources: tuple[Prefix, ...] | None = None
    destinations: tuple[Prefix, ...] | None = None
    source_ports: tuple[PortRange, ...] | None = None
    destination_ports: tuple[PortRange, ...] | None = None
    icmp_types: tuple[int, ...] | None = None
    icmp_codes: tuple[int, ...] | None = None
    dscps: tuple[int, ...] | None = None
    flags_set: frozenset[str] = frozenset()
    flags_clear: frozenset[str] = frozenset()
    fragments: str | None = None
    sessions: tuple[str, ...] | None = None
    arrives: tuple[str, ...] | None = None
    leaves: tuple[str, ...] | None = None
    marks: tuple[int, ...] | None = None


ANYTHING = Condition()


@dataclass(frozen=True, slots=True)
class Known:
    """What the meaning of matches rests on besides themselves."""

    interfaces: tuple[str, ...]  #: the names there are
    others: frozenset[str]  #: names of what is there and not modelled as an interface
    marks: frozenset[int]  #: those that some rule gives packets
    elements: Callable[[str], Sequence[Any]]  #: of a named set or map


# --- putting together -----------------------------------------------------------------------------


def both(left: Condition, right: Condition) -> Condition | None:
    """What satisfies two conditions; None: nothing can."""
    family = left.family if right.family is None else right.family
    protocol = left.protocol if right.protocol is None else right.protocol
    if left.family not in (None, family) or left.protocol not in (None, protocol):
        return None
    if left.fragments and right.fragments and left.fragments != right.fragments:
        return None
    made = Condition(
        family=family,
        protocol=protocol,
        sources=_shared(left.sources, right.sources, _shared_prefixes),
        destinations=_shared(left.destinations, right.destinations, _shared_prefixes),
        source_ports=_shared(left.source_ports, right.source_ports, _shared_ports),
        destination_ports=_shared(left.destination_ports, right.destination_ports, _shared_ports),
        icmp_types=_shared(left.icmp_types, right.icmp_types, _shared_values),
        icmp_codes=_shared(left.icmp_codes, right.icmp_codes, _shared_values),
        dscps=_shared(left.dscps, right.dscps, _shared_values),
        flags_set=left.flags_set | right.flags_set,
        flags_clear=left.flags_clear | right.flags_clear,
        fragments=left.fragments or right.fragments,
        sessions=_shared(left.sessions, right.sessions, _shared_values),
        arrives=_shared(left.arrives, right.arrives, _shared_values),
        leaves=_shared(left.leaves, right.leaves, _shared_values),
        marks=_shared(left.marks, right.marks, _shared_values),
    )
    made = _of_its_family(made)
    never = made.flags_set & made.flags_clear or any(
        value == ()
        for value in (
            *(made.sources, made.destinations, made.source_ports, made.destination_ports),
            *(made.icmp_types, made.icmp_codes, made.dscps, made.sessions),
            *(made.arrives, made.leaves, made.marks),
        )
    )
    return None if never else made


def _of_its_family(made: Condition) -> Condition:
    """A condition whose addresses are of the one family it is for."""
    family = made.family
    for prefixes in (made.sources, made.destinations):
        versions = {prefix.version for prefix in prefixes or ()}
        if len(versions) == 1:
            family = family or versions.pop()
    if family is None:
        return made

    def kept(prefixes: tuple[Prefix, ...] | None) -> tuple[Prefix, ...] | None:
        return None if prefixes is None else tuple(p for p in prefixes if p.version == family)

    return replace(
        made, family=family, sources=kept(made.sources), destinations=kept(made.destinations)
    )


def _shared(left: Any, right: Any, of_both: Callable[[Any, Any], Any]) -> Any:
    if left is None or right is None:
        return right if left is None else left
    return of_both(left, right)


def _shared_values(left: tuple[Any, ...], right: tuple[Any, ...]) -> tuple[Any, ...]:
    return tuple(value for value in left if value in right)


def _shared_prefixes(left: tuple[Prefix, ...], right: tuple[Prefix, ...]) -> tuple[Prefix, ...]:
    found: dict[Prefix, None] = {}
    for one, other in product(left, right):
        if one.version == other.version and one.overlaps(other):
            found[one if one.prefixlen >= other.prefixlen else other] = None
    return tuple(found)


def _shared_ports(
    left: tuple[PortRange, ...], right: tuple[PortRange, ...]
) -> tuple[PortRange, ...]:
    pairs = ((max(a, c), min(b, d)) for (a, b), (c, d) in product(left, right))
    return tuple(pair for pair in pairs if pair[0] <= pair[1])


# --- reading one match ----------------------------------------------------------------------------


def condition_of(
    left: Any, operator: str, right: Any, known: Known
) -> tuple[list[Condition], list[Condition]]:
    """The alternatives of a match, and what it excepts.

    Raises:
        NotCovered: it asks for something that the model does not know.
    """
    if isinstance(left, Mapping) and "concat" in left:
        return _concatenated(left["concat"], operator, right, known)
    reader, negative = _Reader(known), operator == "!="
    if isinstance(left, Mapping) and "&" in left:
        return reader.masked(left["&"], negative, right)
    if operator in ("<", ">", "<=", ">="):
        right, negative = {"range": _bounds(operator, right)}, False
    kind, key = _kind(left)
    if key == "tcp flags":
        return reader.flags(operator, right)
    if operator not in ("==", "!=", "in", "<", ">", "<=", ">="):
        raise NotCovered(f"the comparison {operator}")
    values = list(_values(right, known))
    return reader.read(kind, key, values, negative=negative)


def _bounds(operator: str, right: Any) -> list[int]:
    if not isinstance(right, int):
        raise NotCovered(f"a comparison with {right}")
    low, high = {
        "<": (0, right - 1),
        "<=": (0, right),
        ">": (right + 1, 2**32 - 1),
        ">=": (right, 2**32 - 1),
    }[operator]
    return [low, high]


def _concatenated(
    parts: Sequence[Any], operator: str, right: Any, known: Known
) -> tuple[list[Condition], list[Condition]]:
    """A match of several things at once."""
    found: list[Condition] = []
    for value in _values(right, known):
        values = value.get("concat") if isinstance(value, Mapping) else None
        if not isinstance(values, list) or len(values) != len(parts):
            raise NotCovered("a combination that is none")
        made: list[Condition] = [ANYTHING]
        for part, one in zip(parts, values, strict=True):
            alternatives, excepted = condition_of(part, "==", one, known)
            if excepted:
                raise NotCovered("a combination with exceptions")
            made = [c for a, b in product(made, alternatives) if (c := both(a, b)) is not None]
        found += made
    return ([ANYTHING], found) if operator == "!=" else (found, [])


def _values(right: Any, known: Known) -> Iterator[Any]:
    """The single values that a match names, those of sets among them."""
    if isinstance(right, str) and right.startswith("@"):
        yield from (_bare(element) for element in known.elements(right[1:]))
    elif isinstance(right, Mapping) and "set" in right:
        inner = right["set"]
        yield from map(_bare, inner if isinstance(inner, list) else [inner])
    elif isinstance(right, list):
        yield from map(_bare, right)
    else:
        yield _bare(right)


def _bare(element: Any) -> Any:
    """An element without its remarks."""
    if isinstance(element, Mapping) and "elem" in element:
        inner = element["elem"]
        return inner.get("val") if isinstance(inner, Mapping) else inner
    return element


def _kind(left: Any) -> tuple[str, str]:
    """What a match looks at, as ("payload", "ip saddr")."""
    if isinstance(left, Mapping) and len(left) == 1:
        ((kind, inner),) = left.items()
        if kind == "payload" and isinstance(inner, Mapping) and "protocol" in inner:
            return kind, f"{inner['protocol']} {inner.get('field')}"
        if kind in ("meta", "ct") and isinstance(inner, Mapping):
            return kind, f"{kind} {inner.get('key')}"
        if kind == "payload":
            raise NotCovered("bytes by their place in the packet")
        raise NotCovered(f"“{kind}”")
    raise NotCovered("what is compared")


class _Reader:
    """Reads what single matches ask for."""

    def __init__(self, known: Known) -> None:
        self.known = known

    def read(
        self, kind: str, key: str, values: list[Any], *, negative: bool
    ) -> tuple[list[Condition], list[Condition]]:
        match key.split():
            case ["ip" | "ip6" as family, "saddr" | "daddr" as end]:
                version = _SERVICES[family]
                prefixes = _prefixes(values, version)
                prefixes = _other_prefixes(prefixes, version) if negative else prefixes
                if end == "saddr":
                    return [Condition(family=version, sources=prefixes)], []
                return [Condition(family=version, destinations=prefixes)], []
            case ["tcp" | "udp" | "sctp" | "th" as word, "sport" | "dport" as end]:
                ports = _ports(values)
                ports = _other_ports(ports) if negative else ports
                protocols = sorted(PORT_PROTOCOLS) if word == "th" else [PROTOCOL_NUMBERS[word]]
                if end == "sport":
                    return [Condition(protocol=p, source_ports=ports) for p in protocols], []
                return [Condition(protocol=p, destination_ports=ports) for p in protocols], []
            case ["icmp" | "icmpv6" as word, "type" | "code" as field]:
                found = [self._icmp(word, field, values)]
                protocol = found[0].protocol
                return ([Condition(protocol=protocol)], found) if negative else (found, [])
            case ["ip" | "ip6" as family, "dscp"]:
                version = _SERVICES[family]
                found = [Condition(family=version, dscps=_codes(values))]
                return ([Condition(family=version)], found) if negative else (found, [])
            case ["ip" | "ip6" | "meta" as holder, "protocol" | "nexthdr" | "l4proto"] if (
                holder != "meta" or key == "meta l4proto"
            ):
                of_family = {"ip": 4, "ip6": 6}.get(holder)
                found = [Condition(family=of_family, protocol=p) for p in _protocols(values)]
                return ([Condition(family=of_family)], found) if negative else (found, [])
            case ["meta", "nfproto" | "protocol"]:
                versions = [_SERVICES[str(v)] for v in values if str(v) in _SERVICES]
                wanted = [v for v in (4, 6) if (v in versions) is not negative]
                return [Condition(family=version) for version in wanted], []
            case ["meta", "iifname" | "oifname" | "iif" | "oif" as where]:
                names = self._names(values)
                if negative:
                    names = tuple(n for n in self.known.interfaces if n not in names)
                if where.startswith("i"):
                    return [Condition(arrives=names)], []
                return [Condition(leaves=names)], []
            case ["meta", "mark"]:
                marks = tuple(_number(value) for value in values)
                found = [Condition(marks=marks)]
                return ([ANYTHING], found) if negative else (found, [])
            case ["ct", "state"]:
                states = {s for value in values for s in _state(value)}
                kept = tuple(s for s in _STATES if (s in states) is not negative)
                return [Condition(sessions=kept)], []
            case ["ct", "direction"]:
                if negative or values not in (["original"], ["reply"]):
                    raise NotCovered("a direction of sessions")
                state = "new" if values == ["original"] else "established"
                return [Condition(sessions=(state,))], []
        raise NotCovered(f"“{key}”")

    def _names(self, values: Iterable[Any]) -> tuple[str, ...]:
        found: dict[str, None] = {}
        for value in values:
            text = str(value)
            if text in self.known.others:
                raise NotCovered(f"packets of {text} as such")
            for name in self.known.interfaces:
                if name == text or (text.endswith("*") and name.startswith(text[:-1])):
                    found[name] = None
        return tuple(found)

    def _icmp(self, word: str, field: str, values: list[Any]) -> Condition:
        protocol = ICMP if word == "icmp" else ICMPV6
        if field == "type":
            names = _ICMP_TYPES if protocol == ICMP else _ICMPV6_TYPES
        else:
            names = _ICMP_CODES if protocol == ICMP else _ICMPV6_CODES
        numbers: list[int] = []
        for value in values:
            if isinstance(value, Mapping) and "range" in value:
                low, high = _bounds_of(value["range"])
                numbers += range(low, min(high, 255) + 1)
            elif str(value) in names:
                numbers.append(names[str(value)])
            else:
                numbers.append(_number(value))
        if field == "type":
            return Condition(protocol=protocol, icmp_types=tuple(numbers))
        return Condition(protocol=protocol, icmp_codes=tuple(numbers))

    def masked(
        self, parts: Any, negative: bool, right: Any
    ) -> tuple[list[Condition], list[Condition]]:
        """A match of some bits: of marks, of TCP flags, of an IPv4 fragment's offset."""
        if not isinstance(parts, list) or len(parts) != 2:
            raise NotCovered("bits of something")
        _, key = _kind(parts[0])
        if key == "meta mark":
            mask, wanted = _number(parts[1]), _number(right)
            every = sorted({0, wanted & mask, *self.known.marks})
            if wanted & ~mask:
                return ([ANYTHING], []) if negative else ([], [])
            marks = tuple(m for m in every if (m & mask == wanted) is not negative)
            return [Condition(marks=marks)], []
        if key == "tcp flags":
            mask_flags, wanted_flags = _flag_words(parts[1]), _flag_words(right)
            found = [
                Condition(
                    protocol=TCP, flags_set=wanted_flags, flags_clear=mask_flags - wanted_flags
                )
            ]
            if not wanted_flags <= mask_flags:
                found = []
            if not negative:
                return found, []
            if not wanted_flags:
                return [Condition(protocol=TCP, flags_set=frozenset((f,))) for f in mask_flags], []
            return [Condition(protocol=TCP)], found
        if key == "ip frag-off" and right == 0:
            kinds = {
                (0x1FFF, True): "later", (0x3FFF, False): "none", (0x3FFF, True): "any",
            }  # fmt: skip
            kind = kinds.get((_number(parts[1]), negative))
            if kind:
                return [Condition(family=4, fragments=kind)], []
            if (_number(parts[1]), negative) == (0x1FFF, False):
                return [
                    Condition(family=4, fragments="none"), Condition(family=4, fragments="first"),
                ], []  # fmt: skip
        raise NotCovered(f"bits of “{key}”")

    def flags(self, operator: str, right: Any) -> tuple[list[Condition], list[Condition]]:
        """TCP flags: all of them, any of some, or none of some."""
        wanted = _flag_words(right)
        if operator == "!":
            return [Condition(protocol=TCP, flags_clear=wanted)], []
        if operator not in ("==", "!=", "in"):
            raise NotCovered(f"the comparison {operator} of TCP flags")
        if operator == "in":
            return [Condition(protocol=TCP, flags_set=frozenset((f,))) for f in sorted(wanted)], []
        rest = frozenset(TCP_FLAGS) - wanted
        found = [Condition(protocol=TCP, flags_set=wanted, flags_clear=rest)]
        return ([Condition(protocol=TCP)], found) if operator == "!=" else (found, [])


def _flag_words(value: Any) -> frozenset[str]:
    if value == 0:
        return frozenset()
    if isinstance(value, Mapping) and "|" in value:
        value = value["|"]
    words = value if isinstance(value, list) else [value]
    found: set[str] = set()
    for word in words:
        if isinstance(word, Mapping | list):
            found |= _flag_words(word)
        elif word in TCP_FLAGS:
            found.add(word)
        elif word == "ecn":
            found.add("ece")
        else:
            raise NotCovered(f"the TCP flag {word}")
    return frozenset(found)


def _state(value: Any) -> tuple[str, ...]:
    if str(value) not in _NAMED_STATES:
        raise NotCovered(f"the session state {value}")
    return _NAMED_STATES[str(value)]


def _number(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int | str):
        raise NotCovered(f"a value that is no number: {value}")
    try:
        return int(str(value), 0)
    except ValueError as error:
        raise NotCovered(f"a value that is no number: {value}") from error


def _bounds_of(value: Any) -> tuple[int, int]:
    """The ends of a range."""
    if not isinstance(value, list) or len(value) != 2:
        raise NotCovered(f"a range that is none: {value}")
    return _number(value[0]), _number(value[1])


def _protocols(values: Iterable[Any]) -> Iterator[int]:
    for value in values:
        if isinstance(value, Mapping) and "range" in value:
            low, high = _bounds_of(value["range"])
            yield from range(low, min(high, 255) + 1)
        elif str(value) in _PROTOCOL_WORDS:
            yield _PROTOCOL_WORDS[str(value)]
        else:
            yield _number(value)


def _codes(values: Iterable[Any]) -> tuple[int, ...]:
    return tuple(DSCP_NAMES[str(v)] if str(v) in DSCP_NAMES else _number(v) for v in values)


def _prefixes(values: Iterable[Any], version: int) -> tuple[Prefix, ...]:
    found: list[Prefix] = []
    for value in values:
        try:
            if isinstance(value, Mapping) and "prefix" in value:
                inner = value["prefix"]
                found.append(ipaddress.ip_network(f"{inner['addr']}/{inner['len']}"))
            elif isinstance(value, Mapping) and "range" in value:
                low, high = map(ipaddress.ip_address, value["range"])
                found += ipaddress.summarize_address_range(low, high)
            else:
                found.append(ipaddress.ip_network(str(value)))
        except (KeyError, TypeError, ValueError) as error:
            raise NotCovered(f"the address {value}") from error
    return tuple(prefix for prefix in found if prefix.version == version)


def _other_prefixes(prefixes: Iterable[Prefix], version: int) -> tuple[Prefix, ...]:
    """All addresses but those of some prefixes."""
    left: list[Any] = [ipaddress.ip_network("0.0.0.0/0" if version == 4 else "::/0")]
    for prefix in prefixes:
        rest: list[Any] = []
        for one in left:
            if one.subnet_of(prefix):
                continue
            rest += one.address_exclude(prefix) if prefix.subnet_of(one) else [one]
        left = rest
    return tuple(sorted(left))


def _ports(values: Iterable[Any]) -> tuple[PortRange, ...]:
    found = []
    for value in values:
        if isinstance(value, Mapping) and "range" in value:
            low, high = _bounds_of(value["range"])
        else:
            low = high = _number(value)
        high = min(high, _ALL_PORTS[1])  # of a comparison there is no other end
        if not 0 <= low <= high:
            raise NotCovered(f"a port that is none: {value}")
        found.append((low, high))
    return tuple(found)


def _other_ports(ports: Iterable[PortRange]) -> tuple[PortRange, ...]:
    found, low = [], 0
    for first, last in sorted(ports):
        if first > low:
            found.append((low, first - 1))
        low = max(low, last + 1)
    if low <= _ALL_PORTS[1]:
        found.append((low, _ALL_PORTS[1]))
    return tuple(found)


# --- writing --------------------------------------------------------------------------------------


def written(condition: Condition, names: Callable[[str], str]) -> dict[str, Any]:
    """The keys of the language for a condition, without its protocol.

    Args:
        names: What an interface is called there.
    """
    made: dict[str, Any] = {}
    sources = condition.sources
    if condition.family is not None and sources is None and condition.destinations is None:
        everything = "0.0.0.0/0" if condition.family == 4 else "::/0"
        sources = (ipaddress.ip_network(everything),)
    for key, values in (
        ("from", tuple(str(prefix) for prefix in sources or ())),
        ("from-port", _port_words(condition.source_ports)),
        ("to", tuple(str(prefix) for prefix in condition.destinations or ())),
        ("to-port", _port_words(condition.destination_ports)),
        ("icmp-type", condition.icmp_types),
        ("icmp-code", condition.icmp_codes),
        ("tcp-flags", _flags_written(condition)),
        ("dscp", condition.dscps),
        ("session", condition.sessions),
        ("arrives", condition.arrives and tuple(map(names, condition.arrives))),
        ("leaves", condition.leaves and tuple(map(names, condition.leaves))),
        ("marked", condition.marks),
    ):
        if values:
            made[key] = values[0] if len(values) == 1 else list(values)
    if condition.fragments:
        made["fragments"] = condition.fragments
    return made


def _port_words(ports: tuple[PortRange, ...] | None) -> tuple[int | str, ...]:
    if not ports or ports == (_ALL_PORTS,):
        return ()
    return tuple(low if low == high else f"{low}-{high}" for low, high in ports)


def _flags_written(condition: Condition) -> tuple[str, ...]:
    return (*sorted(condition.flags_set), *(f"not {f}" for f in sorted(condition.flags_clear)))
