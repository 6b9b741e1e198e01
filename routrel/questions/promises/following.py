"""Which promises have to be asked again once something changed: those that rest on what did."""

from __future__ import annotations

from dataclasses import replace

from routrel.convergence.converge import State
from routrel.questions.comparison.reach import Reach
from routrel.questions.promises.check import Checked

__all__ = ["changed_devices", "still_holds"]


def changed_devices(before: State, after: State) -> frozenset[str] | None:
    """The devices that may treat some packet otherwise in the second state; None: any may.

    Ends may mean something else in another network, so it has to be the same one. Outcomes of
    routing are held against each other one by one where both states have as many.
    """
    if before.network is not after.network or before.oscillating != after.oscillating:
        return None
    if len(before.others) != len(after.others):
        return None
    pairs = [
        (replace(before, look=one, others=()), replace(after, look=other, others=()))
        for one, other in zip(
            [before.look, *(other.look for other in before.others)],
            [after.look, *(other.look for other in after.others)],
            strict=True,
        )
    ]
    return frozenset().union(*(Reach(one, other).changed for one, other in pairs))


def still_holds(known: Checked, changed: frozenset[str] | None) -> bool:
    """Whether what came of checking a promise is so in another state too.

    It is where no device that its packets meet treats any packet otherwise: then every step of
    every flow is the same, whatever class it belongs to. What is claimed of routes, and what has
    not been asked about because it cannot start, is asked again.
    """
    if changed is None or known.promise.claim is not None or known.problem:
        return False
    if known.counterexample is not None and known.counterexample.breach.code == "cannot_start":
        return False
    return changed.isdisjoint(known.usage.devices)
