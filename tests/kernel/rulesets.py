"""Random rulesets in the kernel's own language, with what device files of ours never lead to.

Chains that others jump or go to and come back from, verdict maps, sets, exceptions, chains at many
priorities: a lab has them beside its own filters, and the engine learns of them by captures alone.
"""

from __future__ import annotations

import ipaddress
import random

from tests.kernel.labs import Lab
from tests.kernel.probes import PORT

__all__ = ["random_oddities", "random_ruleset"]

#: Hooks with the priorities at which their chains may stand.
_HOOKS = {
    "forward": (-10, 5, 150), "input": (-5, 10), "output": (-40, 10), "prerouting": (-150, -110),
    "postrouting": (-20, 60),
}  # fmt: skip


def random_ruleset(seed: int, lab: Lab, device: str) -> str:
    """What `nft` is to read; empty: nothing."""
    return _Maker(random.Random(f"{seed} {device}"), lab, device).text()


def random_oddities(seed: int, lab: Lab, device: str) -> list[str]:
    """What `ip` is to do besides, of what addresses and static routes alone do not lead to.

    Routes of other protocols, connected routes that are gone or not preferred, rules behind the
    table main.
    """
    dice = random.Random(f"odd {seed} {device}")
    if dice.random() < 0.4:
        return []
    v4 = lab.version == 4
    ports = list(lab.devices[device]["interfaces"].items())
    others = [
        (address, name)
        for ends in lab.segments
        for name, port in ends
        if name != device and (device, port) in ends
        for address in lab.devices[name]["interfaces"][port]["addresses"]
    ]
    lans = [f"10.{n}.0.0/24" if v4 else f"fd00:{n}::/64" for n in range(1, len(lab.segments) + 1)]
    made = []
    for number in range(dice.randint(1, 3)):
        port, settings = dice.choice(ports)
        near = dice.choice(others)[0].split("/")[0]
        lan = dice.choice(lans)
        own = settings["addresses"][0]
        host = (
            f"10.{200 + number}.0.{dice.randint(1, 9)}/24" if v4 else f"fd00:{200 + number}::1/64"
        )
        made.append(
            dice.choice(
                [
                    f"addr add {host} dev {port} noprefixroute" + ("" if v4 else " nodad"),
                    f"addr add {host} dev {port}" + ("" if v4 else " nodad"),
                    f"route del {_network(own)} dev {port}",
                    f"route add {lan} via {near} metric 5",
                    f"route replace {lan} via {near} proto bgp",
                    f"route append {lan} via {near} proto ospf metric 40",
                    f"rule add pref 40000 from {lan} lookup 77",
                    f"route add default via {near} table 77",
                    f"route add unreachable {lan} metric 4000",
                ]
            )
        )
    return made


def _network(address: str) -> str:
    return str(ipaddress.ip_interface(address).network)


class _Maker:
    def __init__(self, dice: random.Random, lab: Lab, device: str) -> None:
        self.dice, self.version = dice, lab.version
        self.ports = list(lab.devices[device]["interfaces"])
        self.addresses = [
            address.split("/")[0]
            for each in lab.devices.values()
            for port in each["interfaces"].values()
            for address in port["addresses"]
        ]
        self.translates = "translation" in lab.devices[device]
        self.hook = ""

    def text(self) -> str:
        if self.dice.random() < 0.3:
            return ""
        ip = "ipv4" if self.version == 4 else "ipv6"
        some = ", ".join(self.dice.sample(self.addresses, min(3, len(self.addresses))))
        parts = [
            f"set some {{ type {ip}_addr; elements = {{ {some} }}; }}",
            f"set pairs {{ type inet_proto . inet_service; elements = {{ tcp . {PORT}, udp . 53 }}; }}",
            f"map where {{ type inet_service : verdict; elements = {{ {PORT} : jump inner, 22 : drop }}; }}",
        ]
        hooks = self.dice.sample(list(_HOOKS), self.dice.randint(1, 2))
        self.hook = ""
        parts += [self._chain("inner", ()), self._chain("middle", ("inner",))]
        for hook in hooks:
            self.hook = hook
            parts.append(self._base(hook))
        # Chains that are led to come first.
        text = "table inet raw {\n" + "\n".join(parts) + "\n}\n"
        return text + ("" if self.translates or self.dice.random() < 0.6 else self._translation())

    def _base(self, hook: str) -> str:
        place = self.dice.choice(_HOOKS[hook])
        policy = "drop" if self.dice.random() < 0.2 else "accept"
        head = f"type filter hook {hook} priority {place}; policy {policy};"
        return self._chain(f"at_{hook}", ("inner", "middle"), head)

    def _chain(self, name: str, targets: tuple[str, ...], head: str = "") -> str:
        lines = ["meta l4proto { icmp, ipv6-icmp } accept"] if head else []
        if head and self.dice.random() < 0.3:
            lines.append("ct state vmap { established : accept, related : accept, invalid : drop }")
        lines += [self._rule(targets) for _ in range(self.dice.randint(1, 4))]
        return f"chain {name} {{\n{head}\n" + "\n".join(lines) + "\n}"

    def _rule(self, targets: tuple[str, ...]) -> str:
        dice = self.dice
        kinds = dice.sample((self._address, self._transport, self._other), dice.randint(0, 2))
        matches = " ".join(kind() for kind in kinds)
        roll = dice.random()
        if roll < 0.12:
            matches = self._address()
            inner = f"jump {dice.choice(targets)}" if targets else "return"
            return f"{matches} meta l4proto vmap {{ tcp : {inner}, udp : {dice.choice(['accept', 'continue', 'return'])} }}"
        if roll < 0.2 and targets:
            matches = self._address()
            return (
                f"{matches} tcp dport vmap @where" if "inner" in targets else f"{matches} counter"
            )
        if roll < 0.3:
            return f"{matches} meta mark set {dice.choice([0, 5, 7])}"
        if roll < 0.4:
            return f'{matches} counter log prefix "seen "'
        verdicts = ["accept", "drop", "return", "accept", "return"]
        if targets:
            verdicts += [f"jump {dice.choice(targets)}", f"goto {dice.choice(targets)}"] * 2
        return f"{matches} {dice.choice(verdicts)}"

    def _address(self) -> str:
        dice = self.dice
        ip = "ip" if self.version == 4 else "ip6"
        address = dice.choice(self.addresses)
        wide = f"{address}/{24 if self.version == 4 else 64}"
        no = dice.choice(["", "!= "])
        return dice.choice([
            f"{ip} {dice.choice(['saddr', 'daddr'])} {no}{wide}",
            f"{ip} {dice.choice(['saddr', 'daddr'])} {no}{{ {address}, {dice.choice(self.addresses)} }}",
            f"{ip} {dice.choice(['saddr', 'daddr'])} {no}@some", f"{ip} dscp {no}ef",
            f"meta nfproto {dice.choice(['ipv4', 'ipv6'])}",
        ])  # fmt: skip

    def _transport(self) -> str:
        dice, no = self.dice, self.dice.choice(["", "!= "])
        return dice.choice([
            f"tcp dport {no}{PORT}", f"udp dport {{ {PORT}, 9 }}", f"tcp sport {no}20000-20005",
            f"meta l4proto {no}{dice.choice(['tcp', 'udp'])}", "meta l4proto . th dport @pairs",
            f"meta l4proto {{ tcp, udp }} th dport {no}{PORT}", f"tcp flags {dice.choice(['syn', 'ack', '! ack'])}",
            "tcp flags & (syn | ack) == syn", f"udp sport >= {dice.choice([20003, 20006])}",
        ])  # fmt: skip

    def _other(self) -> str:
        dice, no = self.dice, self.dice.choice(["", "!= "])
        options = [
            f"meta mark {no}{dice.choice([0, 5, 7])}", "ct state new,established",
            "meta mark & 0x4 == 0x4", f"ct state {no}{dice.choice(['new', 'established', 'invalid'])}",
        ]  # fmt: skip
        if self.hook in ("forward", "prerouting", "input"):
            options.append(f"iifname {no}{dice.choice([*self.ports, 'e*'])}")
        if self.hook in ("forward", "output", "postrouting"):
            options.append(f"oifname {no}{dice.choice([*self.ports, 'e*'])}")
        return dice.choice(options)

    def _translation(self) -> str:
        dice, ip = self.dice, "ip" if self.version == 4 else "ip6"
        address = dice.choice(self.addresses)
        inner = [
            f"{ip} daddr {dice.choice(self.addresses)} masquerade",
            "meta l4proto tcp masquerade",
        ]
        outer = [
            f"oifname {dice.choice(self.ports)} jump inner",
            dice.choice(
                [f"{ip} saddr {address} accept", f"{ip} saddr {address} return", "counter"]
            ),
            f"oifname {dice.choice(self.ports)} masquerade",
        ]
        body = "\n".join(dice.sample(outer, dice.randint(1, 3)))
        return (
            f"table {ip} rawnat {{\nchain inner {{\n" + "\n".join(dice.sample(inner, 1)) + "\n}\n"
            f"chain post {{\ntype nat hook postrouting priority 100;\n{body}\n}}\n}}\n"
        )  # fmt: skip
