"""Small networks for tests, written the way people draw them."""

from __future__ import annotations

import textwrap

from routrel.control.converge import State, converge
from routrel.files.reader import read_texts
from routrel.model.network import Network

__all__ = ["device", "network", "ring", "state"]


def device(name: str, body: str = "", role: str = "router") -> str:
    """A device file; `body` is dedented YAML."""
    return f"routrel: 1\ndevice: {name}\nrole: {role}\n" + textwrap.dedent(body).strip("\n") + "\n"


def network(*texts: str) -> Network:
    """The network of these files; a problem in any of them fails the test."""
    reading = read_texts({f"{number}.yaml": text for number, text in enumerate(texts)})
    assert not reading.problems, [f"{p.place} {p.text}" for p in reading.problems]
    return reading.network


def state(*texts: str) -> State:
    """The same network, converged."""
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
