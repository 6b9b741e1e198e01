"""Findings as answers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from routrel.answers.base import Placed, PositionData, position
from routrel.model.findings import Finding, Severity
from routrel.model.network import Network

__all__ = ["FindingData", "findings_data"]


class FindingData(Placed):
    """A problem of the files, or something suspicious about the model.

    `devices` are all whose files it cites, `device` first where it concerns one.
    """

    severity: Severity
    code: str
    text: str
    suggestion: str
    device: str | None
    devices: list[str]
    also: list[PositionData]


def findings_data(findings: Iterable[Finding], network: Network) -> list[FindingData]:
    """Findings as answers, in their order."""
    of_file = {device.place.file: device.name for device in network.devices}
    return [_finding_data(finding, of_file) for finding in findings]


def _finding_data(finding: Finding, of_file: Mapping[str, str]) -> FindingData:
    cited = (of_file.get(place.file) for place in (finding.place, *finding.also))
    return FindingData(
        severity=finding.severity,
        code=finding.code,
        text=finding.text,
        suggestion=finding.suggestion,
        device=finding.device,
        devices=list(dict.fromkeys(filter(None, (finding.device, *cited)))),
        also=[PositionData(**position(place)) for place in finding.also],
        **position(finding.place),
    )
