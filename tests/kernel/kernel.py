"""Builds a lab in the kernel from device files as YAML gives them; shares no code with the engine."""

from __future__ import annotations

import ipaddress
import time
from collections.abc import Callable
from typing import Any

from tests.kernel.namespaces import Namespaces

__all__ = ["WIRES", "build", "rule_key", "shut"]

Device = dict[str, Any]
Rule = dict[str, Any]

#: The namespace that holds the bridges of shared segments.
WIRES = "wires"


def build(
    space: Namespaces, devices: dict[str, Device], segments: list[list[tuple[str, str]]]
) -> None:
    """Interfaces, addresses, routes, rules, filters and settings.

    Args:
        segments: The ends (device, interface) of each segment; two ends are one cable.
    """
    for name, device in devices.items():
        space.settings(name, _settings(device))  # first: interfaces take them over
    _cables(space, segments)
    for name, device in devices.items():
        space.ip(name, _interfaces(device), _version(device))
        space.settings(name, _interface_settings(device))
    for name, device in devices.items():
        version, tables = _version(device), _tables(device)
        for lines in (_routes(device, version, tables), _policy_rules(device, tables)):
            if lines:
                _once_ready(
                    lambda name=name, lines=lines, version=version: space.ip(name, lines, version)
                )
        space.nft(name, _ruleset(device))


def _once_ready(act: Callable[[], None]) -> None:
    """IPv6 takes routes only over links that have told they are up."""
    for _ in range(40):
        try:
            act()
            return
        except RuntimeError as error:
            if "No route to host" not in str(error):
                raise
            time.sleep(0.05)
    act()


def _cables(space: Namespaces, segments: list[list[tuple[str, str]]]) -> None:
    lines = []
    for number, ends in enumerate(segments):
        if len(ends) == 2:
            (a, i), (b, j) = ends
            lines.append(
                f"link add name {i} netns {space.real[a]} type veth "
                f"peer name {j} netns {space.real[b]}"
            )
            continue
        lines += [
            f"link add name br{number} mtu 9000 type bridge mcast_snooping 0",
            f"link set dev br{number} up",
        ]
        for place, (a, i) in enumerate(ends):
            port = f"b{number}p{place}"
            lines.append(
                f"link add name {port} mtu 9000 type veth peer name {i} netns {space.real[a]}"
            )
            lines += [f"link set dev {port} master br{number}", f"link set dev {port} up"]
    space.ip(WIRES, lines)


def _version(device: Device) -> int:
    ports = device["interfaces"].values()
    return ipaddress.ip_interface(next(a for p in ports for a in p["addresses"])).version


def _settings(device: Device) -> dict[str, int]:
    forwards = int(device["role"] != "host")
    dead = int(device.get("ignore-dead-links", False))
    return {
        "ipv4/ip_forward": forwards,
        "ipv6/conf/all/forwarding": forwards,
        "ipv6/conf/default/accept_dad": 0,
        "ipv6/conf/all/accept_dad": 0,
        "ipv6/conf/default/dad_transmits": 0,
        "ipv6/conf/default/accept_ra": 0,
        "ipv4/conf/all/rp_filter": 0,
        "ipv4/conf/default/rp_filter": 0,
        "ipv4/conf/all/send_redirects": 0,
        "ipv4/conf/default/send_redirects": 0,
        "ipv4/conf/all/accept_redirects": 0,
        "ipv4/conf/default/accept_redirects": 0,
        "ipv4/conf/all/ignore_routes_with_linkdown": dead,
        "ipv4/conf/default/ignore_routes_with_linkdown": dead,
        "ipv6/conf/all/ignore_routes_with_linkdown": dead,
        "ipv6/conf/default/ignore_routes_with_linkdown": dead,
        "ipv4/fib_multipath_hash_policy": 1,
        "ipv6/fib_multipath_hash_policy": 1,
        "ipv4/tcp_reflect_tos": 1,
        "ipv4/icmp_ratelimit": 0,
        "ipv6/icmp/ratelimit": 0,
    }


def _interfaces(device: Device) -> list[str]:
    lines = ["link set dev lo up"]
    for name, port in device["interfaces"].items():
        if port.get("kind") == "loopback":
            lines.append(f"link add name {name} type dummy")
        lines.append(f"link set dev {name} mtu {port.get('mtu', 1500)}")
        lines.append(f"link set dev {name} up")
        for address in port["addresses"]:
            more = " nodad" if ":" in address else ""
            lines.append(f"addr add {address} dev {name}{more}")
    return lines


def shut(device: Device) -> list[str]:
    """What shuts interfaces; done when the far ends are up, so that carrier is lost there."""
    return [
        f"link set dev {name} down"
        for name, port in device["interfaces"].items()
        if not port.get("enabled", True)
    ]


def _interface_settings(device: Device) -> dict[str, int]:
    modes = {"strict": 1, "loose": 2}
    found = {}
    for name, port in device["interfaces"].items():
        if "reverse-path-check" in port:
            found[f"ipv4/conf/{name}/rp_filter"] = modes[port["reverse-path-check"]]
        if port.get("accept-own-source"):
            found[f"ipv4/conf/{name}/accept_local"] = 1
    return found


# --- routes and rules -----------------------------------------------------------------------------


def _tables(device: Device) -> dict[str, int]:
    return {name: 100 + number for number, name in enumerate(device.get("vrfs", {}))}


def _routes(device: Device, version: int, tables: dict[str, int]) -> list[str]:
    lines = []
    statics = list(device.get("static", []))
    if "gateway" in device:
        statics.append({"to": "0.0.0.0/0" if version == 4 else "::/0", "via": device["gateway"]})
    lines += _table(statics, "main")
    for name, number in tables.items():
        lines += _table(device["vrfs"][name].get("static", []), str(number))
    return lines


def _table(statics: list[dict[str, Any]], table: str) -> list[str]:
    """Routes of one table; several next hops of one prefix and distance are one route."""
    groups: dict[tuple[str, int], list[dict[str, Any]]] = {}
    for static in statics:
        groups.setdefault((static["to"], static.get("distance", 1)), []).append(static)
    lines = []
    for (to, distance), members in groups.items():
        head = "route replace"
        tail = f"{to} table {table} metric {distance}"
        first = members[0]
        if first.get("pass-on"):
            lines.append(f"{head} throw {tail}")
        elif first.get("discard"):
            lines.append(f"{head} blackhole {tail}")
        elif "reject" in first:
            kind = {"unreachable": "unreachable", "prohibited": "prohibit"}[first["reject"]]
            lines.append(f"{head} {kind} {tail}")
        elif len(members) == 1:
            lines.append(f"{head} {tail} {_hop(first)}")
        else:
            hops = " ".join(f"nexthop {_hop(m)} weight {m.get('weight', 1)}" for m in members)
            lines.append(f"{head} {tail} {hops}")
    return lines


def _hop(static: dict[str, Any]) -> str:
    words = []
    if "via" in static:
        words.append(f"via {static['via']}")
    if "interface" in static:
        words.append(f"dev {static['interface']}")
    return " ".join(words)


def _policy_rules(device: Device, tables: dict[str, int]) -> list[str]:
    """Steering of all traffic as rules that name tables."""
    name = device.get("through-traffic", {}).get("steering")
    if name is None:
        return []
    lines = []
    for rule in device["steering"][name]["rules"]:
        words = [f"rule add pref {1000 + rule['id']}"]
        words += ["not"] if rule.get("invert") else []
        words += [f"fwmark {rule['marked']}/0xffffffff"] if "marked" in rule else []
        words += [f"from {rule['from']}"] if "from" in rule else []
        words += [f"to {rule['to']}"] if "to" in rule else []
        words += [f"iif {rule['arrives']}"] if "arrives" in rule else []
        words += [f"ipproto {rule['protocol']}"] if "protocol" in rule else []
        words += [f"dport {rule['to-port']}"] if "to-port" in rule else []
        if "table" in rule:
            words.append(f"lookup {tables[rule['table']]}")
            words += (
                [f"suppress_prefixlength {rule['longer-than']}"] if "longer-than" in rule else []
            )
        else:
            kinds = {"unreachable": "unreachable", "prohibited": "prohibit", None: "blackhole"}
            words.append(kinds[rule.get("reject")])
        lines.append(" ".join(words))
    return lines


# --- filters and translation ----------------------------------------------------------------------


def rule_key(filter_name: str, rule: int | None, *, answers: bool = False) -> str:
    """The name of the set that collects what a rule decided: probes' or their answers' numbers."""
    kind = "b" if answers else "h"
    return f"{kind}_{filter_name.replace('-', '_')}_{'default' if rule is None else rule}"


def _ruleset(device: Device) -> str:
    """Chains at the hooks; each rule notes the packet's source port before it decides."""
    filters = device.get("filters", {})
    version = _version(device)
    ingress, inet = [], []
    for name, port in device["interfaces"].items():
        uses = port.get("filters", {})
        if "in" in uses:
            body = _chain(uses["in"], filters[uses["in"]], version)
            ingress.append(
                f"chain in_{name.replace('-', '_')} {{ type filter hook ingress device {name} "
                f"priority 0; policy accept; {_only(version)} goto {_label(uses['in'])}; }}"
            )
            ingress.insert(0, body)
    bound: list[tuple[str, str, str]] = []
    own, through = (
        device.get("own-traffic", {}).get("filters", {}),
        device.get("through-traffic", {}),
    )
    if "in" in own:
        bound.append(("input", "", own["in"]))
    if "out" in own:
        bound.append(("output", "", own["out"]))
    if "filters" in through:
        bound.append(("forward", "", through["filters"]))
    for name, port in device["interfaces"].items():
        if "out" in port.get("filters", {}):
            bound.append(("postrouting", f"oifname {name} ", port["filters"]["out"]))
    arriving = device.get("arriving-traffic", {}).get("filters")
    if arriving:  # behind connection tracking, before translation
        bound.append(("prerouting", "", arriving))
    bodies = dict.fromkeys(used for _, _, used in bound)
    inet += [_chain(used, filters[used], version) for used in bodies]
    for hook in dict.fromkeys(hook for hook, _, _ in bound):
        jumps = "; ".join(
            f"{_only(version)} {condition}jump {_label(used)}"
            for where, condition, used in bound
            if where == hook
        )
        inet.append(
            f"chain {hook} {{ type filter hook {hook} "
            f"priority {-150 if hook == 'prerouting' else 0}; policy accept; {jumps}; }}"
        )
    text = ""
    for family, chains in (("netdev", ingress), ("inet", inet)):
        names = [c.split()[1] for c in chains if c.startswith("chain ")]
        sets = [line for c in chains for line in c.splitlines() if line.startswith("set ")]
        rest = [line for c in chains for line in c.splitlines() if not line.startswith("set ")]
        if names:
            text += (
                f"table {family} t {{\n"
                + "\n".join([*dict.fromkeys(sets), *_unique(rest)])
                + "\n}\n"
            )
    return text + _translation(device, version) or "list ruleset"


def _unique(lines: list[str]) -> list[str]:
    return list(dict.fromkeys(lines))


def _label(filter_name: str) -> str:
    return f"f_{filter_name.replace('-', '_')}"


def _only(version: int) -> str:
    """Filters judge the labs' own traffic, not ARP, neighbour discovery or ICMP errors."""
    if version == 4:
        return "meta protocol ip"
    return "meta protocol ip6"


def _chain(name: str, packet_filter: dict[str, Any], version: int) -> str:
    sets, rules = [], []
    icmp = "icmp" if version == 4 else "icmpv6"
    rules.append(f"meta l4proto {icmp} {icmp} type != {{ echo-request, echo-reply }} accept")
    if packet_filter.get("sessions"):
        rules += ["ct state established accept", "ct state invalid drop"]
    decisions: list[tuple[int | None, str, str, str]] = []
    for rule in packet_filter.get("rules", []):
        action = next(word for word in ("permit", "deny", "continue") if word in rule)
        match = _match(rule, rule[action], version)
        mark = f" meta mark set {rule['mark']}" if "mark" in rule else ""
        decisions.append((rule["id"], match, action + mark, rule[action]))
    decisions.append((None, "", packet_filter["default"], "any"))
    for number, match, action, protocol in decisions:
        word, _, mark = action.partition(" ")
        verdict = f"{mark} " + {"permit": "accept", "deny": "drop", "continue": ""}[word]
        if word == "continue":
            rules.append(f"{match} {verdict}")
            continue
        for answers, port, flags in ((False, "sport", "syn"), (True, "dport", "(syn | ack)")):
            key = rule_key(name, number, answers=answers)
            sets.append(f"set {key} {{ type inet_service; flags dynamic; size 4096; }}")
            if protocol in ("any", "udp"):
                rules.append(f"{match} meta l4proto udp update @{key} {{ udp {port} }}")
            if protocol in ("any", "tcp"):
                state = f"tcp flags & (syn | ack) == {flags}"
                rules.append(f"{match} {state} update @{key} {{ tcp {port} }}")
        rules.append(f"{match} {verdict}")
    return "\n".join(sets) + f"\nchain {_label(name)} {{ " + "; ".join(rules) + "; }"


def _match(rule: Rule, protocol: str, version: int) -> str:
    ip = "ip" if version == 4 else "ip6"
    words = []
    if protocol != "any":
        words.append(f"meta l4proto {protocol if protocol != 'icmpv6' else 'ipv6-icmp'}")
    words += [f"{ip} saddr {rule['from']}"] if "from" in rule else []
    words += [f"{ip} daddr {rule['to']}"] if "to" in rule else []
    words += [f"{protocol} dport {rule['to-port']}"] if "to-port" in rule else []
    words += [f"{protocol} sport {rule['from-port']}"] if "from-port" in rule else []
    words += [f"{ip} dscp {rule['dscp']}"] if "dscp" in rule else []
    if "tcp-flags" in rule:
        flag = rule["tcp-flags"].removeprefix("not ")
        words.append(f"tcp flags & {flag} {'==' if flag != rule['tcp-flags'] else '!='} 0")
    if "fragments" in rule:
        words.append(
            {"later": "ip frag-off & 0x1fff != 0", "none": "ip frag-off & 0x3fff == 0"}[
                rule["fragments"]
            ]
        )
    words += [f"iifname {rule['arrives']}"] if "arrives" in rule else []
    words += [f"oifname {rule['leaves']}"] if "leaves" in rule else []
    words += [f"ct state {rule['session']}"] if "session" in rule else []
    words += [f"meta mark {rule['marked']}"] if "marked" in rule else []
    return " ".join(words)


def _translation(device: Device, version: int) -> str:
    rules = device.get("translation", [])
    if not rules:
        return ""
    ip = "ip" if version == 4 else "ip6"
    out, into, own = [], [], []
    for rule in rules:
        match = _match(rule, rule.get("protocol", "any"), version)
        if "new-source" in rule:
            to = (
                "masquerade"
                if rule["new-source"] == "interface"
                else f"snat {_new(rule, 'from', ip, rule['new-source'])}"
            )
            out.append(f"{match} {to}")
        else:
            port = f":{rule['new-destination-port']}" if "new-destination-port" in rule else ""
            to = rule["new-destination"]
            if to == "interface":
                into.append(f"{match} redirect {f'to {port}' if port else ''}")
                continue
            new = _new(rule, "to", ip, f"[{to}]" if port and version == 6 else to)
            (own if rule.get("own-traffic") else into).append(f"{match} dnat {new}{port}")
    return (
        f"table {ip} n {{\n"
        f"chain post {{ type nat hook postrouting priority 100; {'; '.join(out)}{';' if out else ''} }}\n"
        f"chain pre {{ type nat hook prerouting priority -100; {'; '.join(into)}{';' if into else ''} }}\n"
        f"chain own {{ type nat hook output priority -100; {'; '.join(own)}{';' if own else ''} }}\n}}\n"
    )


def _new(rule: Rule, old: str, ip: str, to: str) -> str:
    """What an end becomes: an address or range, or the one at its place in another prefix."""
    if not rule.get("prefix-to-prefix"):
        return f"to {to}"
    field = "saddr" if old == "from" else "daddr"
    return f"{ip} prefix to {ip} {field} map {{ {rule[old]} : {to} }}"
