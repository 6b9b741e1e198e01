"""Which promises use something, as an answer."""

from __future__ import annotations

import ipaddress

from routrel.answers.base import Answer
from routrel.convergence.converge import State
from routrel.files.shapes import closest
from routrel.questions.errors import UnknownName
from routrel.questions.promises.evaluate import Evaluation
from routrel.questions.promises.tellers import sessions_of_routes
from routrel.questions.promises.thing_at import Used
from routrel.questions.promises.usage import Things, Usage

__all__ = ["ImpactData", "ImpactedData", "impact_data"]


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
    uses = _Uses(state, used)
    hit = [
        ImpactedData(
            id=one.promise.name, text=one.promise.sentence, kept=one.kept, why=_why(one.kept)
        )
        for one in found.found
        if uses.all_of(one.checked.usage)
    ]
    count = len(hit)
    words = (
        "No promise uses" if not count else f"{count} promise{'s use' if count > 1 else ' uses'}"
    )
    return ImpactData(sentence=f"{words} {used}.", promises=hit, checked=len(found.found))


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
    if used.neighbour:
        known = [
            str(one.address)
            for device in state.network.devices
            if used.device in ("", device.name)
            for vrf in device.vrfs
            for one in (vrf.bgp.neighbours if vrf.bgp else ())
        ]
        if used.neighbour not in known:
            of = used.device or "this network"
            raise UnknownName(
                f"{used.neighbour} is no BGP neighbour of {of}", closest(used.neighbour, known)
            )
    if used.prefix:
        try:
            ipaddress.ip_network(used.prefix)
        except ValueError as error:
            raise UnknownName(f"“{used.prefix}” is not a prefix", "write 10.1.0.0/16") from error


class _Uses:
    """Tells which promises use something, by what their packets meet."""

    def __init__(self, state: State, used: Used) -> None:
        self._state, self._used = state, used
        self._link = Things(state).link_names.get(used.link, used.link)

    def all_of(self, usage: Usage) -> bool:
        """Whether everything that is named is used."""
        used = self._used
        if used.interface and (used.device, used.interface) not in usage.interfaces:
            return False
        if used.device and used.device not in usage.devices and not used.neighbour:
            return False
        if used.link and self._link not in usage.links:
            return False
        if used.network and used.network not in usage.networks:
            return False
        if used.rule and used.rule not in map(str, usage.rules):
            return False
        if used.prefix and not any(
            str(prefix) == used.prefix and used.device in ("", device)
            for device, _, prefix in usage.routes
        ):
            return False
        return not used.neighbour or self._is_told_by(usage)

    def _is_told_by(self, usage: Usage) -> bool:
        """Whether a route came by a session, here or on its way, in some outcome of routing."""
        return any(
            address == self._used.neighbour and self._used.device in ("", device)
            for each in (self._state, *self._state.others_alone)
            for device, address in sessions_of_routes(each, usage.routes)
        )
