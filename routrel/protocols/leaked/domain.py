"""Routes that VRFs take from each other as a protocol like others."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from routrel.model.network import Device, Vrf, protocol_title
from routrel.protocols.contract import Domain, Exchange, Inputs, Result
from routrel.protocols.evidence import AbsenceStep, CandidatePath, of_row, rejection
from routrel.protocols.leaked.routes import LeakOffer, leak_offers, leaked_rows, takes_in
from routrel.rib.candidates import NEVER, Interning, Protocol, Table
from routrel.rib.table import Rib, Route, RowsByTable, by_table
from routrel.topology.segments import Topology

__all__ = ["LeakedDomain"]

#: What is active under these is not offered to other VRFs.
_NOT_OFFERED = (Protocol.CONNECTED, Protocol.LOCAL, Protocol.LEAKED)


@dataclass(frozen=True, kw_only=True)
class LeakedResult(Result):
    """What all VRFs take in."""

    domain: Domain
    inputs: Inputs
    by_table: RowsByTable

    def of_row(self, rib: Rib, route: Route) -> CandidatePath:
        """With where the taking is stated: the first offer of the same ways at that distance."""
        path = of_row(route)
        device = self.domain.topology.devices[route.device]
        mine = device.vrf(route.vrf)
        for offer in leak_offers(device, mine) if mine else ():
            number = rib.interning.table_numbers[device.name, offer.source.name]
            there = rib.active_route(number, route.prefix)
            if there is None or not offer.admits(there.protocol):
                continue
            if (there.next_hops, there.distance) == (route.next_hops, route.distance):
                values = {"from_vrf": offer.source.name}
                return replace(path, also=(offer.place,), values=values)
        return path

    def in_other_tables(
        self, rib: Rib, table: int, holders: Mapping[int, Route]
    ) -> Iterator[AbsenceStep]:
        interning = rib.interning
        name, vrf_name = interning.tables[table]
        device = self.domain.topology.devices[name]
        vrf = device.vrf(vrf_name)
        for held, route in holders.items():
            owner, other = interning.tables[held]
            there = device.vrf(other)
            if owner != name or there is None or vrf is None or route.protocol is Protocol.LEAKED:
                continue  # what it has from another table itself is not offered
            shared = [o for o in leak_offers(device, vrf) if o.source.name == there.name]
            for offer in shared:
                step = _held_back(rib, held, device, vrf, offer, route)
                if step is not None:
                    yield step
            if not shared:
                yield _not_imported(name, vrf, there)


class LeakedDomain(Domain):
    """All VRFs that take routes from others of their device."""

    protocol = Protocol.LEAKED
    versions = (4, 6)
    index_of: Mapping[Table, int] = {}

    def __init__(self, topology: Topology, interning: Interning) -> None:
        self.topology, self.interning = topology, interning

    def asked(self, inputs: Inputs) -> Hashable:
        """The tables from which others take."""
        numbers = self.interning.table_numbers
        return tuple(inputs.view.tables[numbers[table]] for table in self.looks_at())

    def compute(self, inputs: Inputs, asked: Hashable, before: Result | None) -> LeakedResult:
        rows = leaked_rows(self.topology.network, self.interning, inputs.view)
        return LeakedResult(domain=self, inputs=inputs, by_table=by_table(rows))

    @cached_property
    def _offering(self) -> tuple[tuple[Device, Vrf], ...]:
        """The VRFs from which others take."""
        found = []
        for device in self.topology.network.devices:
            sources = {o.source.name for vrf in device.vrfs for o in leak_offers(device, vrf)}
            found += [(device, vrf) for vrf in device.vrfs if vrf.name in sources]
        return tuple(found)

    def looks_at(self) -> Iterator[Table]:
        return ((device.name, vrf.name) for device, vrf in self._offering)

    def speaks_in(self) -> Iterator[Table]:
        """Those that take some in."""
        for device in self.topology.network.devices:
            yield from ((device.name, vrf.name) for vrf in device.vrfs if takes_in(vrf))

    def exchanges(self, rib: Rib) -> Iterator[Exchange]:
        """From every protocol that has something active in a table from which others take."""
        kinds = self.interning.kinds.kinds
        for device, vrf in self._offering:
            table = self.interning.table_numbers[device.name, vrf.name]
            active = np.unique(rib.table_rows(table)["kind"]).tolist()
            for source in {kinds[number].protocol for number in active}.difference(_NOT_OFFERED):
                yield Exchange(table=table, source=source, into=Protocol.LEAKED, vrf=vrf)

    def nearest_return(self, table: Table, result: Result, prefixes: NDArray[np.int32]) -> int:
        """They come back by a circle or not at all."""
        return NEVER


def _not_imported(device: str, vrf: Vrf, there: Vrf) -> AbsenceStep:
    tags = ", ".join(there.export_tags)
    offered = f"which offers it under {tags}" if tags else "which offers it to no other"
    return AbsenceStep(
        kind="not_imported",
        device=device,
        text=f"{device} has it in VRF {there.name}, {offered}; VRF {vrf.name} does not take it in",
        suggestion=f"add {there.export_tags[0]} to the import-tags of VRF {vrf.name}"
        if tags
        else f"give VRF {there.name} export-tags, and VRF {vrf.name} the same import-tags",
        place=vrf.place,
    )


def _held_back(
    rib: Rib, held: int, device: Device, vrf: Vrf, offer: LeakOffer, route: Route
) -> AbsenceStep | None:
    """Why a VRF does not take a route that another offers it; None where it does."""
    name = offer.source.name
    if not offer.admits(route.protocol):
        kinds = ", ".join(sorted(protocol_title(protocol.id) for protocol in offer.protocols))
        return AbsenceStep(
            kind="not_imported",
            device=device.name,
            text=f"VRF {vrf.name} takes from VRF {name} only what is active there under {kinds}; "
            f"it is {protocol_title(route.protocol.id)}",
            suggestion=f"add {route.protocol.id} to the protocols of the leak",
            place=offer.place,
        )
    if offer.policy is None:
        return None
    return rejection(rib, held, device, offer.policy, route)
