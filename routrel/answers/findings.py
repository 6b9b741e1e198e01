"""Findings as answers."""

from __future__ import annotations

from routrel.answers.base import Placed, PositionData, position
from routrel.model.findings import Finding, Severity

__all__ = ["FindingData", "finding_data"]


class FindingData(Placed):
    """A problem of the files, or something suspicious about the model."""

    severity: Severity
    code: str
    text: str
    suggestion: str
    device: str | None
    also: list[PositionData]


def finding_data(finding: Finding) -> FindingData:
    """One finding as an answer, with all its places."""
    return FindingData(
        severity=finding.severity,
        code=finding.code,
        text=finding.text,
        suggestion=finding.suggestion,
        device=finding.device,
        also=[PositionData(**position(place)) for place in finding.also],
        **position(finding.place),
    )
