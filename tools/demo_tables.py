"""Writes demo/observed/tables.csv: what four devices of the demo are said to have held one night.

Two hold what the model computes. In two something is otherwise that no file tells: at Corvane the
port to the cranes had lost its carrier, and at Gullspit somebody had typed in a route by hand.
"""

from __future__ import annotations

import sys
from dataclasses import replace
from ipaddress import ip_address, ip_network
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from routrel.files.observed import write_observed
from routrel.lens.look import look_at_folder
from routrel.lens.tables import named_tables
from routrel.model.observed import ObservedHop, ObservedRoute, ObservedTable
from routrel.questions.exporting import computed_tables

DEMO = Path(__file__).resolve().parent.parent / "demo"
_READ = "2026-01-05T02:10:00Z"
_WHOLE = ("ald-core-1", "dru-lan-1")
_CRANES, _TYPED_AT = ("cor-lan-1", "lan7"), "gul-edge-1"
#: The route that was typed in: the offices of Farholm by way of Drumlin.
_TYPED = ObservedRoute(
    ip_network("10.64.6.0/24"), "static", (ObservedHop("port3", ip_address("10.66.24.1")),), 0,
    distance=1,
)  # fmt: skip


def main() -> None:
    """Write the tables anew from what the demo computes."""
    state = look_at_folder(DEMO, tables=named_tables(["computed"])).state
    if state is None:
        raise SystemExit("the demo has problems")
    held = {(table.device, table.vrf): table for table in computed_tables(state)}
    tables = [held[name, "default"] for name in _WHOLE]
    tables.append(_without(held[_CRANES[0], "default"], _CRANES[1]))
    tables.append(_with(held[_TYPED_AT, "default"], _TYPED))
    said = [replace(table, time=_READ, source="read by hand") for table in tables]
    folder = DEMO / "observed"
    folder.mkdir(exist_ok=True)
    (folder / "tables.csv").write_text(write_observed(said))


def _without(table: ObservedTable, interface: str) -> ObservedTable:
    """A table without what leads over an interface."""
    routes = (r for r in table.routes if all(hop.interface != interface for hop in r.hops))
    return replace(table, routes=tuple(routes))


def _with(table: ObservedTable, route: ObservedRoute) -> ObservedTable:
    """A table with a route in place of that to the same prefix."""
    others = [one for one in table.routes if one.prefix != route.prefix]
    return replace(table, routes=(*others, route))


if __name__ == "__main__":
    main()
