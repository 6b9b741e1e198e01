"""Small BGP networks for tests."""

from __future__ import annotations

import ipaddress
import textwrap
from typing import Any

from routrel.convergence.converge import State
from routrel.protocols.bgp.explaining import chosen_path
from routrel.protocols.register import bgp_of
from routrel.questions.routes import RouteQuestion
from tests.nets import state
from tests.told import explain_route

__all__ = ["P", "chosen", "edge", "losers", "mesh", "problems", "used", "why"]

#: The prefix most tests ask about.
P = "198.51.100.0/24"


def edge(outside: dict[str, str], *, neighbours: dict[str, str] | None = None, bgp: str = "",
         top: str = "") -> State:  # fmt: skip
    """One router r1 of AS 65000 with outside neighbours.

    Interface eK is 10.9.K.1/24; an outside neighbour's addresses are written as "K" or "K L" in
    front of its keys: {"a": "1 as: 65001, announces: [...]"} has 10.9.1.2.

    Args:
        neighbours: What r1 says of the neighbour on interface K besides its AS, by "K".
        bgp: Further keys of r1's BGP, as YAML.
        top: Further keys of r1, as YAML.
    """
    lines, ports, sessions = [], set(), []
    for name, said in outside.items():
        places, _, keys = said.partition(" as: ")
        number = keys.split(",")[0].strip()
        addresses = []
        for place in places.split():
            addresses.append(f"10.9.{place}.2/24")
            ports.add(place)
            more = (neighbours or {}).get(place, "")
            sessions.append(f"    10.9.{place}.2: {{as: {number}{', ' * bool(more)}{more}}}\n")
        lines.append(f"  {name}: {{addresses: [{', '.join(addresses)}], as: {keys}}}\n")
    device = (
        "routrel: 1\ndevice: r1\nrole: router\n" + textwrap.dedent(top) + "\n"
        "bgp:\n  as: 65000\n  router-id: 10.255.0.1\n"
        + textwrap.indent(textwrap.dedent(bgp).strip("\n"), "  ")
        + "\n  neighbours:\n" + "".join(sessions) + "interfaces:\n"
        + "".join(f"  e{place}: {{addresses: [10.9.{place}.1/24]}}\n" for place in sorted(ports))
    )  # fmt: skip
    return state(device, "routrel: 1\nnetwork: n\noutside:\n" + "".join(lines))


def mesh(systems: str, links: str, *, says: dict[str, str] | None = None,
         bgp: dict[str, str] | None = None, top: dict[str, str] | None = None,
         own: str = "", internal: str = "mesh",
         interfaces: dict[str, str] | None = None) -> State:  # fmt: skip
    """Routers r1, r2, ... of the AS numbers given, joined by links "r1-r2:10 r2-r3".

    Routers of one AS run OSPF between them (the number behind a colon is the cost) and BGP between
    their loopbacks 10.255.0.N; others speak over their link, number K being 10.0.K.0/30.

    Args:
        says: What a router says of a neighbour besides its AS: {"r1-r2": "weight: 5"}.
        bgp: Further keys of a router's BGP, as one line each of a mapping: "cluster-id: 1.1.1.1".
        top: Further keys of a router, as YAML.
        own: Routers that announce P from a discarding static route: "r1 r4".
        internal: "mesh": all routers of an AS are internal neighbours; otherwise the pairs that
            are: "r1-r2 r2-r3".
        interfaces: Further interfaces of a router, as indented YAML lines.
    """
    numbers = {f"r{n}": int(a) for n, a in enumerate(systems.split(), start=1)}
    ports: dict[str, list[str]] = {name: [] for name in numbers}
    sessions: dict[str, list[str]] = {name: [] for name in numbers}
    said = says or {}

    def speak(here: str, there: str, address: str, more: str = "") -> None:
        extra = ", ".join(part for part in (more, said.get(f"{here}-{there}", "")) if part)
        sessions[here].append(
            f"    {address}: {{as: {numbers[there]}{', ' * bool(extra)}{extra}}}\n"
        )

    for number, link in enumerate(links.split(), start=1):
        pair, _, cost = link.partition(":")
        left, right = pair.split("-")
        inside = numbers[left] == numbers[right]
        ospf = f", ospf: {{area: 0, cost: {cost or 1}, network: point-to-point}}" if inside else ""
        for here, there, host in ((left, right, 1), (right, left, 2)):
            ports[here].append(f"  e{number}: {{addresses: [10.0.{number}.{host}/30]{ospf}}}\n")
            if not inside:
                speak(here, there, f"10.0.{number}.{3 - host}")
    for here in numbers:
        for there in numbers:
            pair = {f"{here}-{there}", f"{there}-{here}"}
            wanted = internal == "mesh" or pair & set(internal.split())
            if here != there and numbers[here] == numbers[there] and wanted:
                speak(here, there, f"10.255.0.{there[1:]}", "source: lo")
    texts = []
    for name, number in numbers.items():
        origin = f"  networks: [{{prefix: {P}}}]\n" if name in own.split() else ""
        static = f"static: [{{to: {P}, discard: true}}]\n" if origin else ""
        more = (bgp or {}).get(name, "")
        texts.append(
            f"routrel: 1\ndevice: {name}\nrole: router\nospf: {{}}\n{static}"
            + textwrap.dedent((top or {}).get(name, "")).strip("\n")
            + f"\nbgp:\n  as: {number}\n  router-id: 10.255.0.{name[1:]}\n{origin}"
            + (f"  {more}\n" if more else "")
            + ("  neighbours:\n" if sessions[name] else "") + "".join(sessions[name])
            + f"interfaces:\n  lo: {{kind: loopback, addresses: [10.255.0.{name[1:]}/32], "
            "ospf: {area: 0, passive: true}}\n" + "".join(ports[name])
            + (interfaces or {}).get(name, "")
        )  # fmt: skip
    return state(*texts)


def why(net: State, name: str, prefix: str = P) -> dict[str, Any]:
    """The explanation of a device's route to a prefix."""
    (answer,) = explain_route(net, RouteQuestion(device=name, prefix=ipaddress.ip_network(prefix)))
    return answer


def used(net: State, name: str, prefix: str = P) -> set[str]:
    """Whose announcements a device uses for a prefix."""
    found = why(net, name, prefix)["candidates"]
    return {str(c["advertiser"]) for c in found if c["lost_on"] is None}


def losers(net: State, name: str, prefix: str = P) -> dict[str, str]:
    """The rung where each other candidate lost, by who announces it."""
    found = why(net, name, prefix)["candidates"]
    return {str(c["advertiser"]): c["lost_on"] for c in found if c["lost_on"]}


def problems(net: State, name: str, prefix: str = P) -> dict[str, str]:
    """Why candidates are not usable, by who announces them."""
    found = why(net, name, prefix)["candidates"]
    return {str(c["advertiser"]): c["values"]["problem"] for c in found if c["lost_on"] == "usable"}


def chosen(net: State, name: str, prefix: str = P) -> Any:
    """The path a speaker announces on; None where it has none."""
    domain = bgp_of(net.results)
    index = next(n for n, speaker in enumerate(domain.speakers) if speaker.name == name)
    number = net.rib.interning.prefixes.number(ipaddress.ip_network(prefix))
    return None if number is None else chosen_path(domain, index, number)
