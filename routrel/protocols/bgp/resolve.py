"""Next hops of BGP, resolved through the tables (RFC 4271 5.1.3, 9.1.2.1)."""

from __future__ import annotations

from dataclasses import dataclass

from routrel.model.addresses import Address, Prefix
from routrel.model.place import Place, placed
from routrel.protocols.bgp.speakers import Speaker
from routrel.rib.candidates import DISCARD, NextHop, Protocol
from routrel.rib.table import Rib

__all__ = ["Resolution", "Resolver"]

#: Routes of BGP that rest on routes of BGP; real chains are two or three deep.
_DEEPEST = 16


@dataclass(frozen=True, slots=True)
class Resolution:
    """Where a next hop leads. `problem` is empty where it is usable."""

    next_hops: tuple[NextHop, ...]
    cost: int = 0  #: interior cost
    problem: str = ""
    place: Place = placed()
    length: int = -1  #: bits of the prefix it was found in; -1: none
    through: Protocol | None = None  #: whose route it was found in


class Resolver:
    """Looks next hops up in one state of the tables, each once for a speaker."""

    def __init__(self, view: Rib, speakers: tuple[Speaker, ...]) -> None:
        self.view, self.speakers = view, speakers
        self.known: dict[tuple[int, Address], Resolution] = {}

    def of(self, speaker: int, address: Address) -> Resolution:
        """The resolution of a next hop for prefixes that do not hold it."""
        key = (speaker, address)
        found = self.known.get(key)
        if found is None:
            found = self.known[key] = self._resolve(self.speakers[speaker], address, 0)
        return found

    def for_prefix(self, speaker: int, address: Address, prefix: Prefix) -> Resolution:
        """The resolution for a prefix that may hold its own next hop.

        A route must not resolve through itself (9.1.2.1): once it were in the table, its next hop
        would be found in it, wherever it was found before.
        """
        found = self.of(speaker, address)
        if found.problem or address.version != prefix.version or address not in prefix:
            return found
        itself = found.length == prefix.prefixlen and found.through is Protocol.BGP
        if found.length < prefix.prefixlen or itself:
            return Resolution((), problem=f"its next hop {address} lies in the prefix itself")
        return found

    def _resolve(self, speaker: Speaker, address: Address, depth: int) -> Resolution:
        if speaker.table is None or speaker.instance is None:
            return Resolution(())
        table = self.view.interning.table_numbers[speaker.table]
        route = self.view.lookup(table, address)
        if route is None:
            return Resolution((), problem=f"no route to its next hop {address}")
        length = route.prefix.prefixlen
        if depth > _DEEPEST:
            return Resolution((), problem=f"its next hop {address} resolves through itself")
        if length == 0 and not speaker.instance.next_hop_by_default:
            text = f"only the default route leads to its next hop {address}"
            return Resolution((), problem=text, place=route.place)
        if route.protocol is Protocol.LOCAL or (
            route.protocol is Protocol.CONNECTED and length == route.prefix.max_prefixlen
        ):
            return Resolution((), problem=f"its next hop {address} is the device's own address")
        if route.discard:
            return Resolution(
                (DISCARD,), 0, place=route.place, length=length, through=route.protocol
            )
        if route.protocol is Protocol.CONNECTED:
            hops = tuple(NextHop(hop.interface, address) for hop in route.next_hops)
            return Resolution(hops, 0, length=length, through=route.protocol)
        hops = tuple(
            NextHop(hop.interface, hop.address or address, via=address, weight=hop.weight)
            for hop in route.next_hops
        )
        cost = route.metric
        if route.protocol is Protocol.BGP:
            via = next((hop.via for hop in route.next_hops if hop.via is not None), None)
            further = self._resolve(speaker, via, depth + 1) if via else None
            if further is not None and further.problem:
                return Resolution((), problem=f"its next hop {address} leads on: {further.problem}")
            cost = further.cost if further else 0
        return Resolution(hops, cost, place=route.place, length=length, through=route.protocol)
