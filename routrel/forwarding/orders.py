"""The order in which a device treats a packet, as data.

`LOCAL` marks the point where a packet for the device itself turns aside.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, TypeAlias

from routrel.forwarding.evidence import StageName
from routrel.model.network import Processing

__all__ = ["LOCAL", "ORDERS", "Order", "Step"]


class Local:
    """The type of `LOCAL`."""


LOCAL: Final = Local()
Step: TypeAlias = StageName | Local


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """The stages of one kind of device.

    `arriving` is for what comes in by an interface, `sent` for what the device sends, `received`
    for what is its own, after `LOCAL`.
    """

    arriving: tuple[Step, ...]
    received: tuple[Step, ...]
    sent: tuple[Step, ...]


_S = StageName

ORDERS: dict[Processing, Order] = {
    Processing.ROUTER: Order(
        arriving=(
            _S.ARRIVAL, _S.FILTER_IN, _S.FILTER_ARRIVING, _S.REVERSE_PATH, _S.TRANSLATION, LOCAL,
            _S.STEERING, _S.ROUTE, _S.TTL, _S.FILTER_TRANSIT, _S.SOURCE_TRANSLATION, _S.FILTER_OUT,
            _S.MTU, _S.NEIGHBOUR,
        ),
        received=(_S.FILTER_LOCAL, _S.SOURCE_TRANSLATION),
        sent=(
            _S.TRANSLATION, LOCAL, _S.STEERING, _S.ROUTE, _S.FILTER_LOCAL, _S.SOURCE_TRANSLATION,
            _S.FILTER_OUT, _S.MTU, _S.NEIGHBOUR,
        ),
    ),
    # Netfilter's hooks: ingress; prerouting; look-up with its checks of the source; then either
    # input, or time to live, size, forward, postrouting. Own packets: look-up, output (what its
    # translation changes is looked up anew), postrouting.
    Processing.LINUX: Order(
        arriving=(
            _S.ARRIVAL, _S.FILTER_IN, _S.FILTER_ARRIVING, _S.TRANSLATION, LOCAL, _S.STEERING,
            _S.ROUTE, _S.REVERSE_PATH, _S.TTL, _S.MTU, _S.FILTER_TRANSIT, _S.FILTER_OUT,
            _S.SOURCE_TRANSLATION, _S.NEIGHBOUR,
        ),
        received=(_S.REVERSE_PATH, _S.FILTER_LOCAL, _S.SOURCE_TRANSLATION),
        sent=(
            LOCAL, _S.STEERING, _S.ROUTE, _S.MTU, _S.TRANSLATION, _S.FILTER_LOCAL, _S.FILTER_OUT,
            _S.SOURCE_TRANSLATION, _S.NEIGHBOUR,
        ),
    ),
}  # fmt: skip
