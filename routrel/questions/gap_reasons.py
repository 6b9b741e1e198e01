"""What keeps a route from crossing a gap between a table and its neighbour downstream."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.convergence.converge import State
from routrel.model.network import protocol_title
from routrel.policy.redistribute import PROTOCOL_OF
from routrel.protocols.contract import InterfaceSettings, Result
from routrel.protocols.evidence import AbsenceStep, Gap
from routrel.questions.redistributing import held_back
from routrel.rib.candidates import Protocol
from routrel.rib.table import Route
from routrel.topology.segments import Attachment, Down

__all__ = ["gap_reasons"]

_Links = list[tuple[Attachment, Attachment]]


def gap_reasons(state: State, gap: Gap, route: Route) -> list[AbsenceStep]:
    """What stops the upstream route at this gap; the likeliest cause first.

    Args:
        route: The upstream table's active route.
    """
    found: list[AbsenceStep] = list(_announces_itself(state, gap))
    links = list(gap.links)
    up = [pair for pair in links if gap.is_up(pair)]
    if not up:
        return [*found, *_links_down(gap, links)]
    lost = list(_frames_lost(gap, up))
    if lost:
        return [*found, *lost]
    results = list(state.results.values())
    common = [result for result in results if _runs_at_both(result, gap)]
    for result in common:
        found.extend(_of_protocol(state, gap, up, result, route))
    joined = [result for result in results if result.joins(gap)]
    for result in joined:
        found.extend(result.into(gap, route))
    if not common and not joined:
        found.append(
            AbsenceStep(
                kind="no_common_protocol",
                device=gap.there.name,
                text=f"{gap.here.name} and {gap.there.name} speak no routing protocol "
                f"in common, and {gap.there.name} has no static route to {gap.prefix_text}",
                suggestion="add a static route, or let both speak one protocol",
                place=gap.there.place,
            )
        )
    # A protocol that is simply not there explains nothing where another one says what happened.
    told = [obstacle for obstacle in found if obstacle.kind != "not_running"]
    return told or found or [step for result in results for step in result.originates(gap)]


def _links_down(gap: Gap, links: _Links) -> Iterator[AbsenceStep]:
    for pair in links:
        downs = (gap.topology.why_down(*end.key) for end in pair)
        down = next((found for found in downs if found), Down(pair[0]))
        yield AbsenceStep(
            kind="failed" if down.failed else "interface_down",
            device=down.end.device.name,
            text=f"{down}, so the link between {pair[0]} and {pair[1]} is down",
            suggestion=down.advice,
            place=down.end.interface.place,
        )


def _frames_lost(gap: Gap, links: _Links) -> Iterator[AbsenceStep]:
    """Directions that have failed, where no link is left that carries frames both ways."""
    failed = gap.topology.failed.directions
    found = [[end for end in pair if end.key in failed] for pair in links]
    for end in [ends[0] for ends in found] if all(found) else ():
        yield AbsenceStep(
            kind="failed",
            device=end.device.name,
            text=f"{failed[end.key]} has failed in this lens: what {end} sends is lost",
            suggestion="",
            place=end.interface.place,
        )


def _announces_itself(state: State, gap: Gap) -> Iterator[AbsenceStep]:
    """A router that originates a default without having one does not believe its echo."""
    name = gap.interning.tables[gap.downstream]
    for protocol, result in state.results.items():
        process = result.domain.process_in(name)
        for item in result.inputs.injected.get(process.index, ()) if process else ():
            if item.prefix == gap.prefix:
                yield AbsenceStep(
                    kind="announces_itself",
                    device=gap.there.name,
                    text=f"{gap.there.name} announces it into {protocol_title(protocol.id)} "
                    "itself, so it takes nobody else's",
                    suggestion="give it a route of its own to announce",
                    place=item.place,
                )


def _runs_at_both(result: Result, gap: Gap) -> bool:
    """Whether both ends run a protocol of links that carries the prefix."""
    domain = result.domain
    return (
        domain.runs_on_links
        and gap.version in domain.versions
        and domain.instance_in(gap.here_vrf) is not None
        and domain.instance_in(gap.there_vrf) is not None
    )


def _of_protocol(
    state: State, gap: Gap, links: _Links, result: Result, route: Route
) -> Iterator[AbsenceStep]:
    """Why a protocol that both speak does not carry the route over."""
    for device, vrf in ((gap.here, gap.here_vrf), (gap.there, gap.there_vrf)):
        instance = result.domain.instance_in(vrf)
        if result.domain.process_in((device.name, vrf.name)) is None and instance is not None:
            name = protocol_title(result.domain.protocol.id)
            yield AbsenceStep(
                kind="not_running",
                device=device.name,
                text=f"{name} of {device.name} does not run",
                suggestion="see the findings about it",
                place=instance.place,
            )
            return
    apart = list(_apart(gap, links, result))
    joined = len(apart) < len(links)
    if not joined:
        yield from apart
        return
    if not _is_in(gap, result, route):
        yield from _not_taken(state, gap, result, route)
        return
    yield from result.inside(gap, route)
    yield from apart


def _apart(gap: Gap, links: _Links, result: Result) -> Iterator[AbsenceStep]:
    """For each link on which the two do not hear each other, why."""
    protocol = result.domain.protocol
    for here, there in links:
        silent = next((end for end in (here, there) if _is_silent(result, end)), None)
        # Some listen on a passive interface; then only the upstream end's silence counts.
        if silent == there and result.listens(gap, there) and _settings(result, there):
            silent = None
        if silent is not None:
            settings = _settings(result, silent)
            name = protocol_title(protocol.id)
            yield AbsenceStep(
                kind="not_running" if settings is None else "passive",
                device=silent.device.name,
                text=f"{silent} does not run {name}"
                if settings is None
                else f"{silent} is passive in {name}",
                suggestion=f"add {protocol.id}: to the interface"
                if settings is None
                else "let it speak",
                place=silent.interface.place if settings is None else settings.place,
            )
            continue
        yield from result.hears(gap, here, there)


def _settings(result: Result, end: Attachment) -> InterfaceSettings | None:
    return result.domain.settings_of(end.interface)


def _is_silent(result: Result, end: Attachment) -> bool:
    settings = _settings(result, end)
    return settings is None or settings.passive


# --- into the protocol ---------------------------------------------------------------------------


def _is_in(gap: Gap, result: Result, route: Route) -> bool:
    """Whether upstream has the route in a protocol: learned, taken in, or its own network."""
    if route.protocol is result.domain.protocol:
        return True
    process = result.domain.process_in(gap.interning.tables[gap.upstream])
    injected = result.inputs.injected.get(process.index, ()) if process else ()
    if any(item.prefix == gap.prefix and result.can_announce(item) for item in injected):
        return True
    own = {i.name for i in gap.here.interfaces if result.domain.settings_of(i) is not None}
    return route.protocol is Protocol.CONNECTED and any(
        hop.interface in own for hop in route.next_hops
    )


def _not_taken(state: State, gap: Gap, result: Result, route: Route) -> Iterator[AbsenceStep]:
    """Upstream has the route from elsewhere and does not announce it into the protocol."""
    protocol = result.domain.protocol
    name, source = protocol_title(protocol.id), protocol_title(route.protocol.id)
    upstream = gap.here.name
    instance = result.domain.instance_in(gap.here_vrf)
    if instance is None:
        return
    if _hears(gap, protocol):
        yield AbsenceStep(
            kind="not_active",
            device=upstream,
            text=f"{upstream} hears it in {name} too, but its {source} route wins (distance "
            f"{route.distance}), and {name} passes on only what is active",
            suggestion=f"take {source} into {name}, or give one of the two another distance",
            place=instance.place,
        )
    items = [
        item
        for item in instance.redistribute
        if PROTOCOL_OF[item.source] is route.protocol
        or (item.with_connected and route.protocol is Protocol.CONNECTED)
    ]
    for item in items:
        yield held_back(state, gap.upstream, gap.here, item, route, result)
    if not items:
        yield AbsenceStep(
            kind="not_redistributed",
            device=upstream,
            text=f"{upstream} has it from {source} and does not take {source} into {name}",
            suggestion=f"add redistribute: [{{from: {route.protocol.id}}}] under {protocol.id}:",
            place=instance.place,
        )


def _hears(gap: Gap, protocol: Protocol) -> bool:
    kinds = gap.interning.kinds.kinds
    rows = gap.rib.candidate_rows(gap.upstream, gap.prefix)
    return any(kinds[row["kind"]].protocol is protocol for row in rows)
