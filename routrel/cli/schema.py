"""`routrel schema`: the JSON Schema of the device-file language."""

from __future__ import annotations

from routrel.cli.common import (
    print_json,
)
from routrel.files.schema import json_schema

__all__ = ["schema"]


def schema() -> None:
    """Print the JSON Schema of the device-file language, for editors."""
    print_json(json_schema())
