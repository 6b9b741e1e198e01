"""Findings as answers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from routrel.answers.base import Placed, PositionData, position
from routrel.model.findings import Finding, Severity
from routrel.model.network import Network
from routrel.questions.finding_groups import FindingGroup, finding_groups, finding_key

__all__ = ["FindingData", "findings_data"]


class FindingData(Placed):
    """A problem of the files, or something suspicious about the model.

    `devices` are all whose files it cites, `device` first where it concerns one. `key` is what it
    is known by in other revisions. Findings of one cause have one `group`, the key of the first of
    them, and one `cause`, the line that all of them cite.
    """

    key: str
    group: str
    cause: PositionData

    severity: Severity
    code: str
    text: str
    suggestion: str
    device: str | None
    devices: list[str]
    also: list[PositionData]


def findings_data(findings: Iterable[Finding], network: Network) -> list[FindingData]:
    """Findings as answers, in order of their groups and in each as they were."""
    of_file = {device.place.file: device.name for device in network.devices}
    return [
        _finding_data(finding, group, of_file)
        for group in finding_groups(tuple(findings))
        for finding in group.findings
    ]


def _finding_data(finding: Finding, group: FindingGroup, of_file: Mapping[str, str]) -> FindingData:
    cited = (of_file.get(place.file) for place in (finding.place, *finding.also))
    return FindingData(
        key=finding_key(finding),
        group=finding_key(group.findings[0]),
        cause=PositionData(**position(group.cause)),
        severity=finding.severity,
        code=finding.code,
        text=finding.text,
        suggestion=finding.suggestion,
        device=finding.device,
        devices=list(dict.fromkeys(filter(None, (finding.device, *cited)))),
        also=[PositionData(**position(place)) for place in finding.also],
        **position(finding.place),
    )
