"""Shapes of the field's own values: addresses, prefixes, ports, protocols, rates, times, areas."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from routrel.files.nodes import Node
from routrel.files.report import Report
from routrel.files.shapes import BAD, Bad, Shape, closest
from routrel.model.addresses import Address, InterfaceAddress, Prefix, not_for_an_interface
from routrel.model.filters import PortRange
from routrel.model.isis import NetworkEntityTitle
from routrel.model.network import Gateway, LinkEnd
from routrel.model.policy import PrefixRange
from routrel.model.traffic import ICMP_TYPES, ICMPV6_TYPES, PROTOCOL_NUMBERS, protocol_word

__all__ = [
    "AddressValue",
    "AreaValue",
    "GatewayValue",
    "IcmpTypeValue",
    "InterfaceAddressValue",
    "LinkEndValue",
    "NetworkEntityTitleValue",
    "PortRangeValue",
    "PrefixRangeValue",
    "PrefixValue",
    "ProtocolValue",
    "QuantityValue",
    "ReferenceValue",
    "format_area",
]


@dataclass(frozen=True)
class AddressValue(Shape):
    """An IPv4 or IPv6 address."""

    expects = "an IPv4 or IPv6 address"
    version: int | None = None  #: 4 or 6; None: either

    def read(self, node: Node, report: Report) -> Address | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        try:
            address = ipaddress.ip_address(text)
        except ValueError:
            hint = "leave the prefix length out" if "/" in text else ""
            return self.wrong(node, report, text, hint)
        if "%" in text or (self.version is not None and address.version != self.version):
            return self.wrong(node, report, text, f"IPv{self.version or 6} without a zone is meant")
        return address

    def write(self, value: Address) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        formats = {4: ["ipv4"], 6: ["ipv6"]}.get(self.version or 0, ["ipv4", "ipv6"])
        return {"type": "string", "anyOf": [{"format": name} for name in formats]}


@dataclass(frozen=True)
class GatewayValue(AddressValue):
    """A gateway's address, kept with its place."""

    def read(self, node: Node, report: Report) -> Gateway | Bad:  # type: ignore[override]
        address = super().read(node, report)
        return address if isinstance(address, Bad) else Gateway(address=address, place=node.place)

    def write(self, value: Gateway) -> str:  # type: ignore[override]
        return str(value.address)


@dataclass(frozen=True)
class InterfaceAddressValue(Shape):
    """An interface's address with its prefix length, as 10.64.7.1/24."""

    expects = "an address with its prefix length, as 10.64.7.1/24 or 2001:db8:7::1/64"

    def read(self, node: Node, report: Report) -> InterfaceAddress | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        _, slash, length = text.partition("/")
        try:
            if not slash or not length.isdecimal() or "%" in text:
                raise ValueError
            value = ipaddress.ip_interface(text)
        except ValueError:
            hint = "add the prefix length" if not slash else ""
            return self.wrong(node, report, text, hint)
        if problem := not_for_an_interface(value):
            report.error(
                node.place,
                "bad_address",
                f"{text} is {problem}",
                "give the interface's own address",
            )
            return BAD
        return value

    def write(self, value: InterfaceAddress) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": r"^[0-9A-Fa-f:.]+/[0-9]{1,3}$"}


@dataclass(frozen=True)
class PrefixValue(Shape):
    """A prefix, as 10.64.0.0/12; a bare address means that one address."""

    expects = "a prefix, as 10.64.0.0/12 or 2001:db8::/32"

    def read(self, node: Node, report: Report) -> Prefix | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        _, slash, length = text.partition("/")
        try:
            if (slash and not length.isdecimal()) or "%" in text:
                raise ValueError
            return ipaddress.ip_network(text)
        except ValueError:
            try:
                loose = ipaddress.ip_network(text, strict=False)
            except ValueError:
                return self.wrong(node, report, text)
            return self.wrong(node, report, text, f"did you mean {loose}?")

    def write(self, value: Prefix) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": r"^[0-9A-Fa-f:.]+(/[0-9]{1,3})?$"}


@dataclass(frozen=True)
class PrefixRangeValue(Shape):
    """A prefix, alone or with lengths of more specific ones: 10.64.0.0/12 up to /24."""

    expects = (
        "a prefix, alone or as 10.64.0.0/12 up to /24, as … from /20 to /24, or as … or longer"
    )

    def read(self, node: Node, report: Report) -> PrefixRange | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = re.fullmatch(
            r"(\S+?)(?: from /([0-9]{1,3}) to /([0-9]{1,3})| up to /([0-9]{1,3})|( or longer))?",
            text,
        )
        if not found:
            return self.wrong(node, report, text)
        try:
            prefix = ipaddress.ip_network(found[1])
        except ValueError:
            return self.wrong(node, report, text)
        shortest = longest = prefix.prefixlen
        if found[5]:
            longest = prefix.max_prefixlen
        elif found[4]:
            longest = int(found[4])
        elif found[3]:
            shortest, longest = int(found[2]), int(found[3])
        if not prefix.prefixlen <= shortest <= longest <= prefix.max_prefixlen:
            return self.wrong(node, report, text, "the lengths must rise from the prefix's own")
        return PrefixRange(prefix, shortest, longest)

    def write(self, value: PrefixRange) -> str:
        length, most = value.prefix.prefixlen, value.prefix.max_prefixlen
        if (value.shortest, value.longest) == (length, length):
            return str(value.prefix)
        if value.shortest != length:
            return f"{value.prefix} from /{value.shortest} to /{value.longest}"
        if value.longest == most:
            return f"{value.prefix} or longer"
        return f"{value.prefix} up to /{value.longest}"

    def schema(self) -> dict[str, Any]:
        lengths = r"( from /[0-9]{1,3} to /[0-9]{1,3}| up to /[0-9]{1,3}| or longer)?"
        return {"type": "string", "pattern": rf"^[0-9A-Fa-f:.]+(/[0-9]{{1,3}})?{lengths}$"}


@dataclass(frozen=True)
class NetworkEntityTitleValue(Shape):
    """An IS-IS network entity title, as 49.0001.1921.6800.1001.00."""

    expects = "a network entity title, as 49.0001.1921.6800.1001.00"

    def read(self, node: Node, report: Report) -> NetworkEntityTitle | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = re.fullmatch(
            r"([0-9a-f]{2}(?:\.[0-9a-f]{4}){0,6})\.((?:[0-9a-f]{4}\.){2}[0-9a-f]{4})\.00",
            text.lower(),
        )
        if not found:
            return self.wrong(node, report, text)
        return NetworkEntityTitle(area=found[1], system=found[2])

    def write(self, value: NetworkEntityTitle) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": r"^[0-9A-Fa-f.]+\.00$"}


@dataclass(frozen=True)
class PortRangeValue(Shape):
    """A port or a range of ports, as 443 or 5000-6000."""

    expects = "a port from 0 to 65535, or a range as 5000-6000"

    def read(self, node: Node, report: Report) -> PortRange | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = re.fullmatch(r"([0-9]{1,5})(?:-([0-9]{1,5}))?", text)
        if not found:
            return self.wrong(node, report, text)
        first = int(found[1])
        last = int(found[2] or found[1])
        if last > 65535 or first > 65535:
            return self.wrong(node, report, text)
        if first > last:
            return self.wrong(node, report, text, f"did you mean {last}-{first}?")
        return PortRange(first, last)

    def write(self, value: PortRange) -> int | str:
        return value.first if value.first == value.last else str(value)

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [
                {"type": "integer", "minimum": 0, "maximum": 65535},
                {"type": "string", "pattern": "^[0-9]{1,5}-[0-9]{1,5}$"},
            ]
        }


@dataclass(frozen=True)
class ProtocolValue(Shape):
    """An IP protocol by name or IANA number; `any` is read as -1, since None means not given."""

    expects = "any, a protocol name (tcp, udp, icmp, ...) or a number from 0 to 255"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if text == "any":
            return -1
        if text in PROTOCOL_NUMBERS:
            return PROTOCOL_NUMBERS[text]
        if re.fullmatch(r"[0-9]{1,3}", text) and int(text) <= 255:
            return int(text)
        return self.wrong(node, report, text, closest(text, [*PROTOCOL_NUMBERS, "any"]))

    def write(self, value: int) -> int | str:
        return "any" if value == -1 else protocol_word(value)

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [
                {"enum": ["any", *PROTOCOL_NUMBERS]},
                {"type": "integer", "minimum": 0, "maximum": 255},
            ]
        }


@dataclass(frozen=True)
class IcmpTypeValue(Shape):
    """An ICMP type as written; its number depends on the rule's protocol, so it stays text."""

    expects = "an ICMP type: a name as echo-request, or a number from 0 to 255"

    def read(self, node: Node, report: Report) -> str | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        known = {**ICMP_TYPES, **ICMPV6_TYPES}
        if text in known or (re.fullmatch(r"[0-9]{1,3}", text) and int(text) <= 255):
            return text
        return self.wrong(node, report, text, closest(text, known))

    def write(self, value: str) -> int | str:
        return int(value) if value.isdecimal() else value

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [
                {"enum": sorted({*ICMP_TYPES, *ICMPV6_TYPES})},
                {"type": "integer", "minimum": 0, "maximum": 255},
            ]
        }


@dataclass(frozen=True)
class QuantityValue(Shape):
    """A number with its unit, as 1 Gb/s; read as a whole number of the smallest unit."""

    units: tuple[tuple[str, int], ...]  #: unit and how many of the smallest it is, rising
    example: str

    @property
    def expects(self) -> str:  # type: ignore[override]
        return f"a number with its unit ({', '.join(u for u, _ in self.units)}), as {self.example}"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        found = re.fullmatch(r"([0-9]{1,12}(?:\.[0-9]{1,9})?) ?([A-Za-z/]+)", text)
        factor = dict(self.units).get(found[2]) if found else None
        if not found or factor is None:
            hint = f"add the unit, as {self.example}" if re.fullmatch(r"[0-9.]+", text) else ""
            return self.wrong(node, report, text, hint)
        amount = Fraction(found[1]) * factor
        if amount.denominator != 1 or amount == 0:
            return self.wrong(node, report, text, f"at least one whole {self.units[0][0]}")
        return int(amount)

    def write(self, value: int) -> str:
        unit, factor = next(
            (unit for unit in reversed(self.units) if value % unit[1] == 0), self.units[0]
        )
        return f"{value // factor} {unit}"

    def schema(self) -> dict[str, Any]:
        units = "|".join(unit for unit, _ in self.units)
        return {"type": "string", "pattern": rf"^[0-9]+(\.[0-9]+)? ?({units})$"}


@dataclass(frozen=True)
class AreaValue(Shape):
    """An OSPF area as a number or in dotted form; both name the same 32 bits (RFC 2328 C.2)."""

    expects = "an area: a number, or dotted as 0.0.0.4"

    def read(self, node: Node, report: Report) -> int | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        if re.fullmatch(r"[0-9]{1,10}", text) and int(text) < 2**32:
            return int(text)
        try:
            return int(ipaddress.IPv4Address(text))
        except ValueError:
            return self.wrong(node, report, text)

    def schema(self) -> dict[str, Any]:
        return {
            "anyOf": [
                {"type": "integer", "minimum": 0, "maximum": 2**32 - 1},
                {"type": "string", "format": "ipv4"},
            ]
        }


def format_area(area: int) -> str:
    """An area as people say it: a small number as such, a large one dotted."""
    return str(area) if area < 2**16 else str(ipaddress.IPv4Address(area))


@dataclass(frozen=True)
class LinkEndValue(Shape):
    """One end of a link, as ald-core-1:port1."""

    expects = "a device and its interface, as ald-core-1:port1"

    def read(self, node: Node, report: Report) -> LinkEnd | Bad:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        device, colon, interface = text.partition(":")
        if not (device and colon and interface):
            return self.wrong(node, report, text)
        return LinkEnd(device=device, interface=interface, place=node.place)

    def write(self, value: LinkEnd) -> str:
        return str(value)

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": "^[^:]+:.+$"}


@dataclass(frozen=True)
class ReferenceValue(Shape):
    """The name of something defined elsewhere, kept with the place where it is used."""

    cls: type[Any]  #: a dataclass with the attribute below and `place`
    attribute: str
    expects: str

    def read(self, node: Node, report: Report) -> Any:
        text = self.scalar(node, report)
        if isinstance(text, Bad):
            return BAD
        return self.cls(**{self.attribute: text}, place=node.place)

    def write(self, value: Any) -> Any:
        return getattr(value, self.attribute)

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number"]}
