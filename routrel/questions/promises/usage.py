"""What a promise rests on: the devices, links, rules and routes that its packets meet."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from routrel.convergence.converge import State
from routrel.forwarding.evidence import Branch, Hop, Verdict
from routrel.forwarding.stages.packet_filter import FilterEvidence
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.model.addresses import Prefix
from routrel.model.network import RiskGroup
from routrel.model.place import Place
from routrel.model.promises import Sharing, Thing, ThingKind
from routrel.questions.flow import FlowAnswer
from routrel.topology.segments import segment_names

__all__ = ["RuleUsed", "Things", "Usage"]


@dataclass(frozen=True, slots=True)
class RuleUsed:
    """A rule that decided about a packet; `rule` is None where a default did."""

    device: str
    kind: str  #: filter, steering or translation
    name: str  #: of the filter or steering; empty of translation
    rule: int | None
    place: Place = field(compare=False)

    def __str__(self) -> str:
        """Its written form: `gul-edge-1 filter guests rule 20`."""
        which = "default" if self.rule is None else f"rule {self.rule}"
        return " ".join(filter(None, (self.device, self.kind, self.name, which)))


@dataclass(slots=True)
class Usage:
    """What packets met on all branches, both ways, in order of first meeting."""

    devices: dict[str, None] = field(default_factory=dict)
    links: dict[str, None] = field(default_factory=dict)
    interfaces: dict[tuple[str, str], None] = field(default_factory=dict)
    networks: dict[str, None] = field(default_factory=dict)  #: outside ones
    rules: dict[RuleUsed, None] = field(default_factory=dict)
    routes: dict[tuple[str, str, Prefix], None] = field(default_factory=dict)

    def add(self, state: State, answer: FlowAnswer) -> None:
        """Add what a flow met, in every outcome of routing."""
        for way in answer.directions:
            for branch in way.branches:
                self.add_hops(state, branch.hops)

    def add_hops(self, state: State, hops: Iterable[Hop]) -> None:
        """Add what is met on one way."""
        segment_of = state.topology.segment_of
        for hop in hops:
            if hop.outside:
                self.networks[hop.device] = None
                continue
            self.devices[hop.device] = None
            for name in (hop.interface_in, hop.interface_out):
                if name is None:
                    continue
                self.interfaces[hop.device, name] = None
                segment = segment_of.get((hop.device, name))
                if segment is not None:
                    self.links[segment.name] = None
            self._add_stages(hop)

    def merge(self, other: Usage) -> None:
        """Add all that another holds."""
        self.devices.update(other.devices)
        self.links.update(other.links)
        self.interfaces.update(other.interfaces)
        self.networks.update(other.networks)
        self.rules.update(other.rules)
        self.routes.update(other.routes)

    def _add_stages(self, hop: Hop) -> None:
        for stage in hop.stages:
            match stage.evidence:
                case FilterEvidence(result=result):
                    rule = result.rule.id if result.rule else None
                    used = RuleUsed(hop.device, "filter", result.filter.name, rule, result.place)
                    self.rules[used] = None
                case SteeringEvidence(steering=steering, rule=steered) if steered is not None:
                    used = RuleUsed(
                        hop.device, "steering", steering.name, steered.id, steered.place
                    )
                    self.rules[used] = None
                case TranslationEvidence(rule=translated) if translated is not None:
                    used = RuleUsed(hop.device, "translation", "", translated.id, translated.place)
                    self.rules[used] = None
                case RouteEvidence(route=route) if route is not None:
                    self.routes[hop.device, route.vrf, route.prefix] = None


class Things:
    """Finds what of a network a way passes, by what promises name."""

    def __init__(self, state: State) -> None:
        self.state = state
        network, topology = state.network, state.topology
        self._sites = {device.name: device.site for device in network.devices}
        names = segment_names(topology.segments)
        #: The name that a link is told by, by every name that it has.
        self.link_names = {name: topology.segments[number].name for name, number in names.items()}
        self._groups = {group.name: self._members(group) for group in network.risk_groups}

    def known(self, kind: ThingKind) -> list[str]:
        """The names that things of a kind have."""
        network = self.state.network
        match kind:
            case ThingKind.DEVICE:
                return [device.name for device in network.devices]
            case ThingKind.SITE:
                return [site.name for site in network.sites]
            case ThingKind.LINK:
                return list(self.link_names)
            case ThingKind.NETWORK:
                return [outside.name for outside in network.outside]
            case ThingKind.GROUP:
                return [group.name for group in network.risk_groups]
            case ThingKind.INTERFACE:
                return [f"{d.name}:{i.name}" for d in network.devices for i in d.interfaces]

    def passes(self, hops: Iterable[Hop], thing: Thing) -> bool:
        """Whether a way meets a thing whose kind is known."""
        used = Usage()
        used.add_hops(self.state, hops)
        match thing.kind:
            case ThingKind.DEVICE:
                return thing.name in used.devices
            case ThingKind.SITE:
                return any(self._sites.get(device) == thing.name for device in used.devices)
            case ThingKind.LINK:
                return self.link_names.get(thing.name) in used.links
            case ThingKind.NETWORK:
                return thing.name in used.networks
            case ThingKind.INTERFACE:
                return any(f"{device}:{name}" == thing.name for device, name in used.interfaces)
            case ThingKind.GROUP:
                return self._groups[thing.name].is_met(used)
        raise ValueError(f"{thing} has no kind")

    def shared(self, branch: Branch, sharing: Sharing) -> frozenset[str]:
        """The devices, links or risk groups of a way that count: not those of its ends alone.

        An end's own device does not count, nor the only link that it has, nor the one that packets
        come in by.
        """
        ours = [hop for hop in branch.hops if not hop.outside]
        if not ours:
            return frozenset()
        used = Usage()
        used.add_hops(self.state, ours)
        ends = [ours[0]] if ours[0].interface_in is None else []
        if branch.verdict is Verdict.DELIVERED:
            ends.append(ours[-1])
        for hop in ends:
            used.devices.pop(hop.device, None)
            links = self._links_of(hop.device)
            if len(links) == 1:
                used.links.pop(links[0], None)
        if ours[0].interface_in is not None:
            entry = self.state.topology.segment_of.get((ours[0].device, ours[0].interface_in))
            used.links.pop(entry.name if entry else "", None)
        if sharing is Sharing.DEVICE:
            return frozenset(used.devices)
        if sharing is Sharing.LINK:
            return frozenset(used.links)
        segment_of = self.state.topology.segment_of
        used.interfaces = {
            key: None
            for key in used.interfaces
            if key in segment_of and segment_of[key].name in used.links
        }
        used.networks = {branch.outside: None} if branch.outside else {}
        return frozenset(name for name, group in self._groups.items() if group.is_met(used))

    def _links_of(self, device: str) -> list[str]:
        """The links and segments of a device on which there is somebody else."""
        segment_of, found = self.state.topology.segment_of, self.state.topology.devices[device]
        segments = [segment_of.get((device, one.name)) for one in found.interfaces]
        return [s.name for s in segments if s is not None and len(s.ends) + len(s.outside) > 1]

    def _members(self, group: RiskGroup) -> _Members:
        return _Members(
            devices=frozenset(group.devices),
            links=frozenset(self.link_names.get(name, name) for name in group.links),
            interfaces=frozenset((end.device, end.interface) for end in group.interfaces),
            lines=frozenset(group.lines),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Members:
    """What is of a risk group."""

    devices: frozenset[str]
    links: frozenset[str]
    interfaces: frozenset[tuple[str, str]]
    lines: frozenset[str]

    def is_met(self, used: Usage) -> bool:
        """Whether something that was met is of it."""
        return not (
            self.devices.isdisjoint(used.devices)
            and self.links.isdisjoint(used.links)
            and self.interfaces.isdisjoint(used.interfaces)
            and self.lines.isdisjoint(used.networks)
        )
