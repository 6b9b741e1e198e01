"""Small edits of a network that answers propose: one setting at one place."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from routrel.model.addresses import Address, Prefix
from routrel.model.bgp import BgpInstance, BgpNeighbour, NextHopRule
from routrel.model.network import Device, Network, Vrf
from routrel.model.policy import (
    Actions,
    Adjustment,
    Conditions,
    Origin,
    Policy,
    PolicyResult,
    PolicyUse,
    PrefixRange,
    PrefixSet,
    Statement,
)
from routrel.model.policy_bindings import policy_bindings
from routrel.model.redistribution import DistanceRule, RouteSource

__all__ = [
    "CompareMedEdit",
    "DistanceEdit",
    "Edit",
    "ImportEdit",
    "NextHopEdit",
    "SetEdit",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportEdit:
    """An attribute that a device sets on what it hears from one neighbour.

    It is set where the route in question is accepted now: in the statement that accepts it, or
    behind the last one where the default does; for one prefix alone in a statement of its own in
    front of that. A policy that other neighbours use too is copied.
    """

    device: str
    vrf: str
    neighbour: Address
    attribute: str  #: local-preference, med, weight, origin, prepend or accept
    value: int | str | tuple[int, ...]
    policy: str | None = None  #: that decides now; None: none is bound
    statement: str | None = None  #: that decides now; None: the default does
    prefix: Prefix | None = None  #: for which alone; None: for all that is decided there

    @property
    def target(self) -> str:
        """The place in the device file, as a path of keys."""
        if self.prefix is not None and self.policy is not None:
            return f"policies.{self.policy}.statements"
        if self.policy is None or self.statement is None:
            return f"bgp.neighbours.{self.neighbour}.import"
        return f"policies.{self.policy}.statements.{self.statement}.set.{self.attribute}"

    def of(self, network: Network) -> Network:
        """The network with the edit done."""
        return _with_device(network, self.device, self._changed)

    def _changed(self, device: Device) -> Device:
        bgp, neighbour = _session_of(device, self.vrf, self.neighbour)
        uses = bgp.settings(neighbour).import_policies or ()
        old = device.policy(self.policy) if self.policy else None
        device, conditions = self._conditions(device)
        if old is None:
            name = _free_name(device, f"from-{self.neighbour}".replace(":", "-"))
            statement = Statement(
                name="all" if self.prefix is None else "one",
                conditions=conditions,
                actions=self._actions(Actions()),
                then=_ACCEPT,
            )
            made = Policy(name=name, statements=(statement,), default=_ACCEPT)
            device = replace(device, policies=(*device.policies, made))
            return self._bound(device, (PolicyUse(policy=name),))
        made = self._edited(old, conditions)
        if _uses(device, old.name) == 1:
            kept = tuple(made if p.name == old.name else p for p in device.policies)
            return replace(device, policies=kept)
        made = replace(made, name=_free_name(device, f"{old.name}-2"))
        device = replace(device, policies=(*device.policies, made))
        bound = tuple(replace(u, policy=made.name) if u.policy == old.name else u for u in uses)
        return self._bound(device, bound)

    def _conditions(self, device: Device) -> tuple[Device, Conditions]:
        """The device with a set for the prefix, and what asks for it; nothing for all routes."""
        if self.prefix is None:
            return device, Conditions()
        taken = [item.name for item in device.prefix_sets]
        name = _free(f"only-{self.prefix}".replace("/", "-").replace(":", "-"), taken)
        length = self.prefix.prefixlen
        held = PrefixSet(name=name, ranges=(PrefixRange(self.prefix, length, length),))
        device = replace(device, prefix_sets=(*device.prefix_sets, held))
        return device, Conditions(prefix_sets=(name,))

    def _edited(self, policy: Policy, conditions: Conditions) -> Policy:
        if self.prefix is not None:
            return self._for_one(policy, conditions)
        if self.statement is None or self.attribute == "accept":
            # In front of nothing that decides: the default did.
            more = Statement(
                name=_free(f"more-{self.attribute}", [s.name for s in policy.statements]),
                conditions=Conditions(),
                actions=self._actions(Actions()),
                then=_ACCEPT,
            )
            return replace(policy, statements=(*policy.statements, more))
        return replace(
            policy,
            statements=tuple(
                replace(statement, actions=self._actions(statement.actions))
                if statement.name == self.statement
                else statement
                for statement in policy.statements
            ),
        )

    def _for_one(self, policy: Policy, conditions: Conditions) -> Policy:
        """A statement for the prefix in front of the one that decides, with what that does too."""
        names = [statement.name for statement in policy.statements]
        at = names.index(self.statement) if self.statement in names else len(names)
        now = policy.statements[at] if at < len(names) else None
        more = Statement(
            name=_free("one", names),
            conditions=conditions,
            actions=self._actions(now.actions if now else Actions()),
            call=now.call if now else None,
            then=now.then if now else _ACCEPT,
        )
        return replace(policy, statements=(*policy.statements[:at], more, *policy.statements[at:]))

    def _actions(self, actions: Actions) -> Actions:
        value: Any = self.value
        match self.attribute:
            case "local-preference":
                return replace(actions, local_preference=Adjustment("set", value))
            case "med":
                return replace(actions, med=Adjustment("set", value))
            case "weight":
                return replace(actions, weight=value)
            case "origin":
                return replace(actions, origin=Origin(value))
            case "prepend":
                return replace(actions, prepend=(*value, *actions.prepend))
        return actions

    def _bound(self, device: Device, uses: tuple[PolicyUse, ...]) -> Device:
        return _with_neighbour(
            device, self.vrf, self.neighbour, lambda n: replace(n, import_policies=uses)
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NextHopEdit:
    """A device names itself as next hop to one neighbour."""

    device: str
    vrf: str
    neighbour: Address
    attribute: str = "next-hop"
    value: str = NextHopRule.SELF.value

    @property
    def target(self) -> str:
        return f"bgp.neighbours.{self.neighbour}.next-hop"

    def of(self, network: Network) -> Network:
        rule = NextHopRule(self.value)
        return _with_device(
            network,
            self.device,
            lambda device: _with_neighbour(
                device, self.vrf, self.neighbour, lambda n: replace(n, next_hop=rule)
            ),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class DistanceEdit:
    """A distance for all routes of a protocol in one table, or for one prefix of them."""

    device: str
    vrf: str
    protocol: str
    value: int
    prefix: Prefix | None = None
    attribute: str = "distance"
    neighbour: None = None

    @property
    def target(self) -> str:
        return "distances"

    def of(self, network: Network) -> Network:
        one = self.prefix
        held = (PrefixRange(one, one.prefixlen, one.prefixlen),) if one is not None else ()
        rule = DistanceRule(protocol=RouteSource(self.protocol), distance=self.value, prefixes=held)
        return _with_device(
            network,
            self.device,
            lambda device: _with_vrf(
                device, self.vrf, lambda vrf: replace(vrf, distances=(rule, *vrf.distances))
            ),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareMedEdit:
    """A device compares the MED of different neighbouring AS too."""

    device: str
    vrf: str
    attribute: str = "compare-med-always"
    value: int = 1
    neighbour: None = None

    @property
    def target(self) -> str:
        return "bgp.decision.compare-med-always"

    def of(self, network: Network) -> Network:
        def compared(vrf: Vrf) -> Vrf:
            if vrf.bgp is None:
                return vrf
            decision = replace(vrf.bgp.decision, compare_med_always=True)
            return replace(vrf, bgp=replace(vrf.bgp, decision=decision))

        return _with_device(network, self.device, lambda d: _with_vrf(d, self.vrf, compared))


@dataclass(frozen=True, slots=True, kw_only=True)
class SetEdit:
    """A prefix more in a set that a statement asks for."""

    device: str
    vrf: str
    name: str
    prefix: Prefix
    attribute: str = "prefixes"
    neighbour: None = None

    @property
    def value(self) -> str:
        """The prefix that it adds to the set."""
        return str(self.prefix)

    @property
    def target(self) -> str:
        return f"sets.prefixes.{self.name}"

    def of(self, network: Network) -> Network:
        length = self.prefix.prefixlen
        more = PrefixRange(self.prefix, length, length)

        def widened(device: Device) -> Device:
            return replace(
                device,
                prefix_sets=tuple(
                    replace(item, ranges=(*item.ranges, more)) if item.name == self.name else item
                    for item in device.prefix_sets
                ),
            )

        return _with_device(network, self.device, widened)


Edit = ImportEdit | NextHopEdit | DistanceEdit | CompareMedEdit | SetEdit

_ACCEPT = PolicyResult.ACCEPT


def _with_device(network: Network, name: str, change: Callable[[Device], Device]) -> Network:
    return replace(
        network,
        devices=tuple(change(d) if d.name == name else d for d in network.devices),
    )


def _with_vrf(device: Device, name: str, change: Callable[[Vrf], Vrf]) -> Device:
    return replace(
        device, vrfs=tuple(change(vrf) if vrf.name == name else vrf for vrf in device.vrfs)
    )


def _session_of(device: Device, vrf: str, address: Address) -> tuple[BgpInstance, BgpNeighbour]:
    found = device.vrf(vrf)
    if found is None or found.bgp is None:
        raise ValueError(f"{device.name} has no BGP in VRF {vrf}")
    return found.bgp, next(n for n in found.bgp.neighbours if n.address == address)


def _with_neighbour(
    device: Device, vrf: str, address: Address, change: Callable[[BgpNeighbour], BgpNeighbour]
) -> Device:
    bgp, neighbour = _session_of(device, vrf, address)
    kept = tuple(change(n) if n.address == neighbour.address else n for n in bgp.neighbours)
    changed = replace(bgp, neighbours=kept)
    return _with_vrf(device, vrf, lambda found: replace(found, bgp=changed))


def _uses(device: Device, policy: str) -> int:
    """In how many places a device uses a policy; a group counts for each of its members."""
    return sum(1 for name in _used_names(device) if name == policy)


def _used_names(device: Device) -> Iterator[str]:
    for binding in policy_bindings(device):
        if not binding.of_group:
            yield from (use.policy for use in binding.uses)
    for policy in device.policies:
        yield from (s.call for s in policy.statements if s.call is not None)


def _free_name(device: Device, wish: str) -> str:
    return _free(wish, [policy.name for policy in device.policies])


def _free(wish: str, taken: list[str]) -> str:
    name, number = wish, 2
    while name in taken:
        name, number = f"{wish}-{number}", number + 1
    return name
