"""Collects every problem of every file, so that one run tells them all."""

from __future__ import annotations

from dataclasses import dataclass, field

from routrel.model.findings import Finding, Severity, finding_order
from routrel.model.place import Place

__all__ = ["Report"]


@dataclass
class Report:
    """The problems found while reading."""

    problems: list[Finding] = field(default_factory=list)
    device: str | None = None  #: the file's device, once it is known
    key: str = ""  #: the key whose value is being read

    def error(self, place: Place, code: str, text: str, suggestion: str = "") -> None:
        self.problems.append(
            Finding(
                severity=Severity.ERROR,
                code=code,
                text=text,
                suggestion=suggestion,
                place=place,
                device=self.device,
            )
        )

    def sorted(self) -> list[Finding]:
        return sorted(self.problems, key=finding_order)
