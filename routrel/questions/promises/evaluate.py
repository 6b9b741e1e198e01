"""All promises of a network in one state, failures that they must survive included."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from routrel.convergence.converge import State
from routrel.model.promises import Promise
from routrel.questions.moves import KeptFlows
from routrel.questions.processes import Pool
from routrel.questions.promises.check import Checked, Checker
from routrel.questions.promises.following import since
from routrel.questions.promises.surviving import Endured, survive

__all__ = ["Evaluation", "Kept", "evaluate", "evaluate_again"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """How one promise stands."""

    checked: Checked
    endured: Endured | None = None  #: None: it need not survive anything, or was not tried

    @property
    def promise(self) -> Promise:
        return self.checked.promise

    @property
    def kept(self) -> bool:
        return self.checked.kept and not (self.endured and self.endured.broken_by)

    @property
    def is_open(self) -> bool:
        """Whether what it must survive was not tried, so that it is kept as far as it goes."""
        return self.checked.kept and self.endured is None and bool(self.promise.survives)


@dataclass(frozen=True, slots=True, kw_only=True)
class Evaluation:
    """How promises stand in one state, in their order."""

    found: tuple[Kept, ...]
    checker: Checker  #: of the state
    asked: int = 0  #: of them those that were asked, and not taken from another state

    @property
    def checked(self) -> dict[str, Checked]:
        """How they stand by name, without what they must survive."""
        return {one.promise.name: one.checked for one in self.found}


def evaluate(
    state: State,
    promises: Sequence[Promise],
    kept: KeptFlows,
    *,
    failing: bool = True,
    on_case: Callable[[int, int], None] | None = None,
    make_pool: Pool | None = None,
    workers: int = 1,
) -> Evaluation:
    """Check promises; with `failing` those too that must survive failures, case by case.

    Args:
        on_case: Called with the failures that were tried, and how many there are.
        make_pool: Makes processes for the failures; None: they are tried here.
        workers: How many it has.
    """
    checker = Checker(state, promises, kept)
    checked = {promise.name: checker.check(promise) for promise in promises}
    endured: dict[str, Endured] = {}
    if failing:
        endured = survive(checker, promises, checked, kept, on_case, make_pool, workers)
    return _evaluation(promises, checker, checked, endured, len(checked))


def evaluate_again(
    known: Evaluation, after: State, promises: Sequence[Promise], kept: KeptFlows
) -> Evaluation:
    """Check promises in another state, asking only those that rest on what is otherwise there.

    What they must survive is not tried.

    Args:
        known: How they stand in the state before.
    """
    checker = Checker(after, promises, kept, since=since(known.checker, after))
    before, checked, asked = known.checked, {}, 0
    for promise in promises:
        then = before.get(promise.name)
        if then is not None and then.promise != promise:
            then = None
        checked[promise.name] = now = checker.check(promise, then)
        asked += now.was_asked
    return _evaluation(promises, checker, checked, {}, asked)


def _evaluation(
    promises: Iterable[Promise],
    checker: Checker,
    checked: Mapping[str, Checked],
    endured: Mapping[str, Endured],
    asked: int,
) -> Evaluation:
    found = (
        Kept(checked=checked[promise.name], endured=endured.get(promise.name))
        for promise in promises
    )
    return Evaluation(found=tuple(found), checker=checker, asked=asked)
