"""Findings that have one cause: of one kind, and about one line that all of them cite."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from heapq import heapify, heappop, heappush

from routrel.model.findings import Finding
from routrel.model.place import Place

__all__ = ["FindingGroup", "finding_groups", "finding_key"]


@dataclass(frozen=True, slots=True)
class FindingGroup:
    """Findings of one cause in their order; `cause` is the line that all of them cite."""

    findings: tuple[Finding, ...]
    cause: Place


def finding_groups(findings: Sequence[Finding]) -> tuple[FindingGroup, ...]:
    """Findings by cause, in order of the first of each.

    A line that several findings of one kind cite is taken for their cause, that of most first; a
    finding is in one group alone.
    """
    left = list(range(len(findings)))
    groups: list[tuple[list[int], Place]] = []
    by_code: dict[str, list[int]] = {}
    for number in left:
        by_code.setdefault(findings[number].code, []).append(number)
    for numbers in by_code.values():
        groups += _groups(findings, numbers)
    groups.sort(key=lambda group: group[0][0])
    return tuple(FindingGroup(tuple(findings[n] for n in numbers), at) for numbers, at in groups)


def _groups(findings: Sequence[Finding], numbers: list[int]) -> list[tuple[list[int], Place]]:
    citing: dict[Place, list[int]] = {}
    for number in numbers:
        for place in _places(findings[number]):
            citing.setdefault(place, []).append(number)
    waiting = [(-len(members), place) for place, members in citing.items() if len(members) > 1]
    heapify(waiting)
    left = dict.fromkeys(numbers)
    groups: list[tuple[list[int], Place]] = []
    while waiting:
        count, place = heappop(waiting)
        members = [number for number in citing[place] if number in left]
        if len(members) < 2:
            continue
        if len(members) < -count:
            heappush(waiting, (-len(members), place))  # some went to another group meanwhile
            continue
        groups.append((members, place))
        for number in members:
            del left[number]
    return groups + [([number], findings[number].place) for number in left]


def _places(finding: Finding) -> set[Place]:
    return {place for place in (finding.place, *finding.also) if place.line}


def finding_key(finding: Finding) -> str:
    """What a finding is known by in other revisions: its kind and text, wherever it stands."""
    return hashlib.sha256(f"{finding.code}\n{finding.text}".encode()).hexdigest()[:16]
