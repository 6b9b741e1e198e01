"""Sets of headers as boxes, to tell exactly what a changed filter lets pass that it did not.

A box has a range or a set of values in each dimension; sets are bits of an integer. Boxes of a
list do not overlap.
"""

from __future__ import annotations

import difflib
from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import reduce
from operator import mul, or_
from typing import Any, TypeAlias

from routrel.model.addresses import Prefix
from routrel.model.filters import Action, ConnectionState, Filter, Fragments, Match, PortRange
from routrel.model.traffic import ICMP, ICMPV6, PORT_PROTOCOLS, TCP, TCP_FLAGS

__all__ = [
    "Box",
    "Range",
    "count_headers",
    "flag_combination",
    "flags_of",
    "may_carry_tcp",
    "newly_permitted",
]

Range = tuple[int, int]

_ALL_PROTOCOLS = (1 << 256) - 1
_ALL_CODE_POINTS = (1 << 64) - 1
_ALL_FLAGS = (1 << 256) - 1  #: one bit for each combination of the eight flags
_ALL_FRAGMENTS = 0b111  #: whole, first, later
_ALL_CONNECTION_STATES = 0b111
_PORTS: Range = (0, 65535)
_FRAGMENT_BITS = {
    None: 0b111, Fragments.NONE: 0b001, Fragments.FIRST: 0b010, Fragments.LATER: 0b100,
    Fragments.ANY: 0b110,
}  # fmt: skip
_CONNECTION_BITS = {
    ConnectionState.NEW: 1,
    ConnectionState.ESTABLISHED: 2,
    ConnectionState.INVALID: 4,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """Headers of one family.

    For ICMP `source_ports` are its types and `destination_ports` its codes. `in_interfaces` and
    `out_interfaces` are the ways a packet may come and go, `marks` what it is marked with, as bits
    of what some rule asks for; bit 0 stands for all others.
    """

    version: int
    sources: Range
    destinations: Range
    protocols: int = _ALL_PROTOCOLS
    source_ports: Range = _PORTS
    destination_ports: Range = _PORTS
    dscps: int = _ALL_CODE_POINTS
    flags: int = _ALL_FLAGS
    fragments: int = _ALL_FRAGMENTS
    connection_states: int = _ALL_CONNECTION_STATES
    in_interfaces: int = 1
    out_interfaces: int = 1
    marks: int = 1


_RANGES = ("sources", "destinations", "source_ports", "destination_ports")
_SETS = (
    "protocols",
    "dscps",
    "flags",
    "fragments",
    "connection_states",
    "in_interfaces",
    "out_interfaces",
    "marks",
)


def newly_permitted(old: Filter, new: Filter) -> list[Box]:
    """The headers that a changed filter permits and the one before did not."""
    names = _interface_names(old, new)
    return [
        rest
        for version in (4, 6)
        for where in [_where_they_may_differ(old, new, version, names)]
        for box in _permitted(new, version, names, where)
        for rest in _without(box, _permitted(old, version, names, where))
    ]


def may_carry_tcp(box: Box, source_port: int, destination_port: int) -> bool:
    """Whether some header of a box is of TCP between two ports, either way."""
    left, right = box.source_ports, box.destination_ports
    return bool(box.protocols >> TCP & 1) and any(
        left[0] <= source <= left[1] and right[0] <= destination <= right[1]
        for source, destination in (
            (source_port, destination_port),
            (destination_port, source_port),
        )
    )


def count_headers(boxes: Iterable[Box]) -> int:
    """How many headers there are: combinations of protocol, addresses and ports or ICMP types.

    Code points, flags, fragments, connection states, interfaces and marks do not multiply them.
    """
    total = 0
    counted: list[Box] = []
    for box in boxes:
        for protocols, dimensions in _KINDS:
            shared = box.protocols & protocols
            if not shared:
                continue
            plain = Box(
                version=box.version,
                sources=box.sources,
                destinations=box.destinations,
                protocols=shared,
                source_ports=box.source_ports if dimensions else _PORTS,
                destination_ports=box.destination_ports if dimensions else _PORTS,
            )
            for rest in _without(plain, counted):
                ports = [_size(rest.source_ports), _size(rest.destination_ports)]
                sizes = [_size(rest.sources), _size(rest.destinations), rest.protocols.bit_count()]
                total += reduce(mul, sizes + (ports if dimensions else []), 1)
            counted.append(plain)
    return total


def _bits(numbers: Iterable[int]) -> int:
    return reduce(or_, (1 << number for number in numbers), 0)


_WITH_PORTS = _bits(PORT_PROTOCOLS)
_WITH_TYPES = _bits((ICMP, ICMPV6))
#: Protocols, and whether their headers have ports or types.
_KINDS = (
    (_WITH_PORTS, True),
    (_WITH_TYPES, True),
    (_ALL_PROTOCOLS & ~_WITH_PORTS & ~_WITH_TYPES, False),
)

# --- a filter as boxes ----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Names:
    """The interfaces and marks that rules ask for; bit 0 of a set stands for all others."""

    in_interfaces: tuple[str, ...]
    out_interfaces: tuple[str, ...]
    marks: tuple[int, ...]


def _interface_names(*filters: Filter) -> _Names:
    matches = [rule.match for f in filters for rule in f.all_rules]
    return _Names(
        tuple(dict.fromkeys(name for m in matches for name in m.in_interfaces)),
        tuple(dict.fromkeys(name for m in matches for name in m.out_interfaces)),
        tuple(dict.fromkeys(mark for m in matches for mark in m.marks)),
    )


def _everything(version: int, names: _Names) -> Box:
    top = (1 << (32 if version == 4 else 128)) - 1
    return Box(
        version=version,
        sources=(0, top),
        destinations=(0, top),
        in_interfaces=(2 << len(names.in_interfaces)) - 1,
        out_interfaces=(2 << len(names.out_interfaces)) - 1,
        marks=(2 << len(names.marks)) - 1,
    )


def _where_they_may_differ(old: Filter, new: Filter, version: int, names: _Names) -> list[Box]:
    """What the rules match that only one of two filters has, or has in another place.

    Where a changed rule marks packets, later rules may differ for all that it matches.
    """
    if (old.default, old.stateful) != (new.default, new.stateful):
        return [_everything(version, names)]
    if [_decisions(each) for each in old.asked] != [_decisions(each) for each in new.asked]:
        return [_everything(version, names)]
    matcher = difflib.SequenceMatcher(a=_decisions(old), b=_decisions(new), autojunk=False)
    changed = [
        rule
        for tag, i, j, k, m in matcher.get_opcodes()
        if tag != "equal"
        for rule in (*old.rules[i:j], *new.rules[k:m])
    ]
    boxes = (box for rule in changed for box in _match_boxes(rule.match, version, names))
    return _disjoint(boxes)


def _decisions(packet_filter: Filter) -> list[tuple[Hashable, ...]]:
    """Its rules as far as they decide, with what those decide that they ask."""
    found: list[tuple[Hashable, ...]] = []
    for rule in packet_filter.rules:
        asked = packet_filter.asked_by(rule)
        own = (asked.default, *_decisions(asked)) if asked else None
        found.append((rule.match, rule.action, rule.mark, own))
    return found


def _permitted(packet_filter: Filter, version: int, names: _Names, where: list[Box]) -> list[Box]:
    """What a filter lets pass of some headers, rule by rule."""
    sifting = _Sifting(version, names)
    everything = _everything(version, names)
    left: _Left = [(box, None) for box in where]
    if packet_filter.stateful:
        answers, left = sifting.parted(left, [replace(everything, connection_states=2)])
        sifting.permitted.extend(box for box, _ in answers)
        _, left = sifting.parted(left, [replace(everything, connection_states=4)])
    undecided = sifting.through(packet_filter, left)
    if packet_filter.default is Action.PERMIT:
        sifting.permitted.extend(box for box, _ in undecided)
    return sifting.permitted


#: What no rule decided yet, with the bit of the mark it got; None: the one it came with.
_Left: TypeAlias = list[tuple[Box, int | None]]


class _Sifting:
    """Sifts headers through rules, those of filters that are asked among them."""

    def __init__(self, version: int, names: _Names) -> None:
        self.version, self.names = version, names
        self.permitted: list[Box] = []

    def through(self, packet_filter: Filter, left: _Left) -> _Left:
        """What comes to no decision in a filter."""
        undecided: _Left = []
        for rule in packet_filter.rules:
            matched = _disjoint(_match_boxes(rule.match, self.version, self.names))
            taken, left = self.parted(left, matched)
            asked = packet_filter.asked_by(rule)
            if asked is not None:
                left += self.through(asked, taken)
            elif rule.action is Action.PERMIT:
                self.permitted.extend(box for box, _ in taken)
            elif rule.action is Action.RETURN:
                undecided += taken
            elif rule.action is None and rule.mark is not None:
                known = rule.mark in self.names.marks
                bit = _name_bits((rule.mark,), self.names.marks) if known else 1
                left += [(piece, bit) for piece, _ in taken]
        if packet_filter.default is Action.PERMIT:
            self.permitted.extend(box for box, _ in left)
        elif packet_filter.default is Action.RETURN:
            undecided += left
        return undecided

    def parted(self, left: _Left, matched: list[Box]) -> tuple[_Left, _Left]:
        """What of some headers is matched, and what is not."""
        taken: _Left = []
        rest: _Left = []
        marks = _everything(self.version, self.names).marks
        for box, got in left:
            fitting = matched
            if got is not None:
                fitting = [replace(m, marks=marks) for m in matched if m.marks & got]
            taken += [(both, got) for m in fitting if (both := _both(box, m)) is not None]
            rest += [(piece, got) for piece in _without(box, fitting)]
        return taken, rest


def _match_boxes(match: Match, version: int, names: _Names) -> Iterator[Box]:
    base = _everything(version, names)
    protocols = _ALL_PROTOCOLS if match.protocol is None else 1 << match.protocol
    fragments = _FRAGMENT_BITS[match.fragments]
    asks = match.source_ports or match.destination_ports or match.icmp_types or match.icmp_codes
    if asks or match.flags_set or match.flags_clear:
        fragments &= ~0b100  # a later fragment has none of these
    base = replace(
        base,
        protocols=protocols,
        fragments=fragments,
        dscps=_bits(match.dscps) if match.dscps else base.dscps,
        flags=_flag_bits(match) if match.protocol == TCP else base.flags,
        connection_states=reduce(or_, (_CONNECTION_BITS[s] for s in match.connection_states), 0)
        or base.connection_states,
        in_interfaces=_name_bits(match.in_interfaces, names.in_interfaces) or base.in_interfaces,
        out_interfaces=_name_bits(match.out_interfaces, names.out_interfaces)
        or base.out_interfaces,
        marks=_name_bits(match.marks, names.marks) or base.marks,
    )
    for source in _address_ranges(match.sources, version, base.sources):
        for destination in _address_ranges(match.destinations, version, base.destinations):
            for left in _value_ranges(match.source_ports, match.icmp_types):
                for right in _value_ranges(match.destination_ports, match.icmp_codes):
                    yield replace(
                        base,
                        sources=source,
                        destinations=destination,
                        source_ports=left,
                        destination_ports=right,
                    )


def _address_ranges(prefixes: tuple[Prefix, ...], version: int, all_: Range) -> list[Range]:
    if not prefixes:
        return [all_]
    return [
        (int(prefix.network_address), int(prefix.broadcast_address))
        for prefix in prefixes
        if prefix.version == version
    ]


def _value_ranges(ports: tuple[PortRange, ...], kinds: tuple[int, ...]) -> list[Range]:
    if kinds:
        return [(number, number) for number in kinds]
    return [(r.first, r.last) for r in ports] or [_PORTS]


def flag_combination(flags: Iterable[str]) -> int:
    """The number of a combination of TCP flags, which is its place in `Box.flags`."""
    return sum(1 << TCP_FLAGS.index(flag) for flag in flags)


def flags_of(combination: int) -> tuple[str, ...]:
    """The flags of a combination."""
    return tuple(flag for place, flag in enumerate(TCP_FLAGS) if combination >> place & 1)


def _flag_bits(match: Match) -> int:
    """The combinations of flags that a match takes, one bit each."""
    wanted, refused = flag_combination(match.flags_set), flag_combination(match.flags_clear)
    if not wanted and not refused:
        return _ALL_FLAGS
    return _bits(n for n in range(256) if n & wanted == wanted and not n & refused)


def _name_bits(asked: tuple[Any, ...], names: tuple[Any, ...]) -> int:
    return _bits(names.index(name) + 1 for name in asked)


# --- boxes ---------------------------------------------------------------------------------------


def _size(values: Range) -> int:
    return values[1] - values[0] + 1


def _disjoint(boxes: Iterable[Box]) -> list[Box]:
    found: list[Box] = []
    for box in boxes:
        found.extend(_without(box, found))
    return found


def _both(left: Box, right: Box) -> Box | None:
    """What two boxes share; None: nothing."""
    changes: dict[str, Range | int] = {}
    for name in _RANGES:
        (a, b), (c, d) = getattr(left, name), getattr(right, name)
        if max(a, c) > min(b, d):
            return None
        changes[name] = (max(a, c), min(b, d))
    for name in _SETS:
        shared = getattr(left, name) & getattr(right, name)
        if not shared:
            return None
        changes[name] = shared
    return replace(left, **changes)  # type: ignore[arg-type]


def _without(box: Box, others: Iterable[Box]) -> list[Box]:
    """What is left of a box without others, as boxes that do not overlap."""
    left = [box]
    for other in others:
        if other.version == box.version:
            left = [rest for piece in left for rest in _minus(piece, other)]
    return left


def _minus(box: Box, other: Box) -> Iterator[Box]:
    shared = _both(box, other)
    if shared is None:
        yield box
        return
    for name in _RANGES:
        (a, b), (c, d) = getattr(box, name), getattr(shared, name)
        if a < c:
            yield replace(box, **{name: (a, c - 1)})  # type: ignore[arg-type]
        if d < b:
            yield replace(box, **{name: (d + 1, b)})  # type: ignore[arg-type]
        box = replace(box, **{name: (c, d)})  # type: ignore[arg-type]
    for name in _SETS:
        rest = getattr(box, name) & ~getattr(shared, name)
        if rest:
            yield replace(box, **{name: rest})
        box = replace(box, **{name: getattr(shared, name)})
