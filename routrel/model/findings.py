"""Findings: something wrong or suspicious in the files or in the model, with its evidence."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from routrel.model.place import Place

__all__ = ["Finding", "Severity", "finding_order"]


class Severity(Enum):
    """How much a finding matters."""

    ERROR = "error"  #: cannot be as intended
    WARNING = "warning"  #: suspicious
    NOTE = "note"  #: worth knowing


_RANK = {Severity.ERROR: 0, Severity.WARNING: 1, Severity.NOTE: 2}


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One problem: what, where, and what to do."""

    severity: Severity
    code: str  #: stable identifier, lower case with underscores
    text: str  #: one sentence
    place: Place
    suggestion: str = ""  #: what to do about it; empty where nothing useful can be said
    device: str | None = None  #: None where no one device is concerned
    also: tuple[Place, ...] = ()  #: the other places involved


def finding_order(finding: Finding) -> tuple[int, Place, str]:
    """A sort key: errors first, then by place."""
    return _RANK[finding.severity], finding.place, finding.code
