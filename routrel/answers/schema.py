"""The JSON Schema of what commands print with --json."""

from __future__ import annotations

from typing import Any

import msgspec

from routrel.answers.agreement import AgreementData
from routrel.answers.bounce import BounceData
from routrel.answers.commands import CheckData, FlowCommandData, RoutesData
from routrel.answers.comparison import ComparisonData
from routrel.answers.eras import ErasData
from routrel.answers.events import EventsData
from routrel.answers.health import HealthData
from routrel.answers.kept import KeptData
from routrel.answers.policies import PolicyTrialData
from routrel.answers.promises import PromisesData
from routrel.answers.sessions import BgpSessionListData
from routrel.answers.suggestions import SuggestionsData
from routrel.answers.sweeps import SweepData

__all__ = ["COMMANDS", "answers_schema"]

#: By command: the type of its answer.
COMMANDS: dict[str, Any] = {
    "check": CheckData,
    "routes": RoutesData,
    "flow": FlowCommandData,
    "sessions": BgpSessionListData,
    "sessions --bounce": BounceData,
    "policy": PolicyTrialData,
    "compare": ComparisonData,
    "promises": PromisesData,
    "suggest": SuggestionsData,
    "sweep": SweepData,
    "agreement": AgreementData,
    "events": EventsData,
    "eras": ErasData,
    "health": HealthData,
    "kept": KeptData,
}


def answers_schema() -> dict[str, Any]:
    """One schema for all commands: each is a property, its answer the property's value."""
    schemas, definitions = msgspec.json.schema_components(
        list(COMMANDS.values()), ref_template="#/$defs/{name}"
    )
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Answers of Routrel's commands, by command",
        "type": "object",
        "properties": dict(zip(COMMANDS, schemas, strict=True)),
        "$defs": dict(sorted(definitions.items())),
    }
