"""What a device's redistributions make of one route: taken, or why not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from routrel.convergence.converge import State
from routrel.model.network import Device, protocol_title
from routrel.model.redistribution import Redistribution
from routrel.policy.redistribute import PROTOCOL_OF, Injected
from routrel.protocols.contract import Result
from routrel.protocols.evidence import AbsenceStep, rejection
from routrel.rib.candidates import Protocol
from routrel.rib.table import Route

__all__ = ["held_back", "redistributions"]


def redistributions(state: State, table: int, prefix: int) -> Iterator[AbsenceStep]:
    """What each redistribution that might take a table's route to a prefix makes of it.

    Those from protocols that do not have the prefix there are left out. A step of kind "taken"
    says that the route is announced; the others are the reasons why it is not.
    """
    interning = state.rib.interning
    wanted = interning.prefixes.prefixes[prefix]
    active = state.rib.active_route(table, wanted)
    kinds = interning.kinds.kinds
    known = {kinds[row["kind"]].protocol for row in state.rib.candidate_rows(table, prefix)}
    for result in state.results.values():
        process = result.domain.process_in(interning.tables[table])
        if process is None or wanted.version not in process.versions:
            continue
        announced = result.inputs.injected.get(process.index, ())
        by_place = {item.place: item for item in announced if item.prefix == prefix}
        for item in process.redistribute:
            source = PROTOCOL_OF[item.source]
            # With the source's own networks, or without.
            sources = {source, Protocol.CONNECTED} if item.with_connected else {source}
            if item.place in by_place:
                yield _taken(result, process.table[0], item, by_place[item.place])
            elif active is not None and active.protocol in sources:
                device = process.device
                step = held_back(state, table, device, item, active, result)
                if step.kind == "filtered":
                    way = f"{protocol_title(active.protocol.id)} into {_into(result)}"
                    text = f"{device.name} does not take it from {way}: {step.text}"
                    step = replace(step, text=text)
                yield step
            elif active is not None and source in known:
                yield _not_active(result, process.table[0], item, active)


def _into(result: Result) -> str:
    return protocol_title(result.domain.protocol.id)


def _taken(result: Result, device: str, item: Redistribution, injected: Injected) -> AbsenceStep:
    source = protocol_title(injected.source.id)
    if not result.can_announce(injected) and (step := result.cannot_take(device, item, source)):
        return step
    metric = f" with metric {injected.metric}" if injected.metric is not None else ""
    return AbsenceStep(
        kind="taken",
        device=device,
        text=f"{device} takes it from {source} into {_into(result)}{metric}",
        place=item.place,
    )


def _not_active(result: Result, device: str, item: Redistribution, active: Route) -> AbsenceStep:
    """The source has the prefix, but another protocol's route is in use."""
    into = _into(result)
    source, wins = protocol_title(item.source.value), protocol_title(active.protocol.id)
    other = "" if wins == into else f", or take {wins} into {into} too"
    return AbsenceStep(
        kind="not_active",
        device=device,
        text=f"{device} does not take it into {into}: its {wins} route "
        f"wins (distance {active.distance}), and only what is active as {source} is taken",
        suggestion=f"give one of the two another distance{other}",
        place=item.place,
    )


def held_back(
    state: State, table: int, device: Device, item: Redistribution, route: Route, into: Result
) -> AbsenceStep:
    """Why a redistribution that fits the source leaves this route out."""
    name, source = _into(into), protocol_title(route.protocol.id)
    if route.prefix.prefixlen == 0 and not item.with_default:
        return AbsenceStep(
            kind="not_redistributed",
            device=device.name,
            text=f"{device.name} takes {source} into {name}, but without its default route",
            suggestion="add with-default: true",
            place=item.place,
        )
    if item.policy is not None:
        rejected = rejection(state.rib, table, device, item.policy, route)
        if rejected is not None:
            return rejected
    return into.cannot_take(device.name, item, source) or AbsenceStep(
        kind="not_redistributed",
        device=device.name,
        text=f"{device.name} takes {source} into {name}, but not this route",
        place=item.place,
    )
