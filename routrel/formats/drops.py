"""How routes of others drop packets, by the words that Linux and RFC 8349 share."""

from __future__ import annotations

from routrel.model.observed import Drops

__all__ = ["DROPS", "drop_keys"]

DROPS = {
    "blackhole": Drops.DISCARD,
    "unreachable": Drops.UNREACHABLE,
    "prohibit": Drops.PROHIBITED,
}


def drop_keys(drops: Drops) -> dict[str, object]:
    """What a static route or a steering rule says that drops packets so."""
    if drops is Drops.DISCARD:
        return {"discard": True}
    if drops is Drops.PASS_ON:
        return {"pass-on": True}
    return {"reject": drops.value}
