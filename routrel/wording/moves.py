"""What a change does to routes and kept flows, in a line."""

from __future__ import annotations

from collections.abc import Sequence

from routrel.questions.moves import Moves

__all__ = ["moves_words"]


def moves_words(found: Moves) -> str:
    """As "changes routes to 2 prefixes on 3 devices; changes the result of the kept flow x"."""
    routes = "changes no route"
    if found.prefixes:
        routes = (
            f"changes routes to {found.prefixes} prefix{'es' if found.prefixes != 1 else ''} on "
            f"{found.devices} device{'s' if found.devices != 1 else ''}"
        )
    others = [name for name in found.flows if name not in found.breaks]
    told = [routes]
    if found.breaks:
        told.append(f"breaks {_kept(found.breaks)}, which arrived before")
    if others:
        told.append(f"changes the result of {_kept(others)}")
    elif found.flows_asked and not found.breaks:
        told.append(f"changes the result of none of {found.flows_asked} kept flows")
    return "; ".join(told)


def _kept(names: Sequence[str]) -> str:
    return f"the kept flow{'s' if len(names) > 1 else ''} {', '.join(names)}"
