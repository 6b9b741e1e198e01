"""Edits of filters, zones and checks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import yaml

from routrel.files.language.filters import RULE
from routrel.files.patching import flow_style, quoted
from routrel.forwarding.filters import FilterResult, TriedRule, mismatch
from routrel.forwarding.stages.packet_filter import FilterEvidence, ZoneEvidence
from routrel.forwarding.stages.reverse_path import ReversePathEvidence
from routrel.lens.file_edits import LAST, Insert, Remove, SetKey, SetValue
from routrel.model.filters import Action, PortRange, Rule
from routrel.model.network import Device
from routrel.model.traffic import (
    PORT_PROTOCOLS,
    Header,
    icmp_type_name,
    protocol_name,
)
from routrel.questions.remedies.proposals import Proposal, Scene, of_device

__all__ = ["access_proposals"]


def access_proposals(scene: Scene) -> Iterator[Proposal]:
    """Edits that may let a packet past what drops it on purpose."""
    match scene.obstacle.hop.stages[-1].evidence:
        case FilterEvidence(result=result):
            yield from _filter_proposals(scene, result)
        case ZoneEvidence() as evidence:
            yield from _zone_proposals(scene, evidence)
        case ReversePathEvidence() as evidence:
            yield from _check_proposals(scene, evidence)


# --- filters -------------------------------------------------------------------------------------


def _filter_proposals(scene: Scene, result: FilterResult) -> Iterator[Proposal]:
    for tried in result.tried:
        if tried.mismatch and tried.rule.action is Action.PERMIT:
            yield from _corrected(scene, result, tried)
    if not result.by_connection:
        yield from _permitted_exactly(scene, result)
    decider = result.rule
    if decider is not None:
        yield from _narrowed(scene, result, decider)
        yield from _moved(scene, result, decider)
        path = scene.path(decider.place)
        yield of_device(
            scene.device,
            f"remove rule {decider.id} of filter {result.filter.name}",
            Remove(path),
        )
    if scene.answering and not result.filter.stateful:
        filter_path = scene.path(result.filter.place, named=True)
        yield of_device(
            scene.device,
            f"let filter {result.filter.name} remember sessions, so that answers pass",
            SetKey(filter_path, "sessions", "true"),
        )


def _corrected(scene: Scene, result: FilterResult, tried: TriedRule) -> Iterator[Proposal]:
    """A permit that would match, were it not for one thing."""
    rule, header = tried.rule, scene.obstacle.header
    path = scene.path(rule.place)
    what = f"rule {rule.id} of filter {result.filter.name}"

    def fits(**changes: object) -> bool:
        return not mismatch(replace(rule.match, **changes), header)  # type: ignore[arg-type]

    if fits(protocol=header.protocol):
        name = protocol_name(header.protocol)
        yield of_device(
            scene.device,
            f"{what} for {name} instead of {protocol_name(rule.match.protocol or 0)}",
            SetValue((*path, Action.PERMIT.value), name),
        )
    for key, ports, port, without in (
        ("to-port", rule.match.destination_ports, header.destination_port, "destination_ports"),
        ("from-port", rule.match.source_ports, header.source_port, "source_ports"),
    ):
        if ports and fits(**{without: ()}) and port is not None:
            yield of_device(
                scene.device,
                f"{what} for {'' if key == 'to-port' else 'source '}port {port} too",
                Insert((*path, key), LAST, str(port)),
            )
            yield of_device(
                scene.device,
                f"{what} for any {'' if key == 'to-port' else 'source '}port",
                Remove((*path, key)),
            )
    for key, prefixes, address, without in (
        ("from", rule.match.sources, header.source, "sources"),
        ("to", rule.match.destinations, header.destination, "destinations"),
    ):
        if prefixes and fits(**{without: ()}):
            yield of_device(
                scene.device,
                f"{what} {key} {address} too",
                Insert((*path, key), LAST, quoted(address)),
            )


def _permitted_exactly(scene: Scene, result: FilterResult) -> Iterator[Proposal]:
    """A new rule for this traffic in front of what drops it."""
    rules = result.filter.rules
    position = rules.index(result.rule) if result.rule else len(rules)
    number = _free_number(rules, position)
    if number is None:
        return
    filter_path = scene.path(result.filter.place, named=True)
    rule = _rule_for(scene.obstacle.header, number, answering=scene.answering)
    yield of_device(
        scene.device,
        f"new rule {number} in filter {result.filter.name} for {_this(scene)} alone",
        Insert((*filter_path, "rules"), position, rule),
    )


def _this(scene: Scene) -> str:
    return "these answers" if scene.answering else "this flow"


def _free_number(rules: tuple[Rule, ...], position: int) -> int | None:
    """A number between two rules; None where there is none left."""
    before = rules[position - 1].id if position else 0
    if position == len(rules):
        return (before // 10 + 1) * 10
    after = rules[position].id
    middle = (before + after) // 2
    return middle if before < middle < after else None


def _rule_for(header: Header, number: int, *, answering: bool) -> str:
    """A rule that permits this traffic between its two addresses, as YAML."""
    protocol = protocol_name(header.protocol)
    protocol = str(header.protocol) if " " in protocol else protocol
    more: dict[str, object] = {}
    if header.protocol in PORT_PROTOCOLS:
        key = "from-port" if answering else "to-port"
        more[key] = header.source_port if answering else header.destination_port
    elif header.icmp_type is not None:
        kind = icmp_type_name(header.protocol, header.icmp_type)
        more["icmp-type"] = header.icmp_type if " " in kind else kind
    ends = (quoted(header.source), quoted(header.destination))
    values = {"id": number, "permit": protocol, "from": ends[0], "to": ends[1], **more}
    return flow_style(values)


def _narrowed(scene: Scene, result: FilterResult, decider: Rule) -> Iterator[Proposal]:
    """A deny that spares this traffic's port, or becomes a permit."""
    header, path = scene.obstacle.header, scene.path(decider.place)
    what = f"rule {decider.id} of filter {result.filter.name}"
    for key, ranges, port in (
        ("to-port", decider.match.destination_ports, header.destination_port),
        ("from-port", decider.match.source_ports, header.source_port),
    ):
        if not ranges or port is None:
            continue
        left = [piece for r in ranges for piece in _around(r, port)]
        if left:
            written = ", ".join(str(piece) for piece in left)
            value = f"[{written}]" if len(left) > 1 else written
            yield of_device(
                scene.device,
                f"{what} spares port {port}",
                SetValue((*path, key), value),
            )


def _around(ports: PortRange, port: int) -> Iterator[PortRange]:
    """A range of ports without one of them."""
    if not ports.first <= port <= ports.last:
        yield ports
        return
    if ports.first < port:
        yield PortRange(ports.first, port - 1)
    if port < ports.last:
        yield PortRange(port + 1, ports.last)


def _moved(scene: Scene, result: FilterResult, decider: Rule) -> Iterator[Proposal]:
    """A permit further down that would match, put in front of what drops the packet."""
    rules = result.filter.rules
    position = rules.index(decider)
    number = _free_number(rules, position)
    filter_path = scene.path(result.filter.place, named=True)
    for place, rule in enumerate(rules[position + 1 :], start=position + 1):
        if rule.action is Action.PERMIT and not mismatch(rule.match, scene.obstacle.header):
            if number is None:
                return
            written = RULE.write(replace(rule, id=number))
            line = yaml.safe_dump(
                written, default_flow_style=True, sort_keys=False, width=10_000
            ).strip()
            yield of_device(
                scene.device,
                f"move rule {rule.id} of filter {result.filter.name} in front of rule {decider.id}",
                Remove((*filter_path, "rules", place)),
                Insert((*filter_path, "rules"), position, line),
            )
            return


# --- zones and checks ----------------------------------------------------------------------------


def _zone_proposals(scene: Scene, evidence: ZoneEvidence) -> Iterator[Proposal]:
    source, destination = evidence.source, evidence.destination
    if source is None or destination is None:
        yield from _into_zones(scene, evidence)
        return
    name = _free_name(scene.device, f"{source}-to-{destination}")
    rule = _rule_for(scene.obstacle.header, 10, answering=scene.answering)
    yield of_device(
        scene.device,
        f"a filter from zone {source} to {destination} for {_this(scene)} alone",
        SetKey(("filters",), name, f"{{rules: [{rule}], default: deny}}"),
        SetKey(("zones", source, "to"), destination, f"{{filter: {name}}}"),
    )


def _into_zones(scene: Scene, evidence: ZoneEvidence) -> Iterator[Proposal]:
    """An interface without a zone joins one."""
    hop = scene.obstacle.hop
    ends = ((evidence.source, hop.interface_in), (evidence.destination, hop.interface_out))
    for zone, interface in ends:
        if zone is not None or interface is None:
            continue
        for known in scene.device.zones:
            yield of_device(
                scene.device,
                f"interface {interface} in zone {known.name}",
                SetKey(("interfaces", interface), "zone", known.name),
            )


def _free_name(device: Device, name: str) -> str:
    used = {item.name for item in device.filters}
    number = 2
    found = name
    while found in used:
        found, number = f"{name}-{number}", number + 1
    return found


def _check_proposals(scene: Scene, evidence: ReversePathEvidence) -> Iterator[Proposal]:
    if evidence.own:
        return
    path = ("interfaces", evidence.interface, "reverse-path-check")
    if evidence.route is not None:
        yield of_device(
            scene.device,
            f"a loose reverse-path check on {evidence.interface}",
            SetValue(path, "loose"),
        )
    yield of_device(
        scene.device,
        f"no reverse-path check on {evidence.interface}",
        Remove(path),
    )
