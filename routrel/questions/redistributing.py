"""What a device's redistributions make of one route: taken, or why not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from routrel.convergence.converge import State
from routrel.convergence.protocols import Taking
from routrel.model.network import Device, protocol_title
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import Redistribution
from routrel.policy.evaluate import evaluate
from routrel.policy.redistribute import PROTOCOL_OF, Injected, policy_route
from routrel.questions.absence_steps import AbsenceStep
from routrel.rib.candidates import Protocol
from routrel.rib.table import Route

__all__ = ["has_metric", "held_back", "redistributions", "rejection"]


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
    for taking in state.protocols.taking:
        if taking.table != interning.tables[table] or wanted.version not in taking.versions:
            continue
        announced = state.protocols.injected.get(taking.protocol, {}).get(taking.index, ())
        by_place = {item.place: item for item in announced if item.prefix == prefix}
        for item in taking.settings.redistribute:
            source = PROTOCOL_OF[item.source]
            # With the source's own networks, or without.
            sources = {source, Protocol.CONNECTED} if item.with_connected else {source}
            if item.place in by_place:
                yield _taken(taking, item, by_place[item.place], active)
            elif active is not None and active.protocol in sources:
                device = state.topology.devices[taking.table[0]]
                step = held_back(state, table, device, item, active, taking.protocol)
                if step.kind == "filtered":
                    way = f"{protocol_title(active.protocol.id)} into {_into(taking)}"
                    text = f"{device.name} does not take it from {way}: {step.text}"
                    step = replace(step, text=text)
                yield step
            elif active is not None and source in known:
                yield _not_active(taking, item, active)


def _into(taking: Taking) -> str:
    return protocol_title(taking.protocol.id)


def _taken(
    taking: Taking, item: Redistribution, injected: Injected, active: Route | None
) -> AbsenceStep:
    device = taking.table[0]
    source = protocol_title(injected.source.id)
    if not has_metric(taking.protocol, injected):
        return _without_metric(device, item, source)
    metric = f" with metric {injected.metric}" if injected.metric is not None else ""
    return AbsenceStep(
        kind="taken",
        device=device,
        text=f"{device} takes it from {source} into {_into(taking)}{metric}",
        place=item.place,
    )


def _not_active(taking: Taking, item: Redistribution, active: Route) -> AbsenceStep:
    """The source has the prefix, but another protocol's route is in use."""
    device, into = taking.table[0], _into(taking)
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


def has_metric(protocol: Protocol, item: Injected) -> bool:
    """Whether what is taken in can be announced: EIGRP has no metric for it but from interfaces."""
    return (
        protocol is not Protocol.EIGRP or item.seed is not None or item.source is Protocol.CONNECTED
    )


def held_back(
    state: State, table: int, device: Device, item: Redistribution, route: Route, into: Protocol
) -> AbsenceStep:
    """Why a redistribution that fits the source leaves this route out."""
    name, source = protocol_title(into.id), protocol_title(route.protocol.id)
    if route.prefix.prefixlen == 0 and not item.with_default:
        return AbsenceStep(
            kind="not_redistributed",
            device=device.name,
            text=f"{device.name} takes {source} into {name}, but without its default route",
            suggestion="add with-default: true",
            place=item.place,
        )
    if item.policy is not None:
        rejected = rejection(state, table, device, item.policy, route)
        if rejected is not None:
            return rejected
    if into is Protocol.EIGRP and item.seed is None:
        return _without_metric(device.name, item, source)
    return AbsenceStep(
        kind="not_redistributed",
        device=device.name,
        text=f"{device.name} takes {source} into {name}, but not this route",
        place=item.place,
    )


def _without_metric(device: str, item: Redistribution, source: str) -> AbsenceStep:
    return AbsenceStep(
        kind="redistribution_without_metric",
        device=device,
        text=f"{device} takes {source} into EIGRP without a metric",
        suggestion="add metric: {bandwidth: ..., delay: ...}",
        place=item.place,
    )


def rejection(
    state: State, table: int, device: Device, use: PolicyUse, route: Route
) -> AbsenceStep | None:
    """The statement of a policy that rejects a table's route, or its default; None: it passes."""
    interning = state.rib.interning
    policy = device.policy(use.policy)
    number = interning.prefixes.number(route.prefix)
    if policy is None or number is None:
        return None
    rows = state.rib.candidate_rows(table, number)
    if not len(rows):
        return None
    kind = interning.kinds.kinds[rows[0]["kind"]]
    trial = evaluate(device, policy, policy_route(interning, route.prefix, kind, rows[0]))
    if trial.route is not None:
        return None
    matched = next((step for step in reversed(trial.steps) if step.matched and step.result), None)
    which = f"statement {matched.statement}" if matched else "the default"
    return AbsenceStep(
        kind="filtered",
        device=device.name,
        text=f"{which} of policy {policy.name} at {device.name} rejects it",
        suggestion="accept it in the policy",
        place=trial.place,
    )
