"""Routes that a device's VRFs take from each other, by tags of export and import."""

from __future__ import annotations

from dataclasses import replace

from routrel.control.rib.candidates import (
    CandidateBuilder,
    Interning,
    Protocol,
    RouteKind,
    Rows,
)
from routrel.control.rib.table import Rib
from routrel.model.network import Network

__all__ = ["leaked_rows"]


def leaked_rows(network: Network, interning: Interning, view: Rib) -> Rows:
    """What each VRF takes in of the active routes of the others on its device.

    A VRF that imports a tag takes the active routes of every VRF that exports it, with their next
    hops and distances. What was taken in is not offered on, and a device's own addresses stay
    where they are. Of routes to one prefix from several VRFs the lowest distance counts, then the
    VRF written first.
    """
    builder = CandidateBuilder(interning)
    for device in network.devices:
        for vrf in device.vrfs:
            if not vrf.import_tags:
                continue
            table = interning.table_numbers[device.name, vrf.name]
            best: dict[int, tuple[RouteKind, int, int]] = {}
            for other in device.vrfs:
                if other is vrf or not set(vrf.import_tags) & set(other.export_tags):
                    continue
                for row in view.table_rows(interning.table_numbers[device.name, other.name]):
                    kind = interning.kinds.kinds[row["kind"]]
                    if kind.protocol in (Protocol.LEAKED, Protocol.LOCAL):
                        continue
                    held = best.get(int(row["prefix"]))
                    if held is None or kind.distance < held[0].distance:
                        leaked = replace(kind, protocol=Protocol.LEAKED)
                        found = (leaked, int(row["metric"]), int(row["next_hops"]))
                        best[int(row["prefix"])] = found
            for prefix, (kind, metric, hops) in best.items():
                builder.add(
                    table=table,
                    prefix=prefix,
                    kind=kind,
                    metric=metric,
                    next_hops=interning.next_hops.sets[hops],
                )
    return builder.array()
