"""Collects every problem of every file, so that one run tells them all."""

from __future__ import annotations

from dataclasses import dataclass, field

from routrel.model.findings import Finding, Severity, finding_order
from routrel.model.place import Place

__all__ = ["MOST_PROBLEMS", "Report"]


#: Problems that are kept; what comes after them is counted.
MOST_PROBLEMS = 1000
#: Characters of a problem's texts; they quote what the file says.
_LONGEST_TEXT = 600


@dataclass
class Report:
    """The first problems found while reading, and how many there are."""

    problems: list[Finding] = field(default_factory=list)
    count: int = 0
    device: str | None = None  #: the file's device, once it is known
    key: str = ""  #: the key whose value is being read

    def error(self, place: Place, code: str, text: str, suggestion: str = "") -> None:
        """Count a problem, and keep it while there are not too many."""
        self.count += 1
        if self.full:
            return
        self.problems.append(
            Finding(
                severity=Severity.ERROR,
                code=code,
                text=_short(text),
                suggestion=_short(suggestion),
                place=place,
                device=self.device,
            )
        )

    @property
    def full(self) -> bool:
        """Further problems are only counted; what they would say is not needed."""
        return len(self.problems) >= MOST_PROBLEMS

    def sorted(self) -> list[Finding]:
        """The problems kept, in order of place."""
        return sorted(self.problems, key=finding_order)


def _short(text: str) -> str:
    return text if len(text) <= _LONGEST_TEXT else text[: _LONGEST_TEXT - 1] + "…"
