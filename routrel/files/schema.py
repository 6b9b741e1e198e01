"""The JSON Schema of the language, for editors that complete and check YAML."""

from __future__ import annotations

from typing import Any

from routrel.files.language import FILE_KINDS

__all__ = ["json_schema"]


def json_schema() -> dict[str, Any]:
    """A schema (draft 2020-12) that accepts every kind of file that a network has."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Routrel device files, version 1",
        "oneOf": [record.schema() for record in FILE_KINDS.values()],
    }
