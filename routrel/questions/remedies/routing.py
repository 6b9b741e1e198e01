"""Edits of routes, gateways, masks, interfaces, protocols and MTU."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator

from routrel.files.patching import Path, flow_style, quoted
from routrel.forwarding.evidence import Obstacle, Verdict
from routrel.forwarding.stages.answer import AnswerEvidence
from routrel.forwarding.stages.loop import LoopEvidence
from routrel.forwarding.stages.mtu import MtuEvidence
from routrel.forwarding.stages.neighbour import NeighbourEvidence
from routrel.forwarding.stages.route import RouteEvidence
from routrel.forwarding.stages.steering import SteeringEvidence
from routrel.forwarding.stages.translation import TranslationEvidence
from routrel.lens.file_edits import LAST, Insert, Remove, SetKey, SetValue
from routrel.model.addresses import Address, Prefix
from routrel.model.network import DEFAULT_VRF, Device
from routrel.model.translation import Side
from routrel.questions.edits import vrf_path
from routrel.questions.remedies.missing_routes import enable, missing_route_proposals
from routrel.questions.remedies.proposals import Proposal, Scene, of_device

__all__ = ["routing_proposals"]


def routing_proposals(scene: Scene) -> Iterator[Proposal]:
    """Edits that may lead a packet past what routing does wrong, or past steering."""
    obstacle = scene.obstacle
    if obstacle.verdict is Verdict.TOO_BIG:
        yield from _larger(scene)
        return
    yield from _unsteered(scene)
    if obstacle.cause.kind in ("no_session", "untranslated_answer"):
        yield from _back_the_same_way(scene)
    if obstacle.cause.kind == "untranslated_answer":
        yield from _hidden_behind_the_translator(scene)
        return
    if obstacle.is_access and obstacle.cause.kind != "reverse_path":
        return
    towards = obstacle.header.destination
    if obstacle.cause.kind == "reverse_path":
        yield from _way_back_to_source(scene)
        return
    yield from _wrong_mask(scene)
    yield from _next_hops_corrected(scene)
    yield from _removed(scene)
    yield from _translated_elsewhere(scene)
    yield from _reasons(scene, towards)
    yield from _attached_elsewhere(scene, towards)
    yield from _spoken_in_bgp(scene, towards)
    yield from _led(scene, obstacle, towards)
    yield from _enabled(scene)


# --- next hops and static routes -----------------------------------------------------------------


def _led(scene: Scene, obstacle: Obstacle, towards: Address) -> Iterator[Proposal]:
    """A gateway or a static route towards where the packet should have gone."""
    device, way = scene.device, obstacle.next_hop
    if way is None:
        return
    if not device.role.forwards and obstacle.hop.vrf == DEFAULT_VRF:
        yield from _gateway(device, way)
    for prefix in _targets(scene, towards):
        yield _static(device, obstacle.hop.vrf, prefix, way, obstacle.onward)


def _gateway(device: Device, way: Address) -> Iterator[Proposal]:
    others = [g for g in device.gateways if g.address.version == way.version]
    text = f"gateway {way}"
    if not others:
        yield of_device(device, text, Insert(("gateway",), LAST, quoted(way)))
        return
    place = device.gateways.index(others[0])
    path = ("gateway",) if len(device.gateways) == 1 else ("gateway", place)

    yield of_device(device, f"{text} instead of {others[0].address}", SetValue(path, quoted(way)))


def _static(
    device: Device, vrf: str, prefix: Prefix, way: Address, interface: str | None
) -> Proposal:
    values: dict[str, object] = {"to": quoted(prefix), "via": quoted(way)}
    out = device.interface(interface or "")
    if out is not None and out.vrf != vrf:
        values["next-vrf"] = out.vrf
    if way.is_link_local and interface is not None:
        values["interface"] = interface
    where = "" if vrf == DEFAULT_VRF else f" in VRF {vrf}"
    return of_device(
        device,
        f"static route to {prefix} via {way}{where}",
        Insert((*vrf_path(vrf), "static"), LAST, flow_style(values)),
    )


def _targets(scene: Scene, towards: Address) -> list[Prefix]:
    """The subnet of an address where one is known, and the address alone.

    Of several subnets that of its owner counts, else the narrowest.
    """
    topology = scene.state.topology
    subnets = [
        own.network
        for end in topology.owners.get(towards, ())
        for own in end.interface.addresses
        if own.ip == towards
    ] or sorted(
        (
            own.network
            for segment in topology.segments
            for end in segment.ends
            for own in end.interface.addresses
            if own.version == towards.version and towards in own.network
        ),
        key=lambda network: -network.prefixlen,
    )
    behind = [
        prefix
        for outside in scene.state.network.outside
        for prefix in outside.prefixes
        if prefix.prefixlen and prefix.version == towards.version and towards in prefix
    ]
    host = ipaddress.ip_network(towards)
    return list(dict.fromkeys([*subnets[:1], *behind[:1], host]))


def _next_hops_corrected(scene: Scene) -> Iterator[Proposal]:
    """The static route that is followed, or that does not work, leads the right way instead."""
    obstacle, way = scene.obstacle, scene.obstacle.next_hop
    if way is None:
        return
    device = scene.device
    vrf = device.vrf(obstacle.hop.vrf)
    for route in vrf.static if vrf else ():
        if route.via is None or obstacle.header.destination not in route.to:
            continue
        if route.to.prefixlen == 0 or route.via == way:
            continue
        path = scene.path(route.place)
        yield of_device(
            device,
            f"the route to {route.to} via {way} instead of {route.via}",
            SetValue((*path, "via"), quoted(way)),
        )


def _removed(scene: Scene) -> Iterator[Proposal]:
    """A static route that the packet follows astray goes, here or elsewhere in a loop."""
    evidence = scene.obstacle.hop.stages[-1].evidence
    names = [scene.device.name]
    if isinstance(evidence, LoopEvidence):
        names += [name for name in evidence.devices if name not in names]
    destination = scene.obstacle.header.destination
    for name in names:
        device = scene.state.topology.devices[name]
        for vrf in device.vrfs:
            for route in vrf.static:
                if destination in route.to and route.to.prefixlen and route.place.line:
                    path = scene.path(route.place)
                    yield of_device(
                        device,
                        f"remove the static route to {route.to}",
                        Remove(path),
                    )


def _way_back_to_source(scene: Scene) -> Iterator[Proposal]:
    """A route to the source by the interface its packets come in by."""
    hop, source = scene.obstacle.hop, scene.obstacle.header.source
    interface = scene.device.interface(hop.interface_in or "")
    before = _before(scene, scene.device.name, hop.interface_in)
    if interface is None or before is None:
        return
    for prefix in _targets(scene, source):
        yield _static(scene.device, hop.vrf, prefix, before, interface.name)


def _before(scene: Scene, device: str, interface: str | None) -> Address | None:
    """The address of the device before, on the segment a device is entered by."""
    if interface is None:
        return None
    way = scene.back if scene.answering else scene.forward
    names = [name for name, _ in way]
    if device not in names or not names.index(device):
        return None
    previous = names[names.index(device) - 1]
    version = scene.obstacle.header.source.version
    for end in scene.state.topology.neighbours(device, interface):
        if end.device.name == previous:
            return next((a.ip for a in end.interface.addresses if a.version == version), None)
    return None


def _back_the_same_way(scene: Scene) -> Iterator[Proposal]:
    """Answers go back through the devices that saw what they answer."""
    topology = scene.state.topology
    entered = dict(scene.forward)
    names = [name for name, _ in scene.forward]
    towards = scene.obstacle.header.destination
    for name, _ in scene.back:
        interface = entered.get(name)
        device = topology.devices.get(name)
        if device is None or interface is None:
            continue
        previous = names[names.index(name) - 1]
        for end in topology.neighbours(name, interface):
            own = [a.ip for a in end.interface.addresses if a.version == towards.version]
            if end.device.name != previous or not own:
                continue
            out = device.interface(interface)
            for prefix in _targets(scene, towards):
                yield _static(device, out.vrf if out else DEFAULT_VRF, prefix, own[0], interface)


# --- steering ------------------------------------------------------------------------------------


def _unsteered(scene: Scene) -> Iterator[Proposal]:
    """Traffic that steering catches on its way is let go by the table, or nothing is caught."""
    for stage in scene.obstacle.hop.stages:
        evidence = stage.evidence
        if not isinstance(evidence, SteeringEvidence) or evidence.rule is None:
            continue
        rule, steering = evidence.rule, evidence.steering
        position = steering.rules.index(rule)
        before = steering.rules[position - 1].id if position else 0
        path = scene.path(steering.place, named=True)
        number = (before + rule.id) // 2
        if before < number < rule.id:
            header = scene.obstacle.header
            values = {
                "id": number,
                "from": quoted(header.source),
                "to": quoted(header.destination),
                "table": scene.obstacle.hop.vrf,
            }
            yield of_device(
                scene.device,
                f"steering {steering.name} leaves what goes from {header.source} to "
                f"{header.destination} to the table",
                Insert((*path, "rules"), position, flow_style(values)),
            )
        yield of_device(
            scene.device,
            f"remove rule {rule.id} of steering {steering.name}",
            Remove((*path, "rules", position)),
        )


# --- translation ---------------------------------------------------------------------------------


def _hidden_behind_the_translator(scene: Scene) -> Iterator[Proposal]:
    """Answers come back through who translated what was asked, if it seemed to ask itself."""
    evidence = scene.obstacle.hop.stages[-1].evidence
    if not isinstance(evidence, AnswerEvidence) or evidence.translator != scene.device.name:
        return
    rules = scene.device.translation
    source, target = evidence.asked.source, evidence.arrived.source
    values = {
        "id": (rules[-1].id if rules else 0) + 10,
        "from": quoted(source),
        "to": quoted(target),
        "new-source": "interface",
    }
    yield of_device(
        scene.device,
        f"hide {source} behind the device's own address towards {target}",
        Insert(("translation",), LAST, flow_style(values)),
    )


#: Addresses that are tried as new destination of a rule.
_PARTNERS = 8


def _translated_elsewhere(scene: Scene) -> Iterator[Proposal]:
    """A rule that leads to an address nobody has leads to one of the same subnet instead."""
    topology = scene.state.topology
    for stage in scene.obstacle.hop.stages:
        evidence = stage.evidence
        if not isinstance(evidence, TranslationEvidence) or evidence.rule is None:
            continue
        if evidence.side is not Side.DESTINATION:
            continue
        path, old = scene.path(evidence.rule.place), evidence.after.destination
        near = [
            own.ip
            for segment in topology.segments
            for end in segment.ends
            if not end.device.role.forwards
            for own in end.interface.addresses
            if own.version == old.version and old in own.network and own.ip != old
        ]
        for address in near[:_PARTNERS]:
            yield of_device(
                scene.device,
                f"translation rule {evidence.rule.id} leads to {address} instead of {old}",
                SetValue((*path, "new-destination"), quoted(address)),
            )


# --- interfaces ----------------------------------------------------------------------------------


def _larger(scene: Scene) -> Iterator[Proposal]:
    evidence = scene.obstacle.hop.stages[-1].evidence
    if isinstance(evidence, MtuEvidence) and evidence.size is not None:
        sizes = {evidence.size, *_sizes_near(scene, evidence.interface, evidence.size)}
        for size in sorted(sizes, reverse=True):
            yield of_device(
                scene.device,
                f"MTU {size} on {evidence.interface} instead of {evidence.mtu}",
                SetKey(("interfaces", evidence.interface), "mtu", str(size)),
            )


def _sizes_near(scene: Scene, interface: str, least: int) -> Iterator[int]:
    """The MTU of the other ends, where the packet fits into it."""
    for end in scene.state.topology.neighbours(scene.device.name, interface):
        if end.interface.mtu >= least:
            yield end.interface.mtu


def _wrong_mask(scene: Scene) -> Iterator[Proposal]:
    """A prefix length unlike that of the other ends, which makes a far address look near."""
    evidence = scene.obstacle.hop.stages[-1].evidence
    if not isinstance(evidence, NeighbourEvidence | RouteEvidence):
        return
    device = scene.device
    for interface in device.interfaces:
        for place, own in enumerate(interface.addresses):
            lengths = {
                other.network.prefixlen
                for end in scene.state.topology.neighbours(device.name, interface.name)
                for other in end.interface.addresses
                if own.ip in other.network and other.version == own.version
            }
            for length in sorted(lengths - {own.network.prefixlen}):
                yield of_device(
                    device,
                    f"{own.ip}/{length} on {interface.name}, as its neighbours have it",
                    SetValue(
                        ("interfaces", interface.name, "addresses", place),
                        quoted(f"{own.ip}/{length}"),
                    ),
                )


def _enabled(scene: Scene) -> Iterator[Proposal]:
    """Interfaces that are shut, on devices of the way or next to them."""
    topology = scene.state.topology
    names = {name for name, _ in (*scene.forward, *scene.back)} | {scene.device.name}
    for segment in topology.segments:
        devices = {end.device.name for end in segment.ends}
        if not devices & names:
            continue
        for end in segment.ends:
            if not end.interface.enabled:
                yield enable(end.device, end.interface)


# --- protocols -----------------------------------------------------------------------------------


def _reasons(scene: Scene, towards: Address) -> Iterator[Proposal]:
    """What keeps a protocol from carrying the route."""
    key = (scene.obstacle.hop.device, scene.obstacle.hop.vrf)
    table = scene.state.rib.interning.table_numbers.get(key)
    if table is not None:
        yield from missing_route_proposals(scene.state, scene.texts, table, towards)


def _spoken_in_bgp(scene: Scene, towards: Address) -> Iterator[Proposal]:
    """Shut sessions of the devices of the way come up; who has the subnet announces it."""
    names = {scene.device.name, *(name for name, _ in (*scene.forward, *scene.back))}
    for device in scene.state.network.devices:
        for vrf in device.vrfs:
            if vrf.bgp is None:
                continue
            base: Path = (*vrf_path(vrf.name), "bgp")
            for neighbour in vrf.bgp.neighbours if device.name in names else ():
                if vrf.bgp.settings(neighbour).enabled is False:
                    path = (*base, "neighbours", str(neighbour.address), "enabled")
                    text = f"the session with {neighbour.address} comes up"
                    yield of_device(device, text, Remove(path))
            announced = {network.prefix for network in vrf.bgp.networks}
            for prefix in _targets(scene, towards)[:1]:
                near = any(
                    own.network == prefix
                    for interface in device.interfaces
                    if interface.vrf == vrf.name
                    for own in interface.addresses
                )
                if near and prefix not in announced:
                    value = flow_style({"prefix": quoted(prefix)})
                    patch = Insert((*base, "networks"), LAST, value)
                    yield of_device(device, f"announce {prefix} in BGP", patch)


def _attached_elsewhere(scene: Scene, towards: Address) -> Iterator[Proposal]:
    """The interface a packet comes in by joins a VRF that has a route."""
    hop, device = scene.obstacle.hop, scene.device
    interface = device.interface(hop.interface_in or "")
    if interface is None or scene.obstacle.cause.kind != "no_route":
        return
    numbers = scene.state.rib.interning.table_numbers
    for vrf in device.vrfs:
        if vrf.name == interface.vrf:
            continue
        if scene.state.rib.lookup(numbers[device.name, vrf.name], towards) is None:
            continue
        path: Path = ("interfaces", interface.name)
        patch = Remove((*path, "vrf")) if vrf.name == DEFAULT_VRF else SetKey(path, "vrf", vrf.name)
        yield of_device(device, f"{interface.name} in VRF {vrf.name}", patch)
