"""Why a table lacks a route: who has it, how far it got, and what stopped it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from ipaddress import IPv4Network, IPv6Network

from routrel.convergence.converge import State
from routrel.model.addresses import Address, Prefix, is_host_prefix
from routrel.model.network import protocol_title
from routrel.protocols.evidence import AbsenceStep, Gap
from routrel.questions.candidates import candidates
from routrel.questions.gap_reasons import gap_reasons
from routrel.rib.candidates import NEVER, Protocol
from routrel.rib.table import Route

__all__ = ["Absence", "absence"]

#: Where routes come from that no protocol learned.
_OWN = (Protocol.CONNECTED, Protocol.LOCAL, Protocol.STATIC)


@dataclass(frozen=True, slots=True, kw_only=True)
class Absence:
    """The answer to "why none"."""

    device: str  #: whose table lacks it
    wanted: Prefix | Address
    prefix: Prefix | None  #: the one that is missing; None: nobody has any that would serve
    originators: tuple[str, ...]  #: devices that have it of their own
    reached: tuple[str, ...]  #: devices that hold it, from where it begins towards the asker
    between: tuple[str, str] | None  #: the last that has it and the first that does not
    chain: tuple[AbsenceStep, ...]
    reasons: tuple[AbsenceStep, ...]  #: what stopped it, the nearest cause first
    as_read: bool = False  #: whether the table is taken as it was read, so that all else is nothing


def absence(state: State, table: int, wanted: Prefix | Address) -> Absence:
    """Why a table has no route to a prefix, or no specific one for an address."""
    device, _ = state.rib.interning.tables[table]
    number, holders = _holders(state, wanted)
    read = _as_read(state, table, wanted)
    if read is not None:
        # Who else has it does not matter: the table is not computed.
        alone = _nowhere(device, wanted, (read,))
        if number is not None and holders:
            alone = replace(alone, prefix=state.rib.interning.prefixes.prefixes[number])
        return replace(alone, as_read=True)
    heard = tuple(_told_by_protocols(state, table, number))
    own = (*_own_reasons(state, table, number), *heard)
    if number is None or not holders:
        return _nobody(state, device, wanted, own)
    prefix = state.rib.interning.prefixes.prefixes[number]
    begins = [(held, route) for held, route in holders.items() if route.protocol in _OWN] or list(
        holders.items()
    )
    chain = [_origin_step(route) for _, route in begins[:3]]
    gaps = sorted(
        _gaps(state, table, set(holders)),
        key=lambda pair: (holders[pair[0]].protocol not in _OWN, holders[pair[0]].metric),
    )
    names = tuple(dict.fromkeys(state.rib.interning.tables[held][0] for held, _ in begins))

    def told(
        reached: tuple[str, ...],
        between: tuple[str, str] | None,
        reasons: tuple[AbsenceStep, ...],
    ) -> Absence:
        return Absence(
            device=device,
            wanted=wanted,
            prefix=prefix,
            originators=names,
            reached=reached,
            between=between,
            chain=tuple(chain),
            reasons=reasons,
        )

    untold = [] if gaps else list(_in_other_tables(state, table, holders))
    if untold:
        return told((), None, (*own, *untold))
    if not gaps:
        step = AbsenceStep(
            kind="not_joined",
            device=device,
            text=f"no chain of links joins {device} to a device that has it",
            suggestion="state the missing link, or bring its interfaces up",
            place=state.topology.devices[device].place,
        )
        return told((), None, (*own, step))
    found = tuple(
        dict.fromkeys(
            step
            for upstream, downstream in gaps
            for step in _kept_between(
                state,
                Gap(state.topology, state.rib, upstream, downstream, number),
                holders[upstream],
            )
        )
    )
    telling = {p for p, result in state.results.items() if result.tells_unusable}
    by_them = {route.device for route in holders.values() if route.protocol in telling}
    upstream, downstream = gaps[0]
    reached = _reached(state, upstream, prefix, holders[upstream])
    between = (state.rib.interning.tables[upstream][0], state.rib.interning.tables[downstream][0])
    if holders[upstream].protocol not in _OWN:
        chain.append(_last_step(between[0], holders[upstream]))
    # Where a protocol says what happened, that another one does not take it is no reason.
    apart = tuple(
        step
        for step in found
        if not (heard and step.kind == "not_redistributed" and step.device in by_them)
    )
    reasons = (*own, *apart) if heard else found or own
    if not reasons:  # whoever lacks it first may hear it where the asker does not
        others = dict.fromkeys(there for _, there in gaps if there != table)
        reasons = tuple(
            step
            for there in others
            for step in (
                *_own_reasons(state, there, number),
                *_told_by_protocols(state, there, number),
            )
        )
    if not reasons:
        reasons = (
            AbsenceStep(
                kind="unknown",
                device=between[1],
                text=f"what keeps it from {between[1]} is not known",
                place=state.topology.devices[between[1]].place,
            ),
        )
    return told(reached, between, reasons)


def _kept_between(state: State, gap: Gap, held: Route) -> Iterable[AbsenceStep]:
    """What keeps a route from the first table that lacks it."""
    prefix = state.rib.interning.prefixes.prefixes[gap.prefix]
    read = _as_read(state, gap.downstream, prefix)
    return (read,) if read is not None else gap_reasons(state, gap, held)


def _as_read(state: State, table: int, wanted: Prefix | Address) -> AbsenceStep | None:
    """Of a table that is taken as it was read: that nothing else is asked."""
    pinned = state.pinned.get(table)
    if pinned is None:
        return None
    device, _ = state.rib.interning.tables[table]
    if pinned.source is None:
        return AbsenceStep(
            kind="table_not_read",
            device=device,
            text=f"no table of {device} was read, so what it holds is not known",
            suggestion="take what was read only where something was (known), or add its table",
            place=state.topology.devices[device].place,
        )
    when = f" at {pinned.source.time}" if pinned.source.time else ""
    return AbsenceStep(
        kind="not_as_read",
        device=device,
        text=f"the table of {device} as it was read{when} does not hold {wanted}",
        suggestion="see under agreement how it differs from the computed one",
        place=pinned.source.place,
    )


def _told_by_protocols(state: State, table: int, number: int | None) -> Iterator[AbsenceStep]:
    """What protocols know of their own to keep a prefix from a table."""
    if number is not None:
        for result in state.results.values():
            yield from result.reasons(table, number)


def _in_other_tables(
    state: State, table: int, holders: Mapping[int, Route]
) -> Iterator[AbsenceStep]:
    """Tables of the same device that have the route and do not share it."""
    for result in state.results.values():
        yield from result.in_other_tables(state.rib, table, holders)


def _holders(state: State, wanted: Prefix | Address) -> tuple[int | None, dict[int, Route]]:
    """The prefix in question, and the tables that have an active route to it.

    For an address: the most specific prefix that anybody has, the default route apart.
    """
    prefixes = state.rib.interning.prefixes
    if isinstance(wanted, IPv4Network | IPv6Network):
        number = prefixes.number(wanted)
        numbers = [] if number is None else [number]
    else:
        numbers = [n for n in prefixes.matches(wanted) if prefixes.prefixes[n].prefixlen > 0]
    for number in numbers:
        held = {}
        for table in range(len(state.rib.interning.tables)):
            route = state.rib.active_route(table, prefixes.prefixes[number])
            if route is not None and not _only_its_own_address(route):
                held[table] = route
        if held:
            return number, held
    return (numbers[0] if numbers else None), {}


def _only_its_own_address(route: Route) -> bool:
    """A device's own address is no route that others could learn."""
    return route.protocol is Protocol.LOCAL and is_host_prefix(route.prefix)


def _own_reasons(state: State, table: int, number: int | None) -> Iterator[AbsenceStep]:
    """What the device itself has heard or been told of the prefix and cannot use."""
    if number is None:
        return
    name = state.rib.interning.tables[table]
    device = name[0]
    for candidate in candidates(state, table, number):
        result = state.results.get(candidate.protocol)
        process = result.domain.process_in(name) if result else None
        use = process.import_policy if process else None
        # What else makes a path unusable some protocols tell themselves.
        kept_out = use is not None and candidate.place == use.place
        if candidate.problem and (kept_out or not (result and result.tells_unusable)):
            yield AbsenceStep(
                kind="unusable",
                device=device,
                text=f"{device} cannot use what {protocol_title(candidate.protocol.id)} offers it: "
                f"{candidate.problem}",
                place=candidate.place,
            )
        elif candidate.lost_on is not None and candidate.distance >= NEVER:
            yield AbsenceStep(
                kind="unusable",
                device=device,
                text=f"{device} has it from {protocol_title(candidate.protocol.id)}, but with "
                f"distance {NEVER}, so it never uses it",
                suggestion=f"give it a distance below {NEVER}",
                place=candidate.place,
            )


def _nobody(
    state: State, device: str, wanted: Prefix | Address, own: tuple[AbsenceStep, ...]
) -> Absence:
    """Nobody has the prefix: perhaps because the interface that would is down."""
    reasons = [
        *own,
        *_down_interfaces(state, wanted),
        *(step for result in state.results.values() for step in result.unusable(wanted)),
    ]
    return _nowhere(device, wanted, tuple(reasons))


def _nowhere(device: str, wanted: Prefix | Address, reasons: tuple[AbsenceStep, ...]) -> Absence:
    """An absence that no chain of devices explains."""
    return Absence(
        device=device,
        wanted=wanted,
        prefix=wanted if isinstance(wanted, IPv4Network | IPv6Network) else None,
        originators=(),
        reached=(),
        between=None,
        chain=(),
        reasons=reasons,
    )


def _down_interfaces(state: State, wanted: Prefix | Address) -> Iterator[AbsenceStep]:
    for device in state.network.devices:
        for interface in device.interfaces:
            networks = [address.network for address in interface.addresses]
            serves = any(network == wanted or _holds(network, wanted) for network in networks)
            down = state.topology.why_down(device.name, interface.name)
            if not serves or down is None:
                continue
            own = (down.end.key, down.failed) == ((device.name, interface.name), "")
            yield AbsenceStep(
                kind="failed" if down.failed else "interface_down",
                device=down.end.device.name,
                text=f"{device.name}:{interface.name} would have it, but is down"
                + ("" if own else f": {down}"),
                suggestion=down.advice,
                place=down.end.interface.place,
            )


def _holds(network: Prefix, wanted: Prefix | Address) -> bool:
    if isinstance(wanted, IPv4Network | IPv6Network):
        return False
    return network.prefixlen > 0 and wanted in network


def _origin_step(route: Route) -> AbsenceStep:
    how = {
        Protocol.CONNECTED: "is connected to it",
        Protocol.STATIC: "has a static route to it",
    }.get(route.protocol, f"has it from {protocol_title(route.protocol.id)}")
    return AbsenceStep(
        kind="origin", device=route.device, text=f"{route.device} {how}", place=route.place
    )


def _last_step(device: str, route: Route) -> AbsenceStep:
    return AbsenceStep(
        kind="last_holder",
        device=device,
        text=f"{device} is the last on the way that has it, by {protocol_title(route.protocol.id)}",
        place=route.place,
    )


def _gaps(state: State, table: int, holders: set[int]) -> list[tuple[int, int]]:
    """The nearest tables that have the route, each with the next one towards the asker.

    Links that are down count: perhaps they are what is missing.
    """
    interning = state.rib.interning
    here = [table]
    seen = {table}
    while here:
        found: list[tuple[int, int]] = []
        following: list[int] = []
        for current in here:
            for there in _joined_tables(state, current):
                if there in holders:
                    found.append((there, current))
                forwards = state.topology.devices[interning.tables[there][0]].role.forwards
                if there not in seen and forwards:
                    seen.add(there)
                    following.append(there)
        if found:
            return list(dict.fromkeys(found))
        here = following
    return []


def _joined_tables(state: State, table: int) -> Iterator[int]:
    interning = state.rib.interning
    device, vrf = interning.tables[table]
    for interface in state.topology.devices[device].interfaces:
        segment = state.topology.segment_of.get((device, interface.name))
        for end in segment.ends if segment and interface.vrf == vrf else ():
            there = interning.table_numbers[end.device.name, end.interface.vrf]
            if there != table:
                yield there


def _reached(state: State, holder: int, prefix: Prefix, route: Route) -> tuple[str, ...]:
    """The devices from where the route begins to the holder, along its first next hops."""
    interning = state.rib.interning
    names: list[str] = []
    seen = set()
    here = holder
    while here not in seen:
        seen.add(here)
        device, _ = interning.tables[here]
        names.append(device)
        held = state.rib.active_route(here, prefix)
        if held is None or held.protocol in _OWN or not held.next_hops:
            break
        hop = held.next_hops[0]
        if hop.interface is None or hop.address is None:
            break
        following = state.topology.answering(device, hop.interface, hop.address)
        if following is None:
            break
        here = interning.table_numbers[following.device.name, following.interface.vrf]
    return tuple(reversed(names))
