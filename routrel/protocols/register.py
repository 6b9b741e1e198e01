"""Every protocol there is: the one place that names them all."""

from __future__ import annotations

from collections.abc import Iterator

from routrel.protocols.bgp.domain import BgpDomain
from routrel.protocols.bgp.result import BgpResult
from routrel.protocols.connected.domain import ConnectedDomain
from routrel.protocols.contract import Domain, Results
from routrel.protocols.eigrp.domain import EigrpDomain
from routrel.protocols.isis.domain import IsisDomain
from routrel.protocols.leaked.domain import LeakedDomain
from routrel.protocols.ospf.domain import OspfDomain
from routrel.protocols.rip.domain import RipDomain
from routrel.protocols.shared.recent import Parts
from routrel.protocols.static.domain import StaticDomain
from routrel.rib.candidates import Interning, Protocol
from routrel.topology.segments import Topology
from routrel.topology.touched import touched

__all__ = ["bgp_of", "domains"]


def domains(
    topology: Topology, interning: Interning, since: Results, parts: Parts
) -> Iterator[Domain]:
    """All protocols of a network, in the order in which they are computed.

    Args:
        since: What they came to in much the same network, whose numbers `interning` began with;
            empty: nothing is known. It is not changed.
        parts: Of results of this network or the one before; more is added.
    """
    yield ConnectedDomain(topology, interning, parts)
    yield StaticDomain(topology, interning, parts)
    yield OspfDomain(topology, Protocol.OSPF, interning, parts)
    yield OspfDomain(topology, Protocol.OSPFV3, interning, parts)
    yield RipDomain(topology, Protocol.RIP, interning)
    yield RipDomain(topology, Protocol.RIPNG, interning)
    yield EigrpDomain(topology, interning)
    yield IsisDomain(topology, interning)
    known = since.get(Protocol.BGP)
    memory = None
    if isinstance(known, BgpResult):
        seen_otherwise = touched(known.domain.topology, topology)
        memory = known.memory.onward(topology, seen_otherwise)
    yield BgpDomain(topology, interning, memory)
    yield LeakedDomain(topology, interning)


def bgp_of(results: Results) -> BgpResult:
    """What BGP came to, for what is asked of BGP alone."""
    found = results[Protocol.BGP]
    if not isinstance(found, BgpResult):
        raise TypeError(found)
    return found
