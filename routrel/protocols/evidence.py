"""What a protocol says when asked why: candidate paths, and what keeps a route from a table."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Protocol, TypeVar

from routrel.model.network import Device, Interface, Vrf
from routrel.model.place import NOWHERE, Place
from routrel.model.policy import PolicyUse
from routrel.policy.evaluate import evaluate
from routrel.policy.redistribute import policy_route
from routrel.rib.candidates import NextHop, PathType
from routrel.rib.candidates import Protocol as RouteProtocol
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Attachment, Topology

__all__ = [
    "AbsenceStep",
    "CandidatePath",
    "Gap",
    "cost_of_only_way",
    "heard_on",
    "of_row",
    "rejected_by",
    "rejection",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidatePath:
    """One way to a prefix that competes for a table."""

    protocol: RouteProtocol
    next_hops: tuple[NextHop, ...]
    distance: int
    metric: int
    path_type: PathType = PathType.NONE
    tag: int = 0
    discard: bool = False
    advertiser: str | None = None  #: the device that announces it
    lost_on: str | None = None  #: the decision step where it lost; None: it is in use
    problem: str = ""  #: why it is not usable
    #: Whether it lost in its protocol's own decision, which counts whatever the table holds.
    decided: bool = False
    place: Place = NOWHERE
    also: tuple[Place, ...] = ()  #: the lines by which the device hears it
    values: dict[str, Any] = field(default_factory=dict)  #: what only its protocol knows


@dataclass(frozen=True, slots=True, kw_only=True)
class AbsenceStep:
    """One link of the chain from who has a route to what stopped it, with its evidence."""

    kind: str  #: stable identifier
    device: str
    text: str
    suggestion: str = ""
    place: Place = NOWHERE


class Gap:
    """A table that has a route, its neighbour downstream that lacks it, and the links between.

    Args:
        upstream: The table that has it.
        downstream: The table that lacks it.
        prefix: The number of its prefix.
    """

    def __init__(
        self, topology: Topology, rib: Rib, upstream: int, downstream: int, prefix: int
    ) -> None:
        self.topology, self.rib, self.interning = topology, rib, rib.interning
        self.upstream, self.downstream, self.prefix = upstream, downstream, prefix
        self.version = self.interning.prefixes.prefixes[prefix].version
        self.here, self.here_vrf = self._named(upstream)
        self.there, self.there_vrf = self._named(downstream)

    def _named(self, table: int) -> tuple[Device, Vrf]:
        name, vrf_name = self.interning.tables[table]
        device = self.topology.devices[name]
        vrf = device.vrf(vrf_name)
        if vrf is None:
            raise ValueError(f"{name} has no VRF {vrf_name}")
        return device, vrf

    @property
    def links(self) -> Iterator[tuple[Attachment, Attachment]]:
        """The pairs of interfaces that join the two, whether up or down."""
        for interface in self.here.interfaces:
            segment = self.topology.segment_of.get((self.here.name, interface.name))
            if segment is None or interface.vrf != self.here_vrf.name:
                continue
            for end in segment.ends:
                if end.device.name == self.there.name and end.interface.vrf == self.there_vrf.name:
                    yield Attachment(self.here, interface), end

    def is_up(self, pair: tuple[Attachment, Attachment]) -> bool:
        return all(self.topology.is_up(*end.key) for end in pair)

    @property
    def prefix_text(self) -> str:
        """The prefix as people write it."""
        return str(self.interning.prefixes.prefixes[self.prefix])

    def rejected_upstream(self, device: Device, use: PolicyUse, route: Route) -> AbsenceStep | None:
        """The statement by which a policy rejects the upstream table's route; None: it passes."""
        return rejection(self.rib, self.upstream, device, use, route)


def rejection(
    rib: Rib, table: int, device: Device, use: PolicyUse, route: Route
) -> AbsenceStep | None:
    """The statement of a policy that rejects a table's route, or its default; None: it passes."""
    interning = rib.interning
    policy = device.policy(use.policy)
    number = interning.prefixes.number(route.prefix)
    if policy is None or number is None:
        return None
    rows = rib.candidate_rows(table, number)
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


# --- candidate paths -----------------------------------------------------------------------------


def of_row(route: Route) -> CandidatePath:
    """The candidate path of which the table knows everything."""
    return CandidatePath(
        protocol=route.protocol,
        next_hops=() if route.discard else route.next_hops,
        distance=route.distance,
        metric=route.metric,
        path_type=route.path_type,
        tag=route.tag,
        discard=route.discard,
        place=route.place,
    )


def rejected_by(path: CandidatePath, device: Device, use: PolicyUse) -> CandidatePath:
    """The candidate path that a policy keeps from the table."""
    return replace(
        path, problem=f"policy {use.policy} of {device.name} rejects it", place=use.place
    )


class _Settings(Protocol):
    @property
    def place(self) -> Place: ...


class _Port(Protocol):
    @property
    def interface(self) -> Interface: ...
    @property
    def settings(self) -> _Settings: ...


SomePort = TypeVar("SomePort", bound=_Port)


def heard_on(ports: Sequence[_Port], hops: Sequence[NextHop]) -> tuple[Place, ...]:
    """The lines by which a device speaks with its next hops."""
    names = {hop.interface for hop in hops}
    found = (port.settings.place for port in ports if port.interface.name in names)
    return tuple(dict.fromkeys(found))


def cost_of_only_way(
    hops: Sequence[NextHop], ports: Sequence[SomePort], cost: Callable[[SomePort], int]
) -> int | None:
    """What the only way out of a path costs; None where there are several."""
    names = {hop.interface for hop in hops}
    found = [cost(port) for port in ports if port.interface.name in names]
    return found[0] if len(found) == 1 else None
