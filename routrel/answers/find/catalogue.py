"""Everything in a network that has a name, with where it stands and what a question calls it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from routrel.answers.base import Placed, position
from routrel.convergence.converge import State
from routrel.files.bgp_values import AsPathPatternValue
from routrel.files.values import PrefixRangeValue
from routrel.model.network import Device, Network
from routrel.model.place import NOWHERE, Place
from routrel.wording.stages import rule_words, steering_words, translation_words

__all__ = ["ENDPOINT_KINDS", "Found", "FoundData", "everything", "found_data"]

_RANGE, _PATTERN = PrefixRangeValue(), AsPathPatternValue()

#: What may stand as a source or destination in a flow question, one end or many.
ENDPOINT_KINDS = ("device", "interface", "address", "name", "outside", "group", "site")


class FoundData(Placed):
    """One thing that matches, as an answer. `value` is what a question would call it.

    Of a whole question, of kind `flow` or `route`, `value` is the query of its page's address.
    """

    kind: str
    title: str
    detail: str
    value: str
    device: str | None


def found_data(item: Found) -> FoundData:
    """One hit as an answer."""
    return FoundData(
        kind=item.kind,
        title=item.title,
        detail=item.detail,
        value=item.value,
        device=item.device,
        **position(item.place),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """One thing that matches. `value` is what a question would call it."""

    kind: str
    title: str
    detail: str
    value: str
    device: str | None = None
    place: Place = NOWHERE


def everything(state: State) -> Iterator[Found]:
    """All that has a name, the widest first: sites before devices, devices before their rules."""
    network = state.network
    yield from _around(network)
    for device in network.devices:
        own_addresses = [own.ip for interface in device.interfaces for own in interface.addresses]
        shown = f" {own_addresses[0]}" if own_addresses else ""
        detail = f"{device.role.value}{shown} {device.description}".strip()
        yield _of(device, "device", device.name, detail, device.name, device.place)
    for device in network.devices:
        yield from _of_device(device)
    yield from _prefixes(state)


def _around(network: Network) -> Iterator[Found]:
    for site in network.sites:
        title = site.title or site.name
        yield Found(
            kind="site", title=title, detail=site.description, value=site.name, place=site.place
        )
    for group in network.groups:
        detail = f"{', '.join(group.members)} {group.description}".strip()
        yield Found(
            kind="group", title=group.name, detail=detail, value=group.name, place=group.place
        )
    for outside in network.outside:
        addresses = ", ".join(str(own.ip) for own in outside.addresses)
        detail = f"{outside.title} {addresses}".strip()
        yield Found(
            kind="outside",
            title=outside.name,
            detail=detail,
            value=outside.name,
            place=outside.place,
        )
    for named in network.names:
        addresses = ", ".join(map(str, named.addresses))
        yield Found(
            kind="name", title=named.name, detail=addresses, value=named.name, place=named.place
        )


def _of(device: Device, kind: str, title: str, detail: str, value: str, place: Place) -> Found:
    return Found(
        kind=kind, title=title, detail=detail.strip(), value=value, device=device.name, place=place
    )


def _of_device(device: Device) -> Iterator[Found]:
    for interface in device.interfaces:
        name = f"{device.name}:{interface.name}"
        own = ", ".join(str(address) for address in interface.addresses)
        detail = f"{own} {interface.description}"
        yield _of(device, "interface", name, detail, name, interface.place)
        for address in interface.addresses:
            detail = f"{name}, in {address.network}"
            yield _of(device, "address", str(address.ip), detail, str(address.ip), interface.place)
    for vrf in device.vrfs[1:]:
        yield _of(device, "VRF", vrf.name, f"{device.name}", vrf.name, vrf.place)
    yield from _sessions(device)
    for packet_filter in device.filters:
        name = packet_filter.name
        detail = f"{device.name} {packet_filter.description}"
        yield _of(device, "filter", name, detail, name, packet_filter.place)
        for rule in packet_filter.rules:
            detail = f"{device.name}: {rule_words(rule)} {rule.description}"
            yield _of(device, "rule", f"{name} rule {rule.id}", detail, str(rule.id), rule.place)
    for steering in device.steerings:
        yield _of(device, "steering", steering.name, device.name, steering.name, steering.place)
        for steering_rule in steering.rules:
            title = f"{steering.name} rule {steering_rule.id}"
            detail = f"{device.name}: {steering_words(steering_rule)}"
            yield _of(device, "rule", title, detail, str(steering_rule.id), steering_rule.place)
    for translation in device.translation:
        title = f"translation rule {translation.id}"
        detail = f"{device.name}: {translation_words(translation)}"
        yield _of(device, "rule", title, detail, str(translation.id), translation.place)
    yield from _policies(device)


def _sessions(device: Device) -> Iterator[Found]:
    for vrf in device.vrfs:
        for neighbour in vrf.bgp.neighbours if vrf.bgp else ():
            title = f"{device.name} session {neighbour.address}"
            number = neighbour.autonomous_system
            detail = f"{f'AS {number} ' if number else ''}{neighbour.description or ''}"
            detail += f" {neighbour.group or ''}"
            address = str(neighbour.address)
            yield _of(device, "session", title, detail, address, neighbour.place)


def _policies(device: Device) -> Iterator[Found]:
    for policy in device.policies:
        detail = f"{device.name} {policy.description}"
        yield _of(device, "policy", policy.name, detail, policy.name, policy.place)
        for statement in policy.statements:
            title = f"{policy.name} {statement.name}"
            detail = f"{device.name} {statement.description}"
            yield _of(device, "statement", title, detail, statement.name, statement.place)
    for community_set in device.community_sets:
        detail = f"{device.name}: {', '.join(community_set.communities)}"
        name = community_set.name
        yield _of(device, "communities", name, detail, name, community_set.place)
    for prefix_set in device.prefix_sets:
        detail = f"{device.name}: {', '.join(_RANGE.write(each) for each in prefix_set.ranges)}"
        yield _of(device, "prefixes", prefix_set.name, detail, prefix_set.name, prefix_set.place)
    for tag_set in device.tag_sets:
        detail = f"{device.name}: {', '.join(map(str, tag_set.tags))}"
        yield _of(device, "tags", tag_set.name, detail, tag_set.name, tag_set.place)
    for path_set in device.as_path_sets:
        detail = f"{device.name}: {', '.join(_PATTERN.write(each) for each in path_set.patterns)}"
        yield _of(device, "AS paths", path_set.name, detail, path_set.name, path_set.place)


def _prefixes(state: State) -> Iterator[Found]:
    """The prefixes that somebody wrote down, each once."""
    kinds = state.rib.interning.kinds.kinds
    written = np.array([kind.place > 0 for kind in kinds], dtype=bool)
    rows = state.rib.candidates
    rows = rows[written[rows["kind"]]]
    numbers, first = np.unique(rows["prefix"], return_index=True)
    for number, row in zip(numbers, rows[first], strict=True):
        prefix = state.rib.interning.prefixes.prefixes[number]
        if prefix.prefixlen < prefix.max_prefixlen:
            kind = kinds[row["kind"]]
            device = state.rib.interning.tables[row["table"]][0]
            yield Found(
                kind="prefix",
                title=str(prefix),
                detail=f"{kind.protocol.id} at {device}",
                value=str(prefix),
                place=state.rib.interning.places[kind.place],
            )
