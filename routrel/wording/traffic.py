"""A packet in words."""

from __future__ import annotations

from routrel.model.traffic import TCP, TCP_FLAGS, UDP, Header, icmp_type_name, protocol_name

__all__ = ["traffic_words"]


def traffic_words(header: Header) -> str:
    """A packet's protocol and port as people write them."""
    name = protocol_name(header.protocol)
    if header.protocol in (TCP, UDP) or header.destination_port is not None:
        told = f"{name} {header.destination_port}"
        if header.protocol != TCP or header.flags in ({"syn"}, {"syn", "ack"}):
            return told
        return f"{told} {' '.join(f for f in TCP_FLAGS if f in header.flags) or 'none'}"
    if header.icmp_type is not None:
        return f"{name} {icmp_type_name(header.protocol, header.icmp_type)}"
    return name
