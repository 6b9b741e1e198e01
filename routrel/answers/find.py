"""Find anything: devices, interfaces, addresses, prefixes, rules, outside neighbours, file text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from routrel.answers.base import Placed, position
from routrel.convergence.converge import State
from routrel.model.place import NOWHERE, Place
from routrel.wording.stages import rule_words

__all__ = ["ENDPOINT_KINDS", "Found", "FoundData", "find", "found_data"]

#: What may stand as a source or destination in a flow question.
ENDPOINT_KINDS = ("device", "interface", "address", "outside")


class FoundData(Placed):
    """One thing that matches, as an answer. `value` is what a question would call it."""

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

    kind: str  #: device, interface, address, prefix, filter, rule, outside, site or line
    title: str
    detail: str
    value: str
    device: str | None = None
    place: Place = NOWHERE


def find(
    state: State,
    texts: Mapping[str, str],
    words: str,
    *,
    endpoints_only: bool = False,
    limit: int = 20,
) -> list[Found]:
    """What matches every word, best first: an equal title, one that begins so, then others.

    Args:
        texts: The files' texts by path; searched last, line by line.
        words: Blank-separated; letter case does not matter. Empty finds the first devices.
        endpoints_only: Leave out what cannot be a flow's source or destination.
    """
    wanted = words.lower().split()
    found: list[tuple[tuple[int, int, int, str], Found]] = []
    for order, item in enumerate(_everything(state)):
        if endpoints_only and item.kind not in ENDPOINT_KINDS:
            continue
        title, rest = item.title.lower(), item.detail.lower()
        if all(word in title or word in rest for word in wanted):
            found.append(((*_rank(title, wanted), order, title), item))
    found.sort(key=lambda pair: pair[0])
    results = [item for _, item in found[:limit]]
    if not endpoints_only and wanted and len(results) < limit:
        results.extend(_lines(texts, wanted, limit - len(results)))
    return results


def _rank(title: str, wanted: list[str]) -> tuple[int, int]:
    whole = " ".join(wanted)
    if title == whole:
        return 0, 0
    if title.startswith(whole):
        return 1, len(title)
    return (2, len(title)) if all(word in title for word in wanted) else (3, 0)


def _everything(state: State) -> Iterator[Found]:
    for site in state.network.sites:
        yield Found(
            kind="site",
            title=site.title or site.name,
            detail=site.description,
            value=site.name,
            place=site.place,
        )
    for outside in state.network.outside:
        addresses = ", ".join(str(own.ip) for own in outside.addresses)
        yield Found(
            kind="outside",
            title=outside.name,
            detail=f"{outside.title} {addresses}".strip(),
            value=outside.name,
            place=outside.place,
        )
    for device in state.network.devices:
        own_addresses = [own.ip for interface in device.interfaces for own in interface.addresses]
        shown = f" {own_addresses[0]}" if own_addresses else ""
        yield Found(
            kind="device",
            title=device.name,
            detail=f"{device.role.value}{shown} {device.description}".strip(),
            value=device.name,
            device=device.name,
            place=device.place,
        )
    for device in state.network.devices:
        for interface in device.interfaces:
            name = f"{device.name}:{interface.name}"
            own = ", ".join(str(address) for address in interface.addresses)
            yield Found(
                kind="interface",
                title=name,
                detail=f"{own} {interface.description}".strip(),
                value=name,
                device=device.name,
                place=interface.place,
            )
            for address in interface.addresses:
                yield Found(
                    kind="address",
                    title=str(address.ip),
                    detail=f"{name}, in {address.network}",
                    value=str(address.ip),
                    device=device.name,
                    place=interface.place,
                )
        for packet_filter in device.filters:
            yield Found(
                kind="filter",
                title=packet_filter.name,
                detail=f"{device.name} {packet_filter.description}".strip(),
                value=packet_filter.name,
                device=device.name,
                place=packet_filter.place,
            )
            for rule in packet_filter.rules:
                yield Found(
                    kind="rule",
                    title=f"{packet_filter.name} rule {rule.id}",
                    detail=f"{device.name}: {rule_words(rule)} {rule.description}".strip(),
                    value=str(rule.id),
                    device=device.name,
                    place=rule.place,
                )
    kinds = state.rib.interning.kinds.kinds
    written = np.array([kind.place > 0 for kind in kinds], dtype=bool)
    rows = state.rib.candidates
    rows = rows[written[rows["kind"]]]
    numbers, first = np.unique(rows["prefix"], return_index=True)
    for number, row in zip(numbers, rows[first], strict=True):
        prefix = state.rib.interning.prefixes.prefixes[number]
        if prefix.prefixlen < prefix.max_prefixlen:
            yield Found(
                kind="prefix",
                title=str(prefix),
                detail=f"{kinds[row['kind']].protocol.id} at "
                f"{state.rib.interning.tables[row['table']][0]}",
                value=str(prefix),
                place=state.rib.interning.places[kinds[row["kind"]].place],
            )


def _lines(texts: Mapping[str, str], wanted: list[str], limit: int) -> Iterator[Found]:
    count = 0
    for path in sorted(texts):
        for number, line in enumerate(texts[path].splitlines(), start=1):
            lower = line.lower()
            if all(word in lower for word in wanted):
                yield Found(
                    kind="line",
                    title=line.strip()[:120],
                    detail=f"{path}:{number}",
                    value=path,
                    place=Place(path, number, 1),
                )
                count += 1
                if count == limit:
                    return
