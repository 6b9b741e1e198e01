"""Which devices may see the network otherwise after an edit or a failure."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from routrel.topology.segments import Topology

__all__ = ["touched"]


def touched(before: Topology, now: Topology) -> frozenset[str] | None:
    """The devices of which, or of whose neighbours on a segment, anything is not as it was.

    What any other device makes of a packet rests on nothing but its tables and what it has been
    before. None: the networks differ in more than devices and failures, so it may be any of them.
    """
    if replace(before.network, devices=()) != replace(now.network, devices=()):
        return None
    pairs = list(zip(before.network.devices, now.network.devices, strict=False))
    if len(before.network.devices) != len(now.network.devices):
        return None
    if any(old.name != new.name for old, new in pairs):
        return None
    changed = {new.name for old, new in pairs if old is not new and old != new}
    if before.failed != now.failed or before.failed.segments:
        changed.update(_hit(before), _hit(now))
    return frozenset(changed).union(
        end.device.name
        for topology in (before, now)
        for name in changed
        for interface in topology.devices[name].interfaces
        if (segment := topology.segment_of.get((name, interface.name))) is not None
        for end in segment.ends
    )


def _hit(topology: Topology) -> Iterator[str]:
    """The devices that what has failed belongs to, or that it joins."""
    failed = topology.failed
    yield from failed.devices
    yield from (device for device, _ in (*failed.interfaces, *failed.directions, *failed.sessions))
    for segment in topology.segments:
        lines = {end.neighbour.name for end in segment.outside}
        if segment.id in failed.segments or lines & failed.lines.keys():
            yield from (end.device.name for end in segment.ends)
