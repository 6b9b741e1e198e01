"""What has failed, by the names that people write."""

from __future__ import annotations

from collections.abc import Iterable

from routrel.files.shapes import closest
from routrel.model.failures import Failures
from routrel.model.network import Network
from routrel.topology.segments import build_topology

__all__ = ["UnknownFailure", "failures_of", "named_failures"]


class UnknownFailure(Exception):
    """What is said to have failed is not in the network. `suggestion` names what is."""

    def __init__(self, text: str, suggestion: str) -> None:
        self.text, self.suggestion = text, suggestion
        super().__init__(f"{text}; {suggestion}")


def named_failures(names: Iterable[str]) -> Failures:
    """Failures by name: `device`, `device:interface`, or `link NAME` as the network has it.

    Whether they exist is seen when a network is looked at with them; see `failures_of`.
    """
    devices, interfaces, links = set(), set(), set()
    for name in names:
        word, _, rest = name.strip().partition(" ")
        device, colon, interface = name.strip().partition(":")
        if word == "link" and rest.strip():
            links.add(rest.strip())
        elif colon:
            interfaces.add((device, interface))
        else:
            devices.add(device)
    return Failures(
        devices=frozenset(devices), interfaces=frozenset(interfaces), links=frozenset(links)
    )


def failures_of(network: Network, failures: Failures) -> Failures:
    """The same failures, all of which are things of the network.

    Raises:
        UnknownFailure: one of them is not.
    """
    if not failures:
        return failures
    devices = {device.name: device for device in network.devices}
    for name in sorted({*failures.devices, *(owner for owner, _ in failures.interfaces)}):
        if name not in devices:
            raise UnknownFailure(
                f"there is no device “{name}” that could fail",
                closest(name, list(devices)) or "write device, device:interface, or link NAME",
            )
    for owner, name in sorted(failures.interfaces):
        if devices[owner].interface(name) is None:
            known = [interface.name for interface in devices[owner].interfaces]
            raise UnknownFailure(
                f"{owner} has no interface “{name}” that could fail",
                closest(name, known) or "its interfaces: " + ", ".join(known),
            )
    links = {segment.name for segment in build_topology(network).segments}
    for name in sorted(failures.links):
        if name not in links:
            raise UnknownFailure(
                f"there is no link “{name}” that could fail",
                closest(name, sorted(links))
                or "links are named in the network file, or by their subnet",
            )
    return failures
