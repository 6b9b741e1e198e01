"""What a changed filter lets pass beyond what was asked, said as engineers say it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from routrel.forwarding.header_sets import Box
from routrel.model.addresses import address_of, range_words
from routrel.model.traffic import (
    ICMP,
    ICMPV6,
    PORT_PROTOCOLS,
    Header,
    icmp_type_name,
    protocol_name,
)

__all__ = ["opened_words"]

Range = tuple[int, int]

#: Sets of headers that are spelled out; the others are counted.
_SPELLED = 2
#: Ranges of one end or port that are listed.
_LISTED = 3

_PORTS: Range = (0, 65535)


@dataclass(frozen=True, slots=True)
class _Shape:
    """Headers that differ in each dimension by some ranges, in every combination."""

    version: int
    protocols: int  #: one bit each
    sources: tuple[Range, ...]
    destinations: tuple[Range, ...]
    source_ports: tuple[Range, ...]
    destination_ports: tuple[Range, ...]


_DIMENSIONS = ("destinations", "sources", "destination_ports", "source_ports")


def opened_words(boxes: Iterable[Box], asked: Sequence[Header], names: dict[str, str]) -> str:
    """What filters permit that they did not, as "also lets all of 10.64.0.0/12 reach any host".

    Args:
        asked: The packets of the question, both ways; where only they are let pass, that is said.
        names: Addresses that have a name.
    """
    shapes = _joined([_shape(box) for box in boxes])
    if not shapes:
        return "opens nothing in any filter"
    more = [shape for shape in shapes if not any(_is_only(shape, header) for header in asked)]
    if not more:
        return "opens nothing beyond this flow"
    more.sort(key=_size, reverse=True)
    told = [_words(shape, names) for shape in more[:_SPELLED]]
    rest = len(more) - len(told)
    also = f", and {rest} smaller set{'s' if rest > 1 else ''} of packets" if rest else ""
    return f"also lets {' and lets '.join(dict.fromkeys(told))}{also}"


def _shape(box: Box) -> _Shape:
    return _Shape(
        box.version,
        box.protocols,
        (box.sources,),
        (box.destinations,),
        (box.source_ports,),
        (box.destination_ports,),
    )


def _joined(shapes: list[_Shape]) -> list[_Shape]:
    """The same headers in fewer shapes: those that differ in one dimension become one."""
    count = -1
    while count != len(shapes):
        count = len(shapes)
        for name in _DIMENSIONS:
            groups: dict[_Shape, list[Range]] = {}
            for shape in shapes:
                groups.setdefault(_but(shape, name, ()), []).extend(getattr(shape, name))
            shapes = [_but(key, name, _merged(found)) for key, found in groups.items()]
        protocols: dict[_Shape, int] = {}
        for shape in shapes:
            key = replace(shape, protocols=0)
            protocols[key] = protocols.get(key, 0) | shape.protocols
        shapes = [replace(key, protocols=bits) for key, bits in protocols.items()]
    return shapes


def _but(shape: _Shape, dimension: str, ranges: tuple[Range, ...]) -> _Shape:
    """A shape with other ranges in one dimension."""
    return replace(shape, **{dimension: ranges})  # type: ignore[arg-type]


def _merged(ranges: Iterable[Range]) -> tuple[Range, ...]:
    """Ranges in order, those that meet or overlap as one."""
    found: list[Range] = []
    for first, last in sorted(ranges):
        if found and first <= found[-1][1] + 1:
            found[-1] = (found[-1][0], max(found[-1][1], last))
        else:
            found.append((first, last))
    return tuple(found)


def _size(shape: _Shape) -> int:
    """How many headers: protocol by addresses by ports."""
    total = shape.protocols.bit_count()
    for name in _DIMENSIONS:
        total *= sum(last - first + 1 for first, last in getattr(shape, name))
    return total


def _is_only(shape: _Shape, header: Header) -> bool:
    """Whether a shape is of one flow: its two addresses, its protocol and its service's port."""
    if shape.version != header.source.version or shape.protocols != 1 << header.protocol:
        return False
    ends = (int(header.source),) * 2, (int(header.destination),) * 2
    if (shape.sources, shape.destinations) != ((ends[0],), (ends[1],)):
        return False
    if header.protocol not in PORT_PROTOCOLS:
        return header.icmp_type is None or shape.source_ports == ((header.icmp_type,) * 2,)
    ports = (header.source_port, header.destination_port)
    found = (shape.source_ports, shape.destination_ports)
    return any(
        port is not None and side == ((port, port),)
        for port, side in zip(ports, found, strict=True)
    )


def _words(shape: _Shape, names: dict[str, str]) -> str:
    sources = _ends(shape.version, shape.sources, names, "any host")
    destinations = _ends(shape.version, shape.destinations, names, "any host")
    return f"{sources} reach {destinations} {_service(shape)}"


def _ends(version: int, ranges: tuple[Range, ...], names: dict[str, str], any_: str) -> str:
    top = (1 << (32 if version == 4 else 128)) - 1
    if ranges == ((0, top),):
        return any_ if version == 4 else f"{any_} (IPv6)"
    left_out = _complement(ranges, top)
    if len(left_out) < len(ranges) or (len(ranges) > 1 and len(left_out) == 1):
        return f"{any_} but {_listed(version, left_out, names, all_of='')}"
    return _listed(version, ranges, names)


def _complement(ranges: tuple[Range, ...], top: int) -> tuple[Range, ...]:
    found: list[Range] = []
    begin = 0
    for first, last in ranges:
        if first > begin:
            found.append((begin, first - 1))
        begin = last + 1
    if begin <= top:
        found.append((begin, top))
    return tuple(found)


def _listed(
    version: int, ranges: tuple[Range, ...], names: dict[str, str], all_of: str = "all of "
) -> str:
    told = [_range(version, each, names, all_of) for each in ranges[:_LISTED]]
    rest = len(ranges) - len(told)
    return ", ".join(told) + (f" and {rest} more ranges" if rest else "")


def _range(version: int, ends: Range, names: dict[str, str], all_of: str) -> str:
    first, last = (address_of(version, end) for end in ends)
    if first == last:
        name = names.get(str(first))
        return f"{name} ({first})" if name and name != str(first) else str(first)
    return f"{all_of}{range_words(first, last)}"


def _service(shape: _Shape) -> str:
    protocols = [n for n in range(256) if shape.protocols >> n & 1]
    if len(protocols) == 256:
        return "by any protocol"
    if len(protocols) > _LISTED:
        return f"by {len(protocols)} protocols"
    name = " and ".join(protocol_name(number) for number in protocols)
    if not all(number in PORT_PROTOCOLS for number in protocols):
        kinds = {ICMP, ICMPV6}.issuperset(protocols) and len(protocols) == 1
        if kinds and shape.source_ports != (_PORTS,):
            types = [icmp_type_name(protocols[0], n) for n, _ in shape.source_ports[:_LISTED]]
            return f"by {name} {', '.join(types)}"
        return f"by {name}"
    there, back = (_ports(r) for r in (shape.destination_ports, shape.source_ports))
    told = f"on {name} {there}" if there else f"on {name}, any port"
    return f"{told}, from port {back}" if back else told


def _ports(ranges: tuple[Range, ...]) -> str:
    if ranges == (_PORTS,):
        return ""
    left_out = _complement(ranges, _PORTS[1])
    if len(left_out) < len(ranges):
        return f"any port but {_port_list(left_out)}"
    return _port_list(ranges)


def _port_list(ranges: tuple[Range, ...]) -> str:
    return ", ".join(str(a) if a == b else f"{a}-{b}" for a, b in ranges[:_LISTED]) + (
        f" and {len(ranges) - _LISTED} more" if len(ranges) > _LISTED else ""
    )
