"""What commands print as JSON where that is more than one answer."""

from __future__ import annotations

from msgspec import UNSET, UnsetType

from routrel.answers.base import Answer
from routrel.answers.findings import FindingData
from routrel.answers.flow_sets import FlowData
from routrel.answers.remedies import NearMissData, RemedyData
from routrel.answers.routes import AbsenceData, CandidateData, RouteData
from routrel.answers.why import WhyData

__all__ = ["CheckData", "FlowCommandData", "RoutesData"]


class CheckData(Answer):
    """Of `routrel check`: of very many problems in the files the first, and how many there are."""

    findings: list[FindingData]
    problem_count: int


class RoutesData(Answer):
    """Of `routrel routes`; with --why of one table, its explanation stands beside the others."""

    converged: bool
    routes: list[RouteData]
    why: list[WhyData] | UnsetType = UNSET
    matched: str | UnsetType | None = UNSET
    candidates: list[CandidateData] | UnsetType = UNSET
    behind: list[RouteData] | UnsetType = UNSET
    absent: AbsenceData | UnsetType | None = UNSET
    doubt: str | UnsetType | None = UNSET


class FlowCommandData(FlowData):
    """Of `routrel flow`; the rest is there with --remedies."""

    remedies: list[RemedyData] | UnsetType = UNSET
    remedies_sentence: str | UnsetType = UNSET
    tried: int | UnsetType = UNSET
    given_up: bool | UnsetType = UNSET
    missed: NearMissData | UnsetType | None = UNSET
