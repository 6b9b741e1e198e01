"""Gateway redundancy: virtual routers as VRRP has them (RFC 9568)."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.addresses import Address
from routrel.model.place import Place, placed

__all__ = ["VirtualRouter"]


@dataclass(frozen=True, slots=True, kw_only=True)
class VirtualRouter:
    """One virtual router on one interface. Its addresses are of one family (RFC 9568 5.2.9)."""

    id: int  #: VRID, 1 to 255
    addresses: tuple[Address, ...]
    priority: int = 100  #: 255 is for the router that owns the addresses
    preempt: bool = True
    accept: bool = False  #: whether a master takes packets to the addresses though not their owner
    place: Place = placed()
