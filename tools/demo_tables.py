"""Writes demo/observed/tables.csv: what four devices of the demo are said to have held one night.

In two something is otherwise that no file tells: at Corvane the port to the cranes had lost its
carrier, which Gullspit heard of too; and at Gullspit somebody had typed in a route by hand. The two
others are of parts of the network where neither is known.
"""

from __future__ import annotations

import sys
from dataclasses import replace
from ipaddress import ip_address, ip_network
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from routrel.files.observed import write_observed
from routrel.files.reader import load_texts
from routrel.lens.file_edits import FileEdit, SetKey, edited
from routrel.lens.look import Lens, look_through
from routrel.lens.tables import named_tables
from routrel.model.observed import ObservedHop, ObservedRoute, ObservedTable
from routrel.questions.exporting import computed_tables

DEMO = Path(__file__).resolve().parent.parent / "demo"
_READ = "2026-01-05T02:10:00Z"
_OF = ("cor-lan-1", "gul-edge-1", "har-yard-1", "par-edge-1")
_DARK = FileEdit("devices/cor-lan-1.yaml", SetKey(("interfaces", "lan7"), "carrier", "false"))
_TYPED_AT = "gul-edge-1"
#: The route that was typed in: the offices of Farholm by way of Drumlin.
_TYPED = ObservedRoute(
    ip_network("10.64.6.0/24"), "static", (ObservedHop("port3", ip_address("10.66.24.1")),), 0,
    distance=1,
)  # fmt: skip


def main() -> None:
    """Write the tables anew from what the demo computes once the port is dark."""
    texts, _ = load_texts(DEMO)
    night = Lens(texts=edited(texts, [_DARK]), tables=named_tables(["computed"]))
    state = look_through(night).state
    if state is None:
        raise SystemExit("the demo has problems")
    held = {(table.device, table.vrf): table for table in computed_tables(state)}
    tables = [held[name, "default"] for name in _OF]
    tables = [_with(one, _TYPED) if one.device == _TYPED_AT else one for one in tables]
    said = [replace(table, time=_READ, source="read by hand") for table in tables]
    folder = DEMO / "observed"
    folder.mkdir(exist_ok=True)
    (folder / "tables.csv").write_text(write_observed(said))


def _with(table: ObservedTable, route: ObservedRoute) -> ObservedTable:
    """A table with a route in place of that to the same prefix."""
    others = [one for one in table.routes if one.prefix != route.prefix]
    return replace(table, routes=(*others, route))


if __name__ == "__main__":
    main()
