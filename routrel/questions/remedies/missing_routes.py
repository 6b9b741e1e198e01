"""Edits against what keeps a protocol from carrying a route to where it is lacking."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.files.patching import Path, path_at, quoted
from routrel.lens.file_edits import LAST, Insert, Remove, SetKey
from routrel.model.addresses import Address, Prefix
from routrel.model.network import INTERFACE_PROTOCOLS, Device, Interface
from routrel.model.ospf import OspfInterface
from routrel.questions.absence import absence
from routrel.questions.remedies.proposals import Proposal, of_device
from routrel.rib.table import Route

__all__ = ["enable", "missing_route_proposals"]


@dataclass(frozen=True, slots=True)
class _Gap:
    """One thing that keeps a route out: at whom, and where in the device's file it stands."""

    state: State
    device: Device
    path: Path
    prefix: Prefix | None  #: that is lacking, where somebody has it


def missing_route_proposals(
    state: State, texts: Mapping[str, str], table: int, wanted: Prefix | Address
) -> Iterator[Proposal]:
    """Edits that may bring a table a route it does not have.

    Args:
        texts: The files that the state's network was read from.
        table: Its number.
        wanted: What it has no route to.
    """
    missing = absence(state, table, wanted)
    for step in missing.reasons:
        device = state.topology.devices.get(step.device)
        maker = _BY_REASON.get(step.kind)
        if device is None or maker is None or not step.place.line:
            continue
        place = step.place
        try:
            path = path_at(texts[place.file], place.line, place.column, named=step.kind in _NAMED)
        except KeyError:
            continue
        yield from maker(_Gap(state, device, path, missing.prefix))


def enable(device: Device, interface: Interface) -> Proposal:
    """An interface that is shut is enabled."""
    path = ("interfaces", interface.name, "enabled")
    return of_device(device, f"enable {interface.name}", Remove(path))


def _speak(gap: _Gap) -> Iterator[Proposal]:
    """The protocols that the other ends of a link run, on this end too."""
    device, path = gap.device, gap.path
    interface = device.interface(str(path[1])) if len(path) > 1 else None
    if interface is None:
        return
    vrf = device.vrf(interface.vrf)
    ends = list(gap.state.topology.neighbours(device.name, interface.name))
    for key in INTERFACE_PROTOCOLS:
        theirs = [s for end in ends if (s := getattr(end.interface, key)) is not None]
        if theirs and getattr(vrf, key) is not None and getattr(interface, key) is None:
            settings = "{}"
            if isinstance(theirs[0], OspfInterface):
                kind = theirs[0].network_type
                network = f", network: {kind.value}" if kind is not None else ""
                settings = f"{{area: {theirs[0].area}{network}}}"
            yield of_device(
                device,
                f"{key} on {interface.name}",
                SetKey(path, key, settings),
            )


def _wake(gap: _Gap) -> Iterator[Proposal]:
    device, path = gap.device, gap.path
    yield of_device(device, f"{path[-1]} not passive on {path[1]}", Remove((*path, "passive")))


def _bring_up(gap: _Gap) -> Iterator[Proposal]:
    device, path = gap.device, gap.path
    interface = device.interface(str(path[1])) if len(path) > 1 else None
    if interface is not None and not interface.enabled:
        yield enable(device, interface)


def _take_in(gap: _Gap) -> Iterator[Proposal]:
    """What is missing from a protocol is announced: the interface that has it, or its source."""
    device, path, prefix = gap.device, gap.path, gap.prefix
    if prefix is None:
        return
    key = str(path[-1])
    held = _held(gap.state, device, prefix)
    if held is None:
        return
    for interface in device.interfaces:
        near = any(own.network == prefix for own in interface.addresses)
        if near and key in INTERFACE_PROTOCOLS and getattr(interface, key) is None:
            yield from _announced(device, interface, key)
    source = held.protocol.id
    metric = ", metric: 20" if key in ("rip", "ripng") else ""
    yield of_device(
        device,
        f"{source} routes into {key}",
        Insert((*path, "redistribute"), LAST, f"{{from: {source}{metric}}}"),
    )


def _announced(device: Device, interface: Interface, key: str) -> Iterator[Proposal]:
    areas = [s.area for i in device.interfaces if isinstance(s := getattr(i, key), OspfInterface)]
    settings = f"{{area: {areas[0]}, passive: true}}" if areas else "{passive: true}"
    yield of_device(
        device,
        f"{key} on {interface.name}, passive, so that its subnet is announced",
        SetKey(("interfaces", interface.name), key, settings),
    )


def _held(state: State, device: Device, prefix: Prefix) -> Route | None:
    interning = state.rib.interning
    for vrf in device.vrfs:
        found = state.rib.active_route(interning.table_numbers[device.name, vrf.name], prefix)
        if found is not None:
            return found
    return None


def _accept(gap: _Gap) -> Iterator[Proposal]:
    """A policy that rejects the route accepts it in a statement of its own."""
    device, path, prefix = gap.device, gap.path, gap.prefix
    if prefix is None or path[:1] != ("policies",):
        return
    policy = device.policy(str(path[1]))
    if policy is None:
        return
    name = f"for-{str(prefix).replace('/', '-').replace(':', '-')}"
    position = int(path[3]) if len(path) > 3 and isinstance(path[3], int) else LAST
    statement = f"{{name: {name}, match: {{prefixes: {name}}}, then: accept}}"
    yield of_device(
        device,
        f"policy {policy.name} accepts {prefix}",
        SetKey(("sets", "prefixes"), name, f"[{quoted(prefix)}]"),
        Insert(("policies", policy.name, "statements"), position, statement),
    )


def _import(gap: _Gap) -> Iterator[Proposal]:
    """A table takes in what another of the same device offers under a tag."""
    device, path = gap.device, gap.path
    vrf = device.vrf(str(path[-1]))
    for other in device.vrfs:
        for tag in other.export_tags:
            if vrf is not None and tag not in vrf.import_tags and other.name != vrf.name:
                yield of_device(
                    device,
                    f"VRF {vrf.name} takes in what is offered under {tag}",
                    Insert((*path, "import-tags"), LAST, tag),
                )


#: The reasons whose place is that of an interface or a VRF.
_NAMED = ("interface_down", "not_running", "not_imported")

_BY_REASON: dict[str, Callable[[_Gap], Iterator[Proposal]]] = {
    "interface_down": _bring_up,
    "not_running": _speak,
    "passive": _wake,
    "not_redistributed": _take_in,
    "not_active": _take_in,
    "filtered": _accept,
    "bgp_policy": _accept,
    "not_imported": _import,
}
