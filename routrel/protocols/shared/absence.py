"""What keeps a route from a neighbour, in words that several protocols share."""

from __future__ import annotations

from routrel.policy.evaluate import Rejecting
from routrel.protocols.evidence import AbsenceStep, Gap
from routrel.rib.table import Route

__all__ = ["stopped_on_the_way"]


def stopped_on_the_way(gap: Gap, by: Rejecting, route: Route) -> AbsenceStep:
    """The policy of either end that rejects what the upstream one tells."""
    return gap.rejected_upstream(by.device, by.use, route) or AbsenceStep(
        kind="filtered",
        device=by.device.name,
        text=f"policy {by.use.policy} of {by.device.name} rejects it",
        suggestion="accept it in the policy",
        place=by.use.place,
    )
