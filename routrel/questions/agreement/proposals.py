"""Edits of the files that may make computed tables be what was read.

Each difference proposes what would explain it; what several propose alike is one proposal. Whether
it helps, only trying it tells.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping

from routrel.convergence.converge import State
from routrel.convergence.pinned import protocol_of
from routrel.files.patching import flow_style, path_at, quoted
from routrel.lens.file_edits import LAST, Insert, Patch, Remove, SetKey
from routrel.model.addresses import Address, Prefix
from routrel.model.network import Device, Vrf
from routrel.model.observed import Drops, ObservedHop, ObservedRoute, ObservedTable
from routrel.questions.agreement.compare import Difference, DifferenceKind
from routrel.questions.agreement.reasons import Agreement, Reason, ReasonedTable, ReasonKind
from routrel.questions.edits import vrf_path
from routrel.questions.remedies.missing_routes import enable, missing_route_proposals
from routrel.questions.remedies.proposals import Proposal, of_device
from routrel.rib.candidates import Protocol
from routrel.rib.table import Route

__all__ = ["agreement_proposals"]

#: Protocols whose metric adds up a number of each interface: where it stands, and the largest.
_COSTS = {
    Protocol.OSPF: ("ospf", "cost", 65_535), Protocol.OSPFV3: ("ospfv3", "cost", 65_535),
    Protocol.ISIS: ("isis", "metric", 16_777_214),
    Protocol.RIP: ("rip", "cost", 15), Protocol.RIPNG: ("ripng", "cost", 15),
}  # fmt: skip
#: How far along the way a cost that is another one is looked for.
_FARTHEST = 16
#: Differences for which the model is asked what keeps the route out.
_MOST_ASKED = 20
_DROPS = {
    Drops.DISCARD: ("discard", "true"), Drops.PASS_ON: ("pass-on", "true"),
    Drops.UNREACHABLE: ("reject", "unreachable"), Drops.PROHIBITED: ("reject", "prohibited"),
}  # fmt: skip


def agreement_proposals(state: State, texts: Mapping[str, str], found: Agreement) -> list[Proposal]:
    """What would explain the differences; what most of them propose comes first.

    Args:
        texts: The files that the state's network was read from.
        found: How its tables agree, with the reasons.
    """
    made: dict[object, tuple[int, Proposal]] = {}
    proposing = _Proposing(state, texts)
    for table in found.tables:
        for weight, proposal in proposing.of_table(table):
            votes, first = made.get(proposal.changes, (0, proposal))
            made[proposal.changes] = votes + weight, first
    ordered = sorted(made.values(), key=lambda pair: (-pair[0], len(pair[1].changes)))
    return [proposal for _, proposal in ordered]


class _Proposing:
    """Proposals, each with how many differences it would explain."""

    def __init__(self, state: State, texts: Mapping[str, str]) -> None:
        self.state, self.texts = state, texts
        self.asked = 0
        self.costs = {
            (protocol, cost.key): cost.cost
            for protocol, result in state.results.items()
            for cost in result.costs()
        }

    def of_table(self, found: ReasonedTable) -> Iterator[tuple[int, Proposal]]:
        table = found.agreement.table
        device = self.state.topology.devices[table.device]
        vrf = device.vrf(table.vrf)
        if vrf is None:
            return
        pairs = list(zip(found.agreement.differences, found.reasons, strict=True))
        yield from self._lost(device, pairs)
        differences = [difference for difference, _ in pairs]
        yield from _statics(device, vrf, differences, self.texts)
        yield from self._silent(device, table, differences)
        yield from self._heard(device, differences)
        for difference, reason in pairs:
            for proposal in self._costed(table, difference):
                yield 1, proposal
            if reason.kind is ReasonKind.MODEL and self.asked < _MOST_ASKED:
                self.asked += 1
                number = self.state.rib.interning.table_numbers[table.device, table.vrf]
                for proposal in missing_route_proposals(
                    self.state, self.texts, number, difference.prefix
                ):
                    yield 1, proposal

    def _lost(
        self, device: Device, pairs: list[tuple[Difference, Reason]]
    ) -> Iterator[tuple[int, Proposal]]:
        """An interface by which nothing goes hears nobody."""
        down = (reason for _, reason in pairs if reason.kind is ReasonKind.INTERFACE_DOWN)
        counts = Counter(reason.about for reason in down)
        for name, count in counts.items():
            patch = SetKey(("interfaces", name), "carrier", "false")
            yield count, of_device(device, f"{name} has no carrier", patch)

    def _silent(
        self, device: Device, table: ObservedTable, differences: list[Difference]
    ) -> Iterator[tuple[int, Proposal]]:
        """A protocol by which nothing was read over an interface forms no adjacency there."""
        used = {
            (protocol_of(route.protocol), hop.interface)
            for route in table.routes
            for hop in route.hops
            if route.active
        }
        mine = (one.computed for one in differences if one.computed)
        counts = Counter(
            (route.protocol, hop.interface)
            for route in mine
            for hop in route.next_hops
            if hop.interface and route.protocol in _COSTS
        )
        for (protocol, name), count in counts.items():
            interface = device.interface(name)
            key = _COSTS[protocol][0]
            settings = getattr(interface, key, None)
            if (protocol, name) in used or settings is None or settings.passive:
                continue
            text = f"{key} passive on {name}"
            yield (
                count,
                of_device(device, text, SetKey(("interfaces", name, key), "passive", "true")),
            )

    def _heard(
        self, device: Device, differences: list[Difference]
    ) -> Iterator[tuple[int, Proposal]]:
        """A protocol by which something was read over an interface forms an adjacency there."""
        read = (one.observed for one in differences if one.observed)
        counts = Counter(
            (protocol, hop.interface)
            for route in read
            for hop in route.hops
            if hop.interface and (protocol := protocol_of(route.protocol)) in _COSTS
        )
        for (protocol, name), count in counts.items():
            key = _COSTS[protocol][0]
            ends = self.state.topology.neighbours(device.name, name)
            own = device.interface(name)
            for at, interface in ((device, own), *((e.device, e.interface) for e in ends)):
                if interface is None:
                    continue
                path = ("interfaces", interface.name)
                settings = getattr(interface, key)
                if settings is not None and settings.passive:
                    text = f"{key} not passive on {interface.name}"
                    yield count, of_device(at, text, Remove((*path, key, "passive")))
                if not interface.enabled:
                    yield count, enable(at, interface)
                if not interface.carrier:
                    text = f"{interface.name} has a carrier"
                    yield count, of_device(at, text, Remove((*path, "carrier")))

    # --- costs -------------------------------------------------------------------------------

    def _costed(self, table: ObservedTable, one: Difference) -> Iterator[Proposal]:
        """Another cost of an interface on the way, from the metric that was read."""
        observed, computed = one.observed, one.computed
        if observed is None or observed.metric is None:
            return
        protocol = protocol_of(observed.protocol)
        if protocol not in _COSTS:
            return
        if one.kind is DifferenceKind.METRIC and computed is not None:
            yield from self._along(table, one.prefix, protocol, observed.metric - computed.metric)
            return
        for hop in observed.hops:
            yield from self._nearest(table, one.prefix, protocol, hop, observed.metric)
        if computed is not None and computed.protocol is protocol:
            more = observed.metric - computed.metric + 1
            if more > 0:
                yield from self._along(table, one.prefix, protocol, more)

    def _along(
        self, table: ObservedTable, prefix: Prefix, protocol: Protocol, delta: int
    ) -> Iterator[Proposal]:
        """Each interface of the computed way may count that much more, or less."""
        at = table.device, table.vrf
        for _ in range(_FARTHEST):
            held = self._held(at, prefix)
            if held is None or held.protocol is not protocol:
                return
            hop = held.next_hops[0]
            if hop.interface is None:
                return
            device = self.state.topology.devices[at[0]]
            cost = self._cost(device, hop.interface, protocol)
            if cost is not None:
                yield from self._set(device, hop.interface, protocol, cost + delta)
            onward = self._owner(at[0], hop.interface, hop.address)
            if onward is None:
                return
            at = onward

    def _nearest(
        self,
        table: ObservedTable,
        prefix: Prefix,
        protocol: Protocol,
        hop: ObservedHop,
        metric: int,
    ) -> Iterator[Proposal]:
        """The way that was read has its metric if its interface counts what its next hop lacks."""
        if hop.interface is None:
            return
        onward = self._owner(table.device, hop.interface, hop.address)
        theirs = self._counted(onward, prefix, protocol) if onward else None
        if theirs is not None:
            device = self.state.topology.devices[table.device]
            yield from self._set(device, hop.interface, protocol, metric - theirs)

    def _counted(self, at: tuple[str, str], prefix: Prefix, protocol: Protocol) -> int | None:
        """What a table counts to a prefix; to its own subnets, what their interface counts."""
        held = self._held(at, prefix)
        if held is None:
            return None
        if held.protocol is protocol:
            return held.metric
        interface = held.next_hops[0].interface
        if held.protocol is not Protocol.CONNECTED or interface is None:
            return None
        return self._cost(self.state.topology.devices[at[0]], interface, protocol)

    def _held(self, at: tuple[str, str], prefix: Prefix) -> Route | None:
        number = self.state.rib.interning.table_numbers.get(at)
        return None if number is None else self.state.rib.active_route(number, prefix)

    def _owner(
        self, device: str, interface: str, address: Address | None
    ) -> tuple[str, str] | None:
        """The table of whoever has an address at the other end of an interface."""
        if address is None:
            return None
        end = self.state.topology.answering(device, interface, address)
        return (end.device.name, end.interface.vrf) if end else None

    def _cost(self, device: Device, name: str, protocol: Protocol) -> int | None:
        known = self.costs.get((protocol, (device.name, name)))
        if known is not None:
            return known
        key, attribute, _ = _COSTS[protocol]
        settings = getattr(device.interface(name), key, None)
        value = getattr(settings, attribute, None)
        return value if isinstance(value, int) else None

    def _set(self, device: Device, name: str, protocol: Protocol, value: int) -> Iterator[Proposal]:
        key, attribute, largest = _COSTS[protocol]
        interface = device.interface(name)
        if interface is None or getattr(interface, key) is None or not 1 <= value <= largest:
            return
        if value == self._cost(device, name, protocol):
            return
        patch = SetKey(("interfaces", name, key), attribute, str(value))
        yield of_device(device, f"{key} {attribute} {value} on {name}", patch)


# --- static routes -------------------------------------------------------------------------------


def _statics(
    device: Device, vrf: Vrf, differences: list[Difference], texts: Mapping[str, str]
) -> Iterator[tuple[int, Proposal]]:
    """Static routes that were read are written, and those that were not are taken out.

    Those with the same ways come or go together.
    """
    wanted: dict[object, list[ObservedRoute]] = defaultdict(list)
    gone: dict[object, list[Route]] = defaultdict(list)
    for one in differences:
        read, mine = one.observed, one.computed
        is_mine = mine is not None and mine.protocol is Protocol.STATIC
        is_read = read is not None and protocol_of(read.protocol) is Protocol.STATIC
        if mine is not None and is_mine and not (is_read and one.kind is DifferenceKind.METRIC):
            gone[(mine.next_hops, is_read and read and read.hops)].append(mine)
        if read is not None and is_read and not is_mine:
            wanted[(read.hops, read.drops)].append(read)
        elif read is not None and is_read and mine is not None:
            changes = (
                *_taken_out(device, vrf, {mine.prefix}, texts),
                *_written(device, vrf, read),
            )
            text = f"the static route to {read.prefix} as it was read"
            yield 1, of_device(device, text, *changes)
    for routes in wanted.values():
        patches = [patch for route in routes for patch in _written(device, vrf, route)]
        text = f"{_to([route.prefix for route in routes])}, as read"
        yield len(routes), of_device(device, text, *patches)
    for mine_gone in gone.values():
        prefixes = {route.prefix for route in mine_gone}
        taken = list(_taken_out(device, vrf, prefixes, texts))
        if taken:
            text = f"without the {_to([route.prefix for route in mine_gone])}"
            yield len(mine_gone), of_device(device, text, *taken)


def _to(prefixes: list[Prefix]) -> str:
    if len(prefixes) == 1:
        return f"static route to {prefixes[0]}"
    return f"static routes to {prefixes[0]} and {len(prefixes) - 1} more"


def _written(device: Device, vrf: Vrf, route: ObservedRoute) -> Iterator[Patch]:
    """A static route for each way that was read."""
    path = (*vrf_path(vrf.name), "static")
    if route.drops is not None:
        key, value = _DROPS[route.drops]
        yield Insert(path, LAST, flow_style({"to": quoted(route.prefix), key: value}))
    for hop in route.hops:
        values: dict[str, object] = {"to": quoted(route.prefix)}
        if hop.address is not None:
            values["via"] = quoted(hop.address)
        if hop.interface is not None and not _is_near(device, hop):
            values["interface"] = hop.interface
        if hop.weight != 1:
            values["weight"] = hop.weight
        if route.distance not in (None, 1):
            values["distance"] = route.distance
        yield Insert(path, LAST, flow_style(values))


def _is_near(device: Device, hop: ObservedHop) -> bool:
    """Whether the address of a way tells its interface."""
    interface = device.interface(hop.interface or "")
    return (
        hop.address is not None
        and interface is not None
        and not hop.address.is_link_local
        and any(hop.address in own.network for own in interface.addresses)
    )


def _taken_out(
    device: Device, vrf: Vrf, prefixes: set[Prefix], texts: Mapping[str, str]
) -> Iterator[Patch]:
    """The entries to some prefixes, the last first, so that each stands where it did."""
    text = texts[device.place.file]
    for route in reversed(vrf.static):
        if route.to in prefixes and route.place.line:
            yield Remove(path_at(text, route.place.line, route.place.column))
