"""What a device file says about RIP version 2 (RFC 2453) and RIPng (RFC 2080)."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.place import Place, placed
from routrel.model.policy import PolicyUse
from routrel.model.redistribution import DefaultRoute, Redistribution

__all__ = ["RipInstance", "RipInterface"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RipInterface:
    """RIP on one interface."""

    passive: bool = False  #: listens, but sends nothing
    cost: int = 1  #: added to what is heard here (RFC 2453 3.9.2)
    offset_in: int = 0  #: added on top to what is heard here
    offset_out: int = 0  #: added to what is sent here
    authentication: str | None = None  #: names the key; both ends must have the same
    import_policy: PolicyUse | None = None  #: which routes heard here are used
    export_policy: PolicyUse | None = None  #: which routes are sent here
    place: Place = placed()


@dataclass(frozen=True, slots=True, kw_only=True)
class RipInstance:
    """RIP in one VRF of a device."""

    distance: int | None = None  #: None: 120
    maximum_paths: int | None = None  #: None: the VRF's
    redistribute: tuple[Redistribution, ...] = ()
    default_route: DefaultRoute | None = None
    import_policy: PolicyUse | None = None  #: which routes enter the table
    place: Place = placed()
