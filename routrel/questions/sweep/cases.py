"""The cases of a sweep: what fails in each."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import combinations

from routrel.model.failures import FailureKind
from routrel.questions.promises.surviving import Case, things_that_fail
from routrel.topology.segments import Topology

__all__ = ["Case", "cases_of", "written"]


def cases_of(
    topology: Topology, kinds: Iterable[FailureKind], *, pairs: bool = False
) -> list[Case]:
    """Every thing of some kinds alone, and with `pairs` every two of them."""
    things = [thing for kind in kinds for thing in things_that_fail(topology, kind)]
    singles: list[Case] = [(thing,) for thing in things]
    return [*singles, *(combinations(things, 2) if pairs else ())]


def written(case: Case) -> tuple[str, ...]:
    """The written form of what fails, as lenses have it."""
    return tuple(map(str, case))
