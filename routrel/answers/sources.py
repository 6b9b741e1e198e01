"""Whose word counts for a device: which file says what of it, and which of it answers go by."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.answers.base import Placed, position
from routrel.convergence.converge import State
from routrel.model.network import Device
from routrel.model.observed import ObservedTable
from routrel.model.place import Place
from routrel.wording.routes import table_name

__all__ = ["SourceData", "sources_data"]


class SourceData(Placed):
    """One file that says something of a device; `counts` tells whether answers go by it."""

    about: str
    text: str
    counts: bool


def sources_data(state: State, device: Device) -> list[SourceData]:
    """What is known of a device from where: configuration, tables that were read, the network."""
    return list(_sources(state, device))


def _sources(state: State, device: Device) -> Iterator[SourceData]:
    if device.unknown:
        words = "interfaces and what is modelled of its configuration; not all of it is known"
    else:
        words = "interfaces, protocols, filters"
    yield _said("configuration", words, True, device.place)
    for table in state.network.observed:
        if table.device == device.name:
            number = state.rib.interning.table_numbers[table.device, table.vrf]
            yield _table(table, number in state.pinned)
    for stated in state.network.stated:
        if stated.name == device.name:
            told = ["role"] if stated.role else []
            told += ["site"] if stated.site else []
            yield _said("network", f"its {' and '.join(told) or 'description'}", True, stated.place)
    links = [
        link for link in state.network.links if any(end.device == device.name for end in link.ends)
    ]
    if links:
        count = "one link" if len(links) == 1 else f"{len(links)} links"
        text = f"{count} stated; who else shares a subnet is a neighbour too"
        yield _said("neighbours", text, True, links[0].place)


def _table(table: ObservedTable, is_taken: bool) -> SourceData:
    name = table_name(table.device, table.vrf)
    entries = "one entry" if len(table.routes) == 1 else f"{len(table.routes):,} entries"
    when = f", read {table.time}" if table.time else ""
    by = f", {table.source}" if table.source else ""
    then = "it forwards by it" if is_taken else "held against the computed table, not forwarded by"
    return _said(f"table of {name}", f"{entries}{when}{by}; {then}", is_taken, table.place)


def _said(about: str, text: str, counts: bool, place: Place) -> SourceData:
    return SourceData(about=about, text=text, counts=counts, **position(place))
