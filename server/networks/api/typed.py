"""Answers of the engine in the API's description: their types say what they look like."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

__all__ = ["answer_field", "described", "with_answers"]

_REFERENCE = "#/components/schemas/{name}"
#: All types that some operation gives.
_PUBLISHED: list[Any] = []


def described(kind: Any) -> dict[str, Any]:
    """The schema of an answer, of a list of them, or of one or null."""
    _PUBLISHED.append(kind)
    schemas, _ = msgspec.json.schema_components([kind], ref_template=_REFERENCE)
    schema: dict[str, Any] = schemas[0]
    return schema


def answer_field(kind: Any) -> serializers.Field:
    """A field that holds an answer, or null."""
    field: type[serializers.JSONField] = type("AnswerField", (serializers.JSONField,), {})
    return extend_schema_field(described(kind))(field)(read_only=True)


def with_answers(result: dict[str, Any], **more: object) -> Mapping[str, Any]:
    """The description with the types of all answers among its components."""
    _, components = msgspec.json.schema_components(_PUBLISHED, ref_template=_REFERENCE)
    schemas: dict[str, Any] = result["components"]["schemas"]
    twice = schemas.keys() & components.keys()
    if twice:
        raise ValueError(f"two schemas have one name: {', '.join(sorted(twice))}")
    schemas.update(components)
    result["components"]["schemas"] = dict(sorted(schemas.items()))
    return result
