"""Answers in JSON's types, as the command line prints them and the API serves them."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from routrel.answers import (
    base,
    bounce,
    flow_sets,
    flows,
    holders,
    inventory,
    policies,
    remedies,
    sessions,
    tables,
    why,
)
from routrel.answers import what_it_would_take as would_take
from routrel.convergence.converge import State
from tests.nets import last_texts

__all__ = [
    "answer_flow",
    "bounce_data",
    "chart_data",
    "device_data",
    "explain_route",
    "flow_data",
    "holders_data",
    "remedies_data",
    "sessions_data",
    "table_data",
    "try_policy",
    "what_it_would_take",
]


def _told(question: Callable[..., object]) -> Callable[..., Any]:
    @wraps(question)
    def told(*arguments: object, **more: object) -> Any:
        return base.data(question(*arguments, **more))

    return told


answer_flow = _told(flow_sets.answer_flow)
bounce_data = _told(bounce.bounce_data)
chart_data = _told(inventory.chart_data)
device_data = _told(inventory.device_data)
explain_route = _told(why.explain_route)
flow_data = _told(flows.flow_data)
holders_data = _told(holders.holders_data)
remedies_data = _told(remedies.remedies_data)
sessions_data = _told(sessions.sessions_data)
table_data = _told(tables.table_data)
try_policy = _told(policies.try_policy)


def what_it_would_take(net: State, device: str, vrf: str, asked: Any, **more: Any) -> Any:
    """What it would take in the net made last."""
    return base.data(
        would_take.what_it_would_take(net, last_texts(), device, vrf, asked, {}, **more)
    )
