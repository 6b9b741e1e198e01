"""Where a device binds policies: one list for whoever checks, counts or tells of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from routrel.model.bgp import BgpInstance, NeighbourSettings
from routrel.model.network import INTERFACE_PROTOCOLS, ROUTING_PROTOCOLS, Device, protocol_title
from routrel.model.policy import PolicyUse

__all__ = ["PolicyBinding", "policy_bindings"]


@dataclass(frozen=True, slots=True)
class PolicyBinding:
    """One place with the policies bound there, in order; mostly one."""

    words: str  #: as "import from Isle Telecom"
    uses: tuple[PolicyUse, ...]
    of_group: bool = False  #: of a group of neighbours; its members have bindings of their own
    may_discard: bool = False  #: whether next hop discard means something there


def policy_bindings(device: Device) -> Iterator[PolicyBinding]:
    """Every binding of a device. Calls from one policy to another are none."""
    for vrf in device.vrfs:
        if vrf.bgp:
            yield from _of_bgp(vrf.bgp)
        for leak in vrf.leaks:
            yield from _one(f"from VRF {leak.source} into VRF {vrf.name}", leak.policy)
        for key in ROUTING_PROTOCOLS:
            instance, title = getattr(vrf, key), protocol_title(key)
            for item in instance.redistribute if instance else ():
                yield from _one(
                    f"from {protocol_title(item.source.value)} into {title}", item.policy
                )
            yield from _one(f"{title} into the table", getattr(instance, "import_policy", None))
        if vrf.isis:
            yield from _one("IS-IS from level 1 into 2", vrf.isis.leak_up)
            yield from _one("IS-IS from level 2 into 1", vrf.isis.leak_down)
    for interface in device.interfaces:
        for key in INTERFACE_PROTOCOLS:
            settings = getattr(interface, key)
            for direction in ("import", "export"):
                use = getattr(settings, f"{direction}_policy", None)
                yield from _one(f"{protocol_title(key)} {direction} on {interface.name}", use)


def _of_bgp(bgp: BgpInstance) -> Iterator[PolicyBinding]:
    for network in bgp.networks:
        yield from _one(f"announced network {network.prefix}", network.policy)
    for aggregate in bgp.aggregates:
        yield from _one(f"aggregate {aggregate.prefix}", aggregate.policy)
    for group in bgp.groups:
        yield from _of_neighbour(f"group {group.name}", group, of_group=True)
    for neighbour in bgp.neighbours:
        settings = bgp.settings(neighbour)
        yield from _of_neighbour(settings.description or str(neighbour.address), settings)


def _of_neighbour(
    who: str, settings: NeighbourSettings, *, of_group: bool = False
) -> Iterator[PolicyBinding]:
    if settings.import_policies:
        uses = settings.import_policies
        yield PolicyBinding(f"import from {who}", uses, of_group, may_discard=True)
    if settings.export_policies:
        yield PolicyBinding(f"export to {who}", settings.export_policies, of_group)
    if settings.default_route and settings.default_route.policy:
        uses = (settings.default_route.policy,)
        yield PolicyBinding(f"default route for {who}", uses, of_group)


def _one(words: str, use: PolicyUse | None) -> Iterator[PolicyBinding]:
    if use is not None:
        yield PolicyBinding(words, (use,))
