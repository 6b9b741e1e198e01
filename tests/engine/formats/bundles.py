"""Captures of Linux hosts for tests, as the commands print them, with little to write."""

from __future__ import annotations

import json
from typing import Any

import yaml

from routrel.convergence.converge import State, converge
from routrel.files.reader import read_texts
from routrel.formats.importing import Imported, import_files

__all__ = ["addr", "bundle", "chain", "imported", "line", "rule", "state_of", "table"]


def addr(name: str, *addresses: str, flags: str = "UP LOWER_UP", **more: Any) -> dict[str, Any]:
    """An interface with its addresses; `flags` is what stands in angle brackets."""
    infos = []
    for text in addresses:
        ip, _, length = text.partition("/")
        family = "inet6" if ":" in ip else "inet"
        infos.append({"family": family, "local": ip, "prefixlen": int(length), "scope": "global"})
    shown = ["BROADCAST", "MULTICAST", *flags.split()]
    return {"ifname": name, "flags": shown, "mtu": 1500, "addr_info": infos, **more}


def bundle(
    host: str,
    ports: list[dict[str, Any]],
    routes: list[dict[str, Any]] | None = None,
    *,
    forwards: bool = True,
    nft: list[Any] | None = None,
    rules: list[dict[str, Any]] | None = None,
    **settings: int,
) -> dict[str, bytes]:
    """The files of one host. Connected routes follow from addresses, unless routes are given."""
    connected = [
        {"type": "unicast", "dst": _network(i), "dev": port["ifname"], "protocol": "kernel",
         "scope": "link", "flags": []}
        for port in ports
        for i in port["addr_info"]
        if i["family"] == "inet" and i["prefixlen"] < 32 and "UP" in port["flags"]
    ]  # fmt: skip
    values = {"net.ipv4.ip_forward": int(forwards), **settings}
    files = {
        "addr.json": ports,
        "route4.json": [*connected, *(routes or [])],
        "rule4.json": rules or [],
        "sysctl.json": values,
        "nft.json": {"nftables": nft or []},
    }
    return {f"{host}/{name}": json.dumps(value).encode() for name, value in files.items()}


def _network(info: dict[str, Any]) -> str:
    import ipaddress

    return str(ipaddress.ip_interface(f"{info['local']}/{info['prefixlen']}").network)


def table(family: str, name: str) -> dict[str, Any]:
    return {"table": {"family": family, "name": name}}


def chain(name: str, hook: str = "", policy: str = "accept", prio: int = 0, kind: str = "filter",
          family: str = "inet", of: str = "t") -> dict[str, Any]:  # fmt: skip
    """A chain; without a hook others jump to it."""
    made: dict[str, Any] = {"family": family, "table": of, "name": name}
    if hook:
        made |= {"type": kind, "hook": hook, "prio": prio, "policy": policy}
    return {"chain": made}


def rule(
    of: str, *statements: Any, handle: int = 1, family: str = "inet", tab: str = "t"
) -> dict[str, Any]:
    return {"rule": {"family": family, "table": tab, "chain": of, "handle": handle, "expr": list(statements)}}  # fmt: skip


def imported(*bundles: dict[str, bytes], links: dict[str, list[str]] | None = None) -> Imported:
    """Bundles beside a network file."""
    contents = {path: content for each in bundles for path, content in each.items()}
    if links:
        stated = {name: {"between": ends} for name, ends in links.items()}
        network = {"routrel": 1, "network": "lab", "links": stated}
        contents["network.yaml"] = yaml.safe_dump(network).encode()
    return import_files(contents)


def line(made: Imported, file: str, begins: str) -> str:
    """The first line of a made file that begins so, without what stands around it."""
    lines = [text.strip() for text in made.texts[file].splitlines()]
    return next(text for text in lines if text.startswith(begins))


def state_of(made: Imported) -> State:
    """What was made, computed; a problem in it fails the test."""
    reading = read_texts(made.texts)
    assert not reading.problems, [f"{p.place} {p.text}" for p in reading.problems]
    return converge(reading.network)
