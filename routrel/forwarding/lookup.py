"""What a device's tables and steering say about a packet."""

from __future__ import annotations

from dataclasses import dataclass, replace

from routrel.forwarding.fib import Discard, Entry, Fib, Forward, PassOn
from routrel.forwarding.filters import PacketContext, mismatch
from routrel.forwarding.translation import speaking_address
from routrel.model.addresses import Address
from routrel.model.network import Device, Interface, Processing, ReversePathCheck
from routrel.model.steering import Steering, SteeringRule
from routrel.model.traffic import Header
from routrel.rib.candidates import NextHop, Protocol
from routrel.rib.table import Rib, Route
from routrel.topology.segments import Topology

__all__ = ["LookedUp", "Lookup", "Steered", "SteeringTried"]

#: The longest match by table and address.
LookedUp = dict[tuple[int, Address], Entry | None]


@dataclass(frozen=True, slots=True)
class SteeringTried:
    """One steering rule and why it did not decide; empty for the one that did."""

    rule: SteeringRule
    mismatch: str


@dataclass(frozen=True, slots=True)
class Steered:
    """How steering decided; `rule` is None where the table decides."""

    rule: SteeringRule | None
    tried: tuple[SteeringTried, ...]
    next_hops: tuple[NextHop, ...] = ()
    discards: bool = False


class Lookup:
    """Look-ups in one state of the tables.

    Args:
        shorter: Whether `matches` has the routes behind the longest match too.
    """

    def __init__(self, topology: Topology, rib: Rib, *, shorter: bool = True) -> None:
        self.topology, self.fib, self.shorter = topology, Fib(rib), shorter
        self._tables, self._unread = rib.interning.table_numbers, rib.interning.unread
        #: The longest match for each table and address that was ever looked up.
        self.known: LookedUp = {}
        #: The same of those that somebody wants to know of; they may begin anew.
        self.asked: LookedUp = {}

    def is_unread(self, device: str, vrf: str) -> bool:
        """Whether a table is said to be taken as it was read, and was not: it is not known."""
        return self._tables[device, vrf] in self._unread

    def matches(self, device: str, vrf: str, destination: Address) -> tuple[Entry, ...]:
        """The entries that hold an address, longest first (RFC 1812 5.2.4.3)."""
        if not self.shorter:
            found = self.entry(device, vrf, destination)
            return () if found is None else (found,)
        return tuple(self.fib.matches(self._tables[device, vrf], destination))

    def entry(self, device: str, vrf: str, destination: Address) -> Entry | None:
        """The longest match for an address."""
        return self.entry_in(self._tables[device, vrf], destination)

    def entry_in(self, table: int, destination: Address) -> Entry | None:
        """The same, by the table's number."""
        key = (table, destination)
        if key not in self.known:
            self.known[key] = self.fib.lookup(table, destination)
        self.asked[key] = self.known[key]
        return self.known[key]

    def is_own(self, device: Device, address: Address) -> bool:
        """Whether an address is a device's own, in whatever VRF."""
        return any(
            self.topology.has_address(device, vrf.name, address) is not None for vrf in device.vrfs
        )

    def preferred(
        self, device: Device, source: Address, hops: tuple[NextHop, ...]
    ) -> tuple[NextHop, ...]:
        """The ways among several for what a device itself sends.

        With Linux processing an IPv4 source that is the address of the interface of one of them
        goes that way.
        """
        if len(hops) < 2 or device.processing is not Processing.LINUX or source.version == 6:
            return hops
        own = []
        for hop in hops:
            interface = device.interface(hop.interface or "")
            towards = hop.address or source
            if interface is not None and speaking_address(interface, towards) == source:
                own.append(hop)
        return tuple(own) or hops

    # --- steering ------------------------------------------------------------------------------

    def steered(
        self, device: Device, vrf: str, steering: Steering, header: Header, context: PacketContext
    ) -> Steered:
        """Hold a packet against steering rules from the top."""
        tried: list[SteeringTried] = []
        for rule in steering.rules:
            why_not = mismatch(rule.match, header, context)
            if rule.invert:
                why_not = "" if why_not else "it is what the rule excepts"
            if rule.version not in (None, header.destination.version):
                why_not = f"it is for IPv{rule.version} alone"
            if why_not:
                tried.append(SteeringTried(rule, why_not))
                continue
            found, why_not = self._apply(device, vrf, rule, header)
            tried.append(SteeringTried(rule, why_not))
            if found is not None:
                return replace(found, tried=tuple(tried))
        return Steered(None, tuple(tried))

    def _apply(
        self, device: Device, vrf: str, rule: SteeringRule, header: Header
    ) -> tuple[Steered | None, str]:
        if rule.drops:
            return Steered(rule, (), discards=True), ""
        if rule.table is not None:
            why_not = self._says_nothing(device, rule.table, rule.longer_than, header)
            return (None, f"{why_not}, so the next rule is tried") if why_not else (
                Steered(rule, ()), ""
            )  # fmt: skip
        for address in rule.next_hops:
            if address.version != header.destination.version:
                return None, "its next hop is of the other family"
            hops = self._usable(device, vrf, address)
            if hops:
                return Steered(rule, (), next_hops=hops), ""
        named = ", ".join(str(address) for address in rule.next_hops)
        if not rule.fall_back:
            return Steered(rule, (), discards=True), ""
        return None, f"its next hop {named} is not usable"

    def _says_nothing(
        self, device: Device, table: str, longer_than: int | None, header: Header
    ) -> str:
        """Why steering does not end at a table that it asks; empty where it does.

        With Linux processing a route that drops counts whatever its length.
        """
        entry = self.entry(device.name, table, header.destination)
        linux = device.processing is Processing.LINUX
        if entry is None:
            return f"table {table} has no route" if linux else ""
        prefix = entry.route.prefix
        if isinstance(entry.action, PassOn):
            return f"table {table} passes on what goes to {prefix}"
        if linux and isinstance(entry.action, Discard):
            return ""
        if longer_than is not None and prefix.prefixlen <= longer_than:
            return f"table {table} has only {prefix}, which is not longer than {longer_than}"
        return ""

    def _usable(self, device: Device, vrf: str, address: Address) -> tuple[NextHop, ...]:
        """The ways to a next hop at which somebody answers; not by the default route."""
        entry = self.entry(device.name, vrf, address)
        if entry is None or not isinstance(entry.action, Forward):
            return ()
        if entry.route.prefix.prefixlen == 0:
            return ()
        if entry.route.protocol is Protocol.LOCAL or self.is_own(device, address):
            return ()
        found = []
        for hop in entry.action.ways:
            interface = device.interface(hop.interface or "")
            nearest = hop.address or address
            if interface and self.topology.receiver(device.name, interface, nearest) is not None:
                found.append(NextHop(hop.interface, nearest, via=address, weight=hop.weight))
        return tuple(found)

    # --- the way back to a packet's source -----------------------------------------------------

    def way_back(
        self, device: Device, vrf: str, header: Header, out: Interface | None
    ) -> Route | None:
        """The route by which a device would answer a packet; None: none, or one that discards.

        With Linux processing steering of all arriving traffic is asked too, as if the answer came
        by the interface that the packet leaves by.
        """
        use = device.transit_traffic.steering
        if device.processing is Processing.LINUX and use is not None:
            steering = device.steering(use.steering)
            answer = header.reply()
            context = PacketContext(in_interface=out.name if out else None)
            found = self.steered(device, vrf, steering, answer, context) if steering else None
            if found is not None and found.discards:
                return None
            if found is not None and found.rule is not None and found.rule.table is not None:
                vrf = found.rule.table
        entry = self.entry(device.name, vrf, header.source)
        return entry.route if entry and isinstance(entry.action, Forward) else None

    def comes_back(self, route: Route | None, interface: Interface) -> bool:
        """Whether a route to the source satisfies an interface's check (RFC 3704 2.2, 2.4)."""
        if route is None:
            return False
        if interface.reverse_path_check is ReversePathCheck.LOOSE:
            return True
        return any(hop.interface == interface.name for hop in route.next_hops)
