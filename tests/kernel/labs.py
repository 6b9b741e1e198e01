"""Random labs: devices in Routrel's own language, with mistakes in them, and packets to send."""

from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any

from tests.kernel.probes import PORT, Probe

__all__ = ["Lab", "random_lab"]

Device = dict[str, Any]


@dataclass(frozen=True)
class Lab:
    """Devices as YAML gives them, which ends share a wire, and what is sent."""

    devices: dict[str, Device]
    segments: list[list[tuple[str, str]]]
    probes: list[Probe]
    version: int


def random_lab(seed: int) -> Lab:
    """A lab of two to five routers and two to four hosts."""
    return _Maker(random.Random(seed)).make()


class _Maker:
    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.version = 6 if dice.random() < 0.3 else 4
        self.routers = [f"r{n}" for n in range(1, dice.randint(2, 5) + 1)]
        self.hosts = [f"h{n}" for n in range(1, dice.randint(2, 4) + 1)]
        self.devices: dict[str, Device] = {
            name: {
                "routrel": 1,
                "device": name,
                "role": "router",
                "processing": "linux",
                "interfaces": {},
            }
            for name in self.routers
        }
        for name in self.hosts:
            self.devices[name] = {
                "routrel": 1,
                "device": name,
                "role": "host",
                "processing": "linux",
                "interfaces": {},
            }
        self.segments: list[list[tuple[str, str]]] = []
        self.lans: dict[str, int] = {}  #: host: its segment
        self.plain = dice.random() < 0.2  #: without any of the extras

    def make(self) -> Lab:
        self._wire()
        self._routes()
        for name in self.routers:
            self._extras(self.devices[name])
        for name in self.hosts:
            self._host_extras(self.devices[name])
        return Lab(self.devices, self.segments, self._probes(), self.version)

    def chance(self, likely: float) -> bool:
        return not self.plain and self.dice.random() < likely

    # --- wires and addresses -------------------------------------------------------------------

    def _wire(self) -> None:
        dice = self.dice
        for place, name in enumerate(self.routers[1:], start=1):
            others = [dice.choice(self.routers[:place])]
            if place > 1 and dice.random() < 0.3:
                others.append(dice.choice([r for r in self.routers[:place] if r not in others]))
            self._segment([name, *others])
        for _ in range(dice.randint(0, 3)):
            self._segment(dice.sample(self.routers, 2))
        for name in self.hosts:
            near = dice.sample(
                self.routers, min(len(self.routers), 2 if dice.random() < 0.2 else 1)
            )
            self.lans[name] = self._segment([name, *near])
            self.devices[name]["gateway"] = self._address(near[0], self.lans[name])

    def _segment(self, names: list[str]) -> int:
        number = len(self.segments) + 1
        mtu = self.dice.choice([1500, 1500, 1500, 1400, 1300]) if self.chance(0.5) else 1500
        ends, twice = [], self.chance(0.15)
        for place, name in enumerate(names, start=1):
            port = f"e{number}"
            address = (
                f"10.{number}.0.{place}/24" if self.version == 4 else f"fd00:{number}::{place}/64"
            )
            settings: Device = {"addresses": [address]}
            if twice:
                second = f"10.{number + 100}.0.{place}/24"
                second = second if self.version == 4 else f"fd00:{number + 100}::{place}/64"
                settings["addresses"].append(second)
            own = max(mtu - 100, 1280) if self.chance(0.04) else mtu
            if own != 1500:
                settings["mtu"] = own
            if self.chance(0.04):
                settings["enabled"] = False
            self.devices[name]["interfaces"][port] = settings
            ends.append((name, port))
        self.segments.append(ends)
        return number

    def _address(self, name: str, segment: int) -> str:
        return str(self.devices[name]["interfaces"][f"e{segment}"]["addresses"][0].split("/")[0])

    def _any_address(self, name: str, segment: int) -> str:
        """One of a router's addresses on a segment; the second ones are in a subnet of their own."""
        found = self.devices[name]["interfaces"][f"e{segment}"]["addresses"]
        return str(self.dice.choice(found).split("/")[0])

    def _prefix(self, segment: int) -> str:
        return f"10.{segment}.0.0/24" if self.version == 4 else f"fd00:{segment}::/64"

    # --- routes --------------------------------------------------------------------------------

    def _steps(self, name: str) -> list[tuple[str, int]]:
        """The routers next to one, with the segment between."""
        return [
            (other, number)
            for number, ends in enumerate(self.segments, start=1)
            if any(n == name for n, _ in ends)
            for other, _ in ends
            if other != name and other in self.routers
        ]

    def _distance(self, name: str, segment: int) -> int:
        seen, edge, steps = {name}, {name}, 0
        while edge:
            if any(n in edge for n, _ in self.segments[segment - 1]):
                return steps
            edge = {other for n in edge for other, _ in self._steps(n)} - seen
            seen |= edge
            steps += 1
        return 99

    def _towards(self, name: str, segment: int) -> list[str]:
        """The next hops of the shortest ways."""
        best = self._distance(name, segment)
        return [
            self._address(other, link)
            for other, link in self._steps(name)
            if self._distance(other, segment) < best
        ]

    def _routes(self) -> None:
        for name in self.routers:
            statics: list[Device] = []
            for segment in range(1, len(self.segments) + 1):
                if any(n == name for n, _ in self.segments[segment - 1]):
                    continue
                statics += self._some_route(name, segment)
            if self.chance(0.3):
                hops = [self._address(o, s) for o, s in self._steps(name)]
                default = "0.0.0.0/0" if self.version == 4 else "::/0"
                statics.append({"to": default, "via": self.dice.choice(hops)})
            if statics:
                self.devices[name]["static"] = statics

    def _some_route(self, name: str, segment: int) -> list[Device]:
        dice, to = self.dice, self._prefix(segment)
        best = list(dict.fromkeys(self._towards(name, segment)))
        roll = 0.0 if self.plain else dice.random()
        if roll < 0.8:
            if len(best) > 1 and dice.random() < 0.6:
                weights = [dice.randint(1, 3) for _ in best]
                return [
                    {"to": to, "via": via, **({"weight": w} if w > 1 else {})}
                    for via, w in zip(best, weights, strict=True)
                ]
            return [{"to": to, "via": dice.choice(best)}]
        if roll < 0.88:
            hops = [self._any_address(o, s) for o, s in self._steps(name)]
            return [{"to": to, "via": dice.choice(hops)}]
        if roll < 0.94:
            return [
                {
                    "to": to,
                    **dice.choice(
                        [{"discard": True}, {"reject": "unreachable"}, {"reject": "prohibited"}]
                    ),
                }
            ]
        return []

    # --- filters, steering, checks -------------------------------------------------------------

    def _extras(self, device: Device) -> None:
        dice, filters = self.dice, {}
        ports = list(device["interfaces"])
        for name in ports:
            port = device["interfaces"][name]
            uses = {}
            if self.chance(0.1):
                uses["in"] = f"in-{name}"
                filters[uses["in"]] = self._filter(device, sessions=False, meets=False)
            if self.chance(0.1):
                uses["out"] = f"out-{name}"
                filters[uses["out"]] = self._filter(device, sessions=self.chance(0.3))
            if uses:
                port["filters"] = uses
            if self.chance(0.08):
                port["reverse-path-check"] = dice.choice(["strict", "loose"])
            if self.chance(0.08):
                port["accept-own-source"] = True
        if self.chance(0.25):
            filters["through"] = self._filter(device, sessions=self.chance(0.5))
            device["through-traffic"] = {"filters": "through"}
        if self.chance(0.25):
            filters["arriving"] = self._filter(device, sessions=self.chance(0.5), leaves=False)
            device["arriving-traffic"] = {"filters": "arriving"}
        if self.chance(0.1):
            filters["own"] = self._filter(device, sessions=self.chance(0.5), meets=False)
            device["own-traffic"] = {"filters": {"in": "own"}}
        if filters:
            device["filters"] = filters
        if self.chance(0.25):
            self._steer(device)
        if self.chance(0.3):
            self._translate(device)
        if self.chance(0.3):
            device["ignore-dead-links"] = True

    def _host_extras(self, device: Device) -> None:
        if self.chance(0.15):
            device["filters"] = {
                "own": self._filter(device, sessions=self.chance(0.7), meets=False)
            }
            device["own-traffic"] = {"filters": {self.dice.choice(["in", "out"]): "own"}}

    def _filter(
        self, device: Device, *, sessions: bool, meets: bool = True, leaves: bool = True
    ) -> Device:
        dice, rules = self.dice, []
        for number in range(dice.randint(0, 4)):
            protocol = dice.choice(["any", "udp", "tcp", "udp", "tcp"])
            rule: Device = {
                "id": 10 * (number + 1),
                dice.choice(["permit", "permit", "deny"]): protocol,
            }
            if dice.random() < 0.4:
                rule["from"] = self._prefix(dice.choice(list(self.lans.values())))
            if dice.random() < 0.4:
                rule["to"] = self._prefix(dice.choice(list(self.lans.values())))
            if protocol != "any" and dice.random() < 0.4:
                rule[dice.choice(["to-port", "from-port"])] = dice.choice(
                    [PORT, "20000-20010", "20000-30000"]
                )
            if protocol == "tcp" and dice.random() < 0.3:
                rule["tcp-flags"] = dice.choice(["syn", "ack", "not ack"])
            if dice.random() < 0.1:
                rule["dscp"] = dice.choice([0, 46])
            if dice.random() < 0.25 and not self.plain:
                rule["mark"] = dice.choice([0, 7, 8])
                rule["continue" if dice.random() < 0.7 else "permit"] = protocol
                for word in ("permit", "deny"):
                    if "continue" in rule or word == "deny":
                        rule.pop(word, None)
            if dice.random() < 0.15 and not self.plain:
                rule["marked"] = dice.choice([0, 7, 8])
            if meets and leaves and dice.random() < 0.2:
                rule["leaves"] = dice.choice(list(device["interfaces"]))
            if meets and sessions and dice.random() < 0.3:
                rule["session"] = dice.choice(["new", "established", "invalid"])
            if self.version == 4 and protocol == "any" and dice.random() < 0.15:
                rule["fragments"] = dice.choice(["later", "none"])
            rules.append(rule)
        return {
            "rules": rules,
            "default": dice.choice(["permit", "permit", "deny"]),
            **({"sessions": True} if sessions else {}),
        }

    def _steer(self, device: Device) -> None:
        dice = self.dice
        device["vrfs"] = {}
        for table in ("blue", "green")[: dice.randint(1, 2)]:
            routes = []
            for segment in set(self.lans.values()):
                if dice.random() < 0.1:
                    kind = dice.choice(["pass-on", "discard"])
                    routes.append({"to": self._prefix(segment), kind: True})
                elif dice.random() < 0.6:
                    hops = [self._address(o, s) for o, s in self._steps(device["device"])]
                    routes.append(
                        {
                            "to": self._prefix(segment),
                            "via": dice.choice(hops),
                            "next-vrf": "default",
                        }
                    )
            device["vrfs"][table] = {"static": routes}
        rules = []
        for number in range(dice.randint(1, 3)):
            rule: Device = {"id": 10 * (number + 1), "table": dice.choice(list(device["vrfs"]))}
            if dice.random() < 0.15:
                del rule["table"]
                rule.update(
                    dice.choice(
                        [{"discard": True}, {"reject": "unreachable"}, {"reject": "prohibited"}]
                    )
                )
            elif dice.random() < 0.2:
                usual = 24 if self.version == 4 else 64
                rule["longer-than"] = dice.choice([0, usual - 1, usual])
            if dice.random() < 0.35:
                rule["marked"] = dice.choice([0, 7, 8])
            if dice.random() < 0.5:
                rule["from"] = self._prefix(dice.choice(list(self.lans.values())))
            if dice.random() < 0.3:
                rule["to"] = self._prefix(dice.choice(list(self.lans.values())))
            if dice.random() < 0.3:
                rule["arrives"] = dice.choice(list(device["interfaces"]))
            if dice.random() < 0.3:
                rule["protocol"] = dice.choice(["udp", "tcp"])
                if dice.random() < 0.5:
                    rule["to-port"] = PORT
            asks = rule.keys() & {"from", "to", "arrives", "protocol", "marked"}
            if dice.random() < 0.2 and asks:
                rule["invert"] = True
            rules.append(rule)
        device["steering"] = {"main": {"rules": rules}}
        if any("marked" in rule for rule in rules) and dice.random() < 0.7:
            marking = {"id": 1, "continue": dice.choice(["any", "udp"]), "mark": 7}
            name = device.setdefault("arriving-traffic", {"filters": "arriving"})["filters"]
            made = device.setdefault("filters", {}).setdefault(
                name, {"rules": [], "default": "permit"}
            )
            made["rules"].insert(0, marking)
        for kind in ("through-traffic", "own-traffic"):
            device.setdefault(kind, {})["steering"] = "main"

    def _translate(self, device: Device) -> None:
        dice = self.dice
        port = dice.choice(list(device["interfaces"]))
        rules: list[Device] = []
        if dice.random() < 0.7:
            own = device["interfaces"][port]["addresses"][0].split("/")[0]
            rules.append({"id": 10, "leaves": port, "new-source": dice.choice(["interface", own])})
            if dice.random() < 0.3:
                segment, other = dice.sample(range(1, len(self.segments) + 1), 2)
                mapped = {"from": self._prefix(segment), "new-source": self._prefix(other)}
                rules[0] |= {**mapped, "prefix-to-prefix": True}
            elif dice.random() < 0.3:
                rules[0]["new-source"] = f"{own}-{own}9"
        if dice.random() < 0.6 or not rules:
            target = dice.choice(self.hosts)
            own = device["interfaces"][port]["addresses"][0].split("/")[0]
            rules.append(
                {
                    "id": 20,
                    "protocol": dice.choice(["udp", "tcp"]),
                    "to": own,
                    "new-destination": self._address(target, self.lans[target]),
                }
            )
            roll = dice.random()
            if roll < 0.2:
                rules[-1]["new-destination"] = "interface"
            elif roll < 0.4:
                old, new = dice.sample(range(1, len(self.segments) + 1), 2)
                mapped = {"to": self._prefix(old), "new-destination": self._prefix(new)}
                rules[-1] |= {**mapped, "prefix-to-prefix": True}
            if roll < 0.7 and dice.random() < 0.5:
                rules[-1]["marked"] = dice.choice([0, 7])
        if dice.random() < 0.4:
            target, asked = dice.sample([*self.hosts, *self.routers], 2)
            rules.append(
                {
                    "id": 30,
                    "own-traffic": True,
                    "protocol": dice.choice(["udp", "tcp"]),
                    "to": self._own(asked),
                    "new-destination": self._own(target),
                }
            )
        device["translation"] = rules

    def _called(self) -> list[tuple[str | None, str]]:
        """What translation rules wait for: an address, and the device whose own packets they are."""
        return [
            (
                name if rule.get("own-traffic") else None,
                rule["to"].replace(".0/24", ".1").replace("::/64", "::1"),
            )
            for name, device in self.devices.items()
            for rule in device.get("translation", [])
            if "to" in rule
        ]

    def _own(self, name: str) -> str:
        """One of a device's addresses."""
        port = self.dice.choice(list(self.devices[name]["interfaces"].values()))
        return str(port["addresses"][0].split("/")[0])

    # --- packets -------------------------------------------------------------------------------

    def _probes(self) -> list[Probe]:
        dice, probes = self.dice, []
        for number in range(20001, 20013):
            source = dice.choice(self.hosts) if dice.random() < 0.85 else dice.choice(self.routers)
            ports = self.devices[source]["interfaces"].values()
            # A shut interface has no IPv6 address that anything could be sent from.
            port = dice.choice([p for p in ports if p.get("enabled", True)] or [*ports])
            target = dice.choice([n for n in self.devices if n != source])
            target = source if dice.random() < 0.05 else target
            address = dice.choice(list(self.devices[target]["interfaces"].values()))["addresses"][0]
            called = self._called()
            if called and dice.random() < 0.3:
                device, address = dice.choice(called)
                source = device or source
                ports = self.devices[source]["interfaces"].values()
                port = dice.choice([p for p in ports if p.get("enabled", True)] or [*ports])
            if dice.random() < 0.06:
                address = address.split("/")[0] + "9/24"  # nobody's, or in nobody's subnet
            udp = dice.random() < 0.6
            probes.append(
                Probe(
                    number,
                    source,
                    port["addresses"][0].split("/")[0],
                    address.split("/")[0],
                    "udp" if udp else "tcp",
                    size=dice.choice([None, 1250, 1350, 1450, 1500])
                    if udp and self.chance(0.6)
                    else None,
                    may_fragment=self.version == 4 and self.chance(0.3),
                    ttl=dice.choice([64, 64, 64, 2, 3]),
                    dscp=dice.choice([0, 0, 46]),
                )
            )
        return probes
