"""What is kept about findings beside the answers: since when they are there."""

from __future__ import annotations

from dataclasses import dataclass

from server.networks.models import Revision

__all__ = ["Since", "findings_since"]


@dataclass(frozen=True, slots=True)
class Since:
    """By the key of a finding, the first of the revisions in a row that have it.

    `known_from` is the oldest revision of that row of which the findings are known; what is there
    since then may have been there before.
    """

    numbers: dict[str, int]
    known_from: int


def findings_since(revision: Revision) -> Since:
    """Since which revision each finding of one is there, as far as that is known."""
    keys = set(revision.finding_keys or ())
    numbers = dict.fromkeys(keys, revision.number)
    known_from = revision.number
    before = revision.network.revisions.filter(number__lt=revision.number).order_by("-number")
    for number, found in before.values_list("number", "finding_keys").iterator():
        if found is None:
            break
        known_from = number
        keys &= set(found)
        numbers.update(dict.fromkeys(keys, number))
    return Since(numbers, known_from)
