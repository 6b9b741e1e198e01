"""Links between devices: ietf-network with ietf-network-topology (RFC 8345), and our own of LLDP.

A link of these models leads one way, and may name what is not there.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from routrel.formats.device_text import name_for
from routrel.formats.yang.tree import Node

__all__ = ["StatedLinks", "read_topology"]

NETWORK, TOPOLOGY, LLDP = "ietf-network", "ietf-network-topology", "routrel-lldp"
End = tuple[str, str]


@dataclass(slots=True)
class StatedLinks:
    """Pairs of device and interface that are joined, each with how it is called and by whom."""

    links: dict[frozenset[End], tuple[str, str]] = field(default_factory=dict)

    def add(self, one: End, other: End, name: str, remark: str) -> None:
        """Keep a link, whichever end is named first."""
        self.links.setdefault(frozenset((one, other)), (name, remark))


def read_topology(data: Node, found: StatedLinks) -> None:
    """Add the links of a file."""
    for network in data.listed("networks", "network", NETWORK):
        network.ignore("network-id", "network-types", "supporting-network")
        nodes = set()
        for node in network.items("node"):
            nodes.add(node.text("node-id"))
            node.ignore("supporting-node")
            for point in node.items("termination-point", TOPOLOGY):
                point.ignore("tp-id", "supporting-termination-point")
        for link in network.items("link", TOPOLOGY):
            _link(link, nodes, found)
    for node in data.listed("neighbours", "neighbour", LLDP):
        ends = [node.text(key) for key in ("device", "interface", "neighbour", "port")]
        if all(ends):
            device, interface, neighbour, port = map(name_for, map(str, ends))
            name = f"{device}-{interface}"
            found.add((device, interface), (neighbour, port), name_for(name), node.remark)
        else:
            node.unknown("a neighbour needs device, interface, neighbour and port")


def _link(node: Node, nodes: set[str | None], found: StatedLinks) -> None:
    name = node.text("link-id") or ""
    node.ignore("supporting-link")
    source, destination = node.child("source"), node.child("destination")
    ends: list[tuple[str | None, str | None]] = [
        (holder.text(f"{word}-node"), holder.text(f"{word}-tp")) if holder else (None, None)
        for holder, word in ((source, "source"), (destination, "dest"))
    ]
    whole: list[End] = []
    for device, point in ends:
        if not device or not point:
            node.unknown(f"the link {name} has an end without a device or an interface; left out")
            return
        if device not in nodes:
            node.unknown(f"the link {name} leads to {device}, which is no node; left out")
            return
        whole.append((name_for(device), name_for(point)))
    if whole[0] == whole[1]:
        node.unknown(f"the link {name} leads back to where it begins; left out")
        return
    found.add(whole[0], whole[1], name_for(name), node.remark)
