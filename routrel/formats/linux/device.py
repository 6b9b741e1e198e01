"""A Linux host as a device file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, device_text, interface_keys, name_for
from routrel.formats.linux.bundle import FILES, Bundle
from routrel.formats.linux.interfaces import LinuxInterface, read_interfaces
from routrel.formats.linux.routes import RouteTables, read_routes, vrf_of
from routrel.formats.linux.ruleset import Chain, FilterWriter, read_ruleset
from routrel.formats.linux.settings import Settings
from routrel.formats.linux.steering import Rules, read_rules
from routrel.formats.linux.translation import translation_rules
from routrel.model.network import DEFAULT_VRF
from routrel.model.observed import ObservedTable

__all__ = ["LinuxHost", "read_host", "read_host_tables"]

#: Priorities of chains: where connections begin to be tracked, and where ends are translated.
_TRACKED, _NEW_DESTINATION, _NEW_SOURCE = -200, -100, 100
#: Settings of an interface that change what the model takes for granted.
_UNLIKE_SETTINGS = {
    "proxy_arp": "answers for addresses of others", "arp_ignore": "may not answer",
    "src_valid_mark": "looks for the way back by marks", "route_localnet": "takes 127.0.0.0/8",
}  # fmt: skip
_OWN_STEERING = "tables"


@dataclass(slots=True)
class LinuxHost:
    """What the captures of a host come to."""

    name: str
    text: str  #: its device file
    routes: RouteTables = field(default_factory=RouteTables)
    observed: tuple[ObservedTable, ...] = ()  #: its tables, where the file alone would not do


def read_host(bundle: Bundle, role: str | None = None) -> LinuxHost:
    """Make a device file of a host's captures.

    Args:
        role: That somebody stated; None: by the setting that tells whether it forwards.
    """
    for name in FILES:
        if not bundle.has(name) and name in (
            "link.json",
            "addr.json",
            "route4.json",
            "sysctl.json",
        ):
            first = bundle.report("addr.json")
            first.note(f"{bundle.host}: {name} ({FILES[name]}) is missing")
    return _Writer(bundle, role).made()


def read_host_tables(bundle: Bundle) -> tuple[ObservedTable, ...]:
    """A host's tables alone, where its configuration is known from elsewhere."""
    ports = read_interfaces(bundle)
    names = {port.name: name_for(port.name) for port in ports.values() if port.table is None}
    return tuple(read_routes(bundle, ports).observed(bundle.host, names))


class _Writer:
    def __init__(self, bundle: Bundle, role: str | None) -> None:
        self.bundle, self.stated_role = bundle, role
        self.settings = Settings(bundle)
        self.ports = read_interfaces(bundle)
        self.routes = read_routes(bundle, self.ports)
        self.ruleset = read_ruleset(bundle)
        self.shown = [port for port in self.ports.values() if self._is_shown(port)]
        self.names = {port.name: name_for(port.name) for port in self.shown}
        self.ruleset.others = frozenset(self.ports) - frozenset(self.names)
        self.bound: dict[str, dict[str, list[str]]] = {}  #: by interface: filters in and out

    def made(self) -> LinuxHost:
        role, families = self._role()
        ignoring = self._ignores_dead_links()
        self.routes.hold(self.ports, ignoring_dead=ignoring)
        statics = self.routes.statics(self.ports)
        rules = self._rules()
        filters = FilterWriter(self.ruleset, self.names)
        traffic = self._bind(filters)
        translation = translation_rules(self.ruleset, self.names)
        plain: dict[str, Any] = {
            "routrel": 1,
            "device": self.bundle.host,
            "role": role,
            "processing": "linux",
        }
        if families:
            plain["forwards"] = families
        unlike = self.routes.unlike
        if unlike:
            plain["tables"] = Said("known", _shortened(unlike))
        if ignoring:
            plain["ignore-dead-links"] = True
        interfaces = {self.names[port.name]: self._interface(port) for port in self.shown}
        if interfaces:
            plain["interfaces"] = interfaces
        if statics.get(DEFAULT_VRF):
            plain["static"] = statics[DEFAULT_VRF]
        vrfs = self._vrfs(statics, rules)
        if vrfs:
            plain["vrfs"] = vrfs
        if rules.rules:
            plain["steering"] = {_OWN_STEERING: {"rules": rules.rules}}
            for kind in ("through-traffic", "own-traffic"):
                traffic.setdefault(kind, {})["steering"] = Said(_OWN_STEERING)
        plain.update(traffic)
        if translation:
            plain["translation"] = translation
        if filters.filters:
            plain["filters"] = filters.filters
        heading = [
            f"made from what {self.bundle.host} said of itself; each line names where it stood"
        ]
        return LinuxHost(
            self.bundle.host,
            device_text(plain, heading),
            self.routes,
            tuple(self.routes.observed(self.bundle.host, self.names)) if unlike else (),
        )

    # --- the device as a whole -----------------------------------------------------------------

    def _role(self) -> tuple[str, list[str]]:
        """Whether it forwards, and of which families only."""
        four = self.settings.value("ipv4", "ip_forward") or self.settings.value(
            "ipv4", "conf", "all", "forwarding"
        )
        six = self.settings.value("ipv6", "conf", "all", "forwarding")
        if self.stated_role is not None:
            forwards = [name for name, on in (("ipv4", four), ("ipv6", six)) if on]
            narrowed = self.stated_role != "host" and self.settings.known and len(forwards) == 1
            return self.stated_role, forwards if narrowed else []
        if not self.settings.known:
            self.bundle.report("sysctl.json").note(
                f"{self.bundle.host}: nothing says whether it forwards; taken not to"
            )
        if not four and not six:
            return "host", []
        self._note_single_settings(bool(four))
        return "router", [] if four and six else ["ipv4" if four else "ipv6"]

    def _note_single_settings(self, forwards: bool) -> None:
        """Name interfaces that differ from the rest in what they forward."""
        report = self.bundle.report("sysctl.json")
        for port in self.ports.values():
            path = ("ipv4", "conf", port.name, "forwarding")
            if forwards and port.addresses and not self.settings.value(*path, default=1):
                text = f"{port.name} alone does not forward IPv4, which is not modelled"
                report.unknown(text)

    def _ignores_dead_links(self) -> bool:
        report = self.bundle.report("sysctl.json")
        values = {
            self.settings.of(family, port.name, "ignore_routes_with_linkdown")
            for port in self.ports.values()
            if port.addresses and not port.is_inner
            for family in {f"ipv{address.version}" for address in port.addresses}
        }
        if len(values) > 1:
            report.unknown("some interfaces ignore routes over dead links and some do not")
        return bool(values) and all(values)

    # --- interfaces and tables -----------------------------------------------------------------

    def _is_shown(self, port: LinuxInterface) -> bool:
        """Whether an interface is one of the model's."""
        if port.table is not None:
            return False  # a VRF itself
        asked = bool(self.ruleset.chains)  # rules often name the loopback
        return "LOOPBACK" not in port.flags or bool(port.addresses) or asked

    def _interface(self, port: LinuxInterface) -> Said:
        kind = "loopback" if port.is_inner else "ethernet"
        made = interface_keys(
            kind="point-to-point" if port.point_to_point else kind,
            description=port.alias,
            enabled=port.enabled,
            carrier=port.carrier,
            vrf=vrf_of(port, self.ports),
            addresses=port.addresses,
        )
        if port.mtu != 1500 and not port.is_inner:
            made["mtu"] = min(max(port.mtu, 68), 65535)
        if uses := self.bound.get(port.name):
            made["filters"] = {
                way: names[0] if len(names) == 1 else names for way, names in uses.items()
            }
        if not port.is_inner:
            made.update(self._checks(port))
        master = self.ports.get(port.master or "")
        if master is not None and master.table is None:
            port.entry.unknown(f"{port.name} belongs to {master.name}, which is not modelled")
        return Said(made, port.entry.remark)

    def _checks(self, port: LinuxInterface) -> dict[str, Any]:
        made: dict[str, Any] = {}
        check = self.settings.higher_of("ipv4", port.name, "rp_filter")
        if check:
            made["reverse-path-check"] = "strict" if check == 1 else "loose"
        if self.settings.higher_of("ipv4", port.name, "accept_local"):
            made["accept-own-source"] = True
        for name, words in _UNLIKE_SETTINGS.items():
            if self.settings.higher_of("ipv4", port.name, name):
                text = f"{port.name} {words} ({name}), which is not modelled"
                self.bundle.report("sysctl.json").unknown(text)
        return made

    def _rules(self) -> Rules:
        tables = {port.table: name_for(port.name) for port in self.ports.values() if port.table}
        filled = {route.table for route in self.routes.routes}
        return read_rules(self.bundle, tables, filled, self.ruleset.marks, self.names)

    def _vrfs(self, statics: Mapping[str, list[Said]], rules: Rules) -> dict[str, Any]:
        own = [name_for(port.name) for port in self.ports.values() if port.table]
        names = dict.fromkeys((*own, *sorted({*statics, *rules.tables})))
        names.pop(DEFAULT_VRF, None)
        return {
            name: {"static": statics[name]} if statics.get(name) else Said({}) for name in names
        }

    # --- filters -------------------------------------------------------------------------------

    def _bind(self, filters: FilterWriter) -> dict[str, dict[str, Any]]:
        """Write the filters of all hooks; what is bound for the device as a whole."""
        traffic: dict[str, dict[str, Any]] = {}
        for chain in self._ingress():
            name = filters.write(chain)
            for device in chain.devices if name else ():
                if device in self.ports:
                    self.bound.setdefault(device, {}).setdefault("in", []).append(str(name))
        arriving = self._named(filters, "prerouting")
        if arriving:
            traffic["arriving-traffic"] = {"filters": Said(arriving)}
        through = self._named(filters, "forward")
        if through:
            traffic["through-traffic"] = {"filters": Said(through)}
        own = {"in": self._named(filters, "input"), "out": self._named(filters, "output")}
        if any(own.values()):
            used = {way: names for way, names in own.items() if names}
            traffic["own-traffic"] = {"filters": Said(used)}
        for name in self._named(filters, "postrouting"):
            for port in self.shown:
                if not port.is_inner:
                    self.bound.setdefault(port.name, {}).setdefault("out", []).append(name)
        for hook in ("egress",):
            for chain in self.ruleset.at(hook):
                self.ruleset.unknown(chain, f"a chain at {hook} is not modelled")
        return traffic

    def _ingress(self) -> Iterator[Chain]:
        for chain in self.ruleset.at("ingress"):
            wired = [port.name for port in self.shown if not port.is_inner]
            if not chain.devices and len(wired) == 1:
                chain.devices = tuple(wired)
            elif not chain.devices and chain.rules:
                text = "the listing does not say at which interface it stands; left out"
                self.ruleset.unknown(chain, text)
            for device in chain.devices:
                if device not in self.ports:
                    self.ruleset.unknown(chain, f"{device} is no interface here")
            yield chain

    def _named(self, filters: FilterWriter, hook: str) -> list[str]:
        chains = self.ruleset.at(hook)
        if hook == "output":
            chains = sorted(
                (*chains, *self.ruleset.at(hook, "route")), key=lambda chain: chain.priority
            )
        found = []
        for chain in chains:
            self._check_place(chain)
            name = filters.write(chain)
            if name is not None:
                found.append(name)
        return found

    def _check_place(self, chain: Chain) -> None:
        """Name what a chain would see otherwise than the filters of the model do."""
        translated = {
            hook: any(c.rules for c in self.ruleset.at(hook, "nat"))
            for hook in ("prerouting", "output", "postrouting")
        }
        text = ""
        if chain.hook == "prerouting" and chain.priority > _NEW_DESTINATION:
            text = "sees destinations as translated" * translated["prerouting"]
        elif chain.hook == "output" and chain.priority < _NEW_DESTINATION:
            text = "sees destinations before they are translated" * translated["output"]
        elif chain.hook == "postrouting" and chain.priority > _NEW_SOURCE:
            text = "sees sources as translated" * translated["postrouting"]
        if text:
            self.ruleset.unknown(chain, f"{text}, which is not modelled at this place")
        early = chain.hook in ("prerouting", "output") and chain.priority <= _TRACKED
        if early and "'ct'" in str([rule.statements for rule in chain.rules]):
            self.ruleset.unknown(chain, "asks for sessions before any are known")
        if chain.kind == "route" and self.ruleset.marks:
            self.ruleset.unknown(chain, "may change the way of the host's own packets by marks")


def _shortened(reasons: list[str]) -> str:
    more = f", and {len(reasons) - 1} more" if len(reasons) > 1 else ""
    return f"not what its addresses and static routes come to: {reasons[0]}{more}"
