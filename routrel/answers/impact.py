"""Which promises use something, as an answer."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from routrel.answers.base import Answer
from routrel.convergence.converge import State
from routrel.questions.errors import UnknownName
from routrel.questions.promises.evaluate import Evaluation
from routrel.questions.promises.usage import Things, Usage

__all__ = ["ImpactData", "ImpactedData", "Used", "impact_data"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """What may be used; all that are given count, and only promises that use all are told."""

    device: str = ""
    interface: str = ""  #: of the device
    link: str = ""
    network: str = ""  #: an outside one, or its neighbour's address
    rule: str = ""  #: as `gul-edge-1 filter guests rule 20`
    prefix: str = ""


class ImpactedData(Answer):
    """A promise that uses what is named."""

    id: str
    text: str
    kept: bool
    why: str


class ImpactData(Answer):
    """The promises whose packets, or answers, meet what is named on some branch."""

    sentence: str
    promises: list[ImpactedData]
    checked: int  #: promises that there are


def impact_data(state: State, found: Evaluation, used: Used) -> ImpactData:
    """The promises that use something.

    Raises:
        UnknownName: there is no such thing.
    """
    _refuse_unknown(state, used)
    links = Things(state).link_names
    hit = [
        ImpactedData(
            id=one.promise.name, text=one.promise.sentence, kept=one.kept, why=_why(one.kept)
        )
        for one in found.found
        if _uses(one.checked.usage, used, links)
    ]
    what = " ".join(
        filter(None, (used.device, used.interface, used.link, used.network, used.rule, used.prefix))
    )
    count = len(hit)
    words = (
        "No promise uses" if not count else f"{count} promise{'s use' if count > 1 else ' uses'}"
    )
    return ImpactData(sentence=f"{words} {what}.", promises=hit, checked=len(found.found))


def _why(kept: bool) -> str:
    return "" if kept else "broken now"


def _refuse_unknown(state: State, used: Used) -> None:
    devices = state.topology.devices
    if used.device and used.device not in devices:
        raise UnknownName(f"there is no device “{used.device}”", "write a device's name")
    if used.interface and used.device:
        names = [one.name for one in devices[used.device].interfaces]
        if used.interface not in names:
            raise UnknownName(
                f"{used.device} has no interface “{used.interface}”", f"it has {', '.join(names)}"
            )
    if used.prefix:
        try:
            ipaddress.ip_network(used.prefix)
        except ValueError as error:
            raise UnknownName(f"“{used.prefix}” is not a prefix", "write 10.1.0.0/16") from error


def _uses(usage: Usage, used: Used, links: dict[str, str]) -> bool:
    if used.interface and (used.device, used.interface) not in usage.interfaces:
        return False
    if used.device and used.device not in usage.devices:
        return False
    if used.link and links.get(used.link, used.link) not in usage.links:
        return False
    if used.network and used.network not in usage.networks:
        return False
    if used.rule and used.rule not in map(str, usage.rules):
        return False
    return not used.prefix or any(
        str(prefix) == used.prefix and used.device in ("", device)
        for device, _, prefix in usage.routes
    )
