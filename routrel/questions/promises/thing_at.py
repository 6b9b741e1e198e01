"""What stands at a line of a file, as promises may use it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from routrel.model.network import Device, Network
from routrel.model.place import Place

__all__ = ["Used", "thing_at"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """What may be used; all that are given count, and only promises that use all are told."""

    device: str = ""
    interface: str = ""  #: of the device
    link: str = ""
    network: str = ""  #: an outside one
    rule: str = ""  #: as `gul-edge-1 filter guests rule 20`
    neighbour: str = ""  #: the address of a BGP neighbour of the device
    prefix: str = ""

    def __str__(self) -> str:
        words = (
            "" if self.rule else self.device, self.interface, self.link, self.network, self.rule,
            self.neighbour and f"BGP neighbour {self.neighbour}", self.prefix,
        )  # fmt: skip
        return " ".join(filter(None, words))


def thing_at(network: Network, texts: Mapping[str, str], file: str, line: int) -> Used | None:
    """The innermost thing whose lines a line is among; None: there is none.

    It is an interface, a static route, a BGP neighbour, a rule of a filter, of steering or of
    translation, else the device itself; or an outside network, or a stated link. Whatever stands
    deeper than a thing begins, below it and before anything that does not, is of it.

    Args:
        texts: The files, by path.
        line: From 1.
    """
    lines = texts.get(file, "").splitlines()[:line]
    found: list[tuple[int, Used]] = []
    for place, used in _placed(network):
        if place.file == file and place.line <= line:
            below = (one for one in lines[place.line :] if one.strip() and not _is_comment(one))
            if all(len(one) - len(one.lstrip(" ")) >= place.column - 1 for one in below):
                found.append((place.line, used))
    return max(found, key=lambda one: one[0])[1] if found else None


def _is_comment(line: str) -> bool:
    return line.lstrip().startswith("#")


def _placed(network: Network) -> Iterator[tuple[Place, Used]]:
    for outside in network.outside:
        yield outside.place, Used(network=outside.name)
    for link in network.links:
        yield link.place, Used(link=link.name)
    for device in network.devices:
        whole = Used(device=device.name)
        yield device.place, whole
        for interface in device.interfaces:
            yield interface.place, replace(whole, interface=interface.name)
        for place, words in _rules(device):
            yield place, Used(device=device.name, rule=f"{device.name} {words}")
        for vrf in device.vrfs:
            for route in vrf.static:
                yield route.place, replace(whole, prefix=str(route.to))
            for neighbour in vrf.bgp.neighbours if vrf.bgp else ():
                yield neighbour.place, replace(whole, neighbour=str(neighbour.address))


def _rules(device: Device) -> Iterator[tuple[Place, str]]:
    for each in device.filters:
        for rule in each.rules:
            yield rule.place, f"filter {each.name} rule {rule.id}"
        yield each.default_place, f"filter {each.name} default"
    for steering in device.steerings:
        for steered in steering.rules:
            yield steered.place, f"steering {steering.name} rule {steered.id}"
    for translated in device.translation:
        yield translated.place, f"translation rule {translated.id}"
