"""A network's devices and links as GraphML, for programs that draw and measure graphs."""

from __future__ import annotations

from collections.abc import Mapping
from xml.etree import ElementTree

from routrel.model.network import Network

__all__ = ["write_graphml"]

_NAMESPACE = "http://graphml.graphdrawing.org/xmlns"
_NODE_KEYS = ("role", "site", "description")
_EDGE_KEYS = ("name", "source-interface", "target-interface")


def write_graphml(
    network: Network, links: Mapping[str, tuple[tuple[str, str], tuple[str, str]]]
) -> str:
    """Devices as nodes and links as edges; a segment of several ends is a node of its own.

    Args:
        links: By name: the two ends, device and interface; the name of a segment of several ends
            stands for a device there.
    """
    ElementTree.register_namespace("", _NAMESPACE)
    document = ElementTree.Element(f"{{{_NAMESPACE}}}graphml")
    for where, names in (("node", _NODE_KEYS), ("edge", _EDGE_KEYS)):
        for name in names:
            attributes = {
                "id": f"{where}-{name}", "for": where, "attr.name": name, "attr.type": "string",
            }  # fmt: skip
            ElementTree.SubElement(document, f"{{{_NAMESPACE}}}key", attributes)
    graph = ElementTree.SubElement(
        document, f"{{{_NAMESPACE}}}graph", {"id": network.name, "edgedefault": "undirected"}
    )
    devices = {device.name: device for device in network.devices}
    ends = {end for pair in links.values() for end, _ in pair}
    for name in sorted({*devices, *ends}):
        node = ElementTree.SubElement(graph, f"{{{_NAMESPACE}}}node", {"id": name})
        device = devices.get(name)
        values = {
            "role": device.role.value if device else "segment",
            "site": device.site or "" if device else "",
            "description": device.description if device else "",
        }
        _data(node, "node", values)
    for name, (one, other) in links.items():
        edge = ElementTree.SubElement(
            graph, f"{{{_NAMESPACE}}}edge", {"source": one[0], "target": other[0]}
        )
        _data(
            edge,
            "edge",
            {"name": name, "source-interface": one[1], "target-interface": other[1]},
        )
    ElementTree.indent(document)
    return ElementTree.tostring(document, encoding="unicode", xml_declaration=True) + "\n"


def _data(element: ElementTree.Element, where: str, values: Mapping[str, str]) -> None:
    for name, value in values.items():
        if value:
            data = ElementTree.SubElement(element, f"{{{_NAMESPACE}}}data")
            data.set("key", f"{where}-{name}")
            data.text = value
