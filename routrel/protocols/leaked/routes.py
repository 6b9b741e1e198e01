"""Routes that a device's VRFs take from each other, by tags of export and import, or as stated."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from routrel.model.network import Device, Network, Vrf
from routrel.model.place import Place
from routrel.model.policy import PolicyUse
from routrel.policy.evaluate import policy_function
from routrel.policy.redistribute import PROTOCOL_OF, policy_route
from routrel.rib.candidates import (
    CandidateBuilder,
    Interning,
    Protocol,
    RouteKind,
    Rows,
)
from routrel.rib.table import Rib

__all__ = ["LeakOffer", "leak_offers", "leaked_rows", "takes_in"]


@dataclass(frozen=True, slots=True)
class LeakOffer:
    """What a VRF may take from another one of its device."""

    source: Vrf
    protocols: frozenset[Protocol]  #: empty: any
    policy: PolicyUse | None
    place: Place  #: where the taking is stated; of tags, the VRF that takes

    def admits(self, protocol: Protocol) -> bool:
        """Whether routes active under a protocol pass, policies aside."""
        if protocol in (Protocol.LEAKED, Protocol.LOCAL):
            return False
        return not self.protocols or protocol in self.protocols


def leak_offers(device: Device, vrf: Vrf) -> Iterator[LeakOffer]:
    """What a VRF takes in: by tags in order of the VRFs, then as it states it."""
    for other in device.vrfs:
        if other.name != vrf.name and set(vrf.import_tags) & set(other.export_tags):
            yield LeakOffer(other, frozenset(), None, vrf.place)
    for leak in vrf.leaks:
        source = device.vrf(leak.source)
        if source is not None:
            protocols = frozenset(PROTOCOL_OF[item] for item in leak.protocols)
            yield LeakOffer(source, protocols, leak.policy, leak.place)


def takes_in(vrf: Vrf) -> bool:
    """Whether a VRF may take anything from others."""
    return bool(vrf.import_tags or vrf.leaks)


def leaked_rows(network: Network, interning: Interning, view: Rib) -> Rows:
    """What each VRF takes in of the active routes of the others on its device.

    Routes are taken with their next hops and distances; a policy may change tag and metric. What
    was taken in is not offered on, and a device's own addresses stay where they are. Of routes to
    one prefix from several VRFs the lowest distance counts, then what is taken first.
    """
    builder = CandidateBuilder(interning)
    for device in network.devices:
        for vrf in device.vrfs:
            if not takes_in(vrf):
                continue
            table = interning.table_numbers[device.name, vrf.name]
            best: dict[int, tuple[RouteKind, int, int]] = {}
            for offer in leak_offers(device, vrf):
                for prefix, kind, metric, hops in _taken(device, offer, interning, view):
                    held = best.get(prefix)
                    if held is None or kind.distance < held[0].distance:
                        best[prefix] = (kind, metric, hops)
            for prefix, (kind, metric, hops) in best.items():
                builder.add(
                    table=table,
                    prefix=prefix,
                    kind=kind,
                    metric=metric,
                    next_hops=interning.next_hops.sets[hops],
                )
    return builder.array()


def _taken(
    device: Device, offer: LeakOffer, interning: Interning, view: Rib
) -> Iterator[tuple[int, RouteKind, int, int]]:
    """Prefix, kind, metric and next hops of each route that an offer lets pass."""
    accept = policy_function(device, offer.policy)
    for row in view.table_rows(interning.table_numbers[device.name, offer.source.name]):
        kind = interning.kinds.kinds[row["kind"]]
        if not offer.admits(kind.protocol):
            continue
        tag, metric = kind.tag, int(row["metric"])
        if offer.policy is not None:
            prefix = interning.prefixes.prefixes[row["prefix"]]
            result = accept(policy_route(interning, prefix, kind, row))
            if result is None:
                continue
            tag, metric = result.tag, result.metric
        leaked = replace(kind, protocol=Protocol.LEAKED, tag=tag)
        yield int(row["prefix"]), leaked, metric, int(row["next_hops"])
