"""From a network to its tables: every protocol, then selection, until nothing changes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from routrel.convergence.findings import routing_findings, written_findings
from routrel.convergence.fixpoint import differences, settle
from routrel.convergence.memory import Memory
from routrel.convergence.pinned import Pinned, unusable_findings
from routrel.convergence.protocols import Look, Protocols
from routrel.forwarding.header_sets import may_carry_tcp, newly_permitted
from routrel.model.addresses import Address, Prefix, prefix_order
from routrel.model.failures import NOTHING_FAILED, Failures
from routrel.model.findings import Finding, Severity, finding_order
from routrel.model.network import Network
from routrel.model.place import Place
from routrel.protocols.bgp.sessions import BGP_PORT, EPHEMERAL_PORT
from routrel.protocols.contract import Results
from routrel.rib.candidates import Interning, Table
from routrel.rib.table import Rib
from routrel.topology.findings import topology_findings
from routrel.topology.occurred import with_events
from routrel.topology.segments import Topology, build_topology

__all__ = [
    "OtherOutcome",
    "State",
    "UncertainRoute",
    "converge",
    "reconverge",
    "with_own_places",
    "with_same_tables",
]


@dataclass(frozen=True, slots=True, order=True)
class UncertainRoute:
    """A prefix of a table whose route oscillates or depends on the order."""

    device: str
    vrf: str
    prefix: Prefix


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherOutcome:
    """Tables in which routing might have come to rest as well."""

    look: Look
    first: tuple[Table, ...]  #: the tables that settled before others, where that was tried

    @property
    def rib(self) -> Rib:
        return self.look.rib


@dataclass(frozen=True, kw_only=True)
class State:
    """A converged network: a value that answers every question about it."""

    network: Network
    topology: Topology
    look: Look
    oscillating: tuple[UncertainRoute, ...]  #: routes that never come to rest
    order_dependent: tuple[UncertainRoute, ...]  #: routes that depend on which router came first
    others: tuple[OtherOutcome, ...] = ()  #: further outcomes, as stable as the one shown
    #: By number: the tables that were read from devices, in place of computed ones.
    pinned: Mapping[int, Pinned] = field(default_factory=dict, repr=False)
    searched: bool = True  #: whether the search for other outcomes was made to its end
    #: What its computation leaves for that of much the same network.
    memory: Memory = field(default_factory=Memory, repr=False, compare=False)

    @property
    def rib(self) -> Rib:
        """The tables that are shown."""
        return self.look.rib

    @property
    def results(self) -> Results:
        """What every protocol made of these tables."""
        return self.look.results

    @property
    def others_alone(self) -> tuple[State, ...]:
        """It as it may rest besides: each other outcome as a state with no other."""
        return tuple(replace(self, look=other.look, others=()) for other in self.others)

    @property
    def converged(self) -> bool:
        """Whether routing has a stable answer."""
        return not self.oscillating

    def is_oscillating(self, device: str, vrf: str, address: Address) -> bool:
        """Whether what a table does with an address never comes to rest."""
        return any(
            (route.device, route.vrf) == (device, vrf) and address in route.prefix
            for route in self.oscillating
        )

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """Everything suspicious about the model, errors first."""
        found = topology_findings(self.topology)
        found.extend(routing_findings(self.network, self.look))
        found.extend(self.memory.written(self.network, lambda: written_findings(self.network)))
        found.extend(self._uncertain_findings())
        found.extend(unusable_findings(self.pinned))
        return tuple(sorted(found, key=finding_order))

    def _uncertain_findings(self) -> Iterator[Finding]:
        """One finding for all that never rests, one for each way to rest otherwise."""
        if self.oscillating:
            yield self._uncertain_finding(
                self.oscillating,
                [(route.device, route.vrf) for route in self.oscillating],
                Severity.ERROR,
                "not_converged",
                "never comes to rest",
                "follow the redistribution between its devices; reject or tag what comes back",
            )
        told: set[object] = set()
        for other in self.others:
            pairs = differences([self.rib, other.rib])
            routes = _uncertain(self.rib.interning, pairs)
            first = other.first or tuple((route.device, route.vrf) for route in routes)
            if frozenset(pairs) in told:
                continue
            told.add(frozenset(pairs))
            by = f" ({_listed(sorted({table[0] for table in other.first}))})" * bool(other.first)
            yield self._uncertain_finding(
                routes,
                first,
                Severity.WARNING,
                "order_dependent",
                f"depends on which device settles first{by}; one of the outcomes is shown",
                "give the routes different distances or metrics, so that one outcome is left",
            )
        if self.order_dependent and not self.others:
            yield self._uncertain_finding(
                self.order_dependent,
                [(route.device, route.vrf) for route in self.order_dependent],
                Severity.WARNING,
                "order_dependent",
                "may depend on which device settles first; the search for other outcomes was "
                "not made to its end",
                "give the routes different distances or metrics, so that one outcome is left",
            )

    def _uncertain_finding(
        self,
        routes: Sequence[UncertainRoute],
        deciding: Sequence[Table],
        severity: Severity,
        code: str,
        text: str,
        suggestion: str,
    ) -> Finding:
        """A finding at the lines of those who decide."""
        devices = list(dict.fromkeys(route.device for route in routes))
        prefixes = list(dict.fromkeys(route.prefix for route in routes))
        places: dict[Place, str] = {}
        for table in dict.fromkeys(deciding):
            for place in self.look.deciding_places(table, prefixes):
                places.setdefault(place, table[0])
        if not places:
            device = self.topology.devices[deciding[0][0] if deciding else devices[0]]
            places[device.place] = device.name
        place = next(iter(places))
        return Finding(
            severity=severity,
            code=code,
            text=f"the route to {_listed([str(p) for p in prefixes])} at {_listed(devices)} {text}",
            suggestion=suggestion,
            place=place,
            device=places[place],
            also=tuple(places)[1:],
        )


def _listed(names: list[str]) -> str:
    shown = ", ".join(names[:5])
    return shown if len(names) <= 5 else f"{shown} and {len(names) - 5} more"


def converge(
    network: Network,
    since: State | None = None,
    *,
    failures: Failures = NOTHING_FAILED,
    search: bool = True,
) -> State:
    """Compute the tables of every device.

    Args:
        failures: What carries nothing, and what events say; the rest converges without it.
        since: The state of much the same network. What has not changed is taken from it; the
            result is the same as without.
        search: False leaves out the search for other outcomes than the one that is shown, which is
            the same either way. Such a state is good for a trial, not for an answer.
    """
    network = with_events(network, failures.events)
    topology = build_topology(network, failures)
    protocols = _protocols(topology, since)
    interning = protocols.interning
    settled = settle(protocols, search=search)
    return State(
        network=network,
        topology=topology,
        look=settled.outcomes[0].look,
        oscillating=_uncertain(interning, settled.oscillating),
        order_dependent=_uncertain(interning, settled.order_dependent),
        others=tuple(
            OtherOutcome(
                look=outcome.look, first=tuple(interning.tables[table] for table in outcome.first)
            )
            for outcome in settled.outcomes[1:]
        ),
        searched=settled.complete,
        pinned=protocols.pinned,
        memory=protocols.memory,
    )


def _protocols(topology: Topology, since: State | None) -> Protocols:
    """All protocols, with what much the same network left, if that has the same tables."""
    interning = Interning(topology.network)
    if since is None or since.rib.interning.tables != interning.tables:
        return Protocols(topology, interning)
    return Protocols(topology, since.rib.interning.copy(), since.results, since.memory)


def reconverge(state: State, network: Network, *, search: bool = True) -> State:
    """An edited network, computed since `state`, where the same things have failed."""
    return converge(network, since=state, failures=state.topology.failures, search=search)


def with_same_tables(state: State, network: Network) -> State | None:
    """A network that differs in what no table can depend on; None where it may differ in more.

    Filters may change as long as they treat the packets of routing sessions (TCP port 179) alike:
    sessions are all that tables take from filters. Verdicts and ways are those of the new network;
    what tables and protocols cite still stands where it stood before (see `with_own_places`).
    """
    network = with_events(network, state.topology.failures.events)
    for old, new in zip(state.network.devices, network.devices, strict=True):
        bare = replace(new, filters=old.filters)
        if bare != old or [f.name for f in old.filters] != [f.name for f in new.filters]:
            return None
        for before, after in zip(old.filters, new.filters, strict=True):
            if before.stateful != after.stateful:
                return None
            if any(rule.mark is not None for rule in (*before.rules, *after.rules)):
                return None  # steering may ask for marks
            changed = (*newly_permitted(before, after), *newly_permitted(after, before))
            if any(may_carry_tcp(box, EPHEMERAL_PORT, BGP_PORT) for box in changed):
                return None
    topology = state.topology.with_other_filters(network)
    return replace(state, network=network, topology=topology)


def with_own_places(state: State) -> State:
    """The state of `with_same_tables`, with everything cited where its own files have it.

    One round from tables at rest gives the same tables, made of the network's own objects.
    """
    protocols = Protocols(state.topology, state.rib.interning.copy(), state.results)
    others = tuple(replace(other, look=protocols.look(other.look)) for other in state.others)
    return replace(state, look=protocols.look(state.look), others=others)


def _uncertain(
    interning: Interning, pairs: frozenset[tuple[int, int]]
) -> tuple[UncertainRoute, ...]:
    found = [
        UncertainRoute(*interning.tables[table], interning.prefixes.prefixes[prefix])
        for table, prefix in pairs
    ]
    return tuple(sorted(found, key=lambda d: (d.device, d.vrf, prefix_order(d.prefix))))
