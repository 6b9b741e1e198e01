"""Which devices may see the network otherwise after an edit or a failure."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterator
from dataclasses import fields

from routrel.model.network import Network
from routrel.topology.segments import Topology

__all__ = ["beside", "touched"]


def touched(
    before: Topology, now: Topology, same: Callable[[object, object], bool] = operator.is_
) -> frozenset[str] | None:
    """The devices of which, or of whose neighbours on a segment, anything is not as it was.

    What any other device makes of a packet rests on nothing but its tables and what it has been
    before. Devices, and all else of a network, are told apart by `same`:
    by identity unless something else is said, for an equal one may be written in other lines.
    None: the networks differ in more than devices and failures, so it may be any of them.
    """
    old, new = before.network, now.network
    if old is not new and not all(_is_same(old, new, one.name, same) for one in fields(Network)):
        return None
    if [device.name for device in old.devices] != [device.name for device in new.devices]:
        return None
    pairs = zip(old.devices, new.devices, strict=True)
    changed = {two.name for one, two in pairs if not same(one, two)}
    met: set[str] = set()
    if before.failed != now.failed or before.failed.segments:
        for topology in (before, now):
            changed.update(_hit(topology))
            met.update(_on_hit_segments(topology))
    return frozenset(changed | met).union(
        *(beside(topology, name) for topology in (before, now) for name in changed)
    )


def beside(topology: Topology, device: str) -> Iterator[str]:
    """The devices on the segments of a device, itself among them; none where it is not there."""
    found = topology.devices.get(device)
    for interface in found.interfaces if found else ():
        segment = topology.segment_of.get((device, interface.name))
        yield from (end.device.name for end in segment.ends) if segment else ()


def _is_same(old: Network, new: Network, name: str, same: Callable[[object, object], bool]) -> bool:
    """Whether a field of both, devices aside, is the same."""
    one, two = getattr(old, name), getattr(new, name)
    if name == "devices" or one is two:
        return True
    if not (isinstance(one, tuple) and isinstance(two, tuple)):
        return bool(one == two)
    return len(one) == len(two) and all(map(same, one, two))


def _hit(topology: Topology) -> Iterator[str]:
    """The devices that are off, and those of whose sessions one is."""
    yield from topology.failed.devices
    yield from (device for device, _ in topology.failed.sessions)


def _on_hit_segments(topology: Topology) -> Iterator[str]:
    """The devices on segments of which an end, a direction or a line carries nothing.

    Whoever is next to them elsewhere sees nothing of it.
    """
    failed = topology.failed
    hit = {
        segment.id
        for key in (*failed.interfaces, *failed.directions)
        if (segment := topology.segment_of.get(key)) is not None
    }
    hit |= failed.segments.keys()
    yield from (device for device, _ in (*failed.interfaces, *failed.directions))
    for segment in topology.segments:
        lines = {end.neighbour.name for end in segment.outside}
        if segment.id in hit or lines & failed.lines.keys():
            yield from (end.device.name for end in segment.ends)
