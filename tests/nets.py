"""Small networks for tests, written the way people draw them."""

from __future__ import annotations

import ipaddress
import textwrap
from typing import Any

from routrel.convergence.converge import State, converge
from routrel.files.reader import read_texts
from routrel.model.network import Network
from routrel.questions.routes import RouteQuestion, ask_routes
from routrel.rib.table import Route

__all__ = [
    "LAST_TEXTS",
    "device",
    "feedback_texts",
    "last_texts",
    "network",
    "ring",
    "route",
    "state",
    "told",
    "ways",
    "wired",
    "wired_texts",
]


def device(name: str, body: str = "", role: str = "router") -> str:
    """A device file; `body` is dedented YAML."""
    return f"routrel: 1\ndevice: {name}\nrole: {role}\n" + textwrap.dedent(body).strip("\n") + "\n"


def network(*texts: str) -> Network:
    """The network of these files; a problem in any of them fails the test."""
    reading = read_texts({f"{number}.yaml": text for number, text in enumerate(texts)})
    assert not reading.problems, [f"{p.place} {p.text}" for p in reading.problems]
    return reading.network


#: The files of the net made last, for tests that look at cited lines.
LAST_TEXTS: list[str] = []


def last_texts() -> dict[str, str]:
    """The files of the net made last, by their names."""
    return {f"{number}.yaml": text for number, text in enumerate(LAST_TEXTS)}


def state(*texts: str) -> State:
    """The same network, converged."""
    LAST_TEXTS[:] = texts
    return converge(network(*texts))


def ring(links: str, *, kind: str = "point-to-point", extra: dict[str, str] | None = None) -> State:
    """Routers joined by OSPF links: "r1-r2:10 r2-r3:10/20@1", costs outward of the left / right end.

    The area stands behind @, else it is 0. A router's loopback is in the area of its first link.
    Router rN has the loopback 10.255.0.N; link number K is 10.0.K.0/30, the left end .1; its
    interface on link K is called eK. `extra` adds top-level YAML to a router.
    """
    ports: dict[str, list[str]] = {}
    for number, link in enumerate(links.split(), start=1):
        link, _, area = link.partition("@")
        pair, _, costs = link.partition(":")
        left, right = pair.split("-")
        left_cost, _, right_cost = costs.partition("/")
        for name, host, cost in ((left, 1, left_cost), (right, 2, right_cost or left_cost)):
            if name not in ports:
                loopback = f"10.255.0.{name[1:]}/32"
                ports[name] = [
                    f"  lo: {{kind: loopback, addresses: [{loopback}], ospf: {{area: {area or 0}}}}}\n"
                ]
            ports[name].append(
                f"  e{number}: {{addresses: [10.0.{number}.{host}/30], "
                f"ospf: {{area: {area or 0}, cost: {cost}, network: {kind}}}}}\n"
            )
    return state(
        *(
            f"routrel: 1\ndevice: {name}\nrole: router\nospf: {{router-id: 10.255.0.{name[1:]}}}\n"
            f"interfaces:\n{''.join(lines)}{(extra or {}).get(name, '')}"
            for name, lines in ports.items()
        )
    )


def wired_texts(
    links: str,
    *,
    port: str,
    top: str | dict[str, str],
    ports: dict[str, str] | None = None,
    interfaces: dict[str, str] | None = None,
    version: int = 4,
) -> list[str]:
    """The files of routers joined by links "r1-r2 r2-r3", each interface with the same settings.

    Router rN has the loopback lo 10.255.0.N/32, link number K is 10.0.K.0/30 between interfaces
    called eK, the left end .1. With `version=6` they are 2001:db8:255::N/128 and 2001:db8:K::/64.

    Args:
        port: What every interface says besides its addresses, as "rip: {}".
        top: What every device says at the top; or by device, "" standing for all others.
        ports: What single interfaces say instead of `port`, by "r1:e2".
        interfaces: Further interfaces of a device, as indented YAML lines.
    """
    if version == 4:
        loopback, address = "10.255.0.{0}/32", "10.0.{0}.{1}/30"
    else:
        loopback, address = "2001:db8:255::{0}/128", "2001:db8:{0}::{1}/64"
    found: dict[str, list[str]] = {}

    def add(name: str, interface: str, text: str) -> None:
        said = (ports or {}).get(f"{name}:{interface}", port)
        found.setdefault(name, []).append(f"  {interface}: {{{text}{', ' * bool(said)}{said}}}\n")

    for number, link in enumerate(links.split(), start=1):
        for host, name in enumerate(link.split("-"), start=1):
            if name not in found:
                add(name, "lo", f"kind: loopback, addresses: [{loopback.format(name[1:])}]")
            add(name, f"e{number}", f"addresses: [{address.format(number, host)}]")
    texts = []
    for name, lines in found.items():
        tops = top if isinstance(top, str) else top.get(name, top.get("", ""))
        texts.append(
            f"routrel: 1\ndevice: {name}\nrole: router\n{textwrap.dedent(tops)}\n"
            f"interfaces:\n{''.join(lines)}{(interfaces or {}).get(name, '')}"
        )
    return texts


def feedback_texts(distance: int) -> list[str]:
    """The files of a net in which r1 takes RIP into OSPF, and r2 gives it back to it by EIGRP.

    Below a distance of 120 for what comes back there is no stable answer.
    """
    ospf, eigrp = "ospf: {area: 0, network: point-to-point}", "eigrp: {}"
    return wired_texts(
        "r3-r1 r1-r2 r1-r2",
        port="rip: {}",
        ports={"r1:e2": ospf, "r2:e2": ospf, "r1:e3": eigrp, "r2:e3": eigrp,
               "r1:lo": eigrp, "r2:lo": eigrp},
        top={
            "r1": "rip: {}\nospf: {redistribute: [{from: rip}]}\n"
                  f"eigrp: {{as: 1, external-distance: {distance}}}",
            "r2": "ospf: {}\neigrp: {as: 1, redistribute: [{from: ospf, "
                  "metric: {bandwidth: 1 Gb/s, delay: 10 us}}]}",
            "r3": "rip: {}",
        },
    )  # fmt: skip


def wired(links: str, **how: Any) -> State:
    """The network of `wired_texts`, which has the arguments, converged."""
    return state(*wired_texts(links, **how))


def route(net: State, name: str, prefix: str, vrf: str = "default") -> Route | None:
    """A device's active route to exactly a prefix."""
    question = RouteQuestion(device=name, vrf=vrf, prefix=ipaddress.ip_network(prefix))
    return next(iter(ask_routes(net, question)), None)


def ways(found: Route | None) -> set[str]:
    """The interfaces a route leaves by."""
    return {str(hop.interface) for hop in found.next_hops} if found else set()


def told(net: State, name: str, prefix: str, vrf: str = "default") -> tuple[object, ...] | None:
    """A route in short: protocol, path type, metric, and the interfaces it leaves by."""
    found = route(net, name, prefix, vrf)
    if found is None:
        return None
    return found.protocol.id, found.path_type.id, found.metric, " ".join(sorted(ways(found)))
