"""A network whose answers are hard to draw: many equal ways, a long way, a loop."""

from __future__ import annotations

import zipfile
from pathlib import Path

__all__ = ["QUESTIONS", "write_network"]

#: What to ask of it, and what the page says then.
QUESTIONS = {
    "8 equal ways": ("s", "d8", "8 ways"),
    "16 equal ways": ("s", "d16", "16 ways"),
    "a loop": ("s", "10.99.0.1", "Loops"),
    "the 13th hop stops it": ("s", "far", "No route at c11"),
}


def write_network(path: Path) -> None:
    """A zip of it. s – edge – p1..p16 – core – d8 and d16; edge – c1 – ... – c12 – far."""
    with zipfile.ZipFile(path, "w") as made:
        for name, text in _files():
            made.writestr(f"{name}.yaml", text)


def _files() -> list[tuple[str, str]]:
    wide = range(1, 17)
    edge = [
        *(f"  p{n}: {{addresses: [10.1.{n}.0/31]}}" for n in wide),
        "  c: {addresses: [10.3.0.0/31]}",
    ]
    to_d8 = [f"  - {{to: 10.8.0.0/24, via: 10.1.{n}.1}}" for n in range(1, 9)]
    to_d16 = [f"  - {{to: 10.16.0.0/24, via: 10.1.{n}.1}}" for n in wide]
    loop, far = "  - {to: 10.99.0.0/24, via: 10.1.1.1}", "  - {to: 10.90.0.0/24, via: 10.3.0.1}"
    found = [
        _host("s", "10.0.0"),
        _host("d8", "10.8.0"),
        _host("d16", "10.16.0"),
        _host("far", "10.90.0"),
        _router("edge", ["  lan: {addresses: [10.0.0.1/24]}", *edge], [*to_d8, *to_d16, loop, far]),
        _router(
            "core",
            [
                *(f"  p{n}: {{addresses: [10.2.{n}.0/31]}}" for n in wide),
                "  e8: {addresses: [10.8.0.1/24]}",
                "  e16: {addresses: [10.16.0.1/24]}",
            ],
            [f"  - {{to: 10.0.0.0/24, via: 10.2.{n}.1}}" for n in wide],
        ),
    ]
    for n in wide:
        back = [
            f"  - {{to: 10.0.0.0/24, via: 10.1.{n}.0}}",
            f"  - {{to: 10.99.0.0/24, via: 10.1.{n}.0}}",
        ]
        there = [f"  - {{to: 10.{d}.0.0/24, via: 10.2.{n}.0}}" for d in (8, 16)]
        ports = [f"  up: {{addresses: [10.1.{n}.1/31]}}", f"  on: {{addresses: [10.2.{n}.1/31]}}"]
        found.append(_router(f"p{n}", ports, [*there, *back]))
    for n in range(1, 13):
        ports = [f"  up: {{addresses: [10.3.{n - 1}.1/31]}}"]
        ports.append(
            "  lan: {addresses: [10.90.0.1/24]}"
            if n == 12
            else f"  on: {{addresses: [10.3.{n}.0/31]}}"
        )
        routes = [f"  - {{to: 10.0.0.0/24, via: 10.3.{n - 1}.0}}"]
        if n < 11:
            routes.append(f"  - {{to: 10.90.0.0/24, via: 10.3.{n}.1}}")
        found.append(_router(f"c{n}", ports, routes))
    return found


def _host(name: str, net: str) -> tuple[str, str]:
    return name, (
        f"routrel: 1\ndevice: {name}\nrole: host\ngateway: {net}.1\n"
        f"interfaces: {{port1: {{addresses: [{net}.9/24]}}}}\n"
    )


def _router(name: str, ports: list[str], routes: list[str]) -> tuple[str, str]:
    lines = [
        "routrel: 1",
        f"device: {name}",
        "role: router",
        "interfaces:",
        *ports,
        "static:",
        *routes,
    ]
    return name, "\n".join(lines) + "\n"
