"""Sends real packets through a lab and tells what became of each, from what crossed every wire."""

from __future__ import annotations

import contextlib
import json
import selectors
import socket
import struct
import time
from dataclasses import dataclass, field
from typing import Any

from tests.kernel.namespaces import Namespaces, inside

__all__ = ["PORT", "Event", "Probe", "Seen", "rule_hits", "send"]

_ETH_P_ALL = 3
_OUTGOING = 4
#: Every address of a namespace, which nobody outside of the lab can reach.
_ANY = {socket.AF_INET: "0.0.0.0", socket.AF_INET6: "::"}  # noqa: S104
_QUIET_SECONDS = 0.15
#: TCP sends again after one second (RFC 6298 2); what comes then is no other packet.
_LONGEST_SECONDS = 0.8
#: Where packets to be answered go: UDP and TCP listeners of the labs.
PORT = 7000
_PROBE_DF, _NEVER_DF = 3, 5  # IP_PMTUDISC_PROBE, IP_PMTUDISC_OMIT


@dataclass(frozen=True)
class Probe:
    """One packet. `number` becomes its source port, which tells it apart."""

    number: int
    source: str  #: device
    source_address: str
    destination: str  #: address
    protocol: str = "udp"
    port: int = PORT
    size: int | None = None  #: bytes of the IP packet, of UDP alone
    may_fragment: bool = False
    ttl: int = 64
    dscp: int = 0

    @property
    def version(self) -> int:
        return 6 if ":" in self.destination else 4


@dataclass(frozen=True, order=True)
class Event:
    """A packet on a wire. The order is that of the way, told by the time to live."""

    gone: int  #: how much of 255 was used up
    arrives: bool
    device: str
    interface: str


@dataclass
class Seen:
    """What became of a probe and of the answer to it."""

    there: list[Event] = field(default_factory=list)
    back: list[Event] = field(default_factory=list)
    received: set[str] = field(default_factory=set)
    answered: bool = False
    refused: bool = False  #: the source's kernel would not send it
    #: By ICMP type and code, the devices that sent one about the probe or its answer.
    errors: dict[tuple[int, int], set[str]] = field(default_factory=dict)


def send(space: Namespaces, probes: list[Probe], devices: list[str]) -> dict[int, Seen]:
    """Send all probes and listen until the lab is quiet."""
    _SEQUENCES.clear()
    _UNKNOWN.clear()
    _RECEIVED.clear()
    seen = {probe.number: Seen() for probe in probes}
    by_number = {probe.number: probe for probe in probes}
    with contextlib.ExitStack() as stack:
        selector = stack.enter_context(selectors.DefaultSelector())
        for device in devices:
            _listen(space, device, selector, stack)
        senders = []
        for probe in probes:
            sender = _send(space, probe, seen[probe.number])
            if sender is not None:
                senders.append(stack.enter_context(contextlib.closing(sender)))
                if probe.protocol == "udp":
                    selector.register(sender, selectors.EVENT_READ, ("answer", probe.number))
        began = time.monotonic()
        while ready := selector.select(_QUIET_SECONDS):
            for key, _ in ready:
                what, where = key.data
                _take(key.fileobj, what, where, by_number, seen)
            if time.monotonic() > began + _LONGEST_SECONDS:
                break
        # What was heard at one device before it was known at another whose it is.
        for data, event in _UNKNOWN:
            _note(data, event, seen, last=True)
        for sequence, device in _RECEIVED:
            number = _SEQUENCES.get(int.from_bytes(sequence), 0)
            if number in seen:
                seen[number].received.add(device)
        for probe, sender in zip(
            [p for p in probes if not seen[p.number].refused], senders, strict=True
        ):
            if probe.protocol == "tcp":
                seen[probe.number].answered = sender.getsockopt(
                    socket.SOL_SOCKET, socket.SO_ERROR
                ) == 0 and _connected(sender)
    for one in seen.values():
        one.there.sort()
        one.back.sort()
    return seen


def _connected(sender: socket.socket) -> bool:
    with contextlib.suppress(OSError):
        sender.getpeername()
        return True
    return False


def _listen(space: Namespaces, device: str, selector: Any, stack: contextlib.ExitStack) -> None:
    with inside(space.real[device]):
        tap = socket.socket(socket.AF_PACKET, socket.SOCK_DGRAM, socket.ntohs(_ETH_P_ALL))
        tap.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
        selector.register(
            stack.enter_context(contextlib.closing(tap)), selectors.EVENT_READ, ("tap", device)
        )
        for family, option in ((socket.AF_INET, 0), (socket.AF_INET6, 1)):
            listener = socket.socket(family, socket.SOCK_STREAM)
            if option:
                listener.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
            listener.bind((_ANY[family], PORT))
            listener.listen(64)
            stack.enter_context(contextlib.closing(listener))
            answerer = socket.socket(family, socket.SOCK_DGRAM)
            if option:
                answerer.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
                answerer.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_RECVPKTINFO, 1)
            else:
                answerer.setsockopt(socket.IPPROTO_IP, 8, 1)  # IP_PKTINFO
            answerer.bind((_ANY[family], PORT))
            selector.register(
                stack.enter_context(contextlib.closing(answerer)),
                selectors.EVENT_READ,
                ("udp", device),
            )
        for family, protocol in (
            (socket.AF_INET, socket.IPPROTO_TCP),
            (socket.AF_INET6, socket.IPPROTO_TCP),
        ):
            raw = socket.socket(family, socket.SOCK_RAW, protocol)
            selector.register(
                stack.enter_context(contextlib.closing(raw)), selectors.EVENT_READ, ("tcp", device)
            )


def _send(space: Namespaces, probe: Probe, seen: Seen) -> socket.socket | None:
    v6 = probe.version == 6
    with inside(space.real[probe.source]):
        kind = socket.SOCK_STREAM if probe.protocol == "tcp" else socket.SOCK_DGRAM
        sender = socket.socket(socket.AF_INET6 if v6 else socket.AF_INET, kind)
    sender.setblocking(False)
    _mark(sender, probe)
    if v6:
        sender.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_UNICAST_HOPS, probe.ttl)
    else:
        sender.setsockopt(socket.IPPROTO_IP, socket.IP_TTL, probe.ttl)
    sender.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sender.bind((probe.source_address, probe.number))
        if probe.protocol == "tcp":
            sender.connect((probe.destination, probe.port))
        else:
            headers = 48 if v6 else 28
            payload = struct.pack("!H", probe.number) + bytes(
                max(0, (probe.size or headers + 2) - headers - 2)
            )
            sender.sendto(payload, (probe.destination, probe.port))
    except BlockingIOError:
        pass
    except OSError:
        seen.refused = True
        sender.close()
        return None
    return sender


def _mark(sender: socket.socket, probe: Probe) -> None:
    """A socket's code point, and whether what it sends may be cut whatever path MTU was learned."""
    if probe.version == 6:
        sender.setsockopt(socket.IPPROTO_IPV6, 23, _PROBE_DF)  # IPV6_MTU_DISCOVER
        sender.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_TCLASS, probe.dscp << 2)
    else:
        sender.setsockopt(socket.IPPROTO_IP, socket.IP_TOS, probe.dscp << 2)
        sender.setsockopt(socket.IPPROTO_IP, 10, _NEVER_DF if probe.may_fragment else _PROBE_DF)


def _take(
    source: Any, what: str, where: Any, probes: dict[int, Probe], seen: dict[int, Seen]
) -> bool:
    """Read one packet; whether it belongs to a probe."""
    if what == "tap":
        data, (interface, _, kind, *_) = source.recvfrom(65535)
        way = "out" if kind == _OUTGOING else "in"
        return _note(data, Event(_gone(data), way == "in", where, interface), seen)
    if what == "answer":
        with contextlib.suppress(OSError):
            source.recvfrom(65535)
            seen[where].answered = True
        return True
    if what == "tcp":
        data = source.recv(65535)
        at = (data[0] & 15) * 4 if source.family == socket.AF_INET else 0
        number, answer = _number(data, at, 6, seen)
        if number in seen and not answer:
            seen[number].received.add(where)
        elif not answer:
            _RECEIVED.append((data[at + 4 : at + 8], where))
        return number in seen
    data, control, _, sender = source.recvmsg(65535, 256)
    number = struct.unpack_from("!H", data)[0] if len(data) >= 2 else 0
    if number in seen:
        seen[number].received.add(where)
        with contextlib.suppress(OSError):
            # Bare: the packet leaves from the address it was sent to.
            _mark(source, probes[number])
            source.sendmsg(
                [data],
                [(level, kind, _answer_from(level, value)) for level, kind, value in control],
                0,
                sender,
            )
    return number in seen


def _answer_from(level: int, value: bytes) -> bytes:
    """Packet information for an answer: from the address asked, by whatever interface."""
    if level == socket.IPPROTO_IP:
        _, local, _ = struct.unpack("i4s4s", value)
        return struct.pack("i4s4s", 0, local, bytes(4))
    return value[:16] + struct.pack("i", 0)


def _note(data: bytes, event: Event, seen: dict[int, Seen], *, last: bool = False) -> bool:
    """A packet on a wire: of a probe, of its answer, or an ICMP error about it."""
    parsed = _parse(data)
    if parsed is None:
        return False
    protocol, at, fragment = parsed
    if event.interface == "lo":
        return False  # a device to itself: on no wire
    if protocol in (6, 17) and not fragment and len(data) >= at + (10 if protocol == 17 else 14):
        number, answer = _number(data, at, protocol, seen)
        if number in seen:
            (seen[number].back if answer else seen[number].there).append(event)
            return True
        if protocol == 6 and not last:
            _UNKNOWN.append((data, event))
    if protocol in (1, 58) and not event.arrives and len(data) >= at + 8:
        kind, code = data[at], data[at + 1]
        inner = _parse(data[at + 8 :])
        if (
            kind in ((3, 11) if protocol == 1 else (1, 2, 3))
            and inner
            and len(data) >= at + 8 + inner[1] + 2
        ):
            number = struct.unpack_from("!H", data, at + 8 + inner[1])[0]
            if number in seen:
                seen[number].errors.setdefault((kind, code), set()).add(event.device)
    return False


#: Of TCP, the probes by the number their sequence begins with, which no translation changes.
_SEQUENCES: dict[int, int] = {}
_UNKNOWN: list[tuple[bytes, Event]] = []
_RECEIVED: list[tuple[bytes, str]] = []


def _number(data: bytes, at: int, protocol: int, seen: dict[int, Seen]) -> tuple[int, bool]:
    """Whose packet it is, and whether it is an answer; translation may have changed its ports."""
    source, destination = struct.unpack_from("!HH", data, at)
    if protocol == 17:
        number: int = struct.unpack_from("!H", data, at + 8)[0]
        return number, destination != PORT
    sequence, acknowledged = struct.unpack_from("!II", data, at + 4)
    flags = data[at + 13] & 0x17
    if flags == 0x02:
        if source in seen:
            _SEQUENCES.setdefault(sequence, source)
        return _SEQUENCES.get(sequence, 0), False
    if flags == 0x12:
        return _SEQUENCES.get((acknowledged - 1) % 2**32, 0), True
    return 0, False


def _gone(data: bytes) -> int:
    version = data[0] >> 4 if data else 0
    return 255 - (data[8] if version == 4 else data[7] if version == 6 else 0)


def _parse(data: bytes) -> tuple[int, int, bool] | None:
    """Protocol, where its header begins, and whether this is a later fragment."""
    if len(data) >= 20 and data[0] >> 4 == 4:
        offset = struct.unpack_from("!H", data, 6)[0] & 0x1FFF
        return data[9], (data[0] & 15) * 4, offset > 0
    if len(data) >= 40 and data[0] >> 4 == 6:
        return data[6], 40, False
    return None


def rule_hits(space: Namespaces, device: str) -> dict[int, set[str]]:
    """By a probe's number, the rules that decided at a device: about it, or about its answer."""
    found: dict[int, set[str]] = {}
    for item in json.loads(space.nft_json(device))["nftables"]:
        if "set" in item and item["set"]["table"] == "t":
            for element in item["set"].get("elem", []):
                port = element["elem"]["val"] if isinstance(element, dict) else element
                found.setdefault(port, set()).add(item["set"]["name"])
    return found
