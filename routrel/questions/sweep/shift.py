"""What a change does to what is survived: the same failures before it and after it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from routrel.questions.sweep.cases import Case
from routrel.questions.sweep.record import Record

__all__ = ["Shift", "ShiftedCase", "shift_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ShiftedCase:
    """A failure that does not break the same promises after a change as before it."""

    failed: tuple[str, ...]
    breaks_now: tuple[str, ...]  #: and did not before
    survived_now: tuple[str, ...]  #: and were broken by it before


@dataclass(frozen=True, slots=True, kw_only=True)
class Shift:
    """What a change does to what is survived, over the failures that can happen before and after.

    A promise that the change itself breaks, or mends, is told apart: no failure does that.
    """

    broken: tuple[str, ...]  #: by the change itself
    mended: tuple[str, ...]
    fatal: tuple[ShiftedCase, ...]  #: broke nothing before, and do now
    survivable: tuple[ShiftedCase, ...]  #: broke something before, and break nothing now
    otherwise: tuple[ShiftedCase, ...]  #: broke something before and now, and not the same


def shift_of(
    before: Mapping[Case, Record],
    after: Mapping[Case, Record],
    broken_before: Collection[str],
    broken_after: Collection[str],
) -> Shift:
    """Hold the records of the same failures against each other.

    Args:
        broken_before: The promises that are broken without any failure, before the change.
        broken_after: Those after it.
    """
    fatal: list[ShiftedCase] = []
    survivable: list[ShiftedCase] = []
    otherwise: list[ShiftedCase] = []
    for case in before.keys() & after.keys():
        old, new = before[case], after[case]
        # What is broken anyway is broken by no failure, on either side.
        then = set(old.broken) - set(broken_after)
        now = set(new.broken) - set(broken_before)
        if then == now:
            continue
        shifted = ShiftedCase(
            failed=new.failed,
            breaks_now=tuple(name for name in new.broken if name in now - then),
            survived_now=tuple(name for name in old.broken if name in then - now),
        )
        (otherwise if then and now else survivable if then else fatal).append(shifted)
    return Shift(
        broken=tuple(sorted(set(broken_after) - set(broken_before))),
        mended=tuple(sorted(set(broken_before) - set(broken_after))),
        fatal=tuple(sorted(fatal, key=_damage)),
        survivable=tuple(sorted(survivable, key=_damage)),
        otherwise=tuple(sorted(otherwise, key=_damage)),
    )


def _damage(one: ShiftedCase) -> tuple[object, ...]:
    return -len(one.breaks_now), -len(one.survived_now), len(one.failed), one.failed
